"""
Pieces of work that are measured in a process of their own: `python -m benchmarks.work NAME ARGUMENTS`.

What only one of them needs is imported there: it would count in the memory of all.
"""

from __future__ import annotations

import csv
import json
import os
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import psycopg

from benchmarks.database import AS_OF, FOLDER, crosstab_document, measured, plan_of, source_of, wide_document
from bouquet.core.compare import compare_rows
from bouquet.core.reading import FileRows
from bouquet.core.sql import Statements, render
from bouquet.core.template import Acceptance, Csv, LayoutColumn
from bouquet.runs import Services, execute
from bouquet.runs.archive import write_archive
from bouquet.runs.crossing import crossed_plan
from bouquet.runs.export import Export
from bouquet.runs.forms import Addressed
from bouquet.store import Store
from bouquet.store import runs as ledger


def copy_csv(url: str, rows: int) -> None:
    """
    The floor: psycopg's COPY TO STDOUT of the same rows, unformatted, into a file.
    """
    source = source_of(url)
    document = wide_document(rows)
    for column in document["columns"]:
        column["show"] = {}
    _, plan = plan_of(source, document)
    statement = render(Statements(plan).rows())
    with (
        tempfile.TemporaryFile() as file,
        psycopg.connect(url) as connection,
        connection.cursor().copy(f"COPY ({statement}) TO STDOUT (FORMAT csv, HEADER)") as copy,
    ):
        for block in copy:
            file.write(block)


def run_file(url: str, rows: int, format: str) -> None:
    """
    Our whole run: catalogue, plan, tally, file, totals, digest, slip.
    """
    source = source_of(url)
    template, plan = plan_of(source, wide_document(rows))
    with tempfile.TemporaryDirectory() as folder, source.reader.snapshot() as snapshot:
        done = Export(template, plan, format, Path(folder)).write(snapshot, {})
        assert done.rows == rows, done.rows


def run_crosstab(url: str, since: str, until: str) -> None:
    """
    A cross-tab of inspections, a column for each month, its values read first: with tally, totals and slip.
    """
    source = source_of(url)
    template, plan = plan_of(source, crosstab_document(since, until))
    with tempfile.TemporaryDirectory() as folder, source.reader.snapshot() as snapshot:
        Export(template, crossed_plan(snapshot, template, plan), "csv", Path(folder)).write(snapshot, {})


def crosstab_cells(url: str, since: str, until: str) -> None:
    """
    What of that the statement by hand gives as well: the values across, and the cells.
    """
    source = source_of(url)
    template, plan = plan_of(source, crosstab_document(since, until))
    with source.reader.snapshot() as snapshot:
        for _ in snapshot.batches(Statements(crossed_plan(snapshot, template, plan)).rows()):
            pass


def crosstab_by_hand(url: str, since: str, until: str) -> None:
    """
    The same in the best SQL that we know, by somebody who looked which months there are, into a CSV.
    """
    inside = f"i_on BETWEEN '{since}' AND '{until}'"
    with psycopg.connect(url) as connection:
        months = connection.execute(f"SELECT DISTINCT date_trunc('month', i_on)::date FROM inspection WHERE {inside}")
        cells = ", ".join(
            f"sum(n) FILTER (WHERE m = '{m}'), sum(minutes) FILTER (WHERE m = '{m}')" for (m,) in sorted(months)
        )
        with (
            tempfile.TemporaryFile() as file,
            connection.cursor().copy(
                "COPY (WITH months AS MATERIALIZED (SELECT w_name, date_trunc('month', i_on)::date AS m,"
                " count(*) AS n, sum(i_min) AS minutes FROM inspection LEFT JOIN tree USING (t_id)"
                f" LEFT JOIN site USING (s_id) LEFT JOIN ward ON w_id = ward_id WHERE {inside} GROUP BY 1, 2)"
                f" SELECT w_name, {cells}, sum(n), sum(minutes) FROM months GROUP BY w_name ORDER BY w_name)"
                " TO STDOUT (FORMAT csv)"
            ) as copy,
        ):
            for block in copy:
                file.write(block)


def run_forms(url: str, rows: int) -> None:
    """
    The same run for five recipients: each with a form of their own, written from the batches that are read once.
    """
    source = source_of(url)
    template, plan = plan_of(source, wide_document(rows))
    headings = [c.heading for c in plan.columns]
    layout = tuple(LayoutColumn(heading=h.upper()) for h in reversed(headings))
    taken = (
        Acceptance(csv=Csv(separator=";")),
        Acceptance(csv=Csv(separator="\t", encoding="utf-16")),
        Acceptance(columns=layout),
        Acceptance(columns=layout[:6], csv=Csv(encoding="windows-1252", unencodable="replace")),
        Acceptance(format="jsonl", columns=layout[:4]),
    )
    addressed = [Addressed(n, f"r{n}", acceptance) for n, acceptance in enumerate(taken)]
    with tempfile.TemporaryDirectory() as folder, source.reader.snapshot() as snapshot:
        done = Export(template, plan, "csv", Path(folder), recipients=addressed).write(snapshot, {})
        assert [f.rows for f in done.files] == [rows] * 6, done.slip["recipients"]


def run_remembering(url: str, store: str, run_id: int) -> None:
    """
    A run that was asked for, from being taken up until it is entered as ready.
    """
    services = Services(Store(store), source_of(url), FOLDER / "runs", FOLDER / "outgoing")
    execute(services, run_id)
    with services.store.session() as session:
        run = ledger.get_run(session, run_id)
        assert run.status == "ready", run.error
    services.close()


def send_file(store: str, key: str, recipient_id: int) -> None:
    """
    What is due for a recipient, sent by their way.
    """
    from bouquet.delivery import deliver_due
    from bouquet.store.deliveries import DeliveryFilter, list_deliveries
    from bouquet.store.secrets import Vault

    services = Services(Store(store), None, FOLDER / "runs", FOLDER / "outgoing", vault=Vault(key))
    deliver_due(services, recipient_id)
    with services.store.session() as session:
        (sent,) = list_deliveries(session, DeliveryFilter(recipient_id), 1)
        assert sent.state in ("arrived", "offered"), sent.why
    services.close()


def run_children(url: str, rows: int) -> None:
    """
    As many rows as are asked for, from children: each reading beside each tree of its site.
    """
    source = source_of(url)
    fields = ("pr_id", "taken_at", "moisture", "probe.code", "probe.site.trees.tag", "probe.site.trees.t_girth")
    document = {
        "name": "Many",
        "records": "probe_reading",
        "rows": {"per": "child", "path": "probe.site.trees"},
        "columns": [{"id": f"c{n}", "heading": f, "value": {"field": f}} for n, f in enumerate(fields)],
        "at_most": rows,
    }
    template, plan = plan_of(source, document)
    with tempfile.TemporaryDirectory() as folder, source.reader.snapshot() as snapshot:
        assert Export(template, plan, "csv", Path(folder)).write(snapshot, {}).rows == rows


def xlsxwriter_constant(url: str, rows: int) -> None:
    """
    The usual way to a spreadsheet: a server-side cursor, Python rows, XlsxWriter in constant memory.
    """
    import xlsxwriter

    source = source_of(url)
    _, plan = plan_of(source, wide_document(rows))
    statement = render(Statements(plan).rows())
    with tempfile.TemporaryDirectory() as folder, psycopg.connect(url) as connection:
        options = {"constant_memory": True, "remove_timezone": True, "default_date_format": "dd/mm/yyyy"}
        book = xlsxwriter.Workbook(f"{folder}/wide.xlsx", options)
        sheet = book.add_worksheet()
        sheet.write_row(0, 0, [c.heading for c in plan.columns])
        with connection.cursor(name="rows") as cursor:
            cursor.execute(statement)
            for n, row in enumerate(cursor, 1):
                sheet.write_row(n, 0, row)
        book.close()


def reportlab_by_hand(url: str, rows: int) -> None:
    """
    The usual way to pages: all rows as texts, ReportLab's tables in blocks of them.
    """
    from reportlab.lib.pagesizes import A4, landscape
    from reportlab.platypus import SimpleDocTemplate, Table, TableStyle

    source = source_of(url)
    _, plan = plan_of(source, wide_document(rows))
    style = TableStyle([("FONTSIZE", (0, 0), (-1, -1), 5)])
    headings = [c.heading for c in plan.columns]
    with psycopg.connect(url) as connection:
        texts = [
            ["" if v is None else str(v)[:40] for v in row]
            for row in connection.execute(render(Statements(plan).rows()))
        ]
    blocks = [
        Table([headings, *(row[: len(headings)] for row in texts[at : at + 500])], repeatRows=1, style=style)
        for at in range(0, len(texts), 500)
    ]
    with tempfile.TemporaryDirectory() as folder:
        SimpleDocTemplate(f"{folder}/pages.pdf", pagesize=landscape(A4)).build(blocks)


def compare_sides(folder: str, rows: int) -> None:
    """
    Compare two files that `benchmarks.runs.prepare_sides` made, and write every difference.
    """
    paths = [Path(folder) / f"{name}.csv" for name in ("before", "after")]
    headings = first_line(paths[0])
    before, after = (FileRows((path,), "csv", headings) for path in paths)
    with tempfile.TemporaryDirectory() as out:
        found = compare_rows(before, after, headings, headings, ["tag"], write_to=Path(out) / "differences.csv")
    assert (found.added, found.gone) == (500, rows // 1000), found.as_json()


def first_line(path: Path) -> tuple[str, ...]:
    """
    The headings of a CSV.
    """
    with path.open(newline="", encoding="utf-8") as file:
        return tuple(next(csv.reader(file)))


def zip_attachments(count: int) -> None:
    """
    So many attachments of a megabyte of noise each into one zip.
    """
    noise = os.urandom(1 << 20)
    with tempfile.TemporaryDirectory() as folder:
        attachments = ((f"photographs/{n}/picture.jpg", noise) for n in range(count))
        made = write_archive(Path(folder) / "all.zip", [], attachments, AS_OF)
    assert made == count


WORK: dict[str, Callable[..., Any]] = {
    w.__name__: w
    for w in (
        copy_csv,
        run_file,
        run_crosstab,
        crosstab_cells,
        crosstab_by_hand,
        run_forms,
        run_remembering,
        send_file,
        run_children,
        xlsxwriter_constant,
        reportlab_by_hand,
        compare_sides,
        zip_attachments,
    )
}

if __name__ == "__main__":
    name, arguments = sys.argv[1], json.loads(sys.argv[2])
    print(json.dumps(measured(lambda: WORK[name](*arguments))))
