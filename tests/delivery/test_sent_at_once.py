"""
Deliveries that several people decide about at the same moment.
"""

from __future__ import annotations

import time
from collections import Counter
from concurrent.futures import ThreadPoolExecutor

from bouquet.store import NotPossible
from bouquet.store import deliveries as outbox
from tests.delivery.conftest import Sending


def test_what_two_send_again_at_the_same_moment_goes_once(sending: Sending) -> None:
    """The second is told that it is on its way; so is who sends another delivery of the run to the same recipient."""
    one, two, other = (sending.recipient("webhook", name) for name in ("one", "two", "other"))
    run = sending.run([one, two])
    sending.send()
    ids = [d.id for d in sending.deliveries(run)]

    def again(delivery_id: int, to: int | None = None) -> str:
        with sending.services.store.session() as session:
            try:
                outbox.send_again(session, delivery_id, "Ines", sending.now, to)
            except NotPossible as error:
                return str(error)
            time.sleep(0.05)
            return "sent"

    with ThreadPoolExecutor(4) as pool:
        same = list(pool.map(again, [ids[0]] * 4))
        elsewhere = list(pool.map(again, ids * 2, [other] * 4))
    for said in (same, elsewhere):
        assert said.count("sent") == 1
        assert all("on its way to" in why or "under way" in why for why in said if why != "sent")
    sending.send()
    assert Counter(d.recipient_id for d in sending.deliveries(run)) == {one: 2, two: 1, other: 1}
