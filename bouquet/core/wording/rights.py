"""
What somebody may do and see, as a sentence.
"""

from __future__ import annotations

from collections.abc import Sequence

from bouquet.core.catalogue import Catalogue
from bouquet.core.language import Texts, tr
from bouquet.core.personal import CLASSES, Sight, Treatment
from bouquet.core.rights import Limits, Scope
from bouquet.core.wording.lists import listed
from bouquet.core.wording.sentence import scope_words

__all__ = ["right_words"]

_MAY = Texts(
    {
        "runner": "run templates",
        "designer": "design templates",
        "auditor": "read the ledger and the journal",
        "keeper": "administer the house",
    }
)

_TREATED: Texts[Treatment] = Texts({"seen": "after saying what for", "masked": "masked", "hidden": "not at all"})

#: Record types that are named; of more, how many.
_NAMED = 6


def right_words(
    roles: Sequence[str],
    sight: Sight,
    scope: Scope | None,
    catalogue: Catalogue | None,
    limits: Limits,
    recipients: Sequence[str],
) -> str:
    """
    What roles and a right come to: `May run templates, only the house’s standard ones; sees trees and sites, only
    those of ward Quay; personal data masked, contact not at all; files go only to Fernlea Office.` `recipients`
    are the names of those to whom files may go, where these are limited.
    """
    may = tr("May {may}", may=listed([_MAY[r] for r in roles])) if roles else tr("May do nothing here yet")
    own = tr(" and their own") if "designer" in roles else ""
    only = tr(", only the house’s standard ones{own}", own=own) if limits.house_only else ""
    said = tr(
        "{may}{only}; sees {sight}; personal data {sight2}",
        may=may,
        only=only,
        sight=_records(sight, scope, catalogue),
        sight2=_personal(sight),
    )
    return (
        tr("{said}; files go {limits}.", said=said, limits=_sent(limits, recipients))
        if limits.sends_to is not None
        else f"{said}."
    )


def _sent(limits: Limits, recipients: Sequence[str]) -> str:
    if not limits.sends_to or not recipients:
        return tr("to nobody else")
    return tr(
        "only to {recipients}",
        recipients=listed(recipients)
        if len(recipients) <= _NAMED
        else tr("{recipients} recipients", recipients=len(recipients)),
    )


def _records(sight: Sight, scope: Scope | None, catalogue: Catalogue | None) -> str:
    of = tr(" of {scope}", scope=scope_words(scope, catalogue)) if scope is not None and catalogue is not None else ""
    if sight.types is None:
        if scope is None or catalogue is None:
            return tr("everything")
        return tr("what belongs to {scope}", scope=scope_words(scope, catalogue))
    if not sight.types:
        return tr("no records")
    known = catalogue.record_types if catalogue is not None else {}
    names = [known[name].plural if name in known else name for name in sight.types]
    return (listed(names) if len(names) <= _NAMED else tr("{names} record types", names=len(names))) + of


def _personal(sight: Sight) -> str:
    said = [_TREATED[sight.usual]]
    for treated in ("seen", "masked", "hidden"):
        titles = [CLASSES[name].title.lower() for name, rule in sight.classes if rule == treated != sight.usual]
        if titles:
            said.append(f"{listed(titles)} {_TREATED[treated]}")
    return ", ".join(said)
