"""
The ground of the tests: a real PostgreSQL cluster of their own, Marrowby in it, and a store that starts empty.
"""

from __future__ import annotations

import fcntl
import gc
import os
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from datetime import UTC, date, datetime
from fractions import Fraction
from functools import cache, partial
from importlib.resources import files
from pathlib import Path
from typing import Any

import psycopg
import psycopg.sql
import pytest
import sqlalchemy as sa
from argon2 import PasswordHasher
from cryptography.fernet import Fernet
from hypothesis import settings

from bouquet.core.plan import Context, Plan, resolve
from bouquet.core.slip_document import ErrorDocument, FindingDocument, SlipDocument
from bouquet.core.template import read_document
from bouquet.demo.cluster import Cluster
from bouquet.demo.demo import seed_people
from bouquet.demo.marrowby.generate import fill_marrowby
from bouquet.runs import Queue, Services
from bouquet.sources import Source
from bouquet.store import Store
from bouquet.store import people as people_store
from bouquet.store.models import Base, Person, Run
from bouquet.store.secrets import Vault

# How long an example takes depends on the machine, and is no matter of right or wrong.
settings.register_profile("bouquet", deadline=None)
settings.load_profile("bouquet")

UNTIL = date(2026, 11, 22)
NOW = datetime(2026, 11, 23, 9, 0, tzinfo=UTC)
FOLDER = Path(__file__).parent.parent / ".demo" / "test"
#: Marrowby with a tenth of its records, which are enough for nearly all; and with all of them.
MARROWBY, WHOLE_MARROWBY = "marrowby_tenth_v1", "marrowby_v1"
TENTH = Fraction(1, 10)
#: What tells this session of tests from earlier ones.
SESSION = os.environ.get("PYTEST_XDIST_TESTRUNUID", f"alone{os.getpid()}")
#: What tells the databases of this test process from those of others that run beside it.
PROCESS = os.environ.get("PYTEST_XDIST_WORKER", "").replace("gw", "_")
CATALOGUE = Path(str(files("bouquet.demo.marrowby") / "catalogue.toml"))


#: Files that take longest. Two processes share the files out; what is long begins first, so that neither waits at the end.
LONGEST = (
    "browser/test_errands.py",
    "browser/test_access_dialogs.py",
    "browser/test_access.py",
    "browser/test_design.py",
    "sources/test_sqlite.py",
    "web/test_described.py",
    "sources/test_mariadb.py",
    "sources/test_alike.py",
    "runs/test_faults.py",
    "runs/test_runs.py",
    "sources/test_explaining.py",
)
MEANWHILE = "sources/test_meant.py"


def seeds(suite: int, thorough: int) -> list[Any]:
    """What cases are drawn by: `suite` of them belong to the suite, all `thorough` to what is run after it."""
    return [*range(suite), *(pytest.param(n, marks=pytest.mark.thorough) for n in range(suite, thorough))]


def halved(names: Sequence[str], turn: int, of: Sequence[str]) -> list[Any]:
    """Cases of which the suite has every other one `of` all, by `turn` the even or the odd; what is run after it, the rest."""
    return [n if of.index(n) % 2 == turn else pytest.param(n, marks=pytest.mark.thorough) for n in names]


def pytest_collection_finish() -> None:
    """What was loaded until here stays: it is not looked through again at each collection of garbage."""
    gc.collect()
    gc.freeze()


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """
    What needs a browser first, since its server and browser end with it; then the longest files, and the others as they
    were found. While one process makes the house that all browsers enter, the other has a file that needs none.
    """
    place = {name: n for n, name in enumerate(LONGEST)}

    def turn(item: pytest.Item) -> tuple[int, int]:
        name = "/".join(item.path.parts[-2:])
        stage = {LONGEST[0]: 0, MEANWHILE: 1}.get(name, 2 if item.path.parent.name == "browser" else 3)
        return stage, place.get(name, len(LONGEST))

    items.sort(key=turn)


@pytest.fixture(scope="session", autouse=True)
def quick_passwords() -> Iterator[None]:
    """
    Hashing takes 64 MB and a core for a moment, on purpose. Here it is done for every test, and need not be hard.
    """
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(people_store, "_hasher", PasswordHasher(time_cost=1, memory_cost=64, parallelism=1))
        yield


class OwnCluster(Cluster):
    """
    The cluster that all test processes share; each has databases of its own, but for Marrowby, which nobody changes.
    """

    def own(self, name: str) -> str:
        return name if name in {"postgres", MARROWBY, WHOLE_MARROWBY} else name + PROCESS

    def copy_database(self, original: str, name: str) -> None:
        """
        A database of this process with everything that `original` holds. Nobody may be connected with that.
        """
        self.drop_database(name)
        with one_at_a_time(), psycopg.connect(self.url(), autocommit=True) as connection:
            copied = psycopg.sql.SQL("CREATE DATABASE {} OWNER bouquet TEMPLATE {}")
            names = psycopg.sql.Identifier(self.own(name)), psycopg.sql.Identifier(original)
            connection.execute(copied.format(*names))

    def url(self, database: str = "postgres", role: str = "postgres", password: str | None = None) -> str:
        return super().url(self.own(database), role, password)

    def ensure_database(self, name: str, owner: str) -> bool:
        with one_at_a_time():
            return super().ensure_database(self.own(name), owner)

    def drop_database(self, name: str) -> None:
        with one_at_a_time():
            super().drop_database(self.own(name))


@contextmanager
def one_at_a_time(name: str = "tests.lock") -> Iterator[None]:
    """
    What changes the whole cluster, or is made once for all, is done by one test process at a time.
    """
    FOLDER.mkdir(parents=True, exist_ok=True)
    with (FOLDER / name).open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield


@pytest.fixture(scope="session")
def cluster() -> Iterator[OwnCluster]:
    """
    The tests' own cluster; its data is kept between sessions.
    """
    made = OwnCluster(FOLDER / "cluster")
    made.start()
    with one_at_a_time():
        for role in ("bouquet", "marrowby_owner", "marrowby_reader"):
            made.ensure_role(role, "test-only")
    yield made
    made.stop()


@pytest.fixture(scope="session")
def marrowby(cluster: Cluster) -> str:
    """
    The address of a small Marrowby, for its reader.
    """
    return filled_marrowby(cluster, MARROWBY, TENTH)


@pytest.fixture(scope="session")
def whole_marrowby(cluster: Cluster) -> str:
    """
    The address of Marrowby at scale 1.
    """
    return filled_marrowby(cluster, WHOLE_MARROWBY, 1)


def filled_marrowby(cluster: Cluster, name: str, scale: int | Fraction) -> str:
    """
    The address of a Marrowby for its reader, made once for all test processes.
    """
    cluster.ensure_database(name, "marrowby_owner")
    owner = cluster.url(name, "marrowby_owner", "test-only")
    with one_at_a_time():
        with psycopg.connect(owner) as connection:
            row = connection.execute("SELECT to_regclass('public.tree')").fetchone()
        if row is None or row[0] is None:
            fill_marrowby(owner, scale=scale, until=UNTIL, reader="marrowby_reader")
    return cluster.url(name, "marrowby_reader", "test-only")


@pytest.fixture(scope="session")
def source(marrowby: str) -> Iterator[Source]:
    made = Source("marrowby", marrowby, CATALOGUE)
    yield made
    made.close()


@pytest.fixture(scope="session")
def whole(whole_marrowby: str) -> Iterator[Source]:
    """
    Marrowby with all its records, for what few do not show.
    """
    made = Source("marrowby", whole_marrowby, CATALOGUE)
    yield made
    made.close()


@pytest.fixture(scope="session")
def mariadb() -> Iterator[Callable[[str], str]]:
    """
    A MariaDB server of this test process; it makes a database for a name.
    """
    from tests.sources.mariadb import mariadb_server

    with mariadb_server() as database:
        yield database


@pytest.fixture(scope="session")
def query(marrowby: str) -> Callable[[str], list[tuple[Any, ...]]]:
    """
    Hand-written SQL on Marrowby, the tests' own opinion.
    """

    return partial(queried, marrowby)


def queried(url: str, sql: str) -> list[tuple[Any, ...]]:
    """
    What a database says.
    """
    with psycopg.connect(url) as connection:
        return connection.execute(sql).fetchall()  # type: ignore[call-overload]


@pytest.fixture(scope="session")
def query_whole(whole_marrowby: str) -> Callable[[str], list[tuple[Any, ...]]]:
    """
    The same on all of Marrowby.
    """
    return partial(queried, whole_marrowby)


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
    url = cluster.url("bouquet_test", "bouquet", "test-only")
    made = Services(Store(url), Source("none", url), Path(), Path())
    made.store.migrate()
    Queue(made).install()
    made.ledger.close()
    made.store.close()
    return url


@pytest.fixture(scope="session")
def remembering_store(store_url: str) -> Iterator[Store]:
    """
    The store, which remembers its statements from one test to the next, and stays connected.
    """
    made = Store(store_url)
    yield made
    made.close()


@cache
def _emptied() -> str:
    """
    What takes all from a store, in one go. Only who owns the tables can lift what keeps the journal.
    """
    names = [table.name for table in reversed(Base.metadata.sorted_tables)]
    kept = [name for name in names if name.startswith("journal")]
    lifted = [f"ALTER TABLE {name} DISABLE TRIGGER USER" for name in kept]
    back = [f"ALTER TABLE {name} ENABLE TRIGGER USER" for name in kept]
    return "; ".join([*lifted, *(f"DELETE FROM {name}" for name in names), *back])


@pytest.fixture(scope="session")
def the_four(
    remembering_store: Store, source: Source, tmp_path_factory: pytest.TempPathFactory
) -> list[dict[str, Any]]:
    """
    The four people of the demonstration, as their rows stand in a store; each test has them anew.
    """
    folder = tmp_path_factory.mktemp("four")
    with remembering_store.session() as session:
        session.connection().exec_driver_sql(_emptied())
    seed_people(Services(remembering_store, source, folder, folder))
    with remembering_store.session() as session:
        rows = session.execute(sa.select(Person.__table__).order_by(Person.id)).mappings()
        return [{name: value for name, value in row.items() if name != "id"} for row in rows]


@pytest.fixture
def services(
    remembering_store: Store, source: Source, the_four: list[dict[str, Any]], tmp_path: Path
) -> Iterator[Services]:
    """
    Services on an empty store with the four people, at the tests' moment.
    """
    store = remembering_store
    made = Services(
        store,
        source,
        tmp_path / "files",
        tmp_path / "outgoing",
        clock=lambda: NOW,
        vault=Vault(Fernet.generate_key().decode()),
    )
    with store.session() as session:
        session.connection().exec_driver_sql(_emptied())
        session.execute(Person.__table__.insert(), the_four)
    yield made
    made.ledger.close()
    made.storage.close()


@pytest.fixture
def people(services: Services) -> dict[str, Any]:
    """
    The four people, by first name.
    """
    from sqlalchemy import select

    from bouquet.store.models import Person

    with services.store.session() as session:
        return {p.name.split()[0].lower(): p for p in session.scalars(select(Person))}


@pytest.fixture
def shell(services: Services, marrowby: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Any]:
    """
    Calls of `bouquet` with the tests' settings.
    """
    from typer.testing import CliRunner

    from bouquet.cli import app
    from bouquet.settings import settings as of_the_house

    for name, value in {
        "STORE_URL": services.store.url,
        "SOURCE_URL": marrowby,
        "SOURCE_CATALOGUE": CATALOGUE,
        "FILES": services.files,
        "OUTGOING": services.outgoing,
        "ENV_FILE": tmp_path / "none",
    }.items():
        monkeypatch.setenv(f"BOUQUET_{name}", str(value))
    of_the_house.cache_clear()
    yield lambda *arguments, **more: CliRunner().invoke(app, [str(a) for a in arguments], **more)
    of_the_house.cache_clear()


@sa.event.listens_for(Run.slip, "set")
def _slip_is_as_described(run: Run, slip: Any, *_: Any) -> None:
    """Every slip that any test comes by says what its description has, and nothing else."""
    if slip is not None:
        SlipDocument.model_validate(slip)


@sa.event.listens_for(Run.findings, "set")
def _findings_are_as_described(run: Run, findings: Any, *_: Any) -> None:
    for finding in findings or ():
        FindingDocument.model_validate(finding)


@sa.event.listens_for(Run.error, "set")
def _error_is_as_described(run: Run, error: Any, *_: Any) -> None:
    if error is not None:
        ErrorDocument.model_validate(error)
