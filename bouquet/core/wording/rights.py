"""
What somebody may do and see, as a sentence.
"""

from __future__ import annotations

from collections.abc import Sequence

from bouquet.core.catalogue import Catalogue
from bouquet.core.personal import CLASSES, Sight, Treatment
from bouquet.core.rights import Limits, Scope
from bouquet.core.wording.lists import listed
from bouquet.core.wording.sentence import scope_words

__all__ = ["right_words"]

_MAY = {
    "runner": "run templates",
    "designer": "design templates",
    "auditor": "read the ledger and the journal",
    "keeper": "administer the house",
}

_TREATED: dict[Treatment, str] = {"seen": "after saying what for", "masked": "masked", "hidden": "not at all"}

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
    may = f"May {listed([_MAY[r] for r in roles])}" if roles else "May do nothing here yet"
    own = " and their own" if "designer" in roles else ""
    only = f", only the house’s standard ones{own}" if limits.house_only else ""
    said = f"{may}{only}; sees {_records(sight, scope, catalogue)}; personal data {_personal(sight)}"
    return f"{said}; files go {_sent(limits, recipients)}." if limits.sends_to is not None else f"{said}."


def _sent(limits: Limits, recipients: Sequence[str]) -> str:
    if not limits.sends_to or not recipients:
        return "to nobody else"
    return f"only to {listed(recipients) if len(recipients) <= _NAMED else f'{len(recipients)} recipients'}"


def _records(sight: Sight, scope: Scope | None, catalogue: Catalogue | None) -> str:
    of = f" of {scope_words(scope, catalogue)}" if scope is not None and catalogue is not None else ""
    if sight.types is None:
        return "what belongs to" + of.removeprefix(" of") if of else "everything"
    if not sight.types:
        return "no records"
    known = catalogue.record_types if catalogue is not None else {}
    names = [known[name].plural if name in known else name for name in sight.types]
    return (listed(names) if len(names) <= _NAMED else f"{len(names)} record types") + of


def _personal(sight: Sight) -> str:
    said = [_TREATED[sight.usual]]
    for treated in ("seen", "masked", "hidden"):
        titles = [CLASSES[name].title.lower() for name, rule in sight.classes if rule == treated != sight.usual]
        if titles:
            said.append(f"{listed(titles)} {_TREATED[treated]}")
    return ", ".join(said)
