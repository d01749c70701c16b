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

WORKER = """
import sys, random
from pathlib import Path
from bouquet.delivery import deliver_due
from bouquet.delivery import outbox
from bouquet.runs import Services
from bouquet.store import Store
from bouquet.store.deliveries import due_recipients
from bouquet.store.secrets import Vault
import time
store, files, outgoing, key = sys.argv[1:5]
services = Services(Store(store), None, Path(files), Path(outgoing), vault=Vault(key), delivery_pauses=(0.2,) * 60)
while True:
    with services.store.session() as session:
        due = due_recipients(session, services.clock())
    random.shuffle(due)
    for recipient in due:
        deliver_due(services, recipient)
    time.sleep(0.05)
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
    worker: list[subprocess.Popen[bytes]] = []
    chance = random.Random(os.environ.get("BOUQUET_SEED", "1"))

    def start() -> None:
        arguments = [store_url, str(services.storage.folder), str(services.outgoing), services.vault._newest.decode()]
        worker.append(subprocess.Popen([sys.executable, "-c", WORKER, *arguments]))

    for _ in range(3):
        start()
    until = time.monotonic() + 900
    open_: Any = None
    while time.monotonic() < until:
        time.sleep(chance.uniform(0.05, 0.5))
        if kills < KILLS:
            room.tell(chance.choice(("mail", "sftp", "webhook", "store")), chance.choice(("busy", "cut", "full")), 1)
            dead = worker.pop(chance.randrange(len(worker)))
            dead.send_signal(signal.SIGKILL)
            dead.wait()
            kills += 1
            start()
        with services.store.session() as session:
            open_ = session.scalar(sa.select(sa.func.count()).where(Delivery.next_at.is_not(None)))
        if not open_ and kills >= KILLS:
            break
    for one in worker:
        one.kill()
        one.wait()
    with services.store.session() as session:
        found = session.scalars(sa.select(Delivery)).all()
        states = Counter(d.state for d in found)
        sent = [(d.identity, d.recipient.means.kind, d.reply) for d in found]
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
