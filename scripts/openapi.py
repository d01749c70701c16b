"""
Write the API's description, and the lists that the front end's tests choose from, or check that both are up to date
(`--check`).
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
from bouquet.web.routers.vocabulary import Vocabulary, get_vocabulary

FRONTEND = Path(__file__).parent.parent / "frontend"
NOWHERE = "postgresql://nobody@127.0.0.1:1/nowhere"


def main() -> int:
    """
    Describe the API without a database: nothing connects until it is asked to.
    """
    services = Services(Store(NOWHERE), Source("none", NOWHERE), Path("files"), Path("outgoing"))
    settings = Settings(store_url=SecretStr(NOWHERE), source_url=SecretStr(NOWHERE), _env_file=None)  # type: ignore[call-arg]
    app = create_app(services, Queue(services), settings)
    lists = Vocabulary.model_validate(get_vocabulary()).model_dump(mode="json")
    written = {FRONTEND / "openapi.json": app.openapi(), FRONTEND / "src" / "vocabulary.sample.json": lists}
    stale = False
    for path, content in written.items():
        text = json.dumps(content, indent=1, ensure_ascii=False, sort_keys=True) + "\n"
        if "--check" not in sys.argv:
            path.write_text(text, encoding="utf-8")
        elif not path.exists() or path.read_text(encoding="utf-8") != text:
            print(f"{path.name} is not up to date: run “make api”.", file=sys.stderr)
            stale = True
    return int(stale)


if __name__ == "__main__":
    raise SystemExit(main())
