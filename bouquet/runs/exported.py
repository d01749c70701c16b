"""
What a run made: its files, and what there is to say of them.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from bouquet.core.template import Severity

__all__ = ["Exported", "ExportedFile", "file_facts"]


@dataclass(frozen=True)
class ExportedFile:
    """
    One finished file. `role` is `data`, or what it accompanies the data as: `children`, `dictionary`, `metadata`,
    `schema` (how the file is to be read), `findings`, `gone`, `slip`, `archive`; or `form`, the data in the form that a
    recipient takes, and `missing`, what they require and is blank.
    """

    path: Path
    role: str
    media_type: str
    rows: int
    size: int
    sha256: str
    #: The value of the part that it is, where the run is split by one.
    part: str | None = None
    #: The recipient in whose form it is, by number, and what it is called there.
    recipient: int | None = None
    called: str = ""

    @property
    def name(self) -> str:
        return self.called or self.path.name


@dataclass(frozen=True)
class Exported:
    """
    What a run made: its files, the data first, its slip, and what its checks found: listed up to a cap, counted in
    full, with the gravest severity among those that object.
    """

    files: tuple[ExportedFile, ...]
    rows: int
    slip: dict[str, Any]
    findings: tuple[dict[str, Any], ...] = ()
    objections: int = 0
    verdict: Severity | None = None
    #: (record type, digests of the keys of its records in the files), where rows are no groups.
    sent: tuple[tuple[str, bytes], ...] = ()
    #: The same of recipients who got other records, by their number, and the rows in those files.
    apart: Mapping[int, tuple[tuple[str, bytes], ...]] = field(default_factory=dict)
    rows_apart: int = 0

    @property
    def tells_gone(self) -> bool:
        """
        Whether somebody is told of records that are no longer there.
        """
        return any(facts.get("gone") for facts in (self.slip, *self.slip.get("recipients", ())))

    @property
    def path(self) -> Path:
        """
        The first file.
        """
        return self.files[0].path


def file_facts(file: ExportedFile) -> dict[str, Any]:
    """
    A file as the slip has it.
    """
    facts: dict[str, Any] = {"name": file.name, "rows": file.rows, "size": file.size, "sha256": file.sha256}
    return facts if file.role == "data" else {**facts, "role": file.role}
