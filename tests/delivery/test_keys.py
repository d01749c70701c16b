"""
Private keys of SFTP: in each form that people have them in, and damaged on their way.
"""

from __future__ import annotations

import contextlib
import random

import pytest
from cryptography.hazmat.primitives.asymmetric import ec, ed25519, rsa
from cryptography.hazmat.primitives.serialization import (
    BestAvailableEncryption,
    Encoding,
    KeySerializationEncryption,
    NoEncryption,
    PrivateFormat,
)

from bouquet.delivery.sftp import private_key
from bouquet.delivery.way import DeliveryError

KEYS = {
    "ed25519": ed25519.Ed25519PrivateKey.generate(),
    "rsa": rsa.generate_private_key(65_537, 2_048),
    "ecdsa": ec.generate_private_key(ec.SECP256R1()),
}


def said(kind: str, form: PrivateFormat, locked: KeySerializationEncryption | None = None) -> str:
    return KEYS[kind].private_bytes(Encoding.PEM, form, locked or NoEncryption()).decode()  # type: ignore[attr-defined]


@pytest.mark.parametrize("form", [PrivateFormat.OpenSSH, PrivateFormat.PKCS8])
@pytest.mark.parametrize("kind", KEYS)
def test_a_key_is_read_in_each_form(kind: str, form: PrivateFormat) -> None:
    """It signs as the one that was made."""
    public = private_key(said(kind, form)).get_base64()

    assert public == private_key(said(kind, PrivateFormat.OpenSSH)).get_base64()
    with pytest.raises(DeliveryError, match="without a passphrase"):
        private_key(said(kind, form, BestAvailableEncryption(b"hazel")))


@pytest.mark.parametrize("kind", KEYS)
def test_a_damaged_key_is_told(kind: str) -> None:
    """Letters lost or changed while it was pasted."""
    whole, draw = said(kind, PrivateFormat.OpenSSH), random.Random(1)
    for _ in range(150):
        letters = list(whole)
        for _ in range(draw.choice((1, 3, 10))):
            letters[draw.randrange(len(letters))] = draw.choice("ABCxyz019+/=\n- é")
        with contextlib.suppress(DeliveryError):
            private_key("".join(letters))
