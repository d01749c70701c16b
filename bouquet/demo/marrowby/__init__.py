"""
Marrowby: the made-up application database that Bouquet is shown and tested with.
"""
