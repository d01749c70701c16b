"""
The life of a run.
"""

from bouquet.runs.asking import ask_for_run
from bouquet.runs.errors import FolderError, RunCancelled, RunFailed
from bouquet.runs.executor import execute, outgoing_folder
from bouquet.runs.export import Export, Exported, count_tally
from bouquet.runs.queue import BY_HAND, BY_ROUND, Queue
from bouquet.runs.services import Services
from bouquet.runs.tracing import Trace, Traced, left_out, trace

__all__ = [
    "BY_HAND",
    "BY_ROUND",
    "Export",
    "Exported",
    "FolderError",
    "Queue",
    "RunCancelled",
    "RunFailed",
    "Services",
    "Trace",
    "Traced",
    "ask_for_run",
    "count_tally",
    "execute",
    "left_out",
    "outgoing_folder",
    "trace",
]
