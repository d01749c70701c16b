"""
What all ways out of the house share: a parcel goes in, a receipt comes back, or a refusal that says whether waiting
may help.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from contextlib import AbstractContextManager
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar, Protocol

from pydantic import BaseModel, ConfigDict, ValidationError

from bouquet.core.errors import BouquetError

if TYPE_CHECKING:
    from bouquet.runs import Services

__all__ = [
    "DeliveryError",
    "Parcel",
    "ParcelFile",
    "Receipt",
    "Settings",
    "Step",
    "Way",
    "WrongSettings",
    "leads_upward",
    "read",
]


class DeliveryError(BouquetError):
    """
    The other side did not take the files.

    `passing`: whether waiting may help. `unreachable`: whether it is the whole machine that does not answer, so that
    nothing else need be tried there. `after`: seconds that it asked to wait. `unanswered`: whether all was handed over,
    and only the answer is missing: it may have taken them.
    """

    code = "delivery"

    def __init__(
        self,
        message: str,
        *,
        passing: bool = False,
        unreachable: bool = False,
        after: float | None = None,
        unanswered: bool = False,
    ) -> None:
        super().__init__(message)
        self.unanswered = unanswered
        self.passing, self.unreachable, self.after = passing or unreachable, unreachable, after


class WrongSettings(BouquetError):
    """
    What is said of a way out, or of an address, is not right.
    """

    code = "wrong_settings"


class Settings(BaseModel):
    """
    What a keeper says of means, or a designer of a recipient's address.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)


def leads_upward(path: str) -> bool:
    """
    Whether a part of a path is two dots, which lead out of the folder it begins in. Backslashes part paths, too:
    servers of some systems take them so.
    """
    return ".." in path.replace("\\", "/").split("/")


def read(model: type[Settings], given: Mapping[str, Any]) -> Any:
    """
    Settings as their way knows them. Raises WrongSettings with the first thing that is wrong.
    """
    try:
        return model.model_validate(dict(given))
    except ValidationError as error:
        first = error.errors()[0]
        at = ".".join(str(part) for part in first["loc"])
        raise WrongSettings(f"{at}: {first['msg'].removeprefix('Value error, ')}" if at else first["msg"]) from error


@dataclass(frozen=True)
class ParcelFile:
    """
    A file that goes out. `opened` gives it on this machine for as long as it is needed.
    """

    id: int
    name: str
    media_type: str
    size: int
    rows: int
    sha256: str
    opened: Callable[[], AbstractContextManager[Path]] = field(repr=False, compare=False)


@dataclass(frozen=True)
class Parcel:
    """
    One delivery. `identity` stays the same however often it is tried; `progress` is what earlier tries noted, and
    `note` keeps more of it at once. `run_page` is where people read about the run; empty where that is not known.
    """

    delivery_id: int
    identity: str
    files: tuple[ParcelFile, ...]
    recipient: str
    run_id: int
    title: str
    sentence: str
    rows: int
    as_of: datetime
    owner: str
    run_page: str
    now: datetime
    progress: Mapping[str, Any]
    note: Callable[[Mapping[str, Any]], None] = field(repr=False)


@dataclass(frozen=True)
class Receipt:
    """
    What the other side said. Not `arrived`: it waits there to be fetched. `known`: it was there before this try.
    """

    says: str
    arrived: bool = True
    known: bool = False


@dataclass(frozen=True)
class Step:
    """
    One step of trying means: what it was, how it went (`good`, `care` where something should be changed, `wrong`), and
    what was said.
    """

    name: str
    mark: str
    says: str


class Way(Protocol):
    """
    One way out. It is made for one delivery, from the settings of its means and the address of the recipient. Each step
    of a conversation may take as long as `services.delivery_wait` says.
    """

    kind: ClassVar[str]
    #: What people call it.
    label: ClassVar[str]
    #: What a secret of such means is called; empty where there is none.
    secret: ClassVar[str]
    settings_model: ClassVar[type[Settings]]
    address_model: ClassVar[type[Settings]]
    #: Whether files can be taken back.
    withdraws: ClassVar[bool]

    def __init__(self, services: Services, settings: Any, secret: str, address: Any) -> None: ...

    def send(self, parcel: Parcel) -> Receipt:
        """
        Hand a parcel over. What is there already from an earlier try is not sent twice. Raises DeliveryError.
        """
        ...

    def verify(self, parcel: Parcel) -> Receipt | None:
        """
        Whether a parcel that was perhaps handed over is there; None where it is not, or where the way cannot tell.
        """
        ...

    def withdraw(self, parcel: Parcel) -> None:
        """
        Take files back. Raises DeliveryError.
        """
        ...

    def steps(self) -> Iterator[Step]:
        """
        Try the means step by step, without a delivery.
        """
        ...

    def words(self) -> str:
        """
        Where it leads, for people; without secrets.
        """
        ...
