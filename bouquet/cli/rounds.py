"""
Rounds: listed, looked at, run now, paused and let go on, their next moment left out.
"""

from __future__ import annotations

import json
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated, Any
from zoneinfo import ZoneInfo

import sqlalchemy as sa
import typer
from sqlalchemy.orm import Session

from bouquet.cli.common import AsJson, app, fail, json_of, moment_of, open_services
from bouquet.store.models import Occurrence, Round, Run

rounds_app = typer.Typer(no_args_is_help=True, help="Templates that run by themselves.")
app.add_typer(rounds_app, name="rounds")

_Number = Annotated[int, typer.Argument(help="The round's number, as “bouquet rounds list” shows it.")]

#: Planned moments, and past ones, that are shown.
AHEAD, BEHIND = 10, 10


def _facts(session: Session, found: Round, ahead: int) -> dict[str, Any]:
    from bouquet.rounds import NEVER, rhythm_of, rhythm_words
    from bouquet.store.house import days_off

    planned: list[datetime] = []
    if not found.paused and found.next_at < NEVER:
        planned = [found.next_at, *rhythm_of(found, days_off(session)).next(found.next_at, ahead - 1)]
    return {
        "round": found.id,
        "template": found.template.name,
        "when": rhythm_words(found),
        "folder": found.folder,
        "mail_to": found.mail_to,
        "paused": found.paused,
        "paused_until": found.paused_until.isoformat() if found.paused_until else None,
        "next": [m.isoformat() for m in planned],
    }


def _on_its_clock(found: Round, moment: str) -> str:
    return f"{datetime.fromisoformat(moment).astimezone(ZoneInfo(found.zone)):%a %Y-%m-%d %H:%M %Z}"


@rounds_app.command("list")
def list_all(as_json: AsJson = False) -> None:
    """
    List the rounds, the next one first.
    """
    from bouquet.rounds import list_rounds

    with open_services() as services, services.store.session() as session:
        found = [(r, _facts(session, r, 1)) for r in list_rounds(session)]
        if as_json:
            typer.echo(json.dumps([facts for _, facts in found], indent=2, ensure_ascii=False))
            return
        for round_, facts in found:
            following = "paused" if facts["paused"] else ""
            following = following or (f"next {_on_its_clock(round_, facts['next'][0])}" if facts["next"] else "waits")
            typer.echo(f"{round_.id:>6}  {facts['template']}, {facts['when']}: {following}")


@rounds_app.command("show")
def show(number: _Number, as_json: AsJson = False) -> None:
    """
    Show a round: its next moments, and what became of the last ones.
    """
    from bouquet.rounds import get_round

    with open_services() as services, services.store.session() as session:
        found = get_round(session, number)
        facts = _facts(session, found, AHEAD)
        query = (
            sa.select(Occurrence.planned_at, Occurrence.note, Run.id, Run.status)
            .outerjoin(Run, Run.id == Occurrence.run_id)
            .where(Occurrence.round_id == found.id)
            .order_by(Occurrence.planned_at.desc())
        )
        facts["past"] = [
            {"planned_at": at.astimezone(UTC).isoformat(), "note": note, "run": run, "status": status}
            for at, note, run, status in session.execute(query.limit(BEHIND))
        ]
        if as_json:
            typer.echo(json.dumps(facts, indent=2, ensure_ascii=False))
            return
        typer.echo(f"{facts['template']}, {facts['when']}{', paused' if facts['paused'] else ''}")
        for moment in facts["next"]:
            typer.echo(f"    {_on_its_clock(found, moment)}  planned")
        for one in facts["past"]:
            became = f"run {one['run']}, {one['status']}" if one["run"] else "no run"
            note = f" ({one['note']})" if one["note"] else ""
            typer.echo(f"    {_on_its_clock(found, one['planned_at'])}  {became}{note}")


@rounds_app.command("next")
def following(number: _Number, count: Annotated[int, typer.Option(min=1, max=400)] = AHEAD) -> None:
    """
    Print the next planned moments of a round, one a line (ISO 8601, UTC).
    """
    from bouquet.rounds import get_round

    with open_services() as services, services.store.session() as session:
        for moment in _facts(session, get_round(session, number), count)["next"]:
            typer.echo(moment)


@rounds_app.command("run")
def run(number: _Number) -> None:
    """
    Ask for a run of a round now, beside the planned ones; a worker makes it.
    """
    from bouquet.rounds import make_queue, run_now

    with open_services("ran a round") as services:
        queue = make_queue(services)
        with queue.opened():
            with services.store.session() as session:
                made = run_now(services, session, number, services.clock())
                run_id, status = made.id, made.status
            if status == "asked":
                queue.put(run_id)
    if status != "asked":
        fail(f"Run {run_id} could not begin; “bouquet slip {run_id}” and the ledger say why.")
    typer.echo(f"Run {run_id} is asked for.")


@rounds_app.command("pause")
def pause(
    number: _Number,
    until: Annotated[str | None, typer.Option(help="A moment at which it goes on by itself.")] = None,
) -> None:
    """
    Pause a round, for good or until a moment.
    """
    _set(number, True, until)


@rounds_app.command("go-on")
def go_on(number: _Number) -> None:
    """
    Let a paused round go on from now; what it missed is not made up for.
    """
    _set(number, False, None)


def _set(number: int, paused: bool, until: str | None) -> None:
    from bouquet.rounds import get_round, set_paused

    with open_services("paused a round, or let it go on") as services, services.store.session() as session:
        moment = moment_of(until, get_round(session, number).zone)
        found = set_paused(session, number, paused, services.clock(), moment)
        facts = _facts(session, found, 1)
        said = "paused" if paused else "goes on"
        ends = f" until {_on_its_clock(found, facts['paused_until'])}" if facts["paused_until"] else ""
        typer.echo(f"{facts['template']} {said}{ends}.")


@rounds_app.command("skip")
def skip(number: _Number) -> None:
    """
    Leave the next planned moment of a round out.
    """
    from bouquet.rounds import get_round, skip_next

    with open_services("left out a round’s next moment") as services, services.store.session() as session:
        before = _facts(session, get_round(session, number), 1)["next"]
        if not before:
            fail("This round has no planned moment to leave out.")
        found = skip_next(session, number, "the command line", services.clock())
        typer.echo(f"{_on_its_clock(found, before[0])} is left out.")


@rounds_app.command("export")
def export(number: _Number) -> None:
    """
    Print a round as a document, with names where the store has numbers.
    """
    from bouquet.rounds import get_round
    from bouquet.rounds.setting import document_of

    with open_services() as services, services.store.session() as session:
        typer.echo(json.dumps(document_of(get_round(session, number)).as_document(), indent=2, ensure_ascii=False))


@rounds_app.command("import")
def import_(
    file: Annotated[Path, typer.Argument(help="A document of a round; “-” reads it from the input.")],
    person: Annotated[str, typer.Option(help="The address of the person whose round it is to be.")],
) -> None:
    """
    Set a round that a document says. The template and the recipients that it names have to be here.
    """
    from bouquet.rounds.document import read_round
    from bouquet.rounds.setting import named_in, put_recipients, round_facts
    from bouquet.rounds.watching import note_baseline
    from bouquet.store import people

    document = read_round(json_of(file))
    with open_services("set a round from a document") as services:
        with services.store.session() as session:
            owner = people.find_person(session, person)
            if owner is None:
                fail(f"Nobody here has the address {person}.")
            wanted = named_in(session, document, owner)
            found = Round(created_by=owner.id, **round_facts(services, session, owner, wanted))
            session.add(found)
            put_recipients(session, found, wanted.recipients)
            session.flush()
            number, name = found.id, document.template
        note_baseline(services, number)
    typer.echo(f"Round {number} runs “{name}”.")
