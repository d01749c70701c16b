"""
The web server: thin routes over the rooms below.
"""

from bouquet.web.app import create_app
from bouquet.web.serve import bound_socket, serve

__all__ = ["bound_socket", "create_app", "serve"]
