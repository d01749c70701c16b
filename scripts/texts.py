"""
The texts that the server looks up, and its catalogues in `bouquet/core/texts`.

`scripts/texts.py` puts texts that are new into the catalogues, without translations, and takes out those that nothing
looks up any more; `--check` says what is missing, and fails.
"""

from __future__ import annotations

import ast
import importlib
import pkgutil
import sys
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from babel.messages import Catalog
from babel.messages.pofile import read_po, write_po

ROOT = Path(__file__).resolve().parents[1]
PACKAGE = ROOT / "bouquet"
CATALOGUES = PACKAGE / "core" / "texts"

#: Rooms that are imported for the texts of their constants.
ROOMS = ("core", "delivery", "sources", "runs", "rounds", "designing", "store", "web")


def texts() -> tuple[set[str], dict[str, str]]:
    """
    (texts, (one → several))
    """
    found: set[str] = set()
    several: dict[str, str] = {}
    for path in PACKAGE.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name):
                given = [a.value for a in node.args if isinstance(a, ast.Constant) and isinstance(a.value, str)]
                if node.func.id == "tr" and given:
                    found.add(given[0])
                elif node.func.id == "trn" and len(given) == 2:
                    several[given[0]] = given[1]
    for room in ROOMS:
        package = importlib.import_module(f"bouquet.{room}")
        for module in pkgutil.walk_packages(package.__path__, f"bouquet.{room}."):
            if "migrations" not in module.name:
                importlib.import_module(module.name)
    language = importlib.import_module("bouquet.core.language")
    delivery = importlib.import_module("bouquet.delivery")
    for way in delivery.WAYS.values():
        found |= {way.label, way.secret}
        for model in (way.settings_model, way.address_model):
            found |= set(_titles(model.model_json_schema()))
    return {t for t in (*found, *language.CONSTANT) if t.strip()}, several | language.PLURAL


def _titles(schema: Any) -> Iterator[str]:
    if isinstance(schema, list):
        for part in schema:
            yield from _titles(part)
    elif isinstance(schema, dict):
        for name, part in schema.items():
            # What a schema as a whole is called, nobody sees.
            if name == "title" and isinstance(part, str) and "properties" not in schema:
                yield part
            elif name != "title":
                yield from _titles(part)


def empty(name: str) -> Catalog:
    """
    A catalogue without texts.
    """
    made = Catalog(locale=name, project="Bouquet", header_comment="# Texts of Bouquet.", fuzzy=False)
    # What changes with every writing would be a difference without a meaning.
    made.creation_date = made.revision_date = datetime(2026, 11, 29, tzinfo=UTC)
    return made


def catalogue(name: str) -> Catalog:
    """
    A language's catalogue as it is.
    """
    path = CATALOGUES / f"{name}.po"
    if not path.exists():
        return empty(name)
    with path.open("rb") as file:
        return read_po(file, locale=name)


def brought_up_to_date(name: str) -> Catalog:
    """
    A language's catalogue with all texts there are, and no others; those that are new without a translation.
    """
    known = catalogue(name)
    found, several = texts()
    made = empty(name)
    for text in sorted(found | set(several)):
        message = known.get(text)
        key = (text, several[text]) if text in several else text
        string: Any = message.string if message is not None else ""
        if isinstance(key, tuple):
            # A third form, as French has for whole millions, is that for several.
            one, *more = string if isinstance(string, list | tuple) else ("", "")
            string = (one, *more[:1] * (made.num_plurals - 1))
        made.add(key, string)
    return made


def missing(name: str) -> list[str]:
    """
    Texts that a language lacks.
    """
    found = brought_up_to_date(name)
    return [str(m.id) for m in found if m.id and not all(m.string if isinstance(m.string, tuple) else (m.string,))]


def main() -> None:
    names = ("de", "fr")
    if "--check" in sys.argv:
        lacks = {name: missing(name) for name in names}
        for name, found in lacks.items():
            for text in found:
                print(f"{name}: {text}")
        sys.exit(any(lacks.values()))
    CATALOGUES.mkdir(exist_ok=True)
    for name in names:
        made = brought_up_to_date(name)
        with (CATALOGUES / f"{name}.po").open("wb") as file:
            write_po(file, made, width=0, sort_output=True, omit_header=False)


if __name__ == "__main__":
    main()
