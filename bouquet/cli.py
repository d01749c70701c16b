"""
The command line: the same services as the web.

What only some commands need (the web server, the demonstration) is imported by them, so that a run holds no more memory
than it uses.
"""

from __future__ import annotations

import getpass
import json
import shutil
import signal
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import Annotated, Any, Literal
from zoneinfo import ZoneInfo

import sqlalchemy.exc
import typer
from pydantic import ValidationError

from bouquet.core.errors import BouquetError, DocumentError, Problem, TemplateError, WriteError
from bouquet.core.plan import resolve
from bouquet.core.template import document_schema, read_document
from bouquet.core.template.sentence import Sentence
from bouquet.runs import Queue, RunFailed, Services, ask_for_run, count_tally, execute
from bouquet.settings import settings
from bouquet.sources import SourceDown
from bouquet.store import NotFound, people
from bouquet.store import runs as ledger
from bouquet.store import templates as shelf
from bouquet.store.models import Run

app = typer.Typer(add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False)
schema_app = typer.Typer(no_args_is_help=True, help="Schemas that Bouquet publishes.")
app.add_typer(schema_app, name="schema")

#: Seconds between two attempts when the source does not answer.
TRY_AGAIN = 2.0


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


def _fail(message: str) -> Any:
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
    format: Annotated[str | None, typer.Option(help="csv or xlsx; the template's own if not given.")] = None,
    as_of: Annotated[str | None, typer.Option(help="The moment windows count from; now if not given.")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print the slip as JSON.")] = False,
) -> None:
    """
    Run a template once, put its file into a folder, and print its slip.
    """
    with _services() as services:
        document, template_id, version = _document(services, template)
        zone = read_document(document).zone
        asked = ask_for_run(
            services,
            document,
            person=None,
            asked_by=f"{getpass.getuser()}, by command line",
            via="command line",
            format=format,
            as_of=_moment(as_of, zone),
            template_id=template_id,
            version=version,
        )
        done = _execute(services, asked.id)
        if done.status != "ready" or done.slip is None:
            raise RunFailed((done.error or {}).get("message") or f"Run {done.id} was {done.status}.")
        _copy(services, done, out)
    if as_json:
        typer.echo(json.dumps(done.slip, indent=2, ensure_ascii=False))
    else:
        typer.echo(done.slip["sentence"])
        for file in done.slip["files"]:
            typer.echo(f"{out / file['name']}: {file['rows']:,} rows, {file['size']:,} bytes, SHA-256 {file['sha256']}")


def _execute(services: Services, run_id: int) -> Run:
    while True:
        try:
            execute(services, run_id)
        except (SourceDown, sqlalchemy.exc.DBAPIError):
            time.sleep(TRY_AGAIN)
            continue
        with services.store.session() as session:
            return ledger.get_run(session, run_id)


def _copy(services: Services, done: Run, out: Path) -> None:
    try:
        out.mkdir(parents=True, exist_ok=True)
        for file in done.files:
            beside = out / f".{file.name}.part"
            shutil.copyfile(services.files / file.path, beside)
            beside.replace(out / file.name)
    except OSError as error:
        reason = (error.strerror or str(error)).lower()
        raise WriteError(f"The file could not be put into {out}: {reason}. Run {done.id} still holds it.") from error


@app.command()
def explain(
    template: Annotated[str, typer.Argument(help="A saved template's name, or a template document's file.")],
    as_of: Annotated[str | None, typer.Option(help="The moment windows count from; now if not given.")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print sentence and tally as JSON.")] = False,
) -> None:
    """
    Print a template's sentence and its tally.
    """
    with _services() as services:
        document, _, _ = _document(services, template)
        read = read_document(document)
        context = services.context(_moment(as_of, read.zone))
        catalogue = services.source.catalogue()
        plan = resolve(read, catalogue, context).require()
        sentence = Sentence(read, catalogue, context)
        with services.source.reader.snapshot() as snapshot:
            tally = count_tally(snapshot, plan, dict(sentence.steps()))
    if as_json:
        typer.echo(json.dumps({"sentence": sentence.text(), "tally": tally}, indent=2, ensure_ascii=False))
        return
    typer.echo(sentence.text() + "\n")
    for step in tally:
        lost = f"  −{step['left_out']:,}" if step["left_out"] else ""
        blank = f" (of which blank: {step['blank']:,})" if step["blank"] else ""
        typer.echo(f"{step['rows']:>12,}  {step['words']}{lost}{blank}")


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
) -> None:
    """
    Add a person who can sign in, or give a known one a new name, roles and password. Asks for the password.
    """
    unknown = set(role) - {"designer", "runner", "keeper", "auditor"}
    if unknown:
        raise typer.BadParameter(f"There is no role {', '.join(sorted(unknown))}.", param_hint="--role")
    password = typer.prompt("Password", hide_input=True, confirmation_prompt=True)
    with _services() as services, services.store.session() as session:
        people.put_person(session, email=email, name=name, roles=role, password=password)


@app.command()
def serve() -> None:
    """
    Serve the web interface, with one worker inside.
    """
    from bouquet.web import serve as serve_web

    with _services() as services:
        serve_web(services, settings())


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
    from bouquet.web import serve as serve_web

    demonstration = Demo(folder, say=typer.echo)
    try:
        made = demonstration.prepare(scale=scale, frontend=frontend if frontend.exists() else None)
    except BouquetError as error:
        _fail(str(error))
    if only_prepare:
        return
    typer.echo(f"\nBouquet is at http://{made.host}:{made.port}\n\nSign in as one of:")
    for name, email, roles, password in PEOPLE:
        typer.echo(f"  {name:<16} {', '.join(roles):<9} {email:<26} password: {password}")
    typer.echo("\nCtrl+C stops it; “make demo” starts it again with everything kept.")
    sys.stdout.flush()
    # The server raises the signal that ended it once more; leaving in order stops the cluster, too.
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    services = Services.from_settings(made)
    try:
        serve_web(services, made)
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
        {"start": private.start, "stop": private.stop, "destroy": private.destroy}[act]()
    except BouquetError as error:
        _fail(str(error))


if __name__ == "__main__":
    app()
