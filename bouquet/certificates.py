"""
Which authorities' certificates are believed: on every way out of the house those that its machine believes, also where
a library brings a list of its own.
"""

from __future__ import annotations

import ssl
from pathlib import Path

__all__ = ["believed"]

#: Where systems keep them in one file, in the order in which they are looked for.
_BUNDLES = (
    "/etc/ssl/certs/ca-certificates.crt",
    "/etc/pki/tls/certs/ca-bundle.crt",
    "/etc/ssl/ca-bundle.pem",
    "/etc/ssl/cert.pem",
)


def believed() -> str | None:
    """
    The file of certificates that this machine believes (`SSL_CERT_FILE`, or the system's own); None where there is
    none, and a library's list has to do.
    """
    named = ssl.get_default_verify_paths().cafile
    return next((path for path in (named, *_BUNDLES) if path and Path(path).is_file()), None)
