"""
Pictures in cells: files of a source made small enough to stand in a table.
"""

from __future__ import annotations

import io
from collections import Counter
from dataclasses import dataclass

import polars as pl

from bouquet.core.language import tr
from bouquet.core.plan import Plan

__all__ = ["Picture", "pictures_in", "small_picture"]

#: What is read; other files are none that can be drawn.
_READ = ("PNG", "JPEG", "GIF", "BMP", "WEBP", "TIFF")

#: Pixels of a picture that is unpacked as it is, four bytes each: what a small file claims to be has an end.
_MOST_PIXELS = 25_000_000

#: Pixels of the longer side, in a file.
_LONGEST = 360


@dataclass(frozen=True)
class Picture:
    """
    A small picture: its bytes, `png` or `jpeg`, and its size in pixels.
    """

    data: bytes
    kind: str
    width: int
    height: int

    def within(self, width: float, height: float) -> tuple[float, float]:
        """
        Its size in a room of that size, and no larger than it is.
        """
        scale = min(1.0, width / self.width, height / self.height)
        return self.width * scale, self.height * scale


def small_picture(data: bytes) -> Picture | None:
    """
    A picture as it stands in a table: upright, small, without what else its file said. None for what is no picture.
    """
    # Most files have none.
    from PIL import Image, ImageOps

    try:
        with Image.open(io.BytesIO(data), formats=_READ) as found:
            photograph = found.format == "JPEG"
            if photograph:
                # Unpacked no larger than it is needed.
                found.draft("RGB", (_LONGEST, _LONGEST))
            if found.width * found.height > _MOST_PIXELS:
                return None
            upright = ImageOps.exif_transpose(found).convert("RGB" if photograph else "RGBA")
            upright.thumbnail((_LONGEST, _LONGEST))
            if not photograph and upright.getchannel("A").getextrema() == (255, 255):
                # Nothing shows through it.
                upright = upright.convert("RGB")
            out = io.BytesIO()
            kind = "jpeg" if photograph else "png"
            upright.save(out, kind, **({"quality": 82} if photograph else {"optimize": True}))
            return Picture(out.getvalue(), kind, upright.width, upright.height)
    except Exception:
        # On what files of strangers hold, the library's readers fail in ways of many kinds.
        return None


def pictures_in(frame: pl.DataFrame, plan: Plan, notes: Counter[str]) -> dict[int, list[Picture | None]]:
    """
    The pictures of a batch by their columns; files that cannot be drawn are noted.
    """
    found = {}
    for n in plan.file_columns:
        files = frame[f"i{n}"] if f"i{n}" in frame.columns else None
        if files is None:
            continue
        if files.dtype != pl.Binary:
            # None of the batch is there, or small enough.
            files = pl.Series([None] * frame.height, dtype=pl.Binary)
        made = [small_picture(data) if data else None for data in files]
        undrawn = sum(p is None for p in made) - frame[f"c{n}"].null_count()
        if undrawn:
            said = tr(
                "files in “{heading}” are no pictures, or too large to be drawn; their size stands there",
                heading=plan.columns[n].heading,
            )
            notes[said] += undrawn
        found[n] = made
    return found
