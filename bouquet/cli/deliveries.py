"""
Deliveries and recipients: listed, shown, acted on, taken out and put in.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated, Any

import sqlalchemy as sa
import typer

from bouquet.cli.common import AsJson, app, fail, json_of, open_services
from bouquet.core.errors import BouquetError
from bouquet.store.models import Delivery, Means, Recipient, Run

deliveries_app = typer.Typer(no_args_is_help=True, help="Files on their way to recipients.")
recipients_app = typer.Typer(no_args_is_help=True, help="Who receives files, and in which form.")
app.add_typer(deliveries_app, name="deliveries")
app.add_typer(recipients_app, name="recipients")

_Number = Annotated[int, typer.Argument(help="The delivery's number, as “bouquet deliveries list” shows it.")]
_Reason = Annotated[str, typer.Option("--reason", help="Why; it stands in the ledger.")]

#: Who does what is done by command line.
BY = "the command line"


def _facts(found: Delivery, run: Run) -> dict[str, Any]:
    names = {f.id: f.name for f in run.files}
    return {
        "delivery": found.id,
        "run": found.run_id,
        "name": run.name,
        "recipient": found.recipient.name,
        "by": found.means.name,
        "state": found.state,
        "says": found.reply or found.why,
        "tries": found.tries,
        "next": found.next_at.isoformat() if found.next_at else None,
        "files": [names.get(n, "") for n in found.files],
    }


@deliveries_app.command("list")
def list_all(
    state: Annotated[list[str] | None, typer.Option(help="Only those in this state, such as trying.")] = None,
    recipient: Annotated[str, typer.Option(help="Only those to this recipient.")] = "",
    run: Annotated[int | None, typer.Option(help="Only those of this run.")] = None,
    limit: Annotated[int, typer.Option(min=1, max=1_000)] = 50,
    as_json: AsJson = False,
) -> None:
    """
    List deliveries, the newest first.
    """
    from bouquet.store.deliveries import DeliveryFilter, list_deliveries

    with open_services() as services, services.store.session() as session:
        number = _recipient(session, recipient).id if recipient else None
        wanted = DeliveryFilter(number, run, None, tuple(state or ()))
        found = [_facts(d, session.get_one(Run, d.run_id)) for d in list_deliveries(session, wanted, limit)]
    if as_json:
        typer.echo(json.dumps(found, indent=2, ensure_ascii=False))
        return
    for d in found:
        said = f": {d['says']}" if d["says"] else ""
        typer.echo(f"{d['delivery']:>6}  {d['state']:<9} {d['name']} (run {d['run']}) to {d['recipient']}{said}")


@deliveries_app.command("show")
def show(number: _Number, as_json: AsJson = False) -> None:
    """
    Show a delivery and everything that happened to it.
    """
    from bouquet.store.deliveries import get_delivery

    with open_services() as services, services.store.session() as session:
        found = get_delivery(session, number)
        facts = _facts(found, session.get_one(Run, found.run_id))
        facts["events"] = [{"at": e.at.isoformat(), "state": e.state, "says": e.says, "by": e.by} for e in found.events]
    if as_json:
        typer.echo(json.dumps(facts, indent=2, ensure_ascii=False))
        return
    typer.echo(f"{facts['name']} (run {facts['run']}) to {facts['recipient']} by {facts['by']}: {facts['state']}")
    typer.echo(f"  files: {', '.join(facts['files'])}")
    for event in facts["events"]:
        by, said = f", by {event['by']}" if event["by"] else "", f": {event['says']}" if event["says"] else ""
        typer.echo(f"  {event['at'][:19]}  {event['state']}{by}{said}")


@deliveries_app.command("now")
def send_now(number: _Number) -> None:
    """
    Try a waiting delivery at once.
    """
    from bouquet.delivery import deliver_due
    from bouquet.store.deliveries import get_delivery
    from bouquet.store.deliveries import send_now as ask

    with open_services("asked for a delivery now") as services:
        with services.store.session() as session:
            line = ask(session, number, BY, services.clock()).line
        deliver_due(services, *line)
        with services.store.session() as session:
            found = get_delivery(session, number)
            typer.echo(f"{found.state}{': ' if found.reply or found.why else ''}{found.reply or found.why}")
            if found.state not in ("arrived", "offered"):
                raise typer.Exit(1)


@deliveries_app.command("again")
def send_again(number: _Number, to: Annotated[str, typer.Option(help="Another recipient, by name.")] = "") -> None:
    """
    Send a delivery's files once more, to the same recipient or to another one. A worker does it.
    """
    from bouquet.store.deliveries import send_again as again

    with open_services("sent a delivery again") as services, services.store.session() as session:
        other = _recipient(session, to).id if to else None
        typer.echo(f"Delivery {again(session, number, BY, services.clock(), other).id} waits to be sent.")


@deliveries_app.command("waive")
def waive(number: _Number, reason: _Reason) -> None:
    """
    Do without a delivery.
    """
    from bouquet.store.deliveries import waive as do_without

    with open_services("waived a delivery") as services, services.store.session() as session:
        do_without(session, number, BY, reason, services.clock())


@deliveries_app.command("withdraw")
def withdraw(number: _Number, reason: _Reason) -> None:
    """
    Take a delivery back, where its way allows it.
    """
    from bouquet.delivery import take_back

    with open_services("withdrew a delivery") as services:
        take_back(services, number, BY, reason)


@recipients_app.command("list")
def list_recipients(as_json: AsJson = False) -> None:
    """
    List the recipients, each as a sentence.
    """
    from bouquet.core.template import read_acceptance
    from bouquet.delivery import words_of
    from bouquet.designing.recipients import recipient_sentence
    from bouquet.store.recipients import list_recipients as listed

    with open_services() as services, services.store.session() as session:
        found = listed(session)
        if as_json:
            typer.echo(json.dumps([_document(r) for r in found], indent=2, ensure_ascii=False))
            return
        for r in found:
            acceptance = read_acceptance(r.acceptance)
            ways = [(means.kind, words_of(services, means, address)) for _, means, address in r.ways]
            typer.echo(recipient_sentence(r.name, acceptance, ways))


@recipients_app.command("export")
def export_recipient(name: Annotated[str, typer.Argument(help="Who; as “bouquet recipients list” shows it.")]) -> None:
    """
    Print a recipient as a document (JSON), to be kept or put in elsewhere.
    """
    with open_services() as services, services.store.session() as session:
        typer.echo(json.dumps(_document(_recipient(session, name)), indent=2, ensure_ascii=False))


@recipients_app.command("import")
def import_recipient(
    path: Annotated[Path, typer.Argument(help="A document; - for standard input.")],
) -> None:
    """
    Put a recipient in from a document, or set one of this name anew. The way out it names has to be there.
    """
    from bouquet.core.template import read_acceptance
    from bouquet.store import people
    from bouquet.store.recipients import MOST_WAYS, change, checked_name, keep, put_more_ways

    try:
        document = json_of(path)
        name = checked_name(str(document["name"]))
        ways = [(str(way["by"]), way.get("address", {})) for way in (document, *document.get("more_ways", ()))]
        acceptance = read_acceptance(document.get("acceptance", {}))
    except (ValueError, KeyError, TypeError, AttributeError) as error:
        fail(f"This is no recipient: {error}")
    except BouquetError as error:
        fail(str(error))
    if len(ways) > MOST_WAYS:
        fail(f"A recipient receives by at most {MOST_WAYS} ways.")
    with open_services("put in a recipient") as services, services.store.session() as session:
        (means_id, address), *more = [_way(session, way) for way in ways]
        facts = {
            "name": name,
            "about": str(document.get("about", ""))[:2_000],
            "means_id": means_id,
            "address": address,
            "acceptance": acceptance.as_document(),
        }
        known = _find(session, name)
        if known is not None:
            change(session, known, facts)
        else:
            keepers = people.keeper_ids(session)
            if not keepers:
                fail("Nobody administers this house yet; add a person first.")
            keep(session, Recipient(created_by=keepers[0], created_at=services.clock(), **facts))
        put_more_ways(session, known or _recipient(session, name), more, services.clock())
        typer.echo(f"{name} is {'set anew' if known is not None else 'added'}.")


def _way(session: Any, way: tuple[str, Any]) -> tuple[int, dict[str, Any]]:
    """
    (means, address) of a way of a document, which names its means.
    """
    from bouquet.delivery import checked_address

    by, address = way
    query = sa.select(Means).where(sa.func.lower(Means.name) == by.lower(), Means.deleted_at.is_(None))
    means = session.scalars(query).first()
    if means is None:
        fail(f"There is no way out called “{by}” here.")
    return means.id, checked_address(means.kind, address)


def _document(found: Recipient) -> dict[str, Any]:
    more = [{"by": w.means.name, "address": w.address} for w in found.more_ways]
    return {
        "name": found.name,
        "about": found.about,
        "by": found.means.name,
        "address": found.address,
        **({"more_ways": more} if more else {}),
        "acceptance": found.acceptance,
    }


def _find(session: Any, name: str) -> Recipient | None:
    query = sa.select(Recipient).where(
        sa.func.lower(Recipient.name) == name.strip().lower(), Recipient.deleted_at.is_(None)
    )
    found: Recipient | None = session.scalars(query).first()
    return found


def _recipient(session: Any, name: str) -> Recipient:
    found = _find(session, name)
    if found is None:
        fail(f"There is no recipient “{name}”.")
    return found
