"""
Comparing runs with each other, and files given back with the records as they are now.
"""

from __future__ import annotations

from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Annotated, Any

from fastapi import APIRouter, Body, Depends, Query

from bouquet.core.language import tr
from bouquet.runs import ask_for_comparison, check_file, key_of, recognise
from bouquet.store import comparisons
from bouquet.store import runs as ledger
from bouquet.store.models import ComparisonRecord, Run
from bouquet.web.access import CurrentPerson, Id, TheQueue, TheServices, WholeNumber, needs
from bouquet.web.bodies import ExactRoute
from bouquet.web.problems import Refused
from bouquet.web.routers.runs import run_out
from bouquet.web.schemas.runs import (
    ChangeFound,
    CompareRequest,
    ComparisonOut,
    EditableOut,
    GivenBackOut,
    RunFileOut,
)

#: Bytes of a file given back.
MOST_BYTES = 100_000_000

router = APIRouter(route_class=ExactRoute, tags=["runs"], dependencies=[Depends(needs("look"))])


@router.post("/runs/{run_id}/compare", response_model=ComparisonOut)
def compare_runs(
    run_id: Id, body: CompareRequest, services: TheServices, queue: TheQueue, person: CurrentPerson
) -> Any:
    """
    What differs between an earlier run and this one. Large ones are left to a worker: ask again until it is ready.
    """
    with services.store.session() as session:
        before, after = ledger.see_run(session, body.before, person), ledger.see_run(session, run_id, person)
    _check(before, after)
    found, wake = ask_for_comparison(services, before, after, body.key)
    if wake:
        queue.put_comparison(found.id)
    return _out(found)


@router.get("/runs/{run_id}/compare/{before}/key", response_model=list[str])
def comparison_key(run_id: Id, before: Id, services: TheServices, person: CurrentPerson) -> Any:
    """
    The headings by which the rows of two runs are matched best.
    """
    with services.store.session() as session:
        one, other = ledger.see_run(session, before, person), ledger.see_run(session, run_id, person)
    return list(key_of(services, one, other))


@router.post("/runs/given-back", response_model=GivenBackOut)
def check_given_back(
    services: TheServices,
    person: CurrentPerson,
    name: Annotated[str, Query(min_length=1, max_length=255)],
    content: Annotated[bytes, Body(media_type="application/octet-stream")],
    run_id: WholeNumber | None = None,
) -> Any:
    """
    Check a file that a run made and a person edited: what was changed, what of it could be taken over, what not, and
    why. Nothing is written to the source; the changes are kept as CSV and JSON for its owner.
    """
    if len(content) > MOST_BYTES:
        raise Refused(
            422, "too_large", tr("A file given back may have {most_bytes} MB.", most_bytes=MOST_BYTES // 1_000_000)
        )
    with TemporaryDirectory(prefix="bouquet-") as folder:
        path = Path(folder) / "given"
        path.write_bytes(content)
        found = recognise(services, person, path, name, run_id)
        checked = check_file(services, found.run, path, name, person)
    result = checked.result
    return GivenBackOut(
        run=run_out(found.run, person),
        recognised=found.by,
        key=list(checked.key),
        rows=result.rows,
        same=result.same,
        left_out=result.left_out,
        taken=result.taken,
        changes=result.counts.get("change", 0),
        conflicts=result.counts.get("conflict", 0),
        impossible=result.counts.get("impossible", 0),
        unknown=result.counts.get("unknown", 0),
        missing_columns=list(result.missing_columns),
        new_columns=list(result.new_columns),
        columns=[EditableOut(heading=c.heading, allowed=c.allowed, reason=c.reason) for c in checked.columns],
        listed=[ChangeFound.model_validate(c.as_json()) for c in result.listed()],
        files=[RunFileOut.model_validate(f, from_attributes=True) for f in checked.files],
    )


@router.get("/comparisons/{comparison_id}", response_model=ComparisonOut)
def get_comparison(comparison_id: Id, services: TheServices, person: CurrentPerson) -> Any:
    """
    A comparison, as far as it is.
    """
    with services.store.session() as session:
        found = comparisons.get(session, comparison_id)
        _check(*(ledger.see_run(session, n, person) for n in (found.before_id, found.after_id)))
        return _out(found)


def _check(before: Run, after: Run) -> None:
    if before.id == after.id:
        raise Refused(422, "same_run", tr("A run is compared with another one."))


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
