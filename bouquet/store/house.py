"""
What is true of the whole house: the days on which it does not work, what personal data may leave it for, and what it is
told from others by.
"""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from bouquet.core.recurrence import NO_DAYS_OFF, DaysOff
from bouquet.store.models import HouseFact

__all__ = ["Purposes", "days_off", "identity", "purposes", "put_days_off", "put_purposes"]

_DAYS_OFF, _PURPOSES, _IDENTITY = "days_off", "purposes", "identity"


def identity(session: Session, now: datetime) -> str:
    """
    What tells this house from all others; made when it is first asked for.
    """
    made = {"name": _IDENTITY, "value": {"id": secrets.token_hex(16)}, "changed_at": now}
    session.execute(insert(HouseFact).values(**made).on_conflict_do_nothing())
    return str(session.get_one(HouseFact, _IDENTITY).value["id"])


@dataclass(frozen=True)
class Purposes:
    """
    What personal data may leave the house for: what is offered, and whether nothing else is taken.
    """

    names: tuple[str, ...] = ()
    only: bool = False

    def takes(self, purpose: str) -> bool:
        """
        Whether somebody may say this.
        """
        return not self.only or purpose.strip().casefold() in {name.casefold() for name in self.names}


def purposes(session: Session) -> Purposes:
    """
    What personal data may leave the house for; anything that somebody says, where nobody set it.
    """
    found = session.get(HouseFact, _PURPOSES)
    return Purposes(tuple(found.value["names"]), bool(found.value["only"])) if found is not None else Purposes()


def put_purposes(session: Session, names: Sequence[str], *, only: bool, now: datetime) -> None:
    """
    Say what personal data may leave the house for, each once, in this order.
    """
    value: dict[str, Any] = {"names": list(dict.fromkeys(names)), "only": only}
    session.merge(HouseFact(name=_PURPOSES, value=value, changed_at=now))


def days_off(session: Session) -> DaysOff:
    """
    The house's days off; weekends where nothing was said.
    """
    found = session.get(HouseFact, _DAYS_OFF)
    if found is None:
        return NO_DAYS_OFF
    own = {date.fromisoformat(d["day"]): str(d["name"]) for d in found.value["days"]}
    return DaysOff(found.value["country"], found.value["region"], own, frozenset(found.value["weekend"]))


def put_days_off(session: Session, off: DaysOff, now: datetime) -> None:
    """
    Say which days the house does not work. Rounds follow at their next moment.
    """
    value: dict[str, Any] = {
        "country": off.country,
        "region": off.region,
        "weekend": sorted(off.weekend),
        "days": [{"day": day.isoformat(), "name": name} for day, name in sorted(off.own.items())],
    }
    session.merge(HouseFact(name=_DAYS_OFF, value=value, changed_at=now))
