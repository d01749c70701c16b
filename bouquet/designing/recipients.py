"""
Recipients in words.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from bouquet.core.language import Texts, tr, trn
from bouquet.core.layout import Fit
from bouquet.core.personal import CLASSES
from bouquet.core.shaping import to_frame
from bouquet.core.sql import Statements
from bouquet.core.template import Acceptance, GivenAs, Template
from bouquet.core.vocabulary.formats import FORMATS
from bouquet.core.wording.lists import listed
from bouquet.designing.source_view import SourceView
from bouquet.runs.split_writer import split_texts

__all__ = ["fit_words", "part_values", "recipient_sentence", "taken_words"]

_SEPARATORS = Texts({",": "commas", ";": "semicolons", "\t": "tabs", "|": "bars"})
_GIVEN: Texts[GivenAs] = Texts(
    {
        "seen": "as they are",
        "masked": "masked",
        "pseudonym": "as pseudonyms",
        "hidden": "not at all",
    }
)
_WAYS = Texts(
    {
        "mail": "by mail to {}",
        "sftp": "by SFTP, {}",
        "webhook": "by a request to {}",
        "store": "in the object store {}",
        "folder": "in {}",
        "link": "by {}",
    }
)


def recipient_sentence(name: str, acceptance: Acceptance, ways: Sequence[tuple[str, str]]) -> str:
    """
    What somebody takes, and how they get it, as one sentence.

    Args:
        ways: (kind, where) of each way by which they receive.
    """
    goes = [_WAYS[kind].format(where) for kind, where in ways]
    text = tr(
        "{name} takes {acceptance}, {goes}.",
        name=name,
        acceptance=taken_words(acceptance),
        goes=listed(goes),
    )
    allowed = tr("may") if acceptance.personal else tr("may not")
    classes = [f"; {CLASSES[name].title.lower()} {_GIVEN[given]}" for name, given in acceptance.classes.items()]
    return tr(
        "{what} They {allowed} receive personal data{classes}.",
        what=text,
        allowed=allowed,
        classes="".join(classes),
    )


def taken_words(acceptance: Acceptance) -> str:
    """
    The form of file that somebody takes.
    """
    form = FORMATS[acceptance.format].noun if acceptance.format else tr("a file as the template makes it")
    details = []
    if acceptance.csv is not None:
        separator = _SEPARATORS.get(acceptance.csv.separator, f"“{acceptance.csv.separator}”")
        details.append(
            tr(
                "separated by {separator}, in {encoding}",
                separator=separator,
                encoding=acceptance.csv.encoding,
            )
        )
    if acceptance.columns:
        order = tr("in this order and no others") if acceptance.exact else tr("before all others")
        required = sum(c.required for c in acceptance.columns)
        said = trn("with {n} column {order}", "with {n} columns {order}", len(acceptance.columns), order=order)
        details.append(said + (tr(", {required} of them never blank", required=required) if required else ""))
    if acceptance.name:
        details.append(tr("called “{acceptance}”", acceptance=acceptance.name))
    if acceptance.most_rows is not None:
        details.append(trn("of at most {n} row", "of at most {n} rows", acceptance.most_rows))
    return f"{form}{', ' + ', '.join(details) if details else ''}"


def part_values(view: SourceView, template: Template) -> list[str]:
    """
    The values of the parts that a template's file would be split into now; none where it is not split by a value.
    """
    plan = view.resolve(template).partial
    if plan is None or plan.split is None:
        return []
    with view.snapshot() as snapshot:
        table = to_frame(snapshot.table(Statements(plan).parts()))
    return split_texts(plan, table["s0"])


def fit_words(acceptance: Acceptance, fits: Sequence[Fit]) -> str:
    """
    How well a layout is met, in a few words.
    """
    if not acceptance.columns:
        return tr("has no layout")
    counts = Counter(f.state for f in fits)
    met = counts["met"] + counts["wrong place"]
    if met == len(acceptance.columns):
        return trn("its {n} column is met", "all {n} columns are met", met)
    rest = [f"{counts[s]} {s}" for s in ("missing", "wrong kind") if counts[s]]
    return tr(
        "{met} of {columns} columns are met, {rest}",
        met=met,
        columns=len(acceptance.columns),
        rest=", ".join(rest),
    )
