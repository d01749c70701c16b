"""
Tokens, by which programs act for a person.
"""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Depends

from bouquet.core.language import tr
from bouquet.store import tokens
from bouquet.store.models import Person, Token
from bouquet.web.access import CurrentPerson, Id, TheServices
from bouquet.web.bodies import ExactRoute
from bouquet.web.problems import Refused
from bouquet.web.schemas.runs import NewToken, TokenOut

router = APIRouter(route_class=ExactRoute, prefix="/tokens", tags=["tokens"])


def signed_in_person(person: CurrentPerson) -> Person:
    """
    A person who signed in themselves: a program cannot make tokens, nor see them.
    """
    if person.by_token is not None:
        raise Refused(403, "not_allowed", tr("Tokens are made and removed by people who signed in, not by programs."))
    return person


SignedIn = Annotated[Person, Depends(signed_in_person)]


def _out(token: Token, secret: str | None = None) -> TokenOut:
    return TokenOut(
        id=token.id,
        name=token.name,
        hint=token.hint,
        acts=token.acts,
        created_at=token.created_at,
        expires_at=token.expires_at,
        last_used_at=token.last_used_at,
        secret=secret,
    )


@router.get("", response_model=list[TokenOut])
def list_tokens(services: TheServices, person: SignedIn) -> Any:
    """
    My tokens, newest first.
    """
    with services.store.session() as session:
        return [_out(t) for t in tokens.list_tokens(session, person.id)]


@router.post("", response_model=TokenOut, status_code=201)
def add_token(body: NewToken, services: TheServices, person: SignedIn) -> Any:
    """
    A new token. Its secret is in this answer and nowhere else.
    """
    acts: list[str] = list(dict.fromkeys(["look", *body.acts]))
    with services.store.session() as session:
        secret, token = tokens.add_token(session, person.id, body.name.strip(), acts, services.clock(), body.days)
        return _out(token, secret)


@router.delete("/{token_id}", status_code=204)
def remove_token(token_id: Id, services: TheServices, person: SignedIn) -> None:
    """
    Make one of my tokens worthless at once.
    """
    with services.store.session() as session:
        tokens.remove_token(session, person.id, token_id)
