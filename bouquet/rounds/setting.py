"""
Setting a round: what would fail at night is said at once.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Any
from zoneinfo import ZoneInfo

from sqlalchemy.orm import Session

from bouquet.core.errors import BouquetError, PlanError, Problem, TemplateError
from bouquet.core.language import tr
from bouquet.core.recurrence import DaysOff, Rhythm, read_rhythm
from bouquet.core.template import BundleContents, Only, Template, read_document
from bouquet.core.zones import known_zones
from bouquet.designing import SourceView
from bouquet.rights import barred_elsewhere, may, may_send, recipient_for, visible
from bouquet.rounds.calendar import NEVER
from bouquet.rounds.document import Event, NewRound, RoundDocument, RoundRecipientIn, Watch
from bouquet.rounds.watching import event_template
from bouquet.runs import Services, appendable, check_purpose, checked_folder, gather_bundle, unknown_answers
from bouquet.runs.asking import as_format
from bouquet.runs.remembering import as_only
from bouquet.store import NotFound, recipients
from bouquet.store import templates as shelf
from bouquet.store.allowed import sees
from bouquet.store.house import days_off
from bouquet.store.models import Person, Recipient, Round, RoundRecipient, TemplateRecord
from bouquet.store.outgoing import with_fact
from bouquet.store.rounds import get_round, list_rounds

__all__ = [
    "RoundRefused",
    "asked_again",
    "document_of",
    "named_in",
    "put_recipients",
    "rhythm_asked",
    "round_facts",
    "seen_round",
]

#: Rounds that run one after the other, at most.
MOST_AFTER = 20


class RoundRefused(BouquetError):
    """
    A round cannot be set like this.
    """

    def __init__(self, code: str, message: str) -> None:
        self.code = code
        super().__init__(message)


def seen_round(session: Session, round_id: int, person: Person) -> Round:
    """
    A round of a template that a person may see. Raises NotFound.
    """
    found = get_round(session, round_id)
    if not may(person, "look", found):
        msg = tr("There is no such round, or it was removed.")
        raise NotFound(msg)
    return found


def round_facts(
    services: Services, session: Session, person: Person, body: NewRound, round_id: int | None = None
) -> dict[str, Any]:
    """
    A round as the store keeps it, checked. Raises RoundRefused, NotFound, and PlanError for what personal data in it
    is for.
    """
    if body.folder.strip():
        checked_folder(body.folder)
    elif not body.recipients and body.own_part is None and not body.mail_to:
        raise RoundRefused(
            "nobody", tr("Say who gets it, or which folder it goes into: the file would lie here unseen.")
        )
    rhythm = rhythm_asked(body, days_off(session))
    record = visible(session, person, body.template_id, "any")
    saved = shelf.latest_version(session, record.id)
    if saved is None:
        raise RoundRefused("not_saved", tr("“{record}” has no saved version yet. Save it first.", record=record.name))
    event = body.event or Event()
    if record.kind == "bundle":
        personal = _check_bundle(services, person, record, saved.document, body)
    else:
        personal = _check_template(services, person, record, saved.document, body, event)
    if body.trigger == "closes":
        label = _check_event(services, person, record, event)
        event = event.model_copy(update={"label": label})
    check_purpose(services, personal, body.purpose)
    _check_sending(session, person, body, None if record.kind == "bundle" else read_document(saved.document))
    watched = body.trigger in ("appears", "closes")
    return {
        "own_part": body.own_part.model_dump() if body.own_part is not None else None,
        "purpose": body.purpose.strip(),
        "template_id": record.id,
        "trigger": body.trigger,
        "event": event.model_dump(exclude_defaults=True) or None,
        "answers": body.answers,
        "after_id": _before(session, person, body, round_id),
        "since": services.clock(),
        "when_empty": body.when_empty,
        "watch": (body.watch or Watch()).model_dump() if watched else None,
        "look_at": services.clock() if watched else None,
        # What meets the condition already starts nothing.
        "found": {"baseline": True} if body.trigger == "closes" else None,
        "rhythm": rhythm.document.model_dump(mode="json", exclude_defaults=True),
        "zone": body.zone,
        "mail_to": _mailed_to(services, body),
        "folder": body.folder.strip(),
        "format": body.format,
        "mode": body.mode,
        "next_at": _first(rhythm, services) if body.trigger == "calendar" else NEVER,
    }


def _check_template(
    services: Services, person: Person, record: TemplateRecord, document: dict[str, Any], body: NewRound, event: Event
) -> tuple[str, ...]:
    """
    Refuse a template that this round could not run. Returns its columns with personal data.
    """
    template = read_document(document)
    why = appendable(template, body.format) if body.mode == "append" else None
    if why is not None:
        raise RoundRefused("not_appendable", why)
    wanted = _wanted(body, template)
    if body.trigger == "appears" and wanted == {"everything"}:
        said = tr(
            "“{record}” sends everything each time. Choose “only what is new” in the template first.",
            record=record.name,
        )
        raise RoundRefused("sends_everything", said)
    given = {**event.answers, **body.answers}
    if unknown := unknown_answers(template, given):
        raise PlanError(unknown)
    unanswered = [a.label for a in template.asks if a.required and a.default is None and a.name not in given]
    if unanswered:
        said = tr(
            "“{record}” asks “{unanswered}” at each run, and nobody answers at night.",
            record=record.name,
            unanswered=unanswered[0],
        )
        raise RoundRefused("unanswered", tr("{said} Answer it here, or give it a default.", said=said))
    view = SourceView.of(services, person, record.source)
    if body.answers and not event.answers:
        view.resolve(template, answers=body.answers).require()
    asked = view.resolve(as_format(template, body.format))
    if unfit := [p for p in asked.problems if p.place.startswith("output")]:
        raise PlanError(unfit)
    for only in sorted(wanted):
        if unfit := [p for p in view.resolve(as_only(template, only)).problems if p.place == "only"]:
            raise PlanError([replace(p, place="recipients") for p in unfit])
    plan = view.resolve(template).partial
    return plan.personal if plan is not None else ()


def _wanted(body: NewRound, template: Template) -> set[Only]:
    """
    Of which records those who get something of a round want a file.
    """
    named: set[Only] = {entry.only or template.only for entry in body.recipients if body.own_part is None}
    return named | {template.only} if body.folder.strip() or body.mail_to or not named else named


def _check_bundle(
    services: Services, person: Person, record: TemplateRecord, document: dict[str, Any], body: NewRound
) -> tuple[str, ...]:
    """
    Refuse a bundle that this round could not run. Returns its columns with personal data.
    """
    if any(entry.only not in (None, "everything") for entry in body.recipients):
        raise RoundRefused("sends_everything", tr("A bundle holds everything each time, for each of its recipients."))
    if body.mode == "append":
        raise RoundRefused(
            "not_appendable", tr("An archive cannot grow by rows. Choose another way with an earlier file.")
        )
    if body.trigger == "appears":
        raise RoundRefused(
            "sends_everything", tr("A bundle holds everything each time; it cannot wait for new records.")
        )
    bundle = gather_bundle(services, person, BundleContents.model_validate(document), record.source)
    view = SourceView.of(services, person, record.source)
    personal: dict[str, None] = {}
    for n, part in enumerate(bundle.parts):
        if part.only != "everything":
            said = tr(
                "A bundle holds everything, and “{part}” wants only what is new. Give it a round of its own.",
                part=part.name,
            )
            raise RoundRefused("no_memory", said)
        plan = view.resolve(part, answers=bundle.answers_of(n)).require()
        personal |= dict.fromkeys(plan.personal)
    return tuple(personal)


def _check_event(services: Services, person: Person, record: TemplateRecord, event: Event) -> str:
    """
    Refuse an event that cannot come. Returns what people call its records.
    """
    if not event.records:
        raise RoundRefused("no_event", tr("Say of which records one has to come to meet the condition."))
    if not event.where:
        raise RoundRefused(
            "no_event", tr("Say what has to come true of a record, such as a state that becomes closed.")
        )
    try:
        plan = SourceView.of(services, person, record.source).resolve(event_template(event)).require()
    except TemplateError as error:
        raise PlanError([replace(p, place=_event_place(p.place, event)) for p in error.problems]) from error
    if not plan.key or plan.record_type.by_row:
        said = tr(
            "A {record_type} has no key by which it could be told whether it was noticed before.",
            record_type=plan.record_type.label,
        )
        raise PlanError([Problem(code="no_key", message=said, place="event.records")])
    return plan.record_type.plural


def _event_place(place: str, event: Event) -> str:
    """
    The place in an event of what is wrong in its template.
    """
    if place.startswith("filter"):
        return f"event.where{place.removeprefix('filter')}"
    fields = list(dict.fromkeys(event.answers.values()))
    wrong = next((f for n, f in enumerate(fields) if place.startswith(f"columns[{n}]")), None)
    name = next((name for name, field in event.answers.items() if field == wrong), None)
    return f"event.answers.{name}" if name is not None else f"event.{place}"


def _check_sending(session: Session, person: Person, body: NewRound, template: Template | None) -> None:
    """
    Refuse recipients who are not there or to whom this person's files may not go, and parts of their own where there
    are none.
    """
    if barred_elsewhere(person, body.folder.strip(), [address.strip() for address in body.mail_to]) is not None:
        raise RoundRefused(
            "may_not_send", tr("Files of yours may go to named recipients only, not to folders or by mail.")
        )
    seen: set[int] = set()
    for entry in body.recipients:
        recipient = recipient_for(session, person, entry.recipient_id)
        if entry.recipient_id in seen:
            raise RoundRefused("twice", tr("{recipient} stands there twice.", recipient=recipient.name))
        seen.add(entry.recipient_id)
        if not may_send(person, recipient):
            raise RoundRefused(
                "may_not_send", tr("Files of yours may not go to {recipient}.", recipient=recipient.name)
            )
    if body.own_part is not None:
        if template is None or template.output.split is None or template.output.split.by is None:
            raise RoundRefused("no_parts", tr("Split the file by a value first: its parts are what each of them gets."))
        if template.output.split.into == "sheets" and body.format == "xlsx":
            raise RoundRefused("no_parts", tr("Its parts are sheets of one file. Choose files of their own, or a CSV."))
        named = with_fact(session, body.own_part.fact, person)
        if not named:
            raise RoundRefused("no_fact", tr("No recipient has the fact “{fact}” yet.", fact=body.own_part.fact))
        barred = next((r for r in named if not may_send(person, r)), None)
        if barred is not None:
            raise RoundRefused("may_not_send", tr("Files of yours may not go to {barred}.", barred=barred.name))


def put_recipients(session: Session, found: Round, entries: Iterable[RoundRecipientIn]) -> None:
    """
    Give a round its recipients, in this order.
    """
    found.recipients = []
    session.flush()
    found.recipients = [RoundRecipient(position=n, **e.model_dump()) for n, e in enumerate(entries)]


def _before(session: Session, person: Person, body: NewRound, round_id: int | None) -> int | None:
    """
    The round that this one runs after. Refused where one of those before it runs after this one.
    """
    if body.trigger != "after":
        return None
    if body.after_id is None:
        raise RoundRefused("no_round", tr("Say after which round it runs."))
    before: Round | None = seen_round(session, body.after_id, person)
    for _ in range(MOST_AFTER):
        if before is None:
            return body.after_id
        if before.id == round_id:
            raise RoundRefused("round_of_rounds", tr("These rounds would run after each other for ever."))
        before = before.after
    raise RoundRefused(
        "round_of_rounds", tr("At most {most_after} rounds run one after the other.", most_after=MOST_AFTER)
    )


def rhythm_asked(body: NewRound, off: DaysOff) -> Rhythm:
    """
    The rhythm that is asked for, on its clock. Raises RoundRefused, and what `read_rhythm` raises.
    """
    if body.zone not in known_zones():
        raise RoundRefused("unknown_zone", tr("“{zone}” is not a time zone, such as Europe/London.", zone=body.zone))
    document = body.rhythm
    if document is None:
        short: dict[str, dict[str, Any]] = {
            "daily": {"every": "day"},
            "weekdays": {"every": "week", "weekdays": [0, 1, 2, 3, 4]},
            "weekly": {"every": "week", "weekdays": [body.day]},
        }
        document = read_rhythm({**short[body.beat], "times": [body.at]})
    return Rhythm(document, ZoneInfo(body.zone), off)


def _mailed_to(services: Services, body: NewRound) -> list[str]:
    wanted = [a for a in body.mail_to if a.strip()]
    if wanted and services.mail is None:
        raise RoundRefused("no_mail", tr("Mail is not set up here; an administrator sets BOUQUET_SMTP_URL."))
    return list(dict.fromkeys(services.mail.check_recipient(a) for a in wanted)) if services.mail else []


def _first(rhythm: Rhythm, services: Services) -> Any:
    found = next(rhythm.after(services.clock()), None)
    if found is None:
        raise RoundRefused("never", tr("This never comes to a moment from now on. Choose other days."))
    return found


# Documents


def document_of(found: Round) -> RoundDocument:
    """
    A round as a document, with names for numbers.
    """
    return RoundDocument.model_validate(
        {
            "template": found.template.name,
            "after": found.after.template.name if found.after is not None else "",
            "recipients": [
                {"recipient": e.recipient.name, "must": e.must, "when_empty": e.when_empty, "only": e.only}
                for e in found.recipients
            ],
            "file_format": found.format,
            **_said_alike(found),
        }
    )


def asked_again(found: Round) -> NewRound:
    """
    What setting a round anew as it is would ask for.
    """
    recipients_of = [
        {"recipient_id": e.recipient_id, "must": e.must, "when_empty": e.when_empty, "only": e.only}
        for e in found.recipients
    ]
    numbers = {name: getattr(found, name) for name in ("template_id", "after_id", "format")}
    return NewRound.model_validate({**_said_alike(found), **numbers, "recipients": recipients_of})


def _said_alike(found: Round) -> dict[str, Any]:
    """
    What is said of a round alike by its document and by whoever sets it.
    """
    names = (
        "trigger",
        "watch",
        "event",
        "answers",
        "when_empty",
        "zone",
        "folder",
        "own_part",
        "mode",
        "purpose",
        "mail_to",
    )
    rhythm = found.rhythm if found.trigger == "calendar" else None
    return {**{name: getattr(found, name) for name in names}, "rhythm": rhythm}


def named_in(session: Session, document: RoundDocument, person: Person) -> NewRound:
    """
    What a document says, with the numbers of what it names. Raises RoundRefused for a name that is not here for a
    person, or that is not clear.
    """
    template = shelf.find_template(session, document.template)
    if template is None or not may(person, "look", template):
        raise RoundRefused(
            "no_template", tr("There is no template or bundle called “{template}”.", template=document.template)
        )
    after_id = None
    if document.after:
        called = document.after.strip().lower()
        known = [r.id for r in list_rounds(session) if r.template.name.lower() == called and may(person, "look", r)]
        if len(known) != 1:
            said = tr("no round") if not known else tr("{known} rounds", known=len(known))
            raise RoundRefused(
                "no_round", tr("“{after}” has {said}; it is to run after one.", after=document.after, said=said)
            )
        after_id = known[0]
    by_name = {r.name.lower(): r for r in recipients.list_recipients(session) if sees(person, r)}
    entries = []
    for entry in document.recipients:
        recipient: Recipient | None = by_name.get(entry.recipient.strip().lower())
        if recipient is None:
            raise RoundRefused(
                "no_recipient", tr("There is no recipient called “{recipient}”.", recipient=entry.recipient)
            )
        entries.append({"recipient_id": recipient.id, **entry.model_dump(exclude={"recipient"})})
    said_of = document.model_dump(exclude={"format", "template", "after", "recipients", "file_format"})
    return NewRound.model_validate(
        {
            **said_of,
            "template_id": template.id,
            "after_id": after_id,
            "recipients": entries,
            "format": document.file_format,
        }
    )
