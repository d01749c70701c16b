"""
What can go wrong with Bouquet's own records.

    StoreError
    ├── NotFound       there is no such thing, or no longer
    ├── NameTaken      another thing of its kind has this name
    ├── NotPossible    as it stands now, this cannot be done with it
    ├── NotYours       it is somebody else's
    ├── OtherVersion   the tables are not those that this Bouquet works with
    ├── OutOfScope     it holds records that the person may not see
    ├── TooManyTries   too many tries to sign in failed of late
    └── LostUpdate     somebody else changed it in the meantime
"""

from __future__ import annotations

from datetime import datetime

from sqlalchemy.exc import InterfaceError, InternalError, OperationalError

from bouquet.core.errors import BouquetError
from bouquet.core.language import CONSTANT, tr

__all__ = [
    "STORE_AWAY",
    "LostUpdate",
    "NameTaken",
    "NotFound",
    "NotPossible",
    "NotYours",
    "OtherVersion",
    "OutOfScope",
    "StoreError",
    "TooManyTries",
    "WeakPassword",
]


#: Errors by which Bouquet's own database is out of reach, full, or stopping: what was wanted may succeed later. Any
#: other error of it is about what was given, and comes again however often it is tried.
STORE_AWAY = (OperationalError, InterfaceError, InternalError)


class StoreError(BouquetError):
    """
    Bouquet's own database could not do this.
    """

    code = "store"


class NotFound(StoreError):
    """
    There is no such thing here.
    """

    code = "not_found"


class OtherVersion(StoreError):
    """
    The tables are not of the version that this Bouquet works with.
    """

    code = "other_version"


class NotPossible(StoreError):
    """
    As it stands now, this cannot be done with it.
    """

    code = "not_possible"


class NotYours(StoreError):
    """
    It belongs to somebody else.
    """

    code = "not_yours"


class OutOfScope(StoreError):
    """
    It holds records that the person may not see.
    """

    code = "out_of_scope"


class TooManyTries(StoreError):
    """
    Too many tries to sign in failed of late.
    """

    code = "too_many_tries"

    def __init__(self, seconds: int) -> None:
        self.seconds = seconds
        super().__init__(tr("Too many tries to sign in failed. Try again in {seconds} seconds.", seconds=seconds))


class NameTaken(StoreError):
    """
    Something else has this name already.
    """

    code = "name_taken"

    def __init__(self, name: str, what: str = "template") -> None:
        self.name = name
        super().__init__(
            tr("There is already a {what} called “{name}”. Choose another name.", what=tr(what), name=name)
        )


#: What may have a name that is taken, or was changed by somebody else.
CONSTANT.update(("template", "bundle", "group", "source", "person", "person with the address", "catalogue"))


class LostUpdate(StoreError):
    """
    The draft was changed by somebody else in the meantime.
    """

    code = "lost_update"

    def __init__(self, by: str, at: datetime, revision: int, what: str = "template") -> None:
        self.by, self.at, self.revision = by, at, revision
        super().__init__(
            tr(
                "{by} changed this {what} in the meantime, so your change was not saved over theirs.",
                by=by,
                what=tr(what),
            )
        )


class WeakPassword(StoreError):
    """
    A password that would be guessed soon.
    """

    code = "weak_password"
