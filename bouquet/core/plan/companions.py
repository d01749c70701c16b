"""
Resolving what goes along with the sheet: files of children, and attachments.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from bouquet.core.catalogue import Kind
from bouquet.core.language import tr
from bouquet.core.plan.model import Attached, Plan
from bouquet.core.plan.state import ResolutionContext
from bouquet.core.template import ChildFile, PerRecord, child_template

__all__ = ["Companions"]


@dataclass
class Companions:
    """
    Resolves the companions of one template. `resolve` is that of templates, for the companions' own.
    """

    state: ResolutionContext
    resolve: Callable[..., Any]

    def children(self) -> tuple[Plan, ...]:
        """
        A plan for each file of children; those with a problem are left out.
        """
        output = self.state.template.output
        found = [self._child(c, f"output.children[{n}]") for n, c in enumerate(output.children)]
        return tuple(plan for plan in found if plan is not None)

    def attached(self) -> Attached | None:
        """
        Where the attached files come from, as a plan of their own; None where there are none.
        """
        template, place = self.state.template, "output.attachments"
        attachments = template.output.attachments
        if attachments is None or not self._fits(place):
            return None
        walk = self.state.walk(attachments.path, f"{place}.path")
        if walk is None:
            return None
        if walk.field is None or walk.field.kind is not Kind.FILE:
            self.state.problem("not_a_file", tr("“{path}” holds no files.", path=attachments.path), f"{place}.path")
            return None
        if walk.many is not None:
            child = ChildFile(path=".".join(r.name for r in walk.relations))
            plan = self._child(child, place)
        else:
            bare = template.output.model_copy(update={"attachments": None, "children": ()})
            alone = template.model_copy(update={"output": bare, "checks": ()})
            plan = self.resolve(alone, self.state.catalogue, self.state.context).partial
        return Attached(plan, walk.route, attachments.folder) if plan is not None else None

    def _child(self, child: ChildFile, place: str) -> Plan | None:
        if not self._fits(place):
            return None
        walk = self.state.walk(child.path, f"{place}.path")
        if walk is None:
            return None
        if walk.field is not None or not walk.relations or not walk.relations[-1].many:
            message = tr(
                "“{path}” does not lead to many records; only these have a file of their own.",
                path=child.path,
            )
            self.state.problem("not_children", message, f"{place}.path")
            return None
        made = child_template(self.state.template, child, self.state.start, walk)
        resolution = self.resolve(made, self.state.catalogue, self.state.context)
        # Problems of the narrowing are said once, where they stand; the others are about this file.
        own = [p for p in resolution.problems if p.place.startswith("columns")]
        self.state.problems += [replace(p, place=f"{place}.columns", ways_out=()) for p in own]
        plan: Plan | None = resolution.plan
        return plan

    def _fits(self, place: str) -> bool:
        template = self.state.template
        if not isinstance(template.rows, PerRecord):
            self.state.problem("not_records", tr("Files go along only where a row stands for a record."), place)
            return False
        if template.at_most is not None:
            message = tr("Files cannot go along with only the first so many rows; narrow the records instead.")
            self.state.problem("limited", message, place)
            return False
        if not self.state.start.key:
            message = tr(
                "A {start} has no key by which what goes along could be told.",
                start=self.state.start.label,
            )
            self.state.problem("no_key", message, place)
            return False
        return True
