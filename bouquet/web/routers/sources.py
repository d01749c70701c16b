"""
The sources of the house, for who administers it: listed, tried, added, changed, removed.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import asdict
from typing import Annotated, Any

import structlog
from fastapi import APIRouter, Depends, Path
from fastapi.sse import EventSourceResponse

from bouquet.core.errors import BouquetError
from bouquet.core.language import tr
from bouquet.database_urls import parsed_url
from bouquet.runs import Services
from bouquet.sources import NoSource, try_source
from bouquet.store import sources as kept
from bouquet.store.models import Person
from bouquet.web.access import TheServices, needs
from bouquet.web.bodies import ExactRoute
from bouquet.web.problems import Refused
from bouquet.web.schemas.sources import Address, NewSource, SourceChange, SourceOut, StepOut

log = structlog.get_logger()

router = APIRouter(route_class=ExactRoute, prefix="/sources", tags=["sources"])

Keeper = Annotated[Person, Depends(needs("keep"))]
Name = Annotated[str, Path(min_length=1, max_length=kept.LONGEST_NAME)]


@router.get("", response_model=list[SourceOut])
def list_sources(services: TheServices, person: Keeper) -> Any:
    """
    The house's sources, the one of the settings first.
    """
    services.sources.refresh()
    return [_out(services, key) for key in services.sources.listed()]


@router.post("/try", response_class=EventSourceResponse)
def try_address(body: Address, person: Keeper) -> Iterator[StepOut]:
    """
    Server-sent events: each step that was tried, as it is done. Nothing is kept, nothing changed there.
    """
    for step in try_source(body.address.get_secret_value().strip()):
        yield StepOut(**asdict(step))


@router.post("", response_model=SourceOut, status_code=201)
def add_source(body: NewSource, services: TheServices, person: Keeper) -> Any:
    """
    Keep a source, its address encrypted. One that cannot be read is refused with what is wrong, unless `untried`.
    """
    address = body.address.get_secret_value().strip()
    sealed = services.vault.seal(address)
    _refuse_wrong(address, untried=body.untried)
    with services.store.session() as session:
        record = kept.add_source(
            session,
            name=body.name,
            sealed=sealed,
            environment=body.environment,
            person_id=person.id,
            now=services.clock(),
        )
        name = record.name
    log.info("source_added", source=name, person=person.id)
    services.sources.refresh()
    return _out(services, name)


@router.patch("/{name}", response_model=SourceOut)
def change_source(name: Name, body: SourceChange, services: TheServices, person: Keeper) -> Any:
    """
    Give a source another address, or say whether it is live.
    """
    sealed = None
    if body.address is not None:
        address = body.address.get_secret_value().strip()
        sealed = services.vault.seal(address)
        _refuse_wrong(address, untried=body.untried)
    copy = _sealed_copy(services, body)
    with services.store.session() as session:
        changed = kept.change_source(session, name, sealed=sealed, environment=body.environment, sealed_copy=copy)
        name = changed.name
    log.info("source_changed", source=name, person=person.id)
    services.sources.refresh()
    return _out(services, name)


@router.delete("/{name}", status_code=204)
def remove_source(name: Name, services: TheServices, person: Keeper) -> None:
    """
    Forget the address of a source that no template reads.
    """
    with services.store.session() as session:
        kept.remove_source(session, name, services.clock())
    log.info("source_removed", source=name, person=person.id)
    services.sources.refresh()


def _sealed_copy(services: Services, body: SourceChange) -> str | None:
    if body.copy_address is None:
        return None
    address = body.copy_address.get_secret_value().strip()
    if not address:
        return ""
    _refuse_wrong(address, untried=body.untried)
    return services.vault.seal(address)


def _refuse_wrong(address: str, *, untried: bool) -> None:
    """
    Refuse an address at which nothing can be read; of one that is not to be tried, what is none at all.
    """
    steps = try_source(address)
    last = next(steps) if untried else [*steps][-1]
    if last.mark == "wrong" and not (untried and last.name != "address"):
        raise Refused(
            422, "source_wrong", tr("This source cannot be read; {last}: {says}", last=last.name, says=last.says)
        )


def _out(services: Services, key: str) -> SourceOut:
    title, name, environment, where, count, curated, trouble, copy_at = key, key, "live", "", None, 0, "", ""
    try:
        source = services.sources.get(key)
        title, name, environment, where = source.title, source.name, source.environment, _where(source.url)
        curated, copy_at = source.curated, _where(source.copy) if source.copy else ""
        count = len(source.catalogue().record_types)
    except NoSource:
        raise
    except BouquetError as error:
        trouble = str(error)
    with services.store.session() as session:
        templates = kept.used_by(session, key)
    return SourceOut(
        key=key,
        name=name,
        title=title,
        environment=environment,
        kept="store" if key else "settings",
        where=where,
        copy_at=copy_at,
        record_types=count,
        curated=curated,
        templates=templates,
        trouble=trouble,
    )


def _where(url: str) -> str:
    parsed = parsed_url(url)
    kind = {"postgresql": "PostgreSQL", "sqlite": "SQLite", "mysql": "MySQL", "mariadb": "MariaDB"}
    host = tr(" at {host}", host=parsed.host) if parsed.host else ""
    port = f":{parsed.port}" if parsed.port else ""
    return f"{kind.get(parsed.get_backend_name(), parsed.get_backend_name())}{host}{port}, {parsed.database or ''}"
