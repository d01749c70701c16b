"""
What is true of the whole house: the days on which it does not work.
"""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from sqlalchemy.orm import Session

from bouquet.core.recurrence import NO_DAYS_OFF, DaysOff
from bouquet.store.models import HouseFact

__all__ = ["days_off", "put_days_off"]

_DAYS_OFF = "days_off"


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
