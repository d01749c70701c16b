"""
What a run comes to against its source as it is now.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from bouquet.core.language import language_of
from bouquet.core.plan import Plan, resolve
from bouquet.core.template import Template, read_bundle, read_document
from bouquet.runs.asking import as_format
from bouquet.runs.services import Services
from bouquet.store.models import Run

__all__ = ["PlannedRun", "language_of_run", "plan_run"]


@dataclass
class PlannedRun:
    """
    The plans of a run, several where it is a bundle.
    """

    name: str
    parts: list[tuple[Template, Plan]]
    keep_days: int | None

    @property
    def alone(self) -> tuple[Template, Plan] | tuple[None, None]:
        """
        The one template of a run that is no bundle.
        """
        return self.parts[0] if len(self.parts) == 1 else (None, None)


def language_of_run(services: Services, run: Run) -> str:
    """
    What a run is written in: a file for readers in the language of its headings, or of its dates and numbers, all else
    in the house's.
    """
    output = run.document.get("output") or {}
    if output.get("style") == "reader":
        return language_of(str(output.get("language") or output.get("locale") or "en"))
    return services.language


def plan_run(services: Services, run: Run) -> PlannedRun:
    """
    The plans of a run. Raises PlanError where the source no longer gives what they ask for.
    """
    catalogue = services.catalogue_for(run.scope, run.source)
    context = services.context(
        run.as_of,
        answers=run.answers,
        scope=run.scope,
        source=run.source,
        template_id=run.template_id,
        run_id=run.id,
    )
    if run.is_bundle:
        bundle = read_bundle(run.document)
        parts = [
            (t, resolve(t, catalogue, replace(context, answers=bundle.answers_of(n))).require())
            for n, t in enumerate(bundle.parts)
        ]
        return PlannedRun(bundle.name, parts, None)
    template = as_format(read_document(run.document), run.format)
    return PlannedRun(
        template.name, [(template, resolve(template, catalogue, context).require())], template.output.keep_days
    )
