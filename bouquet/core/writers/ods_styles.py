"""
The styles and the small parts of an OpenDocument spreadsheet (ISO/IEC 26300-1, sections 16 and 19).
"""

from __future__ import annotations

import re
from collections.abc import Sequence

from bouquet.core.catalogue import Kind
from bouquet.core.patterns import Names, date_pieces, parse_date_pattern, spoken_where
from bouquet.core.plan import Plan, PlanColumn
from bouquet.core.shaping.columns import MACHINE_DATES
from bouquet.core.template import Show
from bouquet.core.writers.markup import escaped_text
from bouquet.core.writers.xlsx_cells import width_of
from bouquet.core.writers.xlsx_workbook import STAMP

__all__ = ["MANIFEST", "data_style", "opening", "package_parts"]

_HEAD = '<?xml version="1.0" encoding="UTF-8"?>\n'
_OASIS = "urn:oasis:names:tc:opendocument:xmlns"
_SPACES = " ".join(
    [
        *(
            f'xmlns:{name}="{_OASIS}:{kind}:1.0"'
            for name, kind in (
                ("office", "office"),
                ("style", "style"),
                ("text", "text"),
                ("table", "table"),
                ("number", "datastyle"),
                ("meta", "meta"),
                ("fo", "xsl-fo-compatible"),
            )
        ),
        'xmlns:dc="http://purl.org/dc/elements/1.1/"',
        'office:version="1.3"',
    ]
)

#: Codes of the formatter as parts of a date style.
_DATE_PARTS = {
    "d": '<number:day number:style="long"/>',
    "-d": "<number:day/>",
    "e": "<number:day/>",
    "m": '<number:month number:style="long"/>',
    "-m": "<number:month/>",
    "b": '<number:month number:textual="true"/>',
    "B": '<number:month number:style="long" number:textual="true"/>',
    "Y": '<number:year number:style="long"/>',
    "y": "<number:year/>",
    "a": "<number:day-of-week/>",
    "A": '<number:day-of-week number:style="long"/>',
    "H": '<number:hours number:style="long"/>',
    "-H": "<number:hours/>",
    "I": '<number:hours number:style="long"/>',
    "-I": "<number:hours/>",
    "M": '<number:minutes number:style="long"/>',
    "S": '<number:seconds number:style="long"/>',
    "p": "<number:am-pm/>",
}

MANIFEST = (
    f'{_HEAD}<manifest:manifest xmlns:manifest="{_OASIS}:manifest:1.0" manifest:version="1.3">'
    '<manifest:file-entry manifest:full-path="/" manifest:version="1.3" '
    'manifest:media-type="application/vnd.oasis.opendocument.spreadsheet"/>'
    '<manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/>'
    '<manifest:file-entry manifest:full-path="styles.xml" manifest:media-type="text/xml"/>'
    '<manifest:file-entry manifest:full-path="meta.xml" manifest:media-type="text/xml"/>'
    "</manifest:manifest>"
)


def data_style(column: PlanColumn, n: int) -> str:
    """
    How a program shows the values of the n-th column, as a style called `N{n}`; nothing where the text stands for
    itself, and where a part of a date is one that these styles do not have.
    """
    kind, show = column.kind, column.show
    if column.is_constant:
        return ""
    if kind.is_number:
        grouping = ' number:grouping="true"' if show.grouping else ""
        decimals = "" if show.decimals is None else f' number:decimal-places="{show.decimals}"'
        least = "" if show.decimals is None else f' number:min-decimal-places="{show.decimals}"'
        digits = 1
        if show.pad is not None and (show.pad_with, show.pad_side) == ("0", "left") and not show.grouping:
            digits = max(1, show.pad - (show.decimals + 1 if show.decimals else 0))
        number = f'<number:number{decimals}{least} number:min-integer-digits="{digits}"{grouping}/>'
        whole = f"{_said(show.prefix)}{number}{_said(show.suffix)}"
        return f'<number:number-style style:name="N{n}">{whole}</number:number-style>'
    if not (kind.is_dated or kind is Kind.TIME):
        return ""
    codes = parse_date_pattern(show.date).strftime if show.date else MACHINE_DATES[kind].removesuffix("%:z")
    parts = ""
    for code, letters in re.findall(r"%(-?[A-Za-z]|%|\.f|:z)|([^%]+)", codes):
        if letters or code == "%":
            parts += _said(letters or "%")
        elif code in _DATE_PARTS:
            parts += _DATE_PARTS[code]
        elif code != ".f":
            return ""
    tag = "time-style" if kind is Kind.TIME else "date-style"
    return f'<number:{tag} style:name="N{n}"{_spoken(show)}>{parts}</number:{tag}>'


def _spoken(show: Show) -> str:
    """
    In which language names of months and days stand (ISO/IEC 26300-1, section 19).
    """
    if not any(isinstance(piece, Names) for piece in date_pieces(show.date or "", show.language)):
        return ""
    language, _, country = spoken_where(show.language or "").partition("_")
    return f' number:language="{language}" number:country="{country}"'


def opening(plan: Plan, styles: Sequence[str]) -> str:
    """
    The content up to the first sheet.
    """
    cells = []
    for n, style in enumerate(styles):
        if style:
            named = f'style:family="table-cell" style:data-style-name="N{n}"'
            cells.append(f'<style:style style:name="ce{n}" {named}/>')
            cells.append(f'<style:style style:name="cs{n}" {named}>{_SUM}</style:style>')
    columns = [
        f'<style:style style:name="co{n}" style:family="table-column">'
        f'<style:table-column-properties style:column-width="{width_of(c) * 0.19:.2f}cm"/></style:style>'
        for n, c in enumerate(plan.columns)
    ]
    fixed = "".join(
        f'<style:style style:name="{name}" style:family="table-cell">{look}</style:style>' for name, look in _LOOKS
    )
    return (
        f"{_HEAD}<office:document-content {_SPACES}><office:automatic-styles>"
        f"{''.join(styles)}{''.join(columns)}{fixed}{''.join(cells)}"
        "</office:automatic-styles><office:body><office:spreadsheet>"
    )


_BOLD = '<style:text-properties fo:font-weight="bold"/>'
_SUM = f'<style:table-cell-properties fo:border-top="0.5pt solid #888888"/>{_BOLD}'
_LOOKS = (
    ("title", '<style:text-properties fo:font-weight="bold" fo:font-size="14pt"/>'),
    ("head", f'<style:table-cell-properties fo:border-bottom="1pt solid #444444"/>{_BOLD}'),
    (
        "headn",
        '<style:table-cell-properties fo:border-bottom="1pt solid #444444"/>'
        f'<style:paragraph-properties fo:text-align="end"/>{_BOLD}',
    ),
    ("group", f"{_BOLD}"),
    ("sum", _SUM),
)


def package_parts(plan: Plan, sentence: str, stamp: str) -> dict[str, str]:
    """
    The parts that say what the file is, and how a page of it is printed.
    """
    xlsx = plan.output.xlsx
    moment = plan.context.as_of.strftime("%Y-%m-%dT%H:%M:%S")
    said = {
        "dc:title": xlsx.title or plan.name,
        "dc:subject": xlsx.subject,
        "dc:description": sentence,
        "meta:initial-creator": xlsx.author,
        "meta:keyword": ", ".join(w for w in (xlsx.keywords, f"{plan.catalogue.environment} data") if w),
        "meta:creation-date": moment,
    }
    facts = "".join(f"<{tag}>{escaped_text(text)}</{tag}>" for tag, text in said.items() if text)
    if stamp:
        facts += f'<meta:user-defined meta:name="{STAMP}">{escaped_text(stamp)}</meta:user-defined>'
    language, _, country = plan.output.locale.replace("-", "_").partition("_")
    page = (
        '<style:page-layout style:name="pm1"><style:page-layout-properties style:print-orientation="landscape" '
        'fo:page-width="29.7cm" fo:page-height="21cm" style:scale-to-X="1" style:scale-to-Y="0"/></style:page-layout>'
    )
    default = (
        '<style:default-style style:family="table-cell"><style:text-properties '
        f'fo:language="{language}" fo:country="{country or "none"}"/></style:default-style>'
    )
    return {
        "meta.xml": f"{_HEAD}<office:document-meta {_SPACES}><office:meta>{facts}</office:meta></office:document-meta>",
        "styles.xml": (
            f"{_HEAD}<office:document-styles {_SPACES}><office:styles>{default}</office:styles>"
            f"<office:automatic-styles>{page}</office:automatic-styles><office:master-styles>"
            '<style:master-page style:name="Default" style:page-layout-name="pm1"/></office:master-styles>'
            "</office:document-styles>"
        ),
    }


def _said(text: str) -> str:
    return f"<number:text>{escaped_text(text)}</number:text>" if text else ""
