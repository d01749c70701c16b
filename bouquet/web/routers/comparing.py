"""
Comparing runs.
"""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends

from bouquet.runs import ask_for_comparison, key_of
from bouquet.store import comparisons
from bouquet.store import runs as ledger
from bouquet.store.models import ComparisonRecord, Person, Run
from bouquet.web.access import CurrentPerson, TheQueue, TheServices, needs
from bouquet.web.problems import Refused
from bouquet.web.routers.files import check_scope
from bouquet.web.schemas.runs import CompareRequest, ComparisonOut

router = APIRouter(tags=["runs"], dependencies=[Depends(needs("look"))])


@router.post("/runs/{run_id}/compare", response_model=ComparisonOut)
def compare_runs(
    run_id: int, body: CompareRequest, services: TheServices, queue: TheQueue, person: CurrentPerson
) -> Any:
    """
    What differs between an earlier run and this one. Large ones are left to a worker: ask again until it is ready.
    """
    with services.store.session() as session:
        before, after = ledger.get_run(session, body.before), ledger.get_run(session, run_id)
    _check(before, after, person)
    found, wake = ask_for_comparison(services, before, after, body.key)
    if wake:
        queue.put_comparison(found.id)
    return _out(found)


@router.get("/runs/{run_id}/compare/{before}/key", response_model=list[str])
def comparison_key(run_id: int, before: int, services: TheServices, person: CurrentPerson) -> Any:
    """
    The headings by which the rows of two runs are matched best.
    """
    with services.store.session() as session:
        one, other = ledger.get_run(session, before), ledger.get_run(session, run_id)
    return list(key_of(services, one, other))


@router.get("/comparisons/{comparison_id}", response_model=ComparisonOut)
def get_comparison(comparison_id: int, services: TheServices, person: CurrentPerson) -> Any:
    """
    A comparison, as far as it is.
    """
    with services.store.session() as session:
        found = comparisons.get(session, comparison_id)
        _check(ledger.get_run(session, found.before_id), ledger.get_run(session, found.after_id), person)
        return _out(found)


def _check(before: Run, after: Run, person: Person) -> None:
    if before.id == after.id:
        raise Refused(422, "same_run", "A run is compared with another one.")
    for run in (before, after):
        check_scope(run, person)


def _out(found: ComparisonRecord) -> ComparisonOut:
    result = dict(found.result or {})
    error = result.pop("error", None)
    return ComparisonOut(
        **{
            **result,
            "id": found.id,
            "before": found.before_id,
            "after": found.after_id,
            "key": found.key,
            "status": found.status,
            "error": error["message"] if error else "",
            "file_id": found.file_id,
        }
    )
