"""
Deliveries: what became of each, and what people do about it.
"""

from __future__ import annotations

from typing import Annotated, Any

import sqlalchemy as sa
from fastapi import APIRouter, Depends, Query, Request

from bouquet.core.language import tr
from bouquet.delivery import take_back, way_of, words_of
from bouquet.delivery.link import digest_of, link_secret
from bouquet.rights import may_send, recipient_for
from bouquet.runs import Services
from bouquet.store import NotFound
from bouquet.store import deliveries as outbox
from bouquet.store import runs as ledger
from bouquet.store.models import Delivery, Link, Person, Run
from bouquet.store.outgoing import content_of
from bouquet.web.access import CurrentPerson, Id, TheQueue, TheServices, WholeNumber, check_may_send, needs
from bouquet.web.bodies import ExactRoute
from bouquet.web.problems import Refused
from bouquet.web.routers.feeds import house_of
from bouquet.web.schemas.deliveries import DeliveryAct, DeliveryOut, DeliveryPage, EventOut, LinkOut

router = APIRouter(
    route_class=ExactRoute, prefix="/deliveries", tags=["deliveries"], dependencies=[Depends(needs("look"))]
)

#: Deliveries of a page.
PAGE = 50

Designer = Annotated[Person, Depends(needs("design"))]


@router.get("", response_model=DeliveryPage)
def list_deliveries(
    services: TheServices,
    person: CurrentPerson,
    recipient: WholeNumber | None = None,
    run: WholeNumber | None = None,
    round: WholeNumber | None = None,
    state: Annotated[list[str], Query(max_length=10)] = (),  # type: ignore[assignment]
    before: WholeNumber | None = None,
) -> Any:
    """
    Deliveries of the runs that one may see, the newest first.
    """
    wanted = outbox.DeliveryFilter(recipient, run, round, tuple(state), before)
    with services.store.session() as session:
        visible = sa.select(Run.id).where(ledger.visible_runs(person))
        found = outbox.list_deliveries(session, wanted, PAGE + 1, visible)
        out = [_out(services, person, d, session.get_one(Run, d.run_id)) for d in found[:PAGE]]
    return DeliveryPage(deliveries=out, next=found[PAGE - 1].id if len(found) > PAGE else None)


@router.get("/{delivery_id}", response_model=DeliveryOut)
def get_delivery(delivery_id: Id, services: TheServices, person: CurrentPerson) -> Any:
    """
    One delivery.
    """
    with services.store.session() as session:
        found = outbox.get_delivery(session, delivery_id)
        return _out(services, person, found, ledger.see_run(session, found.run_id, person))


@router.post("/{delivery_id}", response_model=DeliveryOut)
def act_on_delivery(
    delivery_id: Id, body: DeliveryAct, services: TheServices, queue: TheQueue, person: Designer
) -> Any:
    """
    Send now, send again or to somebody else, do without, take back.
    """
    now, reason = services.clock(), body.reason.strip()
    if body.act in ("waive", "withdraw") and not reason:
        raise Refused(422, "no_reason", tr("Say why; it stands in the ledger."))
    with services.store.session() as session:
        first = outbox.get_delivery(session, delivery_id)
        ledger.see_run(session, first.run_id, person)
        if body.act in ("now", "again"):
            to = recipient_for(session, person, body.recipient_id) if body.recipient_id is not None else first.recipient
            check_may_send(person, to)
    if body.act == "withdraw":
        take_back(services, delivery_id, person.name, reason)
    with services.store.session() as session:
        if body.act == "now":
            found = outbox.send_now(session, delivery_id, person.name, now)
        elif body.act == "again":
            found = outbox.send_again(session, delivery_id, person.name, now, body.recipient_id, person.id)
        elif body.act == "waive":
            found = outbox.waive(session, delivery_id, person.name, reason, now)
        else:
            found = outbox.get_delivery(session, delivery_id)
        session.flush()
        session.refresh(found)
        out, line = _out(services, person, found, session.get_one(Run, found.run_id)), found.line
    queue.put_recipient(*line)
    return out


@router.get("/{delivery_id}/link", response_model=LinkOut)
def get_link(delivery_id: Id, request: Request, services: TheServices, person: Designer) -> Any:
    """
    The address at which a delivery can be fetched without signing in, to be passed on.
    """
    with services.store.session() as session:
        found = outbox.get_delivery(session, delivery_id)
        ledger.see_run(session, found.run_id, person)
        check_may_send(person, found.recipient)
        link = session.get(Link, delivery_id)
        secret = link_secret(services, found.identity)
        if link is None or link.withdrawn_at is not None or link.expires_at < services.clock():
            raise NotFound(tr("This delivery has no link that holds."))
        if link.digest != digest_of(secret):
            raise NotFound(tr("The house's key changed since this link was made. Send it again for a new one."))
        return LinkOut(
            address=f"{house_of(request)}/take/{secret}",
            expires_at=link.expires_at,
            fetched=sum(int(n) for n in link.fetches.values()),
            passphrase=bool(link.passphrase_hash),
        )


def _out(services: Services, person: Person, found: Delivery, run: Run) -> DeliveryOut:
    means = found.means
    names = {f.id: f.name for f in run.files}
    return DeliveryOut(
        id=found.id,
        run_id=found.run_id,
        run=run.name,
        recipient_id=found.recipient_id,
        recipient=found.recipient.name,
        means=means.name,
        kind=means.kind,
        where=words_of(services, means, found.address),
        number=found.number,
        must=found.must,
        may_send=may_send(person, found.recipient),
        state=found.state,
        why=found.why,
        reply=found.reply,
        tries=found.tries,
        files=[names.get(n, "a file") for n in found.files],
        rows=content_of(run, found)[0],
        entered_at=found.entered_at,
        next_at=found.next_at,
        tried_at=found.tried_at,
        arrived_at=found.arrived_at,
        withdraws=way_of(means.kind).withdraws,
        events=[EventOut.model_validate(e, from_attributes=True) for e in found.events],
    )
