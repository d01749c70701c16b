"""
Addresses of PostgreSQL databases, with the encoding that we speak, and what notices that nobody is there any more.
"""

from __future__ import annotations

import sqlalchemy as sa

__all__ = ["watched_url"]

#: Parameters of libpq. The encoding that is spoken, whatever the database keeps its texts in. Seconds to wait for a
#: connection; of one that is silent, until the other side is asked whether it is there, between such questions, and how
#: many; and milliseconds that what was sent may stay unconfirmed. Without them a query over a cable that was cut waits
#: for two hours.
WATCH = {
    "client_encoding": "utf8",
    "connect_timeout": "10",
    "keepalives_idle": "30",
    "keepalives_interval": "10",
    "keepalives_count": "3",
    "tcp_user_timeout": "60000",
}


def watched_url(url: str) -> str:
    """
    The address, with these parameters where it says nothing else of them.
    """
    made = sa.make_url(url)
    missing = {name: value for name, value in WATCH.items() if name not in made.query}
    return made.update_query_dict(missing).render_as_string(hide_password=False)
