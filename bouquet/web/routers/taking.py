"""
Pages for people who never sign in: what there is to fetch, and fetching it. Addresses are secrets; nothing of them is
logged or told on.

Looking never counts as fetching: programs that look through mails follow addresses, but press no buttons.
"""

from __future__ import annotations

import base64
import hashlib
import html
from dataclasses import dataclass
from decimal import Decimal
from typing import Annotated
from urllib.parse import parse_qs

import sqlalchemy as sa
from fastapi import APIRouter, Depends, Path, Request
from fastapi.responses import HTMLResponse, Response, StreamingResponse
from sqlalchemy.orm import Session

from bouquet.core.language import language, moment_words, number_words, tr, trn
from bouquet.core.naming import content_disposition
from bouquet.delivery.link import digest_of, passphrase_fits
from bouquet.runs import Services
from bouquet.store import deliveries as outbox
from bouquet.store import journal
from bouquet.store.allowed import barred
from bouquet.store.models import Delivery, Link, Person, Run, RunFile
from bouquet.web.access import Id, TheServices

router = APIRouter(prefix="/take", include_in_schema=False)

Secret = Annotated[str, Path(min_length=40, max_length=40, pattern=r"^[0-9a-f]{40}$")]

#: Wrong passphrases after which a link is closed.
MOST_REFUSED = 10

#: Bytes of a form.
MOST_FORM = 2_000

HEADERS = {"Cache-Control": "no-store", "Referrer-Policy": "same-origin", "X-Robots-Tag": "noindex, nofollow"}


@dataclass(frozen=True)
class _Offer:
    """
    What is at a link.
    """

    delivery: Delivery
    link: Link
    run: Run
    files: list[RunFile]
    #: Whom to ask: who set the round, or asked for the run.
    owner: str

    def left(self, file: RunFile) -> int:
        return max(0, self.link.most - int(self.link.fetches.get(str(file.id), 0)))


@router.get("/{secret}")
def look(secret: Secret, services: TheServices) -> HTMLResponse:
    """
    What can be fetched, or what has to be said first.
    """
    with services.store.session() as session:
        offer = _offer(session, services, secret)
    if offer is None:
        return _gone()
    return _asking(secret) if offer.link.passphrase_hash else _offering(secret, offer, "")


async def _form(request: Request) -> dict[str, str]:
    body = b""
    async for piece in request.stream():
        body += piece
        if len(body) > MOST_FORM:
            return {}
    try:
        fields = parse_qs(body.decode(errors="replace"), max_num_fields=10)
    except ValueError:
        # More fields than any form of ours has.
        return {}
    return {k: v[0] for k, v in fields.items()}


#: What a form says, by the names of its fields; nothing where it is none of ours.
Form = Annotated[dict[str, str], Depends(_form)]


@router.post("/{secret}")
def open_with_passphrase(secret: Secret, given: Form, services: TheServices) -> HTMLResponse:
    """
    The same, for who knows the passphrase.
    """
    with services.store.session() as session:
        offer = _offer(session, services, secret)
        if offer is None:
            return _gone()
        if not _lets_in(session, offer, given.get("passphrase", "")):
            return _asking(secret, wrong=True)
    return _offering(secret, offer, given.get("passphrase", ""))


@router.post("/{secret}/{file_id}")
def fetch(secret: Secret, file_id: Id, given: Form, request: Request, services: TheServices) -> Response:
    """
    A file; it is counted.
    """
    with services.store.session() as session:
        offer = _offer(session, services, secret)
        file = next((f for f in offer.files if f.id == file_id), None) if offer is not None else None
        if offer is None or file is None:
            return _gone()
        if not _lets_in(session, offer, given.get("passphrase", "")):
            return _asking(secret, wrong=True)
        session.refresh(offer.link, with_for_update=True)
        if offer.left(file) == 0 or services.storage.size(file.path) != file.size:
            return _gone()
        now = services.clock()
        outbox.fetched(session, offer.delivery, file.id, now)
        journal.add_entry(
            session,
            now,
            "fetched a file by a link",
            who=f"whoever has the link for {offer.delivery.recipient.name}",
            via="link",
            address=request.client.host if request.client else "",
            thing="delivery",
            thing_id=offer.delivery.id,
            name=file.name,
        )
    headers = {
        **HEADERS,
        "Content-Disposition": content_disposition(file.name),
        "Content-Length": str(file.size),
        "Content-Security-Policy": "sandbox; default-src 'none'",
    }
    return StreamingResponse(services.storage.chunks(file.path), 200, headers, file.media_type)


def _offer(session: Session, services: Services, secret: str) -> _Offer | None:
    link = session.scalars(sa.select(Link).where(Link.digest == digest_of(secret))).first()
    if link is None or link.withdrawn_at is not None or link.expires_at < services.clock():
        return None
    delivery = session.get_one(Delivery, link.delivery_id)
    run = session.get_one(Run, delivery.run_id)
    if link.refused >= MOST_REFUSED or delivery.state not in ("offered", "arrived") or run.status != "ready":
        return None
    if delivery.recipient.deleted_at is not None or barred(session, delivery) is not None:
        # What may not be sent to them today is not fetched by them either.
        return None
    files = [f for f in run.files if f.id in delivery.files and f.removed_at is None]
    person = session.get(Person, run.person_id) if run.person_id is not None else None
    return _Offer(delivery, link, run, files, person.name if person is not None else run.asked_by) if files else None


def _lets_in(session: Session, offer: _Offer, passphrase: str) -> bool:
    if not offer.link.passphrase_hash:
        return True
    link = session.get_one(Link, offer.link.delivery_id, with_for_update=True, populate_existing=True)
    if link.refused < MOST_REFUSED and passphrase_fits(passphrase, link.passphrase_hash):
        link.refused = 0
        return True
    link.refused += 1
    return False


# Pages


_STYLE = (
    "body{font:17px/1.5 system-ui,sans-serif;color:#1d1d1b;background:#f6f5f1;margin:0}"
    "main{max-width:34rem;margin:0 auto;padding:1.5rem 1.1rem}"
    "h1{font-size:1.35rem;line-height:1.25;margin:.2rem 0 .6rem}"
    ".card{background:#fff;border:1px solid #d9d6cc;border-radius:10px;padding:1rem 1.1rem;margin:1rem 0}"
    "button{font:inherit;width:100%;padding:.8rem 1rem;border:0;border-radius:8px;background:#2f5d50;color:#fff}"
    "button:focus-visible,input:focus-visible{outline:3px solid #d08a2e;outline-offset:2px}"
    "button[disabled]{background:#8d8a80}input{font:inherit;width:100%;box-sizing:border-box;padding:.7rem;"
    "border:1px solid #8d8a80;border-radius:8px;margin:.3rem 0 .8rem}"
    ".soft{color:#5d5a52;font-size:.93rem;margin:.25rem 0}"
    "strong{overflow-wrap:anywhere}.wrong{color:#9b2c1f}"
    "@media(prefers-color-scheme:dark){body{background:#1b1c1a;color:#ecebe6}"
    ".card{background:#262725;border-color:#43443f}"
    ".soft{color:#b3b0a6}button{background:#3f7d6c}input{background:#1b1c1a;color:inherit}.wrong{color:#f0a396}}"
)


#: These pages load nothing, run nothing, and send forms to us alone; their one style is known by its digest.
_PAGE_POLICY = (
    f"default-src 'none'; style-src 'sha256-{base64.b64encode(hashlib.sha256(_STYLE.encode()).digest()).decode()}'; "
    "form-action 'self'; frame-ancestors 'none'; base-uri 'none'"
)


def _page(title: str, body: str, status: int = 200) -> HTMLResponse:
    text = (
        f'<!doctype html><html lang="{language()}"><head><meta charset="utf-8"><title>{_text(title)}</title>'
        '<meta name="viewport" content="width=device-width, initial-scale=1"><meta name="robots" content="noindex">'
        f"<style>{_STYLE}</style></head><body><main>{body}</main></body></html>"
    )
    return HTMLResponse(text, status, {**HEADERS, "Content-Security-Policy": _PAGE_POLICY})


def _gone() -> HTMLResponse:
    why = tr("The link has run out, was taken back, or is not whole. Ask whoever sent it for a new one.")
    body = f"<h1>{_text(tr('There is nothing to fetch here'))}</h1><p>{_text(why)}</p>"
    return _page(tr("Nothing to fetch"), body, 404)


def _asking(secret: str, *, wrong: bool = False) -> HTMLResponse:
    title, told = tr("Files for you"), tr("Whoever sent this link has told you a passphrase.")
    said = f'<p class="wrong" role="alert">{_text(tr("That is not the passphrase."))}</p>' if wrong else ""
    body = (
        f"<h1>{_text(title)}</h1><p>{_text(told)}</p>"
        f'{said}<form class="card" method="post" action="/take/{secret}">'
        f'<label for="p">{_text(tr("Passphrase"))}</label>'
        '<input id="p" name="passphrase" type="password" autocomplete="off" required maxlength="100" autofocus>'
        f"<button>{_text(tr('Show the files'))}</button></form>"
    )
    return _page(title, body, 403 if wrong else 200)


def _offering(secret: str, offer: _Offer, passphrase: str) -> HTMLResponse:
    sentence = str((offer.run.slip or {}).get("sentence", ""))
    cards = "".join(_card(secret, offer, file, passphrase) for file in offer.files)
    whom = tr("For {recipient}", recipient=offer.delivery.recipient.name)
    closing = tr(
        "As of {as_of} UTC. The link holds until {until} UTC. Sent by Bouquet for {owner}; ask them if something is "
        "not right.",
        as_of=moment_words(offer.run.as_of, wide=True),
        until=moment_words(offer.link.expires_at, wide=True),
        owner=offer.owner,
    )
    body = (
        f'<p class="soft">{_text(whom)}</p><h1>{_text(offer.run.name)}</h1><p>{_text(sentence)}</p>{cards}'
        f'<p class="soft">{_text(closing)}</p>'
    )
    return _page(offer.run.name, body)


def _card(secret: str, offer: _Offer, file: RunFile, passphrase: str) -> str:
    left = offer.left(file)
    rows = trn(", {n} row", ", {n} rows", file.rows) if file.rows else ""
    hidden = f'<input type="hidden" name="passphrase" value="{_text(passphrase)}">' if passphrase else ""
    off = "" if left else " disabled"
    said = tr("was fetched as often as it may be")
    if left:
        said = trn("can be fetched once more", "can be fetched {n} more times", left)
    return (
        f'<form class="card" method="post" action="/take/{secret}/{file.id}">{hidden}'
        f"<strong>{_text(file.name)}</strong>"
        f'<p class="soft">{_text(f"{_size(file.size)}{rows}; {said}")}</p>'
        f"<button{off}>{_text(tr('Fetch'))}</button></form>"
    )


def _size(size: int) -> str:
    if size < 1_000:
        return trn("{n} byte", "{n} bytes", size)
    unit, amount = next((u, size / n) for u, n in (("GB", 10**9), ("MB", 10**6), ("KB", 10**3)) if size >= n)
    return f"{number_words(Decimal(round(amount, 1)).quantize(Decimal('0.1')))} {unit}"


def _text(text: str) -> str:
    return html.escape(text)
