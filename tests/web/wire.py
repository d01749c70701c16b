"""
Every answer of the API, held against the API's description by a validator that is not ours.
"""

from __future__ import annotations

import json
import re
from functools import cache
from pathlib import Path
from typing import Any

import jsonschema_rs

__all__ = ["against_description"]

DESCRIPTION: dict[str, Any] = json.loads(
    (Path(__file__).parents[2] / "frontend" / "openapi.json").read_text(encoding="utf-8")
)
DIALECT = "https://json-schema.org/draft/2020-12/schema"

#: The addresses of the API as patterns; one that is written out goes before one with a name in braces.
PATTERNS = [
    (re.compile(re.sub(r"\\\{\w+\\\}", "[^/]+", re.escape(path))), path)
    for path in sorted(DESCRIPTION["paths"], key=lambda p: (p.count("{"), p))
]


def against_description(method: str, address: str, status: int, kind: str, content: bytes) -> str:
    """What an answer has that the description does not; empty where it is as described, or its route is no part of it."""
    path = next((p for pattern, p in PATTERNS if pattern.fullmatch(address)), None)
    operation = DESCRIPTION["paths"].get(path, {}).get(method.lower())
    if operation is None or status == 405:
        return ""
    if str(status) not in operation["responses"]:
        return f"{method} {path}: {status} is not described; {content[:300]!r}"
    one = validator(path, method.lower(), str(status), kind.split(";")[0])
    if one is None or not content:
        return ""
    wrong = next(one.iter_errors(json.loads(content)), None)
    return f"{method} {path} {status}: {wrong}" if wrong is not None else ""


@cache
def validator(path: str, method: str, status: str, kind: str) -> Any:
    found = DESCRIPTION["paths"][path][method]["responses"][status]
    if "$ref" in found:
        found = DESCRIPTION["components"]["responses"][found["$ref"].rsplit("/", 1)[1]]
    schema = found.get("content", {}).get(kind, {}).get("schema")
    if schema is None or "json" not in kind:
        return None
    return jsonschema_rs.validator_for({"$schema": DIALECT, **schema, "components": DESCRIPTION["components"]})
