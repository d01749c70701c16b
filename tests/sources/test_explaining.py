"""
Tally, trace, records left out, fields at a glance and finding by a value: all agree with the file and with SQL by hand.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from bouquet.core.plan import Context, Plan, Scope, resolve
from bouquet.core.shaping import TextShaper, to_frame
from bouquet.core.sql import Statements
from bouquet.core.template import read_document
from bouquet.core.wording.sentence import Sentence
from bouquet.runs import Trace, count_tally, left_out, trace
from bouquet.sources import Finding, Source, find
from tests.conftest import NOW

Query = Callable[[str], list[tuple[Any, ...]]]
MakePlan = Callable[..., Plan]

KEYED = [{"id": "k", "heading": "Key", "value": {"field": "t_id"}}]


def tallied(source: Source, plan: Plan) -> list[dict[str, Any]]:
    with source.reader.snapshot() as snapshot:
        return count_tally(snapshot, plan, {})


def traced(source: Source, plan: Plan, *key: str) -> Trace:
    with source.reader.snapshot() as snapshot:
        return trace(snapshot, plan, {}, key)


# Tally


@pytest.mark.parametrize("keep", ["keep", "leave_out"])
def test_the_tally_of_children_counts_parents_and_rows(source: Source, plan: MakePlan, query: Query, keep: str) -> None:
    """Parents first, then what becomes a row, with the parents that have no child, before and after a child's filter."""
    document = {
        "records": "tree",
        "rows": {"per": "child", "path": "inspections", "parents_without": keep},
        "columns": KEYED,
        "filter": {
            "all": [
                {"path": "inspections.lean", "is": "at_least", "value": 20},
                {"path": "status", "is": "is", "value": "S"},
            ]
        },
    }
    trees, standing, inspections, without, leaning, blank, none_leaning = query(
        "SELECT (SELECT count(*) FROM tree), (SELECT count(*) FROM tree WHERE t_st = 'S'), count(i_id), count(DISTINCT t.t_id) FILTER (WHERE i_id IS NULL),"
        " count(*) FILTER (WHERE i_lean >= 20), count(i_id) FILTER (WHERE i_lean IS NULL),"
        " (SELECT count(*) FROM tree t WHERE t_st = 'S' AND NOT EXISTS (SELECT 1 FROM inspection i WHERE i.t_id = t.t_id AND i_lean >= 20))"
        " FROM tree t LEFT JOIN inspection i ON i.t_id = t.t_id WHERE t_st = 'S'"
    )[0]
    kept = keep == "keep"

    found = tallied(source, plan(document))

    assert [(s["kind"], s["rows"], s["without"], s["blank"]) for s in found] == [
        ("all", trees, None, 0),
        ("filter", standing, None, 0),
        ("open", inspections + (without if kept else 0), without, 0),
        ("filter", leaning + (none_leaning if kept else 0), none_leaning, blank),
    ]


def test_the_tally_of_groups_ends_with_groups(source: Source, plan: MakePlan, query: Query) -> None:
    """Records first, then the groups they make, then those that a condition on the group leaves."""
    document = {
        "records": "tree",
        "rows": {"per": "group", "by": [{"path": "site.code"}]},
        "columns": [{"id": "n", "heading": "N", "value": {"fold": {"how": "count"}}}],
        "filter": {
            "all": [{"path": "status", "is": "is", "value": "S"}, {"column": "n", "is": "at_least", "value": 30}]
        },
    }
    trees, standing = query("SELECT count(*), count(*) FILTER (WHERE t_st = 'S') FROM tree")[0]
    groups = query(
        "SELECT s_code, count(*) FROM tree t LEFT JOIN site s ON s.s_id = t.s_id WHERE t_st = 'S' GROUP BY 1"
    )

    found = tallied(source, plan(document))

    assert [(s["kind"], s["rows"]) for s in found] == [
        ("all", trees),
        ("filter", standing),
        ("group", len(groups)),
        ("filter", sum(n >= 30 for _, n in groups)),
    ]


def test_filled_gaps_are_counted_apart_from_groups(source: Source, plan: MakePlan, query: Query) -> None:
    """The groups that are there, then the rows with the empty steps between them."""
    window = {"type": "between", "first": "2012-02-01", "last": "2012-02-29"}
    document = {
        "records": "inspection",
        "rows": {"per": "group", "by": [{"path": "inspected_on", "step": "day", "fill_gaps": True}]},
        "columns": [{"id": "n", "heading": "N", "value": {"fold": {"how": "count"}}}],
        "filter": {"all": [{"path": "inspected_on", "is": "in_window", "window": window}]},
    }
    days = query("SELECT count(DISTINCT i_on) FROM inspection WHERE i_on BETWEEN '2012-02-01' AND '2012-02-29'")[0][0]

    assert [s["rows"] for s in tallied(source, plan(document))[2:]] == [days, 29]
    assert 0 < days < 29


def test_what_rights_hide_is_a_step_of_its_own(source: Source, query: Query) -> None:
    """Scope is found through the shortest way to its record type, is counted, and is said in the sentence."""
    scope = Scope("ward", "code", ("03", "07"))
    context = Context(as_of=NOW, scope=scope)
    for records, sql in (
        ("tree", "SELECT count(*) FROM tree t JOIN site s ON s.s_id = t.s_id JOIN ward w ON w.w_id = s.ward_id WHERE w_code IN ('03', '07')"),
        ("work_order_line", "SELECT count(*) FROM wo_line l JOIN work_order o ON o.wo_id = l.wo_id JOIN tree t ON t.t_id = o.t_id"
                            " JOIN site s ON s.s_id = t.s_id JOIN ward w ON w.w_id = s.ward_id WHERE w_code IN ('03', '07')"),
        ("ward", "SELECT 2"),
        ("species", "SELECT count(DISTINCT sp_id) FROM tree t JOIN site s ON s.s_id = t.s_id JOIN ward w ON w.w_id = s.ward_id WHERE w_code IN ('03', '07')"),
    ):  # fmt: skip
        catalogue = source.catalogue()
        field = catalogue.record_types[records].key[0]
        document = {
            "name": "T",
            "records": records,
            "columns": [{"id": "k", "heading": "K", "value": {"field": field}}],
        }
        template = read_document(document)
        plan = resolve(template, catalogue, context).require()
        found = tallied(source, plan)

        assert found[-1]["rows"] == query(sql)[0][0]
        assert [s["kind"] for s in found] == ["all", "scope"]
        assert "only wards 03 and 07" in Sentence(template, catalogue, context).text()


# Trace


def test_a_trace_names_the_first_step_that_stopped_it(source: Source, plan: MakePlan, query: Query) -> None:
    """Each step with the value it saw; a record is found by its key or by its title."""
    document = {
        "records": "tree",
        "columns": KEYED,
        "filter": {
            "all": [
                {"path": "deleted_at", "is": "blank"},
                {"path": "status", "is": "is", "value": "S"},
                {"path": "inspections", "has": "at_least", "count": 2},
            ]
        },
    }
    key, tag, label = query(
        "SELECT t_id::text, t_tag, label FROM tree JOIN lu_tree_status ON code = t_st WHERE deleted_at IS NULL AND t_st = 'F' ORDER BY t_id LIMIT 1"
    )[0]

    record = traced(source, plan(document), key).record
    by_title = traced(source, plan(document), tag.lower()).record

    assert record is not None
    assert record == by_title
    assert (record.is_in, record.stopped_by, record.title) == (False, 1, tag)
    assert record.steps[0].saw == (("Deleted at", None),)
    assert record.steps[1].saw == (("Status", label),)
    assert record.steps[2].saw[0][0] == "number of Inspections"
    assert traced(source, plan(document), "no such tag").record is None
    assert traced(source, plan(document), "99999999999999999999").record is None


def test_a_parent_s_trace_shows_its_children(source: Source, plan: MakePlan, query: Query) -> None:
    """Where rows stand for children, each child is traced; a parent without one that passes is out, unless kept."""
    document = {
        "records": "tree",
        "rows": {"per": "child", "path": "inspections"},
        "columns": KEYED,
        "filter": {"all": [{"path": "inspections.risk", "is": "is", "value": 4}]},
    }
    key, n, passing = query(
        "SELECT t_id::text, count(*), count(*) FILTER (WHERE i_risk = 4) FROM inspection GROUP BY t_id HAVING count(*) BETWEEN 3 AND 9"
        " AND count(*) FILTER (WHERE i_risk = 4) > 0 ORDER BY t_id LIMIT 1"
    )[0]
    found = traced(source, plan(document), key)

    assert found.record is not None
    assert found.record.is_in
    assert len(found.children) == n
    assert sum(c.is_in for c in found.children) == passing
    assert found.children[0].what == "inspection"
    assert traced(source, plan(document), found.children[0].key[0]).record is not None


def test_beyond_the_first_rows_a_record_is_out_and_told_its_position(
    source: Source, plan: MakePlan, query: Query
) -> None:
    """A limit is a step of the trace, too."""
    document = {
        "records": "tree",
        "columns": KEYED,
        "order": [{"path": "t_girth", "direction": "descending"}],
        "at_most": 10,
    }
    keys = [k for (k,) in query("SELECT t_id::text AS x FROM tree ORDER BY t_girth DESC NULLS LAST, t_id LIMIT 11")]
    made = plan(document)
    tenth, eleventh = traced(source, made, keys[9]).record, traced(source, made, keys[10]).record

    assert tenth is not None
    assert eleventh is not None
    assert (tenth.is_in, eleventh.is_in) == (True, False)
    assert eleventh.steps[-1].saw == (("its position", "11"),)


def test_the_records_a_step_left_out_can_be_seen(source: Source, plan: MakePlan, query: Query) -> None:
    """Those that all steps before let pass, by key, with their title."""
    document = {
        "records": "tree",
        "columns": KEYED,
        "filter": {
            "all": [{"path": "status", "is": "is", "value": "S"}, {"path": "t_girth", "is": "at_least", "value": 10}]
        },
    }
    expected = query(
        "SELECT t_id::text AS x, t_tag FROM tree WHERE t_st = 'S' AND (t_girth < 10 OR t_girth IS NULL) ORDER BY t_id LIMIT 30"
    )
    with source.reader.snapshot() as snapshot:
        records, more = left_out(snapshot, plan(document), "filter.all[1]", 30)
        with pytest.raises(KeyError):
            left_out(snapshot, plan(document), "filter.all[7]", 30)

    assert [(r.key[0], r.title) for r in records] == expected
    assert more


# Whatever the template

_number = st.integers(0, 400)
conditions = st.one_of(
    st.builds(lambda o, v: {"path": "t_girth", "is": o, "value": v}, st.sampled_from(["less_than", "at_least", "is_not"]), _number),
    st.builds(lambda o, v: {"path": "status", "is": o, "values": v}, st.sampled_from(["one_of", "none_of"]), st.lists(st.sampled_from("SFRDQ"), min_size=1, max_size=3)),
    st.builds(lambda o: {"path": "note", "is": o}, st.sampled_from(["blank", "not_blank"])),
    st.builds(lambda n: {"path": "planted_on", "is": "in_window", "window": {"type": "last", "count": n, "unit": "year"}}, st.integers(1, 90)),
    st.builds(lambda v: {"path": "site.ward.code", "is": "is_not", "value": f"{v:02d}"}, st.integers(1, 12)),
    st.builds(lambda h, n, v: {"path": "inspections", "has": h, "count": n, "where": {"path": "risk", "is": "is_not", "value": v}}, st.sampled_from(["any", "none", "at_least"]), st.integers(1, 3), st.integers(1, 4)),
    st.just({"formula": "{t_girth} * 2 > {t_height} * 30"}),
)  # fmt: skip
filters = st.recursive(
    conditions,
    lambda inner: st.one_of(
        st.builds(lambda p: {"any": p}, st.lists(inner, max_size=3)),
        st.builds(lambda p: {"none": p}, st.lists(inner, max_size=3)),
        st.builds(lambda p: {"all": p}, st.lists(inner, max_size=3)),
    ),
    max_leaves=5,
)
children = st.one_of(
    st.just({"per": "record"}),
    st.builds(
        lambda p: {"per": "child", "path": "inspections", "parents_without": p}, st.sampled_from(["keep", "leave_out"])
    ),
)
child_filters = st.one_of(
    st.builds(lambda v: {"path": "inspections.risk", "is": "is_not", "value": v}, st.integers(1, 4)),
    st.builds(lambda v: {"path": "inspections.minutes", "is": "at_least", "value": v}, _number),
)


@settings(max_examples=40, deadline=None, suppress_health_check=list(HealthCheck))
@given(
    st.lists(filters, max_size=3), children, st.lists(child_filters, max_size=2), st.sampled_from([None, 7]), st.data()
)
def test_tally_preview_trace_sentence_and_file_agree(
    source: Source, parts: list[Any], rows: dict[str, Any], of_children: list[Any], at_most: int | None, data: Any
) -> None:
    """Whatever the filter and the row rule: one plan, so one answer."""
    child = rows["per"] == "child"
    columns = [*KEYED, *([{"id": "c", "heading": "Child", "value": {"field": "inspections.i_id"}}] if child else [])]
    document = {
        "name": "T",
        "records": "tree",
        "rows": rows,
        "columns": columns,
        # A narrow ground, so that whole files can be compared.
        "filter": {
            "all": [{"path": "tag", "is": "starts_with", "value": "MB-040"}, *parts, *(of_children if child else [])]
        },
        "at_most": at_most,
    }
    template = read_document(document)
    catalogue, context = source.catalogue(), Context(as_of=NOW)
    plan = resolve(template, catalogue, context).require()
    with source.reader.snapshot() as snapshot:
        file = to_frame(snapshot.table(Statements(plan).rows()))
        few = to_frame(snapshot.table(Statements(plan, expected=1).rows()))
        preview = to_frame(snapshot.table(Statements(plan).rows(limit=10)))
        tally = count_tally(snapshot, plan, {})
        in_file = {str(k) for k in file["c0"].to_list()}
        asked = data.draw(st.lists(st.integers(3995, 4105), min_size=1, max_size=3))
        for key in asked:
            record = trace(snapshot, plan, {}, [str(key)]).record
            assert record is not None
            if not (child and at_most):
                assert record.is_in == (str(key) in in_file)

    assert file.equals(few)
    assert preview.equals(file.head(10))
    assert tally[-1]["rows"] == file.height
    sentence = Sentence(template, catalogue, context).text()
    for label in _labels(document["filter"]):
        assert label in sentence


def _labels(node: dict[str, Any]) -> list[str]:
    """What a sentence must say of each narrowing."""
    known = {
        "t_girth": "girth", "status": "status", "note": "note", "planted_on": "planted on", "site.ward.code": "ward code",
        "inspections": "inspections", "inspections.risk": "risk", "inspections.minutes": "minutes", "tag": "tag", "risk": "risk",
    }  # fmt: skip
    if "path" in node:
        return [known[node["path"]], *(_labels(node["where"]) if node.get("where") else [])]
    if "formula" in node:
        return ["{t_girth} * 2"]
    return [label for parts in node.values() for part in parts for label in _labels(part)]


# Finding and profiles


def last(findings: Any) -> Finding:
    *_, end = findings
    return end


def test_fields_are_found_by_a_value(source: Source, query: Query) -> None:
    """In the records and their neighbours, with exact counts once all is searched."""
    found = last(source.find("tree", "Quay", seconds=30))
    sponsors = query("SELECT count(*) FROM tree WHERE extra ->> 'sponsor' ILIKE '%quay%'")[0][0]

    counts = {h.path: (h.value, h.count, h.exact) for h in found.hits}
    assert counts["site.ward.name"] == ("Quay", 1, True)
    assert counts["sponsor"] == ("Quay Rowing Club", sponsors, True)
    assert found.done
    assert found.searched == 1.0
    assert "resident report telephone (personal)" in found.unsearched


@pytest.mark.parametrize(
    ("records", "typed", "path", "sql"),
    [
        ("tree", "MB-00017", "tag", "SELECT 1"),
        ("tree", "standing", "status", "SELECT count(*) FROM tree JOIN lu_tree_status ON code = t_st WHERE label ILIKE '%standing%'"),
        ("inspection", "22 Nov 2026", "inspected_on", "SELECT count(*) FROM inspection WHERE i_on = '2026-11-22'"),
        ("tree", "61.0", "t_girth", "SELECT count(*) FROM tree WHERE t_girth = 61"),
        ("work_order", "High", "tree.inspections", "SELECT 0"),
        ("tree", "high", "inspections.risk", "SELECT count(*) FROM inspection WHERE i_risk IN (SELECT code FROM lu_risk WHERE label ILIKE '%high%')"),
    ],
)  # fmt: skip
def test_a_value_is_found_as_what_it_may_mean(
    source: Source, query: Query, records: str, typed: str, path: str, sql: str
) -> None:
    """A tag, a label, a day, a number, in the kind of field that can hold it."""
    counts = {h.path: h.count for h in last(source.find(records, typed, seconds=30)).hits}

    assert counts.get(path, 0) == query(sql)[0][0]


def test_hits_come_before_everything_is_searched(source: Source) -> None:
    """What the database knows to be frequent comes first, marked as an estimate; a short time says what was left."""
    first = next(iter(source.find("inspection", "O. Vale", seconds=30)))
    rushed = last(source.find("inspection", "no such value anywhere", seconds=0.0001))

    assert [(h.path, h.exact) for h in first.hits] == [("inspected_by", False)]
    assert rushed.searched < 1
    assert any("inspections" in u for u in rushed.unsearched)


@pytest.mark.parametrize(("typed", "path"), [("mb-00017", "tag"), ("17", "t_id")])
def test_what_an_index_finds_comes_before_anything_is_searched(
    source: Source, monkeypatch: pytest.MonkeyPatch, typed: str, path: str
) -> None:
    """A tag as it was typed, whatever its case, and a number, in tables that are long to go through."""
    monkeypatch.setattr(find, "FIRST_PIECE", 1)
    first = next(iter(source.find("tree", typed, seconds=30)))

    assert (path, 1, False) in [(h.path, h.count, h.exact) for h in first.hits]
    assert first.searched == 0
    wards = Scope("ward", "code", ("03",))
    mine = {h.path for h in next(iter(source.find("tree", typed, scope=wards, seconds=30))).hits}
    everywhere = last(source.find("tree", typed, scope=wards, seconds=30))
    assert (path in mine) == any(h.path == path for h in everywhere.hits)


def test_a_field_at_a_glance(source: Source, query: Query) -> None:
    """Fill, distinct, extremes, the most frequent and a histogram that holds every value."""
    facts = source.facts("tree", "t_girth")
    trees, filled, distinct, least, greatest = query(
        "SELECT count(*), count(t_girth), count(DISTINCT t_girth), min(t_girth)::text, max(t_girth)::text FROM tree"
    )[0]
    status = source.facts("tree", "status")
    top = query(
        "SELECT coalesce(label, t_st), count(*) FROM tree LEFT JOIN lu_tree_status ON code = t_st GROUP BY 1 ORDER BY 2 DESC"
    )

    assert (round(facts.fill * trees), facts.distinct, facts.exact) == (filled, distinct, True)
    assert (facts.least, facts.greatest) == (least, greatest)
    assert sum(b.count for b in facts.histogram) == filled
    assert list(status.top) == top
    assert source.facts("resident_report", "phone").top == ()
    assert source.facts("tree", "bird_box").greatest == "3"
    assert source.facts("photograph", "picture").fill == 1.0
    assert (
        source.facts("tree", "lighting").distinct
        == query("SELECT count(DISTINCT val) FROM tree_attr WHERE attr = 'lighting'")[0][0]
    )


def test_rows_are_shaped_alike_wherever_they_are_looked_at(source: Source, plan: MakePlan) -> None:
    """A preview's text is the file's text."""
    made = plan(
        {
            "records": "site",
            "columns": [{"id": "a", "heading": "A", "value": {"field": "area"}, "show": {"decimals": 1}}],
        }
    )
    with source.reader.snapshot() as snapshot:
        frame = to_frame(snapshot.table(Statements(made).rows(limit=1)))

    assert "." in TextShaper(made.columns, "Europe/London").shape(frame).row(0)[0]
