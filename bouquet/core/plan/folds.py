"""
Resolving folds: many records as one value.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from bouquet.core.catalogue import Field, Kind, RecordType, Route, Walk
from bouquet.core.errors import WayOut
from bouquet.core.language import sentence_case, tr
from bouquet.core.plan.nodes import Folded, Group, PlanOrder, Predicate, Read
from bouquet.core.plan.state import ResolutionContext
from bouquet.core.plan.style import shown
from bouquet.core.template import Fold, FoldValue, Narrowing, Show
from bouquet.core.vocabulary.folds import FOLDS
from bouquet.core.vocabulary.formats import FORMATS

__all__ = ["Folds", "fold_words"]

#: Makes the predicate of a fold's own filter: the state of the folded records, the narrowing, its place.
Where = Callable[[ResolutionContext, Narrowing, str], "Predicate | None"]


def fold_words(how: str) -> str:
    """
    The combining rule in words, as it stands before what is combined.
    """
    return FOLDS[how].phrase


class Folds:
    """
    Resolves folds on one state.
    """

    def __init__(self, state: ResolutionContext, where: Where) -> None:
        self.state, self.where = state, where

    def resolve(self, fold: Fold, place: str, show: Show | None = None, *, cure: str = "") -> Folded | None:
        """
        A fold at its place, or None with a problem. `cure` is the place a way out would edit.
        """
        state = self.state
        walk = state.walk(fold.path, f"{place}.path")
        if walk is None:
            return None
        opened = tuple(r.name for r in state.opened)
        names = tuple(r.name for r in walk.relations)
        many = [n for n, r in enumerate(walk.relations) if r.many]
        # Where the path leads just to what the row rule opened, all of the parent's records are meant.
        free = [n for n in many if names[: n + 1] != opened[: n + 1]] or many
        if not free and not state.grouped:
            self._nothing_to_fold(fold, place, cure if walk.field else "")
            return None
        if free:
            anchor, chain = walk.relations[: free[0]], walk.relations[free[0] : free[-1] + 1]
            record_type, rest = state.catalogue.record_types[chain[-1].target], walk.relations[free[-1] + 1 :]
        else:
            anchor, chain, record_type, rest = (), (), state.start, walk.relations
        folding = FOLDS[fold.how]
        choice = walk.field is not None and walk.field.kind is Kind.CHOICE
        if free and state.grouped and (not folding.of_groups or (choice and folding.gives == "value")):
            label = chain[-1].label.lower()
            message = tr(
                "A group has many {start}, and each of them many {label}; “{how}” cannot be put together "
                "from these. Start from {label} instead.",
                start=state.start.plural,
                label=label,
                how=fold_words(fold.how),
            )
            state.problem("fold_in_group", message, f"{place}.how")
            return None
        value = Route(rest, walk.field, walk.aspect) if walk.field else None
        if not self._sound(fold, value, place):
            return None
        inner = state.at(record_type)
        order = [self._order(inner, o.path, o, f"{place}.order[{n}]") for n, o in enumerate(fold.order)]
        if folding.order == "must" and not order:
            self._no_order(fold, record_type, place)
            return None
        where = self.where(inner, fold.where, f"{place}.where") if fold.where is not None else None
        if isinstance(where, Group) and not where.parts:
            where = None
        if any(o is None for o in order):
            return None
        return Folded(
            anchor=anchor,
            chain=chain,
            record_type=record_type,
            how=fold.how,
            value=value,
            where=where,
            order=tuple(o for o in order if o),
            separator=fold.separator,
            distinct=fold.distinct,
            at_most=fold.at_most,
            show=shown(show or Show(), value.typed, state.template.output) if value else Show(),
            field=self._field(fold, value, record_type),
            keeps_places=fold.how == "spread" and self._shares_places(fold, place),
        )

    def _nothing_to_fold(self, fold: Fold, place: str, cure: str) -> None:
        ways = (WayOut("field", tr("Take the value itself"), cure, {"field": fold.path}),) if cure else ()
        message = tr("“{path}” is one value per row as it is; there is nothing to fold.", path=fold.path)
        self.state.problem("nothing_to_fold", message, f"{place}.path", ways_out=ways)

    def _no_order(self, fold: Fold, record_type: RecordType, place: str) -> None:
        dated = tuple(f for f in record_type.fields if f.kind.is_dated)
        orders = tuple(
            WayOut("order", tr("By {label}", label=sentence_case(f.label)), f"{place}.order", [{"path": f.name}])
            for f in dated[:3]
        )
        message = tr(
            "Say in which order one of the {record_type} is the {how}.", record_type=record_type.plural, how=fold.how
        )
        self.state.problem("no_order", message, f"{place}.order", candidates=dated, ways_out=orders)

    def _shares_places(self, fold: Fold, place: str) -> bool:
        """
        Whether another spread of the template is over the same records in the same order. Notes, of the later of two
        columns side by side, that it is not.
        """
        columns = self.state.template.columns
        own = next((n for n, c in enumerate(columns) if isinstance(c.value, FoldValue) and c.value.fold is fold), None)
        if own is None or fold.distinct:
            return False
        relation, shares = self._relation(fold), False
        for n, column in enumerate(columns):
            other = column.value.fold if isinstance(column.value, FoldValue) else None
            if other is None or n == own or other.how != "spread" or self._relation(other) != relation:
                continue
            if (other.order, other.where, other.distinct) == (fold.order, fold.where, False):
                shares = True
            elif n == own - 1:
                message = tr(
                    "“{columns}” and “{column}” are spread over the same records in different orders or with "
                    "different filters: values of one number are not of one record.",
                    columns=columns[own].heading,
                    column=column.heading,
                )
                self.state.note("spreads_differ", message, f"{place}.order")
        return shares

    def _relation(self, fold: Fold) -> str | None:
        """
        The path to the records that a fold is over.
        """
        walk = self.state.catalogue.walk(self.state.start, fold.path, "")
        return self.state.to_many(walk)[0] if isinstance(walk, Walk) and walk.many is not None else None

    def _order(self, inner: ResolutionContext, path: str, level: object, place: str) -> PlanOrder | None:
        route = inner.route(path, f"{place}.path")
        if route is None:
            return None
        descending = getattr(level, "direction", "") == "descending"
        return PlanOrder(Read(route), descending, getattr(level, "blanks", "") == "first")

    def _sound(self, fold: Fold, value: Route | None, place: str) -> bool:
        """
        Whether the kind of value can be folded that way.
        """
        state, how = self.state, fold.how
        if value is None:
            if not FOLDS[how].field:
                return True
            message = tr(
                "“{path}” are records; name the field of them that is folded.",
                path=fold.path or tr("the group"),
            )
            state.problem("no_field", message, f"{place}.path")
            return False
        kind, label = value.typed.kind, value.field.label
        undrawn = self._undrawn(fold, label) if kind is Kind.FILE and FOLDS[how].field else None
        if undrawn is not None:
            state.problem("file_in_sheet", undrawn, f"{place}.path")
            return False
        if not FOLDS[how].folds(kind):
            message = tr(
                "“{how}” folds {wanted}, and {label} is of the kind {kind}.",
                how=how,
                wanted=FOLDS[how].wanted,
                label=label,
                kind=kind,
            )
            state.problem("wrong_fold", message, f"{place}.how")
            return False
        return True

    def _undrawn(self, fold: Fold, label: str) -> str | None:
        """
        Why a file does not come out of a fold; None where it is drawn.
        """
        if FOLDS[fold.how].order != "must" or self.state.grouped:
            return tr(
                "{label} is a file: of each record the first or the latest can be shown. Count them, or take their "
                "names.",
                label=label,
            )
        if FORMATS[self.state.template.output.format].pictures:
            return None
        return tr(
            "{label} is a file, and a cell cannot carry files. Count them, take their names, or choose a format that "
            "draws pictures: {formats}.",
            label=label,
            formats=", ".join(f.noun for f in FORMATS.values() if f.pictures),
        )

    @staticmethod
    def _field(fold: Fold, value: Route | None, record_type: RecordType) -> Field:
        """
        What kind of values the fold gives.
        """
        how = fold.how
        label = f"{fold_words(how)} {value.field.label.lower() if value else record_type.plural}".capitalize()
        base = Field(name=label, column="", kind=Kind.TEXT, stored="text", label=label)
        gives = FOLDS[how].gives
        if gives == "count":
            return replace(base, kind=Kind.INTEGER, stored="integer", nullable=False)
        assert value is not None
        field = value.typed
        base = replace(base, unit=field.unit, personal=field.personal)
        if gives == "mean":
            return replace(base, kind=Kind.DECIMAL, stored="numeric")
        if gives == "sum":
            return replace(
                base, kind=field.kind, stored="numeric", scale=field.scale if field.kind is Kind.DECIMAL else 0
            )
        if gives == "text":
            return base
        if gives == "test":
            return replace(base, kind=Kind.BOOLEAN, stored="boolean")
        return replace(
            base,
            kind=field.kind,
            stored=field.stored,
            choices=field.choices,
            choices_ordered=field.choices_ordered,
            scale=field.scale,
            digits_vary=field.digits_vary,
        )
