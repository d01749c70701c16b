"""
A file that a run made, edited by a person and given back.
"""

from __future__ import annotations

import io
import json
import re
import zipfile
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from tempfile import TemporaryDirectory
from uuid import uuid4

import polars as pl

from bouquet.core.language import tr, whole
from bouquet.core.naming import safe_name
from bouquet.core.plan import Plan, Read, resolve
from bouquet.core.reading import FileRows, Unreadable, first_cells, first_headings
from bouquet.core.roundtrip import CHANGE_HEADINGS, Editable, GivenBack, check_given_back, editable_columns
from bouquet.core.shaping import companion_csv
from bouquet.core.slip import Digest
from bouquet.core.spreadsheets import BROKEN, Room, check_spreadsheet
from bouquet.core.template import AllOf, Condition, Narrowing, Output, Template, read_document
from bouquet.core.writers.xlsx_workbook import STAMP
from bouquet.runs.asking import as_format
from bouquet.runs.comparing import key_of, rows_of
from bouquet.runs.errors import RunFailed
from bouquet.runs.export import Export
from bouquet.runs.services import Services
from bouquet.runs.sheets import rows_apart
from bouquet.store import runs as ledger
from bouquet.store.models import Person, Run, RunFile

__all__ = ["Recognised", "check_file", "recognise"]

#: What a spreadsheet given back may take.
ROOM = Room(unpacked=300_000_000, cells=6_000_000)

#: Rows of a file given back; more are no work of a person.
MOST_ROWS = 200_000

#: Keys that one statement names; beyond that all records are read.
MOST_KEYS = 5_000

#: Runs among which a file without a stamp is looked for.
LOOKED_AT = 300

SEPARATORS = (",", ";", "\t", "|")


@dataclass(frozen=True)
class Recognised:
    """
    Which run a file comes from, and by what that was told.
    """

    run: Run
    by: str


@dataclass(frozen=True)
class Checked:
    """
    Result of checking a file given back, with the lists of changes that were kept.
    """

    result: GivenBack
    key: tuple[str, ...]
    columns: tuple[Editable, ...]
    files: tuple[RunFile, ...]


def recognise(services: Services, person: Person, path: Path, name: str, run_id: int | None = None) -> Recognised:
    """
    The run that a file comes from, of those that a person may see: the one named; or by its stamp; by its content,
    where nothing was changed; by its name; by its headings. Raises RunFailed where none fits, and for the first two
    NotFound and OutOfScope.
    """
    headings = set(_reading(path, name).headings)
    digest, stamp = Digest(path).finish(), _stamp(path)
    with services.store.session() as session:
        if run_id is not None:
            return Recognised(ledger.see_run(session, run_id, person), tr("as you said"))
        if stamp is not None:
            return Recognised(ledger.see_run(session, stamp, person), tr("by its stamp"))
        for by, found in (
            (tr("by its content: nothing in it was changed"), ledger.runs_of_file(session, person, sha256=digest)),
            (tr("by its name"), ledger.runs_of_file(session, person, name=name)),
            (tr("by its headings"), ledger.made_runs(session, person, LOOKED_AT)),
        ):
            for run in found:
                own = {c["heading"] for c in (run.slip or {}).get("columns", ())}
                if own and len(headings & own) >= max(1, len(own) // 2):
                    return Recognised(run, by)
    raise RunFailed(tr("“{name}” does not come from any run we know. Say which run it comes from.", name=name))


def check_file(services: Services, run: Run, path: Path, name: str, person: Person) -> Checked:
    """
    Compare a file with the run it comes from and with the records as they are now, and keep the changes as CSV and as
    JSON beside the run's files. Nothing is written to the source.

    Raises RunFailed and Unreadable where the file cannot be checked.
    """
    template = as_format(read_document(run.document), run.format)
    catalogue = services.catalogue_for(person.scope, run.source)
    context = services.context(run.as_of, answers=run.answers, scope=person.scope, source=run.source)
    plan = resolve(template, catalogue, context).require()
    key = key_of(services, run, run)
    given = _frame(_reading(path, name, _as_made(run)))
    with rows_of(services, run) as made_rows:
        made = _frame(made_rows.rows)
    missing = [k for k in key if k not in given.columns]
    if missing:
        raise RunFailed(
            tr(
                "The column “{missing}”, by which records are told apart, is not in the file.",
                missing=missing[0],
            )
        )
    now = _as_it_is(services, template, plan, run, given.select(key), key, person)
    columns = editable_columns(plan, {c.id: c.editable for c in template.columns}, key)
    result = check_given_back(made, given, now, key, columns)
    return Checked(result, key, tuple(columns), _kept(services, run, result, name, person))


def _as_made(run: Run) -> tuple[str, ...]:
    return tuple(c["heading"] for c in (run.slip or {}).get("columns", ()))


def _frame(rows: FileRows) -> pl.DataFrame:
    frames, count = [], 0
    for frame in rows.batches():
        count += frame.height
        if count > MOST_ROWS:
            raise RunFailed(
                tr(
                    "Files of more than {most_rows} rows are not checked as given back by a person.",
                    most_rows=whole(MOST_ROWS),
                )
            )
        frames.append(frame)
    return pl.concat(frames) if frames else pl.DataFrame(schema=dict.fromkeys(rows.headings, pl.String))


def _stamp(path: Path) -> int | None:
    """
    The run that a spreadsheet says it comes from; None also for a number that no run has.
    """
    try:
        with zipfile.ZipFile(path) as package:
            text = package.read("docProps/custom.xml").decode()
    except (KeyError, *BROKEN):
        return None
    found = re.search(rf'name="{STAMP}"[^>]*>\s*<vt:[^>]*>([0-9]{{1,18}})<', text)
    return int(found.group(1)) if found else None


def _reading(path: Path, name: str, known: tuple[str, ...] = ()) -> FileRows:
    """
    How a file given back is to be read: programs save with other separators and encodings than they were given. Of a
    spreadsheet, once measured, a process of its own writes the rows beside it.
    """
    if zipfile.is_zipfile(path):
        apart = path.with_name(f"{path.name}.rows")
        if not apart.exists():
            check_spreadsheet(path, ROOM)
            rows_apart(path, apart)
        return FileRows((apart,), "rows", first_headings(apart, known))
    raw = path.read_bytes()[:1_000_000]
    encoding = "utf-16" if raw[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8"
    try:
        text = raw.decode(encoding, errors="strict" if len(raw) < 1_000_000 else "ignore")
    except UnicodeDecodeError:
        encoding, text = "windows-1252", raw.decode("cp1252", errors="replace")
    if name.endswith(".jsonl") or text.lstrip("\ufeff").startswith("{"):
        return FileRows((path,), "jsonl", known)
    text = text.lstrip("\ufeff")
    heads = {mark: first_cells(io.StringIO(text, newline=""), mark) for mark in SEPARATORS}
    mark = max(heads, key=lambda m: (len(set(heads[m]) & set(known)), len(heads[m])))
    headings = heads[mark]
    if not headings or len(set(headings)) < len(headings):
        raise Unreadable(tr("“{name}” has no row of headings, each of its own.", name=name))
    options = Output().csv.model_copy(update={"separator": mark, "encoding": encoding})
    return FileRows((path,), "csv", tuple(headings), options)


def _as_it_is(
    services: Services,
    template: Template,
    plan: Plan,
    run: Run,
    keys: pl.DataFrame,
    key: Sequence[str],
    person: Person,
) -> pl.DataFrame:
    """
    The records of a file as they are now, whether or not the template's narrowings would still let them pass.
    """
    by_heading = {c.heading: c for c in plan.columns}
    narrowing: Narrowing = AllOf(all=())
    cell = by_heading[key[0]].cell
    values = keys[key[0]].drop_nulls().unique().to_list()
    fits = not (isinstance(cell, Read) and cell.field.kind.is_number) or all(v.strip("-").isdecimal() for v in values)
    if len(key) == 1 and isinstance(cell, Read) and len(values) <= MOST_KEYS and values and fits:
        condition = Condition(path=cell.route.path, is_="one_of", values=tuple(values), exact=True)
        narrowing = AllOf(all=(condition,))
    output = template.output.model_copy(
        update={"split": None, "companions": (), "children": (), "attachments": None, "archive": False}
    )
    whole = template.model_copy(
        update={"filter": narrowing, "asks": (), "at_most": None, "order": (), "checks": (), "output": output}
    )
    context = services.context(run.as_of, scope=person.scope, source=run.source)
    source = services.source_of(run.source)
    fresh = resolve(whole, services.catalogue_for(person.scope, run.source), context).require()
    with TemporaryDirectory(prefix="bouquet-") as folder, source.reader.snapshot() as snapshot:
        exported = Export(whole, fresh, run.format, Path(folder), lambda *_: None).write(snapshot, {})
        headings = tuple(c.heading for c in fresh.columns)
        titled = output.style == "reader"
        paths = tuple(f.path for f in exported.files if f.role == "data")
        return _frame(FileRows(paths, run.format, headings, output.csv, titled))


def _kept(services: Services, run: Run, result: GivenBack, name: str, person: Person) -> tuple[RunFile, ...]:
    """
    The changes as CSV and JSON, kept beside the run's own files.
    """
    if not result.changes:
        return ()
    changes = companion_csv([CHANGE_HEADINGS, *(c.as_row() for c in result.changes)], guard=True)
    facts = {
        "changes": 1,
        "run": run.id,
        "template": run.name,
        "file": name,
        "checked_at": services.clock().isoformat(),
        "checked_by": person.name,
        "counts": dict(result.counts),
        "list": [c.as_json() for c in result.changes],
    }
    stem = safe_name(Path(name).stem) + "-changes"
    folder = f"{run.id}/given-{uuid4().hex[:8]}"
    files = []
    with TemporaryDirectory(prefix="bouquet-") as here:
        for ending, content, media in (
            ("csv", changes, "text/csv"),
            ("json", json.dumps(facts, indent=2, ensure_ascii=False).encode(), "application/json"),
        ):
            made = Path(here) / f"{stem}.{ending}"
            made.write_bytes(content)
            files.append(
                RunFile(
                    run_id=run.id,
                    name=made.name,
                    path=services.storage.put(folder, made),
                    media_type=media,
                    size=len(content),
                    rows=len(result.changes),
                    sha256=Digest(made).finish(),
                    role="changes",
                )
            )
    with services.store.session() as session:
        session.add_all(files)
        session.flush()
    return tuple(files)
