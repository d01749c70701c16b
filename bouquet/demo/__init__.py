"""
The demonstration: a private database cluster, Marrowby in it, and four people.
"""
