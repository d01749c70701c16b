"""
One router a part of the API.
"""
