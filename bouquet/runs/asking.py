"""
Asking for runs.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from bouquet.core.catalogue import Catalogue
from bouquet.core.errors import PlanError, Problem
from bouquet.core.language import tr
from bouquet.core.plan import Context, resolve
from bouquet.core.template import Bundle, Template, is_bundle, read_bundle, read_document
from bouquet.core.vocabulary.formats import FORMATS
from bouquet.runs.errors import RunFailed
from bouquet.runs.services import Services
from bouquet.store import runs as ledger
from bouquet.store.house import purposes
from bouquet.store.models import Person, Run

__all__ = ["ZIP", "as_format", "ask_for_run", "check_purpose", "digest_of", "unknown_answers"]

#: The format of bundles.
ZIP = "zip"


def as_format(template: Template, format: str) -> Template:
    """
    The template as if its own format were the one that is asked for: in the style that suits it, where it suits one.
    """
    if format not in FORMATS:
        raise RunFailed(
            tr(
                "There is no format “{format}”; choose {formats}.",
                format=format,
                formats=", ".join(FORMATS),
            )
        )
    changes = {"format": format}
    if format != template.output.format and FORMATS[format].audience != "either":
        changes["style"] = "machine" if FORMATS[format].audience == "programs" else "reader"
    return template.model_copy(update={"output": template.output.model_copy(update=changes)})


def unknown_answers(template: Template, answers: Mapping[str, Any]) -> list[Problem]:
    """
    A problem for each answer to what a template does not ask.
    """
    return [
        Problem(
            code="unknown_ask",
            message=tr("The template asks nothing called “{number}”.", number=n),
            place=f"answers.{n}",
        )
        for n in sorted(set(answers) - {a.name for a in template.asks})
    ]


@dataclass(frozen=True)
class _Able:
    """
    What can run: its name and format, the whole document, the record type of its rows, and the fields of personal data;
    `remembers` says that it wants only what is new.
    """

    name: str
    format: str
    document: dict[str, Any]
    records: str
    personal: tuple[str, ...]
    remembers: bool = False


def _able_bundle(document: dict[str, Any], format: str | None, catalogue: Catalogue, context: Context) -> _Able:
    bundle = _bundle_as(document, format)
    for n, part in enumerate(bundle.parts):
        if part.only != "everything":
            message = tr(
                "A bundle holds everything, and “{part}” wants only what is new. Run it by itself.", part=part.name
            )
            raise PlanError([Problem(code="no_memory", message=message, place=f"parts[{n}].only")])
    return _Able(bundle.name, ZIP, bundle.as_document(), "", _plan_parts(bundle, catalogue, context))


def _able_template(
    document: dict[str, Any],
    format: str | None,
    catalogue: Catalogue,
    context: Context,
    answers: dict[str, Any],
    template_id: int | None,
) -> _Able:
    template = read_document(document)
    chosen = format or template.output.format
    plan = resolve(as_format(template, chosen), catalogue, context).require()
    if unknown := unknown_answers(template, answers):
        raise PlanError(unknown)
    remembers = template.only != "everything"
    if remembers and template_id is None:
        message = tr("What is new can only be told of a template in the library; add it, and run it there.")
        raise PlanError([Problem(code="no_memory", message=message, place="only")])
    return _Able(template.name, chosen, template.as_document(), template.records, plan.personal, remembers)


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
    source: str = "",
    asks_purpose: bool | None = None,
    repeats: int | None = None,
) -> Run:
    """
    Enter a run of a document, a template's or a bundle's, in the ledger, as asked for.

    Raises DocumentError or PlanError, at their places, when it could not run; then nothing is entered. A person who
    takes personal data out says what for, in `purpose`; `asks_purpose` has it asked of others, too.
    `source` names the built-in source, if that is to be read. `repeats` is the run whose records are to be sent once
    more, by a template that wants only what is new.
    """
    asked = (document, format, as_of, template_id, version, answers or {}, purpose, source)
    scope = person.scope if person else None
    context = services.context(as_of, answers=answers or {}, scope=scope, source=source, template_id=template_id)
    catalogue = services.catalogue_for(scope, source)
    if is_bundle(document):
        able = _able_bundle(document, format, catalogue, context)
    else:
        able = _able_template(document, format, catalogue, context, answers or {}, template_id)
    if person is not None if asks_purpose is None else asks_purpose:
        check_purpose(services, able.personal, purpose)
    run = Run(
        template_id=template_id,
        version=version,
        name=able.name,
        document=able.document,
        format=able.format,
        person_id=person.id if person else None,
        asked_by=asked_by or (person.name if person else tr("the command line")),
        via=via,
        as_of=context.as_of,
        asked_at=services.clock(),
        idempotency_key=idempotency_key,
        request_digest=digest_of(asked) if idempotency_key else None,
        answers=answers or {},
        purpose=purpose,
        scope=scope,
        source=source,
        records=able.records,
        personal=len(able.personal),
        repeats=repeats if able.remembers else None,
        files=[],
    )
    with services.store.session() as session:
        return ledger.add_run(session, run)


def check_purpose(services: Services, personal: tuple[str, ...], purpose: str) -> None:
    """
    Refuse that these columns leave the house for nothing, or for what the house does not know. Raises PlanError.
    """
    if not personal:
        return
    if not purpose.strip():
        message = tr(
            "Personal data leaves the house ({personal}). Say what for.",
            personal=", ".join(personal),
        )
        raise PlanError([Problem(code="no_purpose", message=message, place="purpose")])
    with services.store.session() as session:
        known = purposes(session)
    if not known.takes(purpose):
        message = tr(
            "Personal data leaves this house for: {names}. Choose one of these.",
            names=", ".join(known.names) or "nothing",
        )
        raise PlanError([Problem(code="unknown_purpose", message=message, place="purpose", candidates=known.names)])


def digest_of(asked: tuple[Any, ...]) -> str:
    """
    A digest by which the same request is known again.
    """
    return hashlib.sha256(json.dumps(asked, sort_keys=True, default=str).encode()).hexdigest()


def _bundle_as(document: dict[str, Any], format: str | None) -> Bundle:
    bundle = read_bundle(document)
    if format is None or format == ZIP:
        return bundle
    return bundle.model_copy(update={"parts": tuple(as_format(p, format) for p in bundle.parts)})


def _plan_parts(bundle: Bundle, catalogue: Catalogue, context: Context) -> tuple[str, ...]:
    """
    The personal fields of a bundle. Raises PlanError with the problems of all parts, at `parts[n]`.
    """
    problems: list[Problem] = []
    personal: list[str] = []
    for n, part in enumerate(bundle.parts):
        given = replace(context, answers=bundle.answers_of(n))
        resolution = resolve(part, catalogue, given)
        problems += [replace(p, place=f"parts[{n}].{p.place}") for p in unknown_answers(part, bundle.answers_of(n))]
        problems += [replace(p, place=f"parts[{n}].{p.place}".rstrip(".")) for p in resolution.problems]
        personal += resolution.plan.personal if resolution.plan else ()
    if problems:
        raise PlanError(problems)
    return tuple(dict.fromkeys(personal))
