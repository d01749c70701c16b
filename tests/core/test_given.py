"""
What recipients read of a template: all of it, but for what tells of people.
"""

from __future__ import annotations

import pytest

from bouquet.core.plan import Context, resolve
from bouquet.core.template import Acceptance, read_document
from bouquet.core.wording import Sentence
from bouquet.core.wording.given import sentence_for
from bouquet.sources import Source
from tests.conftest import NOW
from tests.sources.test_sqlite import ALL

#: Templates that are narrowed by, or ordered by, what tells of people.
TELLING = ("resident", "phone", "mail", "address")


@pytest.mark.parametrize("name", sorted(ALL))
def test_everybody_reads_the_same_where_nobody_is_told_of(source: Source, name: str) -> None:
    document, _, *rest = ALL[name]
    template = read_document({"name": "Test", **document})
    plan = resolve(template, source.catalogue(), Context(as_of=NOW, answers=rest[0] if rest else {})).plan
    if plan is None:
        pytest.skip("picks of the tests")
    whole = Sentence(template, plan.catalogue, plan.context).text()

    assert sentence_for(Acceptance(personal=True), template, plan) == whole
    if not any(word in str(document) for word in TELLING):
        assert sentence_for(Acceptance(), template, plan) == whole
