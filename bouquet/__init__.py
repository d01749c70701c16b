"""
Bouquet: reusable export templates over an organisation's own records.
"""

import os

# Runs overlap reading, shaping and writing in threads of their own, and several workers run side by side; a pool of
# threads inside each shaping step only makes them wait for each other. Must be set before Polars is imported.
os.environ.setdefault("POLARS_MAX_THREADS", "1")

__version__ = "0.1.0"
