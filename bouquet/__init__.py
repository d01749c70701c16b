"""
Bouquet: reusable export templates over an organisation's own records.
"""

__version__ = "0.1.0"
