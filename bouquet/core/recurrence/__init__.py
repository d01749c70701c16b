"""
When things happen by the calendar: rhythms as people say them, on the wall clock of a zone, with days off.
"""

from bouquet.core.recurrence.calendar_file import days_of_calendar
from bouquet.core.recurrence.days_off import NO_DAYS_OFF, DaysOff, DaysOffError
from bouquet.core.recurrence.document import Nth, RhythmDocument, read_rhythm
from bouquet.core.recurrence.rhythm import Rhythm
from bouquet.core.recurrence.words import rhythm_words

__all__ = [
    "NO_DAYS_OFF",
    "DaysOff",
    "DaysOffError",
    "Nth",
    "Rhythm",
    "RhythmDocument",
    "days_of_calendar",
    "read_rhythm",
    "rhythm_words",
]
