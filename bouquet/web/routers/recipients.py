"""
Recipients: who receives what, in which form; and templates held against what they take.
"""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Depends, Request
from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.core.layout import held_against, layout_of, misfits
from bouquet.core.matching import read_header
from bouquet.core.metadata import is_metadata, layout_of_metadata
from bouquet.core.plan import across_of, resolve
from bouquet.core.template import MOST_LAYOUT_COLUMNS, Acceptance, read_acceptance, read_document
from bouquet.delivery import WrongSettings, checked_address, words_of
from bouquet.designing.recipients import fit_words, recipient_sentence, taken_words
from bouquet.rights import may_send, recipient_for, says_who_sends_to
from bouquet.runs import Services
from bouquet.runs.crossing import crossed
from bouquet.store import recipients as kept
from bouquet.store.allowed import sees
from bouquet.store.models import Delivery, Person, Recipient
from bouquet.store.sharing import checked_entries
from bouquet.web.access import CurrentPerson, Id, TheServices, TheView, check_may_send, needs
from bouquet.web.bodies import ExactRoute
from bouquet.web.problems import Refused
from bouquet.web.schemas import UnderDesign
from bouquet.web.schemas.deliveries import FitOut, FitsOut, HeaderText, LayoutOut, MoreWay, NewRecipient, RecipientOut
from bouquet.web.schemas.sharing import SharedWith

router = APIRouter(
    route_class=ExactRoute, prefix="/recipients", tags=["deliveries"], dependencies=[Depends(needs("look"))]
)

Designer = Annotated[Person, Depends(needs("design"))]


@router.get("", response_model=list[RecipientOut])
def list_recipients(services: TheServices, person: CurrentPerson) -> Any:
    """
    All recipients, each with the newest delivery to them.
    """
    with services.store.session() as session:
        found = [r for r in kept.list_recipients(session) if sees(person, r)]
        newest = kept.newest_delivery(session, [r.id for r in found])
        rounds = kept.rounds_by_recipient(session, [r.id for r in found])
        return [_recipient_told(services, person, r, newest.get(r.id), rounds[r.id]) for r in found]


@router.post("/layout", response_model=LayoutOut)
def layout_from_header(body: HeaderText, person: Designer) -> Any:
    """
    A layout from a header row, pasted or from a sample file, with the kinds that its samples show; or from metadata of
    CSV on the Web.
    """
    if is_metadata(body.text):
        return LayoutOut(acceptance=layout_of_metadata(body.text).as_document())
    header = read_header(body.text)
    if not 0 < len(header.names) <= MOST_LAYOUT_COLUMNS or not all(header.names):
        raise Refused(
            422,
            "no_header",
            tr(
                "A header row has 1 to {most_layout_columns} names, none of them blank.",
                most_layout_columns=MOST_LAYOUT_COLUMNS,
            ),
        )
    if len(set(header.names)) < len(header.names):
        twice = next(n for n in header.names if header.names.count(n) > 1)
        raise Refused(422, "twice", tr("This header row has “{twice}” more than once.", twice=twice))
    return LayoutOut(acceptance=layout_of(header).as_document())


@router.post("", response_model=RecipientOut, status_code=201)
def add_recipient(body: NewRecipient, request: Request, services: TheServices, person: Designer) -> Any:
    """
    Write down what somebody needs.
    """
    check_may_send(person)
    with services.store.session() as session:
        made = Recipient(created_by=person.id, created_at=services.clock(), **_facts(session, body))
        _share(session, made, body)
        kept.keep(session, made)
        kept.put_more_ways(session, made, _more_ways(session, body), services.clock())
        session.refresh(made)
        request.state.told = _told(made)
        return _out(services, session, person, made, None)


@router.get("/{recipient_id}", response_model=RecipientOut)
def get_recipient(recipient_id: Id, services: TheServices, person: CurrentPerson) -> Any:
    """
    One recipient.
    """
    with services.store.session() as session:
        found = recipient_for(session, person, recipient_id)
        return _out(services, session, person, found, kept.newest_delivery(session, [found.id]).get(found.id))


@router.put("/{recipient_id}", response_model=RecipientOut)
def change_recipient(
    recipient_id: Id, body: NewRecipient, request: Request, services: TheServices, person: Designer
) -> Any:
    """
    Set a recipient anew. What was sent to them stays in the ledger.
    """
    check_may_send(person)
    with services.store.session() as session:
        found = recipient_for(session, person, recipient_id, lock=True)
        if says_who_sends_to(person, found):
            _share(session, found, body)
        kept.change(session, found, _facts(session, body))
        kept.put_more_ways(session, found, _more_ways(session, body), services.clock())
        session.refresh(found)
        request.state.told = _told(found)
        return _out(services, session, person, found, kept.newest_delivery(session, [found.id]).get(found.id))


@router.delete("/{recipient_id}", status_code=204)
def remove_recipient(recipient_id: Id, services: TheServices, person: Designer) -> None:
    """
    Remove a recipient whom no round sends to.
    """
    check_may_send(person)
    with services.store.session() as session:
        recipient_for(session, person, recipient_id)
        kept.remove_recipient(session, recipient_id, services.clock())


@router.post("/{recipient_id}/fit", response_model=FitsOut)
def hold_against(recipient_id: Id, body: UnderDesign, view: TheView, services: TheServices, person: Designer) -> Any:
    """
    Hold a template, as it is designed, against a recipient's layout, column by column.
    """
    with services.store.session() as session:
        acceptance = read_acceptance(recipient_for(session, person, recipient_id).acceptance)
    template = read_document(body.document)
    plan = view.resolve(template).partial
    if plan is not None and across_of(template) is not None:
        with view.snapshot() as snapshot:
            context = crossed(snapshot, template, view.catalogue, view.context())
        plan = resolve(template, view.catalogue, context).partial
    if plan is None:
        raise Refused(422, "unsound", tr("Put the template right first."))
    fits = held_against(acceptance, plan)
    return FitsOut(
        columns=[
            FitOut(
                heading=f.heading,
                state=f.state,
                says=f.says,
                column=plan.columns[f.column].id if f.column is not None else None,
                stops=f.stops,
            )
            for f in fits
        ],
        unmet=misfits(acceptance, plan),
        words=fit_words(acceptance, fits),
    )


def _facts(session: Session, body: NewRecipient) -> dict[str, Any]:
    means = kept.get_means(session, body.means_id)
    acceptance: Acceptance = read_acceptance(body.acceptance)
    return {
        "name": kept.checked_name(body.name),
        "about": body.about.strip(),
        "means_id": means.id,
        "address": checked_address(means.kind, body.address),
        "acceptance": acceptance.as_document(),
    }


def _share(session: Session, recipient: Recipient, body: NewRecipient) -> None:
    """
    Say for whom a recipient is there; nothing changes where nothing is said.
    """
    if body.for_all is not None:
        recipient.for_all = body.for_all
    if body.shared_with is not None:
        recipient.shared_with = checked_entries(session, [e.model_dump(exclude_none=True) for e in body.shared_with])


def _told(found: Recipient) -> dict[str, Any]:
    """
    What the journal says of a recipient: by what they receive; an address may hold a passphrase.
    """
    return {"ways": [means.name for _, means, _ in found.ways]}


def _more_ways(session: Session, body: NewRecipient) -> list[tuple[int, dict[str, Any]]]:
    found = []
    for n, way in enumerate(body.more_ways):
        means = kept.get_means(session, way.means_id)
        try:
            found.append((means.id, checked_address(means.kind, way.address)))
        except WrongSettings as error:
            raise WrongSettings(
                tr("Way {number}, {means}: {error}", number=n + 2, means=means.name, error=error)
            ) from error
    return found


def _out(
    services: Services, session: Session, person: Person, found: Recipient, newest: Delivery | None
) -> RecipientOut:
    return _recipient_told(services, person, found, newest, kept.rounds_by_recipient(session, [found.id])[found.id])


def _recipient_told(
    services: Services, person: Person, found: Recipient, newest: Delivery | None, rounds: list[str]
) -> RecipientOut:
    (_, *more), ways = found.ways, [(m.kind, words_of(services, m, address)) for _, m, address in found.ways]
    return RecipientOut(
        id=found.id,
        name=found.name,
        about=found.about,
        means_id=found.means_id,
        means=found.means.name,
        kind=found.means.kind,
        where=ways[0][1],
        address=found.address,
        more_ways=[
            MoreWay(means_id=m.id, means=m.name, kind=kind, where=where, address=address)
            for (_, m, address), (kind, where) in zip(more, ways[1:], strict=True)
        ],
        acceptance=found.acceptance,
        takes=taken_words(read_acceptance(found.acceptance)),
        sentence=recipient_sentence(found.name, read_acceptance(found.acceptance), ways),
        rounds=rounds,
        may_send=may_send(person, found),
        for_all=found.for_all,
        shares=says_who_sends_to(person, found),
        shared_with=[SharedWith(**e) for e in found.shared_with] if says_who_sends_to(person, found) else [],
        last_state=newest.state if newest is not None else None,
        last_at=(newest.arrived_at or newest.tried_at or newest.entered_at) if newest is not None else None,
    )
