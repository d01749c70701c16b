"""
Secrets of others that the house keeps, such as the addresses of sources: encrypted, with a key from the settings.

Fernet (AES-128 in CBC with HMAC-SHA-256, by `cryptography`). Several keys may be given, the newest first: what an older
one sealed is still opened, and is sealed with the newest when it is next kept.
"""

from __future__ import annotations

import hashlib
import secrets

from cryptography.fernet import Fernet, InvalidToken, MultiFernet
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.kdf.hkdf import HKDF

from bouquet.core.language import tr
from bouquet.store.errors import StoreError

__all__ = ["NoKey", "Vault", "WrongKey", "digest_of", "new_key"]


def digest_of(secret: str) -> str:
    """
    What is kept of a secret that is only to be known again, such as a token: its SHA-256, in hexadecimal.
    """
    return hashlib.sha256(secret.encode()).hexdigest()


_OF_PROCESS = secrets.token_bytes(32)


class NoKey(StoreError):
    """
    Nothing secret can be kept here.
    """

    code = "no_key"


class WrongKey(StoreError):
    """
    This was kept with another key.
    """

    code = "wrong_key"


def new_key() -> str:
    """
    A new key, as text for the settings.
    """
    return Fernet.generate_key().decode()


class Vault:
    """
    Seals and opens texts.

    Args:
        keys: One key, or several between commas, the newest first; empty where none is set. Raises NoKey where one is
            no key.
    """

    def __init__(self, keys: str = "") -> None:
        self._newest = next((k.strip().encode() for k in keys.split(",") if k.strip()), b"")
        named = [k.strip() for k in keys.split(",") if k.strip()]
        try:
            self._keys = MultiFernet([Fernet(k) for k in named]) if named else None
        except ValueError as error:
            raise NoKey(tr("BOUQUET_SECRET_KEY is no key; “bouquet key” prints one.")) from error

    @property
    def has_key(self) -> bool:
        """
        Whether anything can be kept secret here.
        """
        return self._keys is not None

    def seal(self, text: str) -> str:
        """
        A text as it can be kept. Raises NoKey.
        """
        return self._require().encrypt(text.encode()).decode()

    def open(self, sealed: str) -> str:
        """
        A sealed text again. Raises NoKey, and WrongKey where none of the keys sealed it.
        """
        try:
            return self._require().decrypt(sealed.encode()).decode()
        except InvalidToken as error:
            raise WrongKey(tr("This was kept with a key that is not in BOUQUET_SECRET_KEY any more.")) from error

    def derived(self, purpose: bytes) -> bytes:
        """
        A key for another purpose, made of the newest one (HKDF, RFC 5869); one of this process where none is set.
        """
        made = HKDF(algorithm=hashes.SHA256(), length=32, salt=None, info=b"bouquet " + purpose)
        return made.derive(self._newest or _OF_PROCESS)

    def _require(self) -> MultiFernet:
        if self._keys is None:
            message = tr("Addresses of sources are kept encrypted. Set BOUQUET_SECRET_KEY; “bouquet key” prints a key.")
            raise NoKey(message)
        return self._keys
