"""
What the proof of a run says, part by part: the description of what `build_slip` makes, of runs and of bundles, as it
stands on the wire and in the file of the slip. Nothing is read by it: older runs keep what they said.
"""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from bouquet.core.template.described import AnswersDocument, NarrowingDocument

__all__ = ["ErrorDocument", "FindingDocument", "SlipDocument"]

Severity = Literal["note", "hold", "stop"]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid")


def absent(default: Any, description: str = "") -> Any:
    """
    A property that is only there where there is something to say.
    """
    return Field(default, description=description or None, json_schema_extra=_without_default)


def _without_default(schema: dict[str, Any]) -> None:
    schema.pop("default", None)


class EmptyDocument(_Part):
    """
    Rows for which a relation to one record leads nowhere.
    """

    path: str = Field(description="The relation, e.g. site.ward")
    words: str
    rows: int
    leave_out: NarrowingDocument | None = Field(description="The narrowing that would leave them out")


class StepDocument(_Part):
    """
    A step of the tally.
    """

    kind: Literal["all", "filter", "scope", "open", "group", "limit", "fill"]
    words: str
    rows: int = Field(description="Rows that it leaves")
    left_out: int = Field(description="Rows that it lost")
    blank: int = Field(description="How many of the lost were blank in a comparison by order")
    without: int | None = Field(description="Records that have no child, where that is a question")
    empty: list[EmptyDocument] = Field(description="Of the rows that are left, those whose relations lead nowhere")
    lost_empty: list[EmptyDocument] = Field(description="The same of the rows that it lost")


class ColumnTotalsDocument(_Part):
    """
    What a column comes to.
    """

    heading: str
    blanks: int
    total: str = absent("", "The exact sum of its numbers")
    first: str = absent("", "Its first date or moment, ISO 8601")
    last: str = absent("")
    repeats: bool = absent(False, "Whether one number stands on several rows")
    total_once: str | None = absent(None, "Where it does, the sum that counts each once")


class CountDocument(_Part):
    """
    Something worth a remark, and how often.
    """

    what: str
    count: int


class CheckDocument(_Part):
    """
    A check, and how often it objected; those of rows by place and by person, those of the file with what they saw.
    """

    place: str = Field(description="Where it stands in the document, e.g. checks[0]")
    words: str
    severity: Severity
    objections: int
    saw: str = absent("")
    by: str = absent("", "The heading by whose values findings are counted")
    by_place: list[list[str | int]] = absent([])
    by_person: list[list[str | int]] = absent([])


class SlipFileDocument(_Part):
    """
    A file as it was made.
    """

    name: str
    rows: int
    size: int = Field(description="Bytes")
    sha256: str
    role: str = absent("data", "What it is, where it is not the data")


class AllowedDocument(_Part):
    """
    What a recipient may receive of personal data: anything, or by its classes.
    """

    personal: bool
    classes: dict[str, str]


class SlipRecipientDocument(_Part):
    """
    What a recipient gets: files in a form of their own, or why none. `apart` are those who get other records than the
    run's own files hold, of whom the rows and the sentence are told, too.
    """

    id: int
    name: str
    files: list[SlipFileDocument]
    unmet: list[str]
    allowed: AllowedDocument
    sentence: str = absent("")
    part: str | None = absent(None, "The value of the part that they get")
    rows: int = absent(0)
    records: str = absent("", "The record type of the records in the part")
    apart: bool = absent(False)
    sent_before: int = absent(0, "Records that were sent earlier, and are left out")
    gone: int = absent(0, "Records that were sent earlier, and are no longer there")
    repeats: int = absent(0, "The run whose records are sent once more")


class SlipScopeDocument(_Part):
    """
    The records that rights left.
    """

    records: str
    field: str
    values: list[str]
    names: list[str] = absent([])


class CopyDocument(_Part):
    """
    The copy of the source that was read.
    """

    seconds_behind: float | None


class NotIncludedDocument(_Part):
    """
    Labels of what no column shows.
    """

    fields: list[str] = absent([])
    files: list[str] = absent([])
    records: list[str] = absent([])


class SlipDocument(_Part):
    """
    The proof that goes with a run. Of a bundle, `parts` are those of its templates, and tally and columns are theirs.
    """

    slip: Literal[1]
    template: str = Field(description="The name of the template, or of the bundle")
    run: int = absent(0)
    version: int | None = absent(None, "The saved version; none where a draft was run")
    asked_by: str = absent("")
    via: str = absent("")
    purpose: str = absent("")
    given_by: str = absent("")
    repeats: int = absent(0, "The run whose records are sent once more")
    sent_before: int = absent(0, "Records that were sent earlier, and are left out")
    gone: int = absent(0, "Records that were sent earlier, and are no longer there")
    as_of: str = Field(description="ISO 8601")
    snapshot_at: str = Field(description="The moment of the source that was read, ISO 8601")
    source: str
    environment: str
    sentence: str
    rows_of: str = absent("", "The record type that a row stands for")
    answers: AnswersDocument
    scope: SlipScopeDocument | None
    copied: CopyDocument | None = Field(None, alias="copy", json_schema_extra=_without_default)
    tally: list[StepDocument]
    rows_announced: int
    rows_written: int
    columns: list[ColumnTotalsDocument]
    personal_fields: list[str]
    not_included: NotIncludedDocument = absent(NotIncludedDocument())
    findings: list[CountDocument]
    checks: list[CheckDocument]
    tells_of_people: bool = absent(False, "Whether the sentence names values of personal fields")
    parts: list[SlipDocument] = absent([])
    recipients: list[SlipRecipientDocument] = absent([])
    attachments: int = absent(0)
    files: list[SlipFileDocument] = absent([])


class FindingDocument(_Part):
    """
    A row to which a check objected.
    """

    place: str
    words: str
    severity: Severity
    key: list[str]
    title: str | None = Field(description="What the record is known by")
    column: str = Field(description="The heading of the column; empty where a whole row is meant")
    value: str | None
    touched_by: str | None = Field(description="Who changed the record last")
    page: str | None = Field(description="The address of the record's page in its own system")


class PlaceDocument(_Part):
    """
    What is wrong at a place of the template.
    """

    code: str
    message: str
    place: str


class ErrorDocument(_Part):
    """
    Why a run has no files, or could not be delivered.
    """

    code: str
    message: str
    problems: list[PlaceDocument] = absent([])
