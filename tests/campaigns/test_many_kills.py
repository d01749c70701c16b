"""
Two hundred kills and six restarts of the database, while real workers work: `make faults`, a quarter of an hour.

Everything asked for is accounted for in the end: each run has its files, each delivery is there once, each comparison
is made, and nothing is left over.
"""

from __future__ import annotations

import csv
import hashlib
import os
import random
import signal
import time
from contextlib import ExitStack
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
import sqlalchemy as sa

from bouquet.demo.cluster import Cluster
from bouquet.rounds.calendar import enter_run
from bouquet.runs import Queue, Services, ask_for_run, sweep_files
from bouquet.runs.comparing import AT_ONCE, key_of
from bouquet.store import comparisons
from bouquet.store import templates as shelf
from bouquet.store.models import ComparisonRecord, Person, Round, Run
from tests.runs.test_runs import DOCUMENT, LARGE, server, wait_for

KILLS = int(os.environ.get("BOUQUET_KILLS", "200"))
#: Rounds of kills between two restarts of the database: six restarts in two hundred kills.
EACH = 25
MODES = ("new", "replace", "append")
#: Runs that wait at any time, so that a kill nearly always meets one at work.
WAITING = 12


def now() -> datetime:
    return datetime.now(UTC)


def add_rounds(services: Services, person: Person) -> dict[str, int]:
    """A paused round for each way to deliver; the campaign enters their runs itself."""
    made = {}
    with services.store.session() as session:
        template = shelf.add_template(session, DOCUMENT, "", person, now())
        shelf.save_version(session, template.id, "", person, now())
        for mode in MODES:
            found = Round(
                template_id=template.id, rhythm={"times": ["06:00"]}, zone="UTC", folder=mode, format="csv",
                mode=mode, next_at=now() + timedelta(days=30), created_by=person.id, paused=True, deleted_at=None,
            )  # fmt: skip
            session.add(found)
            session.flush()
            made[mode] = found.id
    return made


class Campaign:
    def __init__(self, services: Services, person: Person) -> None:
        self.services, self.person = services, person
        self.queue = Queue(services)
        self.rounds = add_rounds(services, person)
        self.rng = random.Random(26)

    def ask(self) -> None:
        """One more piece of work, of any kind."""
        kind = self.rng.choice(["small", "large", "sheet", *MODES])
        if kind in MODES:
            with self.services.store.session() as session:
                run_id = enter_run(self.services, session, session.get_one(Round, self.rounds[kind]), now()).id
        else:
            document = DOCUMENT if kind == "small" else LARGE
            format = "xlsx" if kind == "sheet" else None
            run_id = ask_for_run(self.services, document, person=self.person, via="hand", format=format).id
        if self.rng.random() < 0.8:  # the rest is forgotten, and must be found
            self.queue.put(run_id)

    def compare(self) -> None:
        """The two newest large runs, by a worker."""
        with self.services.store.session() as session:
            ready = session.scalars(
                sa.select(Run).where(Run.status == "ready", Run.rows_written > AT_ONCE).order_by(Run.id.desc()).limit(2)
            ).all()
        if len(ready) == 2:
            after, before = ready
            key = list(key_of(self.services, before, after))
            with self.services.store.session() as session:
                found = comparisons.put(session, before.id, after.id, key, now())
            self.queue.put_comparison(found.id)

    def count(self, *statuses: str) -> int:
        with self.services.store.session() as session:
            return len(session.scalars(sa.select(Run.id).where(Run.status.in_(statuses))).all())

    def attempts(self) -> int:
        with self.services.store.session() as session:
            return session.scalar(sa.select(sa.func.sum(Run.attempt))) or 0

    def compared(self) -> list[str]:
        with self.services.store.session() as session:
            return list(session.scalars(sa.select(ComparisonRecord.status)))


@pytest.mark.campaign
@pytest.mark.timeout(3_600)
def test_everything_asked_for_is_accounted_for(
    services: Services, people: dict[str, Any], marrowby: str, tmp_path: Path, cluster: Cluster
) -> None:
    """Whatever dies when: every run has exactly its files, every delivery is there once."""
    real = replace(services, clock=now)
    campaign = Campaign(real, people["ines"])
    folders = [tmp_path / name for name in ("one", "two")]
    for folder in folders:
        folder.mkdir()
    with campaign.queue.opened():
        killed = 0
        for kill in range(KILLS):
            if killed >= KILLS:
                break
            while campaign.count("asked") < WAITING:
                campaign.ask()
            if kill % 20 == 10:
                campaign.compare()
            before = campaign.attempts()
            with ExitStack() as stack:
                workers = [stack.enter_context(server(real, marrowby, folder)) for folder in folders[: 1 + kill % 2]]
                # Killed at work, and not while it starts.
                wait_for(lambda before=before: campaign.attempts() > before, 60)
                time.sleep(campaign.rng.uniform(0.0, 2.5))
                if kill % EACH == 0:
                    cluster.stop(always=True)
                    cluster.start()
                for worker in workers:
                    os.kill(worker.pid, signal.SIGKILL)
                    killed += 1
        with server(real, marrowby, folders[0]), server(real, marrowby, folders[1]):
            wait_for(lambda: not campaign.count("asked", "running") and "asked" not in campaign.compared(), 600)

    with real.store.session() as session:
        runs = session.scalars(sa.select(Run).options(sa.orm.selectinload(Run.files))).all()
    assert [(r.id, r.status, r.error) for r in runs if r.status != "ready"] == []
    assert set(campaign.compared()) <= {"ready"}
    check_files(real, runs)
    check_deliveries(real, {m: [r for r in runs if r.round_id == campaign.rounds[m]] for m in MODES})
    assert max(r.attempt for r in runs) > 1
    print(
        f"{killed} kills, {len(runs)} runs, {max(r.attempt for r in runs)} attempts at most, {len(campaign.compared())} comparisons"
    )


def check_files(services: Services, runs: Any) -> None:
    """The store has the files of the ledger, and no other."""
    for run in runs:
        (file,) = [f for f in run.files if f.role == "data"]
        path = services.storage.local(file.path)
        assert path is not None
        assert hashlib.sha256(path.read_bytes()).hexdigest() == file.sha256
        assert run.rows_written == run.rows_announced
    swept = sweep_files(replace(services, clock=lambda: now() + timedelta(days=1)), repair=False)
    assert (swept.orphans, swept.missing, swept.changed) == ([], [], [])


def check_deliveries(services: Services, of_mode: dict[str, list[Run]]) -> None:
    """Each new file once under a name of its own, one replaced file, one that grew by every run."""

    def rows(path: Path) -> int:
        with path.open(newline="", encoding="utf-8") as file:
            return sum(1 for _ in csv.reader(file)) - 1

    there = {mode: sorted((services.outgoing / mode).iterdir()) for mode in MODES if of_mode[mode]}
    names = [f"{path.parent.name}/{path.name}" for path in there.get("new", [])]
    assert sorted(names) == sorted(name for run in of_mode["new"] for name in run.delivered_to)
    assert {rows(path) for path in there.get("new", [])} <= {12}
    assert [rows(path) for path in there.get("replace", [])] == [12] * bool(of_mode["replace"])
    assert [rows(path) for path in there.get("append", [])] == [12 * len(of_mode["append"])] * bool(of_mode["append"])
