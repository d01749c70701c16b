"""
Dates as text by tables: the same as the library's formatting, whatever the date.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bouquet.core.shaping import dates
from bouquet.core.shaping.dates import dated_text

FORMS = ["%Y-%m-%d", "%d/%m/%Y", "%-d %B %Y", "%a %d.%m.%y"]


@pytest.fixture(scope="module", autouse=True)
def tables() -> Iterator[None]:
    """Tables are made for a few rows, too."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(dates, "WORTH_A_TABLE", 1)
        yield


def test_tables_are_kept_of_a_few_forms_only() -> None:
    """However many somebody asks for: each holds every day of two centuries."""
    for n in range(40):
        dated_text(pl.Series([date(2026, 11, 23)]), f"%Y-%m-%d {n}")

    assert dates._days.cache_info().currsize <= dates.TABLES


@given(st.lists(st.one_of(st.none(), st.dates(date(1700, 1, 1), date(2300, 1, 1)))), st.sampled_from(FORMS))
def test_dates_read_as_the_library_writes_them(values: list[date | None], form: str) -> None:
    """Also beyond the tables, also blanks."""
    series = pl.Series(values, dtype=pl.Date)

    assert dated_text(series, form).to_list() == series.dt.to_string(form).to_list()
