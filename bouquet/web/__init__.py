"""
The web server: thin routes over the rooms below.
"""

from bouquet.web.app import create_app
from bouquet.web.serve import bound_socket, serve, serve_beside

__all__ = ["bound_socket", "create_app", "serve", "serve_beside"]
