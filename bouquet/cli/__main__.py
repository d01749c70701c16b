"""
`python -m bouquet.cli`.
"""

from bouquet.cli import app

if __name__ == "__main__":
    app()
