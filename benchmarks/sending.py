"""
Sending: one template in several forms, a thousand deliveries that wait, and how soon a file is there.
"""

from __future__ import annotations

import os
import statistics
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import sqlalchemy as sa

from benchmarks.database import FOLDER, BenchDatabase, Measured, measure_apart, wide_document
from benchmarks.runs import SMALL, WORKERS, services_on, workers_of
from bouquet.demo.post_room import (
    Room,
    StandIn,
    mail_stand_in,
    sftp_stand_in,
    store_stand_in,
    webhook_stand_in,
)
from bouquet.rounds import NEVER, make_queue, run_now
from bouquet.runs import Services, ask_for_run, execute
from bouquet.store.models import Delivery, Means, Person, Recipient, Round, RoundRecipient, Run, TemplateVersion
from bouquet.store.models import TemplateRecord as Record
from bouquet.store.secrets import Vault, new_key

__all__ = ["forms", "large", "sending"]

RECIPIENTS, DELIVERIES, TURNS = 50, 1_000, 9

#: Seconds that the deliveries may take before the measurement is given up.
LONGEST = 180


#: Each way out, and where its large file goes.
WAYS: dict[str, dict[str, Any]] = {
    "folder": {"folder": "large", "mode": "replace"},
    "mail": {"to": ["desk@bench.example"]},
    "sftp": {"folder": "large", "mode": "replace"},
    "webhook": {},
    "store": {"prefix": "large", "replace": True},
    "link": {},
}


def forms(url: str, say: Callable[..., None], rows: int = 1_000_000, times: int = 3) -> None:
    """
    Five recipients with five forms of one template, beside the template alone.
    """
    pairs = [(measure_apart("run_file", url, rows, "csv"), measure_apart("run_forms", url, rows)) for _ in range(times)]
    ratio = statistics.median(b.seconds / a.seconds for a, b in pairs)
    seconds = statistics.median(b.seconds for _, b in pairs)
    most = max(b.megabytes for _, b in pairs)
    said = f"{ratio:.2f} × the template's own file alone"
    say(f"{rows:,} rows in five forms for five recipients", f"{seconds:.1f} s", f"{most:.0f} MB", said, "2.5 ×, 250 MB")


def sending(database: BenchDatabase, say: Callable[..., None]) -> None:
    """
    A thousand small deliveries to fifty recipients with two workers; and from a run's end to its receipt.
    """
    os.environ.setdefault("BOUQUET_SECRET_KEY", "")
    room = Room(FOLDER / "room")
    stand_in = webhook_stand_in(room, "")
    try:
        with services_on(database) as services:
            recipients = _recipients(services, stand_in)
            run_id = ask_for_run(services, SMALL, person=None, via="hand").id
            execute(services, run_id)
            with workers_of(services, database.url):
                _thousand(services, run_id, recipients, room, say)
                _receipts(services, recipients[0], room, say)
    finally:
        stand_in.stop()


def large(database: BenchDatabase, say: Callable[..., None], rows: int = 1_000_000) -> None:
    """
    A large file and a small one by each way, each in a process of its own: its memory does not grow with the file.
    """
    key, room = new_key(), Room(FOLDER / "large-room", hang=5.0)
    stand_ins = {
        s.way: s
        for s in (
            mail_stand_in(room),
            sftp_stand_in(room, "bench-only"),
            webhook_stand_in(room, "bench-only"),
            store_stand_in(room, "bench"),
        )
    }
    try:
        with services_on(database) as services:
            services.vault = Vault(key)
            files = [_file_of(services, document) for document in (SMALL, wide_document(rows))]
            for way, address in WAYS.items():
                sent = [_sent(services, stand_ins.get(way), way, address, run, key) for run, _ in files]
                what = f"{files[1][1] / 1e6:.0f} MB by {way}"
                more = f"{sent[1].megabytes - sent[0].megabytes:+.0f} MB beside a small file"
                say(what, f"{sent[1].seconds:.1f} s", f"{sent[1].megabytes:.0f} MB", more, "flat, 250 MB")
    finally:
        for one in stand_ins.values():
            one.stop()


def _file_of(services: Services, document: dict[str, Any]) -> tuple[int, int]:
    """
    (run, bytes) of a document that was run.
    """
    run_id = ask_for_run(services, document, person=None, via="hand").id
    execute(services, run_id)
    with services.store.session() as session:
        return run_id, sum(f.size for f in session.get_one(Run, run_id).files)


def _sent(
    services: Services, stand_in: StandIn | None, way: str, address: dict[str, Any], run_id: int, key: str
) -> Measured:
    now = services.clock()
    with services.store.session() as session:
        person = session.scalars(sa.select(Person.id)).first()
        settings = {} if stand_in is None else stand_in.settings
        secret = services.vault.seal(stand_in.secret) if stand_in is not None and stand_in.secret else ""
        means = Means(name=f"{way} {run_id}", kind=way, settings=settings, secret=secret, created_at=now)
        session.add(means)
        session.flush()
        facts: dict[str, Any] = {"acceptance": {}, "address": address, "created_by": person, "created_at": now}
        to = Recipient(name=f"{way} {run_id}", means_id=means.id, **facts)
        session.add(to)
        session.flush()
        files = [f.id for f in session.get_one(Run, run_id).files]
        facts = {"files": files, "entered_at": now, "next_at": now, "progress": {}}
        session.add(Delivery(run_id=run_id, recipient_id=to.id, identity=f"{way}-{run_id}", **facts))
        recipient = to.id
    return measure_apart("send_file", services.store.url, key, recipient)


def _recipients(services: Services, stand_in: StandIn) -> list[int]:
    now = services.clock()
    with services.store.session() as session:
        person = session.scalars(sa.select(Person.id)).first()
        means = Means(name="desk", kind="webhook", settings=stand_in.settings, created_at=now)
        session.add(means)
        session.flush()
        made = [
            Recipient(name=f"desk {n}", acceptance={}, means_id=means.id, address={}, created_by=person, created_at=now)
            for n in range(RECIPIENTS)
        ]
        session.add_all(made)
        session.flush()
        return [r.id for r in made]


def _thousand(services: Services, run_id: int, recipients: list[int], room: Room, say: Callable[..., None]) -> None:
    # The workers begin before the clock does.
    time.sleep(4)
    now = services.clock()
    with services.store.session() as session:
        files = [f.id for f in session.get_one(Run, run_id).files]
        session.add_all(
            Delivery(
                run_id=run_id,
                recipient_id=recipients[n % RECIPIENTS],
                number=n // RECIPIENTS + 1,
                identity=f"bench-{n}",
                files=files,
                entered_at=now,
                next_at=now,
                progress={},
            )
            for n in range(DELIVERIES)
        )
    began = time.perf_counter()
    while len(room.arrivals) < DELIVERIES:
        if time.perf_counter() - began > LONGEST:
            raise TimeoutError(f"{len(room.arrivals)} of {DELIVERIES} deliveries arrived in time")
        time.sleep(0.05)
    seconds = time.perf_counter() - began
    said = f"{DELIVERIES / seconds:.0f} a second"
    say(
        f"{DELIVERIES:,} deliveries to {RECIPIENTS} recipients, {WORKERS} workers", f"{seconds:.1f} s", "", said, "60 s"
    )


def _receipts(services: Services, recipient: int, room: Room, say: Callable[..., None]) -> None:
    """
    Seconds from the end of a run to the arrival of its file.
    """
    now = services.clock()
    with services.store.session() as session:
        person = session.scalars(sa.select(Person.id)).first()
        facts: dict[str, Any] = {"draft_changed_at": now, "draft_changed_by": person, "owner_id": person}
        record = Record(name="Wards of the bench", draft=SMALL, version=1, deleted_at=None, **facts)
        session.add(record)
        session.flush()
        round_ = Round(
            template_id=record.id, rhythm={"times": ["06:00"]}, zone="UTC", folder="", format="csv", next_at=NEVER,
            trigger="called", created_by=person, deleted_at=None,
        )  # fmt: skip
        round_.recipients = [RoundRecipient(recipient_id=recipient, position=0)]
        session.add(round_)
        session.flush()
        session.add(
            TemplateVersion(template_id=record.id, number=1, document=SMALL, note="", saved_by=person, saved_at=now)
        )
        round_id = round_.id
    queue = make_queue(services)
    waits = []
    with queue.opened():
        for _ in range(TURNS):
            known = len(room.arrivals)
            with services.store.session() as session:
                run = run_now(services, session, round_id, services.clock())
            queue.put(run.id)
            while len(room.arrivals) == known:
                time.sleep(0.005)
            with services.store.session() as session:
                ended = session.get_one(Run, run.id).finished_at
            assert ended is not None
            waits.append((room.arrivals[-1].at - ended).total_seconds())
    seconds = statistics.median(waits)
    say("From a run's end to its file's arrival, webhook", f"{seconds * 1000:.0f} ms", "", "", "1 s")


if __name__ == "__main__":
    found = BenchDatabase(Path(".demo/bench"))
    found.prepare()
    forms(found.url, print, 200_000)
    sending(found, print)
