"""
What a file does not hold of its records, so that nobody takes a list for everything there is.
"""

from __future__ import annotations

from dataclasses import dataclass

from bouquet.core.catalogue import Catalogue, Field, Kind, RecordType, Walk
from bouquet.core.language import tr
from bouquet.core.template import PerChild, PerGroup, Template
from bouquet.core.template.paths import steps_of

__all__ = ["Omitted", "omitted"]


@dataclass(frozen=True)
class Omitted:
    """
    By their labels: fields of the record, fields that hold files (also those of the many that belong to it), and the
    many themselves.
    """

    fields: tuple[str, ...] = ()
    files: tuple[str, ...] = ()
    records: tuple[str, ...] = ()

    def as_json(self) -> dict[str, list[str]]:
        """
        Only what there is of each.
        """
        named = {"fields": self.fields, "files": self.files, "records": self.records}
        return {name: list(labels) for name, labels in named.items() if labels}


def omitted(template: Template, catalogue: Catalogue) -> Omitted:
    """
    What no column of a template shows of what its rows stand for. Nothing of a template whose rows are groups, or whose
    record type is not there: a group holds no record. What is retired, or stands for its record's key alone, is
    not missed.
    """
    document = template.as_document()
    start, rows = _row_type(template, catalogue), document.get("rows")
    if start is None:
        return Omitted()
    shown = {"records": template.records, "rows": rows, "columns": document["columns"]}
    used = {(s.records, s.name) for s in steps_of({k: v for k, v in shown.items() if v is not None}, catalogue)}
    many = [r for r in start.relations if r.many and r.target in catalogue.record_types]
    missed = [r for r in many if (start.name, r.name) not in used and not _goes_along(template, r.name)]
    files: list[str] = []
    if template.output.attachments is None:
        files = [f.label for f in _files(start, used)]
        for relation in many:
            target = catalogue.record_types[relation.target]
            files += [tr("{label} of {target}", label=f.label, target=target.plural) for f in _files(target, used)]
    return Omitted(
        fields=tuple(f.label for f in start.fields if _is_missed(f, start) and (start.name, f.name) not in used),
        files=tuple(dict.fromkeys(files)),
        records=tuple(dict.fromkeys(catalogue.record_types[r.target].plural for r in missed)),
    )


def _row_type(template: Template, catalogue: Catalogue) -> RecordType | None:
    start = catalogue.record_types.get(template.records)
    if start is None or isinstance(template.rows, PerGroup):
        return None
    if not isinstance(template.rows, PerChild):
        return start
    walk = catalogue.walk(start, template.rows.path, "rows.path")
    return walk.end if isinstance(walk, Walk) else None


def _goes_along(template: Template, relation: str) -> bool:
    return any(child.path.split(".")[0] == relation for child in template.output.children)


def _files(record_type: RecordType, used: set[tuple[str, str]]) -> list[Field]:
    return [f for f in record_type.fields if f.kind is Kind.FILE and (record_type.name, f.name) not in used]


def _is_missed(field: Field, record_type: RecordType) -> bool:
    leads = {own for r in record_type.relations if not r.many for own, _ in r.pairs}
    spare = field.column in leads or field.name in record_type.key
    return field.kind is not Kind.FILE and not field.retired and not spare
