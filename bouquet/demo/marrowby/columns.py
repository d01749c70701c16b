"""
Whole columns of made-up values: picked, blanked, replaced here and there, exact decimals.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import polars as pl

__all__ = ["Deck", "blanked", "decimals", "earlier", "nulls", "pick", "replaced", "scaled", "some"]


class Deck:
    """
    Deals record positions without repeating any, so that oddities do not fall on each other.
    """

    def __init__(self, rng: np.random.Generator, n: int) -> None:
        self.order, self.at, self.n = rng.permutation(n), 0, n

    def mask(self, count: int) -> np.ndarray[Any, Any]:
        chosen = np.zeros(self.n, dtype=bool)
        chosen[self.order[self.at : self.at + count]] = True
        self.at += count
        return chosen

    def take(self, count: int) -> pl.Series:
        return pl.Series(self.mask(count))


def pick(rng: np.random.Generator, options: Any, n: int, p: Any = None) -> pl.Series:
    at = rng.integers(0, len(options), n) if p is None else rng.choice(len(options), n, p=np.array(p) / sum(p))
    return pl.Series(list(options)).gather(at)


def some(rng: np.random.Generator, n: int, count: int) -> np.ndarray[Any, Any]:
    return Deck(rng, n).mask(count)


def nulls(n: int) -> pl.Series:
    return pl.Series([None] * n, dtype=pl.String)


def blanked(values: pl.Series, where: Any) -> pl.Series:
    frame = pl.DataFrame({"v": values, "w": pl.Series(where)})
    return frame.select(pl.when(~pl.col("w")).then(pl.col("v")))["v"]


def replaced(values: pl.Series, where: pl.Series, others: pl.Series) -> pl.Series:
    return values.zip_with(~where, others)


def decimals(values: np.ndarray[Any, Any], digits: int) -> pl.Series:
    return scaled(np.round(values * 10**digits).astype(np.int64), digits)


def scaled(whole: np.ndarray[Any, Any], digits: int) -> pl.Series:
    """
    Whole numbers of the last digit as exact decimals in their text form.
    """
    text = pl.Series(np.abs(whole)).cast(pl.String).str.zfill(digits + 1)
    sign = pl.Series(np.where(whole < 0, "-", ""))
    return sign + text.str.head(-digits) + pl.Series(["."]) + text.str.tail(digits)


def earlier(moments: pl.Series, rng: np.random.Generator) -> pl.Series:
    back = pl.Series(rng.integers(0, 900, len(moments)) * 86_400_000_000).cast(pl.Duration("us"))
    return moments.dt.replace_time_zone(None) - back
