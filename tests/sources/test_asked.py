"""
Sentences that Bouquet wrote are read back to what they were written from.
"""

from __future__ import annotations

import json
import os
from dataclasses import replace
from datetime import date, timedelta
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st

import bouquet.demo
from bouquet.core.asked import LONGEST_REQUEST, joined_to, read_request, read_sentence
from bouquet.core.asked.lexicon import Lexicon
from bouquet.core.catalogue import Catalogue, Field, Kind, RecordType, walk_to_one
from bouquet.core.plan import Context, resolve
from bouquet.core.sql import Statements
from bouquet.core.sql.dialects import render
from bouquet.core.template import Template, read_document
from bouquet.core.vocabulary.comparisons import COMPARISONS, operators_of
from bouquet.core.wording.sentence import Sentence
from bouquet.sources import Source
from tests.conftest import NOW
from tests.sources.test_against_sql import CASES as PLAIN
from tests.sources.test_engine_against_sql import CASES as ENGINE
from tests.sources.test_engine_against_sql import PICKS

CASES = int(os.environ.get("BOUQUET_CASES", "60"))
DEMO = {
    p.stem: json.loads(p.read_text()) for p in sorted((Path(bouquet.demo.__file__).parent / "templates").glob("*.json"))
}
SUITE = {name: {"name": "T", **case[0]} for name, case in {**PLAIN, **ENGINE}.items()}
ALL: dict[str, dict[str, Any]] = {**DEMO, **SUITE}


def said(template: Template, catalogue: Catalogue) -> str:
    return Sentence(template, catalogue, Context(as_of=NOW, answers=None, picks=PICKS)).text()


def read_back(template: Template, catalogue: Catalogue) -> tuple[Template | None, list[str]]:
    """The template made of its sentence and its columns, and what of it may mean something else."""
    found = read_sentence(said(template, catalogue), catalogue, NOW.date(), template)
    if found is None:
        return None, []
    kept = template.model_dump(mode="json", by_alias=True, exclude_defaults=True)
    told = ("records", "rows", "filter", "order", "at_most", "only", "asks")
    document = {k: v for k, v in kept.items() if k not in told} | found.document
    if "output" in kept:
        output = {k: v for k, v in kept["output"].items() if k != "split"}
        document["output"] = output | found.document.get("output", {})
    return read_document(document), found.doubts


def statement(template: Template, catalogue: Catalogue) -> str:
    plan = resolve(template, catalogue, Context(as_of=NOW, answers={}, picks=PICKS)).partial
    return render(Statements(plan).rows(limit=None)) if plan is not None else ""


@pytest.mark.parametrize("name", sorted(ALL))
def test_every_sentence_is_read_back(source: Source, name: str) -> None:
    """Of every template of the suite and the demonstration: to the same sentence, and, but for names that two fields share, to the same statement."""
    catalogue = source.catalogue()
    template = read_document(ALL[name])
    again, doubts = read_back(template, catalogue)

    assert again is not None, said(template, catalogue)
    assert said(again, catalogue) == said(template, catalogue)
    if not doubts:
        assert statement(again, catalogue) == statement(template, catalogue)


# Random templates

TEXTS = st.text(st.sampled_from("ab “”\"(),;.'é Z9–"), min_size=1, max_size=12).filter(lambda t: t.strip() == t)
WINDOWS_DRAWN = st.one_of(
    st.builds(
        lambda n, u: {"type": "last", "count": n, "unit": u},
        st.integers(1, 90),
        st.sampled_from(["day", "month", "hour"]),
    ),
    st.sampled_from(
        [
            {"type": "previous", "unit": "month"},
            {"type": "to_date", "unit": "year"},
            {"type": "all_time"},
            {"type": "after_ago", "count": 2, "unit": "year"},
        ]
    ),
    st.dates(date(1990, 1, 1), date(2030, 1, 1)).map(
        lambda d: {"type": "between", "first": d.isoformat(), "last": (d + timedelta(days=40)).isoformat()}
    ),
)


@st.composite
def values(draw: st.DrawFn, field: Field) -> Any:
    """A value that a field of this kind may be compared with."""
    if field.choices:
        return draw(st.sampled_from([c.code for c in field.choices]))
    if field.kind is Kind.INTEGER:
        return draw(st.integers(-5000, 5000))
    if field.kind is Kind.DECIMAL:
        return draw(st.decimals(-1000, 1000, places=2)).normalize()
    if field.kind.is_dated:
        return draw(st.dates(date(1950, 1, 1), date(2050, 1, 1))).isoformat()
    if field.kind is Kind.TIME:
        return "08:30"
    if field.kind is Kind.BOOLEAN:
        return draw(st.booleans())
    return draw(TEXTS if field.kind is Kind.TEXT else st.from_regex(r"[A-Z0-9]{1,4}(-[0-9]{1,3})?", fullmatch=True))


@st.composite
def conditions(draw: st.DrawFn, catalogue: Catalogue, start: RecordType) -> dict[str, Any]:
    """One comparison of a field that records lead to."""
    way, end = draw(st.sampled_from([w for w in walk_to_one(catalogue, start) if len(w[0]) < 3]))
    field = draw(st.sampled_from([f for f in end.fields if not f.is_custom and f.kind is not Kind.OTHER]))
    # “is no” and “is false” are one condition, said as the first.
    known = [o for o in operators_of(field.kind) if field.kind is not Kind.BOOLEAN or o not in ("is", "is_not")]
    operator = draw(st.sampled_from(known))
    node: dict[str, Any] = {"path": ".".join([*(r.name for r in way), field.name]), "is": operator}
    match COMPARISONS[operator].takes:
        case "window":
            node["window"] = draw(WINDOWS_DRAWN)
        case "value":
            node["value"] = draw(values(field))
            if field.kind is Kind.TEXT and draw(st.booleans()):
                node["exact"] = True
        case "list":
            node["values"] = draw(st.lists(values(field), min_size=1, max_size=4, unique_by=str))
        case "range":
            node["values"] = sorted((draw(values(field)) for _ in range(2)), key=lambda v: (str(type(v)), v))
    return node


@st.composite
def narrowings(draw: st.DrawFn, catalogue: Catalogue, start: RecordType, depth: int = 2) -> dict[str, Any]:
    """A comparison, records that there are many of, or several of these in a group."""
    kind = draw(st.sampled_from(["one", "one", "one", "has", "group"])) if depth else "one"
    many = [r for r in start.relations if r.many and r.target in catalogue.record_types]
    if kind == "has" and many:
        relation = draw(st.sampled_from(many))
        has: dict[str, Any] = {"path": relation.name, "has": draw(st.sampled_from(["any", "none", "at_least"]))}
        if has["has"] == "at_least":
            has["count"] = draw(st.integers(2, 4000))
        if draw(st.booleans()):
            has["where"] = draw(narrowings(catalogue, catalogue.record_types[relation.target], depth - 1))
        return has
    if kind == "group":
        how = draw(st.sampled_from(["all", "any", "none"]))
        return {how: draw(st.lists(narrowings(catalogue, start, depth - 1), min_size=2, max_size=3))}
    return draw(conditions(catalogue, start))


@st.composite
def templates(draw: st.DrawFn, catalogue: Catalogue) -> dict[str, Any]:
    """A template with all that its sentence tells."""
    start = draw(st.sampled_from([t for t in catalogue.record_types.values() if t.title]))
    document: dict[str, Any] = {
        "name": "T",
        "records": start.name,
        "columns": [{"id": "c", "heading": "C", "value": {"field": start.key[0]}}],
    }
    document["filter"] = {"all": draw(st.lists(narrowings(catalogue, start), max_size=4))}
    if draw(st.booleans()):
        document["order"] = [
            {
                "path": draw(
                    st.sampled_from([f.name for f in start.fields if not f.is_custom and f.kind is not Kind.FILE])
                ),
                "direction": draw(st.sampled_from(["ascending", "descending"])),
            }
        ]
    if draw(st.booleans()):
        document["at_most"] = draw(st.integers(1, 5000))
    return document


@settings(max_examples=CASES, deadline=None, suppress_health_check=list(HealthCheck))
@given(data=st.data())
def test_random_sentences_are_read_back(source: Source, data: st.DataObject) -> None:
    """Whatever stands in their texts: to the same statement, or with a doubt; never to another in silence."""
    catalogue = source.catalogue()
    template = read_document(data.draw(templates(catalogue)))
    resolved = resolve(template, catalogue, Context(as_of=NOW, answers={}))
    assume(resolved.plan is not None)
    again, doubts = read_back(template, catalogue)
    if again is None:
        # A text with a quotation mark of its own may leave it open where it ends.
        assert "”" in template.model_dump_json(), said(template, catalogue)
        return
    assert said(again, catalogue) == said(template, catalogue)
    assert doubts or statement(again, catalogue) == statement(template, catalogue)


# Whatever somebody types

WORDS = [
    "trees",
    "tree",
    "oaks",
    "standing",
    "felled",
    "Quay",
    "ward",
    "wards",
    "species",
    "site",
    "inspections",
    "inspected",
    "never",
    "not",
    "without",
    "with",
    "no",
    "at",
    "least",
    "most",
    "more",
    "than",
    "over",
    "under",
    "between",
    "and",
    "or",
    "3",
    "20",
    "200",
    "cm",
    "m",
    "£500",
    "%",
    "last",
    "first",
    "two",
    "years",
    "month",
    "2020",
    "in",
    "since",
    "before",
    "planted",
    "girth",
    "height",
    "number",
    "of",
    "how",
    "many",
    "total",
    "average",
    "per",
    "by",
    "for",
    "each",
    "sorted",
    "biggest",
    "newest",
    "first",
    "top",
    "descending",
    ":",
    ",",
    ";",
    ".",
    '"x"',
    "“",
    "”",
    "(",
    ")",
    "=",
    ">",
    "amount",
    "orders",
    "open",
    "urgent",
    "contractor",
    "the",
    "last",
    "week",
    "this",
    "year",
    "yesterday",
    "except",
    "blank",
    "missing",
    "latest",
    "risk",
    "high",
    "tag",
    "MB-00017",
    "deleted",
    "native",
    "record number",
    "shift number",
    "tree attribute",
    "2026-01-05",
    '""',
    "“”",
    '"Quay"',
    "(",
    ":",
    ".5",
    "²²²²",
    "²",
    "٢٠٢٦",
]


@settings(max_examples=CASES * 3, deadline=None, suppress_health_check=list(HealthCheck))
@given(text=st.one_of(st.lists(st.sampled_from(WORDS), max_size=14).map(" ".join), st.text(max_size=60)))
def test_whatever_is_typed_is_a_template_or_told(source: Source, text: str) -> None:
    """Nothing raises; parts lie in the text and do not overlap what is not understood; a proposal has no problem."""
    catalogue = source.catalogue()
    values = {("ward", "name"): ["Quay"], ("species", "common_name"): ["English oak", "Sessile oak"]}
    found = read_request(text, catalogue, NOW.date(), values=values)

    assert all(0 <= p.start <= p.end <= len(text) for p in found.parts)
    assert all(0 <= a < b <= len(text) for a, b in found.unread)
    if found.document is not None:
        template = read_document(dict(found.document))
        problems = resolve(template, catalogue, Context(as_of=NOW, answers={})).problems
        assert problems == [] or problems == ()
        joined = joined_to(found.document, found)
        assert resolve(
            read_document(dict(joined.document or {})), catalogue, Context(as_of=NOW, answers={})
        ).problems in ([], ())


@pytest.mark.parametrize(
    "text",
    [
        '""',
        "“” by ward",
        'trees with ""',
        "shift number 2026-01-05",
        'tree record number "abc"',
        "tree attribute average",
    ],
)
def test_what_was_proposed_with_a_problem_is_not(source: Source, text: str) -> None:
    """Nothing between quotation marks, a date for a number, a record type without everyday fields."""
    found = read_request(text, source.catalogue(), NOW.date())
    if found.document is not None:
        template = read_document(dict(found.document))
        assert list(resolve(template, source.catalogue(), Context(as_of=NOW, answers={})).problems) == []


def test_a_wide_source_is_read_in_time(source: Source) -> None:
    """What is known from one record type is bounded, whatever it leads to; the nearest fields are known."""
    types = source.catalogue().record_types
    many = tuple(
        replace(types["tree"].fields[0], name=f"f{n}", column=f"f{n}", label=f"Colour {n}") for n in range(5_000)
    )
    wide = replace(
        source.catalogue(),
        record_types={**types, "tree": replace(types["tree"], fields=(*types["tree"].fields, *many))},
    )
    lexicon = Lexicon(wide, wide.record_types["tree"], {})

    assert ("girth",) in lexicon.phrases
    assert sum(len(found) for found in lexicon.phrases.values()) < 40_000


@pytest.mark.parametrize("part", ["(", "not (", "it has any inspections where (", "it has any trees where "])
def test_what_is_nested_without_end_is_no_sentence(source: Source, part: str) -> None:
    """It is told in time, and takes no more room than a sentence."""
    text = "One row per tree where " + part * (LONGEST_REQUEST // len(part))
    assert read_sentence(text[:LONGEST_REQUEST], source.catalogue(), NOW.date()) is None
