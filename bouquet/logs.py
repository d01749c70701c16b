"""
Logs: one JSON object a line on standard error, with the place of an error and never what its variables held.
"""

from __future__ import annotations

import sys
from collections.abc import MutableMapping
from typing import Any

import structlog
from structlog.processors import ExceptionRenderer, JSONRenderer, TimeStamper, add_log_level
from structlog.tracebacks import ExceptionDictTransformer

from bouquet.traces import trace_number

__all__ = ["configure_logs"]

#: Frames of an error that are kept; the innermost tell most.
FRAMES = 30


def _with_trace(_: Any, __: str, event: MutableMapping[str, Any]) -> MutableMapping[str, Any]:
    """
    With the number of the trace under way, so that what was logged is found from there.
    """
    number = trace_number()
    return event if number is None else {**event, "trace": number}


def configure_logs() -> None:
    """
    Set logging up for a program. Local variables hold plans, passwords and records, so they are never shown.
    """
    structlog.configure(
        processors=[
            structlog.contextvars.merge_contextvars,
            _with_trace,
            add_log_level,
            TimeStamper(fmt="iso", utc=True),
            ExceptionRenderer(ExceptionDictTransformer(show_locals=False, max_frames=FRAMES)),
            JSONRenderer(ensure_ascii=False, default=str),
        ],
        # What is printed is for programs, too; what is logged goes beside it.
        logger_factory=lambda *_: structlog.PrintLogger(sys.stderr),
    )
