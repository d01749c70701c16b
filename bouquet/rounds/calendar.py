"""
What people do with rounds, the words for them, and the runs that they enter.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from datetime import datetime
from typing import Any

import sqlalchemy as sa
import structlog
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from bouquet.core.errors import BouquetError, PlanError
from bouquet.core.language import tr
from bouquet.core.template import BundleContents, read_document
from bouquet.core.wording.lists import listed
from bouquet.rights import barred_elsewhere, may, told_of
from bouquet.runs import Services, gather_bundle, unknown_answers
from bouquet.runs.asking import digest_of
from bouquet.runs.errors import error_facts
from bouquet.store import NotFound, NotPossible
from bouquet.store import runs as ledger
from bouquet.store import templates as shelf
from bouquet.store.house import days_off
from bouquet.store.models import Occurrence, Person, Round, Run, TemplateVersion
from bouquet.store.rounds import NEVER, get_round, let_go_on, list_rounds, rhythm_of

__all__ = [
    "NEVER",
    "Known",
    "call",
    "enter_run",
    "facts_of_run",
    "get_round",
    "list_rounds",
    "remove_round",
    "rhythm_of",
    "rhythm_words",
    "run_now",
    "set_paused",
    "skip_next",
    "tell_of_problem",
    "whom_words",
]

log = structlog.get_logger()


def whom_words(round_: Round) -> str:
    """
    Where a round's files go, in words: recipients, mail addresses, a folder.
    """
    known = [r.recipient.name for r in round_.recipients]
    whom = [
        tr("each {own_part} of {known}", own_part=round_.own_part["fact"], known=listed(known))
        if round_.own_part and known
        else listed(known)
    ]
    return listed([w for w in (*whom, listed(round_.mail_to), round_.folder) if w]) or tr("nobody yet")


def rhythm_words(round_: Round) -> str:
    """
    When a round runs, in words, also where its zone or moment is none any more.
    """
    event = round_.event or {}
    if round_.trigger == "called":
        return (
            tr("when somebody presses “{event}”", event=event["button"])
            if event.get("button")
            else tr("when it is called")
        )
    if round_.trigger == "closes":
        return tr(
            "when one of the {value} comes to meet its condition",
            value=event.get("label") or event.get("records", "records"),
        )
    if round_.trigger == "appears" and event.get("each"):
        return tr("for each record that appears")
    if round_.trigger == "appears":
        return tr("when records appear")
    if round_.trigger == "after":
        return (
            tr("after “{template}”", template=round_.after.template.name)
            if round_.after is not None
            else tr("after a round that is gone")
        )
    try:
        return rhythm_of(round_).words()
    except (KeyError, ValueError, OSError, BouquetError):
        return tr("a rhythm that cannot be understood ({zone})", zone=round_.zone)


def set_paused(session: Session, round_id: int, paused: bool, now: datetime, until: datetime | None = None) -> Round:
    """
    Pause a round, for good or until a moment, or let it go on from now; what it missed while paused is not made up for.
    """
    found = get_round(session, round_id)
    if not paused:
        let_go_on(session, found, now)
    else:
        found.paused, found.paused_for, found.paused_until = True, "", until
    session.flush()
    return found


def skip_next(session: Session, round_id: int, by: str, now: datetime) -> Round:
    """
    Leave the next planned moment out; the round says by whom. Raises NotFound.
    """
    found = get_round(session, round_id)
    if found.next_at < NEVER:
        session.execute(
            insert(Occurrence)
            .values(round_id=found.id, planned_at=found.next_at, note=tr("skipped by {by}", by=by))
            .on_conflict_do_nothing()
        )
        found.next_at = next(rhythm_of(found, days_off(session)).after(max(found.next_at, now)), NEVER)
    session.flush()
    return found


def call(
    services: Services,
    session: Session,
    round_id: int,
    by: Person,
    key: str | None,
    now: datetime,
    answers: Mapping[str, Any] | None = None,
) -> Run:
    """
    Run a round because somebody, or a program, says so, with their answers. The same `key` gives the same run. Raises
    NotFound, PlanError for an answer to what its template does not ask, and NotPossible for other answers under a key
    than before.
    """
    found = get_round(session, round_id)
    known = f"round {round_id}: {key}" if key else None
    digest = digest_of((dict(answers or {}),)) if key else None
    if known is not None:
        # Who calls with the same key at the same moment waits, and finds the run.
        session.execute(sa.select(Round.id).where(Round.id == round_id).with_for_update())
        earlier = session.scalars(sa.select(Run).where(Run.round_id == round_id, Run.idempotency_key == known)).first()
        if earlier is not None:
            ledger.check_same_request(earlier, digest)
            return earlier
    if answers and found.template.kind == "template":
        saved = shelf.latest_version(session, found.template_id)
        unknown = unknown_answers(read_document(saved.document), answers) if saved is not None else []
        if unknown:
            raise PlanError(unknown)
    run = enter_run(services, session, found, now, answers)
    run.idempotency_key, run.request_digest = known, digest
    run.asked_by = tr("{asked_by}, called by {by}", asked_by=run.asked_by, by=by.name)
    note = {"round_id": found.id, "planned_at": now, "note": tr("called by {by}", by=by.name), "run_id": run.id}
    session.execute(insert(Occurrence).values(**note).on_conflict_do_nothing())
    return run


def run_now(services: Services, session: Session, round_id: int, now: datetime) -> Run:
    """
    Enter an occurrence of its own, as of now, beside the planned ones. Raises NotFound.
    """
    found = get_round(session, round_id)
    run = enter_run(services, session, found, now)
    session.execute(
        insert(Occurrence)
        .values(round_id=found.id, planned_at=now, note=tr("run by hand"), run_id=run.id)
        .on_conflict_do_nothing()
    )
    return run


def remove_round(session: Session, round_id: int, now: datetime) -> None:
    """
    Put a round away; its runs stay in the ledger.
    """
    get_round(session, round_id).deleted_at = now


class Known:
    """
    What many runs have in common, looked up once: the newest saved version of a template, who set a round, its words.
    """

    def __init__(self, session: Session) -> None:
        self.session = session
        self._versions: dict[int, TemplateVersion | None] = {}
        self._owners: dict[int, Person] = {}
        self._words: dict[tuple[str, str], str] = {}

    def version(self, template_id: int) -> TemplateVersion | None:
        """
        The newest saved version of a template; None where there is none.
        """
        if template_id not in self._versions:
            self._versions[template_id] = shelf.latest_version(self.session, template_id)
        return self._versions[template_id]

    def owner(self, found: Round) -> Person:
        """
        Who set a round.
        """
        if found.created_by not in self._owners:
            self._owners[found.created_by] = self.session.get_one(Person, found.created_by)
        return self._owners[found.created_by]

    def words(self, found: Round) -> str:
        """
        When a round runs, in words.
        """
        if found.trigger != "calendar":
            return rhythm_words(found)
        key = (json.dumps(found.rhythm), found.zone)
        if key not in self._words:
            self._words[key] = rhythm_words(found)
        return self._words[key]


def enter_run(
    services: Services,
    session: Session,
    found: Round,
    planned: datetime,
    answers: Mapping[str, Any] | None = None,
    document: dict[str, Any] | None = None,
) -> Run:
    """
    Enter a round's run in the ledger. A template without a saved version, or gone, fails truthfully.

    Args:
        answers: Those that came with the event; they go before the round's own.
        document: What is run instead of the saved version: the same for a part of the records.
    """
    facts, problem = facts_of_run(services, Known(session), found, planned, answers, document)
    run = Run(**facts)
    session.add(run)
    session.flush()
    if problem is not None:
        tell_of_problem(services, session, found, run.id, problem)
    return run


def tell_of_problem(services: Services, session: Session, found: Round, run_id: int, problem: BouquetError) -> None:
    """
    Tell whoever looks after a round of a run that could not begin.
    """
    log.warning("round_failed", round=found.id, error=str(problem))
    text = tr("{template} did not run: {problem}", template=found.template.name, problem=problem)
    ledger.notify(session, told_of(session, found), run_id, text, services.clock())


def _barred(owner: Person, found: Round) -> str | None:
    """
    Why a round may not do for its owner what it was set to do, where they lost a right since; None where it may. To
    which recipients files may go is looked at when these are entered.
    """
    if owner.disabled_at is not None:
        return tr(
            "{owner}, for whom this round runs, is not among the people of the house any more. Hand it over.",
            owner=owner.name,
        )
    if not may(owner, "run", found):
        return tr(
            "{owner}, for whom this round runs, may not run the template any more.",
            owner=owner.name,
        )
    return barred_elsewhere(owner, found.folder, found.mail_to)


def facts_of_run(
    services: Services,
    known: Known,
    found: Round,
    planned: datetime,
    answers: Mapping[str, Any] | None = None,
    document: dict[str, Any] | None = None,
) -> tuple[dict[str, Any], BouquetError | None]:
    """
    What the ledger keeps of a round's run, by column, and why it cannot begin.
    """
    version = known.version(found.template_id)
    now, owner = services.clock(), known.owner(found)
    saved = version.document if version else found.template.draft
    problem: BouquetError | None = None
    if found.template.deleted_at is not None:
        problem = NotFound(tr("The template “{template}” was removed.", template=found.template.name))
    elif (barred := _barred(owner, found)) is not None:
        problem = NotPossible(barred)
    elif version is None:
        problem = NotFound(tr("The template “{template}” has no saved version yet.", template=found.template.name))
    elif found.template.kind == "bundle":
        try:
            contents = BundleContents.model_validate(version.document)
            document = gather_bundle(services, owner, contents, found.template.source).as_document()
        except BouquetError as error:
            problem = error
    facts = {
        "template_id": found.template_id,
        "version": version.number if version else None,
        "name": found.template.name,
        "document": saved if document is None else document,
        "format": "zip" if found.template.kind == "bundle" else found.format,
        "answers": {**found.answers, **(answers or {})},
        "person_id": found.created_by,
        "asked_by": tr("the round {found}", found=known.words(found)),
        "source": found.template.source,
        "via": "round",
        "round_id": found.id,
        "as_of": planned,
        "asked_at": now,
        "scope": owner.scope,
        "purpose": found.purpose,
        "records": "" if found.template.kind == "bundle" else str(saved.get("records", "")),
    }
    if problem is not None:
        facts |= {"status": "failed", "stage": "failed", "finished_at": now, "error": error_facts(problem)}
    return facts, problem
