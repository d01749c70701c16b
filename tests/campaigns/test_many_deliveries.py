"""
Many deliveries over all ways while workers are killed and the other sides misbehave: in the end each arrived, exactly
once where that can be proven, with one identity elsewhere.
"""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
import time
from collections import Counter
from typing import Any

import pytest
import sqlalchemy as sa

from bouquet.demo.post_room import Room
from bouquet.store.models import Delivery
from tests.delivery.conftest import Sending
from tests.runs.test_review import WARDS

#: What the campaign does; `make faults` asks for more.
DELIVERIES = int(os.environ.get("BOUQUET_DELIVERIES", "500"))
KILLS = int(os.environ.get("BOUQUET_DELIVERY_KILLS", "100"))

WAYS = ("mail", "sftp", "webhook", "store", "folder")

#: Begins anew whenever it is killed: what takes long to begin is done once, and what is killed is a copy of it.
WORKER = """
import os, random, sys, time
from pathlib import Path
from bouquet.delivery import deliver_due
from bouquet.runs import Services
from bouquet.store import Store
from bouquet.store.deliveries import due_lines
from bouquet.store.secrets import Vault

def work():
    store, files, outgoing, key = sys.argv[1:5]
    services = Services(Store(store), None, Path(files), Path(outgoing), vault=Vault(key), delivery_pauses=(0.2,) * 60)
    while True:
        with services.store.session() as session:
            due = due_lines(session, services.clock())
        random.shuffle(due)
        for line in due:
            deliver_due(services, *line)
        time.sleep(0.02)

while True:
    child = os.fork()
    if not child:
        work()
    print(child, flush=True)
    os.waitpid(child, 0)
"""


def place(way: str, n: int) -> dict[str, Any]:
    """A place of each recipient's own, so that a file that came twice would show."""
    return {"folder": f"{way}-{n}", "mode": "new"} if way in ("sftp", "folder") else {}


@pytest.mark.campaign
def test_every_delivery_arrives_however_often_workers_die(sending: Sending, room: Room, store_url: str) -> None:
    services = sending.services
    recipients = [sending.recipient(way, f"{way} {n}", **place(way, n)) for way in WAYS for n in range(2)]
    runs = []
    for n in range(DELIVERIES // 5):
        chosen = random.sample(recipients, 5)
        document = {**WARDS, "name": f"Wards {n}", "output": {"name": f"wards-{n}"}}
        runs.append(sending.run(chosen, document).id)
    kills = 0
    chance = random.Random(os.environ.get("BOUQUET_SEED", "1"))
    arguments = [store_url, str(services.storage.folder), str(services.outgoing), services.vault._newest.decode()]
    workers = [
        subprocess.Popen([sys.executable, "-c", WORKER, *arguments], stdout=subprocess.PIPE, text=True)
        for _ in range(3)
    ]
    children = [int(w.stdout.readline()) for w in workers]  # type: ignore[union-attr]
    until = time.monotonic() + 600
    open_: Any = None
    try:
        while time.monotonic() < until:
            time.sleep(chance.uniform(0.01, 0.2))
            with services.store.session() as session:
                open_ = session.scalar(sa.select(sa.func.count()).where(Delivery.next_at.is_not(None)))
            if not open_:
                break
            if kills < KILLS:
                ways = ("mail", "sftp", "webhook", "store")
                room.tell(chance.choice(ways), chance.choice(("busy", "cut", "full", "mute", "hang")), 1)
                n = chance.randrange(len(workers))
                os.kill(children[n], signal.SIGKILL)
                children[n] = int(workers[n].stdout.readline())  # type: ignore[union-attr]
                kills += 1
    finally:
        for worker, child in zip(workers, children, strict=True):
            worker.kill()
            os.kill(child, signal.SIGKILL)
            worker.communicate()
    with services.store.session() as session:
        found = session.scalars(sa.select(Delivery)).all()
        states = Counter(d.state for d in found)
        sent = [(d.identity, d.means.kind, d.reply) for d in found]
        copies = [p.name for p in services.outgoing.rglob("*.csv") if p.name.count("-") > 1]
    print(f"{len(found)} deliveries, {kills} kills, {sum(d.tries for d in found)} tries, {dict(states)}")
    assert (states, open_) == (Counter({"arrived": len(found)}), 0)
    names = Counter(
        (a.way, a.facts.get("folder", a.facts.get("key", "")), a.name)
        for a in room.arrivals
        if a.way in ("sftp", "store")
    )
    for identity, way, reply in sent:
        if way == "webhook":
            taken = [a for a in room.arrivals if a.facts.get("idempotency-key", "").startswith(identity)]
            assert taken
            assert len({a.sha256 for a in taken}) == 1
            assert len(taken) == 1 or "perhaps twice" in reply
        if way == "mail":
            taken = [a for a in room.arrivals if identity in a.facts.get("message_id", "")]
            assert taken
            assert len({a.facts["message_id"] for a in taken}) == 1
            assert len(taken) == 1 or "perhaps twice" in reply
    # Where it can be looked up, nothing came under a second name.
    assert not [name for _, _, name in names if name.count("-") > 1]
    assert not copies
    assert max(names.values()) == 1
    assert len(runs) * 5 == len(found)
