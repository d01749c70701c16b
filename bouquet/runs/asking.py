"""
Asking for runs.
"""

from __future__ import annotations

from datetime import datetime
from typing import Any

from bouquet.core.errors import PlanError, Problem
from bouquet.core.plan import resolve
from bouquet.core.template import Template, read_document
from bouquet.core.writers import WRITERS
from bouquet.runs.errors import RunFailed
from bouquet.runs.services import Services
from bouquet.store import runs as ledger
from bouquet.store.models import Person, Run

__all__ = ["as_format", "ask_for_run"]


def as_format(template: Template, format: str) -> Template:
    """
    The template as if its own format were the one that is asked for.
    """
    if format not in WRITERS:
        raise RunFailed(f"There is no format “{format}”; choose {' or '.join(WRITERS)}.")
    return template.model_copy(update={"output": template.output.model_copy(update={"format": format})})


def _check_answers(template: Template, answers: dict[str, Any]) -> None:
    unknown = set(answers) - {a.name for a in template.asks}
    if unknown:
        problems = [
            Problem(code="unknown_ask", message=f"The template asks nothing called “{n}”.", place=f"answers.{n}")
            for n in sorted(unknown)
        ]
        raise PlanError(problems)


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
    answers: dict[str, Any] | None = None,
    purpose: str = "",
) -> Run:
    """
    Enter a run of a document in the ledger, as asked for.

    Raises DocumentError or PlanError, at their places, when it could not run; then nothing is entered. A person who
    takes personal data out says what for, in `purpose`.
    """
    template = read_document(document)
    scope = person.scope if person else None
    context = services.context(as_of, answers=answers or {}, scope=scope, template_id=template_id)
    chosen = format or template.output.format
    plan = resolve(as_format(template, chosen), services.source.catalogue(), context).require()
    _check_answers(template, answers or {})
    if person is not None and plan.personal and not purpose:
        message = f"Personal data leaves the house ({', '.join(plan.personal)}). Say what for."
        raise PlanError([Problem(code="no_purpose", message=message, place="purpose")])
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
        answers=answers or {},
        purpose=purpose,
        scope=scope,
        files=[],
    )
    with services.store.session() as session:
        return ledger.add_run(session, run)
