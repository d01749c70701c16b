"""
What goes along with the sheet of a template: files of its records' children, and of what is attached to them.
"""

from __future__ import annotations

from bouquet.core.catalogue import Kind, RecordType, Walk
from bouquet.core.template.document import Template
from bouquet.core.template.output import ChildFile, Output
from bouquet.core.template.values import Column, FieldValue, FormulaValue, PerChild

__all__ = ["child_template", "folder_formula", "folder_of"]

#: Characters of a key that cannot be part of a folder's name, on one system or another, and two that lead out of it.
_UNSAFE = ("/", "\\", ":", "*", "?", '"', "<", ">", "|", "..")


def child_template(template: Template, child: ChildFile, start: RecordType, walk: Walk) -> Template:
    """
    The template of a companion file: a row for each record at the end of `child.path`, of the records that `template`
    narrows to, with the key of the record it belongs to, what that is known by, and its own columns.
    """
    known = [f for f in start.fields if f.name in (*start.key, start.title)]
    wanted = child.columns or tuple(
        f.name for f in walk.end.fields if (f.everyday or f.name in walk.end.key) and f.kind is not Kind.FILE
    )
    labels = {f.name: f.label for f in walk.end.fields}
    columns = [Column(id=f"p{n}", heading=_heading(start, f.label), value=_field(f.name)) for n, f in enumerate(known)]
    taken = {c.heading.casefold() for c in columns}
    for n, path in enumerate(wanted):
        label = labels.get(path, path.replace(".", " ").replace("_", " ").capitalize())
        heading = label if label.casefold() not in taken else _heading(walk.end, label)
        taken.add(heading.casefold())
        columns.append(Column(id=f"c{n}", heading=heading, value=_field(f"{child.path}.{path}")))
    name = f"{template.output.name}-{child.path.replace('.', '-')}"
    output = Output(format="csv", name=name, locale=template.output.locale, csv=template.output.csv)
    return template.model_copy(
        update={
            "rows": PerChild(per="child", path=child.path),
            "columns": tuple(columns),
            "order": (),
            "checks": (),
            "output": output,
        }
    )


def _field(path: str) -> FieldValue:
    return FieldValue(field=path)


def _heading(record_type: RecordType, label: str) -> str:
    what = record_type.label
    return label if what in label.lower() else f"{what[:1].upper()}{what[1:]} {label[:1].lower()}{label[1:]}"


def folder_formula(folder: str, key: tuple[str, ...]) -> FormulaValue:
    """
    A formula for the folder that a record's attachments stand in; `folder_of` says the same of a key.
    """
    parts = []
    for name in key:
        text = f"{{{name}}}"
        for unsafe in _UNSAFE:
            literal = unsafe.replace('"', '""')
            text = f'SUBSTITUTE({text};"{literal}";"-")'
        parts.append(text)
    joined = ' & "-" & '.join(parts)
    return FormulaValue(formula=f'"{folder}/" & {joined} & "/"')


def folder_of(folder: str, key: tuple[str, ...]) -> str:
    """
    The folder that a record's attachments stand in, by the record's key as texts.
    """
    safe = []
    for text in key:
        for unsafe in _UNSAFE:
            text = text.replace(unsafe, "-")
        safe.append(text)
    return f"{folder}/{'-'.join(safe)}/"
