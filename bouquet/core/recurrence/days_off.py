"""
The days on which the house does not work: weekends, public holidays, and days of its own.
"""

from __future__ import annotations

import functools
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date

from bouquet.core.errors import BouquetError
from bouquet.core.language import tr

__all__ = ["NO_DAYS_OFF", "DaysOff", "DaysOffError"]


class DaysOffError(BouquetError):
    """
    A country or region whose holidays are not known.
    """

    code = "days_off"


@dataclass(frozen=True)
class DaysOff:
    """
    Args:
        country: ISO 3166 code of the country whose public holidays are days off; empty for none.
        region: ISO 3166-2 code of its part, without the country's.
        own: Days of the house's own, with their names.
        weekend: Days of the week that are off, 0 for Monday.

    Raises DaysOffError for a country or region that is not known.
    """

    country: str = ""
    region: str = ""
    own: Mapping[date, str] = field(default_factory=dict)
    weekend: frozenset[int] = frozenset({5, 6})

    def __post_init__(self) -> None:
        if not self.country:
            return
        import holidays

        known = holidays.list_supported_countries()
        if self.country not in known:
            msg = tr(
                "The holidays of “{country}” are not known; a country is given as two letters, such as GB.",
                country=self.country,
            )
            raise DaysOffError(msg)
        if self.region and self.region not in known[self.country]:
            candidates = ", ".join(sorted(known[self.country])[:9])
            msg = tr(
                "{country} has no region “{region}” with holidays of its own. Known: {candidates}.",
                country=self.country,
                region=self.region,
                candidates=candidates or "none",
            )
            raise DaysOffError(msg)

    def name_of(self, day: date) -> str | None:
        """
        Why a day is off, None where it is not.
        """
        if day in self.own:
            return self.own[day] or tr("a day of the house's own")
        if self.country:
            holiday = _holidays(self.country, self.region, day.year).get(day)
            if holiday:
                return holiday
        return tr("the weekend") if day.weekday() in self.weekend else None

    def is_off(self, day: date) -> bool:
        return self.name_of(day) is not None


@functools.lru_cache(maxsize=256)
def _holidays(country: str, region: str, year: int) -> dict[date, str]:
    import holidays

    found = holidays.country_holidays(country, subdiv=region or None, years=[year])
    return {day: name for day, name in found.items() if day.year == year}


#: Weekends only.
NO_DAYS_OFF = DaysOff()
