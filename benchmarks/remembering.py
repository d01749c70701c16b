"""
Only what is new: what five million remembered records add to a run, in time and memory.
"""

from __future__ import annotations

import statistics
from collections.abc import Callable
from typing import Any

import psycopg
import sqlalchemy as sa

from benchmarks.database import BenchDatabase, measure_apart, wide_document
from benchmarks.runs import services_on
from bouquet.runs import Services, ask_for_run, execute
from bouquet.store import templates as shelf
from bouquet.store.models import Person

__all__ = ["remembering"]

#: Records remembered, rows that a run reads, and those of them that are new.
KNOWN, ROWS, NEW = 5_000_000, 100_000, 1_000


def remembering(database: BenchDatabase, say: Callable[..., None], known: int = KNOWN, times: int = 5) -> None:
    """
    A run of so many rows, of which few are new, beside the same run of a template that sends everything.
    """
    document = _document(database.url)
    with services_on(database) as services:
        everything = _template(services, {**document, "name": "Everything"})
        for only in ("new", "new_or_changed"):
            template = _template(services, {**document, "name": only, "only": only})
            execute(services, _asked(services, template))
            _fill(services, template, known)
            ratios, seconds, megabytes = [], [], []
            for _ in range(times):
                plain = measure_apart("run_remembering", database.url, services.store.url, _asked(services, everything))
                _forget(services, template)
                held = measure_apart("run_remembering", database.url, services.store.url, _asked(services, template))
                ratios.append(held.seconds / plain.seconds)
                seconds.append(held.seconds)
                megabytes.append(held.megabytes)
            what = f"{ROWS:,} rows, {NEW:,} of them {only.replace('_', ' ')}; {known:,} remembered"
            said = f"{statistics.median(ratios):.2f} × the run without memory"
            say(what, f"{statistics.median(seconds):.1f} s", f"{max(megabytes):.0f} MB", said, "1.5 ×, 250 MB")


def _document(url: str) -> dict[str, Any]:
    """
    The wide template, narrowed to about so many rows by a number.
    """
    with psycopg.connect(url) as connection:
        found = connection.execute("SELECT t_lat FROM tree ORDER BY t_lat OFFSET %s LIMIT 1", (ROWS,)).fetchone()
    assert found is not None
    document = {
        **wide_document(ROWS),
        "filter": {"all": [{"path": "latitude", "is": "less_than", "value": str(found[0])}]},
    }
    del document["at_most"]
    return document


def _template(services: Services, document: dict[str, Any]) -> int:
    with services.store.session() as session:
        person = session.scalars(sa.select(Person)).first()
        assert person is not None
        return shelf.add_template(session, document, "", person, services.clock()).id


def _asked(services: Services, template_id: int) -> int:
    with services.store.session() as session:
        document = shelf.get_template(session, template_id).draft
        person = session.scalars(sa.select(Person)).first()
    asked = ask_for_run(services, document, person=person, via="hand", template_id=template_id, purpose="bench")
    return asked.id


def _fill(services: Services, template_id: int, known: int) -> None:
    """
    Have a template remember so many records in all.
    """
    others = (
        "INSERT INTO remembered (template_id, round_id, key, row, sent_at)"
        " SELECT :template, 0, gen_random_uuid(), 0, now() FROM generate_series(1, :others)"
    )
    with services.store.session() as session:
        session.execute(sa.text(others), {"template": template_id, "others": known - ROWS})
    with services.store.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        connection.execute(sa.text("VACUUM ANALYZE remembered"))


def _forget(services: Services, template_id: int) -> None:
    """
    Have some of the records be new.
    """
    some = "SELECT key FROM remembered WHERE template_id = :template AND run_id IS NOT NULL ORDER BY key LIMIT :new"
    statement = f"DELETE FROM remembered WHERE template_id = :template AND key IN ({some})"
    with services.store.session() as session:
        session.execute(sa.text(statement), {"template": template_id, "new": NEW})
