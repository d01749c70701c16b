"""
Words of requests that are no names, by what they do.
"""

from __future__ import annotations

import tomllib
from importlib.resources import files

__all__ = ["FILLERS", "GRAMMAR", "NOT_HEAD"]

_ENGLISH = {
    name: frozenset(words.split())
    for name, words in tomllib.loads(files("bouquet.core.asked").joinpath("english.toml").read_text("utf-8")).items()
}

#: Words that say nothing of the template.
FILLERS = _ENGLISH["fillers"]

#: Words that rules understand, so that they are no values.
GRAMMAR = _ENGLISH["grammar"]

#: Words before records that are not what rows stand for: last inspection, without orders.
NOT_HEAD = _ENGLISH["not_head"]
