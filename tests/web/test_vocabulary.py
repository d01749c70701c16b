"""
What templates choose from is declared once: what is added while the program runs is offered, understood and computed.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any

import pytest
import sqlalchemy as sa
from fastapi.testclient import TestClient

from bouquet.core.catalogue import Kind
from bouquet.core.language import CONSTANT
from bouquet.core.plan.capabilities import LACKS
from bouquet.core.plan.checks import Checks
from bouquet.core.sql.comparisons import VERBS
from bouquet.core.sql.dialects import DIALECTS
from bouquet.core.sql.folds import AGGREGATES, folded_value
from bouquet.core.template import Window
from bouquet.core.vocabulary.checks import COLUMN_CHECKS, Asking
from bouquet.core.vocabulary.comparisons import COMPARISONS, Comparing
from bouquet.core.vocabulary.folds import FOLDS, Folding
from bouquet.core.vocabulary.formats import FORMATS, Format
from bouquet.core.vocabulary.windows import OFFERED, WINDOWS
from bouquet.core.windows import read_window, resolve_window, window_words
from bouquet.runs import Services, execute
from tests.web import wire

Query = Callable[[str], list[tuple[Any, ...]]]
SignIn = Callable[[str], TestClient]

NUMBERS = frozenset({Kind.INTEGER, Kind.DECIMAL})


@pytest.fixture(autouse=True)
def undescribed(monkeypatch: pytest.MonkeyPatch) -> None:
    """What is added while the program runs stands in no description that was written before."""
    monkeypatch.setattr(wire, "against_description", lambda *_: "")


def look(client: TestClient, document: dict[str, Any], **body: Any) -> Any:
    answer = client.post("/api/v1/design/look", json={"document": document, **body})
    assert answer.status_code == 200, answer.text
    return answer.json()


def wards(*columns: dict[str, Any], **parts: Any) -> dict[str, Any]:
    """A template of wards with their names, in order, and what else is asked."""
    name = {"id": "n", "heading": "Name", "value": {"field": "name"}}
    return {"name": "W", "records": "ward", "columns": [name, *columns], "order": [{"column": "n"}], **parts}


def test_a_fold_is_one_line_and_one_function(
    client: TestClient, sign_in: SignIn, query: Query, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A fold added while the program runs is offered, typed, refused for what it does not fold, and computed."""

    def width(scope: Any, cell: Any, where: Any) -> Any:
        value = folded_value(scope, cell)
        return scope.dialect.filtered(sa.func.max(value) - sa.func.min(value), where)

    monkeypatch.setitem(
        FOLDS, "width", Folding("width", "width of", "from least to greatest", "value", NUMBERS, "numbers")
    )
    monkeypatch.setitem(AGGREGATES, "width", width)
    sign_in("ines")
    fold = {"path": "sites.trees.t_girth", "how": "width"}
    found = look(client, wards({"id": "w", "heading": "Width", "value": {"fold": fold}}))

    offered = client.get("/api/v1/vocabulary").json()["folds"][-1]
    assert (offered["name"], offered["words"], offered["kinds"]) == (
        "width",
        "from least to greatest",
        ["integer", "decimal"],
    )
    expected = query(
        "SELECT w_name, max(t_girth) - min(t_girth) FROM ward w LEFT JOIN site s ON s.ward_id = w.w_id LEFT JOIN tree t ON t.s_id = s.s_id"
        " GROUP BY 1 ORDER BY 1"
    )
    said = {name: None if w is None else float(w) for name, w in expected}
    assert {n: None if w is None else float(w) for n, w in found["rows"]} == said
    texts = {"path": "sites.trees.tag", "how": "width"}
    refused = look(client, wards({"id": "w", "heading": "Width", "value": {"fold": texts}}))
    assert [p["code"] for p in refused["problems"]] == ["wrong_fold"]


def test_a_comparison_is_one_line_and_one_function(
    client: TestClient, sign_in: SignIn, query: Query, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A comparison added while the program runs is offered for its kinds, said in the sentence, and computed."""
    monkeypatch.setitem(
        COMPARISONS, "shouts", Comparing("shouts", "is written in capitals", frozenset({Kind.TEXT}), "nothing")
    )
    monkeypatch.setitem(VERBS, "shouts", lambda scope, c: scope.value(c.cell) == sa.func.upper(scope.value(c.cell)))
    sign_in("ines")
    shouting = {"all": [{"path": "name", "is": "shouts"}]}
    found = look(client, wards(filter=shouting))

    assert found["rows"] == [[n] for (n,) in query("SELECT w_name FROM ward WHERE w_name = upper(w_name) ORDER BY 1")]
    assert "is written in capitals" in "".join(p["text"] for p in found["sentence"])
    fields = client.get("/api/v1/record-types/ward").json()["groups"][0]["fields"]
    assert {f["kind"]: "shouts" in f["operators"] for f in fields}["text"]


def test_a_check_is_one_line_and_one_method(
    client: TestClient, sign_in: SignIn, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A check added while the program runs is offered, refused for other kinds, and objects to the rows it should."""

    def even(self: Checks, check: Any, column: Any, place: str) -> Any:
        return "must be even", self._test("MOD({cell};2)=0", column, place)

    monkeypatch.setitem(COLUMN_CHECKS, "even", Asking("even", "must be even", (), NUMBERS, "numbers"))
    monkeypatch.setattr(Checks, "_even", even, raising=False)
    sign_in("ines")
    odd = {
        "name": "T",
        "records": "tree",
        "columns": [{"id": "i", "heading": "Number", "value": {"formula": "INT({t_girth})"}}],
        "checks": [{"column": "i", "must": "even"}],
    }
    answer = client.post("/api/v1/design/checks", json={"document": odd})
    assert answer.status_code == 200, answer.text
    (count,) = answer.json()["checks"]
    assert count["words"] == "Number must be even"
    assert count["objections"] > 0
    assert "even" in [c["name"] for c in client.get("/api/v1/vocabulary").json()["column_checks"]]


def test_a_format_is_offered_and_run(
    client: TestClient, sign_in: SignIn, services: Services, query: Query, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A format added while the program runs is offered, taken by a template, and written by a run."""
    toy = Format(
        name="toy",
        label="Toy",
        noun="a toy",
        meaning="",
        media_type="text/toy",
        writer="tests.core.test_formats:ToyWriter",
    )
    # Its texts are no texts of the house, which are looked for in the catalogues.
    CONSTANT.difference_update({toy.label, toy.noun})
    monkeypatch.setitem(FORMATS, "toy", toy)
    ines = sign_in("ines")
    assert ines.get("/api/v1/vocabulary").json()["formats"][-1]["label"] == "Toy"

    made = ines.post("/api/v1/templates", json={"document": wards(output={"format": "toy"})})
    assert made.status_code == 201, made.text
    number = made.json()["id"]
    saved = ines.post(
        f"/api/v1/templates/{number}/versions", json={"note": ""}, headers={"If-Match": made.headers["etag"]}
    )
    assert saved.status_code == 201, saved.text
    run = ines.post("/api/v1/runs", json={"template_id": number})
    assert run.status_code == 202, run.text
    execute(services, run.json()["id"])
    address = f"/api/v1/runs/{run.json()['id']}"
    file = ines.get(f"{address}/files/{ines.get(address).json()['files'][0]['id']}")
    ((rows,),) = query("SELECT count(*) FROM ward")
    assert file.text == f"{rows} rows\n"


def test_what_is_not_declared_is_refused_with_what_is(client: TestClient, sign_in: SignIn) -> None:
    """Names that no list knows are told at their place, with those that are known."""
    sign_in("ines")
    wrong = wards(
        {"id": "x", "heading": "X", "value": {"fold": {"path": "sites", "how": "counted"}}},
        filter={"all": [{"path": "name", "is": "resembles", "value": "Q"}]},
        checks=[{"column": "n", "must": "shine"}],
        output={"format": "doc"},
    )
    answer = client.post("/api/v1/design/look", json={"document": wrong})
    problems = {p["place"]: p["message"] for p in answer.json()["problems"]}
    assert {
        place: next(iter(known)) in problems[place]
        for place, known in {
            "columns[1].value.fold.how": FOLDS,
            "filter.all[0].is": COMPARISONS,
            "checks[0].must": COLUMN_CHECKS,
            "output.format": FORMATS,
        }.items()
    } == dict.fromkeys(problems, True)


def test_everything_declared_is_computed() -> None:
    """Each comparison and fold has its function, each check its method, each dialect what it lacks."""
    assert set(VERBS) == set(COMPARISONS)
    assert set(AGGREGATES) == set(FOLDS)
    assert [m for m in COLUMN_CHECKS if not hasattr(Checks, f"_{m}")] == []
    assert set(LACKS) == set(DIALECTS)


@pytest.mark.parametrize("name", WINDOWS)
def test_every_window_is_computed_in_all_its_units(name: str) -> None:
    """Each kind comes to a span in each of its units, and to words."""
    now = datetime(2026, 2, 28, 12, tzinfo=UTC)
    shape = WINDOWS[name]
    for unit in shape.units or ("day",):
        window = Window(type=name, count=2, unit=unit, first="2026-01-01", last="2026-01-02")
        span = resolve_window(window, now, UTC)
        assert span.start is None or span.end is None or span.start < span.end
        assert window_words(window)


def test_offered_windows_are_read_back() -> None:
    """What a window offered by one press is called in words is that window again, when somebody types it."""
    for kind, count, unit in OFFERED:
        window = Window(type=kind, count=count, unit=unit)
        assert read_window(window_words(window)) in (window, Window(type=kind))
