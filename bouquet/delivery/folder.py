"""
A folder below the outgoing folder of the house.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import shutil
from collections.abc import Iterator
from functools import partial
from pathlib import PurePosixPath
from typing import Any, ClassVar, Literal

from pydantic import Field, field_validator

from bouquet.core.errors import BouquetError
from bouquet.core.language import tr, whole
from bouquet.core.naming import with_suffix
from bouquet.delivery.reach import says_of
from bouquet.delivery.way import DeliveryError, Parcel, ParcelFile, Receipt, Settings, Step
from bouquet.runs import Services
from bouquet.runs.outgoing import Place, checked_folder, opened_place

__all__ = ["FolderWay"]

CHUNK = 1 << 20

#: Names that are tried for a file that must be new.
MOST_NAMES = 10_000


class FolderSettings(Settings):
    """
    `folder` is below the outgoing folder of the house; empty for that itself.
    """

    folder: str = Field("", max_length=1_000, title="Folder below the outgoing folder")

    @field_validator("folder")
    @classmethod
    def _plain(cls, value: str) -> str:
        return _checked(value)


class FolderAddress(Settings):
    """
    `mode`: what becomes of an earlier file of the name: `new` leaves it, `replace` puts the file in its place.
    """

    folder: str = Field("", max_length=1_000, title="Folder")
    mode: Literal["new", "replace"] = Field("new", title="An earlier file of the same name: beside it, or in its place")

    @field_validator("folder")
    @classmethod
    def _plain(cls, value: str) -> str:
        return _checked(value)


def _checked(folder: str) -> str:
    if not folder.strip():
        return ""
    try:
        return str(checked_folder(folder))
    except BouquetError as error:
        raise ValueError(str(error)) from error


class FolderWay:
    """
    Files are written beside their name and put in their place at once.
    """

    kind: ClassVar[str] = "folder"
    label: ClassVar[str] = "A folder of this house"
    secret: ClassVar[str] = ""
    settings_model: ClassVar[type[Settings]] = FolderSettings
    address_model: ClassVar[type[Settings]] = FolderAddress
    withdraws: ClassVar[bool] = True

    def __init__(self, services: Services, settings: Any, secret: str, address: Any) -> None:
        self.root = services.outgoing
        self.folder = PurePosixPath(settings.folder) / address.folder
        self.mode = address.mode

    def words(self) -> str:
        return tr("the folder {folder}", folder=self.folder)

    def send(self, parcel: Parcel) -> Receipt:
        with _told(self.words()):
            for file in parcel.files:
                if not self._is_there(parcel, file):
                    self._put(parcel, file)
        places = [str(parcel.progress.get(f"at {f.id}", self.folder / f.name)) for f in parcel.files]
        return Receipt(tr("put as {places}", places=", ".join(places[:5])))

    def verify(self, parcel: Parcel) -> Receipt | None:
        with _told(self.words()):
            if all(self._is_there(parcel, file) for file in parcel.files):
                return Receipt(tr("it was there already"), known=True)
        return None

    def _is_there(self, parcel: Parcel, file: ParcelFile) -> bool:
        noted = parcel.progress.get(f"at {file.id}")
        if not noted:
            return False
        with opened_place(self.root, noted) as place:
            # An equal file may be another delivery's, as long as this one's still stands beside it.
            same = place.size() == file.size and place.exists() and _digest(place) == file.sha256
            return same and not place.waits(parcel.delivery_id)

    def _put(self, parcel: Parcel, file: ParcelFile) -> None:
        if noted := parcel.progress.get(f"at {file.id}"):
            with opened_place(self.root, noted) as place:
                place.clear(parcel.delivery_id)
        for number in range(1, MOST_NAMES):
            name = file.name if number == 1 or self.mode == "replace" else with_suffix(file.name, number)
            target = str(self.folder / name)
            with opened_place(self.root, target) as place:
                if self.mode == "new" and place.exists():
                    continue
                # Noted when it is whole, before it has its name: after a crash the place itself tells whether it has.
                whole = partial(parcel.note, {f"at {file.id}": target})
                try:
                    with (
                        file.opened() as made,
                        made.open("rb") as source,
                        place.written(parcel.delivery_id, anew=self.mode == "new", ready=whole) as copy,
                    ):
                        shutil.copyfileobj(source, copy, CHUNK)
                    return
                except OSError as error:
                    # What stands under the name is another's, however equal it is.
                    parcel.note({f"at {file.id}": ""})
                    if not isinstance(error, FileExistsError):
                        raise
        raise DeliveryError(tr("There is no free name left for “{file}”; clear the folder.", file=file.name))

    def withdraw(self, parcel: Parcel) -> None:
        """
        Remove the files that are still as they were put there.
        """
        with _told(self.words()):
            for file in parcel.files:
                if self._is_there(parcel, file):
                    with opened_place(self.root, parcel.progress[f"at {file.id}"]) as place:
                        place.remove()

    def steps(self) -> Iterator[Step]:
        target = str(self.folder / ".bouquet-trial")
        try:
            with opened_place(self.root, str(self.folder / "bouquet-trial.txt")) as place:
                with place.written(0, anew=False) as copy:
                    copy.write(b"Written by Bouquet to try this folder.\n")
                place.remove()
        except (OSError, BouquetError) as error:
            yield Step("write", "wrong", f"{target}: {says_of(error)}")
            return
        free = shutil.disk_usage(self.root).free
        yield Step(
            "write",
            "good",
            tr(
                "a file can be written and removed below {root}/{folder}",
                root=self.root.name,
                folder=self.folder,
            ),
        )
        yield Step(
            "space", "good" if free > 1 << 30 else "care", tr("{free} MB are free", free=whole(free // 1_000_000))
        )


@contextlib.contextmanager
def _told(where: str) -> Iterator[None]:
    try:
        yield
    except OSError as error:
        # A full disk, or one that is away, may be mended.
        raise DeliveryError(f"{where}: {says_of(error)}.", passing=True) from error


def _digest(place: Place) -> str:
    digest = hashlib.sha256()
    with place.open() as file:
        os.posix_fadvise(file.fileno(), 0, 0, os.POSIX_FADV_SEQUENTIAL)
        while chunk := file.read(CHUNK):
            digest.update(chunk)
    return digest.hexdigest()
