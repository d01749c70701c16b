"""
The life of a run.
"""

from bouquet.runs.archive import zipped
from bouquet.runs.asking import ask_for_run, check_purpose, unknown_answers
from bouquet.runs.comparing import ask_for_comparison, carry_out_comparison, key_of, rows_of
from bouquet.runs.delivering import MODES, appendable
from bouquet.runs.errors import PASSING, FilesDown, FolderError, OthersFiles, RunCancelled, RunFailed
from bouquet.runs.executor import ATTEMPTS, execute
from bouquet.runs.export import Export
from bouquet.runs.exported import Exported
from bouquet.runs.gathering import gather_bundle, source_of_bundle
from bouquet.runs.givenback import check_file, recognise
from bouquet.runs.mail_server import MailError, MailServer, checked_address
from bouquet.runs.outgoing import checked_folder
from bouquet.runs.queue import Queue
from bouquet.runs.retention import Swept, claim_at_start, expire_files, sweep_files
from bouquet.runs.services import Services
from bouquet.runs.tallying import about_tally, count_tally
from bouquet.runs.tracing import Trace, Traced, left_out, trace

__all__ = [
    "ATTEMPTS",
    "MODES",
    "PASSING",
    "Export",
    "Exported",
    "FilesDown",
    "FolderError",
    "MailError",
    "MailServer",
    "OthersFiles",
    "Queue",
    "RunCancelled",
    "RunFailed",
    "Services",
    "Swept",
    "Trace",
    "Traced",
    "about_tally",
    "appendable",
    "ask_for_comparison",
    "ask_for_run",
    "carry_out_comparison",
    "check_file",
    "check_purpose",
    "checked_address",
    "checked_folder",
    "claim_at_start",
    "count_tally",
    "execute",
    "expire_files",
    "gather_bundle",
    "key_of",
    "left_out",
    "recognise",
    "rows_of",
    "source_of_bundle",
    "sweep_files",
    "trace",
    "unknown_answers",
    "zipped",
]
