"""
Letters: text → the bytes of a file's encoding, which may lack some letters.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from bouquet.core.errors import EncodingProblem
from bouquet.core.language import tr
from bouquet.core.template import Csv
from bouquet.core.writers.base import FileFacts

__all__ = ["SIGNATURE", "Letters"]

#: What begins a file of some encodings.
SIGNATURE = {"utf-8-sig": b"\xef\xbb\xbf", "utf-16": b"\xff\xfe"}

#: The codec of each encoding.
_CODECS = {
    "utf-8": "utf-8",
    "utf-8-sig": "utf-8",
    "utf-16": "utf-16-le",
    "windows-1252": "cp1252",
    "iso-8859-1": "latin-1",
}


@dataclass(frozen=True)
class Letters:
    """
    The encoding of a file. A letter that it lacks stops the file, or becomes a question mark, and that is noted.

    Args:
        encoding: As documents call it.
        replaces: Whether such letters are replaced.
        facts: What the file holds; notes are added.
        is_chosen: Whether the template chooses the encoding; else the format has no other.
    """

    encoding: str
    replaces: bool
    facts: FileFacts
    is_chosen: bool = True

    @classmethod
    def of(cls, options: Csv, facts: FileFacts) -> Letters:
        return cls(options.encoding, options.unencodable == "replace", facts)

    @property
    def is_utf8(self) -> bool:
        return _CODECS[self.encoding] == "utf-8"

    def encode(self, text: str, row_at: Callable[[int], int] = lambda _: 0) -> bytes:
        """
        The text's bytes.

        Args:
            text: What to write.
            row_at: The number of the row in which a position of the text is, from 1; 0 for what stands above the rows.

        Raises:
            EncodingProblem: At the first letter that the encoding lacks, unless such are replaced.
        """
        codec = _CODECS[self.encoding]
        try:
            return text.encode(codec)
        except UnicodeEncodeError as error:
            if not self.replaces:
                place = row_at(error.start)
                raise EncodingProblem(text[error.start], self.encoding, place, self.is_chosen) from error
        # Only encodings of a byte a letter lack any: each question mark is one byte.
        encoded = text.encode(codec, errors="replace")
        lost = encoded.count(b"?") - text.count("?")
        self.facts.notes[tr("letters that {encoding} does not have became “?”", encoding=self.encoding)] += lost
        return encoded
