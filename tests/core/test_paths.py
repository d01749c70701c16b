"""
The paths of a document: found wherever they stand, changed, and otherwise left alone.
"""

from __future__ import annotations

import json
from dataclasses import replace
from importlib.resources import files
from typing import Any

import pytest

from bouquet.core.catalogue import Catalogue
from bouquet.core.plan import Context, resolve
from bouquet.core.template import read_document
from bouquet.core.template.paths import replace_step, steps_of
from bouquet.sources import Source
from tests.conftest import NOW
from tests.sources.test_against_sql import CASES

DEMO = sorted(p.name for p in (files("bouquet.demo") / "templates").iterdir() if p.name.endswith(".json"))

EVERYWHERE: dict[str, Any] = {
    "name": "T",
    "records": "work_order",
    "rows": {"per": "child", "path": "lines"},
    "columns": [
        {"id": "c1", "heading": "A", "value": {"field": "tree.tag"}},
        {"id": "c2", "heading": "B", "value": {"formula": "{tree.tag} & {c1} & {tree.t_girth}"}},
        {
            "id": "c3",
            "heading": "C",
            "value": {
                "fold": {
                    "path": "tree.inspections.inspected_on",
                    "how": "latest",
                    "order": [{"path": "tree.tag"}],
                    "where": {"all": [{"path": "tree.tag", "is": "not_blank"}]},
                }
            },
        },
    ],
    "filter": {
        "any": [
            {"path": "tree.tag", "is": "not_blank"},
            {"path": "tree.inspections", "has": "any", "where": {"none": [{"path": "tree.tag", "is": "blank"}]}},
            {"formula": "ISBLANK({tree.tag})"},
        ]
    },
    "order": [{"path": "tree.tag"}],
    "checks": [{"column": "c1", "must": "listed", "listed_in": "tree.tag"}, {"formula": '{tree.tag} <> ""'}],
    "output": {"split": {"by": "tree.tag"}, "children": [{"path": "tree.inspections", "columns": ["tree.tag"]}]},
}


@pytest.fixture(scope="module")
def catalogue(source: Source) -> Catalogue:
    return source.catalogue()


def renamed(catalogue: Catalogue, records: str, old: str, new: str) -> Catalogue:
    """The catalogue with a field under another name."""
    there = catalogue.record_types[records]
    fields = tuple(replace(f, name=new) if f.name == old else f for f in there.fields)
    title = new if there.title == old else there.title
    key = tuple(new if k == old else k for k in there.key)
    types = {**catalogue.record_types, records: replace(there, fields=fields, title=title, key=key)}
    return replace(catalogue, record_types=types)


def test_a_name_is_found_wherever_it_stands(catalogue: Catalogue) -> None:
    places = {s.place for s in steps_of(EVERYWHERE, catalogue) if (s.records, s.name) == ("tree", "tag")}
    assert places == {
        "columns[0].value.field",
        "columns[1].value.formula",
        "columns[2].value.fold.order[0].path",
        "columns[2].value.fold.where.all[0].path",
        "filter.any[0].path",
        "filter.any[1].where.none[0].path",
        "filter.any[2].formula",
        "order[0].path",
        "checks[0].listed_in",
        "checks[1].formula",
        "output.split.by",
        "output.children[0].columns[0]",
    }


def test_a_replaced_name_is_gone_from_everywhere(catalogue: Catalogue) -> None:
    new = renamed(catalogue, "tree", "tag", "label_no")
    changed = replace_step(EVERYWHERE, new, "tree", "tag", "label_no")
    text = json.dumps(changed)
    assert "tag" not in text
    assert text == json.dumps(EVERYWHERE).replace("tree.tag", "tree.label_no")


def test_a_column_of_the_sheet_is_no_field(catalogue: Catalogue) -> None:
    """A formula names columns by their headings or ids, and answers; a split by an id. None of these is a path."""
    document = {**EVERYWHERE, "records": "tree", "rows": {"per": "record"}, "filter": {}, "order": [], "checks": []}
    document["columns"] = [
        {"id": "mark", "heading": "Old name", "value": {"constant": "x"}},
        {"id": "c2", "heading": "B", "value": {"formula": "{mark} & {Old Name} & {ask.tag} & {status}"}},
    ]
    document["output"] = {"split": {"by": "mark"}}
    for name in ("ask", "tag", "old name"):
        assert replace_step(document, catalogue, "tree", name, "other") == document


@pytest.mark.parametrize("name", sorted(CASES))
def test_after_a_rename_every_template_means_what_it_meant(catalogue: Catalogue, name: str) -> None:
    """Each field that a template names is called otherwise in the source; replaced, the template is whole again."""
    document = {"name": "T", **CASES[name][0]}
    for at in {(s.records, s.name) for s in steps_of(document, catalogue)}:
        if catalogue.record_types[at[0]].field_named(at[1]) is None:
            continue
        new = renamed(catalogue, *at, "renamed_field")
        changed = replace_step(document, new, *at, "renamed_field")
        assert resolve(read_document(changed), new, Context(as_of=NOW)).problems == [], at
        back = replace_step(changed, catalogue, at[0], "renamed_field", at[1])
        assert back == document


@pytest.mark.parametrize("name", DEMO)
def test_looking_changes_nothing(catalogue: Catalogue, name: str) -> None:
    document = json.loads((files("bouquet.demo") / "templates" / name).read_text())
    assert replace_step(document, catalogue, "tree", "no such field", "x") == document
    assert all(
        s.name
        in {f.name for f in catalogue.record_types[s.records].fields}
        | {r.name for r in catalogue.record_types[s.records].relations}
        for s in steps_of(document, catalogue)
    )


def test_what_stands_across_is_a_path(catalogue: Catalogue) -> None:
    """Replaced with the groups that it stands beside."""
    across = {"path": "tree.tag", "most": 9}
    document = {**EVERYWHERE, "rows": {"per": "group", "by": [{"path": "tree.tag"}], "across": across}}
    changed = replace_step(document, catalogue, "tree", "tag", "number")

    assert "rows.across.path" in {s.place for s in steps_of(document, catalogue)}
    assert changed["rows"] == {
        "per": "group",
        "by": [{"path": "tree.number"}],
        "across": {"path": "tree.number", "most": 9},
    }
