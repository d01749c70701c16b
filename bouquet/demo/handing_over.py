"""
A bundle for the yearly hand-over, and the button by which the office closes its day.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from sqlalchemy.orm import Session

from bouquet.core.template import BundleContents, BundleTemplate
from bouquet.core.wording.bundle import bundle_sentence
from bouquet.store import templates as shelf
from bouquet.store.models import Person, Round, TemplateRecord
from bouquet.store.rounds import NEVER

__all__ = ["seed_handing_over"]

#: The templates of the bundle, and the record types that it holds whole.
HELD, WHOLE = ("Trees at a glance, per ward sheet", "Planting season plan"), ("species", "crew")

#: What the button runs.
CLOSING = "Work orders closed this week"


def seed_handing_over(
    session: Session, records: Sequence[TemplateRecord], owner: Person, now: datetime, zone: str
) -> None:
    """
    Keep the bundle in the library, and set the round with the button.
    """
    by_name = {r.name: r for r in records}
    held = [by_name[name] for name in HELD if name in by_name]
    contents = BundleContents(
        name="Yearly hand-over", templates=tuple(BundleTemplate(template=r.id) for r in held), records=WHOLE
    )
    sentence = bundle_sentence(contents, {r.id: r.name for r in held}, {"crew": "crews"})
    bundle = shelf.add_template(session, contents.as_document(), sentence, owner, now, kind="bundle")
    shelf.save_version(session, bundle.id, "as the regulator asked", owner, now)
    closing = next((r for r in records if r.name == CLOSING), None)
    if closing is not None:
        session.add(
            Round(
                template_id=closing.id,
                rhythm={},
                zone=zone,
                folder="day-end",
                format="csv",
                trigger="called",
                event={"button": "Close the day"},
                created_by=owner.id,
                next_at=NEVER,
            )
        )
