"""
What the recipients of a run get beside its own files: the same rows, or those of their part, in the form
that each takes.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextvars import copy_context
from dataclasses import replace
from typing import Any

import polars as pl

from bouquet.core.memory import SentKeys
from bouquet.core.naming import safe_name
from bouquet.core.plan import Plan
from bouquet.core.shaping import Totalled
from bouquet.core.template import Template
from bouquet.core.wording.given import sentence_for
from bouquet.runs.exported import file_facts
from bouquet.runs.finished import FinishedFiles
from bouquet.runs.forms import Addressed, FormFile
from bouquet.runs.split_writer import Part

__all__ = ["ForRecipients"]


class ForRecipients:
    """
    The forms of all recipients of a run, taken from its rows as they go by.

    Args:
        template: The template that `plan` was resolved from.
        recipients: Whom the run is for.
        sentence: What the run's own files say that they hold.
        keys: Makes what gathers the keys of records, by record type.
    """

    def __init__(
        self,
        template: Template,
        plan: Plan,
        recipients: Sequence[Addressed],
        sentence: str,
        finished: FinishedFiles,
        keys: Callable[[], dict[str, SentKeys]],
    ) -> None:
        self.template, self.plan, self.recipients, self.sentence = template, plan, recipients, sentence
        self.finished, self.keys = finished, keys
        self.forms: list[FormFile] = []
        self._said: dict[tuple[Any, ...], str] = {}

    def begin(self, parts: Sequence[Part], totals_of: Callable[[], Totalled], announced: int) -> None:
        """
        Begin the files of those whom something is for: where each gets their own part, those of whom there is one.
        """
        there = {part.exact for part in parts}
        wanted = [to for to in self.recipients if to.part is None or to.part in there]
        self.forms = [self._form(to, parts, totals_of, announced) for to in wanted]

    def _form(
        self, to: Addressed, parts: Sequence[Part], totals_of: Callable[[], Totalled], announced: int
    ) -> FormFile:
        keys = self.keys() if to.part is not None else {}
        # Many recipients may receive the same; a large catalogue takes a while to be looked through.
        treated = (to.acceptance.personal, *sorted(to.acceptance.classes.items()))
        if treated not in self._said:
            self._said[treated] = sentence_for(to.acceptance, self.template, self.plan)
        said = self._said[treated]
        told = said == self.sentence
        folder = self.finished.folder
        return FormFile(to, self.plan, folder, parts, totals_of, announced, said, keys, told=told)

    def take(self, frame: pl.DataFrame, threads: ThreadPoolExecutor) -> list[Future[None]]:
        """
        Write a batch into every form, beside whoever asks.
        """
        return [threads.submit(copy_context().run, form.take, frame) for form in self.forms]

    def end(self) -> None:
        """
        Finish the files; they are not in their places yet.
        """
        for form in self.forms:
            form.end()

    def abandon(self) -> None:
        """
        Close the files that are under way.
        """
        for form in self.forms:
            form.abandon()

    def put(self, stem: str) -> list[dict[str, Any]]:
        """
        Put the files in their places; returns what each recipient gets, as the slip has it. `stem` is what names of
        companions begin with.
        """
        return [self._put(form, stem) for form in self.forms]

    def _put(self, form: FormFile, stem: str) -> dict[str, Any]:
        own = [
            replace(
                self.finished.finish(path.name[1:].removesuffix(".part"), path, "form", rows),
                recipient=form.to.id,
                called=name,
                media_type=form.media_type,
                part=part,
            )
            for name, path, rows, part in form.whole
        ]
        for beside in form.beside() if own else ():
            name = f"{own[0].name.rpartition('.')[0]}-{beside.suffix}"
            path = self.finished.folder / f".{form.to.id}~{name}.part"
            path.write_bytes(beside.content)
            made = self.finished.finish(path.name[1:].removesuffix(".part"), path, "schema", 0)
            own.append(replace(made, recipient=form.to.id, called=name, media_type=beside.media_type))
        self.finished.files += own
        if missing := form.missing_csv():
            self.finished.add(f"{stem}-missing-for-{safe_name(form.to.name)}.csv", "missing", missing)
        facts = {
            "id": form.to.id,
            "name": form.to.name,
            "files": [file_facts(f) for f in own],
            "unmet": form.unmet,
            "allowed": form.to.acceptance.allowed,
        }
        if form.sentence != self.sentence:
            facts["sentence"] = form.sentence
        if form.to.part is None:
            return facts
        start = self.plan.record_type
        return {**facts, "part": form.to.part, "rows": form.announced, "records": start.made_of or start.name}
