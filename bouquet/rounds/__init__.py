"""
Templates that run by the calendar.
"""

from bouquet.rounds.calendar import (
    NEVER,
    call,
    get_round,
    list_rounds,
    remove_round,
    rhythm_of,
    rhythm_words,
    run_now,
    set_paused,
    skip_next,
    whom_words,
)
from bouquet.rounds.ticking import CATCH_UP, tick_rounds
from bouquet.rounds.worker import make_queue, work

__all__ = [
    "CATCH_UP",
    "NEVER",
    "call",
    "get_round",
    "list_rounds",
    "make_queue",
    "remove_round",
    "rhythm_of",
    "rhythm_words",
    "run_now",
    "set_paused",
    "skip_next",
    "tick_rounds",
    "whom_words",
    "work",
]
