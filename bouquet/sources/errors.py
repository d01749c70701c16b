"""
What can go wrong with a source. The drivers' errors are renamed once, here.

    SourceError
    ├── SourceDown         it cannot be reached, or it went away
    │   └── SourceFull     it has no connection left for us
    ├── SourceTimeout      it took longer than interactive work may
    ├── SourceCancelled    somebody of ours stopped the query
    ├── SourceStopped      somebody else did, in the source
    ├── SourceChanged      a table or column that was there is there no longer
    ├── SourceRefused      the role may not read this
    └── NoSource           there is no source of this name, or none at all
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from contextlib import contextmanager

import adbc_driver_manager
import pyarrow as pa
import pymysql.err
import sqlalchemy.exc

from bouquet.core.errors import BouquetError
from bouquet.core.language import CONSTANT, tr
from bouquet.database_urls import is_full

__all__ = [
    "NoSource",
    "SourceCancelled",
    "SourceChanged",
    "SourceDown",
    "SourceError",
    "SourceFull",
    "SourceRefused",
    "SourceStopped",
    "SourceTimeout",
    "renamed_errors",
]


class SourceError(BouquetError):
    """
    The source could not answer.
    """

    code = "source"
    said = "The source could not answer."


class NoSource(SourceError):
    """
    There is no such source here.
    """

    code = "no_source"
    said = "There is no such source here."


class SourceDown(SourceError):
    """
    The source cannot be reached just now. Nothing of yours is lost; try again when it is back.
    """

    code = "source_down"
    said = "The source cannot be reached just now. Nothing of yours is lost; try again when it is back."


class SourceFull(SourceDown):
    """
    The source has no connection left for us just now. Its administrator decides how many there are; try again soon.
    """

    code = "source_full"
    said = (
        "The source has no connection left for us just now. Its administrator decides how many there are; "
        "try again soon."
    )


class SourceTimeout(SourceError):
    """
    The source took too long for a look. A run in the background has all the time it needs.
    """

    code = "source_timeout"
    said = "The source took too long for a look. A run in the background has all the time it needs."


class SourceCancelled(SourceError):
    """
    The query was stopped.
    """

    code = "source_cancelled"
    said = "The query was stopped."


class SourceStopped(SourceError):
    """
    The query was stopped in the source: by somebody there, or as it took longer than is allowed there.
    """

    code = "source_stopped"
    said = "The query was stopped in the source: by somebody there, or as it took longer than is allowed there."


class SourceChanged(SourceError):
    """
    A table or field of the source is no longer what it was. It is read again; look once more to see what is missing.
    """

    code = "source_changed"
    said = (
        "A table or field of the source is no longer what it was. It is read again; look once more "
        "to see what is missing."
    )


class SourceRefused(SourceError):
    """
    Bouquet's role may not read this in the source. An administrator of that database can grant it.
    """

    code = "source_refused"
    said = "Bouquet's role may not read this in the source. An administrator of that database can grant it."


#: What drivers say of a source that is away; of SQLite: the file went, is none of its own, or is written to for long.
_AWAY = (
    "connection",
    "server closed",
    "could not connect",
    "terminating",
    "no connection",
    "starting up",
    "unable to open database",
    "not a database",
    "database is locked",
)


def _error_for(state: str, message: str) -> type[SourceError]:
    """
    Where a server tells the kind of its error (`state`, https://www.postgresql.org/docs/current/errcodes-appendix.html),
    that counts: its words may hold a value of somebody's record, such as “no connection”.
    """
    if state in _STATES:
        return SourceTimeout if "statement timeout" in message else _STATES[state]
    if state[:2] in ("08", "28", "3D", "53", "57"):
        return SourceFull if is_full(message) else SourceDown
    if state:
        return SourceError
    # A connection that was never made says why as a query would: no such database, no such role, a wrong password.
    if is_full(message):
        return SourceFull
    if "connection to server" in message or "connection failed" in message or "conflict with recovery" in message:
        return SourceDown
    if "statement timeout" in message:
        return SourceTimeout
    if "canceling statement" in message:
        return SourceCancelled
    if "does not exist" in message or "no such column" in message:
        return SourceChanged
    return SourceDown if any(d in message.lower() for d in _AWAY) else SourceError


_STATES: dict[str, type[SourceError]] = {
    # A copy of a database stops what keeps it from following, a server who keeps a transaction open for long: it may
    # go well the next time.
    **dict.fromkeys(("40001", "40P01", "25P03"), SourceDown),
    **dict.fromkeys(("57014", "55P03"), SourceCancelled),
    "42501": SourceRefused,
    **dict.fromkeys(("3F000", "42703", "42704", "42883", "42P01"), SourceChanged),
}
_STATE = re.compile(r"SQLSTATE: ([0-9A-Z]{5})\b")


#: Error numbers of MariaDB and MySQL (https://mariadb.com/kb/en/mariadb-error-code-reference/).
_MYSQL: dict[int, type[SourceError]] = {
    # Who may not come in, or is sent away; 2000 and following are the client's own, of a server that is away.
    **dict.fromkeys((1044, 1045, 1049, 1053, 1129, 1130, 1698, 1820, 1862, 3118, 4151), SourceDown),
    **dict.fromkeys((1152, *range(1158, 1162), 1184, 1927, 4031, *range(2000, 2100)), SourceDown),
    **dict.fromkeys((1040, 1203, 1226), SourceFull),
    **dict.fromkeys((1142, 1143, 1227, 1370), SourceRefused),
    **dict.fromkeys((1051, 1054, 1146, 1356), SourceChanged),
    **dict.fromkeys((1969, 3024), SourceTimeout),
    1317: SourceCancelled,
}


#: Those that quote a value: one that is too large, no date, no number, cut, or not in the column's set of characters.
_OF_VALUES = frozenset((1258, 1264, 1265, 1292, 1365, 1366, 1367, 1406, 1411, 1441, 1525, 1690, 3140, 3141, 4037, 4038))


CONSTANT.update(
    kind.said
    for kind in (
        SourceError,
        NoSource,
        SourceDown,
        SourceFull,
        SourceTimeout,
        SourceCancelled,
        SourceStopped,
        SourceChanged,
        SourceRefused,
    )
)


#: What stands between quotation marks in a message.
_QUOTED = re.compile(r'"[^\n]*"|\'[^\n]*\'')


def _own_words(cause: BaseException | None, *, names: bool) -> str:
    """
    What the database itself says, without what its driver says around it. What it quotes stays only where that are
    `names`: of what cannot be read, it is a value of somebody's record.
    """
    words = str(cause.args[-1]) if isinstance(cause, pymysql.err.MySQLError) and cause.args else str(cause)
    words = (words.partition("ERROR:")[2].strip() or words).partition("\n")[0]
    return words if names else _QUOTED.sub("…", words)


@contextmanager
def renamed_errors(title: str, *, asked: Callable[[], bool] = lambda: True, bounded: bool = False) -> Iterator[None]:
    """
    Re-raise a driver's errors as ours, with the cause kept.

    Args:
        title: The source's.
        asked: Whether we stopped what was stopped; the source's own people can, too.
        bounded: Whether it may take only so long: a source of another language does not say that as we know it.
    """
    try:
        yield
    except (adbc_driver_manager.Error, sqlalchemy.exc.DBAPIError, pa.ArrowException, OSError) as error:
        # Once rows are flowing, the driver's errors come through Arrow as OSError, with their code in words only.
        cause = error.orig if isinstance(error, sqlalchemy.exc.DBAPIError) else error
        state = getattr(cause, "sqlstate", None) or "".join(_STATE.findall(str(error))[-1:])
        number = cause.args[0] if isinstance(cause, pymysql.err.MySQLError) and cause.args else None
        if isinstance(number, int) and number > 0:
            kind = _MYSQL.get(number, SourceError)
        else:
            kind = _error_for(str(state), str(error))
        if kind is SourceCancelled and not asked():
            kind = SourceTimeout if bounded else SourceStopped
        said = tr(kind.said)
        held = str(state).startswith("22") or number in _OF_VALUES
        detail = _own_words(cause, names=not held) if kind is SourceError else ""
        raise kind(f"{title}: {said} {detail}".strip()) from error
