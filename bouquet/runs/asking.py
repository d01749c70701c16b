"""
Asking for runs.
"""

from __future__ import annotations

from datetime import datetime
from typing import Any

from bouquet.core.plan import resolve
from bouquet.core.template import read_document
from bouquet.core.writers import WRITERS
from bouquet.runs.errors import RunFailed
from bouquet.runs.services import Services
from bouquet.store import runs as ledger
from bouquet.store.models import Person, Run

__all__ = ["ask_for_run"]


def ask_for_run(
    services: Services,
    document: dict[str, Any],
    *,
    person: Person | None,
    via: str,
    asked_by: str | None = None,
    format: str | None = None,
    as_of: datetime | None = None,
    template_id: int | None = None,
    version: int | None = None,
    idempotency_key: str | None = None,
) -> Run:
    """
    Enter a run of a document in the ledger, as asked for.

    Raises DocumentError or PlanError, at their places, when it could not run; then nothing is entered.
    """
    template = read_document(document)
    context = services.context(as_of)
    resolve(template, services.source.catalogue(), context).require()
    chosen = format or template.output.format
    if chosen not in WRITERS:
        raise RunFailed(f"There is no format “{chosen}”; choose {' or '.join(WRITERS)}.")
    run = Run(
        template_id=template_id,
        version=version,
        name=template.name,
        document=template.as_document(),
        format=chosen,
        person_id=person.id if person else None,
        asked_by=asked_by or (person.name if person else "the command line"),
        via=via,
        as_of=context.as_of,
        asked_at=services.clock(),
        idempotency_key=idempotency_key,
        files=[],
    )
    with services.store.session() as session:
        return ledger.add_run(session, run)
