"""
One source as one person may see it: what every look, count and proposal goes through.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, replace
from typing import Any

from bouquet.core.catalogue import Catalogue, RecordType
from bouquet.core.language import tr
from bouquet.core.personal import seen_catalogue
from bouquet.core.plan import Context, Resolution, resolve
from bouquet.core.rights import Rights, Scope
from bouquet.core.template import Template, read_document, with_columns
from bouquet.core.wording.sentence import Sentence
from bouquet.designing.budget import Budget
from bouquet.rights import sees_source
from bouquet.runs import Services
from bouquet.runs.remembering import left_of, wants_memory
from bouquet.sources import INTERACTIVE_TIMEOUT, FieldFacts, Finding, NoSource, Snapshot, Source
from bouquet.store import NotFound, NotPossible
from bouquet.store.memory import Memory
from bouquet.store.models import Person
from bouquet.store.views import see_view

__all__ = ["SourceView"]

_budget = Budget()


@dataclass(frozen=True)
class SourceView:
    """
    A source, and the person who looks at it.
    """

    services: Services
    person: Person
    source: Source

    @classmethod
    def of(cls, services: Services, person: Person, key: str) -> SourceView:
        """
        The view of a source by what templates know it by. Raises NoSource, also for one that the person may not see.
        """
        if not sees_source(person, key):
            raise NoSource(tr("There is no source “{key}” here, or it was removed.", key=key))
        return cls(services, person, services.sources.get(key))

    @property
    def key(self) -> str:
        """
        What templates know the source by.
        """
        return self.source.key

    @property
    def catalogue(self) -> Catalogue:
        """
        Its catalogue as the person sees it.
        """
        return seen_catalogue(self.source.catalogue(), self.services.sight_of(self.person.scope, self.key))

    @property
    def scope(self) -> Scope | None:
        """
        What the person's rights leave of its records; None for all.
        """
        return self.services.scope_of(self.person.scope, self.key)

    @property
    def rights(self) -> Rights | None:
        """
        The person's rights laid on its catalogue; None for all.
        """
        return Rights(self.catalogue, self.scope) if self.scope is not None else None

    def record_type(self, name: str) -> RecordType:
        """
        One of its record types. Raises NotFound.
        """
        found = self.catalogue.record_types.get(name)
        if found is None:
            msg = tr("There is no record type “{name}”.", name=name)
            raise NotFound(msg)
        return found

    def context(self, *, answers: Mapping[str, Any] | None = None, template_id: int | None = None) -> Context:
        """
        The context of a look by this person, as of now.
        """
        return self.services.context(answers=answers, scope=self.person.scope, source=self.key, template_id=template_id)

    def resolve(
        self, template: Template, *, answers: Mapping[str, Any] | None = None, template_id: int | None = None
    ) -> Resolution:
        """
        A template resolved for this person.
        """
        return resolve(template, self.catalogue, self.context(answers=answers, template_id=template_id))

    def resolve_remembering(
        self, template: Template, snapshot: Snapshot, context: Context, template_id: int | None
    ) -> Resolution:
        """
        A template resolved as its next run by hand would be: without what was sent before, where it wants only what is
        new. One that is not in the library remembers nothing.
        """
        resolution = resolve(template, self.catalogue, context)
        if not wants_memory(template) or template_id is None or resolution.partial is None:
            return resolution
        left = left_of(self.services, snapshot, template, resolution.partial, Memory(template_id))
        return resolve(template, self.catalogue, replace(context, not_sent=left.not_sent))

    def with_columns_of(self, template: Template, view_id: int) -> Template:
        """
        A template with the columns of a saved view of the same record type. Raises NotFound, and NotPossible where the
        view is of another.
        """
        with self.services.store.session() as session:
            found = see_view(session, view_id, self.person)
        if (found.source, found.records) != (self.key, template.records):
            msg = tr("This view is of another record type than the template.")
            raise NotPossible(msg)
        return with_columns(template, read_document({**found.document, "name": found.name}).columns)

    def sentence(self, template: Template, context: Context | None = None) -> Sentence:
        """
        A template's sentence, in the words of its catalogue.
        """
        return Sentence(template, self.catalogue, context or self.context())

    def find(self, records: str, text: str) -> Iterator[Finding]:
        """
        Search a record type and its neighbours for a value, as it is found. Raises TooMuchAtOnce.
        """
        with _budget.taken(self.person.id):
            yield from self.source.find(records, text, scope=self.scope, seen=self.catalogue)

    def facts(self, records: str, field: str) -> FieldFacts:
        """
        A field's values at a glance. Raises KeyError, and TooMuchAtOnce.
        """
        if self.catalogue.record_types[records].field_named(field) is None:
            raise KeyError(field)
        with _budget.taken(self.person.id):
            return self.source.facts(records, field, self.scope)

    @contextmanager
    def snapshot(self) -> Iterator[Snapshot]:
        """
        A snapshot for interactive work. Raises TooMuchAtOnce where the person has too much of it under way.
        """
        with (
            _budget.taken(self.person.id),
            self.source.reader.snapshot(timeout_ms=INTERACTIVE_TIMEOUT, pooled=True) as snapshot,
        ):
            yield snapshot
