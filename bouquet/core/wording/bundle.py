"""
What a bundle holds, as a sentence.
"""

from __future__ import annotations

from collections.abc import Mapping

from bouquet.core.language import tr
from bouquet.core.template import BundleContents
from bouquet.core.wording.lists import listed

__all__ = ["bundle_sentence"]

#: Names that are told; more are counted.
TOLD = 4


def bundle_sentence(contents: BundleContents, templates: Mapping[int, str], plurals: Mapping[str, str]) -> str:
    """
    The sentence of a bundle, with the names of its templates by number, and of record types by theirs.
    """
    parts = [f"“{templates.get(e.template) or tr('a template that is gone')}”" for e in contents.templates]
    said = []
    if parts:
        said.append(listed(parts, TOLD))
    if contents.everything:
        said.append(tr("all records of every type"))
    elif contents.records:
        said.append(tr("all {r}", r=listed([plurals.get(r, r) for r in contents.records], TOLD)))
    files = tr(", with the files that are kept in them") if contents.attachments else ""
    return tr(
        "{said}{files}: read at one moment, into one archive with one slip.",
        said=" and ".join(said) or tr("Nothing yet"),
        files=files,
    )
