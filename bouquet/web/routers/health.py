"""
How the house is: for probes, for programs that watch it, and for who administers it.
"""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Response
from prometheus_client import CollectorRegistry
from prometheus_client.core import GaugeMetricFamily, Metric
from prometheus_client.openmetrics.exposition import CONTENT_TYPE_LATEST, generate_latest
from prometheus_client.registry import Collector
from sqlalchemy.exc import DBAPIError

from bouquet import __version__
from bouquet.runs import Services
from bouquet.store import care
from bouquet.store.health import Health as HouseHealth
from bouquet.store.health import health_of
from bouquet.store.models import Person
from bouquet.web.access import TheServices, needs
from bouquet.web.bodies import ExactRoute
from bouquet.web.schemas.health import Disk, Health, HouseOut, Ready

router = APIRouter(route_class=ExactRoute, tags=["health"])

Auditor = Annotated[Person, Depends(needs("audit"))]


@router.get("/health", response_model=Health)
def health(services: TheServices) -> Any:
    """
    Whether the server answers, and which of the work by the clock fails just now.
    """
    try:
        with services.store.session() as session:
            failing = sorted(care.failing_care(session, services.clock()))
    except DBAPIError:
        return Health(status="store down", version=__version__, failing=[])
    return Health(status="failing" if failing else "up", version=__version__, failing=failing)


@router.get("/health/ready", response_model=Ready)
def ready(services: TheServices, response: Response) -> Any:
    """
    For probes: whether requests can be answered; 503 while Bouquet's own database cannot be reached.
    """
    try:
        with services.store.session() as session:
            care.failing_care(session, services.clock())
    except DBAPIError:
        response.status_code = 503
        return Ready(ready=False)
    return Ready(ready=True)


@router.get("/health/house", response_model=HouseOut)
def house(services: TheServices, person: Auditor) -> Any:
    """
    How the house is: what waits, who works, what came of runs and deliveries, what fails, how much room is left.
    """
    return HouseOut(**asdict(_now(services)), disk=_disk(services))


@router.get("/metrics", response_class=Response)
def metrics(services: TheServices, person: Auditor) -> Response:
    """
    The same for programs that watch, as OpenMetrics. They sign in with a token of an auditor or administrator.
    """
    registry = CollectorRegistry()
    registry.register(_Collector(_now(services), _disk(services)))
    text: bytes = generate_latest(registry)  # type: ignore[no-untyped-call]
    return Response(text, media_type=CONTENT_TYPE_LATEST)


def _now(services: Services) -> HouseHealth:
    with services.store.session() as session:
        return health_of(session, services.clock())


def _disk(services: Services) -> Disk | None:
    """
    The room where files lie; None where that is no folder of this machine.
    """
    folder = Path(services.files) if "://" not in str(services.files) else None
    if folder is None or not folder.exists():
        return None
    usage = shutil.disk_usage(folder)
    return Disk(total=usage.total, free=usage.free)


class _Collector(Collector):
    """
    What is measured at this moment.
    """

    def __init__(self, found: HouseHealth, disk: Disk | None) -> None:
        self.found, self.disk = found, disk

    def collect(self) -> Iterator[Metric]:
        found = self.found
        waiting = {q.name: q.waiting for q in found.queues}
        yield _family("bouquet_jobs_waiting", "Jobs that wait for a worker.", "queue", waiting)
        oldest = {q.name: q.oldest for q in found.queues}
        yield _family("bouquet_jobs_oldest_seconds", "How long the oldest of them waits.", "queue", oldest)
        yield _family("bouquet_workers", "Workers that live.", "", {"": found.workers})
        yield _family("bouquet_runs", "Runs of the last day, and under way.", "status", found.runs)
        yield _family("bouquet_deliveries", "Deliveries of the last day, and under way.", "state", found.deliveries)
        yield _family("bouquet_ways_down", "Ways out that do not answer.", "", {"": len(found.down)})
        yield _family("bouquet_care_failing", "Work by the clock that fails.", "care", dict.fromkeys(found.failing, 1))
        yield _family("bouquet_journal_unsealed", "Entries of the journal without a seal.", "", {"": found.unsealed})
        if self.disk is not None:
            yield _family("bouquet_files_free_bytes", "Room where files lie.", "", {"": self.disk.free})


def _family(name: str, about: str, label: str, values: dict[str, Any]) -> GaugeMetricFamily:
    made = GaugeMetricFamily(name, about, labels=[label] if label else [])
    for key, value in values.items():
        made.add_metric([key] if label else [], float(value))
    return made
