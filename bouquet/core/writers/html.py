"""
One web page (HTML, the living standard of WHATWG) that holds all rows as one table: for the browser, for print, and for
people who have it read to them.
"""

from __future__ import annotations

from base64 import b64encode

import polars as pl

from bouquet.core.catalogue import Kind
from bouquet.core.shaping import Line, TextShaper, shown_total
from bouquet.core.writers.base import StreamWriter
from bouquet.core.writers.markup import WEB_ADDRESS, escaped_column, escaped_text, spliced
from bouquet.core.writers.pictures import Picture, pictures_in

__all__ = ["HtmlWriter"]

_STYLE = """
:root { color-scheme: light dark; }
body { font: 15px/1.45 system-ui, sans-serif; margin: 2rem auto; max-width: 110rem; padding: 0 1.5rem; }
h1 { font-size: 1.5rem; margin: 0 0 .3rem; }
p { margin: .2rem 0; }
.facts { color: GrayText; }
.table { overflow-x: auto; margin-top: 1.2rem; }
table { border-collapse: collapse; }
th, td { padding: .3rem .7rem; text-align: start; vertical-align: top; border-bottom: 1px solid #8884; }
thead th { position: sticky; top: 0; background: Canvas; border-bottom: 2px solid; }
.n { text-align: end; }
td { white-space: pre-line; overflow-wrap: anywhere; }
td img { max-width: 12rem; max-height: 9rem; width: auto; height: auto; vertical-align: top; }
dd img { max-width: 100%; height: auto; }
td.n, td.d { white-space: nowrap; overflow-wrap: normal; font-variant-numeric: tabular-nums; }
tr.group th { font-size: 1.05em; padding-top: 1rem; border-bottom: 1px solid; }
tr.sum > * { font-weight: 700; border-top: 1px solid; }
article { margin: 1.4rem 0; padding: 1rem 1.2rem; border: 1px solid #8884; border-radius: 8px; max-width: 46rem; }
dl { display: grid; grid-template-columns: minmax(8rem, 14rem) 1fr; gap: .35rem 1rem; margin: 0; }
dt { color: GrayText; }
dd { margin: 0; min-height: 1.45em; white-space: pre-line; overflow-wrap: anywhere; border-bottom: 1px solid #8883; }
.form dd { min-height: 2.2em; border-bottom-color: currentColor; }
@page { margin: 14mm; @bottom-right { content: counter(page) " / " counter(pages); } }
@media print {
  body { margin: 0; padding: 0; font-size: 9.5pt; max-width: none; }
  .table { overflow: visible; }
  thead { display: table-header-group; }
  thead th { position: static; }
  tr { break-inside: avoid; }
  tr.group { break-after: avoid; }
  article { border: 0; padding: 0; break-inside: avoid; }
  article + article { break-before: page; }
}
"""


class HtmlWriter(StreamWriter):
    """
    A page with nothing fetched from elsewhere: no script, no font, its pictures in itself. A blank is an empty cell.
    """

    def begin(self) -> None:
        plan = self.plan
        self._shaper = TextShaper(plan.columns, plan.zone.key)
        self._ends = ["" if c.is_constant else _class_of(c.kind) for c in plan.columns]
        language = plan.output.locale.replace("_", "-")
        title, *facts = self.titles or [plan.name]
        as_of = plan.context.as_of.astimezone(plan.zone)
        head = [
            f'<!doctype html>\n<html lang="{escaped_text(language)}">\n<head>\n<meta charset="utf-8">\n',
            '<meta name="viewport" content="width=device-width, initial-scale=1">\n',
            f'<meta name="description" content="{escaped_text(self.sentence)}">\n' if self.sentence else "",
            f'<meta name="date" content="{as_of.isoformat()}">\n',
            f'<meta name="keywords" content="{plan.catalogue.environment} data">\n',
            f"<title>{escaped_text(title)}</title>\n<style>{_STYLE}</style>\n</head>\n<body>\n<main>\n",
            f"<h1>{escaped_text(title)}</h1>\n",
            *(f'<p class="facts">{escaped_text(fact)}</p>\n' for fact in facts),
        ]
        self._cards = plan.output.pages.layout == "cards"
        if not self._cards:
            head += [
                '<div class="table" tabindex="0" role="region" aria-label="Rows">\n',
                "<table>\n<thead>\n<tr>",
                *(self._heading(n) for n in range(len(plan.columns))),
                "</tr>\n</thead>\n<tbody>\n",
            ]
        self._file.write("".join(head).encode())

    def _heading(self, n: int) -> str:
        column = self.plan.columns[n]
        meaning = f' title="{escaped_text(column.meaning)}"' if column.meaning else ""
        return f'<th scope="col"{self._ends[n]}{meaning}>{escaped_text(column.heading)}</th>'

    def write(self, frame: pl.DataFrame) -> None:
        text = self._shaper.shape(frame).with_columns(pl.all().cast(pl.String))
        pictures = pictures_in(frame, self.plan, self.facts.notes)
        pieces: list[pl.Series | str] = ["<article><dl>" if self._cards else "<tr>"]
        for n, column in enumerate(self.plan.columns):
            values = escaped_column(text[f"c{n}"], column.heading, self.facts.notes)
            cell = self._drawn(n, values, pictures[n]) if n in pictures else self._cell(n, values, frame)
            if self._cards:
                pieces += [f'<dt>{escaped_text(column.heading)}</dt><dd dir="auto">', cell, "</dd>"]
            else:
                pieces += [f'<td dir="auto"{self._ends[n]}>', cell, "</td>"]
        self._file.write(spliced(pieces, "</dl></article>\n" if self._cards else "</tr>\n"))
        self.facts.rows += frame.height

    def _drawn(self, n: int, values: pl.Series, pictures: list[Picture | None]) -> pl.Series:
        """
        Pictures within the page itself; the size of a file that is none.
        """
        alt = escaped_text(self.plan.columns[n].heading)
        drawn = [
            f'<img src="data:image/{p.kind};base64,{b64encode(p.data).decode()}" alt="{alt}" width="{p.width}"'
            f' height="{p.height}">'
            if p is not None
            else None
            for p in pictures
        ]
        return pl.Series(drawn, dtype=pl.String).fill_null(values)

    def _cell(self, n: int, values: pl.Series, frame: pl.DataFrame) -> pl.Series:
        """
        A value, as a link where the column leads to its record's page.
        """
        name = f"l{n}"
        if self.plan.columns[n].link is None or name not in frame.columns:
            return values
        to = escaped_column(frame[name].cast(pl.String), self.plan.columns[n].heading, self.facts.notes)
        linked = pl.format('<a href="{}" rel="noreferrer">{}</a>', pl.lit(to), pl.lit(values))
        safe = pl.lit(to).str.contains(WEB_ADDRESS).fill_null(False)
        return pl.select(pl.when(safe).then(linked).otherwise(pl.lit(values)).alias("v"))["v"]

    def write_line(self, line: Line) -> None:
        columns = self.plan.columns
        if self._cards:
            # Each card stands for itself: it has no group above it, and nothing to add up.
            return
        if line.kind == "heading":
            said = f'<tr class="group"><th colspan="{len(columns)}" scope="colgroup">'
            self._file.write(f"{said}{escaped_text(line.label)}</th></tr>\n".encode())
            return
        cells = {n: shown_total(columns[n], n, v, self._shaper) for n, v in line.values.items()}
        free = next((n for n in range(len(columns)) if not cells.get(n)), None)
        made = []
        for n in range(len(columns)):
            if n == free:
                made.append(f'<th scope="row">{escaped_text(line.label)}</th>')
            else:
                made.append(f"<td{self._ends[n]}>{escaped_text(cells.get(n, ''))}</td>")
        self._file.write(f'<tr class="sum">{"".join(made)}</tr>\n'.encode())

    def finish(self) -> None:
        if self._cards and self.plan.output.pages.form:
            blanks = "".join(f"<dt>{escaped_text(c.heading)}</dt><dd></dd>" for c in self.plan.columns)
            self._file.write(f'<article class="form"><dl>{blanks}</dl></article>\n'.encode())
        self._file.write(b"" if self._cards else b"</tbody>\n</table>\n</div>\n")
        self._file.write(b"</main>\n</body>\n</html>\n")


def _class_of(kind: Kind) -> str:
    if kind.is_number:
        return ' class="n"'
    return ' class="d"' if kind.is_dated or kind is Kind.TIME else ""
