"""
A house whose database for us, or whose role, is set in its own way: what Bouquet remembers reads the same.
"""

from __future__ import annotations

import asyncio
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta
from pathlib import Path

import psycopg
import pytest
import sqlalchemy as sa

from bouquet.demo.cluster import Cluster
from bouquet.runs import Queue, Services
from bouquet.sources import Source
from bouquet.store import Store
from bouquet.store.models import SignInTry
from tests.conftest import NOW

#: Settings that change how moments are written and compared, and how long a connection lives.
PREFERENCES = {
    "TimeZone": "Asia/Kolkata", "DateStyle": "German, DMY", "IntervalStyle": "sql_standard", "bytea_output": "escape",
    "standard_conforming_strings": "off", "transform_null_equals": "on", "default_transaction_isolation": "serializable",
    "idle_session_timeout": "300ms", "idle_in_transaction_session_timeout": "300ms",
}  # fmt: skip


@pytest.fixture
def opinionated(store_url: str, cluster: Cluster) -> Iterator[str]:
    database = psycopg.conninfo.conninfo_to_dict(store_url)["dbname"]
    with psycopg.connect(cluster.url(), autocommit=True) as connection:
        for name, value in PREFERENCES.items():
            connection.execute(f"ALTER DATABASE {database} SET {name} = '{value}'")  # type: ignore[call-overload]
        yield store_url
        connection.execute(f"ALTER DATABASE {database} RESET ALL")  # type: ignore[call-overload]


def test_moments_are_read_in_utc_and_connections_kept(opinionated: str) -> None:
    """As they are told: in mails, on the pages of links, in headers."""
    store = Store(opinionated)
    with store.session() as session:
        session.add(SignInTry(email="x@marrowby.example", address="", tried_at=NOW, succeeded=True))
    with store.engine.connect() as connection:
        found = connection.scalars(sa.select(SignInTry.tried_at).where(SignInTry.email == "x@marrowby.example")).one()
        connection.execute(sa.text("SELECT pg_sleep(0)"))
        with store.session() as session:
            session.execute(sa.text("SELECT pg_sleep(0.6)"))
        # Idle within a transaction for longer than the house allows whoever forgets it.
        session_zone = connection.scalar(sa.text("SHOW TimeZone"))
    with store.session() as session:
        session.execute(sa.delete(SignInTry))
    store.close()

    assert (found, found.utcoffset(), f"{found:%Y-%m-%d %H:%M}") == (NOW, timedelta(0), f"{NOW:%Y-%m-%d %H:%M}")
    assert session_zone == "UTC"


def test_what_waits_for_a_worker_is_found_by_it(opinionated: str, tmp_path: Path) -> None:
    """The queue reads moments of its own."""
    services = Services(Store(opinionated), Source("none", opinionated), tmp_path, tmp_path)
    queue = Queue(services)
    done = list[datetime]()
    queue.add_periodic("note_that_it_ran", "0 0 1 1 *", lambda: done.append(datetime.now(UTC)))

    async def main() -> None:
        async with queue.app.open_async():
            await (
                queue.app.tasks["note_that_it_ran"]
                .configure(schedule_at=datetime.now(UTC) - timedelta(seconds=1))
                .defer_async(timestamp=0)
            )
            await asyncio.wait_for(queue.app.run_worker_async(wait=False, install_signal_handlers=False), 20)

    with ThreadPoolExecutor(1) as pool:
        pool.submit(lambda: asyncio.run(main())).result()
    services.close()

    assert len(done) == 1
