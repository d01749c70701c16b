"""
The ledger: the runs there were, what they come to, and its export.
"""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Depends, Query

from bouquet.core.language import tr
from bouquet.runs import Services, ask_for_run
from bouquet.runs.ledger_export import ledger_template
from bouquet.sources import LEDGER
from bouquet.store import runs as ledger
from bouquet.store.deliveries import sent_of
from bouquet.store.models import Person
from bouquet.web.access import CurrentPerson, TheQueue, TheServices, WholeNumber, needs
from bouquet.web.bodies import ExactRoute
from bouquet.web.routers.runs import Runner, run_out
from bouquet.web.schemas.runs import RunOut, RunPage, RunTotals, Status

router = APIRouter(route_class=ExactRoute, tags=["runs"], dependencies=[Depends(needs("look"))])

#: Runs that the ledger's export holds for who may not see all of them.
MOST_EXPORTED = 20_000


def wanted_runs(
    person: CurrentPerson,
    template_id: WholeNumber | None = None,
    status: Status | None = None,
    search: Annotated[str | None, Query(max_length=100)] = None,
    records: Annotated[str | None, Query(max_length=100)] = None,
    asked_by: Annotated[str | None, Query(max_length=100)] = None,
    since: datetime | None = None,
    until: datetime | None = None,
    found: Literal["yes", "no"] | None = None,
    personal: Literal["yes", "no"] | None = None,
    sent: Literal["arrived", "under_way", "failed", "given_up"] | None = None,
) -> ledger.RunFilter:
    """
    The ledger's filter, as it stands in an address.
    """
    return ledger.RunFilter(
        template_id=template_id,
        status=status,
        search=search,
        records=records,
        asked_by=asked_by,
        since=since,
        until=until,
        found=found,
        personal=personal,
        sent=sent,
        seen_by=person,
    )


Wanted = Annotated[ledger.RunFilter, Depends(wanted_runs)]


@router.get("/runs", response_model=RunPage)
def list_runs(
    services: TheServices,
    person: CurrentPerson,
    wanted: Wanted,
    before: WholeNumber | None = None,
    at_most: Annotated[int, Query(ge=1, le=200)] = 50,
    sort: ledger.RunSort = "number",
    ascending: bool = False,
) -> Any:
    """
    The ledger, by default newest first. `before` is the cursor of the page before, in the same order.
    """
    with services.store.session() as session:
        found = ledger.list_runs(session, wanted, before=before, at_most=at_most, sort=sort, ascending=ascending)
        sent = sent_of(session, [r.id for r in found])
        out = [run_out(r, person, sent=sent.get(r.id)) for r in found]
    return RunPage(runs=out, next=out[-1].id if len(out) == at_most else None)


@router.get("/runs/totals", response_model=RunTotals)
def run_totals(services: TheServices, person: CurrentPerson, wanted: Wanted) -> Any:
    """
    What the runs that fit come to.
    """
    with services.store.session() as session:
        return ledger.total_runs(session, wanted)


@router.post("/runs/export", response_model=RunOut, status_code=202)
def export_runs(services: TheServices, queue: TheQueue, person: Runner, wanted: Wanted) -> Any:
    """
    Ask for a CSV of the runs that fit and that I may see: a run like any other, of the built-in source.
    """
    run_type = services.ledger.catalogue().record_types["run"]
    run = ask_for_run(
        services,
        ledger_template(run_type, wanted, _shown_numbers(services, person, wanted)).as_document(),
        person=person,
        via=ledger.ONCE,
        purpose=tr("the ledger"),
        source=LEDGER,
    )
    queue.put(run.id)
    return run_out(run, person)


def _shown_numbers(services: Services, person: Person, wanted: ledger.RunFilter) -> list[int] | None:
    """
    The numbers of the runs that fit and that a person may see; None for who may see all of them.
    """
    if person.scope is None and not {"keeper", "auditor"}.isdisjoint(person.roles):
        return None
    with services.store.session() as session:
        return [r.id for r in ledger.list_runs(session, wanted, at_most=MOST_EXPORTED)]
