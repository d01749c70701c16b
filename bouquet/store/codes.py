"""
One-time codes as a second step of signing in (RFC 6238, by pyotp), and spare ones for who lost the device.
"""

from __future__ import annotations

import secrets
from datetime import datetime

import pyotp
from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.store.errors import StoreError
from bouquet.store.models import Person
from bouquet.store.secrets import Vault, digest_of

__all__ = ["CodeNeeded", "address_of", "new_secret", "require_code", "set_codes", "spare_left", "stop_codes"]

#: Spare codes that are given, each good for one sign-in.
SPARE = 8

#: Steps of thirty seconds that a clock may be off.
OFF_BY = 1


class CodeNeeded(StoreError):
    """
    The password is right, and a one-time code is wanted besides, or was not right.
    """

    code = "code_needed"


def new_secret() -> str:
    """
    A secret to make codes of, as devices take it: base 32, 160 bits.
    """
    return pyotp.random_base32()


def address_of(secret: str, email: str, house: str) -> str:
    """
    The secret as devices read it from a picture.
    """
    return pyotp.TOTP(secret).provisioning_uri(name=email, issuer_name=house)


def set_codes(session: Session, vault: Vault, person_id: int, secret: str, code: str, now: datetime) -> list[str]:
    """
    Have codes asked of somebody from now on; `code` proves that their device has the secret. Returns the spare codes,
    which are told this once. Raises CodeNeeded, and NoKey where nothing secret can be kept here.
    """
    person = session.get_one(Person, person_id, with_for_update=True)
    sealed = vault.seal(secret)
    step = _step_of(secret, code, now, 0)
    if step is None:
        raise CodeNeeded(tr("This code is not right. See that the device's clock is, and type the newest one."))
    spare = [f"{secrets.token_hex(2)}-{secrets.token_hex(3)}" for _ in range(SPARE)]
    person.codes_sealed, person.codes_used = sealed, step
    person.spare_codes = [digest_of(one) for one in spare]
    return spare


def stop_codes(session: Session, person_id: int) -> None:
    """
    Ask no codes of somebody any more.
    """
    person = session.get_one(Person, person_id, with_for_update=True)
    person.codes_sealed, person.spare_codes = "", []


def spare_left(person: Person) -> int:
    """
    How many spare codes somebody has not used.
    """
    return len(person.spare_codes)


def require_code(session: Session, vault: Vault, person: Person, code: str, now: datetime) -> None:
    """
    Take a one-time or a spare code, where the person has them. Each is taken once. Raises CodeNeeded.
    """
    if not person.codes_sealed:
        return
    session.refresh(person, with_for_update={"of": Person})
    plain = "".join(code.split()).lower()
    if not plain:
        raise CodeNeeded(tr("Type the code that your device shows, or one of your spare codes."))
    step = _step_of(vault.open(person.codes_sealed), plain, now, person.codes_used)
    if step is not None:
        person.codes_used = step
        return
    if digest_of(plain) in person.spare_codes:
        person.spare_codes = [one for one in person.spare_codes if one != digest_of(plain)]
        return
    raise CodeNeeded(tr("This code is not right, or was used already."))


def _step_of(secret: str, code: str, now: datetime, used: int) -> int | None:
    """
    The step of time whose code this is, if it was not used before (RFC 6238, 5.2).
    """
    made, step = pyotp.TOTP(secret), int(now.timestamp()) // 30
    for near in range(step - OFF_BY, step + OFF_BY + 1):
        if near > used and secrets.compare_digest(made.generate_otp(near), code if code.isascii() else ""):
            return near
    return None
