"""
What a request says of which records are wanted.
"""

from __future__ import annotations

from decimal import Decimal
from typing import Any
from zoneinfo import ZoneInfo

from bouquet.core.asked.lexicon import Lexicon, Meaning, dated_field
from bouquet.core.asked.state import Reading, Rule
from bouquet.core.asked.times import read_when
from bouquet.core.asked.tokens import number_in
from bouquet.core.catalogue import Field, Kind
from bouquet.core.values import read_value

__all__ = ["NARROWING", "counted_many"]

#: Words of comparisons, the longest first, and the comparison of numbers that each is.
_BOUNDS = (
    ("at least", "at_least"), ("no less than", "at_least"), ("not less than", "at_least"), ("not under", "at_least"),
    ("or more", "at_least"), ("minimum", "at_least"), ("> =", "at_least"), (">=", "at_least"), ("≥", "at_least"),
    ("at most", "at_most"), ("up to", "at_most"), ("no more than", "at_most"), ("not more than", "at_most"),
    ("not over", "at_most"), ("maximum", "at_most"), ("<=", "at_most"), ("≤", "at_most"),
    ("more than", "greater_than"), ("greater than", "greater_than"), ("larger than", "greater_than"),
    ("higher than", "greater_than"), ("bigger than", "greater_than"), ("longer than", "greater_than"),
    ("over", "greater_than"), ("above", "greater_than"), ("exceeding", "greater_than"), (">", "greater_than"),
    ("less than", "less_than"), ("fewer than", "less_than"), ("smaller than", "less_than"),
    ("lower than", "less_than"), ("under", "less_than"), ("below", "less_than"), ("<", "less_than"),
    ("exactly", "is"), ("equal to", "is"), ("=", "is"),
)  # fmt: skip

#: Comparatives that name the field that they compare.
_OF_FIELD = {
    "taller": ("height", "greater_than"), "shorter": ("height", "less_than"), "thicker": ("girth", "greater_than"),
    "thinner": ("girth", "less_than"), "dearer": ("price", "greater_than"), "cheaper": ("price", "less_than"),
    "heavier": ("weight", "greater_than"), "lighter": ("weight", "less_than"),
    "deeper": ("depth", "greater_than"), "wider": ("width", "greater_than"),
}  # fmt: skip

_TEXTS = (
    ("does not contain", "not_contains"), ("not containing", "not_contains"), ("containing", "contains"),
    ("contain", "contains"), ("contains", "contains"), ("mentioning", "contains"), ("starting with", "starts_with"),
    ("starts with", "starts_with"), ("start with", "starts_with"), ("beginning with", "starts_with"),
    ("ending with", "ends_with"), ("ends with", "ends_with"), ("end with", "ends_with"), ("like", "matches"),
)  # fmt: skip

#: Units of length and what one of them is in metres, and of mass in kilograms.
_SIZES = {"mm": "0.001", "cm": "0.01", "m": "1", "metre": "1", "meter": "1", "km": "1000", "kg": "1", "g": "0.001"}
_MASSES = frozenset({"kg", "g"})

_MISSING = ("missing", "blank", "empty", "unknown", "not known", "not filled", "not given", "not recorded")
_FILLED = ("filled", "known", "given", "recorded", "not blank", "not empty")


def _negation(r: Reading, n: int) -> int:
    """
    never inspected, not inspected for two years, without inspections, no open orders, without a height, not standing
    """
    never = r.says(n, "never", "not yet", "not", "except for", "except", "excluding", "other than", "apart from")
    never += r.says(n + never, "in", "at", "from", "of", "by") if never else 0
    without = r.says(n, "without any", "without a", "without an", "without", "with no", "having no", "has no", "no")
    for taken in filter(None, (never, without)):
        event = r.meaning(n + taken, "event")
        if event is not None and r.meaning(n + taken, "field") is None:
            length, meaning = event
            return _having(r, n, taken + length, meaning, "none", ())
        many = counted_many(r, n + taken)
        if many is not None:
            length, meaning, where = many
            return _having(r, n, taken + length, meaning, "none", where)
        named = r.meaning(n + taken, "field", "choice", "value")
        if named is None or named[1].field is None:
            continue
        length, meaning = named
        dated = meaning.field.kind.is_dated if meaning.field else False
        if taken == without or (dated and read_when(r.tokens, n + taken + length, r.today) is None):
            if meaning.what == "field":
                return _narrow(r, n, taken + length, {"path": meaning.path, "is": "blank"}, meaning)
            continue
        r.negated = True
        return taken
    return 0


def _event(r: Reading, n: int) -> int:
    """
    inspected last month, planted before 2000, closed since March: what happened, and when
    """
    own = r.meaning(n, "field")
    if own is not None and own[1].field is not None and own[1].field.kind.is_dated:
        if own[1].far == 0 and r.meaning(n + own[0], "records") is not None and not r.listing:
            # Deleted trees, closed orders: those to which it happened.
            negated, r.negated = r.negated, False
            return _narrow(r, n, own[0], {"path": own[1].path, "is": "blank" if negated else "not_blank"}, own[1])
        skipped = r.says(n + own[0], "is", "was", "were", "be")
        when = read_when(r.tokens, n + own[0] + skipped, r.today)
        if when is None:
            return 0
        condition = {"path": own[1].path, **when.condition}
        negated, r.negated = r.negated, False
        node: Any = {"none": [condition]} if negated else condition
        doubt = "the year was filled in" if when.filled else ""
        return _narrow(r, n, own[0] + skipped + when.tokens, node, own[1], doubt)
    event = r.meaning(n, "event")
    if event is None or r.listing:
        return 0
    if read_when(r.tokens, n + event[0], r.today) is None:
        return 0
    return _having(r, n, event[0], event[1], "any", ())


def _having(
    r: Reading, n: int, taken: int, meaning: Meaning, has: str, where: tuple[dict[str, Any], ...], count: int = 1
) -> int:
    """
    A condition on many records, with the time that stands behind them.
    """
    parts = list(where)
    when = read_when(r.tokens, n + taken, r.today) if meaning.field is not None else None
    if when is not None and meaning.field is not None:
        parts.append({"path": meaning.field.name, **when.condition})
        taken += when.tokens
    node: dict[str, Any] = {"path": meaning.path, "has": has}
    if has == "at_least":
        node["count"] = count
    if parts:
        node["where"] = parts[0] if len(parts) == 1 else {"all": parts}
    return _narrow(r, n, taken, node, meaning, "the year was filled in" if when is not None and when.filled else "")


def counted_many(r: Reading, n: int) -> tuple[int, Meaning, tuple[dict[str, Any], ...]] | None:
    """
    Records that there are many of, with choices before them: open work orders, high risk inspections.
    """
    direct = r.meaning(n, "many")
    if direct is not None:
        return direct[0], direct[1], ()
    for skip in range(1, 5):
        found = r.meaning(n + skip, "many")
        if found is None or found[1].target is None:
            continue
        where = _adjectives(r, n, skip, r.lexicon_of(found[1].target))
        if where is not None:
            return skip + found[0], found[1], where
    return None


def _adjectives(r: Reading, n: int, count: int, lexicon: Lexicon) -> tuple[dict[str, Any], ...] | None:
    """
    Words before records as conditions on them; None where one of the words means nothing there.
    """
    found: list[dict[str, Any]] = []
    at = n
    while at < n + count:
        length, meanings = lexicon.at(r.tokens, at)
        fit = next((m for m in meanings if m.what == "choice" or _is_yes_no(m)), None)
        if fit is None or at + length > n + count or fit.far > 0:
            # The name of the field behind one of its choices: high *risk* inspections.
            if found and r.word(at) and any(r.word(at) in f["path"] for f in found):
                at += 1
                continue
            return None
        yes = {"path": fit.path, "is": "yes"}
        found.append(yes if fit.what == "field" else {"path": fit.path, "is": "is", "value": fit.value})
        at += length
    return tuple(found)


def _is_yes_no(meaning: Meaning) -> bool:
    return meaning.what == "field" and meaning.field is not None and meaning.field.kind is Kind.BOOLEAN


def _with_many(r: Reading, n: int) -> int:
    """
    with open work orders, with at least 3 inspections, that have defects
    """
    taken = r.says(n, "that", "which", "who")
    taken += r.says(n + taken, "with", "having", "have", "has", "had")
    if r.word(n + taken - 1) not in ("with", "having", "have", "has", "had") or r.listing:
        return 0
    taken += r.says(n + taken, "any", "some")
    bound = _bound(r, n + taken)
    number = number_in(r.tokens[n + taken + bound[0]]) if bound and n + taken + bound[0] < len(r.tokens) else None
    if bound is not None and number is not None and number == int(number):
        many = counted_many(r, n + taken + bound[0] + 1)
        count = int(number) + (bound[1] == "greater_than")
        if many is not None and bound[1] in ("at_least", "greater_than") and count <= 100_000:
            length, meaning, where = many
            return _having(r, n, taken + bound[0] + 1 + length, meaning, "at_least", where, max(1, count))
        return 0
    many = counted_many(r, n + taken)
    if many is None:
        return 0
    length, meaning, where = many
    # “with inspections, …” among columns is a list of fields all the same.
    return _having(r, n, taken + length, meaning, "any", where)


def _bound(r: Reading, n: int) -> tuple[int, str] | None:
    return next(((k, operator) for words, operator in _BOUNDS if (k := r.says(n, words))), None)


def _number_and_unit(r: Reading, n: int, field: Field) -> tuple[int, Decimal, str] | None:
    """
    (tokens, the number in the field's unit, a doubt) of a number with its unit before or behind it.
    """
    start = n
    sign = n < len(r.tokens) and r.tokens[n].text in "£$€¥"
    n += sign
    if n >= len(r.tokens) or r.word(n) in ("a", "an", "no"):
        return None
    number = number_in(r.tokens[n])
    if number is None:
        return None
    n += 1
    unit = r.word(n)
    behind = r.tokens[n].text if n < len(r.tokens) else ""
    own = field.unit.casefold()
    if behind and (behind.casefold() == own or unit == own):
        return n + 1 - start, number, ""
    if unit in _SIZES:
        if own in _SIZES and (own in _MASSES) == (unit in _MASSES):
            return n + 1 - start, (number * Decimal(_SIZES[unit]) / Decimal(_SIZES[own])).normalize() + 0, ""
        return n + 1 - start, number, f"{behind} is not its unit"
    return n - start, number, ""


def _measured(r: Reading, n: int) -> int:
    """
    girth over 200 cm, height between 5 and 10 m, taller than 20 m, over 2 m girth; name containing “park”
    """
    named = r.meaning(n, "field")
    if named is not None and named[1].field is not None:
        length, about = named
        at = n + length + r.says(n + length, "is", "of", "was", "are", "be")
        return _compared(r, n, at, about)
    if r.word(n) in _OF_FIELD and r.word(n + 1) == "than":
        name, operator = _OF_FIELD[r.word(n)]
        found = r.lexicon.phrases.get((name,), [])
        meaning = next((m for m in found if m.what == "field" and m.field and m.field.kind.is_number), None)
        read = _number_and_unit(r, n + 2, meaning.field) if meaning and meaning.field else None
        if meaning is None or read is None:
            return 0
        return _narrow(r, n, 2 + read[0], _number_test(meaning, operator, read[1]), meaning, read[2])
    bound = _bound(r, n)
    if bound is None:
        return 0
    # Over 200 cm in girth: the field stands behind its number.
    for skip in range(1, 5):
        named = r.meaning(n + bound[0] + skip, "field")
        if named is not None and named[1].field is not None and named[1].field.kind.is_number:
            read = _number_and_unit(r, n + bound[0], named[1].field)
            between = range(n + bound[0] + (read[0] if read else 0), n + bound[0] + skip)
            if read is None or any(r.word(k) not in ("in", "of") for k in between):
                return 0
            taken = bound[0] + skip + named[0]
            return _narrow(r, n, taken, _number_test(named[1], bound[1], read[1]), named[1], read[2])
    return _sum_alone(r, n, bound)


def _sum_alone(r: Reading, n: int, bound: tuple[int, str]) -> int:
    """
    over £500: of the first field that is counted in that money
    """
    sign = r.tokens[n + bound[0]].text if n + bound[0] < len(r.tokens) else ""
    fields = [f for f in r.lexicon.record_type.fields if f.unit == sign and sign in "£$€¥" and f.kind.is_number]
    fields.sort(key=lambda f: not f.everyday)
    read = _number_and_unit(r, n + bound[0], fields[0]) if sign and fields else None
    if read is None:
        return 0
    meaning = Meaning("field", fields[0].name, fields[0])
    doubt = f"of {fields[0].label.lower()}, which is a guess"
    return _narrow(r, n, bound[0] + read[0], _number_test(meaning, bound[1], read[1]), meaning, doubt)


def _compared(r: Reading, n: int, at: int, meaning: Meaning) -> int:
    """
    A comparison that stands behind its field.
    """
    field = meaning.field
    assert field is not None
    if missing := r.says(at, *_MISSING):
        return _narrow(r, n, at + missing - n, {"path": meaning.path, "is": "blank"}, meaning)
    if filled := r.says(at, *_FILLED):
        return _narrow(r, n, at + filled - n, {"path": meaning.path, "is": "not_blank"}, meaning)
    if field.kind.is_number:
        return _compared_number(r, n, at, meaning, field)
    if field.kind.is_text:
        said = next(((k, operator) for words, operator in _TEXTS if (k := r.says(at, words))), None)
        if said is not None and at + said[0] < len(r.tokens):
            node = {"path": meaning.path, "is": said[1], "value": r.tokens[at + said[0]].text}
            return _narrow(r, n, at + said[0] + 1 - n, node, meaning)
        code = field.kind is Kind.IDENTIFIER and at < len(r.tokens) and any(c.isdecimal() for c in r.tokens[at].text)
        if at < len(r.tokens) and (r.tokens[at].quoted or code) and _can_be(r.tokens[at].text, field):
            return _narrow(r, n, at + 1 - n, {"path": meaning.path, "is": "is", "value": r.tokens[at].text}, meaning)
    if field.kind in (Kind.CHOICE, Kind.TEXT, Kind.IDENTIFIER) and at < len(r.tokens):
        # Status standing, ward Quay: the value of that very field, whatever else is called so.
        length, found = r.lexicon.at(r.tokens, at)
        fit = next((m for m in found if m.what in ("choice", "value") and m.path == meaning.path), None)
        if fit is not None:
            return _valued(r, n, at + length - n, fit)
    return 0


def _can_be(text: str, field: Field) -> bool:
    """
    Whether a field can have this value: a code of whole numbers is no date.
    """
    try:
        read_value(text, field, ZoneInfo("UTC"))
    except ValueError:
        return False
    return True


def _compared_number(r: Reading, n: int, at: int, meaning: Meaning, field: Field) -> int:
    if r.word(at) == "between":
        low = _number_and_unit(r, at + 1, field)
        if low is None or r.word(at + 1 + low[0]) != "and":
            return 0
        high = _number_and_unit(r, at + 2 + low[0], field)
        if high is None:
            return 0
        least = low[1]
        if high[2] == "" and low[0] == 1 and high[0] > 1:
            # Between 5 and 10 m: the unit is that of both.
            scaled = high[1] / (number_in(r.tokens[at + 2 + low[0]]) or 1)
            least = (least * scaled).normalize() + 0
        values = [_plain(least), _plain(high[1])]
        node = {"path": meaning.path, "is": "between", "values": values}
        return _narrow(r, n, at + 2 + low[0] + high[0] - n, node, meaning, low[2] or high[2])
    bound = _bound(r, at)
    if bound is None:
        return 0
    read = _number_and_unit(r, at + bound[0], field)
    if read is None:
        return 0
    return _narrow(r, n, at + bound[0] + read[0] - n, _number_test(meaning, bound[1], read[1]), meaning, read[2])


def _plain(number: Decimal) -> int | float | str:
    """
    A number as documents carry it: exact, by its digits where JSON would lose some.
    """
    if number == int(number):
        return int(number)
    return float(number) if len(number.as_tuple().digits) < 15 else f"{number:f}"


def _number_test(meaning: Meaning, operator: str, number: Decimal) -> dict[str, Any]:
    return {"path": meaning.path, "is": operator, "value": _plain(number)}


def _time_alone(r: Reading, n: int) -> int:
    """
    last month, older than six months: of the field that tells when the records happened
    """
    if r.word(n).isdecimal():
        return 0
    when = read_when(r.tokens, n, r.today)
    if when is None:
        return 0
    own = r.lexicon.record_type
    path, dated = "", dated_field(own)
    for relation in own.relations if dated is None else ():
        target = r.lexicon.catalogue.record_types.get(relation.target)
        if dated is None and target is not None and not relation.many:
            path, dated = f"{relation.name}.", dated_field(target)
    if dated is None:
        return 0
    meaning = Meaning("field", f"{path}{dated.name}", dated)
    condition = {"path": meaning.path, **when.condition}
    return _narrow(r, n, when.tokens, condition, meaning, f"of {dated.label.lower()}, which is a guess")


def _said_value(r: Reading, n: int) -> int:
    """
    standing, in Quay, by Alder & Sons: a choice or a value that was found, alone
    """
    found = r.meaning(n, "choice", "value")
    if found is None:
        yes_no = r.meaning(n, "field")
        if yes_no is None or not _is_yes_no(yes_no[1]) or r.listing:
            return 0
        negated, r.negated = r.negated, False
        node = {"path": yes_no[1].path, "is": "no" if negated else "yes"}
        return _narrow(r, n, yes_no[0], node, yes_no[1])
    length, meaning = found
    # The name of the field behind its choice: high risk, open state.
    behind = r.meaning(n + length, "field")
    if behind is not None and behind[1].path == meaning.path:
        length += behind[0]
    return _valued(r, n, length, meaning)


def _valued(r: Reading, n: int, taken: int, meaning: Meaning) -> int:
    negated, r.negated = r.negated, False
    # “in Quay or Fernlea”, “standing and felled”: another value of the field before.
    before = r.taken[-1] if r.taken else None
    joined = before is not None and before.role == "narrowing" and before.field_path == meaning.path
    between = {r.word(k) for k in range(before.last + 1, n)} if before is not None and joined else set()
    listed = between <= {"or", "and", ",", "in", "both", ""}
    if before is not None and joined and listed and not meaning.part and not negated:
        known = before.node
        values = known.get("values") or ([known["value"]] if known["is"] in ("is", "is_not") else None)
        if values is not None:
            how = "none_of" if known["is"] in ("is_not", "none_of") else "one_of"
            before.node = {"path": meaning.path, "is": how, "values": [*values, meaning.value]}
            before.last = n + taken - 1
            return taken
    doubt = ""
    if not negated and any(t.field_path == meaning.path and _is_one(t.node) for t in r.taken):
        doubt = "besides another value of the same field: no record has both"
    if meaning.part:
        node = {"path": meaning.path, "is": "not_contains" if negated else "contains", "value": meaning.value}
    else:
        node = {"path": meaning.path, "is": "is_not" if negated else "is", "value": meaning.value}
    return _narrow(r, n, taken, node, meaning, doubt)


def _is_one(node: Any) -> bool:
    """
    Whether a narrowing leaves a single value of its field.
    """
    return isinstance(node, dict) and node.get("is") == "is"


def _narrow(r: Reading, n: int, taken: int, node: Any, meaning: Meaning, doubt: str = "") -> int:
    if r.negated:
        node, r.negated = {"none": [node]}, False
    before = r.taken[-1] if r.taken else None
    if before is not None and before.role == "narrowing" and r.word(n - 1) == "or" and before.last == n - 2:
        before.node = {"any": [before.node, node]}
        before.last, before.field_path, before.doubt = n + taken - 1, "", "either of the two is enough"
        return taken
    return r.take("narrowing", n, taken, node, field_path=meaning.path, doubt=doubt or r.ambiguity(n, meaning))


#: Rules of narrowing, in the order in which they are tried.
NARROWING: tuple[Rule, ...] = (_negation, _with_many, _event, _measured, _said_value, _time_alone)
