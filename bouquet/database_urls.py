"""
Addresses of PostgreSQL databases, with the encoding that we speak, and what notices that nobody is there any more.
"""

from __future__ import annotations

from typing import Any

import psycopg
import sqlalchemy as sa

__all__ = ["WATCHED_BY_SERVER", "watched_async", "watched_engine", "watched_sync", "watched_url"]

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


def watched_url(url: str) -> str:
    """
    The address, with these parameters where it says nothing else of them.
    """
    made = sa.make_url(url)
    missing = {name: value for name, value in WATCH.items() if name not in made.query}
    return made.update_query_dict(missing).render_as_string(hide_password=False)


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
    address = sa.make_url(watched_url(url)).set(drivername="postgresql+psycopg")
    engine = sa.create_engine(address, **options)
    sa.event.listen(engine, "connect", lambda _, record: watched_sync(record.driver_connection))
    return engine
