"""
Write the API's description to `frontend/openapi.json`, or check that it is up to date (`--check`).
"""

from __future__ import annotations

import json
import sys
from pathlib import Path

from pydantic import SecretStr

from bouquet.runs import Queue, Services
from bouquet.settings import Settings
from bouquet.sources import Source
from bouquet.store import Store
from bouquet.web import create_app

TARGET = Path(__file__).parent.parent / "frontend" / "openapi.json"
NOWHERE = "postgresql://nobody@127.0.0.1:1/nowhere"


def main() -> int:
    """
    Describe the API without a database: nothing connects until it is asked to.
    """
    services = Services(Store(NOWHERE), Source("none", NOWHERE), Path("files"), Path("outgoing"))
    settings = Settings(store_url=SecretStr(NOWHERE), source_url=SecretStr(NOWHERE), _env_file=None)  # type: ignore[call-arg]
    app = create_app(services, Queue(services), settings)
    text = json.dumps(app.openapi(), indent=1, ensure_ascii=False, sort_keys=True) + "\n"
    if "--check" not in sys.argv:
        TARGET.write_text(text, encoding="utf-8")
        return 0
    if TARGET.read_text(encoding="utf-8") != text:
        print("frontend/openapi.json is not up to date: run “make api”.", file=sys.stderr)
        return 1
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
