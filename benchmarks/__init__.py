"""
Speed and memory, as ratios against named baselines measured in the same run.
"""
