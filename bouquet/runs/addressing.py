"""
Whom a run is for, and what becomes of parts that nobody receives.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from bouquet.core.template import Acceptance, read_acceptance
from bouquet.runs.forms import Addressed
from bouquet.runs.services import Services
from bouquet.store import outgoing
from bouquet.store.models import Round, Run

__all__ = ["addressed_by", "parts_of_nobody"]


def addressed_by(services: Services, run: Run) -> list[Addressed]:
    """
    Whom a run is for, where its round says so.
    """
    with services.store.session() as session:
        round_ = session.get(Round, run.round_id) if run.round_id is not None else None
        if round_ is None:
            return []
        if round_.own_part is not None:
            # Each gets files of the template's own form; what they may receive is looked at all the same.
            named = outgoing.with_fact(session, round_.own_part["fact"])
            found = [(r, _without_form(read_acceptance(r.acceptance))) for r in named]
        else:
            found = [(e.recipient, read_acceptance(e.recipient.acceptance)) for e in round_.recipients]
        return [
            # Pseudonyms are of one recipient: two of them cannot put their files together by these.
            Addressed(r.id, r.name, acceptance, services.vault.derived(f"pseudonyms of {r.id}".encode()))
            for r, acceptance in found
            if r.deleted_at is None
        ]


def _without_form(acceptance: Acceptance) -> Acceptance:
    """
    What somebody takes who gets a part of the template's own files: in its form, and personal data as it is or not.
    """
    bare: dict[str, Any] = {"format": None, "csv": None, "name": "", "columns": (), "most_rows": None, "classes": {}}
    treated = any(given != "seen" for given in acceptance.classes.values())
    return acceptance.model_copy(update={**bare, "personal": acceptance.personal and not treated})


def parts_of_nobody(services: Services, run: Run, parts: Iterable[str | None]) -> tuple[str, list[str]]:
    """
    (what is to become of them, values) of the parts that nobody receives, where each is to get their own.
    """
    with services.store.session() as session:
        round_ = session.get(Round, run.round_id) if run.round_id is not None else None
        if round_ is None or round_.own_part is None:
            return "", []
        nobodys = outgoing.parts_of_nobody(session, round_.own_part["fact"], parts)
        return round_.own_part["missing"], [p or "(blank)" for p in nobodys]
