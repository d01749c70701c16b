"""
The words Marrowby's records are made of. All names are invented.
"""

from __future__ import annotations

from itertools import islice, product

WARDS = [
    "Northgate", "Quay", "Salter", "Old Cemetery", "Millbrook", "Castle Rise", "Fernlea", "Priory", "Saltmarsh",
    "Tollgate", "Eastfield", "Harbour",
]  # fmt: skip

LOOKUPS: dict[str, list[tuple[str, str]] | list[tuple[int, str]]] = {
    "lu_site_kind": [("P", "Park"), ("S", "Street"), ("E", "School ground"), ("C", "Cemetery")],
    "lu_tree_status": [("S", "Standing"), ("F", "Felled"), ("R", "Removed"), ("D", "Dead, standing")],
    "lu_risk": [(1, "Low"), (2, "Medium"), (3, "High"), (4, "Severe")],
    "lu_defect_kind": [
        ("DW", "deadwood"), ("FK", "fork"), ("LN", "lean"), ("CD", "crown dieback"), ("CV", "cavity"),
        ("FB", "fungal bracket"), ("RP", "root plate"), ("BS", "bark split"),
    ],
    "lu_wo_status": [("O", "Open"), ("A", "Assigned"), ("C", "Closed"), ("X", "Cancelled"), ("R", "Reversed")],
}  # fmt: skip

SPECIES = [
    ("Tilia × europaea", "Common lime", "Malvaceae"), ("Quercus robur", "Pedunculate oak", "Fagaceae"),
    ("Acer campestre", "Field maple", "Sapindaceae"), ("Betula pendula", "Silver birch", "Betulaceae"),
    ("Platanus × hispanica", "London plane", "Platanaceae"), ("Fagus sylvatica", "Beech", "Fagaceae"),
    ("Prunus avium", "Wild cherry", "Rosaceae"), ("Tilia cordata", "Small-leaved lime", "Malvaceae"),
    ("Alnus glutinosa", "Alder", "Betulaceae"), ("Sorbus aucuparia", "Rowan", "Rosaceae"),
    ("Carpinus betulus", "Hornbeam", "Betulaceae"), ("Fraxinus excelsior", "Ash", "Oleaceae"),
    ("Aesculus hippocastanum", "Horse chestnut", "Sapindaceae"), ("Castanea sativa", "Sweet chestnut", "Fagaceae"),
    ("Ulmus glabra", "Wych elm", "Ulmaceae"), ("Salix alba", "White willow", "Salicaceae"),
    ("Pinus sylvestris", "Scots pine", "Pinaceae"), ("Taxus baccata", "Yew", "Taxaceae"),
    ("Crataegus monogyna", "Hawthorn", "Rosaceae"), ("Ginkgo biloba", "Maidenhair tree", "Ginkgoaceae"),
    ("Liquidambar styraciflua", "Sweet gum", "Altingiaceae"), ("Magnolia kobus", "Kobus magnolia", "Magnoliaceae"),
    ("Juglans regia", "Walnut", "Juglandaceae"), ("Morus nigra", "Black mulberry", "Moraceae"),
]  # fmt: skip

PLACE_FIRST = [
    "Quay", "Salter", "Mill", "Custom House", "Old Cemetery", "River", "Priory", "Castle", "Abbey", "Lock", "Chandler",
    "Rope", "Harbour", "Fern", "Toll", "Marsh", "Orchard", "Glebe", "Well", "Chapel", "Heron", "Alder", "Bell", "Cooper",
]  # fmt: skip
PLACE_LAST = [
    "Road",
    "Green",
    "Walk",
    "Square",
    "Lane",
    "Park",
    "Gardens",
    "Rise",
    "Street",
    "School",
    "Close",
    "Meadow",
]
SITE_NOTES = [
    "Gate locked at dusk",
    "No vehicles on the grass",
    "Bats in the east wall",
    'Known as "the Strip"',
]

CREWS = [
    "Amber", "Birch", "Cedar", "Damson", "Elder", "Fir", "Gorse", "Hazel", "Ivy", "Juniper", "Kestrel", "Larch",
    "Maple", "Nettle",
]  # fmt: skip
DEPOTS = ["Quayside depot", "Tollgate yard", "Eastfield yard"]

_KNOWN_CONTRACTORS = [
    "Hollin Tree Care",
    "Ashgate Arbor",
    "Fernlea Grounds",
    "Oakhouse Forestry",
    "Quayside Climbers",
    "Wren Landscapes",
]


def contractor_names(n: int) -> list[str]:
    """
    `n` different names of contractors.
    """
    made = [
        f"{a} {b}"
        for b, a in product(
            ["Tree Care", "Arborists", "Grounds", "Forestry", "Stump Services"],
            [
                "Larkfield",
                "Penhallow",
                "Thornby",
                "Marsden Dale",
                "Greywell",
                "Copperfield",
                "Hartsop",
                "Winterbourne",
            ],
        )
    ]
    return list(islice([*_KNOWN_CONTRACTORS, *made], n))


INSPECTORS = [
    "O. Vale",
    "P. Linnet",
    "R. Sedge",
    "M. Harrier",
    "J. Bracken",
    "S. Teasel",
    "A. Wexcombe",
    "Łucja Żuk",
]
REMARKS = [
    "Bracket on north face, re-inspect in spring", "Sound", "Minor deadwood over footpath", "Stake to be removed",
    "Rubbing branches", "Crown lifted last year", "Vehicle damage at base", "Roots lifting kerb", "Good vigour",
    "Check after storm; see photograph",
]  # fmt: skip
DEFECT_TEXTS = [
    "over the path",
    "east side, 4 m up",
    "old wound",
    "at the graft",
    "two stems",
    "below the fork",
]
WORK = [
    "Crown lift to 5 m",
    "Fell and clear",
    "Deadwood removal",
    "Stump grinding",
    "Re-stake",
    "Formative prune",
    "Climb and inspect",
]
ITEMS = [
    "Crown lift",
    "Fell and clear",
    "Deadwood removal",
    "Stump grinding",
    "Chipping",
    "Traffic management",
    "Replacement tree",
]
REPORTS = [
    "A large branch has come down across the path.", "The tree outside my house blocks the street lamp.",
    "Something is growing on the trunk.\nIt smells of mushrooms.", 'The sign says "no parking" but vans stand on the roots.',
    "When will the limes be pruned?", "Thank you for the new cherries!", "Leaves in the gutter, again.",
]  # fmt: skip

FIRST_NAMES = [
    "Ada",
    "Bram",
    "Carys",
    "Dmitri",
    "Elif",
    "Femi",
    "Greta",
    "Hana",
    "Idris",
    "Jonas",
    "Keiko",
    "Lorna",
    "Milo",
    "Nadia",
]
LAST_NAMES = [
    "Appleyard",
    "Birtwell",
    "Crowther",
    "Dunmore",
    "Eastleigh",
    "Fairlamb",
    "Greenacre",
    "Holloway",
    "Ingleby",
    "Jessop",
]

TREE_NOTES = [
    "Memorial tree",
    "Leans over wall",
    "Twin stem",
    "Preservation order",
    "Squirrel box",
    "Planted by the school",
]

#: Notes that files stumble over, by the name of their oddity; each list is drawn from in turn.
ODD_NOTES: dict[str, list[str]] = {
    "notes_formula": ["=SUM(A1:A9)", "=1+1", '=HYPERLINK("https://bad.example")'.replace('"', "'")],
    "notes_quotes": ['The "Queen\'s oak"', '"', 'Plaque reads ""In memory""'],
    "notes_breaks": ["First line\nsecond line", "Ends with a break\n", "Windows break\r\nhere"],
    "notes_scripts": ["Дуб у реки", "老树", "Липа старая, дупло"],
    "notes_emoji": ["🌳 favourite of the class", "Bees 🐝 in 🌳"],
    "notes_spaced": ["  padded  ", "  left only"],
    "notes_white": ["   ", "\t"],
    "notes_empty": [""],
}
