"""
What can go wrong with a run, as it stands in the ledger.
"""

from __future__ import annotations

from typing import Any

from sqlalchemy.exc import DBAPIError

from bouquet.core.errors import BouquetError, TemplateError
from bouquet.core.language import tr
from bouquet.sources import SourceDown

__all__ = [
    "PASSING",
    "FilesDown",
    "FolderError",
    "OthersFiles",
    "RunCancelled",
    "RunFailed",
    "RunGivenUp",
    "error_facts",
]


class RunCancelled(BouquetError):
    """
    The run was cancelled.
    """

    code = "cancelled"


class RunFailed(BouquetError):
    """
    The run failed; the ledger says why.
    """

    code = "run_failed"


class RunGivenUp(BouquetError):
    """
    The run ended its workers again and again.
    """

    code = "given_up"


class OthersFiles(BouquetError):
    """
    The file store belongs to another house.
    """

    code = "others_files"


class FilesDown(BouquetError):
    """
    The file store, which is another machine's, cannot be reached, or does not do what it is asked just now.
    """

    code = "files_down"


#: What may be better when it is tried again: the source, the file store or our own database was away.
PASSING = (SourceDown, FilesDown, DBAPIError)


class FolderError(BouquetError):
    """
    Rounds write into folders below the one set aside for them, named without “..” or a leading slash.
    """

    code = "folder"


def error_facts(error: BaseException) -> dict[str, Any]:
    """
    An error as the ledger keeps it: a code, a sentence, and the places in the template.
    """
    facts: dict[str, Any] = {"code": getattr(error, "code", "error"), "message": str(error)}
    if isinstance(error, TemplateError):
        facts["message"] = " ".join(p.message for p in error.problems)
        facts["problems"] = [{"code": p.code, "message": p.message, "place": p.place} for p in error.problems]
    elif not isinstance(error, BouquetError):
        facts["message"] = tr("Something unexpected went wrong; the server's log has the details.")
    return facts
