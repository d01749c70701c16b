"""
What all parts of resolving share: the template, the catalogue, the run's context, and the problems met.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any
from zoneinfo import ZoneInfo

from bouquet.core.catalogue import Catalogue, Field, Kind, RecordType, Relation, Route, Walk
from bouquet.core.errors import Problem, WayOut, nearest
from bouquet.core.language import tr
from bouquet.core.plan.model import Context
from bouquet.core.template import Ask, PerChild, PerGroup, PerRecord, Template

__all__ = ["ResolutionContext", "answer_to", "masked_message"]


def answer_to(template: Template, context: Context, name: str) -> Any:
    """
    The answer to one of the template's asks: the run's, or the default; None where there is none.
    """
    ask = next((a for a in template.asks if a.name == name), None)
    given = (context.answers or {}).get(name)
    return given if given not in (None, "", [], ()) else ask.default if ask else None


def masked_message(field: Field) -> str:
    """
    Why a field that somebody sees masked can only be shown.
    """
    return tr(
        "You see {label} masked: it can be a column, and nothing can depend on it.",
        label=field.label.lower(),
    )


@dataclass
class ResolutionContext:
    """
    Collects problems, and follows paths from one record type with the relations that the row rule opened.
    """

    template: Template
    catalogue: Catalogue
    start: RecordType
    context: Context
    opened: tuple[Relation, ...] = ()
    problems: list[Problem] = field(default_factory=list)
    notes: list[Problem] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.zone = ZoneInfo(self.template.zone)

    def at(self, start: RecordType) -> ResolutionContext:
        """
        The same state, seen from the records that a fold gathers.
        """
        return ResolutionContext(self.template, self.catalogue, start, self.context, (), self.problems, self.notes)

    @property
    def grouped(self) -> bool:
        return isinstance(self.template.rows, PerGroup)

    def problem(self, code: str, message: str, place: str, **more: Any) -> None:
        self.problems.append(Problem(code=code, message=message, place=place, **more))

    def note(self, code: str, message: str, place: str, **more: Any) -> None:
        self.notes.append(Problem(code=code, message=message, place=place, **more))

    def route(
        self, path: str, place: str, ways_out: tuple[WayOut, ...] | None = None, *, masked: bool = False
    ) -> Route | None:
        """
        A route to one value per row, or None with a problem. `ways_out` are offered where the path leads to many;
        `masked` says that the caller masks what is to be seen masked.
        """
        found = self.catalogue.route(self.start, path, place, opened=tuple(r.name for r in self.opened))
        if isinstance(found, Route):
            return found if masked or self.is_open(found.field, place) else None
        if found.code == "many_in_cell" and ways_out:
            found = Problem(code=found.code, message=found.message, place=found.place, ways_out=ways_out)
        self.problems.append(found)
        return None

    def walk(self, path: str, place: str) -> Walk | None:
        """
        Where a path leads, through to-many relations, too; None with a problem.
        """
        found = self.catalogue.walk(self.start, path, place)
        if isinstance(found, Problem):
            self.problems.append(found)
            return None
        return found if found.field is None or self.is_open(found.field, place) else None

    def is_open(self, field: Field, place: str) -> bool:
        """
        Whether a field can be computed, compared and ordered with: what is seen masked would be told by all of these.
        """
        if field.mask:
            self.problem("masked", masked_message(field), place)
        return not field.mask

    def ways_out_of_cell(self, path: str, place: str) -> tuple[WayOut, ...]:
        """
        What could become of a column whose path leads to many: fold it, open the relation, or a file of its own.
        """
        walk = self.catalogue.walk(self.start, path, place)
        if isinstance(walk, Problem) or walk.many is None or walk.field is None:
            return ()
        many, label = self.to_many(walk)
        numbers = walk.field.kind.is_number
        folds = [WayOut("fold", tr("Count the {label}", label=label), place, {"fold": {"path": many, "how": "count"}})]
        if walk.field.kind is not Kind.FILE:
            how, said = ("sum", tr("Add them up")) if numbers else ("joined", tr("All in one cell, joined"))
            folds.insert(0, WayOut("fold", said, place, {"fold": {"path": path, "how": how}}))
        companion = WayOut("companion_file", tr("A file of its own for the {label}", label=label))
        return (*folds, *self.opening(walk), companion)

    def opening(self, walk: Walk) -> tuple[WayOut, ...]:
        """
        One row per child, where no other relation is opened yet.
        """
        if not isinstance(self.template.rows, PerRecord) or walk.many is None:
            return ()
        many, _ = self.to_many(walk)
        child = self.catalogue.record_types[walk.relations[walk.many].target]
        return (
            WayOut("per_child", tr("One row per {child}", child=child.label), "rows", {"per": "child", "path": many}),
        )

    @staticmethod
    def to_many(walk: Walk) -> tuple[str, str]:
        """
        The path to the last relation to many, and its label as it stands in a sentence.
        """
        assert walk.many is not None
        relations = walk.relations[: walk.many + 1]
        return ".".join(r.name for r in relations), relations[-1].label.lower()

    def ask(self, name: str, place: str) -> Ask | None:
        """
        One of the template's asks, or None with a problem.
        """
        found = next((a for a in self.template.asks if a.name == name), None)
        if found is None:
            candidates = nearest(name, [a.name for a in self.template.asks])
            self.problem(
                "unknown_ask", tr("The template asks nothing called “{name}”.", name=name), place, candidates=candidates
            )
        return found

    def answer(self, ask: Ask) -> Any:
        """
        The answer to an ask. None means that it does not narrow; a run without a required answer is a problem.
        """
        given = answer_to(self.template, self.context, ask.name)
        if given is not None:
            return given
        place = f"asks[{self.template.asks.index(ask)}]"
        if self.context.answers is not None and ask.required:
            self.problem("unanswered", tr("“{ask}” needs an answer.", ask=ask.label), place)
        elif self.context.answers is None:
            self.note("asked_at_run", f"“{ask.label}” is asked at each run; until then it narrows nothing.", place)
        return None


def opened_by(state: ResolutionContext) -> tuple[Relation, ...]:
    """
    The relations that the row rule opens, or none with a problem.
    """
    rows = state.template.rows
    if not isinstance(rows, PerChild):
        return ()
    walk = state.walk(rows.path, "rows.path")
    if walk is None:
        return ()
    if walk.field is not None or not walk.relations or not walk.relations[-1].many:
        message = tr(
            "“{path}” does not lead to many records; each row can only stand for one of many.",
            path=rows.path,
        )
        state.problem("not_children", message, "rows.path")
        return ()
    return walk.relations
