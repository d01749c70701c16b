"""
Every act by the interface is written down: after it succeeded, and before whoever asked is told so.

What an act says of itself is taken from its route and from those parts of its body that are listed here: neither
secrets nor values of records stand in the journal.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any

from fastapi import Request, Response
from fastapi.routing import APIRoute

from bouquet.core.language import CONSTANT
from bouquet.core.plan import Plan
from bouquet.core.template import Template
from bouquet.runs import Services
from bouquet.store import journal
from bouquet.store.models import Person

__all__ = ["ACTS", "SILENT", "note_act", "note_arrival", "note_failed_sign_in", "note_look"]

#: Characters of one fact that are kept whole.
LONGEST_FACT = 4_000

#: What each route that changes something, or gives something away, does, in words, and with which kind of thing. What
#: stands behind is told of the body.
ACTS: dict[str, tuple[str, str, tuple[str, ...]]] = {
    "sign_in": ("signed in", "", ()),
    "sign_out": ("signed out", "", ()),
    "change_me": ("changed their name or address", "person", ("name", "email")),
    "mail_to_me": ("had a run’s files sent to themselves", "run", ()),
    "change_password": ("changed their password", "person", ()),
    "end_sign_in": ("ended a session", "session", ()),
    "end_other_sign_ins": ("ended all other sessions", "session", ()),
    "add_first_keeper": ("became the first administrator", "person", ()),
    "add_person": ("added a person", "person", ("roles", "scope", "limits", "as_groups", "groups")),
    "change_person": (
        "changed a person",
        "person",
        ("roles", "scope", "limits", "disabled", "as_groups", "groups", "codes"),
    ),
    "look_through_eyes": ("looked through somebody’s eyes", "person", ()),
    "set_password_by_link": ("set a password by a link", "person", ()),
    "set_my_codes": ("began to sign in with codes, too", "person", ()),
    "stop_my_codes": ("stopped signing in with codes", "person", ()),
    "add_group": ("made a group", "group", ("name", "roles", "scope", "limits", "claim", "members")),
    "change_group": ("changed a group", "group", ("name", "roles", "scope", "limits", "claim", "members")),
    "remove_group": ("removed a group", "group", ()),
    "give_password": ("gave a new password", "person", ()),
    "hand_everything_over": ("handed over what was somebody’s", "person", ("to",)),
    "add_token": ("made a token", "token", ("name", "acts", "days")),
    "end_program": ("ended a program", "token", ()),
    "remove_token": ("removed a token", "token", ()),
    "make_my_feed": ("made an address for a calendar", "feed", ()),
    "drop_my_feed": ("removed the address for a calendar", "feed", ()),
    "add_source": ("added a source", "source", ("name", "environment")),
    "change_source": ("changed a source", "source", ("name", "environment")),
    "remove_source": ("removed a source", "source", ()),
    "put_catalogue_document": ("put in a catalogue", "catalogue", ()),
    "drop_catalogue_draft": ("dropped the draft of the catalogue", "catalogue", ()),
    "put_catalogue_into_use": ("put the catalogue into use", "catalogue", ("note",)),
    "edit_catalogue_version": ("took up an earlier catalogue", "catalogue", ()),
    "read_source_again": ("read a source again", "source", ()),
    "replace_everywhere_in_templates": ("replaced a field everywhere", "catalogue", ()),
    "add_means": ("added a way out", "way out", ("name", "kind")),
    "change_means": ("changed a way out", "way out", ("name",)),
    "remove_means": ("removed a way out", "way out", ()),
    "add_recipient": ("added a recipient", "recipient", ("name", "means_id", "for_all", "shared_with")),
    "change_recipient": ("changed a recipient", "recipient", ("name", "means_id", "for_all", "shared_with")),
    "remove_recipient": ("removed a recipient", "recipient", ()),
    "act_on_delivery": ("decided about a delivery", "delivery", ("act", "reason", "recipient_id")),
    "get_link": ("looked at the address of a link", "delivery", ()),
    "add_template": ("made a template", "template", ()),
    "change_template": (
        "changed for whom a template is, or its labels",
        "template",
        ("standing", "labels", "shared_with", "owner_id"),
    ),
    "save_version": ("saved a template", "template", ("note",)),
    "keep_run_as_template": ("made a template of a run", "template", ()),
    "copy_template": ("copied a template", "template", ()),
    "move_to_source": ("moved a template to another source", "template", ("source",)),
    "remove_template": ("removed a template", "template", ()),
    "restore_template": ("brought back a template", "template", ()),
    "forget_sent": ("made a template forget what it sent", "template", ("since",)),
    "mark_as_sent": ("marked records as sent", "template", ()),
    "undo_memory_change": ("undid a change of what was sent", "template", ()),
    "add_bundle": ("made a bundle", "bundle", ("standing",)),
    "change_bundle": ("changed a bundle", "bundle", ("standing", "note")),
    "remove_bundle": ("removed a bundle", "bundle", ()),
    "restore_bundle": ("brought back a bundle", "bundle", ()),
    "put_picks": ("saved a list of records", "list", ("records",)),
    "share_picks": ("changed who else keeps a list of records", "list", ("shared_with",)),
    "remove_picks": ("removed a list of records", "list", ()),
    "restore_picks": ("brought back a list of records", "list", ()),
    "put_view": ("saved a view of records", "view", ("name", "shared", "shared_with")),
    "remove_view": ("removed a view of records", "view", ()),
    "restore_view": ("brought back a view of records", "view", ()),
    "add": ("set a round", "round", ("template_id", "trigger", "purpose", "folder", "recipients", "mail_to")),
    "add_by_document": ("set a round from a document", "round", ("template", "trigger", "purpose")),
    "edit": ("changed a round", "round", ("template_id", "trigger", "purpose", "folder", "recipients", "mail_to")),
    "change": ("paused a round or let it go on", "round", ("paused", "until", "shared_with")),
    "hand_round_over_to": ("handed a round over", "round", ("to",)),
    "skip": ("left out a round’s next moment", "round", ()),
    "run_by_hand": ("ran a round", "round", ()),
    "call_round": ("called a round", "round", ()),
    "remove": ("removed a round", "round", ()),
    "restore": ("brought back a round", "round", ()),
    "set_purposes": ("changed what personal data may leave for", "house", ("names", "only")),
    "set_days_off": ("changed the days off", "house", ()),
    "add_run": ("asked for a run", "run", ("template_id", "bundle_id", "again", "format", "purpose")),
    "export_runs": ("exported the ledger", "run", ()),
    "cancel_run": ("cancelled a run", "run", ()),
    "release_run": ("released a run", "run", ("reason",)),
    "discard_run": ("discarded a run", "run", ("reason",)),
    "check_given_back": ("gave a file back", "run", ()),
    "get_file": ("fetched a file", "run", ()),
    "get_archive": ("fetched all files of a run", "run", ()),
    "get_newest": ("fetched a template’s newest file", "template", ()),
    "tell_stand_in": ("told a stand-in to misbehave", "house", ("way", "misdeed", "times")),
    "export_journal": ("exported the journal", "journal", ()),
}
CONSTANT.update(words for words, *_ in ACTS.values())

#: Routes that change nothing but how somebody likes their screen or a draft as it is typed (saving it, and putting it
#: into use, are acts), that only look, or that only work something out.
SILENT = frozenset(
    {
        *("put_preferences", "read_notices", "pin_template", "compare_runs", "preview", "layout_from_header"),
        *("change_draft", "edit_catalogue_draft", "begin_codes", "forget_password"),
        *("read_days_off", "try_new_means", "try_address", "look_into_memory", "hold_against", "look_for_missing"),
    }
)


def note_act(request: Request, response: Response, route: APIRoute) -> None:
    """
    Write a request's act down, where it is one.
    """
    if response.status_code >= 400 or response.status_code == 304 or route.name not in ACTS:
        return
    if request.headers.get("Range") or request.method == "HEAD":
        # The rest of a file that was begun.
        return
    act, thing, told = ACTS[route.name]
    services: Services = request.app.state.services
    person = getattr(request.state, "person", None)
    answered = _answer_of(response)
    given = getattr(request, "_exact", None)
    facts = {n: given[n] for n in told if n in given} if isinstance(given, dict) else {}
    facts |= getattr(request.state, "told", {})
    # A link's secret is no number by which anything is known.
    known = {k: v for k, v in request.path_params.items() if k != "secret"}
    number = next(iter(known.values()), None) or answered.get("id", "")
    if person is None and isinstance(answered.get("person"), dict):
        signed = answered["person"]
        who, person_id, via = str(signed.get("name", "")), signed.get("id"), "page"
    else:
        who = person.name if person is not None else "nobody"
        person_id = person.id if person is not None else None
        via = "token" if person is not None and person.by_token is not None else "page"
    with services.store.session() as session:
        journal.add_entry(
            session,
            services.clock(),
            act,
            who=who,
            via=via,
            person_id=person_id,
            address=request.client.host if request.client else "",
            thing=thing,
            thing_id=number,
            name=_name_of(answered),
            facts=_bounded(facts),
        )


def _bounded(facts: Mapping[str, Any]) -> dict[str, Any]:
    """
    Facts as JSON values; of what is long, that it is.
    """
    told: dict[str, Any] = {}
    for name, value in facts.items():
        text = json.dumps(value, default=str, ensure_ascii=False)
        told[name] = json.loads(text) if len(text) <= LONGEST_FACT else f"{text[:200]}… ({len(text):,} characters)"
    return told


def note_failed_sign_in(request: Request, email: str) -> None:
    """
    Write down that somebody could not sign in.
    """
    services: Services = request.app.state.services
    with services.store.session() as session:
        address = request.client.host if request.client else ""
        facts = {"email": email[:200]}
        journal.add_entry(
            session, services.clock(), "could not sign in", who="nobody", via="page", address=address, facts=facts
        )


#: Between two entries that somebody looked at the same personal data; typing a template looks many times.
LOOKS = timedelta(hours=1)

#: When somebody last was noted to have looked at columns of a record type, in this process.
_looked: dict[tuple[int, str, tuple[str, ...]], datetime] = {}


def note_look(services: Services, person: Person, template: Template, plan: Plan) -> None:
    """
    Write down that somebody looked at personal data on the screen: at which columns of which records, not at whose.
    """
    if not plan.personal or person.id is None:
        return
    now, key = services.clock(), (person.id, template.records, plan.personal)
    if key in _looked and timedelta(0) <= now - _looked[key] < LOOKS:
        return
    if len(_looked) > 10_000:
        _looked.clear()
    _looked[key] = now
    facts = {"records": template.records, "columns": list(plan.personal)[:40], "template": template.name}
    with services.store.session() as session:
        through = person.through
        who = person if through is None else session.get_one(Person, through)
        journal.add_entry(
            session, now, "looked at personal data", who=who.name, person_id=who.id, via="page", thing="records",
            name=template.name, facts=facts if through is None else {**facts, "through the eyes of": person.name},
        )  # fmt: skip


def note_arrival(request: Request, person_id: int, name: str) -> None:
    """
    Write down that somebody signed in by the house's own sign-in.
    """
    services: Services = request.app.state.services
    with services.store.session() as session:
        address = request.client.host if request.client else ""
        now, facts = services.clock(), {"by": "the house’s sign-in"}
        journal.add_entry(
            session, now, "signed in", person_id=person_id, who=name, via="page", address=address, facts=facts
        )


def _answer_of(response: Response) -> Mapping[str, Any]:
    if response.media_type != "application/json" and "json" not in response.headers.get("content-type", ""):
        return {}
    body = getattr(response, "body", b"")
    if not body or len(body) > 2_000_000:
        return {}
    found = json.loads(bytes(body))
    return found if isinstance(found, dict) else {}


def _name_of(answered: Mapping[str, Any]) -> str:
    inner = answered.get("person")
    named = answered.get("name") or answered.get("template") or (inner.get("name") if isinstance(inner, dict) else "")
    return str(named or "")
