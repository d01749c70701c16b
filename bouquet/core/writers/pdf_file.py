"""
A PDF written piece by piece: the library keeps a document's objects, and all of its file, in memory until it is saved,
which for a hundred thousand rows is a hundred megabytes. What is drawn on a page waits on disk instead, and the file is
written object by object.
"""

from __future__ import annotations

import tempfile
import zlib
from pathlib import Path
from typing import IO, Any

from reportlab.pdfbase.pdfdoc import (
    PDFCrossReferenceTable,
    PDFDictionary,
    PDFFile,
    PDFIndirectObject,
    PDFName,
    PDFObject,
    PDFStream,
    PDFTrailer,
)
from reportlab.pdfgen.canvas import Canvas

__all__ = ["Drawings", "save"]


class Drawings:
    """
    What is drawn on the finished pages of a canvas, compressed, in a file without a name in `folder`.
    """

    def __init__(self, folder: Path) -> None:
        self._file = tempfile.TemporaryFile(dir=folder)  # noqa: SIM115  # closed by `close`

    def show(self, canvas: Canvas) -> None:
        """
        End the page.
        """
        canvas.showPage()
        document: Any = vars(canvas)["_doc"]
        page = document.Pages.pages[-1]
        drawn = zlib.compress(page.stream.encode())
        page.Contents = _Drawn(self._file, self._file.tell(), self._file.write(drawn))
        page.stream = None

    def close(self) -> None:
        """
        Let the drawings go; again does nothing.
        """
        self._file.close()


class _Drawn(PDFObject):
    """
    What is drawn on a page, by where it waits.
    """

    __RefOnly__ = 1

    def __init__(self, file: IO[bytes], at: int, size: int) -> None:
        self._file, self._at, self._size = file, at, size

    def format(self, document: Any) -> bytes:
        self._file.seek(self._at)
        compressed = PDFDictionary({"Filter": PDFName("FlateDecode")})
        made: bytes = PDFStream(compressed, self._file.read(self._size)).format(document)
        return made


class _OnDisk(PDFFile):
    """
    A file whose pieces are written as they come.
    """

    def __init__(self, version: tuple[int, int], file: IO[bytes]) -> None:
        super().__init__(version)
        file.write(b"".join(self.strings))
        self.write = file.write  # type: ignore[assignment]  # how much was written is not asked


def save(canvas: Canvas, path: Path) -> None:
    """
    Write a canvas' document, all of whose pages were shown: what its own `save` does, but for the encryption and the
    signatures, and piece by piece (ISO 32000-1, 7.5: header, objects, where each begins, trailer).
    """
    document: Any = vars(canvas)["_doc"]
    for font in document.delayedFonts:
        font.addObjects(document)
    document.info.invariant = document.invariant
    document.info.digest(document.signature)
    root, info = document.Reference(document.Catalog), document.Reference(document.info)
    document.Outlines.prepare(document, canvas)
    if document.Outlines.ready < 0:
        document.Catalog.Outlines = None
    document.encrypt.prepare(document)
    with path.open("wb") as file:
        made, names, number = _OnDisk(document._pdfVersion, file), [], 1
        # More objects come while those before them are written.
        while (name := document.numberToId.get(number)) is not None:
            written = PDFIndirectObject(name, document.idToObject[name]).format(document)
            document.idToOffset[name] = made.add(written)
            names.append(name)
            number += 1
        table = PDFCrossReferenceTable()
        table.addsection(0, names)
        begins = made.add(table.format(document))
        trailer = PDFTrailer(startxref=begins, Size=number, Root=root, Info=info, ID=document.ID())
        made.add(trailer.format(document))
