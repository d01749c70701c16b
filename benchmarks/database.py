"""
What all benchmarks stand on: a filled Marrowby at scale 25, and measuring a piece of work in a process of its own.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import date, datetime
from importlib.resources import files
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import psycopg

from bouquet.core.plan import Context, Plan, resolve
from bouquet.core.template import Template, read_document
from bouquet.demo.cluster import Cluster
from bouquet.sources import Source

__all__ = ["AS_OF", "BenchDatabase", "Measured", "crosstab_document", "measure_apart", "wide_document"]

SCALE = 25
UNTIL = date(2026, 11, 22)
AS_OF = datetime(2026, 11, 23, 9, tzinfo=ZoneInfo("Europe/London"))
FOLDER = Path(".demo/bench")


@dataclass(frozen=True)
class Measured:
    """
    Wall-clock seconds, and the most memory the process held, in megabytes.
    """

    seconds: float
    megabytes: float


class BenchDatabase:
    """
    The benchmarks' own cluster, filled once.
    """

    def __init__(self, folder: Path = FOLDER) -> None:
        self.cluster = Cluster(folder / "cluster")

    def prepare(self, scale: int = SCALE) -> None:
        """
        Start the cluster; fill it when it is empty.
        """
        self.cluster.start()
        for role in ("marrowby_owner", "marrowby_reader"):
            self.cluster.ensure_role(role, "bench-only")
        self.database = f"marrowby_{scale}"
        self.cluster.ensure_database(self.database, "marrowby_owner")
        owner = self.cluster.url(self.database, "marrowby_owner", "bench-only")
        with psycopg.connect(owner) as connection:
            filled = connection.execute("SELECT to_regclass('public.tree')").fetchone()
        if filled is None or filled[0] is None:
            # Only here, as with all that a worker has not: it would count in the memory of what is measured.
            from bouquet.demo.marrowby.generate import fill_marrowby

            print(f"Filling Marrowby at scale {scale}…", flush=True)
            fill_marrowby(owner, scale=scale, until=UNTIL, reader="marrowby_reader")

    @property
    def url(self) -> str:
        return self.cluster.url(self.database, "marrowby_reader", "bench-only")

    def source(self) -> Source:
        """
        The source that templates are resolved against.
        """
        return source_of(self.url)

    @contextmanager
    def client(self) -> Iterator[Any]:
        """
        A signed-in client of the web application, on a store of its own.
        """
        # Only here, too.
        from fastapi.testclient import TestClient
        from pydantic import SecretStr

        from bouquet.demo.demo import PEOPLE, seed_people
        from bouquet.runs import Queue, Services
        from bouquet.settings import Settings
        from bouquet.store import Store
        from bouquet.web import create_app

        self.cluster.ensure_role("bouquet", "bench-only")
        self.cluster.drop_database("bouquet")
        self.cluster.ensure_database("bouquet", "bouquet")
        store = Store(self.cluster.url("bouquet", "bouquet", "bench-only"))
        services = Services(store, self.source(), FOLDER / "files", FOLDER / "outgoing", clock=lambda: AS_OF)
        store.migrate()
        seed_people(services)
        settings = Settings(store_url=SecretStr(store.url), source_url=SecretStr(self.url), _env_file=None)
        with TestClient(create_app(services, Queue(services), settings)) as client:
            _, email, _, password = PEOPLE[0]
            client.post("/api/v1/session", json={"email": email, "password": password}).raise_for_status()
            yield client
        services.close()


def source_of(url: str) -> Source:
    """
    Marrowby behind an address, with its curated catalogue.
    """
    return Source("marrowby", url, Path(str(files("bouquet.demo.marrowby") / "catalogue.toml")))


def plan_of(source: Source, document: dict[str, Any]) -> tuple[Template, Plan]:
    """
    A document and its plan.
    """
    template = read_document(document)
    return template, resolve(template, source.catalogue(), Context(as_of=AS_OF)).require()


#: Twenty fields of a tree and its species, joined through one relation.
WIDE = (
    "tag", "species.botanical_name", "species.common_name", "species.family", "species.code", "status", "t_girth",
    "t_height", "planted_on", "latitude", "longitude", "register_no", "amenity_value", "note", "seal", "entered_at",
    "changed_at", "t_id", "s_id", "t_girth_old",
)  # fmt: skip

_SHOWN = {
    "planted_on": {"date": "dd/MM/yyyy"},
    "entered_at": {"date": "dd/MM/yyyy HH:mm"},
    "changed_at": {"date": "dd/MM/yyyy HH:mm"},
    "t_girth": {"decimals": 1},
    "t_height": {"decimals": 1},
    "amenity_value": {"decimals": 2},
}


def wide_document(rows: int) -> dict[str, Any]:
    """
    One row per tree, twenty columns, dates and decimals formatted, the first `rows` by the key.
    """
    columns = [
        {"id": f"c{n}", "heading": f.replace(".", " "), "value": {"field": f}, "show": _SHOWN.get(f, {})}
        for n, f in enumerate(WIDE)
    ]
    return {"name": "Wide", "records": "tree", "columns": columns, "at_most": rows}


def crosstab_document(since: str, until: str) -> dict[str, Any]:
    """
    Inspections between two days: wards down, months across, how many and their minutes.
    """
    ward = "tree.site.ward.name"
    return {
        "name": "Cross-tab",
        "records": "inspection",
        "rows": {"per": "group", "by": [{"path": ward}], "across": {"path": "inspected_on", "step": "month"}},
        "columns": [
            {"id": "w", "heading": "Ward", "value": {"field": ward}},
            {"id": "n", "heading": "Inspections", "value": {"fold": {"path": "", "how": "count"}}},
            {"id": "m", "heading": "Minutes", "value": {"fold": {"path": "minutes", "how": "sum"}}},
        ],
        "filter": {
            "all": [
                {
                    "path": "inspected_on",
                    "is": "in_window",
                    "window": {"type": "between", "first": since, "last": until},
                }
            ]
        },
    }


def measure_apart(work: str, *arguments: Any) -> Measured:
    """
    Run `benchmarks.work.<work>(*arguments)` in a process of its own, and measure it from inside.
    """
    command = [sys.executable, "-m", "benchmarks.work", work, json.dumps(arguments)]
    done = subprocess.run(command, capture_output=True, text=True, check=False, env=dict(os.environ))
    if done.returncode:
        raise RuntimeError(done.stderr)
    seconds, megabytes = json.loads(done.stdout.splitlines()[-1])
    return Measured(seconds, megabytes)


def measured(work: Callable[[], Any]) -> tuple[float, float]:
    """
    (seconds, peak megabytes of this process) of a piece of work.
    """
    began = time.perf_counter()
    work()
    seconds = time.perf_counter() - began
    # The peak of this program, not of the process that started it, as the kernel's resource usage would have it.
    status = Path("/proc/self/status").read_text()
    return seconds, int(status.split("VmHWM:")[1].split()[0]) / 1024
