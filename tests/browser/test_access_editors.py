"""
Every state of every editor of the bench, looked at by axe: each chip of the sentence, each column, each format.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Any

import pytest
from playwright.sync_api import Page

from tests.browser.conftest import House
from tests.browser.test_access import violations

pytestmark = [pytest.mark.browser, pytest.mark.thorough]

NARROWINGS: list[dict[str, Any]] = [
    {"path": "tag", "is": "contains", "value": "MB"},
    {"path": "status", "is": "one_of", "values": ["1", "2"]},
    {"path": "girth", "is": "between", "values": [10, 300]},
    {"path": "planted_on", "is": "in_window", "window": {"type": "last", "count": 40, "unit": "year"}},
    {"path": "site.ward.name", "is": "one_of", "values": [], "ask": "wards"},
    {"path": "note", "is": "blank"},
    {"path": "inspections", "has": "at_least", "count": 1, "where": {"path": "climbed", "is": "is", "value": False}},
    {"any": [{"path": "height", "is": "at_least", "value": 3}, {"path": "latitude", "is": "not_blank"}]},
    {"none": [{"column": "f", "is": "greater_than", "value": 90}]},
    {"formula": "{girth} > 5"},
]

COLUMNS: list[dict[str, Any]] = [
    {"id": "a", "heading": "Tag", "value": {"field": "tag"}},
    {"id": "b", "heading": "Status", "value": {"field": "status"}},
    {"id": "c", "heading": "Girth", "value": {"field": "girth"}, "total": "mean"},
    {"id": "d", "heading": "Planted", "value": {"field": "planted_on"}},
    {"id": "e", "heading": "Changed", "value": {"field": "changed_at"}},
    {"id": "f", "heading": "Inspections", "value": {"fold": {"path": "inspections", "how": "count"}}},
    {"id": "g", "heading": "Remarks", "value": {"fold": {"path": "inspections.remarks", "how": "joined", "at_most": 3}}},
    {"id": "h", "heading": "Last", "value": {"fold": {
        "path": "inspections.inspected_on", "how": "first", "order": [{"path": "inspected_on", "direction": "descending"}],
        "where": {"path": "climbed", "is": "is", "value": True}}}},
    {"id": "i", "heading": "Twice", "value": {"formula": "{girth} * 2"}},
    {"id": "j", "heading": "Register", "value": {"constant": "town"}},
]  # fmt: skip

CHECKS: list[dict[str, Any]] = [
    {"column": "a", "must": "unique"},
    {"column": "c", "must": "between", "least": 1, "greatest": 900},
    {"column": "b", "must": "one_of", "values": ["1"]},
    {"column": "c", "must": "near_usual"},
    {"formula": "{girth} > 1", "say": "it has a girth"},
    {"file": "usual", "percent": 20},
]

READER = {
    "style": "reader",
    "format": "xlsx",
    "reader": {"groups": ["b"]},
    "split": {"by": "site.ward.name"},
    "xlsx": {"tints": [{"column": "c", "is": "at_least", "value": "200"}], "bars": ["c"], "chart": {"columns": ["c"]}},
}

RECORDS = {
    "records": "tree", "columns": COLUMNS, "filter": {"all": NARROWINGS}, "checks": CHECKS, "at_most": 500,
    "asks": [{"name": "wards", "label": "Which wards", "kind": "choices"}],
    "order": [{"column": "c", "direction": "descending"}, {"path": "tag"}],
}  # fmt: skip

GROUPS = {
    "records": "inspection", "output": {**READER, "split": {"rows": 100}, "reader": {}},
    "rows": {"per": "group", "by": [{"path": "tree.site.ward.name"}], "across": {"path": "inspected_on", "step": "year"}},
    "columns": [
        {"id": "a", "heading": "Ward", "value": {"field": "tree.site.ward.name"}},
        {"id": "c", "heading": "Number", "value": {"fold": {"how": "count"}}},
    ],
    "filter": {"all": [{"path": "inspected_on", "is": "in_window", "window": {"type": "this", "unit": "year"}}]},
}  # fmt: skip

CHILDREN = {
    "records": "tree", "rows": {"per": "child", "path": "inspections", "parents_without": "keep"}, "only": "new",
    "columns": [COLUMNS[0], {"id": "b", "heading": "Risk", "value": {"field": "inspections.risk"}}],
}  # fmt: skip


def opened(page: Page, house: House, name: str, document: dict[str, Any]) -> None:
    made = page.request.post(
        f"{house.address}/api/v1/templates", data={"document": {"name": name, **document}, "free_name": True}
    )
    assert made.ok, made.text()
    page.goto(f"{house.address}/templates/{made.json()['id']}")
    page.locator(".sheet thead th").nth(2).wait_for()
    page.locator(".sentence button").nth(2).wait_for()


def looked_at(page: Page, within: str, at: str) -> Iterator[str]:
    yield from (f"{at}: {found}" for found in violations(page, within))


def chips(page: Page) -> Iterator[str]:
    """Each chip of the sentence, with what it opens."""
    fold = page.get_by_role("button", name="the whole sentence")
    if fold.count():
        fold.click()
    sentence = page.locator(".sentence button[aria-haspopup=dialog]")
    for n in range(sentence.count()):
        name = sentence.nth(n).get_attribute("aria-label") or ""
        sentence.nth(n).click()
        page.get_by_role("dialog").wait_for()
        yield from looked_at(page, "[role=dialog]", f"chip {name}")
        page.keyboard.press("Escape")
        page.get_by_role("dialog").wait_for(state="detached")


def columns(page: Page) -> Iterator[str]:
    """Each column, with what can be said of it."""
    page.get_by_role("tab", name="This column").click()
    heads = page.locator(".sheet thead .head-pick").all()
    assert heads, "no column can be chosen"
    for head in heads:
        head.click()
        yield from looked_at(page, ".shelf", f"column {head.inner_text()}")


def formats(page: Page) -> Iterator[str]:
    """Each format, with its options, for programs and for people."""
    page.get_by_role("tab", name="File").click()
    chooser = page.get_by_label("Format", exact=True)
    for value in chooser.locator("option").evaluate_all("options => options.map(o => o.value)"):
        chooser.select_option(value)
        yield from looked_at(page, ".shelf", f"format {value}")


def rules(page: Page) -> Iterator[str]:
    """Each check, opened."""
    page.get_by_role("tab", name="Checks").click()
    for rule in page.locator(".rule-words").all():
        rule.click()
        yield from looked_at(page, ".shelf", f"check {rule.inner_text()}")


@pytest.mark.parametrize(
    ("document", "looked_into"),
    [
        pytest.param(RECORDS, (chips, columns, formats, rules), id="records"),
        # What another style or another row rule changes of that.
        pytest.param({**RECORDS, "output": READER}, (formats,), id="reader"),
        pytest.param(GROUPS, (chips, columns), id="groups"),
        pytest.param(CHILDREN, (chips, columns), id="children"),
    ],
)
def test_no_editor_of_the_bench_has_violations(
    page: Page, house: House, document: dict[str, Any], looked_into: Sequence[Callable[[Page], Iterator[str]]]
) -> None:
    """Whatever a template holds: its chips, columns, formats and checks are named, told apart and readable."""
    opened(page, house, "Editors", document)
    found = [said for editors in looked_into for said in editors(page)]

    assert not found, "\n".join(found)
