"""
The built-in source: Bouquet's own runs, as a record type like any other.
"""

from __future__ import annotations

from bouquet.core.catalogue import Catalogue, Choice, Field, Kind, RecordType
from bouquet.sources.postgres import PostgresReader

__all__ = ["LEDGER", "LedgerSource"]

#: The name that runs know this source by.
LEDGER = "ledger"

_STATUSES = ("asked", "running", "held", "releasing", "ready", "failed", "cancelled", "discarded")

#: (column, kind, stored, label, unit) of everything that is told of a run.
_FIELDS: tuple[tuple[str, Kind, str, str, str], ...] = (
    ("id", Kind.INTEGER, "integer", "Run", ""),
    ("template", Kind.TEXT, "text", "Template", ""),
    ("version", Kind.INTEGER, "integer", "Version", ""),
    ("records", Kind.TEXT, "text", "Record type", ""),
    ("asked_at", Kind.MOMENT, "timestamptz", "Asked for at", ""),
    ("asked_by", Kind.TEXT, "text", "Asked by", ""),
    ("via", Kind.CHOICE, "text", "Asked", ""),
    ("status", Kind.CHOICE, "text", "Status", ""),
    ("rows_announced", Kind.INTEGER, "integer", "Rows announced", ""),
    ("rows_written", Kind.INTEGER, "integer", "Rows written", ""),
    ("seconds", Kind.DECIMAL, "numeric", "Took", "s"),
    ("format", Kind.TEXT, "text", "Format", ""),
    ("files", Kind.INTEGER, "integer", "Files", ""),
    ("bytes", Kind.INTEGER, "integer", "Size", "bytes"),
    ("file_names", Kind.TEXT, "text", "File names", ""),
    ("objections", Kind.INTEGER, "integer", "Objections of checks", ""),
    ("verdict", Kind.TEXT, "text", "Gravest check", ""),
    ("personal", Kind.INTEGER, "integer", "Columns with personal data", ""),
    ("purpose", Kind.TEXT, "text", "Purpose", ""),
    ("failure", Kind.TEXT, "text", "Why it failed", ""),
    ("reviewed_by", Kind.TEXT, "text", "Released or discarded by", ""),
    ("reviewed_at", Kind.MOMENT, "timestamptz", "Released or discarded at", ""),
    ("review_reason", Kind.TEXT, "text", "Reason given", ""),
    ("delivered_to", Kind.TEXT, "text", "Put into", ""),
    ("arrived", Kind.INTEGER, "integer", "Recipients it arrived with", ""),
    ("under_way", Kind.INTEGER, "integer", "Recipients it is under way to", ""),
    ("not_delivered", Kind.INTEGER, "integer", "Recipients it failed to reach", ""),
    ("given_up", Kind.INTEGER, "integer", "Recipients for whom it was given up", ""),
    ("as_of", Kind.MOMENT, "timestamptz", "As of", ""),
    ("started_at", Kind.MOMENT, "timestamptz", "Begun at", ""),
    ("finished_at", Kind.MOMENT, "timestamptz", "Ended at", ""),
    ("keep_until", Kind.MOMENT, "timestamptz", "Files kept until", ""),
    ("template_id", Kind.INTEGER, "integer", "Template number", ""),
)

_CHOICES = {
    "status": tuple(Choice(s, "waiting" if s == "asked" else s) for s in _STATUSES),
    "via": (
        Choice("hand", "by hand"),
        Choice("once", "by hand, limited for once"),
        Choice("round", "by a round"),
        Choice("script", "by a program"),
        Choice("command line", "by the command line"),
    ),
}


class LedgerSource:
    """
    Reads the ledger of one store, through a view that holds no documents and no secrets.

    Args:
        url: libpq URL of the store.
        environment: That of the application's source: its runs are as much practice or live as it is.
    """

    name = LEDGER
    title = "Bouquet’s ledger"

    def __init__(self, url: str, environment: str) -> None:
        self.reader = self.run_reader = PostgresReader(url, self.title)
        self.copy = ""
        self.environment = environment

    def catalogue(self, *, fresh: bool = False) -> Catalogue:
        """
        One record type, `run`; it is the same whether `fresh` or not.
        """
        fields = tuple(
            Field(
                name=name,
                column=name,
                kind=kind,
                stored=stored,
                label=label,
                unit=unit,
                everyday=True,
                choices=_CHOICES.get(name, ()),
                nullable=name != "id",
            )
            for name, kind, stored, label, unit in _FIELDS
        )
        run = RecordType(
            name="run",
            table="run",
            schema="ledger",
            label="run",
            plural="runs",
            fields=fields,
            relations=(),
            key=("id",),
            title="id",
            meaning="One execution of one template: who, what, when, how many rows, what became of it.",
        )
        return Catalogue(source=self.name, title=self.title, environment=self.environment, record_types={run.name: run})

    def close(self) -> None:
        """
        Let go of connections.
        """
        self.reader.close()
