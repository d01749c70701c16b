"""
Which bytes of a file are asked for (RFC 9110, section 14).
"""

from __future__ import annotations

import re
from collections.abc import Mapping

__all__ = ["wanted_range"]

#: No file has so many bytes that their number takes more digits.
_RANGE = re.compile(r"^bytes=(\d{0,19})-(\d{0,19})$", re.ASCII)


def wanted_range(headers: Mapping[str, str], size: int, etag: str) -> tuple[int, int] | None:
    """
    (first byte, number of bytes) that a request asks for: the whole file where it names no range, several, one that
    cannot be read, or one of another content (`If-Range`). None where the range lies beyond the file.
    """
    match = _RANGE.match(headers.get("Range", headers.get("range", "")).strip())
    expected = headers.get("If-Range", headers.get("if-range", etag)).strip()
    if match is None or expected != etag or match.group(0) == "bytes=-":
        return 0, size
    first, last = match.groups()
    if not first:
        length = min(int(last), size)
        return (size - length, length) if length else None
    start = int(first)
    end = min(int(last), size - 1) if last else size - 1
    if start >= size:
        return None
    return (start, end - start + 1) if end >= start else (0, size)
