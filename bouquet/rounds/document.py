"""
What is said of a round when it is set, and a round as a document, format `bouquet-round/1`: the same, with names where
the store has numbers.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal, TypeAlias

from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator

from bouquet.core.errors import DocumentError, Problem
from bouquet.core.language import tr
from bouquet.core.recurrence import RhythmDocument
from bouquet.core.refusals import said_of
from bouquet.core.template import Only
from bouquet.core.template.described import AnswersGiven, NarrowingOrNone
from bouquet.core.vocabulary.formats import FormatName

__all__ = [
    "ROUND_FORMAT",
    "Event",
    "NewRound",
    "OwnPart",
    "RoundDocument",
    "RoundRecipientIn",
    "Trigger",
    "Watch",
    "read_round",
]

ROUND_FORMAT: Literal["bouquet-round/1"] = "bouquet-round/1"

#: What starts a round: the calendar, another round that ended well, a call, records that appear, or a record that comes
#: to meet a condition.
Trigger: TypeAlias = Literal["calendar", "after", "called", "appears", "closes"]


class Watch(BaseModel):
    """
    Seconds between two looks; seconds without another record after which what was found is sent, and seconds after
    which it is sent all the same.
    """

    model_config = ConfigDict(extra="forbid")

    every: int = Field(60, ge=10, le=3_600)
    quiet: int = Field(0, ge=0, le=3_600)
    longest: int = Field(600, ge=0, le=86_400)


class Event(BaseModel):
    """
    What more there is to say of what starts a round.

    `records` and `where`: the record type, and the narrowing of a template document that one of its records comes to
    meet. `answers`: by the name of an ask, the field of that record which answers it. `each`: a run for each record
    that appears, instead of one for all. `channel`: at a NOTIFY on it in the source's PostgreSQL records are looked for
    at once. `button`: what the button says by which people call the round. `label`: what people call those records;
    kept whenever the round is set.
    """

    model_config = ConfigDict(extra="forbid")

    records: str = Field("", max_length=120)
    where: NarrowingOrNone = {}
    answers: dict[str, Annotated[str, Field(max_length=500)]] = Field({}, max_length=40)
    each: bool = False
    channel: str = Field("", max_length=63, pattern=r"^([a-z_][a-z0-9_]*)?$")
    button: str = Field("", max_length=60)
    label: str = Field("", max_length=200)

    @field_validator("button")
    @classmethod
    def _plain(cls, value: str) -> str:
        if not value.isprintable():
            msg = tr("A button has characters that can be seen.")
            raise ValueError(msg)
        return " ".join(value.split())


class RoundRecipientIn(BaseModel):
    """
    Whom a round sends to. `must`: the round's work is done, and what it sent remembered, only when it arrived there.
    `when_empty`: a file without rows is sent, left out, or only told of, by mail or webhook. `only`: of which records
    they get a file (everything, what is new to them, or what is new or changed); as the template says where it is not
    given.
    """

    recipient_id: int = Field(ge=0, lt=2**63)
    must: bool = True
    when_empty: Literal["send", "leave out", "tell"] = "send"
    only: Only | None = None


class OwnPart(BaseModel):
    """
    Each part of a split run goes to the recipients whose `fact` is its value. `missing`: what becomes of parts of
    nobody: the run waits (`hold`), they are kept without being sent (`keep`), or that is told besides (`tell`).
    """

    fact: str = Field(pattern=r"^[a-z][a-z0-9_]{0,39}$")
    missing: Literal["hold", "keep", "tell"] = "hold"


class _Set(BaseModel):
    """
    What is said of a round in either form.
    """

    trigger: Trigger = Field("calendar", description="What starts it.")
    watch: Watch | None = Field(None, description="How records that appear are looked for and gathered.")
    event: Event | None = Field(None, description="What more there is to say of what starts it.")
    answers: AnswersGiven = Field({}, description="Answers to what its template asks, by name.")
    when_empty: Literal["send", "skip"] = Field("send", description="What becomes of a file without rows.")
    rhythm: RhythmDocument | None = None
    zone: str = Field("Europe/London", max_length=60)
    folder: str = Field(
        "", max_length=200, description="Below the outgoing folder; empty where recipients get the files"
    )
    own_part: OwnPart | None = None
    mode: Literal["new", "replace", "append"] = "new"
    purpose: str = Field("", max_length=400, description="What personal data is taken out for, where there is any")
    mail_to: list[Annotated[str, Field(max_length=254)]] = Field([], max_length=50, description="Who gets it by mail")


class NewRound(_Set):
    """
    A template, or a bundle, set to run: when, as a `rhythm`, or, in short, `beat` with `at` (`HH:MM`) and, for a
    weekly round, `day` (0 for Monday). `mode` is what becomes of an earlier file of the same name in the folder.
    """

    template_id: int = Field(ge=0, lt=2**63)
    after_id: int | None = Field(None, ge=0, lt=2**63, description="The round that it runs after.")
    beat: Literal["daily", "weekdays", "weekly"] = "daily"
    day: int = Field(0, ge=0, le=6)
    at: str = Field("06:00", pattern=r"^([01]\d|2[0-3]):[0-5]\d$")
    recipients: list[RoundRecipientIn] = Field([], max_length=100)
    format: FormatName = "csv"


class NamedRecipient(BaseModel):
    """
    Whom a round sends to, by name.
    """

    model_config = ConfigDict(extra="forbid")

    recipient: str = Field(min_length=1, max_length=120)
    must: bool = True
    when_empty: Literal["send", "leave out", "tell"] = "send"
    only: Only | None = None


class RoundDocument(_Set):
    """
    A round as a document. `after` names the template of the round that it runs after.
    """

    model_config = ConfigDict(extra="forbid")

    format: Literal["bouquet-round/1"] = ROUND_FORMAT
    template: str = Field(min_length=1, max_length=120)
    after: str = Field("", max_length=120)
    recipients: list[NamedRecipient] = Field([], max_length=100)
    file_format: FormatName = "csv"

    def as_document(self) -> dict[str, Any]:
        """
        The round as JSON values, without what is as usual.
        """
        said = self.model_dump(mode="json", exclude_defaults=True, exclude={"format", "template"})
        return {"format": ROUND_FORMAT, "template": self.template, **said}


def read_round(document: Any) -> RoundDocument:
    """
    Read a round. Raises DocumentError with every problem, at its place.
    """
    if not isinstance(document, dict) or document.get("format") != ROUND_FORMAT:
        message = tr(
            "This is no document of a round; it says “{round_format}” as its format.",
            round_format=ROUND_FORMAT,
        )
        raise DocumentError([Problem(code="unknown_format", message=message, place="format")])
    try:
        return RoundDocument.model_validate(document)
    except ValidationError as error:
        raise DocumentError(
            [
                Problem(
                    code="bad_round",
                    message=said_of(e),
                    place=".".join(str(part) for part in e["loc"]),
                )
                for e in error.errors()
            ]
        ) from error
