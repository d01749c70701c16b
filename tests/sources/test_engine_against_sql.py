"""
Row rules, folds, formulas, picks and asks against hand-written SQL on Marrowby, read back by an independent reader.
"""

from __future__ import annotations

import csv
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from bouquet.core.plan import Context, Picked, Plan, resolve
from bouquet.core.shaping import TextShaper, to_frame
from bouquet.core.sql import Statements
from bouquet.core.template import read_document
from bouquet.runs import Export, count_tally
from bouquet.sources import Source
from tests.conftest import NOW

Query = Callable[[str], list[tuple[Any, ...]]]


def fold(heading: str, path: str, how: str, show: dict[str, Any] | None = None, **more: Any) -> dict[str, Any]:
    """A column that folds."""
    return {
        "id": heading,
        "heading": heading,
        "value": {"fold": {"path": path, "how": how, **more}},
        "show": show or {},
    }


def formula(heading: str, text: str, **show: Any) -> dict[str, Any]:
    """A column that computes."""
    return {"id": heading, "heading": heading, "value": {"formula": text}, "show": show}


def cols(*columns: Any) -> list[dict[str, Any]]:
    """Columns from paths, from (path, show), or as they are."""
    made = []
    for n, c in enumerate(columns):
        path, show = (c, {}) if isinstance(c, str) else c if isinstance(c, tuple) else (None, {})
        made.append({"id": f"c{n}", "heading": f"H{n}", "value": {"field": path}, "show": show} if path else c)
    return made


PICKS = {"favourites": Picked("tree", (("5",), ("17",), ("40000",), ("99999999",)))}

#: name: (document, the same rows by hand, answers)
CASES: dict[str, tuple[Any, ...]] = {
    # One row per child
    "one row per child, parents without left out": (
        {"records": "tree", "rows": {"per": "child", "path": "inspections"}, "columns": cols("tag", "inspections.i_id", "inspections.inspected_by")},
        "SELECT t_tag, i_id::text AS x, i_by FROM tree t JOIN inspection i ON i.t_id = t.t_id ORDER BY t.t_id, i_id",
    ),
    "one row per child, parents without kept": (
        {"records": "tree", "rows": {"per": "child", "path": "photographs", "parents_without": "keep"}, "columns": cols("tag", "photographs.file_name")},
        "SELECT t_tag, ph_name FROM tree t LEFT JOIN photograph p ON p.t_id = t.t_id ORDER BY t.t_id, ph_id",
    ),
    "a filter on the child keeps the parent, with blank cells": (
        {"records": "tree", "rows": {"per": "child", "path": "inspections", "parents_without": "keep"},
         "columns": cols("tag", "inspections.i_id", "inspections.risk"),
         "filter": {"all": [{"path": "seal", "is": "not_blank"}, {"path": "inspections.risk", "is": "one_of", "values": ["3", "4"]}]}},
        "SELECT t_tag, i_id::text AS x, l.label FROM tree t LEFT JOIN inspection i ON i.t_id = t.t_id AND i_risk IN (3, 4)"
        " LEFT JOIN lu_risk l ON l.code = i_risk WHERE t_seal IS NOT NULL ORDER BY t.t_id, i_id",
    ),
    "a filter on the child drops the parent where childless ones are left out": (
        {"records": "tree", "rows": {"per": "child", "path": "inspections"}, "columns": cols("tag", "inspections.i_id"),
         "filter": {"all": [{"path": "inspections.lean", "is": "greater_than", "value": 27.5}]}},
        "SELECT t_tag, i_id::text AS x FROM tree t JOIN inspection i ON i.t_id = t.t_id WHERE i_lean > 27.5 ORDER BY t.t_id, i_id",
    ),
    "a filter on the parent narrows parents": (
        {"records": "work_order", "rows": {"per": "child", "path": "work_order_lines"}, "columns": cols("number", "work_order_lines.number", "work_order_lines.amount"),
         "filter": {"all": [{"path": "status", "is": "is", "value": "R"}, {"path": "contractor.code", "is": "not_blank"}]}},
        "SELECT wo_no, wl_no, wl_amount::text FROM work_order o JOIN wo_line l ON l.wo_id = o.wo_id JOIN contractor c ON c.co_id = o.co_id"
        " WHERE wo_st = 'R' ORDER BY o.wo_id, wl_id",
    ),
    "children of children, nested two deep, with what lies beside": (
        {"records": "site", "rows": {"per": "child", "path": "trees.inspections"},
         "columns": cols("code", "trees.tag", "trees.species.botanical_name", "trees.inspections.i_id"),
         "filter": {"all": [{"path": "kind", "is": "is", "value": "C"}, {"path": "trees.inspections.risk", "is": "is", "value": 4}]}},
        "SELECT s_code, t_tag, sp_bot, i_id::text AS x FROM site s JOIN tree t ON t.s_id = s.s_id JOIN inspection i ON i.t_id = t.t_id"
        " LEFT JOIN species p ON p.sp_id = t.sp_id WHERE s_kind = 'C' AND i_risk = 4 ORDER BY s.s_id, i_id",
    ),
    "children kept under children, and narrowed through what they lead to": (
        {"records": "tree", "rows": {"per": "child", "path": "work_orders.work_order_lines", "parents_without": "keep"},
         "columns": cols("tag", "work_orders.number", "work_orders.contractor.code", "work_orders.work_order_lines.number"),
         "filter": {"all": [{"path": "seal", "is": "not_blank"}, {"path": "work_orders.contractor.active", "is": "yes"}]}},
        "SELECT t_tag, wo_no, co_code, wl_no FROM tree t LEFT JOIN (work_order o JOIN wo_line l ON l.wo_id = o.wo_id"
        " JOIN contractor c ON c.co_id = o.co_id AND co_active) ON o.t_id = t.t_id WHERE t_seal IS NOT NULL ORDER BY t.t_id, wl_id",
    ),
    "child and parent in one alternative": (
        {"records": "tree", "rows": {"per": "child", "path": "inspections"}, "columns": cols("tag", "inspections.i_id"),
         "filter": {"all": [{"any": [{"path": "status", "is": "is", "value": "Q"}, {"path": "inspections.lean", "is": "at_least", "value": 28}]}]}},
        "SELECT t_tag, i_id::text AS x FROM tree t JOIN inspection i ON i.t_id = t.t_id WHERE t_st = 'Q' OR i_lean >= 28 ORDER BY t.t_id, i_id",
    ),
    "children up a step and down again": (
        {"records": "work_order", "rows": {"per": "child", "path": "tree.inspections"}, "columns": cols("number", "tree.tag", "tree.inspections.i_id"),
         "filter": {"all": [{"path": "status", "is": "is", "value": "X"}]}, "at_most": 700},
        "SELECT wo_no, t_tag, i_id::text AS x FROM work_order o JOIN tree t ON t.t_id = o.t_id JOIN inspection i ON i.t_id = t.t_id"
        " WHERE wo_st = 'X' ORDER BY wo_id, i_id LIMIT 700",
    ),
    "children ordered by their own field": (
        {"records": "work_order", "rows": {"per": "child", "path": "work_order_lines"}, "columns": cols("number", "work_order_lines.amount"),
         "order": [{"path": "work_order_lines.amount", "direction": "descending"}], "at_most": 500},
        "SELECT wo_no, wl_amount::text FROM work_order o JOIN wo_line l ON l.wo_id = o.wo_id ORDER BY l.wl_amount DESC, o.wo_id, wl_id LIMIT 500",
    ),
    # One row per group
    "a group counts its own records by how many others each has": (
        {"records": "tree", "rows": {"per": "group", "by": [{"path": "site.ward.name"}]},
         "columns": [*cols("site.ward.name"),
                     fold("Often", "", "count", where={"path": "inspections", "has": "at_least", "count": 2}),
                     fold("Girth", "t_girth", "sum", where={"path": "inspections", "has": "at_least", "count": 2,
                          "where": {"path": "defects", "has": "at_least", "count": 2}}),
                     fold("Crowded", "", "count", where={"path": "site.trees", "has": "at_least", "count": 20})]},
        "WITH i AS (SELECT t_id, count(*) AS n, count(*) FILTER (WHERE (SELECT count(*) FROM defect d WHERE d.i_id = inspection.i_id) >= 2) AS bad"
        " FROM inspection GROUP BY t_id), s AS (SELECT s_id, count(*) AS n FROM tree GROUP BY s_id)"
        " SELECT w_name, count(*) FILTER (WHERE i.n >= 2)::text AS a, (sum(t_girth) FILTER (WHERE i.bad >= 2))::text AS b,"
        " count(*) FILTER (WHERE s.n >= 20)::text AS c FROM tree t LEFT JOIN site USING (s_id) LEFT JOIN ward ON ward_id = w_id"
        " LEFT JOIN i ON i.t_id = t.t_id LEFT JOIN s ON s.s_id = t.s_id GROUP BY w_name ORDER BY w_name",
    ),
    "a group counts its own records by the very field it is made by, unstepped": (
        {"records": "inspection", "rows": {"per": "group", "by": [{"path": "inspected_on", "step": "year"}]},
         "columns": [*cols("inspected_on"), fold("Late", "", "count", where={"path": "inspected_on", "is": "after", "value": "2026-06-30"})],
         "filter": {"path": "inspected_on", "is": "after", "value": "2025-01-01"}},
        "SELECT date_trunc('year', i_on)::date::text AS y, count(*) FILTER (WHERE i_on > '2026-06-30')::text AS n FROM inspection"
        " WHERE i_on > '2025-01-01' GROUP BY 1 ORDER BY 1",
    ),
    "one row per ward, with counts and sums": (
        {"records": "tree", "rows": {"per": "group", "by": [{"path": "site.ward.name"}]},
         "columns": cols("site.ward.name", fold("Trees", "", "count"), fold("Worth", "amenity_value", "sum"), fold("Thickest", "t_girth", "greatest"), fold("Kinds", "species.sp_id", "count_distinct"))},
        "SELECT w_name, count(*)::text, sum(t_val)::text, max(t_girth)::text, count(DISTINCT t.sp_id)::text FROM tree t LEFT JOIN site s ON s.s_id = t.s_id"
        " LEFT JOIN ward w ON w.w_id = s.ward_id GROUP BY w_name ORDER BY w_name NULLS LAST",
    ),
    "groups by two values, one of them a choice by label": (
        {"records": "work_order", "rows": {"per": "group", "by": [{"path": "contractor.name"}, {"path": "status"}]},
         "columns": cols("contractor.name", "status", fold("N", "", "count")),
         "order": [{"column": "c0"}, {"column": "c1", "direction": "descending"}]},
        "SELECT co_name, label, count(*)::text FROM work_order o LEFT JOIN contractor c ON c.co_id = o.co_id JOIN lu_wo_status ON code = wo_st"
        " GROUP BY co_name, label ORDER BY co_name COLLATE \"und-x-icu\" NULLS LAST, label DESC",
    ),
    "steps of a week, by the local day": (
        {"records": "inspection", "rows": {"per": "group", "by": [{"path": "inspected_at", "step": "week"}]},
         "columns": cols("inspected_at", fold("N", "", "count"), fold("Mean", "minutes", "mean", {"decimals": 2})),
         "filter": {"all": [{"path": "inspected_at", "is": "in_window", "window": {"type": "last", "count": 100}}]}},
        "SELECT date_trunc('week', i_at AT TIME ZONE 'Europe/London')::date::text AS w, count(*)::text, round(avg(i_min), 2)::text FROM inspection"
        " WHERE i_at >= '2026-08-15 00:00 Europe/London' AND i_at < '2026-11-23 00:00 Europe/London' GROUP BY 1 ORDER BY 1",
    ),
    "steps of an hour on the night the clocks went back": (
        {"records": "inspection", "rows": {"per": "group", "by": [{"path": "inspected_at", "step": "hour"}]},
         "columns": cols("inspected_at", fold("N", "", "count")),
         "filter": {"all": [{"path": "inspected_at", "is": "between", "values": ["2025-10-26", "2025-10-26"]}]}},
        "SELECT to_char(h AT TIME ZONE 'Europe/London', 'YYYY-MM-DD\"T\"HH24:MI:SS') || CASE WHEN h < '2025-10-26 01:00Z' THEN '+01:00' ELSE '+00:00' END, count(*)::text"
        " FROM (SELECT date_trunc('hour', i_at) AS h FROM inspection WHERE i_at >= '2025-10-25 23:00Z' AND i_at < '2025-10-27 00:00Z') x GROUP BY h ORDER BY h",
    ),
    "steps of a quarter and a year": (
        {"records": "work_order", "rows": {"per": "group", "by": [{"path": "raised_on", "step": "year"}, {"path": "raised_on", "step": "quarter"}]},
         "columns": [{"id": "y", "heading": "Y", "value": {"field": "raised_on", "step": "year"}, "show": {"date": "yyyy"}},
                     {"id": "q", "heading": "Q", "value": {"field": "raised_on", "step": "quarter"}}, fold("N", "", "count")]},
        "SELECT to_char(date_trunc('year', wo_raised), 'YYYY'), date_trunc('quarter', wo_raised)::date::text AS q, count(*)::text FROM work_order GROUP BY 1, 2 ORDER BY 1, 2",
    ),
    "gaps filled: days without an inspection are there": (
        {"records": "inspection", "rows": {"per": "group", "by": [{"path": "inspected_on", "step": "day", "fill_gaps": True}]},
         "columns": cols("inspected_on", fold("N", "", "count"), fold("Sum", "minutes", "sum")),
         "filter": {"all": [{"path": "inspected_on", "is": "in_window", "window": {"type": "between", "first": "2014-01-01", "last": "2014-06-30"}}]}},
        "SELECT d::date::text, count(i_id)::text, sum(i_min)::text FROM generate_series('2014-01-01'::date, '2014-06-30', '1 day') d"
        " LEFT JOIN inspection ON i_on = d::date GROUP BY d ORDER BY d",
    ),
    "gaps filled: what nothing comes to, and what is computed from it": (
        {"records": "inspection", "rows": {"per": "group", "by": [{"path": "inspected_on", "step": "month", "fill_gaps": True}]},
         "columns": cols("inspected_on", fold("N", "", "count"), {"id": "twice", "heading": "Twice", "value": {"formula": "{N} * 2 + 1"}}),
         "filter": {"all": [{"path": "inspected_on", "is": "in_window", "window": {"type": "between", "first": "1998-11-01", "last": "1999-02-28"}}, {"path": "inspected_on", "is": "between", "values": ["1998-12-05", "2030-01-01"]}]}},
        "SELECT d::date::text, '0', '1' FROM generate_series('1998-12-01'::date, '1999-02-01', '1 month') d ORDER BY d",
    ),
    "gaps filled for each of the other values": (
        {"records": "probe_reading", "rows": {"per": "group", "by": [{"path": "probe.code"}, {"path": "taken_at", "step": "hour", "fill_gaps": True}]},
         "columns": cols("probe.code", ("taken_at", {"date": "yyyy-MM-dd HH:mm"}), fold("N", "", "count"), fold("Wet", "moisture", "mean", {"decimals": 1})),
         "filter": {"all": [{"path": "probe.code", "is": "one_of", "values": ["PR-1", "PR-2"]},
                            {"path": "taken_at", "is": "in_window", "window": {"type": "between", "first": "2026-11-20", "last": "2026-11-21"}}]}},
        "SELECT p_code, to_char(h AT TIME ZONE 'Europe/London', 'YYYY-MM-DD HH24:MI'), count(pr_id)::text, round(avg(pr_moist), 1)::text"
        " FROM (SELECT p_id, p_code FROM probe WHERE p_code IN ('PR-1', 'PR-2')) p CROSS JOIN generate_series('2026-11-20 00:00Z'::timestamptz, '2026-11-21 23:00Z', '1 hour') h"
        " LEFT JOIN probe_reading r ON r.p_id = p.p_id AND date_trunc('hour', pr_at) = h GROUP BY p_code, h ORDER BY p_code, h",
    ),
    "steps of twenty minutes are those of the clock, half an hour from ours": (
        {"records": "inspection", "zone": "Asia/Kolkata", "rows": {"per": "group", "by": [{"path": "inspected_at", "step": "minute", "count": 20}]},
         "columns": cols(("inspected_at", {"date": "yyyy-MM-dd HH:mm"}), fold("N", "", "count"))},
        "SELECT to_char(l, 'YYYY-MM-DD HH24:') || lpad((20 * (extract(minute FROM l)::int / 20))::text, 2, '0'), count(*)::text"
        " FROM (SELECT i_at AT TIME ZONE 'Asia/Kolkata' AS l FROM inspection) i GROUP BY 1 ORDER BY 1",
    ),
    "steps of fifteen minutes": (
        {"records": "inspection", "rows": {"per": "group", "by": [{"path": "inspected_at", "step": "minute", "count": 15}]},
         "columns": cols(("inspected_at", {"date": "yyyy-MM-dd HH:mm"}), fold("N", "", "count")),
         "filter": {"all": [{"path": "inspected_at", "is": "in_window", "window": {"type": "previous", "unit": "week"}}]}},
        "SELECT to_char(date_bin('15 minutes', i_at AT TIME ZONE 'Europe/London', '2000-01-01'), 'YYYY-MM-DD HH24:MI') AS q, count(*)::text FROM inspection"
        " WHERE i_at >= '2026-11-16 00:00Z' AND i_at < '2026-11-23 00:00Z' GROUP BY 1 ORDER BY 1",
    ),
    "groups narrowed by what they come to": (
        {"records": "tree", "rows": {"per": "group", "by": [{"path": "species.botanical_name"}]},
         "columns": cols("species.botanical_name", fold("Trees", "", "count")),
         "filter": {"all": [{"path": "status", "is": "is", "value": "S"}, {"column": "Trees", "is": "at_least", "value": 600}]},
         "order": [{"column": "Trees", "direction": "descending"}]},
        "SELECT sp_bot, count(*)::text FROM tree t LEFT JOIN species p ON p.sp_id = t.sp_id WHERE t_st = 'S' GROUP BY sp_bot HAVING count(*) >= 600 ORDER BY count(*) DESC",
    ),
    "groups with folds of each record's many": (
        {"records": "tree", "rows": {"per": "group", "by": [{"path": "status"}]},
         "columns": cols("status", fold("I", "inspections", "count"), fold("M", "inspections.minutes", "sum"), fold("A", "inspections.minutes", "mean", {"decimals": 3}), fold("L", "inspections.inspected_on", "greatest"))},
        "SELECT coalesce(label, t_st), count(i_id)::text, sum(i_min)::text, round(avg(i_min), 3)::text, max(i_on)::text FROM tree t LEFT JOIN inspection i ON i.t_id = t.t_id"
        " LEFT JOIN lu_tree_status ON code = t_st GROUP BY 1 ORDER BY 1",
    ),
    "groups of records that have at least so many": (
        {"records": "tree", "rows": {"per": "group", "by": [{"path": "status"}]},
         "columns": cols("status", fold("Trees", "", "count"), fold("Inspections", "inspections", "count")),
         "filter": {"all": [{"path": "inspections", "has": "at_least", "count": 3}]}},
        "SELECT coalesce(label, t_st), count(*)::text AS n, sum(i.n)::text AS m FROM tree t LEFT JOIN lu_tree_status ON code = t_st"
        " JOIN (SELECT t_id, count(*) AS n FROM inspection GROUP BY 1) i ON i.t_id = t.t_id AND i.n >= 3"
        " GROUP BY 1 ORDER BY 1",
    ),
    "blank texts make one group": (
        {"records": "tree", "rows": {"per": "group", "by": [{"path": "note"}]}, "columns": cols("note", fold("N", "", "count")),
         "filter": {"all": [{"path": "note", "is": "blank"}]}},
        "SELECT NULL AS n, count(*)::text FROM tree WHERE t_note IS NULL OR btrim(t_note, E' \\t') = ''",
    ),
    "a share computed over groups": (
        {"records": "resident_report", "rows": {"per": "group", "by": [{"path": "state"}]},
         "columns": cols("state", fold("All", "", "count"), fold("Mail", "mail", "count"), formula("Share", "ROUND({Mail} / {All} * 100; 1)"))},
        "SELECT CASE rp_st WHEN 'N' THEN 'New' WHEN 'O' THEN 'Open' ELSE 'Closed' END AS s, count(*)::text, count(rp_em)::text,"
        " trim_scale(round(count(rp_em)::numeric / count(*) * 100, 1))::text FROM rp_report GROUP BY 1, rp_st ORDER BY position(rp_st IN 'NOC')",
    ),
    # Folds
    "count, latest and joined of children": (
        {"records": "tree", "columns": cols("tag", fold("N", "inspections", "count"), fold("Risk", "inspections.risk", "latest", order=[{"path": "inspected_on"}]),
                                            fold("Found", "inspections.defects.kind", "joined", separator=", ", distinct=True)),
         "filter": {"all": [{"path": "site.ward.code", "is": "is", "value": "04"}]}},
        "SELECT t_tag, (SELECT count(*) FROM inspection i WHERE i.t_id = t.t_id)::text,"
        " (SELECT label FROM lu_risk WHERE code = (SELECT i_risk FROM inspection i WHERE i.t_id = t.t_id ORDER BY i_on DESC, i_id DESC LIMIT 1)),"
        " (SELECT string_agg(DISTINCT label, ', ' ORDER BY label) FROM inspection i JOIN defect d ON d.i_id = i.i_id JOIN lu_defect_kind ON code = d_kind WHERE i.t_id = t.t_id)"
        " FROM tree t JOIN site s ON s.s_id = t.s_id JOIN ward w ON w.w_id = s.ward_id WHERE w_code = '04' ORDER BY t_id",
    ),
    "two folds on one relation, each with its own filter": (
        {"records": "tree", "columns": cols("tag", fold("All", "inspections", "count"), fold("High", "inspections", "count", where={"path": "risk", "is": "one_of", "values": ["3", "4"]}),
                                            fold("Climbed", "inspections.minutes", "sum", where={"path": "climbed", "is": "yes"})),
         "filter": {"all": [{"path": "species.code", "is": "starts_with", "value": "qu"}]}},
        "SELECT t_tag, count(i_id)::text, count(*) FILTER (WHERE i_risk IN (3, 4))::text, (sum(i_min) FILTER (WHERE i_climb))::text"
        " FROM tree t JOIN species p ON p.sp_id = t.sp_id LEFT JOIN inspection i ON i.t_id = t.t_id WHERE sp_code LIKE 'QU%' GROUP BY t.t_id, t_tag ORDER BY t.t_id",
    ),
    "sums of money are exact, means and extremes, blanks where there is none": (
        {"records": "work_order", "columns": cols("number", fold("S", "work_order_lines.amount", "sum"), fold("M", "work_order_lines.quantity", "mean", {"decimals": 4}),
                                                  fold("Lo", "work_order_lines.done_on", "least"), fold("Hi", "work_order_lines.done_on", "greatest")), "at_most": 3000},
        "SELECT wo_no, sum(wl_amount)::text, round(avg(wl_qty), 4)::text, min(wl_done)::text, max(wl_done)::text FROM work_order o"
        " LEFT JOIN wo_line l ON l.wo_id = o.wo_id GROUP BY o.wo_id, wo_no ORDER BY o.wo_id LIMIT 3000",
    ),
    "joined in a stated order, at most three, the rest counted": (
        {"records": "tree", "columns": cols("tag", fold("Who", "inspections.inspected_by", "joined", order=[{"path": "inspected_on", "direction": "descending"}], at_most=3)),
         "filter": {"all": [{"path": "inspections", "has": "at_least", "count": 7}]}},
        "SELECT t_tag, array_to_string(a[1:3], '; ') || CASE WHEN cardinality(a) > 3 THEN '; +' || cardinality(a) - 3 || ' more' ELSE '' END FROM"
        " (SELECT t_tag, t.t_id, array_agg(i_by ORDER BY i_on DESC, i_id) FILTER (WHERE i_by IS NOT NULL) AS a, count(*) AS n FROM tree t JOIN inspection i ON i.t_id = t.t_id GROUP BY t.t_id, t_tag) x"
        " WHERE n >= 7 ORDER BY t_id",
    ),
    "spread over numbered columns": (
        {"records": "tree", "columns": cols("tag", fold("Seen", "inspections.inspected_on", "spread", columns=3, order=[{"path": "inspected_on"}])),
         "filter": {"all": [{"path": "seal", "is": "not_blank"}]}},
        "SELECT t_tag, a[1]::text AS a, a[2]::text AS b, a[3]::text AS c FROM (SELECT t_tag, t.t_id, array_agg(i_on ORDER BY i_on, i_id) AS a FROM tree t"
        " LEFT JOIN inspection i ON i.t_id = t.t_id WHERE t_seal IS NOT NULL GROUP BY t.t_id, t_tag) x ORDER BY t_id",
    ),
    "any, all and none of yes-no": (
        {"records": "tree", "columns": cols("tag", *(fold(h, "inspections.climbed", h) for h in ("any", "all", "none"))), "at_most": 2000},
        "SELECT t_tag, coalesce(bool_or(i_climb), false)::text, bool_and(i_climb)::text, coalesce(NOT bool_or(i_climb), true)::text"
        " FROM tree t LEFT JOIN inspection i ON i.t_id = t.t_id GROUP BY t.t_id, t_tag ORDER BY t.t_id LIMIT 2000",
    ),
    "count of filled, count of different": (
        {"records": "contractor", "columns": cols("code", fold("Closed", "work_orders.closed_at", "count"), fold("Trees", "work_orders.tree.species.botanical_name", "count_distinct"))},
        "SELECT co_code, count(wo_closed)::text, count(DISTINCT sp_bot)::text FROM contractor c LEFT JOIN work_order o ON o.co_id = c.co_id LEFT JOIN tree t ON t.t_id = o.t_id"
        " LEFT JOIN species p ON p.sp_id = t.sp_id GROUP BY c.co_id, co_code ORDER BY c.co_id",
    ),
    "folds beside opened children, of their own and of the parent's": (
        {"records": "tree", "rows": {"per": "child", "path": "work_orders"},
         "columns": cols("tag", "work_orders.number", fold("Lines", "work_orders.work_order_lines", "count"), fold("Looks", "inspections", "count")),
         "filter": {"all": [{"path": "work_orders.status", "is": "is", "value": "X"}]}},
        "SELECT t_tag, wo_no, (SELECT count(*) FROM wo_line l WHERE l.wo_id = o.wo_id)::text, (SELECT count(*) FROM inspection i WHERE i.t_id = t.t_id)::text"
        " FROM tree t JOIN work_order o ON o.t_id = t.t_id WHERE wo_st = 'X' ORDER BY t.t_id, wo_id",
    ),
    "a fold one step away": (
        {"records": "work_order", "columns": cols("number", fold("Looks", "tree.inspections", "count"), fold("Last", "tree.inspections.inspected_on", "greatest")),
         "filter": {"all": [{"path": "status", "is": "one_of", "values": ["O"]}]}},
        "SELECT wo_no, (SELECT count(*) FROM inspection i WHERE i.t_id = o.t_id AND EXISTS (SELECT 1 FROM tree t WHERE t.t_id = o.t_id))::text,"
        " (SELECT max(i_on) FROM inspection i JOIN tree t ON t.t_id = i.t_id WHERE i.t_id = o.t_id)::text FROM work_order o WHERE wo_st = 'O' ORDER BY wo_id",
    ),
    "ordered by a fold, narrowed by a fold": (
        {"records": "site", "columns": cols("code", fold("Trees", "trees", "count")), "filter": {"all": [{"column": "Trees", "is": "greater_than", "value": 7}]},
         "order": [{"column": "Trees", "direction": "descending"}]},
        "SELECT s_code, count(*)::text FROM site s JOIN tree t ON t.s_id = s.s_id GROUP BY s.s_id, s_code HAVING count(*) > 7 ORDER BY count(*) DESC, s.s_id",
    ),
    # Filter
    "has any, with conditions on the children": (
        {"records": "tree", "columns": cols("tag"), "filter": {"all": [{"path": "inspections.defects", "has": "any", "where": {"all": [{"path": "severity", "is": "is", "value": 5}, {"path": "inspection.risk", "is": "is", "value": 4}]}}]}},
        "SELECT t_tag FROM tree t WHERE EXISTS (SELECT 1 FROM inspection i JOIN defect d ON d.i_id = i.i_id WHERE i.t_id = t.t_id AND d_sev = 5 AND i_risk = 4) ORDER BY t_id",
    ),
    "has none": (
        {"records": "tree", "columns": cols("tag"), "filter": {"all": [{"path": "inspections", "has": "none"}]}},
        "SELECT t_tag FROM tree t WHERE NOT EXISTS (SELECT 1 FROM inspection i WHERE i.t_id = t.t_id) ORDER BY t_id",
    ),
    "has none inside an alternative, and inside a none": (
        {"records": "tree", "columns": cols("tag"), "filter": {"all": [{"any": [{"path": "inspections", "has": "none"}, {"path": "t_girth", "is": "less_than", "value": 12}]}, {"none": [{"path": "work_orders", "has": "any"}]}]}},
        "SELECT t_tag FROM tree t WHERE (NOT EXISTS (SELECT 1 FROM inspection i WHERE i.t_id = t.t_id) OR t_girth < 12)"
        " AND NOT EXISTS (SELECT 1 FROM work_order o WHERE o.t_id = t.t_id) ORDER BY t_id",
    ),
    "hand-picked records": (
        {"records": "tree", "columns": cols("tag"), "filter": {"all": [{"picks": "favourites"}]}},
        "SELECT t_tag FROM tree WHERE t_id IN (5, 17, 40000) ORDER BY t_id",
    ),
    "all but the hand-picked": (
        {"records": "tree", "columns": cols("tag"), "filter": {"all": [{"none": [{"picks": "favourites"}]}, {"path": "t_id", "is": "one_of", "values": [4, 5, 6]}]}},
        "SELECT t_tag FROM tree WHERE t_id IN (4, 6) ORDER BY t_id",
    ),
    "an answer to a question": (
        {"records": "site", "columns": cols("code"), "asks": [{"name": "wards", "label": "Which wards?", "kind": "choices"}, {"name": "days", "label": "Opened when?", "kind": "window", "required": False}],
         "filter": {"all": [{"path": "ward.name", "is": "one_of", "ask": "wards"}, {"path": "opened_on", "is": "in_window", "ask": "days"}]}},
        "SELECT s_code FROM site s JOIN ward w ON w.w_id = s.ward_id WHERE w_name IN ('Quay', 'Northgate') ORDER BY s_id",
        {"wards": ["Quay", "northgate"]},
    ),
    "the default of a question": (
        {"records": "site", "columns": cols("code"), "asks": [{"name": "day", "label": "Since?", "kind": "date", "default": "2010-01-01"}],
         "filter": {"all": [{"path": "opened_on", "is": "after", "ask": "day"}]}},
        "SELECT s_code FROM site WHERE s_open > '2010-01-01' ORDER BY s_id",
        {},
    ),
    "less than swallows no blanks silently, not blank is its own step": (
        {"records": "inspection", "columns": cols("i_id"), "filter": {"none": [{"path": "lean", "is": "less_than", "value": 27}]}},
        "SELECT i_id::text AS x FROM inspection WHERE NOT coalesce(i_lean < 27, false) ORDER BY i_id",
    ),
    "the label of a choice, compared as text": (
        {"records": "defect", "columns": cols("d_id", "kind.code", "kind.label"), "filter": {"all": [{"path": "kind.label", "is": "contains", "value": "CROWN"}]}, "at_most": 400},
        "SELECT d_id::text AS x, d_kind, label FROM defect JOIN lu_defect_kind ON code = d_kind WHERE label ILIKE '%crown%' ORDER BY d_id LIMIT 400",
    ),
    "the financial year": (
        {"records": "work_order", "columns": cols("number"), "filter": {"all": [{"path": "raised_on", "is": "in_window", "window": {"type": "previous", "unit": "financial_year"}}]}},
        "SELECT wo_no FROM work_order WHERE wo_raised BETWEEN '2025-04-01' AND '2026-03-31' ORDER BY wo_id",
    ),
    "a formula as a filter": (
        {"records": "work_order_line", "columns": cols("number"), "filter": {"all": [{"formula": "{quantity} * {price} >= 10000"}]}},
        "SELECT wl_no FROM wo_line WHERE wl_qty * wl_price >= 10000 ORDER BY wl_id",
    ),
    # Formulas
    "a band by a formula": (
        {"records": "tree", "columns": cols("tag", formula("Band", 'IF({t_girth} >= 300; "veteran"; IF(ISBLANK({t_girth}); "unknown"; "young"))')), "at_most": 5000},
        "SELECT t_tag, CASE WHEN t_girth >= 300 THEN 'veteran' WHEN t_girth IS NULL THEN 'unknown' ELSE 'young' END FROM tree ORDER BY t_id LIMIT 5000",
    ),
    "a formula over other columns and folds": (
        {"records": "work_order", "columns": cols("number", fold("Sum", "work_order_lines.amount", "sum"), formula("Gross", "{Sum} * 1.2", decimals=2), formula("Per line", "{Gross} / {Lines}", decimals=2), fold("Lines", "work_order_lines", "count")), "at_most": 1500},
        "SELECT wo_no, s::text, round(s * 1.2, 2)::text, round(s * 1.2 / nullif(n, 0), 2)::text, n::text FROM (SELECT o.wo_id, wo_no, sum(wl_amount) AS s, count(wl_id) AS n FROM work_order o"
        " LEFT JOIN wo_line l ON l.wo_id = o.wo_id GROUP BY o.wo_id, wo_no) x ORDER BY wo_id LIMIT 1500",
    ),
    "texts put together, choices by label": (
        {"records": "tree", "columns": cols(formula("Name", '{tag} & " (" & LOWER({status}) & ")" & IF({species.native}; " native"; "")'), formula("Code", "UPPER({status.code}) & LEFT({species.botanical_name}; 3)")), "at_most": 800},
        "SELECT t_tag || ' (' || lower(coalesce(label, t_st)) || ')' || CASE WHEN sp_native THEN ' native' ELSE '' END, t_st || coalesce(left(sp_bot, 3), '') FROM tree t"
        " LEFT JOIN lu_tree_status ON code = t_st LEFT JOIN species p ON p.sp_id = t.sp_id ORDER BY t_id LIMIT 800",
    ),
    "dates computed on the template's wall clock": (
        {"records": "inspection", "columns": cols("i_id", formula("Hour", "HOUR({inspected_at})"), formula("Day", "{inspected_at} + 0.5"), formula("Late", "TODAY() - {inspected_on}"), formula("End", "EOMONTH({inspected_on}; 0)"), formula("W", "WEEKDAY({inspected_on}; 2)")),
         "filter": {"all": [{"path": "inspected_at", "is": "between", "values": ["2025-10-25", "2025-10-27"]}]}},
        "SELECT i_id::text AS x, extract(hour FROM l)::text, to_char(l + interval '12 hours', 'YYYY-MM-DD\"T\"HH24:MI:SS'), (date '2026-11-23' - i_on)::text,"
        " (date_trunc('month', i_on) + interval '1 month - 1 day')::date::text AS e, extract(isodow FROM i_on)::text"
        " FROM (SELECT *, i_at AT TIME ZONE 'Europe/London' AS l FROM inspection) i WHERE l >= '2025-10-25' AND l < '2025-10-28' ORDER BY i_id",
    ),
    "an answer inside a formula": (
        {"records": "tree", "columns": cols("tag", formula("Over", "{t_girth} - {ask.least}")), "asks": [{"name": "least", "label": "Least girth?", "kind": "number"}],
         "filter": {"all": [{"path": "t_girth", "is": "at_least", "ask": "least"}]}},
        "SELECT t_tag, trim_scale(t_girth - 500)::text FROM tree WHERE t_girth >= 500 ORDER BY t_id",
        {"least": "500"},
    ),
    # Custom fields
    "keys of a JSON column as fields": (
        {"records": "tree", "columns": cols("tag", "bench", "bird_box", "plaque_no", "swing", "sponsor"), "filter": {"all": [{"any": [{"path": "bench", "is": "yes"}, {"path": "swing", "is": "is", "value": "left"}, {"path": "bird_box", "is": "at_least", "value": 2}]}]}},
        "SELECT t_tag, extra ->> 'bench', extra ->> 'bird_box', extra ->> 'plaque_no', CASE extra ->> 'swing' WHEN 'left' THEN 'On the left' END, extra ->> 'sponsor' FROM tree"
        " WHERE extra ? 'bench' OR extra ? 'swing' OR extra ? 'bird_box' ORDER BY t_id",
    ),
    "rows of an attribute table as fields": (
        {"records": "tree", "columns": cols("tag", "lighting", "drain"), "filter": {"all": [{"path": "drain", "is": "at_least", "value": 1}]}},
        "SELECT t_tag, l.val, d.val FROM tree t JOIN tree_attr d ON d.t_id = t.t_id AND d.attr = 'drain' LEFT JOIN tree_attr l ON l.t_id = t.t_id AND l.attr = 'lighting'"
        " WHERE d.val = '12.5' ORDER BY t.t_id",
    ),
    "grouped by a custom field": (
        {"records": "tree", "rows": {"per": "group", "by": [{"path": "lighting"}]}, "columns": cols("lighting", fold("N", "", "count"))},
        "SELECT val, count(*)::text FROM tree t LEFT JOIN tree_attr a ON a.t_id = t.t_id AND attr = 'lighting' GROUP BY val ORDER BY val COLLATE \"und-x-icu\" NULLS LAST",
    ),
    # Order and values
    "codes by the value of their digits": (
        {"records": "probe", "columns": cols("code"), "order": [{"column": "c0"}]},
        "SELECT p_code FROM probe ORDER BY substr(p_code, 4)::int",
    ),
    "metres from centimetres, padded, cut, half to even": (
        {"records": "tree", "columns": cols("tag", ("t_girth", {"factor": "0.01", "decimals": 2}), ("t_girth", {"decimals": 0, "rounding": "half_even"}), ("species.botanical_name", {"first": 5, "pad": 7, "pad_with": ".", "pad_side": "right"})), "at_most": 3000},
        "SELECT t_tag, round(t_girth * 0.01, 2)::text, CASE WHEN abs(t_girth - trunc(t_girth)) = 0.5 THEN (round(t_girth / 2) * 2)::numeric(10, 0)::text ELSE round(t_girth)::text END,"
        " rpad(left(sp_bot, 5), 7, '.') FROM tree t LEFT JOIN species p ON p.sp_id = t.sp_id ORDER BY t_id LIMIT 3000",
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", sorted(CASES))
def test_a_file_equals_hand_written_sql(source: Source, query: Query, tmp_path: Path, name: str) -> None:
    """The CSV holds exactly the rows of the SQL; so say tally and preview, and folds come out alike in both ways."""
    document, sql, *rest = CASES[name]
    template = read_document({"name": "Test", **document})
    context = Context(as_of=NOW, answers=rest[0] if rest else {}, picks=PICKS)
    made = resolve(template, source.catalogue(), context).require()
    expected = [[v or "" for v in row] for row in query(sql)]
    with source.reader.snapshot() as snapshot:
        done = Export(template, made, "csv", tmp_path).write(snapshot, {})
        tally = count_tally(snapshot, made, {})
        first = shown(made, snapshot.table(Statements(made).rows(limit=20)))
        whole = shown(made, snapshot.table(Statements(made).rows()))
        few = shown(made, snapshot.table(Statements(made, expected=1).rows()))
    with done.path.open(newline="", encoding="utf-8") as file:
        rows = list(csv.reader(file))[1:]

    assert rows == expected
    assert expected
    assert done.slip["rows_announced"] == done.slip["rows_written"] == tally[-1]["rows"] == len(expected)
    assert first == expected[:20]
    assert whole == few == expected


def shown(plan: Plan, table: Any) -> list[list[str]]:
    """Rows as the sheet shows them."""
    frame = TextShaper(plan.columns, plan.zone.key).shape(to_frame(table))
    return [[v or "" for v in row] for row in frame.rows()]
