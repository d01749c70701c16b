"""
Parsed formula → typed tree, or the problem at its character.

Where a function wants another type than it is given, numbers, dates and yes-no become texts, a date becomes the moment
at its beginning, and a text written in the formula becomes the date or time it says. Nothing else changes by itself.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import date, datetime, time
from decimal import Decimal
from zoneinfo import ZoneInfo

from bouquet.core.errors import nearest
from bouquet.core.formula.functions import FUNCTIONS, Function, Signature
from bouquet.core.formula.parser import Applied, FormulaError, Named, Number, Parsed, Quoted, parse
from bouquet.core.formula.types import Call, Literal, Node, Reference, Target, Type, type_of
from bouquet.core.language import Texts, tr, trn
from bouquet.core.patterns import PatternError, parse_date_pattern, parse_number_pattern

__all__ = ["check"]

#: Arguments of one call.
MOST_ARGUMENTS = 100

_WANTED = Texts(
    {
        Type.NUMBER: "a number",
        Type.TEXT: "a text",
        Type.YES_NO: "yes or no",
        Type.DATE: "a date",
        Type.MOMENT: "a date and time",
        Type.TIME: "a time",
    }
)

Find = Callable[[str], Target]


def check(text: str, find: Find, as_of: datetime, zone: ZoneInfo) -> Node:
    """
    Read and type a formula.

    Args:
        find: Leads from what stands between braces to a field or column; raises ValueError with a sentence.
        as_of: What NOW() and TODAY() are, in `zone`.

    Raises FormulaError at the character that is wrong.
    """
    return _Checker(find, as_of.astimezone(zone)).node(parse(text))


class _Checker:
    def __init__(self, find: Find, now: datetime) -> None:
        self.find, self.now = find, now

    def node(self, parsed: Parsed) -> Node:
        if isinstance(parsed, Number):
            return Literal(Decimal(parsed.text), Type.NUMBER)
        if isinstance(parsed, Quoted):
            if "\x00" in parsed.text:
                raise FormulaError(tr("This text holds a character that no database can carry."), parsed.at)
            return Literal(parsed.text, Type.TEXT)
        if isinstance(parsed, Named):
            return self.reference(parsed)
        return self.call(parsed)

    def reference(self, parsed: Named) -> Node:
        length = len(parsed.name) + 2
        try:
            target = self.find(parsed.name)
        except ValueError as error:
            raise FormulaError(str(error), parsed.at, length) from error
        kind = type_of(target.field)
        if kind is None:
            raise FormulaError(
                tr("{label} is a file; a formula cannot read it.", label=target.field.label), parsed.at, length
            )
        return Reference(target, kind)

    def call(self, parsed: Applied) -> Node:
        function = FUNCTIONS.get(parsed.function)
        if function is None:
            candidates = nearest(parsed.function, [n for n in FUNCTIONS if n[0].isalpha() and " " not in n])
            hint = tr(" Did you mean {candidates}?", candidates=" or ".join(candidates)) if candidates else ""
            message = tr("There is no function {function}.{hint}", function=parsed.function, hint=hint)
            raise FormulaError(message, parsed.at, len(parsed.function))
        if len(parsed.arguments) > MOST_ARGUMENTS:
            raise FormulaError(
                tr(
                    "{function} takes at most {most_arguments} values.",
                    function=function.name,
                    most_arguments=MOST_ARGUMENTS,
                ),
                parsed.at,
            )
        arguments = [self.node(a) for a in parsed.arguments]
        if function.name == "TODAY" and not arguments:
            return Literal(self.now.date(), Type.DATE)
        if function.name == "NOW" and not arguments:
            return Literal(self.now.replace(tzinfo=None), Type.MOMENT)
        fits = [(n, s) for n, s in enumerate(function.signatures) if _takes(s, len(arguments))]
        if not fits:
            said = " or ".join(dict.fromkeys(_counts(s) for s in function.signatures))
            message = tr(
                "{function} takes {said}, and has {arguments} here.",
                function=_name(function),
                said=said,
                arguments=len(arguments),
            )
            raise FormulaError(message, parsed.at, len(parsed.function))
        for exact in (True, False):
            for n, signature in fits:
                made = _fitted(signature, arguments, exact=exact)
                if made is not None:
                    self.check_pattern(function, made[0], parsed)
                    return Call(function.name, n, *made)
        raise self.misfit(function, fits[0][1], parsed, arguments)

    @staticmethod
    def check_pattern(function: Function, arguments: tuple[Node | None, ...], parsed: Applied) -> None:
        """
        Raise FormulaError where a pattern does not stand in the formula itself, or cannot be read.
        """
        if function.pattern_at is None:
            return
        value, pattern = arguments[0], arguments[function.pattern_at]
        at = parsed.arguments[function.pattern_at].at
        if not isinstance(pattern, Literal) or not isinstance(pattern.value, str):
            raise FormulaError(
                tr(
                    "{function} needs its pattern as a text in quotation marks here.",
                    function=function.name,
                ),
                at,
            )
        try:
            if value is not None and value.type is Type.NUMBER:
                parse_number_pattern(pattern.value)
            else:
                parse_date_pattern(pattern.value)
        except PatternError as error:
            raise FormulaError(str(error), at) from error

    @staticmethod
    def misfit(function: Function, signature: Signature, parsed: Applied, arguments: list[Node]) -> FormulaError:
        for n, (argument, written) in enumerate(zip(arguments, parsed.arguments, strict=True)):
            wanted = signature.parameters[min(n, len(signature.parameters) - 1)].type
            if wanted is not None and _converted(argument, wanted) is None:
                got = _WANTED[argument.type]
                message = tr(
                    "{function} needs {wanted} here, and this is {got}.",
                    function=_name(function),
                    wanted=_WANTED[wanted],
                    got=got,
                )
                if wanted is Type.NUMBER and argument.type is Type.TEXT:
                    message += tr(" VALUE(…) reads the number that a text says.")
                return FormulaError(message, written.at)
        kinds = " and ".join(_WANTED[a.type] for a in arguments)
        return FormulaError(
            tr("{function} cannot be used with {kinds}.", function=_name(function), kinds=kinds),
            parsed.at,
            len(parsed.function),
        )


def _name(function: Function) -> str:
    return function.name if function.name[0].isalpha() and " " not in function.name else f"“{function.name[-1]}”"


def _takes(signature: Signature, count: int) -> bool:
    least = sum(not p.optional for p in signature.parameters)
    repeats = bool(signature.parameters) and signature.parameters[-1].repeats
    return count >= least and (repeats or count <= len(signature.parameters))


def _counts(signature: Signature) -> str:
    least, most = sum(not p.optional for p in signature.parameters), len(signature.parameters)
    if signature.parameters and signature.parameters[-1].repeats:
        return trn("at least one value", "at least {n} values", least)
    said = tr("no value") if not most else trn("{n} value", "{n} values", most)
    return said if least == most else tr("{least} or {most} values", least=least, most=most)


def _fitted(
    signature: Signature, arguments: Sequence[Node], *, exact: bool
) -> tuple[tuple[Node | None, ...], Type] | None:
    """
    The arguments as the signature wants them, and the result's type; None where they do not fit.
    """
    places = [signature.parameters[min(n, len(signature.parameters) - 1)] for n in range(len(arguments))]
    free = [a for a, p in zip(arguments, places, strict=True) if p.type is None]
    common = _common(free) if free else None
    made: list[Node | None] = []
    for argument, place in zip(arguments, places, strict=True):
        wanted = place.type or common
        assert wanted is not None
        if exact and place.type is not None and argument.type is not wanted:
            return None
        fitted = _converted(argument, wanted)
        if fitted is None:
            return None
        made.append(fitted)
    made += [None] * (len(signature.parameters) - len(made))
    result = signature.result or common
    assert result is not None
    return tuple(made), result


def _common(nodes: Sequence[Node]) -> Type:
    """
    The one type of several values that stand in for each other. An empty text stands for a blank of any type.
    """
    types = {n.type for n in nodes if not _is_blank(n)}
    if not types:
        return nodes[0].type
    if len(types) == 1:
        return types.pop()
    return Type.MOMENT if types == {Type.DATE, Type.MOMENT} else Type.TEXT


def _is_blank(node: Node) -> bool:
    return isinstance(node, Literal) and node.value in ("", None)


def _converted(node: Node, wanted: Type) -> Node | None:
    """
    A value as another type, None where it cannot be.
    """
    if node.type is wanted:
        return node
    if _is_blank(node):
        return Literal(None, wanted)
    if wanted is Type.TEXT:
        return Call("as text", 0, (node,), Type.TEXT)
    if wanted is Type.MOMENT and node.type is Type.DATE:
        return Call("as moment", 0, (node,), Type.MOMENT)
    if wanted is Type.DATE and node.type is Type.MOMENT:
        return Call("as date", 0, (node,), Type.DATE)
    if isinstance(node, Literal) and isinstance(node.value, str):
        return _read(node.value.strip(), wanted)
    return None


def _read(text: str, wanted: Type) -> Literal | None:
    try:
        if wanted is Type.DATE:
            return Literal(date.fromisoformat(text), wanted)
        if wanted is Type.MOMENT:
            return Literal(datetime.fromisoformat(text).replace(tzinfo=None), wanted)
        if wanted is Type.TIME:
            return Literal(time.fromisoformat(text).replace(tzinfo=None), wanted)
    except ValueError:
        pass
    return None
