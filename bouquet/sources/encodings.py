"""
PostgreSQL databases that keep their texts in another encoding than UTF-8 (PostgreSQL 15, 24.3).

We speak UTF-8 with each of them, and the server converts. A letter that the other encoding does not have cannot stand
in a statement, and the white space that we look for has such letters; no text there holds them either.
"""

from __future__ import annotations

import codecs
import functools
from collections.abc import Iterable
from typing import Any

import pyarrow as pa
import sqlalchemy as sa

from bouquet.core.sql.dialects.postgresql import COLLATION
from bouquet.core.values import WHITE

__all__ = ["UNTOLD", "fit_statements", "fitted", "read_texts", "text_of"]

#: Encodings in which any byte is a letter: what is in them is not converted, and ICU does not order it.
UNTOLD = ("SQL_ASCII", "MULE_INTERNAL")


def fitted(statement: str, encoding: str) -> str:
    """
    A statement as a database with this encoding takes it.
    """
    if encoding == "UTF8":
        return statement
    if encoding in UNTOLD:
        # White space is looked for byte by byte there.
        return statement.replace(f'"{COLLATION}"', '"C"').replace(WHITE, _white("ascii"))
    return statement.replace(WHITE, _white(encoding))


def fit_statements(engine: sa.Engine) -> None:
    """
    Have all statements of an engine fit its database.
    """

    def fit(
        connection: sa.Connection, cursor: Any, statement: str, parameters: Any, context: Any, executemany: bool
    ) -> tuple[str, Any]:
        encoding = cursor.connection.info.parameter_status("server_encoding") or "UTF8"
        if encoding != "UTF8" and isinstance(parameters, dict):
            parameters = {k: fitted(v, encoding) if isinstance(v, str) else v for k, v in parameters.items()}
        return fitted(statement, encoding), parameters

    sa.event.listen(engine, "before_cursor_execute", fit, retval=True)


def read_texts(batches: Iterable[pa.RecordBatch], encoding: str) -> Iterable[pa.RecordBatch]:
    """
    Batches whose texts are texts, also where a database keeps any bytes: what is no UTF-8 is read as Windows wrote it.
    """
    return map(_read, batches) if encoding in UNTOLD else batches


def _read(batch: pa.RecordBatch) -> pa.RecordBatch:
    columns = [_as_meant(column) if pa.types.is_string(column.type) else column for column in batch.columns]
    return pa.RecordBatch.from_arrays(columns, names=batch.schema.names)


def _as_meant(column: pa.Array) -> pa.Array:
    try:
        column.validate(full=True)
    except pa.ArrowInvalid:
        return pa.array((text_of(v) for v in column.cast(pa.binary()).to_pylist()), type=pa.string())
    return column


def text_of(content: bytes | None) -> str | None:
    """
    A text as it was meant: databases that take any bytes were given those of Windows by old programs.
    """
    if content is None:
        return None
    try:
        return content.decode()
    except UnicodeDecodeError:
        return content.decode("cp1252", errors="replace")


@functools.cache
def _white(encoding: str) -> str:
    """
    White space that an encoding has.
    """
    name = encoding.lower().replace("win", "cp")
    try:
        codecs.lookup(name)
    except LookupError:
        name = "ascii"
    return "".join(c for c in WHITE if _has(name, c))


def _has(codec: str, letter: str) -> bool:
    try:
        letter.encode(codec)
    except UnicodeEncodeError:
        return False
    return True
