"""
Pictures in the cells of a spreadsheet: a drawing with an anchor for each (ISO/IEC 29500-1, 20.5), and their files.
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from dataclasses import dataclass, field
from hashlib import sha256
from typing import IO, Any

from bouquet.core.writers.markup import escaped_text
from bouquet.core.writers.pictures import Picture

__all__ = ["PLACEHOLDER", "ROW_POINTS", "SheetPictures", "with_kinds"]

#: What the skeleton has in the place of all pictures, so that the drawing is there: one pixel.
PLACEHOLDER = bytes.fromhex(
    "89504e470d0a1a0a0000000d49484452000000010000000108060000001f15c4890000000d49444154789c6360606060f80f0001040100"
    "80bbd15b0000000049454e44ae426082"
)

#: The height of rows with pictures, in points, and the room that a picture has in its cell, in pixels.
ROW_POINTS, ROOM = 84, (150.0, 104.0)

#: English metric units of a pixel, and of the gap to the cell's edge.
EMU, GAP = 9525, 4 * 9525

_ANCHOR = (
    "<xdr:oneCellAnchor><xdr:from><xdr:col>{column}</xdr:col><xdr:colOff>{gap}</xdr:colOff><xdr:row>{row}</xdr:row>"
    '<xdr:rowOff>{gap}</xdr:rowOff></xdr:from><xdr:ext cx="{width}" cy="{height}"/><xdr:pic><xdr:nvPicPr>'
    '<xdr:cNvPr id="{id}" name="Picture {number}" descr="{alt}"/><xdr:cNvPicPr><a:picLocks noChangeAspect="1"/>'
    "</xdr:cNvPicPr></xdr:nvPicPr><xdr:blipFill>"
    '<a:blip xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships" r:embed="rId{file}"/>'
    "<a:stretch><a:fillRect/></a:stretch></xdr:blipFill><xdr:spPr>"
    '<a:prstGeom prst="rect"><a:avLst/></a:prstGeom></xdr:spPr></xdr:pic><xdr:clientData/></xdr:oneCellAnchor>'
)


@dataclass(frozen=True)
class _File:
    """
    A file of the package: its number within the sheet, its name, and where its bytes wait.
    """

    number: int
    name: str
    at: int
    length: int


@dataclass
class SheetPictures:
    """
    The pictures of one sheet, numbered `sheet` from 1. Their bytes wait on disk until the sheet is written.
    """

    sheet: int
    _anchors: list[str] = field(default_factory=list)
    _files: dict[bytes, _File] = field(default_factory=dict)
    _bytes: IO[bytes] = field(default_factory=tempfile.TemporaryFile)

    def add(self, picture: Picture, row: int, column: int, alt: str) -> None:
        """
        Put a picture into a cell; both positions count from 0. The same picture is kept once.
        """
        digest = sha256(picture.data).digest()
        if digest not in self._files:
            k = len(self._files) + 1
            name = f"picture{self.sheet}_{k}.{picture.kind}"
            self._files[digest] = _File(k, name, self._bytes.tell(), len(picture.data))
            self._bytes.write(picture.data)
        number = len(self._anchors) + 1
        width, height = picture.within(*ROOM)
        anchor: dict[str, Any] = {
            "column": column,
            "row": row,
            "gap": GAP,
            "width": round(width * EMU),
            "height": round(height * EMU),
            "id": number + 1,
            "number": number,
            "alt": escaped_text(alt),
            "file": self._files[digest].number,
        }
        self._anchors.append(_ANCHOR.format(**anchor))

    def members(self, drawing: bytes) -> Iterator[tuple[str, bytes]]:
        """
        The drawing as it takes the place of the skeleton's, its relations, and the files that these name.
        """
        begin, end = drawing.index(b"<xdr:twoCellAnchor"), drawing.index(b"</xdr:wsDr>")
        yield self.drawing, drawing[:begin] + "".join(self._anchors).encode() + drawing[end:]
        kind = "http://schemas.openxmlformats.org/officeDocument/2006/relationships/image"
        files = self._files.values()
        related = "".join(f'<Relationship Id="rId{f.number}" Type="{kind}" Target="../media/{f.name}"/>' for f in files)
        space = "http://schemas.openxmlformats.org/package/2006/relationships"
        head = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n'
        yield self.relations, f'{head}<Relationships xmlns="{space}">{related}</Relationships>'.encode()
        for file in files:
            self._bytes.seek(file.at)
            yield f"xl/media/{file.name}", self._bytes.read(file.length)
        self._bytes.close()

    @property
    def drawing(self) -> str:
        return f"xl/drawings/drawing{self.sheet}.xml"

    @property
    def relations(self) -> str:
        return f"xl/drawings/_rels/drawing{self.sheet}.xml.rels"


def with_kinds(types: bytes) -> bytes:
    """
    The package's list of content types, with that of photographs.
    """
    known = b'<Default Extension="png" ContentType="image/png"/>'
    return types.replace(known, known + b'<Default Extension="jpeg" ContentType="image/jpeg"/>')
