"""
What the library says of templates: what each runs, as somebody sees it.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, NamedTuple

from bouquet.core.catalogue import Catalogue
from bouquet.core.errors import BouquetError, TemplateError
from bouquet.core.language import language
from bouquet.core.personal import EVERYTHING, Sight, tells_unseen
from bouquet.core.plan import resolve
from bouquet.core.template import read_document
from bouquet.core.wording.sentence import Sentence
from bouquet.designing.source_view import SourceView
from bouquet.runs import Services
from bouquet.runs.drift import DRIFT
from bouquet.store.models import Person, TemplateRecord

__all__ = ["ReadSource", "Said", "said_of"]


class Said(NamedTuple):
    """
    What the library says of what a template runs: its columns' headings and paths as one text to search in, what is
    broken about it, if anything, whether it holds personal data, and its sentence.
    """

    fields: str = ""
    broken: str = ""
    personal: bool = False
    sentence: str = ""


#: By template, version, revision, reading of the source and what is seen of it; the newest are kept.
_said: dict[tuple[int, int, int, str, Sight, str], Said] = {}


@dataclass(frozen=True)
class ReadSource:
    """
    What is known of a source just now; no catalogue where it cannot be read, with the reason.
    """

    title: str
    catalogue: Catalogue | None
    trouble: str = ""
    sight: Sight = EVERYTHING

    @classmethod
    def of(cls, services: Services, person: Person, key: str) -> ReadSource:
        title = key
        try:
            view = SourceView.of(services, person, key)
            title = view.source.title
            return cls(title, view.catalogue, sight=services.sight_of(person.scope, key))
        except BouquetError as error:
            # One source that is away never takes the whole list with it.
            return cls(title, None, str(error))

    def opens(self, records: str) -> bool:
        """
        Whether a record type is not closed to the person; one that is not there at all is.
        """
        whole = self.catalogue.whole if self.catalogue is not None else None
        return whole is None or records in self.catalogue.record_types or records not in whole.record_types  # type: ignore[union-attr]

    def label_of(self, records: str) -> str:
        found = self.catalogue.record_types.get(records) if self.catalogue is not None else None
        return found.plural.capitalize() if found is not None else ""


def said_of(services: Services, record: TemplateRecord, running: dict[str, Any], source: ReadSource) -> Said:
    """
    What the library says of a template. A draft that differs from the saved version is its designers' business.
    """
    catalogue = source.catalogue
    if catalogue is None:
        return Said(broken=source.trouble)
    whole = catalogue.whole or catalogue
    revision = 0 if record.version else record.draft_revision
    key = (record.id, record.version, revision, whole.digest, source.sight, language())
    if key not in _said:
        if len(_said) > 5_000:
            _said.clear()
        try:
            template = read_document(running)
            context = replace(services.context(source=record.source), sight=source.sight)
            resolution = resolve(template, catalogue, context)
        except TemplateError as error:
            # One bad entry never takes the list away.
            _said[key] = Said(broken=str(error))
            return _said[key]
        lost = [p.message for p in resolution.problems if p.code in DRIFT]
        start = catalogue.record_types.get(template.records)
        columns = [
            f"{c.heading} {getattr(c.value, 'field', '')}"
            for c in template.columns
            if start is None or not tells_unseen(catalogue, start, c.value.model_dump(mode="json"))
        ]
        personal = resolution.partial is not None and bool(resolution.partial.personal)
        sentence = Sentence(template, catalogue, context).text()
        _said[key] = Said(" · ".join(columns), lost[0] if lost else "", personal, sentence)
    return _said[key]
