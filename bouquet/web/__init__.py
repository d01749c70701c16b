"""
The web server: thin routes over the rooms below.
"""

from bouquet.web.app import create_app
from bouquet.web.serve import make_queue, serve, work

__all__ = ["create_app", "make_queue", "serve", "work"]
