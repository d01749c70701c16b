"""
Rounds: templates set to run by the calendar.
"""

from __future__ import annotations

from datetime import datetime, timedelta
from itertools import islice, takewhile
from typing import Annotated, Any
from zoneinfo import ZoneInfo, available_timezones

from fastapi import APIRouter, Depends, Header, Query
from sqlalchemy.orm import Session

from bouquet.core.coverage import Coverage, cover, coverage_words, window_of
from bouquet.core.errors import BouquetError, PlanError
from bouquet.core.recurrence import DaysOff, Rhythm, read_rhythm
from bouquet.core.template import Template, read_document
from bouquet.designing.recipients import part_values
from bouquet.rights import may
from bouquet.rounds import (
    NEVER,
    call,
    get_round,
    list_rounds,
    remove_round,
    rhythm_of,
    rhythm_words,
    run_now,
    set_paused,
    skip_next,
)
from bouquet.rounds.watching import Watch
from bouquet.runs import Services, appendable, checked_folder, no_purpose
from bouquet.store import NotFound, recipients
from bouquet.store import runs as ledger
from bouquet.store import templates as shelf
from bouquet.store.deliveries import parts_of_nobody, with_fact
from bouquet.store.house import days_off
from bouquet.store.models import Person, Round, RoundRecipient, TemplateRecord
from bouquet.web.access import CurrentPerson, Id, TheQueue, TheServices, needs, view_of, visible
from bouquet.web.bodies import ExactRoute
from bouquet.web.problems import Refused
from bouquet.web.routers.runs import run_out
from bouquet.web.schemas.runs import (
    NewRound,
    Planned,
    RoundChange,
    RoundOut,
    RoundRecipientOut,
    RunOut,
)

#: Days ahead that coverage is computed of, and moments of them at most.
YEAR, MOST_MOMENTS = 400, 2_000

#: Rounds that run one after the other, at most.
MOST_AFTER = 20

router = APIRouter(route_class=ExactRoute, prefix="/rounds", tags=["rounds"], dependencies=[Depends(needs("look"))])

Designer = Annotated[Person, Depends(needs("design"))]

#: Planned moments shown ahead.
AHEAD = 5

#: Runs of a round shown on its line of the board.
BEHIND = 20


@router.get("", response_model=list[RoundOut])
def list_all(services: TheServices, person: CurrentPerson, ahead: Annotated[int, Query(ge=1, le=60)] = 14) -> Any:
    """
    All rounds, each with its next planned moments and its last runs.
    """
    with services.store.session() as session:
        rounds = [r for r in list_rounds(session) if may(person, "look", r)]
        return [_out(services, session, r, person, ahead) for r in rounds]


@router.post("/preview", response_model=Planned)
def preview(body: NewRound, services: TheServices, person: CurrentPerson) -> Any:
    """
    The next planned moments of a rhythm, before it is set. Nothing is kept.
    """
    with services.store.session() as session:
        rhythm = _rhythm(body, days_off(session))
        document = None
        if body.template_id:
            record = visible(session, person, body.template_id)
            saved = shelf.latest_version(session, record.id)
            document = saved.document if saved else record.draft
    if body.folder:
        checked_folder(body.folder)
    found = _coverage(services, rhythm, document) if document is not None and body.trigger == "calendar" else None
    parts = _parts(services, person, body, document) if body.own_part is not None and document else None
    return Planned(
        parts=len(parts[0]) if parts is not None else None,
        parts_of_nobody=parts[1][:1_000] if parts is not None else [],
        words=rhythm.words(),
        next=rhythm.next(services.clock(), AHEAD),
        coverage=coverage_words(found) if found is not None else [],
        covered=found is None or found.whole,
        cure=found.cure if found is not None else None,
    )


def _parts(services: Services, person: Person, body: NewRound, document: dict[str, Any]) -> tuple[list[str], list[str]]:
    """
    The values of the parts there would be now, and those that no recipient has as their fact.
    """
    assert body.own_part is not None
    with services.store.session() as session:
        source = visible(session, person, body.template_id).source
    values = part_values(view_of(services, person, source), read_document(document))
    with services.store.session() as session:
        nobodys = parts_of_nobody(session, body.own_part.fact, values)
    return values, [p or "(blank)" for p in nobodys]


def _coverage(services: Services, rhythm: Rhythm, document: dict[str, Any]) -> Coverage | None:
    """
    How the moments of the next year cover the days, with the template's window.
    """
    template = read_document(document)
    known = window_of(template.filter)
    if known is None:
        return None
    now = services.clock()
    planned = takewhile(lambda m: m < now + timedelta(days=YEAR), rhythm.after(now))
    moments = list(islice(planned, MOST_MOMENTS))
    return cover(moments, known[1], ZoneInfo(template.zone), year_start=services.year_start)


@router.post("", response_model=RoundOut, status_code=201)
def add(body: NewRound, services: TheServices, person: Designer) -> Any:
    """
    Set a template to run by the calendar. It needs a saved version, since a round runs what was saved.
    """
    with services.store.session() as session:
        found = Round(created_by=person.id, **_facts(services, session, person, body))
        session.add(found)
        _put_recipients(session, found, body)
        session.flush()
        session.refresh(found)
        return _out(services, session, found, person, AHEAD)


@router.get("/{round_id}", response_model=RoundOut)
def get_one_round(
    round_id: Id, services: TheServices, person: CurrentPerson, ahead: Annotated[int, Query(ge=1, le=60)] = 10
) -> Any:
    """
    One round, with its next planned moments and its last runs.
    """
    with services.store.session() as session:
        return _out(services, session, _seen_round(session, round_id, person), person, ahead)


@router.put("/{round_id}", response_model=RoundOut)
def edit(round_id: Id, body: NewRound, services: TheServices, person: Designer) -> Any:
    """
    Set a round anew: whatever it was, from now on it is as given. What it did stays, and what it remembers.
    """
    with services.store.session() as session:
        found = _seen_round(session, round_id, person)
        _check_owner(found, person)
        if found.template_id != body.template_id:
            raise Refused(422, "other_template", "A round keeps its template. Set a new one for another.")
        for name, value in _facts(services, session, person, body, round_id).items():
            setattr(found, name, value)
        _put_recipients(session, found, body)
        session.flush()
        session.refresh(found)
        return _out(services, session, found, person, AHEAD)


def _facts(
    services: Services, session: Session, person: Person, body: NewRound, round_id: int | None = None
) -> dict[str, Any]:
    """
    A round as the store keeps it, checked: what would fail at night is said at once.
    """
    if body.folder.strip():
        checked_folder(body.folder)
    elif not body.recipients and body.own_part is None and not body.mail_to:
        raise Refused(422, "nobody", "Say who gets it, or which folder it goes into: the file would lie here unseen.")
    rhythm = _rhythm(body, days_off(session))
    record = visible(session, person, body.template_id)
    if record.version == 0:
        raise Refused(422, "not_saved", f"“{record.name}” has no saved version yet. Save it first.")
    saved = shelf.latest_version(session, record.id)
    why = appendable(read_document(saved.document), body.format) if saved and body.mode == "append" else None
    if why is not None:
        raise Refused(422, "not_appendable", why)
    if body.trigger == "appears" and saved is not None and read_document(saved.document).only == "everything":
        said = f"“{record.name}” sends everything each time. Choose “only what is new” in the template first."
        raise Refused(422, "sends_everything", said)
    open_asks = _open_asks(saved.document) if saved else ()
    if open_asks:
        said = f"“{record.name}” asks “{open_asks[0]}” at each run, and nobody answers at night. Give it a default."
        raise Refused(422, "unanswered", said)
    personal = _personal(services, person, record)
    if personal and not body.purpose.strip():
        raise PlanError([no_purpose(personal)])
    _check_sending(session, body, read_document(saved.document) if saved else None)
    calendar = body.trigger == "calendar"
    return {
        "own_part": body.own_part.model_dump() if body.own_part is not None else None,
        "purpose": body.purpose.strip(),
        "template_id": record.id,
        "trigger": body.trigger,
        "after_id": _before(session, person, body, round_id),
        "since": services.clock(),
        "when_empty": body.when_empty,
        "watch": (body.watch or Watch()).model_dump() if body.trigger == "appears" else None,
        "look_at": services.clock() if body.trigger == "appears" else None,
        "found": None,
        "rhythm": rhythm.document.model_dump(mode="json", exclude_defaults=True),
        "zone": body.zone,
        "mail_to": _mailed_to(services, body),
        "folder": body.folder.strip(),
        "format": body.format,
        "mode": body.mode,
        "next_at": _first(rhythm, services.clock()) if calendar else NEVER,
    }


def _check_sending(session: Session, body: NewRound, template: Template | None) -> None:
    """
    Refuse recipients who are not there, and parts of their own where there are none.
    """
    seen: set[int] = set()
    for entry in body.recipients:
        recipient = recipients.get_recipient(session, entry.recipient_id)
        if entry.recipient_id in seen:
            raise Refused(422, "twice", f"{recipient.name} stands there twice.")
        seen.add(entry.recipient_id)
    if body.own_part is not None:
        if template is None or template.output.split is None or template.output.split.by is None:
            raise Refused(422, "no_parts", "Split the file by a value first: its parts are what each of them gets.")
        if template.output.split.into == "sheets" and body.format == "xlsx":
            raise Refused(422, "no_parts", "Its parts are sheets of one file. Choose files of their own, or a CSV.")
        if not with_fact(session, body.own_part.fact):
            raise Refused(422, "no_fact", f"No recipient has the fact “{body.own_part.fact}” yet.")


def _put_recipients(session: Session, found: Round, body: NewRound) -> None:
    found.recipients = []
    session.flush()
    found.recipients = [RoundRecipient(position=n, **e.model_dump()) for n, e in enumerate(body.recipients)]


def _open_asks(document: dict[str, Any]) -> tuple[str, ...]:
    """
    The questions of a template that a run without answers would fail for.
    """
    return tuple(a.label for a in read_document(document).asks if a.required and a.default is None)


def _before(session: Session, person: Person, body: NewRound, round_id: int | None) -> int | None:
    """
    The round that this one runs after. Refused where one of those before it runs after this one.
    """
    if body.trigger != "after":
        return None
    if body.after_id is None:
        raise Refused(422, "no_round", "Say after which round it runs.")
    before: Round | None = _seen_round(session, body.after_id, person)
    for _ in range(MOST_AFTER):
        if before is None:
            return body.after_id
        if before.id == round_id:
            raise Refused(422, "round_of_rounds", "These rounds would run after each other for ever.")
        before = before.after
    raise Refused(422, "round_of_rounds", f"At most {MOST_AFTER} rounds run one after the other.")


@router.patch("/{round_id}", response_model=RoundOut)
def change(round_id: Id, body: RoundChange, services: TheServices, person: Designer) -> Any:
    """
    Pause a round, or let it go on.
    """
    with services.store.session() as session:
        _check_owner(_seen_round(session, round_id, person), person)
        found = set_paused(session, round_id, body.paused, services.clock(), body.until)
        return _out(services, session, found, person, AHEAD)


@router.post("/{round_id}/skip", response_model=RoundOut)
def skip(round_id: Id, services: TheServices, person: Designer) -> Any:
    """
    Leave the next planned moment out.
    """
    with services.store.session() as session:
        _check_owner(_seen_round(session, round_id, person), person)
        found = skip_next(session, round_id, person.name, services.clock())
        return _out(services, session, found, person, AHEAD)


@router.post("/{round_id}/run", response_model=RunOut, status_code=202)
def run_by_hand(round_id: Id, services: TheServices, queue: TheQueue, person: Designer) -> Any:
    """
    Run a round now, as an occurrence of its own.
    """
    with services.store.session() as session:
        _check_owner(_seen_round(session, round_id, person), person)
        run = run_now(services, session, round_id, services.clock())
        run_id, status = run.id, run.status
    if status == "asked":
        queue.put(run_id)
    with services.store.session() as session:
        return run_out(ledger.get_run(session, run_id), person)


@router.post("/{round_id}/call", response_model=RunOut, status_code=202)
def call_round(
    round_id: Id,
    services: TheServices,
    queue: TheQueue,
    person: Annotated[Person, Depends(needs("run"))],
    idempotency_key: Annotated[str | None, Header(alias="Idempotency-Key", max_length=100)] = None,
) -> Any:
    """
    Start a round that waits to be called: by a program, or by whoever may run its template. The same `Idempotency-Key`
    gives the same run.
    """
    with services.store.session() as session:
        found = _seen_round(session, round_id, person)
        if found.trigger != "called":
            raise Refused(409, "not_called", "This round does not wait to be called.")
        if found.paused:
            raise Refused(409, "paused", "This round is paused.")
        run = call(services, session, round_id, person, idempotency_key, services.clock())
        out = run_out(run, person)
    if out.status == "asked":
        queue.put(out.id)
    return out


@router.delete("/{round_id}", status_code=204)
def remove(round_id: Id, services: TheServices, person: Designer) -> None:
    """
    Remove a round; its runs stay in the ledger.
    """
    with services.store.session() as session:
        _check_owner(_seen_round(session, round_id, person), person)
        remove_round(session, round_id, services.clock())


@router.post("/{round_id}/restore", response_model=RoundOut)
def restore(round_id: Id, services: TheServices, person: Designer) -> Any:
    """
    Bring back a removed round; it is paused until it is let go on.
    """
    with services.store.session() as session:
        found = session.get(Round, round_id)
        if found is None or found.deleted_at is None or not may(person, "look", found):
            msg = "There is no such removed round."
            raise NotFound(msg)
        _check_owner(found, person)
        found.deleted_at, found.paused = None, True
        return _out(services, session, found, person, AHEAD)


def _seen_round(session: Session, round_id: int, person: Person) -> Round:
    """
    A round of a template that a person may see. Raises NotFound.
    """
    found = get_round(session, round_id)
    if not may(person, "look", found):
        msg = "There is no such round, or it was removed."
        raise NotFound(msg)
    return found


def _personal(services: Services, person: Person, record: TemplateRecord) -> tuple[str, ...]:
    """
    The columns with personal data that a template has.
    """
    plan = view_of(services, person, record.source).resolve(read_document(record.draft)).partial
    return plan.personal if plan is not None else ()


def _check_owner(found: Round, person: Person) -> None:
    if found.created_by != person.id and "keeper" not in person.roles:
        raise Refused(403, "not_allowed", "Only who set this round, or an administrator, changes it.")


def _rhythm(body: NewRound, off: DaysOff) -> Rhythm:
    if body.zone not in available_timezones():
        raise Refused(422, "unknown_zone", f"“{body.zone}” is not a time zone, such as Europe/London.")
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
        raise Refused(422, "no_mail", "Mail is not set up here; an administrator sets BOUQUET_SMTP_URL.")
    return list(dict.fromkeys(services.mail.check_recipient(a) for a in wanted)) if services.mail else []


def _first(rhythm: Rhythm, now: datetime) -> datetime:
    found = next(rhythm.after(now), None)
    if found is None:
        raise Refused(422, "never", "This never comes to a moment from now on. Choose other days.")
    return found


def _out(services: Services, session: Any, found: Round, person: Person, ahead: int) -> RoundOut:
    try:
        planned = rhythm_of(found, days_off(session)).next(found.next_at, ahead - 1) if found.next_at < NEVER else []
        upcoming = [] if found.paused or found.next_at >= NEVER else [found.next_at, *planned]
    except (KeyError, ValueError, OSError, BouquetError):
        # A zone that is none any more: the round says so, and the others are still listed.
        upcoming = []
    runs = ledger.list_runs(session, ledger.RunFilter(round_id=found.id), at_most=BEHIND)
    return RoundOut(
        id=found.id,
        template_id=found.template_id,
        template=found.template.name,
        words=rhythm_words(found),
        trigger=found.trigger,
        after_id=found.after_id,
        when_empty=found.when_empty,
        watch=found.watch,
        paused_until=found.paused_until,
        paused_for=found.paused_for,
        mine=found.created_by == person.id,
        purpose=found.purpose,
        rhythm=found.rhythm,
        mail_to=found.mail_to,
        zone=found.zone,
        folder=found.folder,
        format=found.format,
        mode=found.mode,
        paused=found.paused,
        recipients=[
            RoundRecipientOut(
                recipient_id=e.recipient_id,
                must=e.must,
                when_empty=e.when_empty,
                name=e.recipient.name,
                kind=e.recipient.means.kind,
            )
            for e in found.recipients
        ],
        own_part=found.own_part,
        remembers=found.template.draft.get("only", "everything") != "everything",
        next=upcoming,
        runs=[run_out(r, person) for r in runs],
    )
