"""
The web server: thin routes over the rooms below.
"""

from bouquet.web.app import create_app
from bouquet.web.serve import serve

__all__ = ["create_app", "serve"]
