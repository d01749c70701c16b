"""
The ledger of runs as a template of the built-in source: what its export writes.
"""

from __future__ import annotations

from typing import Any

from bouquet.core.catalogue import RecordType
from bouquet.core.language import tr
from bouquet.core.template import Column, FieldValue, Output, Template, read_document, whole_template
from bouquet.store.runs import RunFilter

__all__ = ["ledger_template"]


def ledger_template(run_type: RecordType, wanted: RunFilter, seen: list[int] | None) -> Template:
    """
    A template over the ledger with the same limits as a list of it.
    """
    whole = whole_template(run_type)
    parts: list[dict[str, Any]] = []
    if seen is not None:
        parts.append({"path": "id", "is": "one_of", "values": seen or [0]})
    if wanted.search:
        text = [{"path": p, "is": "contains", "value": wanted.search.strip()} for p in ("template", "asked_by")]
        parts.append({"any": text})
    if wanted.asked_by:
        parts.append({"path": "asked_by", "is": "contains", "value": wanted.asked_by.strip()})
    for path, value in (
        ("template_id", wanted.template_id),
        ("status", wanted.status),
        ("records", wanted.records),
    ):
        if value is not None:
            parts.append({"path": path, "is": "is", "value": value})
    if wanted.since is not None:
        parts.append({"path": "asked_at", "is": "at_least", "value": wanted.since.isoformat()})
    if wanted.until is not None:
        parts.append({"path": "asked_at", "is": "before", "value": wanted.until.isoformat()})
    for path, given in (("objections", wanted.found), ("personal", wanted.personal)):
        if given is not None:
            parts.append({"path": path, "is": "greater_than" if given == "yes" else "is", "value": 0})
    if wanted.sent is not None:
        path = {"failed": "not_delivered"}.get(wanted.sent, wanted.sent)
        parts.append({"path": path, "is": "greater_than", "value": 0})
    return read_document(
        {
            "name": tr("Ledger of runs"),
            "records": "run",
            "columns": [
                Column(id=c.id, heading=c.heading, value=c.value).model_dump(mode="json", exclude_defaults=True)
                for c in whole.columns
                if isinstance(c.value, FieldValue) and c.value.field != "template_id"
            ],
            "filter": {"all": parts},
            "order": [{"path": "id", "direction": "descending"}],
            "output": Output(name="runs_{as_of:%Y-%m-%d}").model_dump(mode="json", exclude_defaults=True),
        }
    )
