"""
The days on which the house does not work.
"""

from __future__ import annotations

from datetime import date, timedelta
from typing import Annotated, Any

from fastapi import APIRouter, Depends

from bouquet.core.language import tr
from bouquet.core.recurrence import DaysOff, days_of_calendar
from bouquet.runs import Services
from bouquet.store.house import days_off, put_days_off
from bouquet.store.models import Person
from bouquet.web.access import CurrentPerson, TheServices, needs
from bouquet.web.bodies import ExactRoute
from bouquet.web.problems import Refused
from bouquet.web.schemas.rounds import CalendarText, DaysOffOut, DaysOffPart, OwnDay

router = APIRouter(
    route_class=ExactRoute, prefix="/rounds/days-off", tags=["rounds"], dependencies=[Depends(needs("look"))]
)


@router.get("", response_model=DaysOffOut)
def get_days_off(services: TheServices, person: CurrentPerson) -> Any:
    """
    The days on which the house does not work.
    """
    with services.store.session() as session:
        return _days_off_out(days_off(session), services)


@router.put("", response_model=DaysOffOut)
def set_days_off(body: DaysOffPart, services: TheServices, person: Annotated[Person, Depends(needs("keep"))]) -> Any:
    """
    Say which days the house does not work; rounds that mind them follow at their next moment.
    """
    if len(set(body.weekend)) == 7:
        raise Refused(422, "no_working_day", tr("At least one day of the week is worked."))
    off = DaysOff(body.country, body.region, {d.day: d.name for d in body.days}, frozenset(body.weekend))
    with services.store.session() as session:
        put_days_off(session, off, services.clock())
    return _days_off_out(off, services)


@router.post("/read", response_model=list[OwnDay])
def read_days_off(body: CalendarText, services: TheServices, person: Annotated[Person, Depends(needs("keep"))]) -> Any:
    """
    The days of an iCalendar file in this year and the two after it, to be taken as days of the house's own. Nothing is
    kept.
    """
    year = services.clock().year
    found = days_of_calendar(body.text, date(year, 1, 1), date(year + 2, 12, 31))
    return [OwnDay(day=day, name=name) for day, name in found.items()]


def _days_off_out(off: DaysOff, services: Services) -> DaysOffOut:
    today = services.clock().date()
    days = [today + timedelta(days=n) for n in range(366)]
    named = [OwnDay(day=d, name=off.name_of(d) or "") for d in days if off.is_off(d) and d.weekday() not in off.weekend]
    return DaysOffOut(
        weekend=sorted(off.weekend),
        country=off.country,
        region=off.region,
        days=[OwnDay(day=d, name=n) for d, n in sorted(off.own.items())],
        next=named[:12],
    )
