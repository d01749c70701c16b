"""
How many records Marrowby has of each type, and how many of each oddity among them.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from fractions import Fraction

__all__ = ["ODDITIES", "Oddities", "Sizes"]


@dataclass(frozen=True)
class Sizes:
    """
    How many records of each type there are at a scale.
    """

    scale: int | Fraction = 1

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
            return int(base[name] * self.scale)
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


#: Of each oddity at the least.
FEWEST = 5


@dataclass
class Oddities:
    """
    The number planted of each oddity at a scale; also in a small Marrowby there are some of each.
    """

    scale: int | Fraction = 1
    counts: dict[str, int] = field(init=False)

    def __post_init__(self) -> None:
        self.counts = {
            k: n if k.startswith("sites") else max(FEWEST, int(n * self.scale)) for k, (n, _, _) in ODDITIES.items()
        }

    def __getitem__(self, name: str) -> int:
        return self.counts[name]
