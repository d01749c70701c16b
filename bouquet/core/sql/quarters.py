"""
The numbers a quarter and three quarters of the way up, by nearest rank.
"""

from __future__ import annotations

from typing import Any

import sqlalchemy as sa

__all__ = ["quarters_of"]

Element = sa.ColumnElement[Any]


def quarters_of(each: sa.FromClause) -> sa.Select[Any]:
    """
    Of the numbers `v` of some rows, in the order of `o`: the first `at0`, those a quarter and three quarters of the way
    up, `at1` and `at3`, and the last, `at4`.
    """
    place = sa.func.row_number().over(order_by=each.c.o).label("place")
    numbered = sa.select(each.c.v, place, sa.func.count().over().label("n")).where(each.c.v.is_not(None))
    ranked = numbered.subquery("ranked")
    wanted = {
        "at0": ranked.c.place == _number(1),
        "at4": ranked.c.place == ranked.c.n,
        **{
            f"at{at}": sa.and_(
                ranked.c.place * _number(4) >= ranked.c.n * _number(at),
                (ranked.c.place - _number(1)) * _number(4) < ranked.c.n * _number(at),
            )
            for at in (1, 3)
        },
    }
    # One row meets each condition; which aggregate takes it does not matter.
    made = [sa.func.max(sa.case((here, ranked.c.v))).label(name) for name, here in wanted.items()]
    return sa.select(*made).select_from(ranked)


def _number(value: int) -> Element:
    return sa.literal_column(str(int(value)), sa.BigInteger)
