"""
Templates that run by the calendar.
"""

from bouquet.rounds.calendar import (
    CATCH_UP,
    get_round,
    list_rounds,
    remove_round,
    rhythm_of,
    set_paused,
    tick_rounds,
)

__all__ = ["CATCH_UP", "get_round", "list_rounds", "remove_round", "rhythm_of", "set_paused", "tick_rounds"]
