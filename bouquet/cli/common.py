"""
What the groups of commands share: services, documents, answers, and how failures are told.
"""

from __future__ import annotations

import errno
import getpass
import json
import socket
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Annotated, Any, NoReturn
from zoneinfo import ZoneInfo

import psycopg
import sqlalchemy.exc
import typer
import typer.core
from psycopg.errors import UndefinedColumn, UndefinedTable
from pydantic import ValidationError

from bouquet.core.catalogue import RecordType
from bouquet.core.errors import BouquetError, DocumentError, Problem, TemplateError, nearest
from bouquet.core.exact_json import read_json
from bouquet.core.plan import Plan, resolve
from bouquet.core.template import Template, read_document
from bouquet.core.windows import read_window
from bouquet.core.wording.sentence import Sentence
from bouquet.logs import configure_logs
from bouquet.runs import (
    Services,
)
from bouquet.settings import settings
from bouquet.sources import Source
from bouquet.store import NotFound, journal
from bouquet.store import templates as shelf
from bouquet.traces import configure_traces


class TellingGroup(typer.core.TyperGroup):
    """
    Commands whose failures are told in words, wherever they happen.
    """

    def invoke(self, ctx: Any) -> Any:
        """
        Carry out the command that was asked for.
        """
        try:
            return super().invoke(ctx)
        except TemplateError as error:
            for problem in error.problems:
                typer.echo(f"{problem.place or 'template'}: {problem.message}", err=True)
                for way in problem.ways_out:
                    cure = f" (set {way.place} to {json.dumps(way.value, ensure_ascii=False)})" if way.place else ""
                    typer.echo(f"  could be: {way.label}{cure}", err=True)
            raise typer.Exit(1) from error
        except BouquetError as error:
            fail(str(error))
        except (sqlalchemy.exc.OperationalError, psycopg.OperationalError):
            fail("Bouquet's own database cannot be reached. Is it running?")
        except sqlalchemy.exc.ProgrammingError as error:
            if not isinstance(error.orig, (UndefinedTable, UndefinedColumn)):
                raise
            fail("Bouquet's own database is of another version. “bouquet migrate” brings it up to date.")
        except sqlalchemy.exc.DataError:
            fail("One of the numbers given is larger than any that there is.")
        except OSError as error:
            if error.errno == errno.EPIPE:
                raise
            fail(f"{error.strerror}: {str(error.filename or '')[:200]}")
        except RecursionError:
            fail("What was given is nested more deeply than anything that can be read.")


app = typer.Typer(cls=TellingGroup, add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False)


schema_app = typer.Typer(no_args_is_help=True, help="Schemas that Bouquet publishes.")
app.add_typer(schema_app, name="schema")


#: The source that commands speak of, as `--source` named it.
_chosen: ContextVar[str | None] = ContextVar("source", default=None)


@app.callback()
def entrance(
    source: Annotated[
        str | None, typer.Option(help="Which source is meant, where the house has several; its first if not given.")
    ] = None,
) -> None:
    """
    Export templates over your own records: designed on real rows, run on demand or by the calendar, with proof.
    """
    configure_logs()
    configure_traces()
    _chosen.set(source)


def chosen_source(services: Services) -> Source:
    """
    The source that `--source` named, by its name or title, or the house's first. Ends with a message where there is
    none.
    """
    wanted = _chosen.get()
    if wanted is None:
        return services.sources.get(services.sources.default)
    known = services.sources.listed()
    if wanted in known:
        return services.sources.get(wanted)
    fixed = services.sources.fixed
    if fixed is None or fixed.name.lower() != wanted.lower():
        fail(f"There is no source “{wanted}”. “bouquet source list” shows them.")
    return services.sources.get()


@contextmanager
def open_services(act: str = "") -> Iterator[Services]:
    """
    What a command works with; `act` is what the journal says that it did.
    """
    try:
        services = Services.from_settings(settings())
    except ValidationError as error:
        missing = ", ".join(f"BOUQUET_{e['loc'][0]}".upper() for e in error.errors())
        fail(f"Settings are missing: {missing}. “make demo” makes a set to try; docs/reference/settings.md lists them.")
    try:
        yield services
        if act:
            _note_command(services, act)
    finally:
        services.close()


def _note_command(services: Services, act: str) -> None:
    """
    Write into the journal what a command did: who at which machine, never its arguments.
    """
    who = f"{getpass.getuser()} at {socket.gethostname()}"
    with services.store.session() as session:
        journal.add_entry(session, services.clock(), act, who=who, via="command line")


def fail(message: str) -> NoReturn:
    typer.echo(message, err=True)
    raise typer.Exit(1)


def moment_of(text: str | None, zone: str) -> datetime | None:
    if text is None:
        return None
    try:
        moment = datetime.fromisoformat(text)
    except ValueError as error:
        msg = f"“{text}” is not a moment, such as 2026-11-22 or 2026-11-22T06:00"
        raise typer.BadParameter(msg, param_hint="--as-of") from error
    return moment if moment.tzinfo else moment.replace(tzinfo=ZoneInfo(zone))


@dataclass(frozen=True)
class Named:
    """
    What a command was given: a document, the template and version it is of, if it is one, and the source it reads.
    """

    document: dict[str, Any]
    template_id: int | None
    version: int | None
    source: Source


def json_of(path: Path) -> Any:
    """
    The JSON of a file, or of standard input for `-`. Ends the command where there is none.
    """
    try:
        return read_json(sys.stdin.read() if str(path) == "-" else path.read_text(encoding="utf-8"))
    except (OSError, ValueError) as error:
        fail(f"{path} cannot be read as JSON: {error}")


def document_of(services: Services, named: str) -> Named:
    """
    A document from a file or from the library, with the template's number and version where it has them.
    """
    path = Path(named)
    if path.suffix == ".json" or path.is_file():
        try:
            document = read_json(path.read_text(encoding="utf-8"))
            return Named(document, None, None, chosen_source(services))
        except OSError as error:
            raise NotFound(f"There is no file “{named}” that can be read.") from error
        except ValueError as error:
            raise DocumentError([Problem(code="not_json", message=f"{named} is not JSON: {error}")]) from error
    with services.store.session() as session:
        record = shelf.find_template(session, named)
        if record is not None and record.kind == "bundle":
            raise NotFound(f"“{named}” is a bundle; “bouquet bundle --saved” runs it.")
        if record is None:
            raise NotFound(f"There is neither a template called “{named}” nor a file of that name.")
        saved = shelf.latest_version(session, record.id)
        source = services.sources.get(record.source)
        if saved is None:
            return Named(record.draft, record.id, None, source)
        return Named(saved.document, record.id, saved.number, source)


def record_type_of(services: Services, name: str) -> RecordType:
    types = chosen_source(services).catalogue().record_types
    if name not in types:
        candidates = nearest(name, list(types))
        hint = f" Did you mean {' or '.join(candidates)}?" if candidates else ""
        fail(f"There is no record type “{name}”.{hint}")
    return types[name]


@dataclass(frozen=True)
class Planned:
    plan: Plan
    words: dict[str, str]
    sentence: str
    source: Source


def planned(services: Services, named: str, as_of: str | None, answer: list[str] | None) -> Planned:
    found = document_of(services, named)
    read, source = read_document(found.document), found.source
    answers = answers_of(read, answer) if answer else None
    moment = moment_of(as_of, read.zone)
    context = services.context(moment, answers=answers, template_id=found.template_id, source=source.key)
    catalogue = source.catalogue()
    plan = resolve(read, catalogue, context).require()
    sentence = Sentence(read, catalogue, context)
    return Planned(plan, dict(sentence.steps()), sentence.text(), source)


AsOf = Annotated[str | None, typer.Option(help="The moment windows count from; now if not given.")]


Answer = Annotated[list[str] | None, typer.Option(help="An answer to an ask: name=value; may be given again.")]


AsJson = Annotated[bool, typer.Option("--json", help="Print JSON.")]


TemplateName = Annotated[str, typer.Argument(help="A saved template's name, or a template document's file.")]


RecordTypeName = Annotated[str, typer.Argument(help="A record type, such as tree.")]


def _yes_or_no(entry: str, text: str) -> bool:
    said = {"yes": True, "y": True, "true": True, "1": True, "no": False, "n": False, "false": False, "0": False}
    if text.strip().lower() not in said:
        raise typer.BadParameter(f"“{entry}” says neither yes nor no", param_hint="--answer")
    return said[text.strip().lower()]


def _window(entry: str, text: str) -> Any:
    if text.startswith("{"):
        try:
            return read_json(text)
        except ValueError as error:
            raise typer.BadParameter(f"“{entry}” is not JSON: {error}", param_hint="--answer") from error
    window = read_window(text)
    if window is None:
        message = f"“{text}” is no period, such as “previous month”, “last 30 days” or “2026-01-01 to 2026-01-31”"
        raise typer.BadParameter(message, param_hint="--answer")
    return window.model_dump(mode="json", exclude_defaults=True) | {"type": window.type}


def answers_of(template: Template, given: list[str]) -> dict[str, Any]:
    """
    Answers as they were typed. Several values of a choice stand between commas; a window is a JSON object, or stands in
    words such as `previous month`.
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
            found[name] = _yes_or_no(entry, text)
        elif kind == "window":
            found[name] = _window(entry, text)
        else:
            found[name] = text
    return found
