"""
Marrowby's records, made from a fixed seed, with a known number of each oddity.

Everything is made as whole columns and loaded through COPY. `until` is the last day on which anything happened;
all dates count back from it, so the counts in `docs/marrowby.md` hold for any day.
"""

from __future__ import annotations

import io
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta
from functools import partial
from importlib.resources import files
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
import polars as pl
import psycopg

from bouquet.demo.marrowby import words

__all__ = ["Oddities", "Sizes", "fill_marrowby", "tables_of"]

SEED = 20_110_401
ZONE = ZoneInfo("Europe/London")

#: Rows of one COPY block, to keep memory flat at any scale.
BLOCK = 200_000


@dataclass(frozen=True)
class Sizes:
    """
    How many records of each type there are at a scale.
    """

    scale: int = 1

    def __getattr__(self, name: str) -> int:
        base = {
            "tree": 48_210,
            "inspection": 121_044,
            "defect": 97_310,
            "work_order": 31_870,
            "wo_line": 90_214,
            "rp_report": 9_204,
            "photograph": 320,
            "probe_reading": 34_560,
            "tree_attr": 6_150,
            "shift": 4_380,
        }
        fixed = {
            "ward": 12,
            "site": 1_318,
            "crew": 14,
            "contractor": 41,
            "probe": 96,
            "sapling_stock": 260,
            "planned_planting": 640,
        }
        if name in base:
            return base[name] * self.scale
        if name in fixed:
            return fixed[name]
        raise AttributeError(name)


#: Oddities per scale, by name: (records at scale 1, what they are, the condition that finds them in SQL).
ODDITIES: dict[str, tuple[int, str, str]] = {
    "trees_deleted": (210, "trees softly deleted (`deleted_at` filled)", "tree WHERE deleted_at IS NOT NULL"),
    "trees_lost_site": (122, "trees whose site does not exist",
        "tree t WHERE s_id IS NOT NULL AND NOT EXISTS (SELECT 1 FROM site s WHERE s.s_id = t.s_id)"),
    "trees_no_site": (85, "trees without a site", "tree WHERE s_id IS NULL"),
    "trees_no_species": (340, "trees without a species", "tree WHERE sp_id IS NULL"),
    "trees_no_girth": (3_375, "trees without a girth", "tree WHERE t_girth IS NULL"),
    "girth_in_metres": (41, "girths typed in metres instead of centimetres", "tree WHERE t_girth < 10"),
    "unknown_status": (7, "trees with the status code `Q`, which no lookup explains", "tree WHERE t_st = 'Q'"),
    "trees_sealed": (12, "trees with a seal number, a nearly empty column", "tree WHERE t_seal IS NOT NULL"),
    "notes_formula": (23, "notes that begin with `=`", "tree WHERE t_note LIKE '=%'"),
    "notes_quotes": (77, "notes with a quotation mark", "tree WHERE t_note LIKE '%\"%'"),
    "notes_breaks": (64, "notes with a line break", "tree WHERE t_note LIKE E'%\\n%'"),
    "notes_scripts": (31, "notes in a non-Latin script", "tree WHERE t_note ~ '[Ѐ-ӿ一-鿿]'"),
    "notes_emoji": (19, "notes with an emoji", "tree WHERE t_note LIKE '%🌳%'"),
    "notes_spaced": (27, "notes with blanks around them", "tree WHERE t_note LIKE '  %' AND btrim(t_note) <> ''"),
    "notes_white": (15, "notes of nothing but white space", "tree WHERE t_note <> '' AND btrim(t_note, E' \\t') = ''"),
    "notes_empty": (44, "notes that are an empty text instead of NULL", "tree WHERE t_note = ''"),
    "inspections_lost_tree": (57, "inspections whose tree does not exist",
        "inspection i WHERE NOT EXISTS (SELECT 1 FROM tree t WHERE t.t_id = i.t_id)"),
    "inspections_future": (9, "inspections dated after the last day", "inspection WHERE i_on > :until"),
    "inspections_midnight": (8, "inspections closed at local midnight, to the second",
        "inspection WHERE (i_at AT TIME ZONE 'Europe/London')::time = '00:00'"),
    "inspections_repeated_hour": (6, "inspections in the hour that came twice on 26 October 2025",
        "inspection WHERE i_at >= '2025-10-26 00:00Z' AND i_at < '2025-10-26 02:00Z'"
        " AND (i_at AT TIME ZONE 'Europe/London')::time BETWEEN '01:00' AND '01:59:59'"),
    "orders_no_tree": (1_204, "work orders without a tree", "work_order WHERE t_id IS NULL"),
    "orders_no_contractor": (9_450, "work orders done by own crews, without a contractor", "work_order WHERE co_id IS NULL"),
    "lines_reversed": (96, "work order lines with a negative amount", "wo_line WHERE wl_amount < 0"),
    "reports_no_mail": (7_547, "resident reports without an e-mail address", "rp_report WHERE rp_em IS NULL"),
    "sites_no_ward": (13, "sites without a ward (at every scale)", "site WHERE ward_id IS NULL"),
}  # fmt: skip


@dataclass
class Oddities:
    """
    The number planted of each oddity at a scale.
    """

    scale: int = 1
    counts: dict[str, int] = field(init=False)

    def __post_init__(self) -> None:
        self.counts = {k: n * (1 if k.startswith("sites") else self.scale) for k, (n, _, _) in ODDITIES.items()}

    def __getitem__(self, name: str) -> int:
        return self.counts[name]


class _Maker:
    """
    Makes the columns of each table. One random stream per table, so that one table's change leaves the others.
    """

    def __init__(self, scale: int, until: date) -> None:
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
            "w_pop": rng.integers(2_400, 14_000, n), "w_ha": _decimal(rng.uniform(40, 900, n), 2),
        })  # fmt: skip

    def site(self) -> pl.DataFrame:
        rng, n = self.stream("site"), self.sizes.site
        names = _pick(rng, words.PLACE_FIRST, n) + pl.Series([" "] * n) + _pick(rng, words.PLACE_LAST, n)
        ward = pl.Series(rng.integers(1, 13, n))
        return pl.DataFrame({
            "s_id": range(1, n + 1), "s_code": [f"{(k * 37) % 1_000_000:06d}" for k in range(1, n + 1)],
            "s_name": names, "s_kind": _pick(rng, ["P", "S", "E", "C"], n, [0.22, 0.55, 0.15, 0.08]),
            "ward_id": _blanked(ward, _some(rng, n, self.odd["sites_no_ward"])),
            "s_ha": _decimal(rng.gamma(1.3, 1.8, n) + 0.01, 3), "s_open": self.days_back(rng, n, 30_000),
            "s_note": _blanked(_pick(rng, words.SITE_NOTES, n), rng.random(n) < 0.7),
        })  # fmt: skip

    def species(self) -> pl.DataFrame:
        rng, n = self.stream("species"), len(words.SPECIES)
        return pl.DataFrame({
            "sp_id": range(1, n + 1),
            "sp_code": [b[:2].upper() + b.split()[-1][:2].upper() + f"{k:02d}" for k, (b, _, _) in enumerate(words.SPECIES, 1)],
            "sp_bot": [b for b, _, _ in words.SPECIES], "sp_com": [c for _, c, _ in words.SPECIES],
            "sp_fam": [f for _, _, f in words.SPECIES], "sp_native": rng.random(n) < 0.5,
            "sp_max_m": _decimal(rng.uniform(6, 36, n), 1),
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
            "s_id": rng.integers(1, self.sizes.site + 1, n), "p_depth": _pick(rng, [15, 30, 60], n),
        })  # fmt: skip

    def sapling_stock(self) -> pl.DataFrame:
        rng, n = self.stream("stock"), self.sizes.sapling_stock
        return pl.DataFrame({
            "ss_id": range(1, n + 1), "sp_id": rng.integers(1, len(words.SPECIES) + 1, n),
            "ss_batch": [f"{k:08d}" for k in rng.integers(1, 10**8, n)], "ss_count": rng.integers(0, 400, n),
            "ss_cost": _decimal(rng.uniform(1.2, 88, n), 2), "ss_in": self.days_back(rng, n, 700),
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
        deck = _Deck(rng, n)
        girth = _decimal(np.clip(rng.gamma(3.0, 42.0, n), 10.5, 900), 1)
        girth = _with(girth, deck.take(odd["girth_in_metres"]), _decimal(rng.uniform(0.4, 3.9, n), 2))
        girth = _blanked(girth, deck.mask(odd["trees_no_girth"]))
        site = pl.Series(rng.integers(1, self.sizes.site + 1, n))
        lost, none = deck.take(odd["trees_lost_site"]), deck.mask(odd["trees_no_site"])
        site = _blanked(_with(site, lost, pl.Series(np.full(n, 990_000) + rng.integers(0, 9_999, n))), none)
        status = _pick(rng, ["S", "F", "R", "D"], n, [0.6446, 0.2354, 0.09, 0.03])
        status = _with(status, deck.take(odd["unknown_status"]), pl.Series(["Q"] * n))
        planted = self.days_back(rng, n, 40_000)
        changed = self.moment(rng, self.days_back(rng, n, 5_400))
        note, used = _blanked(_pick(rng, words.TREE_NOTES, n), rng.random(n) < 0.82), _Deck(rng, n)
        for name, make in words.ODD_NOTES.items():
            note = _with(
                note,
                used.take(odd[name]),
                pl.Series(make, dtype=pl.String).sample(n, with_replacement=True, seed=7),
            )
        seal = _with(_nulls(n), deck.take(odd["trees_sealed"]), "00" + ids.cast(pl.String).str.zfill(6))
        return pl.DataFrame({
            "t_id": ids, "t_tag": "MB-" + ids.cast(pl.String).str.zfill(5),
            "sp_id": _blanked(pl.Series(rng.zipf(1.35, n) % len(words.SPECIES) + 1), deck.mask(odd["trees_no_species"])),
            "s_id": site, "t_st": status, "t_girth": girth,
            "t_girth_old": _blanked(pl.Series(rng.integers(20, 400, n)), rng.random(n) < 0.6),
            "t_height": _blanked(_decimal(rng.gamma(4, 2.6, n) + 0.5, 1), rng.random(n) < 0.12),
            "t_planted": _blanked(planted, rng.random(n) < 0.35),
            "t_lat": _blanked(_decimal(rng.uniform(51.19, 51.26, n), 6), rng.random(n) < 0.29),
            "t_lon": _blanked(_decimal(rng.uniform(-1.09, -0.97, n), 6), rng.random(n) < 0.29),
            "t_reg": _blanked(pl.Series(4_000_000_000_000_000 + 7 * np.arange(1, n + 1)).cast(pl.String), rng.random(n) < 0.05),
            "t_val": _blanked(_decimal(rng.gamma(1.4, 2_600, n), 2), rng.random(n) < 0.2),
            "t_note": note, "t_seal": seal, "extra": self._extra(rng, n),
            "t_created": _earlier(changed, rng),
            "t_changed": changed,
            "deleted_at": _blanked(changed, ~deck.mask(odd["trees_deleted"])),
        })  # fmt: skip

    @staticmethod
    def _extra(rng: np.random.Generator, n: int) -> pl.Series:
        kinds = [
            '{"bench": true}',
            '{"swing": "left", "plaque_no": 12}',
            '{"bird_box": 3}',
            '{"sponsor": "Quay Rowing Club"}',
        ]
        return _blanked(_pick(rng, kinds, n), rng.random(n) < 0.9)

    def tree_attr(self) -> pl.DataFrame:
        rng, n = self.stream("attr"), self.sizes.tree_attr
        trees = pl.Series(np.sort(rng.choice(self.sizes.tree, n, replace=False)) + 1)
        return pl.DataFrame({
            "t_id": trees, "attr": _pick(rng, ["lighting", "power_line", "drain"], n),
            "val": _pick(rng, ["yes", "no", "12.5", "2024-03-01"], n),
        })  # fmt: skip

    def inspection(self) -> pl.DataFrame:
        rng, n, odd = self.stream("inspection"), self.sizes.inspection, self.odd
        deck = _Deck(rng, n)
        # A fifth of the trees has never been inspected.
        inspected = rng.permutation(self.sizes.tree)[: int(self.sizes.tree * 0.8)] + 1
        trees = _with(
            pl.Series(rng.choice(inspected, n)), deck.take(odd["inspections_lost_tree"]),
            pl.Series(np.arange(n) + 90_000_000),
        )  # fmt: skip
        days = self.days_back(rng, n, 5_400)
        future = deck.take(odd["inspections_future"])
        days = _with(days, future, pl.Series([self.until + timedelta(days=365)] * n))
        at = self.moment(rng, days)
        at, days = self._plant_moments(at, days, deck)
        remarks = _blanked(_pick(rng, words.REMARKS, n), rng.random(n) < 0.56)
        risk = _blanked(_pick(rng, [1, 2, 3, 4], n, [0.52, 0.27, 0.16, 0.05]), rng.random(n) < 0.03)
        return pl.DataFrame({
            "i_id": pl.Series(range(1, n + 1), dtype=pl.Int64), "t_id": trees, "i_on": days, "i_at": at,
            "i_by": _blanked(_pick(rng, words.INSPECTORS, n), rng.random(n) < 0.02), "i_risk": risk,
            "i_lean": _blanked(_decimal(rng.uniform(0, 28, n), 1), rng.random(n) < 0.69), "i_rem": remarks,
            "i_next": _blanked(days + pl.Series(rng.integers(180, 1_100, n) * 86_400_000_000).cast(pl.Duration("us")), rng.random(n) < 0.1),
            "i_climb": _blanked(pl.Series(rng.random(n) < 0.08), rng.random(n) < 0.15), "i_min": rng.integers(4, 95, n),
            "i_changed": at,
        })  # fmt: skip

    def _plant_moments(self, at: pl.Series, days: pl.Series, deck: _Deck) -> tuple[pl.Series, pl.Series]:
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
            "i_id": rng.integers(1, self.sizes.inspection + 1, n), "d_kind": _pick(rng, [c for c, _ in words.LOOKUPS["lu_defect_kind"]], n),
            "d_sev": rng.integers(1, 6, n), "d_txt": _blanked(_pick(rng, words.DEFECT_TEXTS, n), rng.random(n) < 0.4),
        })  # fmt: skip

    def work_order(self) -> pl.DataFrame:
        rng, n, odd = self.stream("order"), self.sizes.work_order, self.odd
        raised = self.days_back(rng, n, 4_000)
        status = _pick(rng, ["O", "A", "C", "X", "R"], n, [0.08, 0.1, 0.74, 0.05, 0.03])
        closed = self.moment(rng, raised + pl.Series(rng.integers(0, 60, n) * 86_400_000_000).cast(pl.Duration("us")))
        ids = pl.Series(range(1, n + 1), dtype=pl.Int64)
        return pl.DataFrame({
            "wo_id": ids, "wo_no": "WO-" + ids.cast(pl.String).str.zfill(7),
            "t_id": _blanked(pl.Series(rng.integers(1, self.sizes.tree + 1, n)), _some(rng, n, odd["orders_no_tree"])),
            "co_id": _blanked(pl.Series(rng.integers(1, 42, n)), _some(rng, n, odd["orders_no_contractor"])),
            "c_id": _blanked(pl.Series(rng.integers(1, 15, n)), rng.random(n) < 0.6), "wo_st": status, "wo_raised": raised,
            "wo_closed": _blanked(closed, (status != "C").to_numpy()), "wo_prio": _pick(rng, [1, 2, 3], n, [0.1, 0.3, 0.6]),
            "wo_txt": _pick(rng, words.WORK, n),
        })  # fmt: skip

    def wo_line(self) -> pl.DataFrame:
        rng, n = self.stream("line"), self.sizes.wo_line
        ids = pl.Series(range(1, n + 1), dtype=pl.Int64)
        quantity, price = rng.integers(1, 12_000, n), rng.integers(900, 90_000, n)
        sign = np.where(_some(rng, n, self.odd["lines_reversed"]), -1, 1)
        # Thousandths times hundredths, rounded half away from zero to hundredths.
        amount = (quantity * price + 500) // 1_000 * sign
        return pl.DataFrame({
            "wl_id": ids, "wl_no": "WL-" + ids.cast(pl.String), "wo_id": rng.integers(1, self.sizes.work_order + 1, n),
            "wl_item": _pick(rng, words.ITEMS, n), "wl_qty": _scaled(quantity * sign, 3), "wl_price": _scaled(price, 2),
            "wl_amount": _scaled(amount, 2), "wl_done": _blanked(self.days_back(rng, n, 3_900), rng.random(n) < 0.18),
        })  # fmt: skip

    def rp_report(self) -> pl.DataFrame:
        rng, n = self.stream("report"), self.sizes.rp_report
        ids = pl.Series(range(1, n + 1), dtype=pl.Int64)
        first, last = _pick(rng, words.FIRST_NAMES, n), _pick(rng, words.LAST_NAMES, n)
        mail = (first + pl.Series(["."] * n) + last).str.to_lowercase() + pl.Series(["@post.example"] * n)
        return pl.DataFrame({
            "rp_id": ids, "rp_no": "RR" + ids.cast(pl.String).str.zfill(6), "rp_nm": first + pl.Series([" "] * n) + last,
            "rp_ph1": _blanked("01632 96" + pl.Series(rng.integers(0, 10_000, n)).cast(pl.String).str.zfill(4), rng.random(n) < 0.4),
            "rp_em": _blanked(mail, _some(rng, n, self.odd["reports_no_mail"])),
            "rp_addr": pl.Series(rng.integers(1, 140, n)).cast(pl.String) + pl.Series([" "] * n) + _pick(rng, words.PLACE_FIRST, n) + pl.Series([" Road"] * n),
            "rp_txt": _pick(rng, words.REPORTS, n), "rp_st": _pick(rng, ["N", "O", "C"], n, [0.01, 0.04, 0.95]),
            "rp_at": self.moment(rng, self.days_back(rng, n, 2_000), 6, 23),
            "s_id": _blanked(pl.Series(rng.integers(1, self.sizes.site + 1, n)), rng.random(n) < 0.1),
            "t_id": _blanked(pl.Series(rng.integers(1, self.sizes.tree + 1, n)), rng.random(n) < 0.5),
        })  # fmt: skip

    def photograph(self) -> pl.DataFrame:
        rng, n = self.stream("photograph"), self.sizes.photograph
        trees = pl.Series(rng.integers(1, self.sizes.tree + 1, n))
        at = self.moment(rng, self.days_back(rng, n, 1_500)).dt.replace_time_zone(None)
        return pl.DataFrame({
            "ph_id": pl.Series(range(1, n + 1), dtype=pl.Int64), "t_id": trees, "ph_at": at,
            "ph_name": "tree " + trees.cast(pl.String) + ".png",
            "ph_data": pl.Series(["\\x" + words.PICTURE.hex()] * n),
        })  # fmt: skip

    def probe_reading(self) -> pl.DataFrame:
        rng, n = self.stream("reading"), self.sizes.probe_reading
        probes = self.sizes.probe
        step = np.arange(n) // probes
        end = int(datetime.combine(self.until, time(18), ZoneInfo("UTC")).timestamp())
        at = pl.Series((end - step * 6 * 3600) * 1_000_000).cast(pl.Datetime("us")).dt.replace_time_zone("UTC")
        return pl.DataFrame({
            "pr_id": pl.Series(range(1, n + 1), dtype=pl.Int64), "p_id": np.arange(n) % probes + 1, "pr_at": at,
            "pr_moist": _blanked(_decimal(rng.uniform(4, 48, n), 2), rng.random(n) < 0.03),
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


class _Deck:
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


def _pick(rng: np.random.Generator, options: Any, n: int, p: Any = None) -> pl.Series:
    at = rng.integers(0, len(options), n) if p is None else rng.choice(len(options), n, p=np.array(p) / sum(p))
    return pl.Series(list(options)).gather(at)


def _some(rng: np.random.Generator, n: int, count: int) -> np.ndarray[Any, Any]:
    return _Deck(rng, n).mask(count)


def _nulls(n: int) -> pl.Series:
    return pl.Series([None] * n, dtype=pl.String)


def _blanked(values: pl.Series, where: Any) -> pl.Series:
    frame = pl.DataFrame({"v": values, "w": pl.Series(where)})
    return frame.select(pl.when(~pl.col("w")).then(pl.col("v")))["v"]


def _with(values: pl.Series, where: pl.Series, others: pl.Series) -> pl.Series:
    return values.zip_with(~where, others)


def _decimal(values: np.ndarray[Any, Any], digits: int) -> pl.Series:
    return _scaled(np.round(values * 10**digits).astype(np.int64), digits)


def _scaled(whole: np.ndarray[Any, Any], digits: int) -> pl.Series:
    """
    Whole numbers of the last digit as exact decimals in their text form.
    """
    text = pl.Series(np.abs(whole)).cast(pl.String).str.zfill(digits + 1)
    sign = pl.Series(np.where(whole < 0, "-", ""))
    return sign + text.str.head(-digits) + pl.Series(["."]) + text.str.tail(digits)


def _earlier(moments: pl.Series, rng: np.random.Generator) -> pl.Series:
    back = pl.Series(rng.integers(0, 900, len(moments)) * 86_400_000_000).cast(pl.Duration("us"))
    return moments.dt.replace_time_zone(None) - back


def tables_of(scale: int, until: date) -> Iterator[tuple[str, Callable[[], pl.DataFrame]]]:
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
    url: str, *, scale: int = 1, until: date, reader: str, say: Callable[[str], None] = lambda _: None
) -> None:
    """
    Create and fill Marrowby in an empty database, in one transaction.

    Args:
        url: libpq URL of the database's owner.
        scale: 1 makes about 48,000 trees, 25 over a million.
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
