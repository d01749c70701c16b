"""
XML 1.0: an element a row and, in it, an element a value; with its schema (W3C XML Schema 1.1) beside it.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence
from functools import lru_cache
from xml.parsers import expat

import polars as pl

from bouquet.core.plan import Plan
from bouquet.core.shaping import TextShaper
from bouquet.core.writers.base import Beside, StreamWriter
from bouquet.core.writers.markup import escaped_column, escaped_text, spliced

__all__ = ["XmlWriter", "element_names"]

_HEAD = '<?xml version="1.0" encoding="UTF-8"?>\n'


@lru_cache(maxsize=10_000)
def _stands_in_names(letter: str, first: bool = False) -> bool:
    """
    Whether a letter may stand in a name, or be its first. The editions of the standard differ, and readers with them:
    asked is one that knows the narrower rule, of the fourth.
    """
    name = letter if first else f"_{letter}"
    try:
        expat.ParserCreate().Parse(f"<{name}/>".encode(), True)
    except expat.ExpatError:
        return False
    return letter not in ":/>"


def element_names(texts: Sequence[str]) -> list[str]:
    """
    Texts as names of elements, no two alike: letters, digits, `-`, `_` and `.`, beginning with a letter or `_`, and not
    with “xml” (XML 1.0, section 2.3). What is another form of these, as the 2 of m², becomes them (Unicode's form
    NFKC), and everything else `_`.
    """
    names: list[str] = []
    for text in texts:
        spelt = "".join(c if _stands_in_names(c) else " " for c in unicodedata.normalize("NFKC", text))
        plain = re.sub(r"[^\w.-]+", "_", spelt.strip()).strip("_") or "value"
        if not _stands_in_names(plain[0], first=True) or plain.lower().startswith("xml"):
            plain = f"_{plain}"
        name, n = plain, 1
        while name in names:
            n += 1
            name = f"{plain}_{n}"
        names.append(name)
    return names


def _columns_of(plan: Plan) -> list[str]:
    technical = plan.output.csv.heading_row == "names"
    return element_names([c.technical if technical else c.heading for c in plan.columns])


def _rows_of(plan: Plan) -> tuple[str, str]:
    """
    The name of the whole and that of one row.
    """
    whole, row = element_names([plan.row_type.plural, plan.row_type.label])
    return whole, "group" if plan.by else row


class XmlWriter(StreamWriter):
    """
    Elements called by the headings, or by the technical names where these are asked for. A blank has
    no element.
    """

    def begin(self) -> None:
        self._whole, self._row = _rows_of(self.plan)
        self._names = _columns_of(self.plan)
        self._shaper = TextShaper(self.plan.columns, self.plan.zone.key)
        about = f' about="{escaped_text(self.sentence)}"' if self.sentence else ""
        self._file.write(f"{_HEAD}<{self._whole}{about}>\n".encode())

    def write(self, frame: pl.DataFrame) -> None:
        text = self._shaper.shape(frame).with_columns(pl.all().cast(pl.String))
        pieces: list[pl.Series | str] = [f"  <{self._row}>"]
        for n, (column, name) in enumerate(zip(self.plan.columns, self._names, strict=True)):
            values = escaped_column(text[f"c{n}"], column.heading, self.facts.notes)
            # A reader takes it for a line feed where it stands as itself (section 2.11).
            values = values.str.replace_all("\r", "&#13;", literal=True)
            whole = pl.select(pl.format(f"<{name}>{{}}</{name}>", pl.lit(values)).alias("v"))["v"]
            pieces.append(whole)
        self._file.write(spliced(pieces, f"</{self._row}>\n"))
        self.facts.rows += frame.height

    def finish(self) -> None:
        self._file.write(f"</{self._whole}>\n".encode())

    @classmethod
    def beside(cls, plan: Plan) -> Sequence[Beside]:
        whole, row = _rows_of(plan)
        fields = []
        for name, column in zip(_columns_of(plan), plan.columns, strict=True):
            said = escaped_text(column.meaning or column.heading)
            fields.append(
                f'        <xs:element name="{name}" type="xs:string" minOccurs="0">\n'
                f"          <xs:annotation><xs:documentation>{said}</xs:documentation></xs:annotation>\n"
                f"        </xs:element>\n"
            )
        schema = (
            f'{_HEAD}<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema">\n'
            f'  <xs:element name="{whole}">\n    <xs:complexType>\n      <xs:sequence>\n'
            f'        <xs:element ref="{row}" minOccurs="0" maxOccurs="unbounded"/>\n'
            f'      </xs:sequence>\n      <xs:attribute name="about" type="xs:string"/>\n'
            f"    </xs:complexType>\n  </xs:element>\n"
            f'  <xs:element name="{row}">\n    <xs:complexType>\n      <xs:sequence>\n'
            f"{''.join(fields)}"
            f"      </xs:sequence>\n    </xs:complexType>\n  </xs:element>\n</xs:schema>\n"
        )
        return (Beside("schema.xsd", "application/xml", schema.encode()),)
