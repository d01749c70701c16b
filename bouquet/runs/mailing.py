"""
Sending a run's files by mail (RFC 5322; RFC 3834 for what no person wrote).
"""

from __future__ import annotations

import hashlib
import mimetypes
import re
from collections.abc import Sequence
from contextlib import ExitStack
from datetime import datetime
from email.message import EmailMessage
from email.policy import SMTP
from email.utils import format_datetime
from pathlib import Path

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import insert

from bouquet.runs.mail_server import MailError, MailServer
from bouquet.runs.services import Services
from bouquet.store.models import Delivery, Person, Round, Run, RunFile

__all__ = ["mail_files"]

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
            session.execute(insert(Delivery).values(**entered).on_conflict_do_nothing())
        query = sa.select(Delivery).where(Delivery.run_id == run.id, Delivery.mode == "mail", ~Delivery.done)
        waiting = session.scalars(query.order_by(Delivery.position)).all()
    if not waiting:
        return
    if services.mail is None:
        raise MailError("Mail is not set up here, so nothing was sent; an administrator sets BOUQUET_SMTP_URL.")
    refused: list[str] = []
    for entry in waiting:
        try:
            services.mail.check_recipient(entry.target)
        except MailError as error:
            refused.append(str(error))
            continue
        with ExitStack() as stack:
            paths = [(f, stack.enter_context(services.storage.fetched(f.path))) for f in files]
            message = _message(services.mail, run, paths, entry.target, owner, services.clock())
        try:
            services.mail.send(message)
        except MailError as error:
            refused.append(str(error))
            continue
        with services.store.session() as session:
            session.get_one(Delivery, entry.id).done = True
    if refused:
        raise MailError(" ".join(refused))


def _message(
    server: MailServer, run: Run, files: Sequence[tuple[RunFile, Path]], to: str, owner: str, now: datetime
) -> EmailMessage:
    as_of = f"{run.as_of:%Y-%m-%d %H:%M} UTC"
    message = EmailMessage(policy=SMTP)
    message["From"], message["To"] = server.sender, to
    message["Subject"] = _one_line(f"{run.name}: {run.rows_written:,} rows, as of {as_of}")
    message["Date"] = format_datetime(now)
    # The same for the same run and address, so that a mail sent twice can be known as one.
    mark = hashlib.sha256(f"{run.id} {run.as_of.isoformat()} {to}".encode()).hexdigest()[:24]
    message["Message-ID"] = f"<run-{run.id}-{mark}@{server.sender.rpartition('@')[2]}>"
    message["Auto-Submitted"] = "auto-generated"
    attached = sum(f.size for f, _ in files) <= server.most_bytes
    message.set_content("\n".join(_body(server, run, [f for f, _ in files], as_of, owner, attached=attached)))
    for file, path in files if attached else ():
        kind = mimetypes.guess_type(file.name)[0] or "application/octet-stream"
        main, _, sub = kind.partition("/")
        message.add_attachment(path.read_bytes(), maintype=main, subtype=sub, filename=file.name)
    return message


def _body(
    server: MailServer, run: Run, files: Sequence[RunFile], as_of: str, owner: str, *, attached: bool
) -> list[str]:
    said = str((run.slip or {}).get("sentence", ""))
    lines = [run.name, "", *([said, ""] if said else []), f"Rows: {run.rows_written:,}", f"As of: {as_of}"]
    lines += [f"File: {f.name} ({f.size:,} bytes)" for f in files]
    if not attached:
        lines += ["", "The files are too large for a mail; they are kept in Bouquet with the run."]
    if server.address:
        lines += ["", f"{server.address.rstrip('/')}/runs/{run.id}"]
    return [*lines, "", f"Sent by Bouquet for a round of {owner}."]


def _one_line(text: str) -> str:
    return re.sub(r"[\x00-\x1f\x7f]+", " ", text)
