"""
`docs/reference/formulas.md`, made from the table that implements the functions.
"""

from __future__ import annotations

from bouquet.core.formula.functions import FUNCTIONS, GROUPS, Function

__all__ = ["formulas_document"]

_HEAD = """# Formulas

This page is made from the table that implements the functions (`bouquet formulas` prints it); a test holds the two
together.

A formula stands in a column (`{"formula": "…"}`) or in the filter, where it must come to yes or no. It is typed and
checked before anything runs, and becomes a part of the one SQL statement, so preview, filter, order and file agree.

Names, arguments and meanings are those of OpenFormula (OASIS ODF 1.3, part 4).

- `{path}` refers to a field, `{heading}` to another column of the sheet, `{ask.name}` to the answer of a question.
- Numbers have a decimal point. Texts stand in quotation marks, a quotation mark inside is written twice.
- `;` separates arguments; `,` is accepted. A leading `=` is accepted.
- Numbers are exact decimals, never binary floats.
- Choices read as their label; `{status.code}` reads the code.
- Moments read as the template's wall clock; a difference of two moments is in days.
- A blank in a calculation gives a blank. Texts read a blank as an empty text, and an empty text is a blank.
- Where there is no result (a division by zero, a text that is no number), the value is blank and the run has a finding.
- Texts are compared without regard to case; `EXACT` minds it.
- `TODAY()` and `NOW()` are the run's as-of moment, not the clock.
- Prefix signs bind tighter than `^`, so `-2 ^ 2` is 4; then come `%`, `^`, `*` and `/`, `+` and `-`, `&`, comparisons.
"""


def _row(function: Function) -> str:
    shown = function.name.removeprefix("prefix ")
    calls = "<br>".join(f"`{s.text.replace(' ->', ' →')}`" for s in function.signatures)
    written, comes_to = function.example
    example = f"`{written}` → {comes_to}" if written else ""
    return f"| `{shown}` | {calls} | {function.meaning} | {example} |".replace("||", "|")


def formulas_document() -> str:
    """
    The reference of formulas, as Markdown.
    """
    count = sum(f.group != "Operators" for f in FUNCTIONS.values())
    parts = [_HEAD + f"\n{count} functions:"]
    for group, section in GROUPS.items():
        rows = [_row(f) for f in FUNCTIONS.values() if f.group == group]
        parts.append(
            f"## {group}\n\nOpenFormula, {section}.\n\n| name | takes → gives | what it is | example |\n"
            "|---|---|---|---|\n" + "\n".join(rows)
        )
    return "\n\n".join(parts) + "\n"
