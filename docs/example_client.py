"""
An example of a program that works with Bouquet: it asks for a run, waits for it, and fetches the newest good file of a
template only when there is a newer one. It needs nothing but Python.

    BOUQUET_TOKEN=… python docs/example_client.py http://127.0.0.1:8010 3 work_orders.csv
"""

from __future__ import annotations

import json
import os
import sys
import time
import urllib.error
import urllib.request
from datetime import date
from pathlib import Path
from typing import Any

#: Seconds between two looks, and until it is given up.
PAUSE, LONGEST = 1.0, 600.0


class Bouquet:
    """
    A house, entered with a token.
    """

    def __init__(self, address: str, token: str) -> None:
        self.address, self.token = f"{address.rstrip('/')}/api/v1", token

    def call(self, method: str, path: str, body: Any = None, **headers: str) -> Any:
        """
        The response of a call. Raises urllib.error.HTTPError; its body says in a sentence what is wrong.
        """
        data = None if body is None else json.dumps(body).encode()
        headers = {"Authorization": f"Bearer {self.token}", "Content-Type": "application/json", **headers}
        request = urllib.request.Request(self.address + path, data, headers, method=method)
        return urllib.request.urlopen(request, timeout=60)

    def run(self, template: int, key: str) -> dict[str, Any]:
        """
        Ask for a run of a template's saved version, and wait until it is over. Asking again with the same key, as
        after a lost connection, gives the same run.
        """
        body = {"template_id": template, "use": "saved"}
        with self.call("POST", "/runs", body, **{"Idempotency-Key": key}) as answer:
            run: dict[str, Any] = json.load(answer)
        limit = time.monotonic() + LONGEST
        while run["status"] in ("asked", "running", "releasing") and time.monotonic() < limit:
            time.sleep(PAUSE)
            with self.call("GET", f"/runs/{run['id']}") as answer:
                run = json.load(answer)
        return run

    def newest(self, template: int, path: Path) -> bool:
        """
        Bring `path` up to date with the newest good file of a template. Returns whether there was anything new.
        """
        known = path.with_name(path.name + ".etag")
        headers = {"If-None-Match": known.read_text()} if known.exists() and path.exists() else {}
        try:
            with self.call("GET", f"/templates/{template}/newest", **headers) as answer:
                beside = path.with_name(path.name + ".part")
                with beside.open("wb") as file:
                    while chunk := answer.read(1 << 20):
                        file.write(chunk)
                beside.replace(path)
                known.write_text(answer.headers["ETag"])
                return True
        except urllib.error.HTTPError as error:
            if error.code == 304:
                return False
            raise SystemExit(json.load(error)["detail"]) from error


def main() -> None:
    """
    One run a day, and its file.
    """
    address, template, path = sys.argv[1], int(sys.argv[2]), Path(sys.argv[3])
    house = Bouquet(address, os.environ["BOUQUET_TOKEN"])
    run = house.run(template, f"{path.name} {date.today():%Y-%m-%d}")
    print(f"run {run['id']}: {run['status']}, {run['rows_written']} rows")
    print(f"{path}: {'new' if house.newest(template, path) else 'as it was'}")


if __name__ == "__main__":
    main()
