"""
Workers killed before single steps of what a round does: each moment has one run, each record arrives once.
"""

from __future__ import annotations

import csv
import json
import os
import random
import subprocess
import sys
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from typing import Any

import psycopg
import pytest
import sqlalchemy as sa

from bouquet.runs import Services
from bouquet.sources import Source
from bouquet.store import templates as shelf
from bouquet.store.models import Occurrence, Remembered, Round, Run
from bouquet.store.rounds import NEVER
from tests.conftest import OwnCluster

#: Kills around each step of each kind of round; `make faults` has more.
KILLS = int(os.environ.get("BOUQUET_KILLS_A_STEP", "2"))

#: Workers that do the same at the same time as the one that is killed.
BESIDE = 2

BEGIN = datetime(2026, 11, 23, 9, tzinfo=UTC)

CRATES = {
    "name": "Crates",
    "records": "crate",
    "columns": [{"id": "a", "heading": "Crate", "value": {"field": "crate_id"}}],
    "zone": "UTC",
    "only": "new",
}

TABLES = """
CREATE TABLE crate (crate_id int PRIMARY KEY);
GRANT USAGE ON SCHEMA public TO marrowby_reader; GRANT SELECT ON ALL TABLES IN SCHEMA public TO marrowby_reader;
"""


class Yard:
    """A yard where crates come in, a round that sends the new ones, and workers that can be killed."""

    def __init__(self, services: Services, crates: psycopg.Connection[Any], workers: subprocess.Popen[str]) -> None:
        self.services, self.crates, self.workers = services, crates, workers
        self.now, self.come = BEGIN, 0

    def set(self, person: Any, kind: str) -> None:
        """A round of a day, or of what appears."""
        appears = kind == "appears"
        with self.services.store.session() as session:
            record = shelf.add_template(session, CRATES, "", person, BEGIN)
            shelf.save_version(session, record.id, "", person, BEGIN)
            session.add(
                Round(
                    template_id=record.id,
                    rhythm={} if appears else {"times": ["09:00"]},
                    zone="UTC",
                    folder="yard",
                    format="csv",
                    mode="append" if kind == "append" else "new",
                    created_by=person.id,
                    trigger="appears" if appears else "calendar",
                    event={},
                    watch={"every": 10},
                    look_at=BEGIN,
                    next_at=NEVER if appears else BEGIN + timedelta(days=1),
                )
            )

    def day(self) -> None:
        """The next day, on which some crates come in."""
        self.now += timedelta(days=1)
        for _ in range(3):
            self.come += 1
            self.crates.execute("INSERT INTO crate VALUES (%s)", [self.come])

    def do(self, work: list[str], *fatal: int | None) -> list[int | None]:
        """Workers at the same time; for each the step before which it is killed, or nothing."""
        orders = [{"work": work, "clock": self.now.isoformat(), "fatal": f} for f in fatal]
        assert self.workers.stdin is not None
        assert self.workers.stdout is not None
        print(json.dumps(orders), file=self.workers.stdin, flush=True)
        found: list[int | None] = json.loads(self.workers.stdout.readline())
        return found

    def arrived(self) -> Counter[str]:
        found: Counter[str] = Counter()
        for path in (self.services.outgoing / "yard").iterdir():
            with path.open(newline="", encoding="utf-8") as file:
                found.update(row[0] for row in list(csv.reader(file))[1:])
        return found


@contextmanager
def mortal_workers(services: Services, source: str) -> Iterator[subprocess.Popen[str]]:
    arguments = [services.store.url, source, str(services.files), str(services.outgoing)]
    with subprocess.Popen(
        [sys.executable, "-m", "tests.rounds.mortal", *arguments],
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
    ) as workers:  # fmt: skip
        yield workers
        assert workers.stdin is not None
        workers.stdin.close()
        workers.wait(30)


@pytest.fixture
def yard(services: Services, cluster: OwnCluster) -> Iterator[Yard]:
    cluster.drop_database("mortal_test")
    cluster.ensure_database("mortal_test", "marrowby_owner")
    source = cluster.url("mortal_test", "marrowby_reader", "test-only")
    services.sources.fixed = Source("yard", source)
    with psycopg.connect(cluster.url("mortal_test", "marrowby_owner", "test-only"), autocommit=True) as crates:
        crates.execute(TABLES)
        with mortal_workers(services, source) as workers:
            yield Yard(services, crates, workers)
    services.sources.fixed.close()


@pytest.mark.parametrize("kind", ["new", *(pytest.param(k, marks=pytest.mark.thorough) for k in ("append", "appears"))])
def test_each_moment_has_one_run_and_each_record_arrives_once(yard: Yard, people: dict[str, Any], kind: str) -> None:
    """Whatever the step before which a worker dies, and whoever works beside it."""
    yard.set(people["ines"], kind)
    begin = "look" if kind == "appears" else "tick"
    yard.day()
    steps = {part: yard.do([part], None)[0] or 0 for part in (begin, "work")}
    chance, killed = random.Random(26), 0
    for part, most in steps.items():
        for fatal in sorted(chance.sample(range(1, most + 1), min(KILLS, most))):
            yard.day()
            if part == "work":
                yard.do([begin], None)
            # Several ticks meet, and who finds less to do is not killed; a run is begun anew only after its worker is
            # known to be dead.
            beside = [None] * (BESIDE * (fatal % 2) if part == begin else 0)
            killed += yard.do([part], fatal, *beside)[0] is None
            yard.do([begin, "work"], None)

    with yard.services.store.session() as session:
        runs = session.scalars(sa.select(Run)).all()
        moments = session.scalars(sa.select(Occurrence.planned_at)).all()
        remembered = session.scalar(sa.select(sa.func.count()).select_from(Remembered))
    assert {(r.status, str(r.error)) for r in runs} == {("ready", "None")}
    assert len(runs) == len(moments) == len(set(moments))
    assert yard.arrived() == {str(n): 1 for n in range(1, yard.come + 1)}
    assert remembered == yard.come
    assert killed >= KILLS
