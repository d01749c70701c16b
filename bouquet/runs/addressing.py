"""
Whom a run is for, and what becomes of parts that nobody receives.
"""

from __future__ import annotations

from collections.abc import Iterable

from bouquet.core.template import read_acceptance
from bouquet.runs.forms import Addressed
from bouquet.runs.services import Services
from bouquet.store import outgoing
from bouquet.store.models import Person, Round, Run

__all__ = ["addressed_by", "parts_of_nobody"]


def addressed_by(services: Services, run: Run) -> list[Addressed]:
    """
    Whom a run is for, where its round says so.
    """
    with services.store.session() as session:
        round_ = session.get(Round, run.round_id) if run.round_id is not None else None
        if round_ is None:
            return []
        fact = round_.own_part["fact"] if round_.own_part is not None else None
        sender = session.get(Person, run.person_id)
        named = (
            outgoing.with_fact(session, fact, sender) if fact is not None else [e.recipient for e in round_.recipients]
        )
        return [
            Addressed(
                id=r.id,
                name=r.name,
                acceptance=read_acceptance(r.acceptance),
                # Pseudonyms are of one recipient: two of them cannot put their files together by these.
                secret=services.vault.derived(f"pseudonyms of {r.id}".encode()),
                part=r.acceptance["facts"][fact] if fact is not None else None,
            )
            for r in named
            if r.deleted_at is None
        ]


def parts_of_nobody(services: Services, run: Run, parts: Iterable[str | None]) -> tuple[str, list[str]]:
    """
    (what is to become of them, values) of the parts that nobody receives, where each is to get their own.
    """
    with services.store.session() as session:
        round_ = session.get(Round, run.round_id) if run.round_id is not None else None
        if round_ is None or round_.own_part is None:
            return "", []
        sender = session.get(Person, run.person_id)
        nobodys = outgoing.parts_of_nobody(session, round_.own_part["fact"], parts, sender)
        return round_.own_part["missing"], [p or "(blank)" for p in nobodys]
