"""
Marrowby's records, made from a fixed seed, with a known number of each oddity.

Everything is made as whole columns and loaded through COPY. `until` is the last day on which anything happened;
all dates count back from it, so the counts in `docs/marrowby.md` hold for any day.
"""

from __future__ import annotations

import io
from collections.abc import Callable, Iterator
from datetime import date, datetime, time, timedelta
from fractions import Fraction
from functools import partial
from importlib.resources import files
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
import polars as pl
import psycopg

from bouquet.demo.marrowby import words
from bouquet.demo.marrowby.columns import Deck, blanked, decimals, earlier, nulls, pick, replaced, scaled, some
from bouquet.demo.marrowby.oddities import Oddities, Sizes
from bouquet.demo.marrowby.sketches import sketches

__all__ = ["fill_marrowby", "tables_of"]

SEED = 20_110_401
ZONE = ZoneInfo("Europe/London")

#: Rows of one COPY block, to keep memory flat at any scale.
BLOCK = 200_000


class _Maker:
    """
    Makes the columns of each table. One random stream per table, so that one table's change leaves the others.
    """

    def __init__(self, scale: int | Fraction, until: date) -> None:
        self.sizes, self.odd, self.until = Sizes(scale), Oddities(scale), until

    def stream(self, table: str) -> np.random.Generator:
        return np.random.default_rng([SEED, *table.encode()])

    # Columns

    def days_back(self, rng: np.random.Generator, n: int, longest: int, shortest: int = 0) -> pl.Series:
        """
        Dates up to `longest` days before the last day, denser towards it.
        """
        back = (shortest + (longest - shortest) * rng.random(n) ** 1.6).astype(np.int32)
        return pl.Series(np.int32((self.until - date(1970, 1, 1)).days) - back).cast(pl.Date)

    def moment(self, rng: np.random.Generator, days: pl.Series, first_hour: int = 7, last_hour: int = 18) -> pl.Series:
        """
        Moments within office hours of the given days, Europe/London, whole seconds.
        """
        seconds = rng.integers(first_hour * 3600, last_hour * 3600, len(days))
        local = days.cast(pl.Datetime("us")) + pl.Series(seconds * 1_000_000).cast(pl.Duration("us"))
        return local.dt.replace_time_zone(
            "Europe/London", ambiguous="earliest", non_existent="null"
        ).dt.convert_time_zone("UTC")

    # Small tables

    def lookups(self) -> dict[str, pl.DataFrame]:
        return {
            name: pl.DataFrame(rows, schema=["code", "label"], orient="row") for name, rows in words.LOOKUPS.items()
        }

    def ward(self) -> pl.DataFrame:
        rng, n = self.stream("ward"), len(words.WARDS)
        return pl.DataFrame({
            "w_id": range(1, n + 1), "w_code": [f"{k:02d}" for k in range(1, n + 1)], "w_name": words.WARDS,
            "w_pop": rng.integers(2_400, 14_000, n), "w_ha": decimals(rng.uniform(40, 900, n), 2),
        })  # fmt: skip

    def site(self) -> pl.DataFrame:
        rng, n = self.stream("site"), self.sizes.site
        names = pick(rng, words.PLACE_FIRST, n) + pl.Series([" "] * n) + pick(rng, words.PLACE_LAST, n)
        ward = pl.Series(rng.integers(1, 13, n))
        return pl.DataFrame({
            "s_id": range(1, n + 1), "s_code": [f"{(k * 37) % 1_000_000:06d}" for k in range(1, n + 1)],
            "s_name": names, "s_kind": pick(rng, ["P", "S", "E", "C"], n, [0.22, 0.55, 0.15, 0.08]),
            "ward_id": blanked(ward, some(rng, n, self.odd["sites_no_ward"])),
            "s_ha": decimals(rng.gamma(1.3, 1.8, n) + 0.01, 3), "s_open": self.days_back(rng, n, 30_000),
            "s_note": blanked(pick(rng, words.SITE_NOTES, n), rng.random(n) < 0.7),
        })  # fmt: skip

    def species(self) -> pl.DataFrame:
        rng, n = self.stream("species"), len(words.SPECIES)
        return pl.DataFrame({
            "sp_id": range(1, n + 1),
            "sp_code": [b[:2].upper() + b.split()[-1][:2].upper() + f"{k:02d}" for k, (b, _, _) in enumerate(words.SPECIES, 1)],
            "sp_bot": [b for b, _, _ in words.SPECIES], "sp_com": [c for _, c, _ in words.SPECIES],
            "sp_fam": [f for _, _, f in words.SPECIES], "sp_native": rng.random(n) < 0.5,
            "sp_max_m": decimals(rng.uniform(6, 36, n), 1),
        })  # fmt: skip

    def crew(self) -> pl.DataFrame:
        n = self.sizes.crew
        return pl.DataFrame({
            "c_id": range(1, n + 1), "c_code": [f"C{k:03d}" for k in range(1, n + 1)],
            "c_name": [f"{w} crew" for w in words.CREWS[:n]], "c_depot": [words.DEPOTS[k % 3] for k in range(n)],
        })  # fmt: skip

    def contractor(self) -> pl.DataFrame:
        rng, n = self.stream("contractor"), self.sizes.contractor
        names = words.contractor_names(n)
        return pl.DataFrame({
            "co_id": range(1, n + 1), "co_code": [f"{k * 17:04d}" for k in range(1, n + 1)], "co_name": names,
            "co_mail": [f"office@{m.lower().replace(' ', '-')}.example" for m in names],
            "co_acct": [f"00{a:06d}" for a in rng.integers(0, 1_000_000, n)], "co_active": rng.random(n) < 0.85,
        })  # fmt: skip

    def probe(self) -> pl.DataFrame:
        rng, n = self.stream("probe"), self.sizes.probe
        return pl.DataFrame({
            "p_id": range(1, n + 1), "p_code": [f"PR-{k}" for k in range(1, n + 1)],
            "s_id": rng.integers(1, self.sizes.site + 1, n), "p_depth": pick(rng, [15, 30, 60], n),
        })  # fmt: skip

    def sapling_stock(self) -> pl.DataFrame:
        rng, n = self.stream("stock"), self.sizes.sapling_stock
        return pl.DataFrame({
            "ss_id": range(1, n + 1), "sp_id": rng.integers(1, len(words.SPECIES) + 1, n),
            "ss_batch": [f"{k:08d}" for k in rng.integers(1, 10**8, n)], "ss_count": rng.integers(0, 400, n),
            "ss_cost": decimals(rng.uniform(1.2, 88, n), 2), "ss_in": self.days_back(rng, n, 700),
        })  # fmt: skip

    def planned_planting(self) -> pl.DataFrame:
        rng, n = self.stream("planting"), self.sizes.planned_planting
        months = [
            (self.until.replace(day=1) + timedelta(days=31 * int(k))).replace(day=1) for k in rng.integers(0, 6, n)
        ]
        return pl.DataFrame({
            "pp_id": range(1, n + 1), "s_id": rng.integers(1, self.sizes.site + 1, n),
            "sp_id": rng.integers(1, len(words.SPECIES) + 1, n), "pp_month": months,
            "pp_count": rng.integers(1, 25, n), "pp_done": rng.random(n) < 0.2,
        })  # fmt: skip

    # Large tables

    def tree(self) -> pl.DataFrame:
        rng, n, odd = self.stream("tree"), self.sizes.tree, self.odd
        ids = pl.Series(range(1, n + 1), dtype=pl.Int64)
        deck = Deck(rng, n)
        girth = decimals(np.clip(rng.gamma(3.0, 42.0, n), 10.5, 900), 1)
        girth = replaced(girth, deck.take(odd["girth_in_metres"]), decimals(rng.uniform(0.4, 3.9, n), 2))
        girth = blanked(girth, deck.mask(odd["trees_no_girth"]))
        site = pl.Series(rng.integers(1, self.sizes.site + 1, n))
        lost, none = deck.take(odd["trees_lost_site"]), deck.mask(odd["trees_no_site"])
        site = blanked(replaced(site, lost, pl.Series(np.full(n, 990_000) + rng.integers(0, 9_999, n))), none)
        status = pick(rng, ["S", "F", "R", "D"], n, [0.6446, 0.2354, 0.09, 0.03])
        status = replaced(status, deck.take(odd["unknown_status"]), pl.Series(["Q"] * n))
        planted = self.days_back(rng, n, 40_000)
        changed = self.moment(rng, self.days_back(rng, n, 5_400))
        note, used = blanked(pick(rng, words.TREE_NOTES, n), rng.random(n) < 0.82), Deck(rng, n)
        for name, make in words.ODD_NOTES.items():
            note = replaced(
                note,
                used.take(odd[name]),
                pl.Series(make, dtype=pl.String).sample(n, with_replacement=True, seed=7),
            )
        seal = replaced(nulls(n), deck.take(odd["trees_sealed"]), "00" + ids.cast(pl.String).str.zfill(6))
        return pl.DataFrame({
            "t_id": ids, "t_tag": "MB-" + ids.cast(pl.String).str.zfill(5),
            "sp_id": blanked(pl.Series(rng.zipf(1.35, n) % len(words.SPECIES) + 1), deck.mask(odd["trees_no_species"])),
            "s_id": site, "t_st": status, "t_girth": girth,
            "t_girth_old": blanked(pl.Series(rng.integers(20, 400, n)), rng.random(n) < 0.6),
            "t_height": blanked(decimals(rng.gamma(4, 2.6, n) + 0.5, 1), rng.random(n) < 0.12),
            "t_planted": blanked(planted, rng.random(n) < 0.35),
            "t_lat": blanked(decimals(rng.uniform(51.19, 51.26, n), 6), rng.random(n) < 0.29),
            "t_lon": blanked(decimals(rng.uniform(-1.09, -0.97, n), 6), rng.random(n) < 0.29),
            "t_reg": blanked(pl.Series(4_000_000_000_000_000 + 7 * np.arange(1, n + 1)).cast(pl.String), rng.random(n) < 0.05),
            "t_val": blanked(decimals(rng.gamma(1.4, 2_600, n), 2), rng.random(n) < 0.2),
            "t_note": note, "t_seal": seal, "extra": self._extra(rng, n),
            "t_created": earlier(changed, rng),
            "t_changed": changed,
            "deleted_at": blanked(changed, ~deck.mask(odd["trees_deleted"])),
        })  # fmt: skip

    @staticmethod
    def _extra(rng: np.random.Generator, n: int) -> pl.Series:
        kinds = [
            '{"bench": true}',
            '{"swing": "left", "plaque_no": 12}',
            '{"bird_box": 3}',
            '{"sponsor": "Quay Rowing Club"}',
        ]
        return blanked(pick(rng, kinds, n), rng.random(n) < 0.9)

    def tree_attr(self) -> pl.DataFrame:
        rng, n = self.stream("attr"), self.sizes.tree_attr
        trees = pl.Series(np.sort(rng.choice(self.sizes.tree, n, replace=False)) + 1)
        return pl.DataFrame({
            "t_id": trees, "attr": pick(rng, ["lighting", "power_line", "drain"], n),
            "val": pick(rng, ["yes", "no", "12.5", "2024-03-01"], n),
        })  # fmt: skip

    def inspection(self) -> pl.DataFrame:
        rng, n, odd = self.stream("inspection"), self.sizes.inspection, self.odd
        deck = Deck(rng, n)
        # A fifth of the trees has never been inspected.
        inspected = rng.permutation(self.sizes.tree)[: int(self.sizes.tree * 0.8)] + 1
        trees = replaced(
            pl.Series(rng.choice(inspected, n)), deck.take(odd["inspections_lost_tree"]),
            pl.Series(np.arange(n) + 90_000_000),
        )  # fmt: skip
        days = self.days_back(rng, n, 5_400)
        future = deck.take(odd["inspections_future"])
        days = replaced(days, future, pl.Series([self.until + timedelta(days=365)] * n))
        at = self.moment(rng, days)
        at, days = self._plant_moments(at, days, deck)
        remarks = blanked(pick(rng, words.REMARKS, n), rng.random(n) < 0.56)
        risk = blanked(pick(rng, [1, 2, 3, 4], n, [0.52, 0.27, 0.16, 0.05]), rng.random(n) < 0.03)
        return pl.DataFrame({
            "i_id": pl.Series(range(1, n + 1), dtype=pl.Int64), "t_id": trees, "i_on": days, "i_at": at,
            "i_by": blanked(pick(rng, words.INSPECTORS, n), rng.random(n) < 0.02), "i_risk": risk,
            "i_lean": blanked(decimals(rng.uniform(0, 28, n), 1), rng.random(n) < 0.69), "i_rem": remarks,
            "i_next": blanked(days + pl.Series(rng.integers(180, 1_100, n) * 86_400_000_000).cast(pl.Duration("us")), rng.random(n) < 0.1),
            "i_climb": blanked(pl.Series(rng.random(n) < 0.08), rng.random(n) < 0.15), "i_min": rng.integers(4, 95, n),
            "i_changed": at,
        })  # fmt: skip

    def _plant_moments(self, at: pl.Series, days: pl.Series, deck: Deck) -> tuple[pl.Series, pl.Series]:
        n = len(at)
        for where in deck.take(self.odd["inspections_midnight"]).arg_true():
            day = days[where]
            at[int(where)] = datetime.combine(day, time(0), ZONE).astimezone(ZoneInfo("UTC"))
        first = datetime(2025, 10, 26, 0, 10, tzinfo=ZoneInfo("UTC"))
        for k, where in enumerate(deck.take(self.odd["inspections_repeated_hour"]).arg_true()):
            at[int(where)] = first + timedelta(minutes=18 * (k % 6))
            days[int(where)] = date(2025, 10, 26)
        assert len(at) == n
        return at, days

    def defect(self) -> pl.DataFrame:
        rng, n = self.stream("defect"), self.sizes.defect
        return pl.DataFrame({
            "d_id": pl.Series(range(1, n + 1), dtype=pl.Int64),
            "i_id": rng.integers(1, self.sizes.inspection + 1, n), "d_kind": pick(rng, [c for c, _ in words.LOOKUPS["lu_defect_kind"]], n),
            "d_sev": rng.integers(1, 6, n), "d_txt": blanked(pick(rng, words.DEFECT_TEXTS, n), rng.random(n) < 0.4),
        })  # fmt: skip

    def work_order(self) -> pl.DataFrame:
        rng, n, odd = self.stream("order"), self.sizes.work_order, self.odd
        raised = self.days_back(rng, n, 4_000)
        status = pick(rng, ["O", "A", "C", "X", "R"], n, [0.08, 0.1, 0.74, 0.05, 0.03])
        closed = self.moment(rng, raised + pl.Series(rng.integers(0, 60, n) * 86_400_000_000).cast(pl.Duration("us")))
        ids = pl.Series(range(1, n + 1), dtype=pl.Int64)
        return pl.DataFrame({
            "wo_id": ids, "wo_no": "WO-" + ids.cast(pl.String).str.zfill(7),
            "t_id": blanked(pl.Series(rng.integers(1, self.sizes.tree + 1, n)), some(rng, n, odd["orders_no_tree"])),
            "co_id": blanked(pl.Series(rng.integers(1, 42, n)), some(rng, n, odd["orders_no_contractor"])),
            "c_id": blanked(pl.Series(rng.integers(1, 15, n)), rng.random(n) < 0.6), "wo_st": status, "wo_raised": raised,
            "wo_closed": blanked(closed, (status != "C").to_numpy()), "wo_prio": pick(rng, [1, 2, 3], n, [0.1, 0.3, 0.6]),
            "wo_txt": pick(rng, words.WORK, n),
        })  # fmt: skip

    def wo_line(self) -> pl.DataFrame:
        rng, n = self.stream("line"), self.sizes.wo_line
        ids = pl.Series(range(1, n + 1), dtype=pl.Int64)
        quantity, price = rng.integers(1, 12_000, n), rng.integers(900, 90_000, n)
        sign = np.where(some(rng, n, self.odd["lines_reversed"]), -1, 1)
        # Thousandths times hundredths, rounded half away from zero to hundredths.
        amount = (quantity * price + 500) // 1_000 * sign
        return pl.DataFrame({
            "wl_id": ids, "wl_no": "WL-" + ids.cast(pl.String), "wo_id": rng.integers(1, self.sizes.work_order + 1, n),
            "wl_item": pick(rng, words.ITEMS, n), "wl_qty": scaled(quantity * sign, 3), "wl_price": scaled(price, 2),
            "wl_amount": scaled(amount, 2), "wl_done": blanked(self.days_back(rng, n, 3_900), rng.random(n) < 0.18),
        })  # fmt: skip

    def rp_report(self) -> pl.DataFrame:
        rng, n = self.stream("report"), self.sizes.rp_report
        ids = pl.Series(range(1, n + 1), dtype=pl.Int64)
        first, last = pick(rng, words.FIRST_NAMES, n), pick(rng, words.LAST_NAMES, n)
        mail = (first + pl.Series(["."] * n) + last).str.to_lowercase() + pl.Series(["@post.example"] * n)
        return pl.DataFrame({
            "rp_id": ids, "rp_no": "RR" + ids.cast(pl.String).str.zfill(6), "rp_nm": first + pl.Series([" "] * n) + last,
            "rp_ph1": blanked("01632 96" + pl.Series(rng.integers(0, 10_000, n)).cast(pl.String).str.zfill(4), rng.random(n) < 0.4),
            "rp_em": blanked(mail, some(rng, n, self.odd["reports_no_mail"])),
            "rp_addr": pl.Series(rng.integers(1, 140, n)).cast(pl.String) + pl.Series([" "] * n) + pick(rng, words.PLACE_FIRST, n) + pl.Series([" Road"] * n),
            "rp_txt": pick(rng, words.REPORTS, n), "rp_st": pick(rng, ["N", "O", "C"], n, [0.01, 0.04, 0.95]),
            "rp_at": self.moment(rng, self.days_back(rng, n, 2_000), 6, 23),
            "s_id": blanked(pl.Series(rng.integers(1, self.sizes.site + 1, n)), rng.random(n) < 0.1),
            "t_id": blanked(pl.Series(rng.integers(1, self.sizes.tree + 1, n)), rng.random(n) < 0.5),
        })  # fmt: skip

    def photograph(self) -> pl.DataFrame:
        rng, n = self.stream("photograph"), self.sizes.photograph
        trees = pl.Series(rng.integers(1, self.sizes.tree + 1, n))
        at = self.moment(rng, self.days_back(rng, n, 1_500)).dt.replace_time_zone(None)
        drawn = sketches()
        return pl.DataFrame({
            "ph_id": pl.Series(range(1, n + 1), dtype=pl.Int64), "t_id": trees, "ph_at": at,
            "ph_name": "tree " + trees.cast(pl.String) + ".png",
            "ph_data": pl.Series(["\\x" + drawn[tree % len(drawn)].hex() for tree in trees]),
        })  # fmt: skip

    def probe_reading(self) -> pl.DataFrame:
        rng, n = self.stream("reading"), self.sizes.probe_reading
        probes = self.sizes.probe
        step = np.arange(n) // probes
        end = int(datetime.combine(self.until, time(18), ZoneInfo("UTC")).timestamp())
        at = pl.Series((end - step * 6 * 3600) * 1_000_000).cast(pl.Datetime("us")).dt.replace_time_zone("UTC")
        return pl.DataFrame({
            "pr_id": pl.Series(range(1, n + 1), dtype=pl.Int64), "p_id": np.arange(n) % probes + 1, "pr_at": at,
            "pr_moist": blanked(decimals(rng.uniform(4, 48, n), 2), rng.random(n) < 0.03),
            "pr_temp": np.round(rng.normal(11, 5, n), 2),
        })  # fmt: skip

    def shift(self) -> pl.DataFrame:
        rng, n = self.stream("shift"), self.sizes.shift
        began = self.moment(rng, self.days_back(rng, n, 1_400), 5, 9)
        return pl.DataFrame({
            "sh_id": range(1, n + 1), "c_id": rng.integers(1, 15, n), "sh_from": began,
            "sh_to": began + pl.Series(rng.integers(4, 9, n) * 3_600_000_000).cast(pl.Duration("us")),
            "sh_closed": rng.random(n) < 0.97,
        })  # fmt: skip


def tables_of(scale: int | Fraction, until: date) -> Iterator[tuple[str, Callable[[], pl.DataFrame]]]:
    """
    Every table, in an order that foreign keys allow, with what makes it.
    """
    maker = _Maker(scale, until)
    for name, rows in maker.lookups().items():
        yield name, partial(_same, rows)
    for name in (
        "ward", "site", "species", "tree", "tree_attr", "crew", "shift", "contractor", "inspection", "defect",
        "work_order", "wo_line", "rp_report", "photograph", "probe", "probe_reading", "sapling_stock", "planned_planting",
    ):  # fmt: skip
        yield name, getattr(maker, name)


def _same(rows: pl.DataFrame) -> pl.DataFrame:
    return rows


def _copy(connection: psycopg.Connection[Any], table: str, rows: pl.DataFrame) -> None:
    columns = ", ".join(rows.columns)
    with connection.cursor().copy(f"COPY {table} ({columns}) FROM STDIN (FORMAT csv)") as copy:
        for block in rows.iter_slices(BLOCK):
            buffer = io.BytesIO()
            block.write_csv(buffer, include_header=False)
            copy.write(buffer.getvalue())


def fill_marrowby(
    url: str, *, scale: int | Fraction = 1, until: date, reader: str, say: Callable[[str], None] = lambda _: None
) -> None:
    """
    Create and fill Marrowby in an empty database, in one transaction.

    Args:
        url: libpq URL of the database's owner.
        scale: 1 makes about 48,000 trees, 25 over a million, a tenth so many fewer.
        until: The last day on which anything happened.
        reader: The role that may read and nothing else.
        say: Told of each table as it is loaded.
    """
    here = files("bouquet.demo.marrowby")
    with psycopg.connect(url) as connection:
        connection.execute("SET TIME ZONE 'UTC'")
        connection.execute(here.joinpath("tables.sql").read_bytes())
        for table, make in tables_of(scale, until):
            rows = make()
            _copy(connection, table, rows)
            say(f"{table}: {rows.height:,}")
        connection.execute(here.joinpath("indexes.sql").read_bytes())
        connection.execute(f'GRANT USAGE ON SCHEMA public TO "{reader}"')
        connection.execute(f'GRANT SELECT ON ALL TABLES IN SCHEMA public TO "{reader}"')
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute("VACUUM ANALYZE")
