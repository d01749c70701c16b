"""
The ground of the tests: a real PostgreSQL cluster of their own, Marrowby in it, and a store that starts empty.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import UTC, date, datetime
from importlib.resources import files
from pathlib import Path
from typing import Any

import psycopg
import pytest
from argon2 import PasswordHasher
from hypothesis import settings

from bouquet.core.plan import Context, Plan, resolve
from bouquet.core.template import read_document
from bouquet.demo.cluster import Cluster
from bouquet.demo.demo import seed_people
from bouquet.demo.marrowby.generate import fill_marrowby
from bouquet.runs import Queue, Services
from bouquet.sources import Source
from bouquet.store import Store
from bouquet.store import people as people_store
from bouquet.store.models import Base

# How long an example takes depends on the machine, and is no matter of right or wrong.
settings.register_profile("bouquet", deadline=None)
settings.load_profile("bouquet")

UNTIL = date(2026, 11, 22)
NOW = datetime(2026, 11, 23, 9, 0, tzinfo=UTC)
FOLDER = Path(__file__).parent.parent / ".demo" / "test"
CATALOGUE = Path(str(files("bouquet.demo.marrowby") / "catalogue.toml"))


@pytest.fixture(scope="session", autouse=True)
def quick_passwords() -> Iterator[None]:
    """
    Hashing takes 64 MB and a core for a moment, on purpose. Here it is done for every test, and need not be hard.
    """
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(people_store, "_hasher", PasswordHasher(time_cost=1, memory_cost=64, parallelism=1))
        yield


@pytest.fixture(scope="session")
def cluster() -> Iterator[Cluster]:
    """
    The tests' own cluster; its data is kept between sessions.
    """
    made = Cluster(FOLDER / "cluster")
    made.start()
    for role in ("bouquet", "marrowby_owner", "marrowby_reader"):
        made.ensure_role(role, "test-only")
    yield made
    made.stop()


@pytest.fixture(scope="session")
def marrowby(cluster: Cluster) -> str:
    """
    The address of Marrowby at scale 1, for its reader.
    """
    name = "marrowby_v1"
    cluster.ensure_database(name, "marrowby_owner")
    owner = cluster.url(name, "marrowby_owner", "test-only")
    with psycopg.connect(owner) as connection:
        row = connection.execute("SELECT to_regclass('public.tree')").fetchone()
    if row is None or row[0] is None:
        fill_marrowby(owner, scale=1, until=UNTIL, reader="marrowby_reader")
    return cluster.url(name, "marrowby_reader", "test-only")


@pytest.fixture(scope="session")
def source(marrowby: str) -> Iterator[Source]:
    made = Source("marrowby", marrowby, CATALOGUE)
    yield made
    made.close()


@pytest.fixture(scope="session")
def query(marrowby: str) -> Callable[[str], list[tuple[Any, ...]]]:
    """
    Hand-written SQL on Marrowby, the tests' own opinion.
    """

    def run(sql: str) -> list[tuple[Any, ...]]:
        with psycopg.connect(marrowby) as connection:
            return connection.execute(sql).fetchall()  # type: ignore[call-overload]

    return run


@pytest.fixture
def plan(source: Source) -> Callable[..., Plan]:
    """
    A plan of a document on Marrowby, as of the tests' moment.
    """

    def make(document: dict[str, Any], as_of: datetime = NOW) -> Plan:
        template = read_document({"name": "Test", **document})
        return resolve(template, source.catalogue(), Context(as_of=as_of)).require()

    return make


@pytest.fixture(scope="session")
def store_url(cluster: Cluster) -> str:
    """
    The address of a store with its tables, and the queue's.
    """
    cluster.drop_database("bouquet_test")
    cluster.ensure_database("bouquet_test", "bouquet")
    return cluster.url("bouquet_test", "bouquet", "test-only")


@pytest.fixture
def services(store_url: str, source: Source, tmp_path: Path) -> Iterator[Services]:
    """
    Services on an empty store with the four people, at the tests' moment.
    """
    store = Store(store_url)
    made = Services(store, source, tmp_path / "files", tmp_path / "outgoing", clock=lambda: NOW)
    store.migrate()
    Queue(made).install()
    with store.session() as session:
        for table in reversed(Base.metadata.sorted_tables):
            session.execute(table.delete())
    seed_people(made)
    yield made
    made.ledger.close()
    made.storage.close()
    store.close()


@pytest.fixture
def people(services: Services) -> dict[str, Any]:
    """
    The four people, by first name.
    """
    from sqlalchemy import select

    from bouquet.store.models import Person

    with services.store.session() as session:
        return {p.name.split()[0].lower(): p for p in session.scalars(select(Person))}
