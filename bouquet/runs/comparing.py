"""
Comparing two runs of a template, by their files.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from bouquet.core.compare import compare_rows
from bouquet.core.errors import BouquetError
from bouquet.core.language import tr
from bouquet.core.naming import safe_name
from bouquet.core.plan import propose_key, resolve
from bouquet.core.reading import FileRows
from bouquet.core.slip import Digest
from bouquet.core.template import read_document
from bouquet.core.vocabulary.formats import FORMATS
from bouquet.runs.asking import as_format
from bouquet.runs.errors import RunFailed, error_facts
from bouquet.runs.services import Services
from bouquet.store import comparisons
from bouquet.store import runs as ledger
from bouquet.store.models import ComparisonRecord, Run, RunFile

__all__ = ["AT_ONCE", "ask_for_comparison", "carry_out_comparison", "key_of", "rows_of"]


#: Rows of both sides together that are compared while somebody waits; more are left to a worker.
AT_ONCE = 60_000


@dataclass(frozen=True)
class RunRows:
    """
    The rows of a run, to be read back: the headings, and the files.
    """

    headings: tuple[str, ...]
    rows: FileRows


@contextmanager
def rows_of(services: Services, run: Run) -> Iterator[RunRows]:
    """
    The rows of a run by its files. Raises RunFailed where they are no longer there, or were never rows.
    """
    files = [f for f in run.files if f.role == "data"]
    if run.is_bundle or run.slip is None or not files:
        raise RunFailed(tr("Run {id} has no rows of its own to look at.", id=run.id))
    if any(f.removed_at is not None for f in files):
        raise RunFailed(tr("The files of run {id} are no longer there.", id=run.id))
    if not FORMATS[run.format].readable:
        said = tr(
            "{formats} is for reading, so the rows of run {id} cannot be read back.",
            formats=FORMATS[run.format].label,
            id=run.id,
        )
        raise RunFailed(tr("{said} Run it again as CSV to compare them.", said=said))
    output = read_document(run.document).output
    headings = tuple(c["heading"] for c in run.slip["columns"])
    with ExitStack() as stack:
        try:
            paths = tuple(stack.enter_context(services.storage.fetched(f.path)) for f in files)
        except FileNotFoundError as error:
            raise RunFailed(tr("The files of run {id} are no longer there.", id=run.id)) from error
        titled = output.style == "reader"
        yield RunRows(headings, FileRows(paths, run.format, headings, output.csv, titled))


def key_of(services: Services, before: Run, after: Run) -> tuple[str, ...]:
    """
    By which columns the rows of two runs are matched best: what identifies a row by the catalogue, as far as both have
    it.
    """
    both = {c["heading"] for c in (before.slip or {}).get("columns", ())}
    shared = [c["heading"] for c in (after.slip or {}).get("columns", ()) if c["heading"] in both]
    try:
        template = as_format(read_document(after.document), after.format)
        context = services.context(after.as_of, answers=after.answers, scope=after.scope, source=after.source)
        plan = resolve(template, services.catalogue_for(after.scope, after.source), context).partial
    except BouquetError:
        plan = None
    key = propose_key(plan) if plan is not None else ()
    return key if key and all(k in both for k in key) else tuple(shared)


def ask_for_comparison(
    services: Services, before: Run, after: Run, key: Sequence[str] | None = None
) -> tuple[ComparisonRecord, bool]:
    """
    The comparison of two runs, and whether a worker has to be woken for it. A small one is carried out at once; one
    that was made before is given again.

    Raises RunFailed where the runs cannot be compared.
    """
    for run in (before, after):
        if run.is_bundle or run.slip is None:
            raise RunFailed(tr("Run {id} has no rows of its own to look at.", id=run.id))
    matched = list(key) if key else list(key_of(services, before, after))
    with services.store.session() as session:
        found = comparisons.put(session, before.id, after.id, matched, services.clock())
    if found.status != "asked":
        return found, False
    if before.rows_written + after.rows_written > AT_ONCE:
        return found, True
    return carry_out_comparison(services, found.id), False


def carry_out_comparison(services: Services, comparison_id: int) -> ComparisonRecord:
    """
    Compare, and keep what was found with the file of all differences. Does nothing when it is over.
    """
    with services.store.session() as session:
        record = comparisons.get(session, comparison_id)
        before, after = ledger.get_run(session, record.before_id), ledger.get_run(session, record.after_id)
    if record.status != "asked":
        return record
    try:
        result, file = _compared(services, record, before, after)
    except (BouquetError, ValueError, OSError) as error:
        facts = error_facts(error) if isinstance(error, BouquetError) else {"code": "compare", "message": str(error)}
        with services.store.session() as session:
            return comparisons.finish(session, comparison_id, "failed", {"error": facts})
    with services.store.session() as session:
        return comparisons.finish(session, comparison_id, "ready", result, file)


def _compared(
    services: Services, record: ComparisonRecord, before: Run, after: Run
) -> tuple[dict[str, Any], RunFile | None]:
    with (
        rows_of(services, before) as old,
        rows_of(services, after) as new,
        TemporaryDirectory(prefix="bouquet-") as folder,
    ):
        name = (
            safe_name(tr("{after} {id} to {id2}", after=after.name.lower(), id=before.id, id2=after.id))
            + "-differences.csv"
        )
        made = Path(folder) / name
        found = compare_rows(old.rows, new.rows, old.headings, new.headings, record.key, write_to=made)
        result = found.as_json()
        if not (found.added or found.gone or found.changed):
            return result, None
        size, digest = made.stat().st_size, Digest(made).finish()
        path = services.storage.put(f"{after.id}/compared-{record.id}", made)
        lines = found.added + found.gone + 2 * found.changed
        return result, RunFile(
            run_id=after.id,
            name=name,
            path=path,
            media_type="text/csv",
            size=size,
            rows=lines,
            sha256=digest,
            role="comparison",
        )
