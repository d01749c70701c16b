"""
Texts in the language of whoever reads them: complete, and the same texts.
"""

from __future__ import annotations

import ast
import re
import sys
from datetime import date
from pathlib import Path
from typing import Any

import pytest

from bouquet.core.catalogue import Catalogue
from bouquet.core.language import CONSTANT, day_words, language_of, speaking, tr, trn, whole
from bouquet.core.plan import Context
from bouquet.core.recurrence import RhythmDocument, rhythm_words
from bouquet.core.template import read_document
from bouquet.core.template.filter import Window
from bouquet.core.vocabulary.comparisons import COMPARISONS
from bouquet.core.windows import window_words
from bouquet.core.wording.sentence import Sentence
from tests.core.conftest import NOW

ROOT = Path(__file__).parents[2]
sys.path.insert(0, str(ROOT / "scripts"))
import texts  # noqa: E402

#: Rooms whose texts are read in English: the command line, the demonstration, requests in words, guesses, what is kept
#: in catalogues and in the journal, settings, and what only tells of faults in the code.
ENGLISH = {"cli", "demo", "asked", "guessing", "migrations", "schemas", "reflect.py", "overlay.py", "journal.py"}
ENGLISH |= {"settings.py", "names.py", "database.py", "base.py", "scope.py"}


@pytest.mark.parametrize("name", ["de", "fr"])
def test_every_text_is_there_in_each_language(name: str) -> None:
    """What the code looks up is translated, and nothing else is."""
    known = {m.id[0] if isinstance(m.id, tuple) else m.id for m in texts.catalogue(name) if m.id}
    found, several = texts.texts()

    assert texts.missing(name) == []
    assert known == found | set(several)


@pytest.mark.parametrize("name", ["de", "fr"])
def test_a_translation_has_the_same_values(name: str) -> None:
    """No value is lost on the way, and none is made up: a form for one may leave its number out."""

    def values(text: str) -> set[str]:
        return set(re.findall(r"\{(\w*)\}", re.sub(r"\{\{|\}\}", "", text))) - {"n"}

    pairs = []
    for message in texts.catalogue(name):
        ids, strings = (s if isinstance(s, tuple) else (s,) for s in (message.id, message.string))
        pairs += list(zip(ids, strings, strict=False)) if message.id else []

    assert len(pairs) > 1_500
    assert [(one, other) for one, other in pairs if values(one) != values(other)] == []


def test_no_text_for_people_stands_outside_the_catalogues() -> None:
    """What is raised, noted as a problem or told is looked up, wherever it is said."""
    outside = []
    for path in sorted((ROOT / "bouquet").rglob("*.py")):
        if any(part in ENGLISH for part in path.parts):
            continue
        for node in ast.walk(ast.parse(path.read_text())):
            outside += [f"{path.name}:{s.lineno} {ast.unparse(s)[:80]}" for s in _told(node) if _is_sentence(s)]
    assert outside == []


def _told(node: ast.AST) -> list[ast.expr]:
    """
    What is said by a node that tells something.
    """
    if isinstance(node, ast.Raise) and isinstance(node.exc, ast.Call):
        raised = node.exc.func
        name = raised.attr if isinstance(raised, ast.Attribute) else getattr(raised, "id", "")
        # Those tell of faults in the code, and go into the log.
        return [] if name in ("AssertionError", "TypeError", "KeyError", "RuntimeError") else node.exc.args
    if isinstance(node, ast.Call):
        called = node.func
        name = called.attr if isinstance(called, ast.Attribute) else getattr(called, "id", "")
        told = [k.value for k in node.keywords if k.arg in ("message", "detail", "words", "why")]
        return told + (node.args[1:2] if name == "problem" else [])
    if isinstance(node, ast.AugAssign) and isinstance(node.target, ast.Subscript):
        # Notes are counted by what they say.
        return [node.target.slice]
    if isinstance(node, ast.Assign) and getattr(node.targets[0], "id", "") in ("msg", "message", "notice"):
        return [node.value]
    return []


def _is_sentence(said: ast.expr) -> bool:
    if isinstance(said, ast.Constant):
        text = str(said.value)
    elif isinstance(said, ast.JoinedStr):
        text = "".join(str(p.value) for p in said.values if isinstance(p, ast.Constant))
    else:
        return False
    # What a constant names is looked up where it is read.
    return re.search(r"[A-Za-z]{2,} [a-z]{2,}", text) is not None and text not in CONSTANT


@pytest.mark.parametrize(
    ("name", "document", "expected"),
    [
        (
            "de",
            {"filter": {"all": [{"path": "status", "is": "is", "value": "S"}]}, "at_most": 1},
            "Eine Zeile je tree, für die gilt: Status ist Standing; die erste Zeile.",
        ),
        (
            "fr",
            {"filter": {"none": [{"path": "protected", "is": "yes"}]}, "order": [{"path": "planted_on"}]},
            "Une ligne par tree où non (protected est oui); dans l’ordre de planted on; chaque ligne.",
        ),
        (
            "de",
            {"filter": {"all": [{"path": "planted_on", "is": "in_window", "window": {"type": "last", "count": 30}}]}},
            "Eine Zeile je tree, für die gilt: Planted on liegt im Zeitraum die letzten 30 Tage "
            "(24. Okt. – 22. Nov.); jede Zeile.",
        ),
    ],
)
def test_a_template_reads_in_other_languages(
    catalogue: Catalogue, name: str, document: dict[str, Any], expected: str
) -> None:
    """Whole sentences, word by word, with dates as people write them there."""
    with speaking(name):
        made = Sentence(read_document({"name": "T", "records": "tree", **document}), catalogue, Context(as_of=NOW))

        assert made.text() == expected


def test_other_languages_bend_their_words() -> None:
    """Units and ordinals are not English ones with other letters."""
    rhythm = RhythmDocument.model_validate(
        {"every": "month", "nth": [{"n": 1, "weekday": 0}], "month_days": [1], "times": ["06:00"]}
    )
    with speaking("de"):
        assert window_words(Window(type="before_ago", count=2, unit="year")) == "vor mehr als 2 Jahren"
        assert window_words(Window(type="this", unit="week")) == "diese Woche"
        assert rhythm_words(rhythm) == "am 1. und ersten Montag von jedem Monat um 06:00"
    with speaking("fr"):
        assert window_words(Window(type="last", count=12, unit="month")) == "les 12 derniers mois"
        assert rhythm_words(rhythm) == "le 1er et premier lundi de chaque mois à 06:00"


def test_none_is_several_but_in_french() -> None:
    """Plural rules of Unicode CLDR."""
    said = {}
    for name in ("en", "de", "fr"):
        with speaking(name):
            said[name] = [trn("{n} decimal", "{n} decimals", n) for n in (0, 1, 2)]
    assert said["en"] == ["0 decimals", "1 decimal", "2 decimals"]
    assert said["de"] == ["0 Nachkommastellen", "1 Nachkommastelle", "2 Nachkommastellen"]
    assert said["fr"] == ["0 décimale", "1 décimale", "2 décimales"]


def test_constants_are_read_in_the_language_that_is_spoken_then() -> None:
    """A list that was made once speaks as its reader does, one after the other."""
    assert COMPARISONS["blank"].words == "is blank"
    with speaking("de"):
        assert COMPARISONS["blank"].words == "ist leer"
        with speaking("fr"):
            assert COMPARISONS["blank"].words == "est vide"
        assert (whole(1234567), day_words(date(2026, 11, 22))) == ("1.234.567", "22. Nov. 2026")
    assert COMPARISONS["blank"].words == "is blank"


@pytest.mark.parametrize(
    ("asked", "expected"),
    [("de-CH", "de"), ("fr_FR", "fr"), ("en-GB", "en"), ("nl", "en"), ("", "en"), ("DE;q=0.8", "de")],
)
def test_a_language_is_found_by_its_locale(asked: str, expected: str) -> None:
    """Whatever else is asked for is answered in English."""
    assert language_of(asked) == expected


def test_a_text_that_is_not_known_stands_as_it_is() -> None:
    """What came from elsewhere is not changed, whatever it holds."""
    with speaking("de"):
        assert tr("{as_of:%Y} nobody knows this") == "{as_of:%Y} nobody knows this"
