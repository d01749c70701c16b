"""
The sentence: a template in plain words, as parts of which some can be acted on.

It is made from the document, so that it can be read also while the document has problems; words for paths
come from the catalogue, and a path that leads nowhere stands as it was written.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from zoneinfo import ZoneInfo

from pydantic import ValidationError

from bouquet.core.catalogue import Catalogue, Field, RecordType, Route, Walk
from bouquet.core.language import CONSTANT, PLURAL, Texts, language, number_words, sentence_case, tr, trn, whole
from bouquet.core.personal import tells_unseen
from bouquet.core.plan.made import read_narrowing
from bouquet.core.plan.model import Context
from bouquet.core.plan.state import answer_to
from bouquet.core.rights import Scope
from bouquet.core.template.document import Order, Template
from bouquet.core.template.filter import AllOf, AnyOf, Condition, FormulaTest, Has, Narrowing, NoneOf, Picks, Window
from bouquet.core.template.part import Scalar
from bouquet.core.template.values import By, FieldValue, FoldValue, PerChild, PerGroup
from bouquet.core.values import read_value, say_value
from bouquet.core.vocabulary.comparisons import COMPARISONS
from bouquet.core.windows import resolve_window, span_words, window_words
from bouquet.core.wording.fields import field_words
from bouquet.core.wording.lists import listed

__all__ = ["EXACTLY", "NOT_SENT", "Part", "Sentence", "scope_words"]

#: What stands for a condition on what somebody may not see.
UNSEEN = "1 part you may not see"
CONSTANT.add(UNSEEN)

_JOINS = Texts({"all": " and ", "any": " or ", "none": " or "})

#: What a template that wants only what is new says of it.
NOT_SENT = Texts(
    {"new": "only what was not sent before", "new_or_changed": "only what is new or changed since it was sent"}
)

#: What stands behind a comparison that minds case and spaces.
EXACTLY = "exactly"
CONSTANT.add(EXACTLY)

# The steps of groupings, for one and for several.
for _step in ("minute", "hour", "day", "week", "month", "quarter", "year"):
    PLURAL[f"{_step} of {{field}}"] = f"{{n}} {_step}s of {{field}}"

#: Values named in a list before the rest is counted.
_NAMED = 4


@dataclass(frozen=True)
class Part:
    """
    A piece of the sentence. `role` says what it is: plain `text`, or a chip: `records`, `rows`, `field`, `value`,
    `formula`, `order`, `limit`, `split`; `place` is the part of the document that the chip stands for. `note` stands
    behind it in small print.
    """

    text: str
    role: str = "text"
    place: str = ""
    note: str = ""


def scope_words(scope: Scope, catalogue: Catalogue) -> str:
    """
    What a person's rights leave, by the names of the records that it speaks of: `wards Fernlea and Quay`.
    """
    known = catalogue.record_types.get(scope.records)
    if known is None:
        return tr("what your rights leave, which is nothing here")
    names = scope.names or scope.values
    label = known.label if len(names) == 1 else known.plural
    return f"{label if language() == 'de' else label.lower()} {listed(names)}"


class Sentence:
    """
    Reads a template out in words.
    """

    def __init__(self, template: Template, catalogue: Catalogue, context: Context) -> None:
        self.template, self.catalogue, self.context = template, catalogue, context
        self.record_type = catalogue.record_types.get(template.records)

    def parts(self) -> list[Part]:
        """
        The whole sentence.
        """
        return list(self._all())

    def text(self) -> str:
        """
        The whole sentence as plain text, dates of windows in brackets.
        """
        return words(self.parts())

    def condition(self, node: Narrowing, place: str) -> str:
        """
        One narrowing as plain text.
        """
        return words(self._narrowing(node, place, self.record_type, top=True))

    def steps(self) -> list[tuple[str, str]]:
        """
        (place, words) of each step of the filter that narrows.
        """
        known = [(place, self.condition(node, place)) for place, node in (*self._made(), *self._steps())]
        return [*known, ("only", NOT_SENT[self.template.only])] if self.template.only in NOT_SENT else known

    def _steps(self) -> list[tuple[str, Narrowing]]:
        return _parts_of(self.template.filter, "filter")

    def _made(self) -> list[tuple[str, Narrowing]]:
        """
        What makes the record type itself, where it was made from another.
        """
        where = self.record_type.where if self.record_type is not None else None
        return _parts_of(read_narrowing(where), "made") if where else []

    def _all(self) -> Iterator[Part]:
        yield from self._rows()
        for n, (place, node) in enumerate(self._steps()):
            yield Part(tr(" where ") if n == 0 else tr(", and "))
            yield from self._narrowing(node, place, self.record_type, top=True)
        yield from self._scope()
        if self.template.only in NOT_SENT:
            yield Part(tr(", and "))
            yield Part(NOT_SENT[self.template.only], "limit", "only")
        yield from self._folds()
        yield from self._order()
        yield Part("; ")
        limit = self.template.at_most
        rows = tr("every row") if limit is None else trn("the first {n} row", "the first {n} rows", limit)
        yield Part(rows, "limit", "at_most")
        yield from self._split()
        yield Part(".")

    # Rows

    def _rows(self) -> Iterator[Part]:
        name = self.record_type.label if self.record_type else self.template.records
        rows = self.template.rows
        if isinstance(rows, PerChild):
            plural = self.record_type.plural if self.record_type else name
            kept = rows.parents_without == "keep"
            yield Part(tr("One row per "))
            yield Part(self._child(rows.path), "rows", "rows")
            yield Part(tr(" of each "))
            yield Part(name, "records", "records")
            yield Part(", ")
            said = (
                tr("with a row for {records} without any", records=plural)
                if kept
                else tr("leaving out {records} without any", records=plural)
            )
            yield Part(said, "rows", "rows.parents_without")
            if self._steps():
                yield Part(",")
        elif isinstance(rows, PerGroup):
            yield Part(tr("One row per "))
            for n, by in enumerate(rows.by):
                if n:
                    yield Part(tr(" and per ") if n == len(rows.by) - 1 else tr(", per "))
                yield Part(self._by(by), "rows", f"rows.by[{n}]")
            if rows.across is not None:
                yield Part(tr(", across "))
                across = By(path=rows.across.path, step=rows.across.step)
                yield Part(self._by(across), "rows", "rows.across")
            yield Part(tr(", from all "))
            yield Part(self.record_type.plural if self.record_type else name, "records", "records")
        else:
            yield Part(tr("One row per "))
            yield Part(name, "records", "records")

    def _by(self, by: By) -> str:
        named = self._name(by.path, self.record_type)
        if by.step is None:
            return named
        step = trn(f"{by.step} of {{field}}", f"{{n}} {by.step}s of {{field}}", by.count, field=named)
        return step + (tr(" (gaps filled)") if by.fill_gaps else "")

    def _child(self, path: str) -> str:
        walk = self.catalogue.walk(self.record_type, path, "") if self.record_type else None
        return walk.end.label if isinstance(walk, Walk) else path

    def _scope(self) -> Iterator[Part]:
        scope = self.context.scope
        if scope is not None:
            yield Part(tr("; only {scope}", scope=scope_words(scope, self.catalogue)))

    def _folds(self) -> Iterator[Part]:
        """
        What folds leave out: they narrow nothing but their own cells, and are said all the same.
        """
        for n, column in enumerate(self.template.columns):
            fold = column.value.fold if isinstance(column.value, FoldValue) else None
            if fold is None or fold.where is None or _is_empty(fold.where):
                continue
            place = f"columns[{n}].value.fold.where"
            yield Part(tr("; “{heading}” only of those where ", heading=column.heading))
            yield from self._narrowing(fold.where, place, self._folded_type(fold.path), top=True)

    def _folded_type(self, path: str) -> RecordType | None:
        """
        The type of the records at the end of the last relation to many.
        """
        walk = self.catalogue.walk(self.record_type, path, "") if self.record_type else None
        if not isinstance(walk, Walk):
            return None
        return self.record_type if walk.many is None else self.catalogue.record_types[walk.relations[walk.many].target]

    def _split(self) -> Iterator[Part]:
        split = self.template.output.split
        if split is None:
            return
        if split.rows is not None:
            said = trn("a new file after each row", "a new file after {n} rows", split.rows)
        elif split.megabytes is not None:
            said = tr("a new file after {n} MB", n=number_words(split.megabytes))
        else:
            column = next((c.heading for c in self.template.columns if c.id == split.by), None)
            by = sentence_case(column) if column else self._name(split.by or "", self.record_type)
            said = (
                tr("one sheet per {field}", field=by)
                if split.into == "sheets"
                else tr("one file per {field}", field=by)
            )
        yield Part(", ")
        yield Part(said, "split", "output.split")

    # Narrowings

    def _narrowing(self, node: Narrowing, place: str, start: RecordType | None, *, top: bool = False) -> Iterator[Part]:
        if isinstance(node, Condition | Has | FormulaTest) and self._is_unseen(node, start):
            yield Part(tr(UNSEEN), "field", place)
            return
        match node:
            case Condition():
                yield from self._comparison(node, place, start)
                return
            case Has():
                yield from self._has(node, place, start)
                return
            case Picks():
                yield Part(tr("it"), "field", place)
                yield Part(tr(" is in the list "))
                yield Part(tr("“{value}”", value=node.picks), "value", place)
                return
            case FormulaTest():
                yield Part(node.formula.removeprefix("=").strip(), "formula", place)
                return
        how = "all" if isinstance(node, AllOf) else "any" if isinstance(node, AnyOf) else "none"
        parts: list[tuple[int, Narrowing]] = [(n, p) for n, p in enumerate(getattr(node, how)) if not _is_empty(p)]
        yield Part(tr("not (") if how == "none" else "(")
        for k, (n, part) in enumerate(parts):
            if k:
                yield Part(_JOINS[how])
            yield from self._narrowing(part, f"{place}.{how}[{n}]", start)
        yield Part(")")

    def _is_unseen(self, node: Narrowing, start: RecordType | None) -> bool:
        if start is None or self.catalogue.whole is None:
            return False
        column = next((c for c in self.template.columns if c.id == getattr(node, "column", None)), None)
        parts = [node.model_dump(mode="json", exclude_defaults=True), column and column.value.model_dump(mode="json")]
        return tells_unseen(self.catalogue, start, parts)

    def _has(self, node: Has, place: str, start: RecordType | None) -> Iterator[Part]:
        walk = self.catalogue.walk(start, node.path, "") if start else None
        known = isinstance(walk, Walk)
        yield Part(tr("it has "))
        said = {"any": tr("any"), "none": tr("no"), "at_least": tr("at least {n}", n=whole(node.count))}[node.has]
        yield Part(said, "value", place)
        yield Part(f" {walk.end.plural if known else node.path}")  # type: ignore[union-attr]
        if node.where is not None and not _is_empty(node.where):
            yield Part(tr(" where "))
            yield from self._narrowing(node.where, f"{place}.where", walk.end if known else None)  # type: ignore[union-attr]

    def _comparison(self, node: Condition, place: str, start: RecordType | None) -> Iterator[Part]:
        route = self._route(node.path, start) if node.path else None
        yield Part(self._heading(node.column) if node.column else self._name(node.named, start), "field", place)
        verb = f" {COMPARISONS[node.is_].words}" + (f" {tr(EXACTLY)}" if node.exact else "")
        if node.is_ in ("blank", "not_blank", "yes", "no"):
            verb = tr("is ")
            yield Part(f" {verb}")
            yield Part(COMPARISONS[node.is_].words.removeprefix(verb), "value", place)
            return
        yield Part(f"{verb} ")
        asked = self._asked(node)
        if node.ask is not None and self.context.answers is None:
            # While it is designed the answer is open, whatever is offered first.
            yield Part(tr("ask each time"), "value", place, self._asked_note(node, asked, route))
            return
        if asked is None:
            label = next((a.label for a in self.template.asks if a.name == node.ask), node.ask)
            yield Part("…", "value", place, tr("asked at each run: {question}", question=label))
            return
        if asked.is_ == "in_window" and asked.window is not None:
            yield Part(window_words(asked.window), "value", place, self._dates(asked))
            return
        yield Part(self._values(asked, route.typed if route else None), "value", place)

    def _asked(self, node: Condition) -> Condition | None:
        """
        The condition with its answer; None where there is none yet.
        """
        if node.ask is None:
            return node
        answer = answer_to(self.template, self.context, node.ask)
        if answer is None:
            return None
        try:
            if node.is_ == "in_window":
                return node.model_copy(update={"window": Window.model_validate(answer)})
        except ValidationError:
            return None
        if isinstance(answer, list | tuple):
            return node.model_copy(update={"values": tuple(answer)})
        return node.model_copy(update={"value": answer})

    def _asked_note(self, node: Condition, asked: Condition | None, route: Route | None) -> str:
        """
        The question, and the answer that is offered.
        """
        label = next((a.label for a in self.template.asks if a.name == node.ask), node.ask or "")
        if asked is None or asked is node:
            return label
        if asked.is_ == "in_window" and asked.window is not None:
            offered = window_words(asked.window)
        else:
            offered = self._values(asked, route.typed if route else None)
        return tr("{question} Offered: {answer}", question=label, answer=offered)

    def _heading(self, column: str) -> str:
        return next((tr("“{value}”", value=c.heading) for c in self.template.columns if c.id == column), column)

    def _values(self, node: Condition, field: Field | None) -> str:
        raw = node.values if node.values is not None else () if node.value is None else (node.value,)
        if not raw:
            return "…"
        said = [self._say(v, field) for v in raw]
        if node.is_ == "between":
            return tr(" and ").join(said)
        if len(said) > _NAMED:
            return tr("{names} and {n} more", names=", ".join(said[: _NAMED - 1]), n=len(said) - _NAMED + 1)
        return ", ".join(said)

    def _say(self, raw: Scalar, field: Field | None) -> str:
        if field is not None:
            try:
                return say_value(read_value(raw, field, ZoneInfo(self.template.zone)), field)
            except ValueError:
                pass
        return tr("“{value}”", value=raw)

    def _dates(self, node: Condition) -> str:
        assert node.window is not None
        try:
            span = resolve_window(
                node.window,
                self.context.as_of,
                ZoneInfo(self.template.zone),
                year_start=self.context.year_start,
                last_run_at=self.context.last_run_at,
            )
        except (ValueError, OverflowError):
            return ""
        return span_words(span, self.context.as_of)

    # Order

    def _order(self) -> Iterator[Part]:
        if not self.template.order:
            return
        yield Part(tr("; ordered by "))
        for n, level in enumerate(self.template.order):
            if n:
                yield Part(tr(", then "))
            path = self._order_path(level)
            route = self._route(path, self.record_type) if path is not None else None
            named = self._name(path, self.record_type) if path is not None else self._heading(level.column or "…")
            yield Part(named, "order", f"order[{n}]")
            if level.direction == "descending":
                dated = route is not None and route.field.kind.is_dated
                yield Part(tr(", newest first") if dated else tr(", greatest first"))
            if level.blanks == "first":
                yield Part(tr(", blanks before the rest"))

    def _order_path(self, level: Order) -> str | None:
        """
        The path ordered by; None where a column is no field.
        """
        if level.path is not None:
            return level.path
        column = next((c for c in self.template.columns if c.id == level.column), None)
        return column.value.field if column and isinstance(column.value, FieldValue) else None

    def _route(self, path: str, start: RecordType | None) -> Route | None:
        walk = self.catalogue.walk(start, path, "") if start else None
        return walk.route if isinstance(walk, Walk) and walk.field is not None else None

    def _name(self, path: str, start: RecordType | None) -> str:
        """
        How a field is called in the sentence: its label, led by the record it belongs to where that is another.
        """
        route = self._route(path, start)
        if route is None:
            unseen = start is not None and tells_unseen(self.catalogue, start, {"path": path})
            return tr("what you may not see") if unseen else path
        return field_words(route, self.catalogue)


def _parts_of(root: Narrowing, place: str) -> list[tuple[str, Narrowing]]:
    if isinstance(root, AllOf):
        return [(f"{place}.all[{n}]", p) for n, p in enumerate(root.all) if not _is_empty(p)]
    return [] if _is_empty(root) else [(place, root)]


def _is_empty(node: Narrowing) -> bool:
    match node:
        case AllOf():
            return all(map(_is_empty, node.all))
        case AnyOf():
            return all(map(_is_empty, node.any))
        case NoneOf():
            return all(map(_is_empty, node.none))
        case _:
            return False


def words(parts: list[Part] | Iterator[Part]) -> str:
    """
    Parts as plain text, small print in brackets.
    """
    return "".join(p.text + (f" ({p.note})" if p.note else "") for p in parts)
