"""
The sentence of a file as a recipient may read it: what it is narrowed by may be personal data, too.
"""

from __future__ import annotations

from bouquet.core.language import sentence_case
from bouquet.core.personal import Sight, Treatment, seen_catalogue
from bouquet.core.plan import Plan
from bouquet.core.template import Acceptance, Template
from bouquet.core.wording.sentence import Sentence

__all__ = ["sentence_for"]


def sentence_for(acceptance: Acceptance, template: Template, plan: Plan) -> str:
    """
    The sentence without the parts that tell of personal data which they may not receive as it is.
    """
    catalogue = seen_catalogue(plan.catalogue, _sight_of(acceptance))
    if template.records not in catalogue.record_types:
        # What its records are known by is personal data itself.
        return f"{sentence_case(plan.record_type.plural)}."
    return Sentence(template, catalogue, plan.context).text()


def _sight_of(acceptance: Acceptance) -> Sight:
    def treated(seen: bool) -> Treatment:
        return "seen" if seen else "hidden"

    classes = tuple((str(name), treated(said == "seen")) for name, said in acceptance.classes.items())
    return Sight(treated(acceptance.personal), classes)
