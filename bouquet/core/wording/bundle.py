"""
What a bundle holds, as a sentence.
"""

from __future__ import annotations

from collections.abc import Mapping

from bouquet.core.template import BundleContents
from bouquet.core.wording.lists import listed

__all__ = ["bundle_sentence"]

#: Names that are told; more are counted.
TOLD = 4


def bundle_sentence(contents: BundleContents, templates: Mapping[int, str], plurals: Mapping[str, str]) -> str:
    """
    The sentence of a bundle, with the names of its templates by number, and of record types by theirs.
    """
    parts = [f"“{templates.get(e.template, 'a template that is gone')}”" for e in contents.templates]
    said = []
    if parts:
        said.append(listed(parts, TOLD))
    if contents.everything:
        said.append("all records of every type")
    elif contents.records:
        said.append(f"all {listed([plurals.get(r, r) for r in contents.records], TOLD)}")
    files = ", with the files that are kept in them" if contents.attachments else ""
    return f"{' and '.join(said) or 'Nothing yet'}{files}: read at one moment, into one archive with one slip."
