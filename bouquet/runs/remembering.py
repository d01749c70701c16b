"""
Only what is new: what earlier files of a template leave of its records, before a run and while it is designed.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import closing
from dataclasses import dataclass, replace
from typing import cast
from uuid import UUID

import polars as pl
from sqlalchemy.orm import Session

from bouquet.core.language import tr, whole
from bouquet.core.memory import SeenRecords, key_digest, seen_records
from bouquet.core.plan import NotSent, Plan, resolve
from bouquet.core.shaping import to_frame
from bouquet.core.sql import Statements
from bouquet.core.template import Only, Template
from bouquet.runs.errors import RunFailed
from bouquet.runs.services import Services
from bouquet.runs.split_writer import prefetched
from bouquet.sources import Snapshot
from bouquet.store import memory as memories
from bouquet.store import runs as ledger
from bouquet.store.memory import Memory, New
from bouquet.store.models import Round, Run
from bouquet.store.whereabouts import keys_sent

__all__ = [
    "Left",
    "as_only",
    "first_new_keys",
    "hold_in_run",
    "left_of",
    "most_new",
    "narrowed_plan",
    "readers_of",
    "repeated",
    "tells_gone",
    "wants_memory",
]

#: Keys that a statement can name; of keys of several fields, fewer.
MOST, MOST_COMPOSITE = 500_000, 20_000


@dataclass(frozen=True)
class Left:
    """
    What earlier files leave: the narrowing, None where all is new, and how many records are new and known. `gone`: the
    keys of records that were sent and are no longer there, where the template tells of them; and `unnamed`, how many
    more there are. `readers`: for which recipients it is so (0: where files go otherwise), and `only`, what they want.
    """

    not_sent: NotSent | None
    new: int
    known: int
    gone: tuple[tuple[str, ...], ...] = ()
    unnamed: int = 0
    readers: tuple[int, ...] = (0,)
    only: Only = "new"


def wants_memory(template: Template) -> bool:
    """
    Whether a template wants only what is new.
    """
    return template.only != "everything"


def as_only(template: Template, only: Only) -> Template:
    """
    A template that wants everything, or only what is new, for those who take it so.
    """
    return template if template.only == only else template.model_copy(update={"only": only})


def readers_of(session: Session, round_: Round | None, template: Template) -> dict[int, Only]:
    """
    What each reader of a run wants: its recipients, by number, and 0 for where its files go otherwise: by hand, into a
    folder, by mail, or to each their own part.
    """
    if round_ is None:
        return {0: template.only}
    named: dict[int, Only] = {}
    if round_.own_part is None:
        entries = [e for e in round_.recipients if e.recipient.deleted_at is None]
        named = {e.recipient_id: cast(Only, e.only or template.only) for e in entries}
    otherwise: dict[int, Only] = {0: template.only}
    return {**otherwise, **named} if round_.folder or round_.mail_to or not named else named


def left_of(services: Services, snapshot: Snapshot, template: Template, plan: Plan, memory: Memory) -> Left:
    """
    What earlier files leave of the records that a plan without memory has; nothing is kept of it.
    """
    with services.store.session() as session:
        return _judged(session, snapshot, plan, memory, {memory.recipient_id: template.only})[0]


def most_new(
    services: Services, snapshot: Snapshot, plan: Plan, memory: Memory, readers: Mapping[int, Only]
) -> Left | None:
    """
    What there is to start a round's run for: of its readers who want only what is new, what is left for those for whom
    most is. What could not be delivered starts nothing, and goes out with the next run. None where nobody wants that.
    """
    wanted = {reader: only for reader, only in readers.items() if only != "everything"}
    if not wanted:
        return None
    with services.store.session() as session:
        found = _judged(session, snapshot, plan, memory, wanted, starting=True)
    return max(found, key=lambda left: left.new)


def hold_in_run(
    services: Services, snapshot: Snapshot, template: Template, plan: Plan, run: Run, readers: Mapping[int, Only]
) -> list[Left]:
    """
    The same for a run and each of its readers, which holds the new ones from now on: they are remembered once they are
    delivered. Readers for whom the same is left stand together; those who want everything are not among them.
    """
    assert run.template_id is not None
    memory = Memory(run.template_id, run.round_id or 0)
    wanted = {reader: only for reader, only in readers.items() if only != "everything"}
    with services.store.session() as session:
        found = _judged(session, snapshot, plan, memory, wanted, run.id, gone=tells_gone(template, run))
        first: dict[int, list[UUID]] = {}
        if plan.at_most is not None:
            # What the limit cuts off is not sent, and is new the next time.
            for left in found:
                own = as_only(template, left.only)
                keys = _first_keys(snapshot, narrowed_plan(own, plan, left))
                first |= dict.fromkeys(left.readers, keys)
        memories.put_pending(session, run.id, run.attempt, first)
    return found


def tells_gone(template: Template, run: Run) -> bool:
    """
    Whether a run tells of what is gone. Where it looks at a part of the records only (what its person may see, what
    was answered or chosen this once), what is not in that part is not gone.
    """
    whole = run.scope is None and not template.asks and run.via != ledger.ONCE and run.repeats is None
    return whole and "gone" in template.output.companions


def repeated(services: Services, snapshot: Snapshot, template: Template, plan: Plan, of_run: int) -> Left:
    """
    The records that an earlier run sent, for a run that sends them once more; for the memory nothing changes. Raises
    RunFailed where it is not known which these were.
    """
    start = plan.record_type
    with services.store.session() as session:
        sent = keys_sent(session, of_run, start.made_of or start.name)
        empty = ledger.get_run(session, of_run).rows_written == 0
    if sent is None and not empty:
        raise RunFailed(tr("Which records that run sent was not kept. Forget them in the memory to send them again."))
    rows = _seen(snapshot, plan, cells=False)
    wanted = {digest.hex() for digest in sent or ()}
    keys = {t for part in rows for t, k in zip(part.texts, part.keys, strict=True) if k[:16] in wanted}
    most = MOST if len(plan.key) == 1 else MOST_COMPOSITE
    if len(keys) > most:
        raise RunFailed(
            tr(
                "That run sent {keys} records; {most} can be sent once more.",
                keys=whole(len(keys)),
                most=whole(most),
            )
        )
    return Left(NotSent(tuple(sorted(keys)), but=False), len(keys), 0)


def _judged(
    session: Session,
    snapshot: Snapshot,
    plan: Plan,
    memory: Memory,
    readers: Mapping[int, Only],
    run_id: int | None = None,
    *,
    gone: bool = False,
    starting: bool = False,
) -> list[Left]:
    changed = {reader: only == "new_or_changed" for reader, only in readers.items()}
    most = MOST if len(plan.key) == 1 else MOST_COMPOSITE
    # While the store judges some records, the next ones are read and their digests made.
    with closing(prefetched(_seen(snapshot, plan, cells=any(changed.values())))) as rows:
        found = memories.what_is_new(
            session, memory, changed, rows, most=most, run_id=run_id, gone=gone, starting=starting
        )
    return [left for one in found for left in _lefts(one, readers, most)]


def _lefts(found: New, readers: Mapping[int, Only], most: int) -> Iterator[Left]:
    """
    What is left, by what its readers want.
    """
    if found.keys is not None and not found.keys and found.new and found.known > most:
        message = tr(
            "{new} records are new and {known} were sent before; a run tells {most} of them apart.",
            new=whole(found.new),
            known=whole(found.known),
            most=whole(most),
        )
        raise RunFailed(tr("{message} Narrow the template, or let it send everything once.", message=message))
    not_sent = NotSent(found.keys, found.but) if found.keys is not None else None
    for only in dict.fromkeys(readers[r] for r in found.readers):
        same = tuple(r for r in found.readers if readers[r] == only)
        yield Left(not_sent, found.new, found.known, found.gone, found.unnamed, same, only)


def _seen(snapshot: Snapshot, plan: Plan, *, cells: bool) -> Iterator[SeenRecords]:
    whole = replace(plan, at_most=None)
    statement = Statements(whole).sent(cells=cells)
    frames = (to_frame(b).cast(pl.String) for b in snapshot.batches(statement))
    return seen_records(frames, len(plan.key), cells=cells)


def narrowed_plan(template: Template, plan: Plan, left: Left) -> Plan:
    """
    The plan with what earlier files leave.
    """
    return resolve(template, plan.catalogue, replace(plan.context, not_sent=left.not_sent)).require()


def first_new_keys(
    snapshot: Snapshot, template: Template, plan: Plan, left: Left, at_most: int
) -> list[tuple[str, ...]]:
    """
    The keys of the first records that are new, as texts.
    """
    new = replace(narrowed_plan(template, plan, left), at_most=at_most)
    return _keys_of_rows(snapshot, new)


def _first_keys(snapshot: Snapshot, plan: Plan) -> list[UUID]:
    """
    The digests of the records whose rows come before the limit.
    """
    return [key_digest(key) for key in _keys_of_rows(snapshot, plan)]


def _keys_of_rows(snapshot: Snapshot, plan: Plan) -> list[tuple[str, ...]]:
    statement = Statements(plan).rows(keys=True)
    names = [f"k{n}" for n in range(len(plan.key))]
    found: dict[tuple[str, ...], None] = {}
    for batch in snapshot.batches(statement):
        frame = to_frame(batch).select(pl.col(names).cast(pl.String).fill_null(""))
        found |= dict.fromkeys(frame.iter_rows())
    return list(found)
