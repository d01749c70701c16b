"""
One house, one clock: that of the machine of its database.
"""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest
import sqlalchemy as sa

from bouquet.runs import Services
from bouquet.settings import Settings
from bouquet.store import Store


@pytest.mark.parametrize("wrong", [timedelta(minutes=7), timedelta(hours=-30)])
def test_a_machine_whose_clock_is_wrong_goes_by_the_houses(
    store_url: str, monkeypatch: pytest.MonkeyPatch, wrong: timedelta
) -> None:
    """It begins no round early, and takes nobody for dead."""

    class Wrong(datetime):
        @classmethod
        def now(cls, tz: object = None) -> datetime:  # type: ignore[override]
            return datetime.now(UTC) + wrong

    monkeypatch.setattr("bouquet.store.database.datetime", Wrong)
    store = Store(store_url)
    with store.session() as session:
        session.execute(sa.text("SELECT 1"))
    difference = store.now() - datetime.now(UTC)
    store.close()

    assert abs(difference) < timedelta(seconds=5)


def test_what_works_goes_by_that_clock(store_url: str) -> None:
    services = Services.from_settings(Settings(store_url=store_url, _env_file=None))
    try:
        assert services.clock == services.store.now
    finally:
        services.close()
