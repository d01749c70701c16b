"""
Addresses of databases and connections to them: the encoding that we speak, what notices that nobody is there any more,
and patience with a server that has no connection left.
"""

from __future__ import annotations

import re
import time
from collections.abc import Callable
from functools import partial
from typing import Any, TypeVar
from urllib.parse import quote

import psycopg
import sqlalchemy as sa

__all__ = [
    "WATCHED_BY_SERVER",
    "backend_of",
    "connected",
    "is_full",
    "parsed_url",
    "watched_async",
    "watched_engine",
    "watched_sync",
    "watched_url",
    "with_option",
]

Made = TypeVar("Made")

#: Seconds of a silent connection until the other side is asked whether it is there, seconds between such questions, and
#: how many; and milliseconds that what was sent may stay unconfirmed.
IDLE, BETWEEN, QUESTIONS, UNCONFIRMED = 30, 10, 3, 60_000

#: Parameters of libpq. The encoding that is spoken, whatever the database keeps its texts in; and what notices, on our
#: side, that the database is not there any more. Without it a query over a cable that was cut waits for two hours.
WATCH = {
    "client_encoding": "utf8",
    "connect_timeout": "10",
    "keepalives_idle": str(IDLE),
    "keepalives_interval": str(BETWEEN),
    "keepalives_count": str(QUESTIONS),
    "tcp_user_timeout": str(UNCONFIRMED),
}

#: A query by which a session has the server notice that we are not there any more: what a machine held that vanished
#: (a lock, a snapshot that keeps old rows, one of the connections there are) is free after a minute, and not after two
#: hours. A query, and no parameters of the address: poolers of connections refuse those, and other servers that speak
#: PostgreSQL's protocol do not have them all.
WATCHED_BY_SERVER = f"""
SELECT set_config(name, CASE name WHEN 'tcp_keepalives_idle' THEN '{IDLE}'
                                  WHEN 'tcp_keepalives_interval' THEN '{BETWEEN}'
                                  WHEN 'tcp_keepalives_count' THEN '{QUESTIONS}' ELSE '{UNCONFIRMED}' END, false)
FROM pg_settings
WHERE name IN ('tcp_keepalives_idle', 'tcp_keepalives_interval', 'tcp_keepalives_count', 'tcp_user_timeout')
"""


#: The names that PostgreSQL goes by in addresses, with or without a driver's; and several machines in one.
_POSTGRESQL = re.compile(r"^postgres(?:ql)?(?:\+\w+)?://")
_SEVERAL = re.compile(r"^(postgresql://(?:[^@/?]*@)?)([^/?@]*,[^/?@]*)(?=[/?]|$)(.*)$", re.DOTALL)


def parsed_url(url: str) -> sa.URL:
    """
    The parts of an address, whatever name PostgreSQL goes by in it. Where it names several machines, as PostgreSQL's
    own library takes them, they are one host without a port: `a:5432,b:5433`.

    Raises `sqlalchemy.exc.ArgumentError` and ValueError for what is no address.
    """
    plain = _POSTGRESQL.sub("postgresql://", url)
    several = _SEVERAL.match(plain) if plain.startswith("postgresql:") else None
    if several is None:
        return sa.make_url(plain)
    return sa.make_url(f"{several[1]}several{several[3]}").set(host=several[2])


def backend_of(url: str) -> str:
    """
    What kind of database an address leads to, such as `postgresql`.
    """
    return parsed_url(url).get_backend_name()


def watched_url(url: str) -> str:
    """
    An address of PostgreSQL with the parameters of `WATCH` where it says nothing else of them. All that it says itself
    stays letter for letter, as the database's own library reads it.
    """
    plain = _POSTGRESQL.sub("postgresql://", url)
    _, asked, query = plain.partition("?")
    known = {part.partition("=")[0] for part in query.split("&")}
    missing = "&".join(f"{name}={quote(value)}" for name, value in WATCH.items() if name not in known)
    return f"{plain}{'&' if query else '' if asked else '?'}{missing}" if missing else plain


#: What servers say when they have no connection left, for anybody or for us: PostgreSQL (53300) and MariaDB (1040,
#: 1203, 1226).
FULL = (
    "too many connections",
    "too many clients",
    "connection slots are reserved",
    "max_user_connections",
)


def is_full(said: object) -> bool:
    """
    Whether an error says that a server has no connection left.
    """
    text = str(said).lower()
    return any(words in text for words in FULL)


def connected(connect: Callable[[], Made], seconds: float = 5.0) -> Made:
    """
    A connection, also where a server has none left just now: it is asked again for some seconds, as others come back.
    """
    end, pause = time.monotonic() + seconds, 0.05
    while True:
        try:
            return connect()
        except Exception as error:
            if not is_full(error) or time.monotonic() > end:
                raise
        time.sleep(pause)
        pause = min(pause * 1.5, 0.5)


def with_option(url: str, option: str) -> str:
    """
    An address of PostgreSQL with one more option of the server's for its sessions, such as `--geqo=off`, after those
    that it has.
    """
    base, _, query = url.partition("?")
    parts = query.split("&") if query else []
    found = next((n for n, part in enumerate(parts) if part.startswith("options=")), None)
    if found is None:
        parts.append(f"options={quote(option)}")
    else:
        parts[found] += quote(f" {option}")
    return f"{base}?{'&'.join(parts)}"


def watched_sync(connection: psycopg.Connection[Any]) -> None:
    """
    Have the server notice when this machine is not there any more.
    """
    connection.execute(WATCHED_BY_SERVER)
    connection.commit()


async def watched_async(connection: psycopg.AsyncConnection[Any]) -> None:
    """
    The same, for a connection that is waited for.
    """
    await connection.execute(WATCHED_BY_SERVER)
    await connection.commit()


def watched_engine(url: str, **options: Any) -> sa.Engine:
    """
    An engine for a PostgreSQL database, both sides of whose connections notice when the other one is gone.
    """
    address = watched_url(url)
    # The database's own library reads the address: there is more to it than SQLAlchemy knows.
    connect = partial(connected, lambda: psycopg.connect(address))
    engine = sa.create_engine("postgresql+psycopg://", creator=connect, **options)
    sa.event.listen(engine, "connect", lambda _, record: watched_sync(record.driver_connection))
    return engine
