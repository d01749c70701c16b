"""
The command line: the same services as the web.

What only some commands need (the web server, the demonstration) is imported by them, so that a run holds no more memory
than it uses.
"""

from bouquet.cli.loading import loading

with loading():
    # isort: off
    # Commands stand in the help in the order in which they are imported here.
    from bouquet.cli import runs
    from bouquet.cli import rounds
    from bouquet.cli import deliveries
    from bouquet.cli import looking
    from bouquet.cli import sources
    from bouquet.cli import house

    # isort: on
    from bouquet.cli.common import app

__all__ = ["app", "deliveries", "house", "looking", "rounds", "runs", "sources"]
