"""
`python -m bouquet.cli`.
"""

from bouquet.cli import app

app()
