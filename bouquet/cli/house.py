"""
Keeping the house: serving, workers, people, tokens, the demonstration.
"""

from __future__ import annotations

import base64
import hashlib
import json
import os
import signal
import sys
from collections.abc import Iterator
from contextlib import contextmanager, nullcontext
from dataclasses import replace
from email.message import EmailMessage
from pathlib import Path
from typing import Annotated, Any, Literal

import typer
from sqlalchemy.orm import Session

from bouquet.cli.common import (
    AsJson,
    app,
    chosen_source,
    fail,
    open_services,
)
from bouquet.cli.loading import loading
from bouquet.core.errors import BouquetError
from bouquet.core.rights import Limits
from bouquet.runs import (
    Queue,
    Services,
    checked_address,
)
from bouquet.runs.mail_server import as_sent
from bouquet.settings import settings
from bouquet.store import NotFound, WeakPassword, people, tokens
from bouquet.store.groups import settle
from bouquet.store.recipients import list_recipients


@app.command()
def migrate() -> None:
    """
    Bring Bouquet's own database to the newest version.
    """
    with open_services() as services:
        services.store.migrate()
        Queue(services).install()


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
    with open_services("made a token") as services, services.store.session() as session:
        found = people.find_person(session, email)
        if found is None:
            raise NotFound(f"There is no account with the address “{email}”.")
        acts = ["look", "run"] if may_run else ["look"]
        secret, _ = tokens.add_token(session, found.id, name, acts, services.clock(), days)
    typer.echo(secret)


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
    sends_to: Annotated[
        list[str] | None,
        typer.Option(
            help="To whom their files may go, by name; may be given again. “none” for nobody, “all” for anybody."
        ),
    ] = None,
    house_only: Annotated[
        bool | None,
        typer.Option("--house-only/--any-template", help="Whether they use only the house's standard templates."),
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
    try:
        people.check_password(password, name, email)
    except WeakPassword as error:
        raise typer.BadParameter(str(error)) from error
    with open_services("added or changed a person") as services, services.store.session() as session:
        seen: Any = "as it is" if scope is None else _scope(services, scope)
        known = people.put_person(session, email=email, name=name, roles=role, password=password, scope=seen)
        limits = Limits.read(known.own_limits)
        if house_only is not None:
            limits = replace(limits, house_only=house_only)
        if sends_to is not None:
            limits = replace(limits, sends_to=_recipients(session, sends_to))
        known.own_limits = limits.as_json()
        settle(session, known)


@app.command("hand-over")
def hand_over(
    email: Annotated[str, typer.Argument(help="Whose templates, bundles, rounds, lists and views they are.")],
    to: Annotated[str, typer.Argument(help="The address of the person whose they are to be.")],
) -> None:
    """
    Hand everything of somebody to another, such as before they leave. What the other may not have stays, with why; then
    this ends with 1.
    """
    from bouquet.rounds import handing

    with open_services("handed over") as services, services.store.session() as session:
        both = []
        for address in (email, to):
            found = people.find_person(session, address)
            if found is None:
                raise NotFound(f"There is no account with the address “{address}”.")
            both.append(found)
        handed, stays = handing.hand_over(services, session, *both)
    for thing in handed:
        typer.echo(f"{thing.kind} “{thing.name}” is {both[1].name}’s now")
    for left in stays:
        typer.echo(f"{left.thing.kind} “{left.thing.name}” stays: {left.why}", err=True)
    if stays:
        raise typer.Exit(1)


def _recipients(session: Session, names: list[str]) -> frozenset[int] | None:
    """
    The numbers of the recipients that are named; none for “none”, None for “all”.
    """
    if names == ["all"]:
        return None
    known = {r.name.lower(): r.id for r in list_recipients(session)}
    found = [] if names == ["none"] else names
    if unknown := [n for n in found if n.strip().lower() not in known]:
        raise typer.BadParameter(f"There is no recipient “{unknown[0]}”.", param_hint="--sends-to")
    return frozenset(known[n.strip().lower()] for n in found)


def _scope(services: Services, text: str) -> Any:
    """
    A scope as it was typed, checked against the catalogue. Without one, everything may be seen.
    """
    if text.strip().lower() == "all":
        return None
    where, mark, values = text.partition("=")
    records, _, field = where.strip().partition(".")
    source = chosen_source(services)
    known = source.catalogue().record_types.get(records)
    if not mark or known is None or known.field_named(field) is None:
        raise typer.BadParameter(f"“{text}” names no field of a record type", param_hint="--scope")
    scope = {"records": records, "field": field, "values": [v.strip() for v in values.split(",") if v.strip()]}
    return {**scope, "source": source.key} if source.key else scope


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
    with loading():
        from bouquet.web import serve as serve_web

    with _private_store(folder) if private else nullcontext(), open_services() as services:
        if private:
            # It runs only now, so that nobody else could bring it up to date.
            services.store.migrate()
            Queue(services).install()
        serve_web(services, settings())


@app.command("serve-beside", hidden=True)
def serve_beside(listening: Annotated[int, typer.Argument(help="The socket, by its number.")]) -> None:
    """
    One more process of a web server that runs; it begins them itself.
    """
    with loading():
        from bouquet.web import serve_beside as serve_web_beside

    with open_services() as services:
        serve_web_beside(services, settings(), listening)


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
        fail(str(error))
    os.environ["BOUQUET_STORE_URL"] = cluster.url("bouquet", "bouquet", password)
    # Whoever can read the cluster's files can read the key; one that is set goes before.
    key = base64.urlsafe_b64encode(hashlib.sha256(f"sources {cluster.password}".encode()).digest()).decode()
    os.environ.setdefault("BOUQUET_SECRET_KEY", key)
    try:
        yield
    finally:
        cluster.stop()


@app.command("mail")
def try_mail(address: Annotated[str, typer.Argument(help="Who gets the mail.")]) -> None:
    """
    Send a mail to try the house's mail server, and say what it said.
    """
    with open_services() as services:
        if services.mail is None:
            fail("Mail is not set up: BOUQUET_SMTP_URL is missing; docs/reference/settings.md says more.")
        message = EmailMessage()
        message["From"], message["To"] = as_sent(services.mail.sender), as_sent(checked_address(address))
        message["Subject"] = "Bouquet can send mail"
        message["Auto-Submitted"] = "auto-generated"
        message.set_content("This mail was sent by “bouquet mail”, to try the server.")
        services.mail.send(message)
    typer.echo(f"{services.mail.host} took the mail to {address}.")


@app.command()
def worker(concurrency: Annotated[int, typer.Option(help="Runs at the same time.")] = 2) -> None:
    """
    Work off runs, beside a server here or elsewhere.
    """
    from bouquet.rounds import work

    with open_services() as services:
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
        fail(str(error))
    if only_prepare:
        demonstration.close_post_room()
        return
    try:
        listening = bound_socket(made)
    except OSError as error:
        demonstration.cluster.stop()
        fail(f"Port {made.port} was taken in the meantime ({error.strerror}). Start it again.")
    typer.echo(f"\nBouquet is at http://{made.host}:{made.port}\n\nSign in as one of:")
    for name, email, roles, password in PEOPLE:
        typer.echo(f"  {name:<16} {', '.join(roles):<9} {email:<26} password: {password}")
    typer.echo("\nCtrl+C stops it; “make demo” starts it again with everything kept.")
    sys.stdout.flush()
    # The server raises the signal that ended it once more; leaving in order stops the cluster, too.
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    services = Services.from_settings(made)
    try:
        serve_web(services, made, listening, post_room=demonstration.room)
    finally:
        services.close()
        demonstration.close_post_room()
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
            fail("The cluster is in use by another process; it was left running.")
        elif act == "start":
            private.start()
        elif act == "destroy":
            private.destroy()
    except BouquetError as error:
        fail(str(error))


@app.command("journal")
def journal_(
    verify: Annotated[bool, typer.Option("--verify", help="Hold every entry against its seal.")] = False,
    count: Annotated[int, typer.Option(min=1, max=10_000)] = 50,
    search: Annotated[str, typer.Option(help="Only with this in who, what or name.")] = "",
    as_json: AsJson = False,
) -> None:
    """
    Who did what, the newest first; or whether the journal is as it was written.
    """
    from bouquet.store import journal

    with open_services() as services, services.store.session() as session:
        if verify:
            found = journal.verify_journal(session, services.clock())
            waiting = f", {found.waiting:,} of them not sealed yet" if found.waiting else ""
            gone = f", {found.retired:,} older ones let go by the rule" if found.retired else ""
            typer.echo(f"{found.entries:,} entries{waiting}{gone}, {found.seals:,} seals. Newest seal: {found.digest}")
            for said in found.wrong:
                typer.echo(f"wrong: {said}", err=True)
            if found.wrong:
                raise typer.Exit(1)
            return
        for e in journal.list_entries(session, journal.JournalFilter(search=search or None), count):
            facts = {"at": e.at.isoformat(), "who": e.who, "via": e.via, "act": e.act, "thing": e.thing}
            if as_json:
                more = {"address": e.address, "thing_id": e.thing_id, "name": e.name, "facts": e.facts}
                typer.echo(json.dumps({**facts, **more}, ensure_ascii=False))
            else:
                thing = f" ({e.thing} {e.thing_id}{', ' + e.name if e.name else ''})" if e.thing else ""
                typer.echo(f"{e.at:%Y-%m-%d %H:%M:%S}  {e.who}, by {e.via}: {e.act}{thing}")
