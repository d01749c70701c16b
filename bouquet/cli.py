"""
The command line: the same services as the web.

What only some commands need (the web server, the demonstration) is imported by them, so that a run holds no more memory
than it uses.
"""

from __future__ import annotations

import getpass
import hashlib
import json
import os
import shutil
import signal
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager, nullcontext
from dataclasses import asdict, dataclass
from datetime import datetime
from pathlib import Path
from typing import Annotated, Any, Literal, NoReturn
from zoneinfo import ZoneInfo

import sqlalchemy.exc
import typer
from pydantic import ValidationError

from bouquet.core.catalogue import RecordType
from bouquet.core.errors import BouquetError, DocumentError, Problem, TemplateError, WriteError, nearest
from bouquet.core.formula import formulas_document
from bouquet.core.plan import Plan, resolve
from bouquet.core.template import BUNDLE, Template, document_schema, read_document, whole_template
from bouquet.core.template.sentence import Sentence
from bouquet.logs import configure_logs
from bouquet.runs import (
    ATTEMPTS,
    Queue,
    RunFailed,
    Services,
    Traced,
    ask_for_comparison,
    ask_for_run,
    carry_out_comparison,
    count_tally,
    execute,
    expire_files,
    sweep_files,
)
from bouquet.runs import trace as trace_record
from bouquet.settings import settings
from bouquet.sources import SourceDown, overlay_of, try_source, write_overlay
from bouquet.store import NotFound, people
from bouquet.store import runs as ledger
from bouquet.store import templates as shelf
from bouquet.store.models import Run

app = typer.Typer(add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False)
schema_app = typer.Typer(no_args_is_help=True, help="Schemas that Bouquet publishes.")
app.add_typer(schema_app, name="schema")

#: Seconds between two attempts when the source does not answer.
TRY_AGAIN = 2.0


@app.callback()
def entrance() -> None:
    """
    Export templates over your own records: designed on real rows, run on demand or by the calendar, with proof.
    """
    configure_logs()


@contextmanager
def _services() -> Iterator[Services]:
    try:
        services = Services.from_settings(settings())
    except ValidationError as error:
        missing = ", ".join(f"BOUQUET_{e['loc'][0]}".upper() for e in error.errors())
        _fail(
            f"Settings are missing: {missing}. “make demo” makes a set to try; docs/reference/settings.md lists them."
        )
    try:
        yield services
    except TemplateError as error:
        for problem in error.problems:
            typer.echo(f"{problem.place or 'template'}: {problem.message}", err=True)
        raise typer.Exit(1) from error
    except BouquetError as error:
        _fail(str(error))
    except sqlalchemy.exc.OperationalError:
        _fail("Bouquet's own database cannot be reached. Is it running?")
    finally:
        services.close()


def _fail(message: str) -> NoReturn:
    typer.echo(message, err=True)
    raise typer.Exit(1)


def _moment(text: str | None, zone: str) -> datetime | None:
    if text is None:
        return None
    try:
        moment = datetime.fromisoformat(text)
    except ValueError as error:
        msg = f"“{text}” is not a moment, such as 2026-11-22 or 2026-11-22T06:00"
        raise typer.BadParameter(msg, param_hint="--as-of") from error
    return moment if moment.tzinfo else moment.replace(tzinfo=ZoneInfo(zone))


def _document(services: Services, named: str) -> tuple[dict[str, Any], int | None, int | None]:
    """
    A document from a file or from the library, with the template's number and version where it has them.
    """
    path = Path(named)
    if path.suffix == ".json" or path.is_file():
        try:
            return json.loads(path.read_text(encoding="utf-8")), None, None
        except OSError as error:
            raise NotFound(f"There is no file “{named}” that can be read.") from error
        except ValueError as error:
            raise DocumentError([Problem(code="not_json", message=f"{named} is not JSON: {error}")]) from error
    with services.store.session() as session:
        record = shelf.find_template(session, named)
        if record is None:
            raise NotFound(f"There is neither a template called “{named}” nor a file of that name.")
        saved = shelf.latest_version(session, record.id)
        return (saved.document, record.id, saved.number) if saved else (record.draft, record.id, None)


@app.command()
def run(
    template: Annotated[str, typer.Argument(help="A saved template's name, or a template document's file.")],
    out: Annotated[Path, typer.Option(help="Folder to put the file into.")],
    format: Annotated[str | None, typer.Option(help="csv, xlsx or jsonl; the template's own if not given.")] = None,
    as_of: Annotated[str | None, typer.Option(help="The moment windows count from; now if not given.")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print the slip as JSON.")] = False,
    answer: Annotated[
        list[str] | None, typer.Option(help="An answer to one of the template's asks: name=value; may be given again.")
    ] = None,
    purpose: Annotated[str, typer.Option(help="What personal data is taken out for, where there is any.")] = "",
) -> None:
    """
    Run a template once, put its file into a folder, and print its slip.
    """
    with _services() as services:
        document, template_id, version = _document(services, template)
        read = read_document(document)
        asked = ask_for_run(
            services,
            document,
            person=None,
            asked_by=f"{getpass.getuser()}, by command line",
            via="command line",
            format=format,
            as_of=_moment(as_of, read.zone),
            template_id=template_id,
            version=version,
            answers=_answers(read, answer or []),
            purpose=purpose,
            asks_purpose=True,
        )
        done = _finished(services, asked.id)
        _copy(services, done, out)
        _echo_done(done, out, as_json)


def _finished(services: Services, run_id: int) -> Run:
    """
    A run carried out here and now. Raises RunFailed where it is not ready; a held one says what holds it.
    """
    done = _execute(services, run_id)
    if done.status == "held" and done.slip is not None:
        held = "; ".join(c["words"] for c in done.slip["checks"] if c["objections"] and c["severity"] == "hold")
        raise RunFailed(f"Run {done.id} is held until somebody releases it: {held}.")
    if done.status != "ready" or done.slip is None:
        raise RunFailed((done.error or {}).get("message") or f"Run {done.id} was {done.status}.")
    return done


def _echo_done(done: Run, out: Path, as_json: bool) -> None:
    slip: dict[str, Any] = done.slip or {}
    if as_json:
        typer.echo(json.dumps(slip, indent=2, ensure_ascii=False))
        return
    typer.echo(slip["sentence"])
    made = {f.name for f in done.files}
    for file in slip["files"]:
        if file["name"] in made:
            typer.echo(f"{out / file['name']}: {file['rows']:,} rows, {file['size']:,} bytes, SHA-256 {file['sha256']}")
    for check in slip["checks"]:
        if check["objections"]:
            typer.echo(f"noted: {check['words']}: {check['objections']:,}")


@app.command()
def bundle(
    out: Annotated[Path, typer.Option(help="Folder to put the archive into.")],
    template: Annotated[list[str] | None, typer.Option(help="A template's name or file; may be given again.")] = None,
    records: Annotated[list[str] | None, typer.Option(help="A whole record type; may be given again.")] = None,
    everything: Annotated[bool, typer.Option("--all", help="All record types of the source.")] = False,
    name: Annotated[str, typer.Option(help="What the archive is called.")] = "Everything",
    format: Annotated[str | None, typer.Option(help="csv, xlsx or jsonl for all of it.")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print the slip as JSON.")] = False,
    purpose: Annotated[str, typer.Option(help="What personal data is taken out for, where there is any.")] = "",
) -> None:
    """
    Run several templates and whole record types on one snapshot, into one archive with one slip.
    """
    with _services() as services:
        types = services.source.catalogue().record_types
        parts = [_document(services, t)[0] for t in template or ()]
        wanted = list(types) if everything else records or ()
        parts += [whole_template(_record_type(services, r)).as_document() for r in wanted]
        asked = ask_for_run(
            services,
            {"format": BUNDLE, "name": name, "parts": parts},
            person=None,
            asked_by=f"{getpass.getuser()}, by command line",
            via="command line",
            format=format,
            purpose=purpose,
            asks_purpose=True,
        )
        done = _finished(services, asked.id)
        _copy(services, done, out)
        _echo_done(done, out, as_json)


@app.command("runs")
def list_of_runs(
    template: Annotated[str | None, typer.Option(help="Only of this template.")] = None,
    status: Annotated[str | None, typer.Option(help="Only with this status, such as held.")] = None,
    count: Annotated[int, typer.Option(min=1, max=1000)] = 20,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON, a line each.")] = False,
) -> None:
    """
    List the newest runs of the ledger.
    """
    with _services() as services, services.store.session() as session:
        found = shelf.find_template(session, template) if template else None
        if template and found is None:
            raise NotFound(f"There is no template called “{template}”.")
        wanted = ledger.RunFilter(template_id=found.id if found else None, status=status)
        for r in ledger.list_runs(session, wanted, at_most=count):
            facts = {
                "run": r.id,
                "template": r.name,
                "version": r.version,
                "status": r.status,
                "rows": r.rows_written,
                "asked_at": r.asked_at.isoformat(),
                "asked_by": r.asked_by,
                "objections": r.objections,
            }
            line = f"{r.id:>7}  {r.asked_at:%Y-%m-%d %H:%M}  {r.status:<10} {r.rows_written:>12,}  {r.name}"
            typer.echo(json.dumps(facts, ensure_ascii=False) if as_json else f"{line} ({r.asked_by})")


@app.command()
def slip(run_id: Annotated[int, typer.Argument(help="The run's number.")]) -> None:
    """
    Print the slip of a run, as JSON.
    """
    with _services() as services, services.store.session() as session:
        found = ledger.get_run(session, run_id)
        if found.slip is None:
            raise RunFailed(f"Run {run_id} has no slip; it is {found.status}.")
        typer.echo(json.dumps(found.slip, indent=2, ensure_ascii=False))


@app.command("templates")
def list_of_templates(
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON, a line each.")] = False,
) -> None:
    """
    List the templates of the library.
    """
    with _services() as services, services.store.session() as session:
        for record in shelf.list_templates(session):
            facts = {"id": record.id, "name": record.name, "version": record.version, "sentence": record.sentence}
            typer.echo(json.dumps(facts, ensure_ascii=False) if as_json else f"{record.name}\n    {record.sentence}")


@app.command()
def compare(
    before: Annotated[int, typer.Argument(help="The earlier run's number.")],
    after: Annotated[int, typer.Argument(help="The later run's number.")],
    key: Annotated[list[str] | None, typer.Option(help="A heading to match rows on; may be given again.")] = None,
    out: Annotated[Path | None, typer.Option(help="A CSV file for every difference.")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """
    Say what differs between two runs. Ends with 1 where something does.
    """
    with _services() as services:
        with services.store.session() as session:
            one, other = ledger.get_run(session, before), ledger.get_run(session, after)
        found, waits = ask_for_comparison(services, one, other, key)
        if waits:
            found = carry_out_comparison(services, found.id)
        result: dict[str, Any] = found.result or {}
        if found.status != "ready":
            raise RunFailed(result.get("error", {}).get("message", "The runs could not be compared."))
        if out is not None and found.file_id is not None:
            with services.store.session() as session:
                file = next(f for f in ledger.get_run(session, after).files if f.id == found.file_id)
            with services.storage.fetched(file.path) as made:
                shutil.copyfile(made, out)
    counts = {name: int(result[name]) for name in ("added", "gone", "changed", "same")}
    if as_json:
        typer.echo(json.dumps(result, indent=2, ensure_ascii=False))
    else:
        typer.echo(", ".join(f"{number:,} {name}" for name, number in counts.items()))
        for heading, number in result["by_column"].items():
            typer.echo(f"{number:>12,}  {heading}")
    if counts["added"] or counts["gone"] or counts["changed"]:
        raise typer.Exit(1)


@app.command()
def sweep(
    only_look: Annotated[bool, typer.Option("--only-look", help="Remove nothing.")] = False,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """
    Put expired files away, and prove that the file store and the ledger agree. Ends with 1 where they do not.
    """
    with _services() as services:
        expired = 0 if only_look else expire_files(services)
        swept = sweep_files(services, repair=not only_look)
    if as_json:
        typer.echo(json.dumps({**asdict(swept), "expired": expired}, indent=2, ensure_ascii=False))
    else:
        typer.echo(f"{swept.files:,} files of {swept.bytes:,} bytes are there as the ledger has them.")
        typer.echo(f"{expired:,} expired; {len(swept.orphans):,} that no run knows; {len(swept.missing):,} missing.")
        for path in (*swept.missing, *swept.changed):
            typer.echo(f"    {path}", err=True)
    if not swept.agrees:
        raise typer.Exit(1)


@app.command()
def token(
    email: Annotated[str, typer.Argument(help="Whom programs act for with it.")],
    name: Annotated[str, typer.Option(help="What it is for.")],
    may_run: Annotated[bool, typer.Option("--run", help="It may ask for runs, too, not only read.")] = False,
    days: Annotated[int, typer.Option(min=1, max=730)] = 90,
) -> None:
    """
    Make a token for a program, and print it; it is shown this once.
    """
    with _services() as services, services.store.session() as session:
        found = people.find_person(session, email)
        if found is None:
            raise NotFound(f"Nobody here has the address “{email}”.")
        acts = ["look", "run"] if may_run else ["look"]
        secret, _ = people.add_token(session, found.id, name, acts, services.clock(), days)
    typer.echo(secret)


def _answers(template: Template, given: list[str]) -> dict[str, Any]:
    """
    Answers as they were typed. Several values of a choice stand between commas; a window is a JSON object, or a kind of
    window in words such as `previous month`.
    """
    kinds = {a.name: a.kind for a in template.asks}
    found: dict[str, Any] = {}
    for entry in given:
        name, mark, text = entry.partition("=")
        if not mark:
            raise typer.BadParameter(f"“{entry}” is not name=value", param_hint="--answer")
        kind = kinds.get(name)
        if kind == "choices":
            found[name] = [v.strip() for v in text.split(",") if v.strip()]
        elif kind == "yes_no":
            found[name] = text.strip().lower() in ("yes", "true", "1", "y")
        elif kind == "window":
            type_, _, unit = text.partition(" ")
            found[name] = json.loads(text) if text.startswith("{") else {"type": type_, "unit": unit or "day"}
        else:
            found[name] = text
    return found


def _execute(services: Services, run_id: int) -> Run:
    for tried in range(1, ATTEMPTS + 1):
        try:
            execute(services, run_id)
        except (SourceDown, sqlalchemy.exc.DBAPIError) as error:
            if tried == ATTEMPTS:
                typer.echo(f"Run {run_id} could not be carried out; a worker takes it up again. {error}", err=True)
                raise typer.Exit(1) from error
            time.sleep(TRY_AGAIN)
            continue
        break
    with services.store.session() as session:
        return ledger.get_run(session, run_id)


def _copy(services: Services, done: Run, out: Path) -> None:
    try:
        out.mkdir(parents=True, exist_ok=True)
        for file in done.files:
            beside = out / f".{file.name}.part"
            with services.storage.fetched(file.path) as kept:
                shutil.copyfile(kept, beside)
            beside.replace(out / file.name)
    except OSError as error:
        reason = (error.strerror or str(error)).lower()
        raise WriteError(f"The file could not be put into {out}: {reason}. Run {done.id} still holds it.") from error


@dataclass(frozen=True)
class _Planned:
    plan: Plan
    words: dict[str, str]
    sentence: str


def _planned(services: Services, named: str, as_of: str | None, answer: list[str] | None) -> _Planned:
    document, template_id, _ = _document(services, named)
    read = read_document(document)
    answers = _answers(read, answer) if answer else None
    context = services.context(_moment(as_of, read.zone), answers=answers, template_id=template_id)
    catalogue = services.source.catalogue()
    plan = resolve(read, catalogue, context).require()
    sentence = Sentence(read, catalogue, context)
    return _Planned(plan, dict(sentence.steps()), sentence.text())


_AsOf = Annotated[str | None, typer.Option(help="The moment windows count from; now if not given.")]
_Answer = Annotated[list[str] | None, typer.Option(help="An answer to an ask: name=value; may be given again.")]
_AsJson = Annotated[bool, typer.Option("--json", help="Print JSON.")]
_TemplateName = Annotated[str, typer.Argument(help="A saved template's name, or a template document's file.")]
_RecordTypeName = Annotated[str, typer.Argument(help="A record type, such as tree.")]


@app.command()
def explain(template: _TemplateName, as_of: _AsOf = None, answer: _Answer = None, as_json: _AsJson = False) -> None:
    """
    Print a template's sentence and its tally.
    """
    with _services() as services:
        planned = _planned(services, template, as_of, answer)
        with services.source.reader.snapshot() as snapshot:
            tally = count_tally(snapshot, planned.plan, planned.words)
    if as_json:
        typer.echo(json.dumps({"sentence": planned.sentence, "tally": tally}, indent=2, ensure_ascii=False))
        return
    typer.echo(planned.sentence + "\n")
    for step in tally:
        lost = f"  −{step['left_out']:,}" if step["left_out"] else ""
        blank = f" (of which blank: {step['blank']:,})" if step["blank"] else ""
        without = f" ({step['without']:,} without any)" if step["without"] is not None else ""
        gone = "".join(f" ({e['words']}: {e['rows']:,})" for e in step["lost_empty"])
        typer.echo(f"{step['rows']:>12,}  {step['words']}{lost}{blank}{gone}{without}")
        for empty in step["empty"]:
            typer.echo(f"{'':>14}of which {empty['words']}: {empty['rows']:,}")


@app.command()
def trace(
    template: _TemplateName,
    key: Annotated[list[str], typer.Argument(help="The record's key, or what its title field says.")],
    as_of: _AsOf = None,
    answer: _Answer = None,
    as_json: _AsJson = False,
) -> None:
    """
    Say why a record is in a template's file, or out: each step, what it saw, and the first that stopped it.
    """
    with _services() as services:
        planned = _planned(services, template, as_of, answer)
        with services.source.reader.snapshot() as snapshot:
            found = trace_record(snapshot, planned.plan, planned.words, key)
    if found.record is None:
        _fail(f"There is no {planned.plan.record_type.label} “{' '.join(key)}”.")
    records = [found.record, *found.children]
    if as_json:
        typer.echo(json.dumps([{**asdict(r), "in": r.is_in} for r in records], indent=2, ensure_ascii=False))
        return
    for record in records:
        _echo_trace(record)
    if found.others:
        typer.echo(f"\nOthers of that name: {', '.join(' '.join(k) for k in found.others)}")


def _echo_trace(record: Traced) -> None:
    title = f" “{record.title}”" if record.title else ""
    typer.echo(f"{record.what} {' '.join(record.key)}{title} is {'in' if record.is_in else 'out'}.")
    for n, step in enumerate(record.steps):
        saw = "; ".join(f"{label}: {value if value is not None else 'blank'}" for label, value in step.saw)
        stopped = "  ← stopped here" if n == record.stopped_by else ""
        typer.echo(f"  {'yes' if step.passed else 'no ':<3}  {step.words}  [{saw}]{stopped}")


@app.command()
def profile(
    record_type: _RecordTypeName,
    field: Annotated[list[str] | None, typer.Option(help="Only these fields; may be given again.")] = None,
    as_json: _AsJson = False,
) -> None:
    """
    Show the fields of a record type at a glance: how full, how many different, least, greatest, the most frequent.
    """
    with _services() as services:
        known = _record_type(services, record_type)
        names = field or [f.name for f in known.fields]
        try:
            found = [services.source.facts(known.name, name) for name in names]
        except KeyError as error:
            _fail(f"{known.label.capitalize()} has no field “{error.args[0]}”.")
    if as_json:
        rows = [{**asdict(f), "field": f.field.name, "label": f.field.label} for f in found]
        typer.echo(json.dumps(rows, indent=2, ensure_ascii=False, default=str))
        return
    for facts in found:
        about = "" if facts.distinct_exact else "about "
        span = f"  {facts.least} … {facts.greatest}" if facts.least is not None else ""
        name = f"{facts.field.label} ({facts.field.name})"
        typer.echo(f"{name}  {facts.fill:.1%} full, {about}{facts.distinct:,} different{span}")
        if facts.field.personal:
            typer.echo("    personal; its values are not shown")
        for value, count in facts.top:
            typer.echo(f"    {count:>10,}  {value}")


@app.command()
def find(
    record_type: _RecordTypeName,
    value: Annotated[str, typer.Argument(help="A text, number or date that some field holds.")],
    seconds: Annotated[float, typer.Option(min=0.5, max=600, help="How long to search.")] = 10.0,
    as_json: _AsJson = False,
) -> None:
    """
    Find the fields of a record type and its neighbours that hold a value.
    """
    finding = None
    with _services() as services:
        known = _record_type(services, record_type)
        for finding in services.source.find(known.name, value, seconds=seconds):
            if not as_json and sys.stderr.isatty():
                typer.echo(f"\r{finding.searched:.0%} searched, {len(finding.hits)} fields", nl=False, err=True)
    assert finding is not None
    if as_json:
        typer.echo(json.dumps(asdict(finding), indent=2, ensure_ascii=False))
        return
    for hit in finding.hits:
        typer.echo(f"{'' if hit.exact else 'about '}{hit.count:>10,}  {hit.path:<40} {hit.trail}: {hit.value}")
    if not finding.hits:
        typer.echo(f"No field of {known.plural} or their neighbours was found to hold “{value}”.")
    for name in finding.unsearched:
        typer.echo(f"not searched: {name}")


def _record_type(services: Services, name: str) -> RecordType:
    types = services.source.catalogue().record_types
    if name not in types:
        candidates = nearest(name, list(types))
        hint = f" Did you mean {' or '.join(candidates)}?" if candidates else ""
        _fail(f"There is no record type “{name}”.{hint}")
    return types[name]


@app.command("try")
def try_address(
    url: Annotated[
        str | None, typer.Argument(help="The source's address; BOUQUET_SOURCE_URL where none is given.")
    ] = None,
) -> None:
    """
    Try a source step by step: reachable, signed in, encrypted, can only read, what is seen. Changes nothing there.
    """
    if url is None:
        try:
            url = settings().source_url.get_secret_value()
        except ValidationError:
            _fail("Give an address, or set BOUQUET_SOURCE_URL.")
    marks = {"good": "✓", "care": "!", "wrong": "✗"}
    last = None
    for last in try_source(url):
        typer.echo(f"{marks[last.mark]} {last.name}: {last.says}")
    if last is None or last.mark == "wrong":
        raise typer.Exit(1)


@app.command()
def catalogue(
    out: Annotated[Path | None, typer.Option(help="The file to write; standard output where none is given.")] = None,
) -> None:
    """
    Print what is known of the source, guesses included, as a curated catalogue (TOML) to be changed and used.

    Point BOUQUET_SOURCE_CATALOGUE to the file, and it is what people see.
    """
    with _services() as services:
        text = write_overlay(overlay_of(services.source.catalogue()))
    if out is None:
        typer.echo(text, nl=False)
        return
    if out.exists():
        _fail(f"{out} is there already; it is not replaced.")
    out.write_text(text, encoding="utf-8")


@app.command()
def formulas() -> None:
    """
    Print the reference of formulas, as Markdown.
    """
    typer.echo(formulas_document(), nl=False)


@schema_app.command("template")
def schema_template() -> None:
    """
    Print the JSON Schema of a template document.
    """
    typer.echo(json.dumps(document_schema(), indent=2, ensure_ascii=False))


@app.command()
def migrate() -> None:
    """
    Bring Bouquet's own database to the newest version.
    """
    with _services() as services:
        services.store.migrate()
        Queue(services).install()


@app.command()
def person(
    email: str,
    name: Annotated[str, typer.Option(help="The name shown to others.")],
    role: Annotated[list[str], typer.Option(help="designer, runner, keeper or auditor; may be given again.")],
    scope: Annotated[
        str | None,
        typer.Option(
            help="What they may see: RECORDTYPE.FIELD=VALUE,VALUE, such as ward.code=03,07; “all” for everything."
        ),
    ] = None,
    password_stdin: Annotated[
        bool, typer.Option("--password-stdin", help="Read the password from standard input instead of asking for it.")
    ] = False,
) -> None:
    """
    Add a person who can sign in, or give a known one a new name, roles and password. Asks for the password.
    """
    unknown = set(role) - {"designer", "runner", "keeper", "auditor"}
    if unknown:
        raise typer.BadParameter(f"There is no role {', '.join(sorted(unknown))}.", param_hint="--role")
    if password_stdin:
        password = sys.stdin.readline().rstrip("\r\n")
    else:
        password = typer.prompt("Password", hide_input=True, confirmation_prompt=True)
    if len(password) < people.SHORTEST_PASSWORD:
        raise typer.BadParameter(f"A password has at least {people.SHORTEST_PASSWORD} characters.")
    with _services() as services, services.store.session() as session:
        limits: Any = "as it is" if scope is None else _scope(services, scope)
        people.put_person(session, email=email, name=name, roles=role, password=password, scope=limits)


def _scope(services: Services, text: str) -> Any:
    """
    A scope as it was typed, checked against the catalogue. Without one, everything may be seen.
    """
    if text.strip().lower() == "all":
        return None
    where, mark, values = text.partition("=")
    records, _, field = where.strip().partition(".")
    known = services.source.catalogue().record_types.get(records)
    if not mark or known is None or known.field_named(field) is None:
        raise typer.BadParameter(f"“{text}” names no field of a record type", param_hint="--scope")
    return {"records": records, "field": field, "values": [v.strip() for v in values.split(",") if v.strip()]}


@app.command()
def serve(
    private: Annotated[
        bool,
        typer.Option("--private", help="Keep Bouquet's own database in a private PostgreSQL below FOLDER."),
    ] = False,
    folder: Annotated[Path, typer.Option(help="Where the private database lies.")] = Path(".house"),
) -> None:
    """
    Serve the web interface, with one worker inside. A house without people waits for its first keeper.
    """
    from bouquet.web import serve as serve_web

    with _private_store(folder) if private else nullcontext(), _services() as services:
        serve_web(services, settings())


@contextmanager
def _private_store(folder: Path) -> Iterator[None]:
    """
    A cluster for the store alone, running while it is served.
    """
    from bouquet.demo.cluster import Cluster, ClusterError

    cluster = Cluster(folder.resolve() / "cluster")
    try:
        cluster.start()
        # The store's role has a password of its own, made from the superuser's.
        password = hashlib.sha256(f"store {cluster.password}".encode()).hexdigest()
        cluster.ensure_role("bouquet", password)
        cluster.ensure_database("bouquet", "bouquet")
    except ClusterError as error:
        _fail(str(error))
    os.environ["BOUQUET_STORE_URL"] = cluster.url("bouquet", "bouquet", password)
    try:
        yield
    finally:
        cluster.stop()


@app.command()
def worker(concurrency: Annotated[int, typer.Option(help="Runs at the same time.")] = 2) -> None:
    """
    Work off runs, beside a server here or elsewhere.
    """
    from bouquet.rounds import work

    with _services() as services:
        work(services, concurrency=concurrency)


@app.command()
def demo(
    folder: Annotated[Path, typer.Option(help="Where the demonstration keeps its things.")] = Path(".demo"),
    scale: Annotated[int, typer.Option(min=1, max=25, help="1 makes about 48,000 trees.")] = 1,
    frontend: Annotated[Path, typer.Option(help="The built front end.")] = Path("frontend/dist"),
    only_prepare: Annotated[bool, typer.Option(help="Set everything up, and stop before serving.")] = False,
) -> None:
    """
    Set up Marrowby and everything around it, and serve it.
    """
    from bouquet.demo.demo import PEOPLE, Demo
    from bouquet.web import bound_socket
    from bouquet.web import serve as serve_web

    demonstration = Demo(folder, say=typer.echo)
    try:
        made = demonstration.prepare(scale=scale, frontend=frontend if frontend.exists() else None)
    except BouquetError as error:
        _fail(str(error))
    if only_prepare:
        return
    try:
        listening = bound_socket(made)
    except OSError as error:
        demonstration.cluster.stop()
        _fail(f"Port {made.port} was taken in the meantime ({error.strerror}). Start it again.")
    typer.echo(f"\nBouquet is at http://{made.host}:{made.port}\n\nSign in as one of:")
    for name, email, roles, password in PEOPLE:
        typer.echo(f"  {name:<16} {', '.join(roles):<9} {email:<26} password: {password}")
    typer.echo("\nCtrl+C stops it; “make demo” starts it again with everything kept.")
    sys.stdout.flush()
    # The server raises the signal that ended it once more; leaving in order stops the cluster, too.
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    services = Services.from_settings(made)
    try:
        serve_web(services, made, listening)
    finally:
        services.close()
        demonstration.cluster.stop()


@app.command()
def cluster(
    act: Annotated[Literal["start", "stop", "status", "destroy"], typer.Argument()],
    folder: Annotated[Path, typer.Option(help="The demonstration's folder.")] = Path(".demo"),
) -> None:
    """
    Start, stop or remove the demonstration's private database cluster, or say whether it runs (1 when not).
    """
    from bouquet.demo.cluster import Cluster

    private = Cluster(folder / "cluster")
    if act == "status":
        typer.echo("running" if private.running() else "stopped")
        raise typer.Exit(0 if private.running() else 1)
    try:
        if act == "stop" and not private.stop():
            _fail("The cluster is in use by another process; it was left running.")
        elif act == "start":
            private.start()
        elif act == "destroy":
            private.destroy()
    except BouquetError as error:
        _fail(str(error))


if __name__ == "__main__":
    app()
