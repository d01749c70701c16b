"""
Sending a run's files by mail (RFC 5322; RFC 3834 for what no person wrote).
"""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from contextlib import ExitStack
from datetime import datetime
from email.message import EmailMessage
from pathlib import Path

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import insert

from bouquet.core.language import tr
from bouquet.runs.letters import Enclosure, Letter, compose
from bouquet.runs.mail_server import MailError, MailServer
from bouquet.runs.services import Services
from bouquet.store.models import Person, Placing, Round, Run, RunFile

__all__ = ["mail_files", "mail_to_person"]

#: The position of the first mail among a run's deliveries; files come before.
FIRST = 1_000


def mail_files(services: Services, run: Run, files: Sequence[RunFile]) -> None:
    """
    Send a run's files to everybody whom its round sends to, once each: what was sent is entered in the ledger, and a
    repeated delivery goes on where the last one stopped. Raises MailError when somebody's mail was not taken; the
    others get theirs all the same.
    """
    with services.store.session() as session:
        round_ = session.get_one(Round, run.round_id)
        owner = session.get_one(Person, round_.created_by).name
        addresses = list(round_.mail_to)
        for n, address in enumerate(addresses):
            values = {"run_id": run.id, "position": FIRST + n, "target": address, "mode": "mail"}
            entered = {**values, "entered_at": services.clock()}
            session.execute(insert(Placing).values(**entered).on_conflict_do_nothing())
        query = sa.select(Placing).where(Placing.run_id == run.id, Placing.mode == "mail", ~Placing.done)
        waiting = session.scalars(query.order_by(Placing.position)).all()
    if not waiting:
        return
    server = _server_of(services)
    refused: list[str] = []
    for entry in waiting:
        try:
            server.check_recipient(entry.target)
        except MailError as error:
            refused.append(str(error))
            continue
        with ExitStack() as stack:
            paths = [(f, stack.enter_context(services.storage.fetched(f.path))) for f in files]
            message = _message(server, run, paths, entry.target, owner, services.clock())
        try:
            server.send(message)
        except MailError as error:
            refused.append(str(error))
            continue
        with services.store.session() as session:
            session.get_one(Placing, entry.id).done = True
    if refused:
        raise MailError(" ".join(refused))


def mail_to_person(services: Services, run: Run, files: Sequence[RunFile], person: Person) -> None:
    """
    Send a run's files to somebody who may fetch them, at their own address. Raises MailError.
    """
    server = _server_of(services)
    server.check_recipient(person.email)
    with ExitStack() as stack:
        paths = [(f, stack.enter_context(services.storage.fetched(f.path))) for f in files]
        server.send(_message(server, run, paths, person.email, person.name, services.clock()))


def _server_of(services: Services) -> MailServer:
    if services.mail is None:
        raise MailError(tr("Mail is not set up here, so nothing was sent; an administrator sets BOUQUET_SMTP_URL."))
    return services.mail


def _message(
    server: MailServer, run: Run, files: Sequence[tuple[RunFile, Path]], to: str, owner: str, now: datetime
) -> EmailMessage:
    attached = sum(f.size for f, _ in files) <= server.most_bytes
    mark = hashlib.sha256(f"{run.id} {run.as_of.isoformat()} {to}".encode()).hexdigest()[:24]
    too_large = tr("The files are too large for a mail; they are kept in Bouquet with the run.")
    return compose(
        Letter(
            sender=server.sender,
            to=[to],
            title=run.name,
            sentence=str((run.slip or {}).get("sentence", "")),
            rows=run.rows_written,
            as_of=run.as_of,
            owner=owner,
            mark=f"run-{run.id}-{mark}",
            sent_at=now,
            enclosures=[Enclosure(f.name, f.size, path if attached else None) for f, path in files],
            page=f"{server.address.rstrip('/')}/runs/{run.id}" if server.address else "",
            notes=() if attached else (too_large,),
        )
    )
