"""
Mails to people about signing in: an invitation, or a link for who forgot their password.
"""

from __future__ import annotations

import secrets
from datetime import datetime
from email.message import EmailMessage
from email.policy import SMTP
from email.utils import format_datetime

from bouquet.core.language import Texts, tr
from bouquet.runs.mail_server import MailError, MailServer
from bouquet.runs.services import Services
from bouquet.store.links import LIVES, WhatFor
from bouquet.store.models import Person

__all__ = ["check_can_invite", "mail_link"]

_TITLES: Texts[WhatFor] = Texts({"invite": "Your way into Bouquet", "recover": "A new password for Bouquet"})
_SAYS: Texts[WhatFor] = Texts(
    {
        "invite": "{by} has let you into Bouquet. Choose a password here, and sign in with this address of yours:",
        "recover": "Somebody, you we hope, asked for a new password. Choose it here; if it was not you, do nothing:",
    }
)


def check_can_invite(services: Services, email: str) -> MailServer:
    """
    The server that a link can be sent by. Raises MailError.
    """
    server = services.mail
    if server is None:
        raise MailError(
            tr("Mail is not set up here, so nobody can be invited; an administrator sets BOUQUET_SMTP_URL.")
        )
    if not server.address:
        raise MailError(tr("A link needs an address to lead to; an administrator sets BOUQUET_PUBLIC_URL."))
    server.check_recipient(email)
    return server


def mail_link(services: Services, person: Person, what_for: WhatFor, secret: str, by: str, now: datetime) -> None:
    """
    Send somebody a link to set a password. The secret stands behind the address's hash, which browsers keep to
    themselves. Raises MailError.
    """
    server = check_can_invite(services, person.email)
    title, said = _TITLES[what_for], _SAYS[what_for]
    hours = round(LIVES[what_for].total_seconds() / 3600)
    lasts = tr("{hours} days", hours=hours // 24) if hours >= 48 else tr("an hour")
    message = EmailMessage(policy=SMTP)
    message["From"], message["To"], message["Subject"] = server.sender, person.email, title
    message["Date"] = format_datetime(now)
    message["Message-ID"] = f"<link-{secrets.token_hex(12)}@{server.sender.rpartition('@')[2] or 'localhost'}>"
    message["Auto-Submitted"] = "auto-generated"
    link = f"{server.address.rstrip('/')}/set-password#{secret}"
    message.set_content(
        tr(
            "{person},\n\n{said}\n\n{link}\n\nThe link is good for {lasts}, once.\n",
            person=person.name,
            said=said.format(by=by),
            link=link,
            lasts=lasts,
        )
    )
    server.send(message)
