"""
The ways out of the house, each listed once, and means opened for a delivery or to be tried.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from bouquet.core.language import tr
from bouquet.delivery.folder import FolderWay
from bouquet.delivery.link import LinkWay
from bouquet.delivery.mail import MailWay
from bouquet.delivery.sftp import SftpWay
from bouquet.delivery.store import StoreWay
from bouquet.delivery.way import Step, Way, WrongSettings, read
from bouquet.delivery.webhook import WebhookWay
from bouquet.runs import Services
from bouquet.runs.patience import patience_for
from bouquet.store.models import Delivery, Means

__all__ = ["WAYS", "checked_address", "checked_settings", "try_means", "way_of", "way_to", "words_of"]

#: Every way out, by kind.
WAYS: dict[str, type[Way]] = {w.kind: w for w in (FolderWay, MailWay, SftpWay, WebhookWay, StoreWay, LinkWay)}


def way_of(kind: str) -> type[Way]:
    """
    A way out. Raises WrongSettings for one that is not known.
    """
    if kind not in WAYS:
        raise WrongSettings(
            tr(
                "There is no way out called “{kind}”; there are {ways}.",
                kind=kind,
                ways=", ".join(WAYS),
            )
        )
    return WAYS[kind]


def checked_settings(kind: str, given: Mapping[str, Any]) -> dict[str, Any]:
    """
    Settings of means as they are kept. Raises WrongSettings.
    """
    found = read(way_of(kind).settings_model, given).model_dump(mode="json", exclude_defaults=True)
    assert isinstance(found, dict)
    return found


def checked_address(kind: str, given: Mapping[str, Any]) -> dict[str, Any]:
    """
    Where a recipient gets files by such means, as it is kept. Raises WrongSettings.
    """
    found = read(way_of(kind).address_model, given).model_dump(mode="json", exclude_defaults=True)
    assert isinstance(found, dict)
    return found


def way_to(services: Services, delivery: Delivery) -> Way:
    """
    The way that a delivery goes, ready to be used. Raises WrongSettings, and NoKey or WrongKey where its secret is
    sealed.
    """
    return _opened(services, delivery.means, delivery.address)


def _opened(services: Services, means: Means, address: Mapping[str, Any]) -> Way:
    way = way_of(means.kind)
    secret = services.vault.open(means.secret) if means.secret else ""
    return way(services, read(way.settings_model, means.settings), secret, read(way.address_model, address))


def words_of(services: Services, means: Means, address: Mapping[str, Any]) -> str:
    """
    Where files go by some means, in words; what is wrong with it where it was kept before that was refused.
    """
    way = way_of(means.kind)
    try:
        return way(services, read(way.settings_model, means.settings), "", read(way.address_model, address)).words()
    except WrongSettings as error:
        return tr("Nothing is sent: {error}", error=error)


def try_means(services: Services, kind: str, settings: Mapping[str, Any], secret: str) -> Iterator[Step]:
    """
    Try means step by step: nothing is delivered, and what is written to try it is removed. Raises WrongSettings.
    """
    way = way_of(kind)
    known = read(way.settings_model, settings)
    address: dict[str, Any] = {"to": ["nobody@bouquet.example"]} if kind == "mail" else {}
    steps = way(services, known, secret, read(way.address_model, address)).steps()
    return patience_for(services.delivery_wait).each(steps)
