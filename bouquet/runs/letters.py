"""
Mails that carry a run's files, or say where they are (RFC 5322; RFC 3834 for what no person wrote).
"""

from __future__ import annotations

import html
import mimetypes
import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from email.message import EmailMessage
from email.policy import SMTP
from email.utils import format_datetime
from pathlib import Path

from bouquet.core.language import language, tr, trn, whole
from bouquet.runs.mail_server import as_sent

__all__ = ["Enclosure", "Letter", "compose"]


@dataclass(frozen=True)
class Enclosure:
    """
    A file that a mail speaks of; with a path, it is attached.
    """

    name: str
    size: int
    path: Path | None = None


@dataclass(frozen=True)
class Letter:
    """
    What a mail says. `mark` is the first part of its Message-ID: the same for the same delivery, so that a mail sent
    twice can be known as one. `page` is where the files are, or where people read about the run.
    """

    sender: str
    to: Sequence[str]
    title: str
    sentence: str
    rows: int
    as_of: datetime
    owner: str
    mark: str
    sent_at: datetime
    enclosures: Sequence[Enclosure] = ()
    page: str = ""
    page_words: str = ""
    notes: Sequence[str] = ()


def compose(letter: Letter) -> EmailMessage:
    """
    The mail: plain text, the same in HTML, and the attachments.
    """
    message = EmailMessage(policy=SMTP)
    sender = as_sent(letter.sender)
    message["From"], message["To"] = sender, ", ".join(as_sent(to) for to in letter.to)
    as_of = f"{letter.as_of:%Y-%m-%d %H:%M} UTC"
    message["Subject"] = _one_line(
        trn(
            "{letter}: {n} row, as of {as_of}",
            "{letter}: {n} rows, as of {as_of}",
            letter.rows,
            letter=letter.title,
            as_of=as_of,
        )
    )
    message["Date"] = format_datetime(letter.sent_at)
    message["Message-ID"] = f"<{letter.mark}@{sender.rpartition('@')[2]}>"
    message["Auto-Submitted"] = "auto-generated"
    facts = [(tr("Rows"), whole(letter.rows)), (tr("As of"), as_of)]
    facts += [(tr("File"), tr("{name} ({size} bytes)", name=e.name, size=whole(e.size))) for e in letter.enclosures]
    message.set_content(_plain(letter, facts))
    message.add_alternative(_html(letter, facts), subtype="html")
    for enclosure in letter.enclosures:
        if enclosure.path is not None:
            kind = mimetypes.guess_type(enclosure.name)[0] or "application/octet-stream"
            main, _, sub = kind.partition("/")
            body = enclosure.path.read_bytes()
            message.add_attachment(body, maintype=main, subtype=sub, filename=enclosure.name)
    return message


def _plain(letter: Letter, facts: Sequence[tuple[str, str]]) -> str:
    lines = [letter.title, "", *([letter.sentence, ""] if letter.sentence else [])]
    lines += [f"{name}: {said}" for name, said in facts]
    if letter.notes:
        lines += ["", *letter.notes]
    if letter.page:
        lines += ["", letter.page]
    return "\n".join([*lines, "", _closing(letter)]) + "\n"


def _html(letter: Letter, facts: Sequence[tuple[str, str]]) -> str:
    text = html.escape
    rows = "".join(
        f'<tr><th align="left" style="padding:2px 16px 2px 0;font-weight:normal;color:#5a5a5a">{text(n)}</th>'
        f"<td>{text(said)}</td></tr>"
        for n, said in facts
    )
    notes = "".join(f"<p>{text(n)}</p>" for n in letter.notes)
    words = letter.page_words or tr("Read about this run")
    page = f'<p><a href="{text(letter.page)}">{text(words)}</a></p>' if letter.page else ""
    return (
        f'<!doctype html><html lang="{language()}">'
        '<body style="font:15px/1.5 sans-serif;color:#1d1d1b;max-width:640px">'
        f'<h1 style="font-size:18px">{text(letter.title)}</h1><p>{text(letter.sentence)}</p>'
        f"<table>{rows}</table>{notes}{page}"
        f'<p style="color:#5a5a5a;font-size:13px">{text(_closing(letter))}</p></body></html>'
    )


def _closing(letter: Letter) -> str:
    return tr("Sent by Bouquet for {owner}; ask them if something is not right.", owner=letter.owner)


def _one_line(text: str) -> str:
    """
    A text without controls, and without anything else that the library takes for the end of a line.
    """
    return re.sub(r"[\x00-\x1f\x7f-\x9f\u2028\u2029]+", " ", text)
