"""
Sessions of MariaDB and MySQL: read only, in UTC, on one consistent snapshot.
"""

from __future__ import annotations

import contextlib
import socket
import ssl
from collections.abc import Sequence
from datetime import date, datetime, timedelta
from functools import cache
from typing import Any

import sqlalchemy as sa

from bouquet.core.language import listed, tr
from bouquet.core.sql.quoting import quote_all
from bouquet.core.windows import MOST_FILLED
from bouquet.sources.errors import SourceError

__all__ = ["cancel_query", "dialect_of", "engine_url", "open_engine", "prepare", "set_timeout"]

#: Bytes that values joined in one cell may come to.
LONGEST_JOINED = 1_073_741_824

#: Steps of time, one after the other, of a statement at most: all that may be filled, and the one that tells of more.
MOST_STEPS = MOST_FILLED + 10

#: Seconds that a session may be idle, and that its rows may wait to be read, while a file is written: not the few that
#: some houses allow, and not the hours after which the server would notice that our machine vanished.
IDLE, UNREAD = 3_600, 600

#: How a session is set, whatever the house prefers: how statements are read and tables described, how many rows it may
#: give and look at, and how long it may take.
SESSION = {
    "sql_mode": "'PIPES_AS_CONCAT,NO_BACKSLASH_ESCAPES'",
    "time_zone": "'+00:00'",
    "lc_time_names": "'en_US'",
    "group_concat_max_len": LONGEST_JOINED,
    "sql_quote_show_create": 1,
    "sql_select_limit": 18_446_744_073_709_551_615,
    "sql_big_selects": 1,
    "sql_safe_updates": 0,
    "max_sort_length": "GREATEST(@@max_sort_length, 1024)",
    "wait_timeout": IDLE,
    "net_write_timeout": UNREAD,
}
SESSION_OF_MARIADB = {
    "max_statement_time": 0,
    "max_recursive_iterations": MOST_STEPS,
    "idle_transaction_timeout": IDLE,
    "idle_readonly_transaction_timeout": IDLE,
    # What is gathered for all records would be gathered anew for each of them, and with it all that lies further in.
    "optimizer_switch": "'split_materialized=off'",
}
SESSION_OF_MYSQL = {"max_execution_time": 0, "cte_max_recursion_depth": MOST_STEPS}

#: What an address may say besides the place.
OPTIONS = frozenset({
    "charset", "connect_timeout", "read_timeout", "write_timeout", "unix_socket",
    "ssl_ca", "ssl_capath", "ssl_cert", "ssl_key", "ssl_cipher", "ssl_check_hostname",
})  # fmt: skip

#: The error that a table, or a statement about it, is not for this person (ER_TABLEACCESS_DENIED_ERROR).
DENIED = 1142


def engine_url(url: str) -> sa.URL:
    """
    The address as SQLAlchemy takes it, with the driver that we bring.
    """
    made = sa.make_url(url)
    return made.set(drivername=f"{made.get_backend_name()}+pymysql").update_query_dict({"charset": "utf8mb4"})


def open_engine(url: str) -> sa.Engine:
    """
    An engine for the database at this address. Each connection is made when it is asked for, and is encrypted where the
    server can; an address that says more of encryption (`ssl_ca`…) has what it says. Raises SourceError for options
    that an address here does not have.
    """
    # Most houses have no such source, and need no driver of theirs.
    from pymysql.connections import Connection

    class Session(Connection):
        def _create_ssl_ctx(self, said: Any) -> Any:
            # The driver reads all authorities of the machine for every connection (35 ms), also where it asks no
            # certificate of the server.
            return super()._create_ssl_ctx(said) if said else _unasked()  # type: ignore[misc]

    def connected(_: Any, __: Any, arguments: Sequence[Any], named: dict[str, Any]) -> Session:
        # The driver would write a password in Latin-1; servers know it as their own programs wrote it.
        return Session(*arguments, **{**named, "password": str(named.get("password") or "").encode()})

    engine = _engine_of(engine_url(url))
    sa.event.listen(engine, "do_connect", connected)
    return engine


def _engine_of(url: sa.URL) -> sa.Engine:
    """
    The driver has options that read files of this machine, also for a server that asks for them; and it takes the word
    “false” for yes.
    """
    wrong = set(url.query) - OPTIONS
    try:
        if not wrong:
            return sa.create_engine(url, poolclass=sa.NullPool, connect_args=_connect_arguments())
    except ValueError:
        wrong = set(url.query) - {"charset"}
    raise SourceError(
        tr(
            "This address says {wrong} in a way that is not understood. It may say {options}.",
            wrong=listed(sorted(wrong)),
            options=listed(sorted(OPTIONS)),
        )
    )


@cache
def _unasked() -> ssl.SSLContext:
    """
    Encryption towards a server that shows no certificate we know.
    """
    made = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    made.check_hostname, made.verify_mode = False, ssl.CERT_NONE
    return made


def _connect_arguments() -> dict[str, Any]:
    """
    What the driver is told. A zero date (`0000-00-00`) is how these databases write that there is none.
    """
    # Most houses have no such source, and need no driver of theirs.
    from pymysql import converters
    from pymysql.constants import FIELD_TYPE

    dates = {
        FIELD_TYPE.DATE: _no_zero(converters.convert_date, date),
        FIELD_TYPE.DATETIME: _no_zero(converters.convert_datetime, datetime),
        FIELD_TYPE.TIMESTAMP: _no_zero(converters.convert_datetime, datetime),
        FIELD_TYPE.TIME: _no_zero(converters.convert_timedelta, timedelta),
    }
    return {"connect_timeout": 5, "conv": {**converters.conversions, **dates}}


def _no_zero(convert: Any, kind: type) -> Any:
    def read(text: Any) -> Any:
        found = convert(text)
        return found if isinstance(found, kind) else None

    return read


def prepare(engine: sa.Engine) -> None:
    """
    Give every session of an engine its settings.
    """

    def settle(connection: Any, record: Any) -> None:
        _watch(connection._sock)
        with connection.cursor() as cursor:
            cursor.execute("SET SESSION " + ", ".join(f"{name} = {value}" for name, value in SESSION.items()))
            cursor.execute("SET SESSION TRANSACTION ISOLATION LEVEL REPEATABLE READ, READ ONLY")
            cursor.execute("SELECT VERSION()")
            mariadb = "MariaDB" in cursor.fetchone()[0]
            record.info["collation"] = "utf8mb4_nopad_bin" if mariadb else "utf8mb4_0900_bin"
            own = SESSION_OF_MARIADB if mariadb else SESSION_OF_MYSQL
            cursor.execute("SET SESSION " + ", ".join(f"{name} = {value}" for name, value in own.items()))

    def compare_exactly(connection: Any, record: Any) -> None:
        with connection.cursor() as cursor:
            cursor.execute(f"SET collation_connection = {record.info['collation']}")

    def begin(connection: sa.Connection) -> None:
        connection.exec_driver_sql("START TRANSACTION WITH CONSISTENT SNAPSHOT, READ ONLY")

    quote_all(engine.dialect)
    _describe_views(engine.dialect)
    # Before SQLAlchemy looks at the first session: how it quotes names hangs on the session's mode.
    sa.event.listen(engine, "connect", settle, insert=True)
    # After it named the letters that are spoken, which sets their usual collation.
    sa.event.listen(engine, "connect", compare_exactly)
    sa.event.listen(engine, "begin", begin)


def _describe_views(dialect: Any) -> None:
    """
    Have views described whose statement may not be seen: for that it takes a right (SHOW VIEW) which somebody who only
    reads need not have, and SQLAlchemy asks for it even where it goes by the view's columns afterwards.
    """
    show = dialect._show_create_table

    def shown(connection: sa.Connection, table: Any, charset: str | None = None, full_name: str | None = None) -> Any:
        try:
            return show(connection, table, charset, full_name=full_name)
        except sa.exc.DBAPIError as error:
            if dialect._extract_error_code(error.orig) != DENIED:
                raise
            return f"CREATE VIEW {full_name}"

    dialect._show_create_table = shown


def _watch(connection: socket.socket) -> None:
    """
    Have a connection end whose other side is not there any more; see `bouquet.database_urls`.
    """
    for option, value in (
        (socket.TCP_KEEPIDLE, 30),
        (socket.TCP_KEEPINTVL, 10),
        (socket.TCP_KEEPCNT, 3),
        (socket.TCP_USER_TIMEOUT, 60_000),
    ):
        with contextlib.suppress(OSError):
            connection.setsockopt(socket.IPPROTO_TCP, option, value)
    with contextlib.suppress(OSError):
        connection.setsockopt(socket.SOL_SOCKET, socket.SO_KEEPALIVE, 1)


def dialect_of(connection: sa.Connection) -> str:
    """
    The name of what answers, whatever the address calls it.
    """
    name = connection.dialect.name
    if name in ("mysql", "mariadb"):
        return "mariadb" if getattr(connection.dialect, "is_mariadb", False) else "mysql"
    return name


def set_timeout(connection: sa.Connection, milliseconds: int) -> None:
    """
    Bound every statement of a session.
    """
    if dialect_of(connection) == "mariadb":
        connection.exec_driver_sql(f"SET SESSION max_statement_time = {milliseconds / 1000}")
    else:
        connection.exec_driver_sql(f"SET SESSION max_execution_time = {milliseconds}")


def cancel_query(engine: sa.Engine, thread: int) -> None:
    """
    Stop what another session of ours runs just now.
    """
    with engine.connect() as connection:
        connection.exec_driver_sql(f"KILL QUERY {int(thread)}")
