"""
Runs, bundles, comparisons and their files.
"""

from __future__ import annotations

import getpass
import json
import shutil
import time
from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any

import typer

from bouquet.cli.common import (
    answers_of,
    app,
    chosen_source,
    document_of,
    fail,
    moment_of,
    open_services,
    record_type_of,
)
from bouquet.core.errors import WriteError
from bouquet.core.template import BUNDLE, BundleContents, read_document, whole_templates, with_own_folders
from bouquet.runs import (
    ATTEMPTS,
    PASSING,
    RunFailed,
    Services,
    ask_for_comparison,
    ask_for_run,
    carry_out_comparison,
    execute,
    expire_files,
    gather_bundle,
    sweep_files,
)
from bouquet.store import NotFound
from bouquet.store import runs as ledger
from bouquet.store import templates as shelf
from bouquet.store.models import Run

#: Seconds between two attempts when the source does not answer.
TRY_AGAIN = 2.0


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
    with open_services("ran a template") as services:
        found = document_of(services, template)
        read = read_document(found.document)
        asked = ask_for_run(
            services,
            found.document,
            person=None,
            asked_by=f"{getpass.getuser()}, by command line",
            via="command line",
            format=format,
            as_of=moment_of(as_of, read.zone),
            template_id=found.template_id,
            version=found.version,
            answers=answers_of(read, answer or []),
            purpose=purpose,
            source=found.source.key,
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
    attachments: Annotated[bool, typer.Option(help="Files kept in the records of whole types, too.")] = False,
    saved: Annotated[str, typer.Option(help="A bundle of the library, by name, instead of all these.")] = "",
    name: Annotated[str, typer.Option(help="What the archive is called.")] = "Everything",
    format: Annotated[str | None, typer.Option(help="csv, xlsx or jsonl for all of it.")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print the slip as JSON.")] = False,
    purpose: Annotated[str, typer.Option(help="What personal data is taken out for, where there is any.")] = "",
) -> None:
    """
    Run several templates and whole record types on one snapshot, into one archive with one slip.
    """
    with open_services("ran a bundle") as services:
        if saved:
            _run_saved(services, saved, out, format, purpose, as_json=as_json)
            return
        found = [document_of(services, t) for t in template or ()]
        source = found[0].source if found and not (records or everything) else chosen_source(services)
        if any(f.source is not source for f in found):
            fail("These templates read different sources. A bundle is of one, so that its files agree.")
        types = source.catalogue().record_types
        wanted = list(types) if everything else records or ()
        whole = [t for r in wanted for t in whole_templates(record_type_of(services, r), attachments=attachments)]
        gathered = with_own_folders([*(read_document(f.document) for f in found), *whole])
        parts = [part.as_document() for part in gathered]
        asked = ask_for_run(
            services,
            {"format": BUNDLE, "name": name, "parts": parts},
            person=None,
            asked_by=f"{getpass.getuser()}, by command line",
            via="command line",
            format=format,
            purpose=purpose,
            source=source.key,
            asks_purpose=True,
        )
        done = _finished(services, asked.id)
        _copy(services, done, out)
        _echo_done(done, out, as_json)


def _run_saved(services: Services, name: str, out: Path, format: str | None, purpose: str, *, as_json: bool) -> None:
    """
    Run a bundle of the library, with the rights of its owner.
    """
    with services.store.session() as session:
        record = shelf.find_template(session, name)
        if record is None or record.kind != "bundle":
            raise NotFound(f"There is no bundle called “{name}”.")
        owner, contents = record.owner, BundleContents.model_validate(record.draft)
        number, version, source = record.id, record.version, record.source
    asked = ask_for_run(
        services,
        gather_bundle(services, owner, contents, source).as_document(),
        person=None,
        asked_by=f"{getpass.getuser()}, by command line",
        via="command line",
        format=format,
        purpose=purpose,
        source=source,
        asks_purpose=True,
        template_id=number,
        version=version,
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
    with open_services() as services, services.store.session() as session:
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
    with open_services() as services, services.store.session() as session:
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
    with open_services() as services, services.store.session() as session:
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
    with open_services() as services:
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
    with open_services("removed expired files") as services:
        expired = 0 if only_look else expire_files(services)
        swept = sweep_files(services, repair=not only_look)
    if as_json:
        typer.echo(json.dumps({**asdict(swept), "expired": expired}, indent=2, ensure_ascii=False))
    else:
        typer.echo(f"{swept.files:,} files of {swept.bytes:,} bytes are there as the ledger has them.")
        typer.echo(f"{expired:,} expired; {len(swept.orphans):,} that no run knows; {len(swept.missing):,} missing.")
        if swept.strangers:
            typer.echo(f"{len(swept.strangers):,} are of no run of this house, and are left alone.")
        for path in (*swept.missing, *swept.changed):
            typer.echo(f"    {path}", err=True)
    if not swept.agrees:
        raise typer.Exit(1)


def _execute(services: Services, run_id: int) -> Run:
    for tried in range(1, ATTEMPTS + 1):
        try:
            execute(services, run_id)
        except PASSING as error:
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
