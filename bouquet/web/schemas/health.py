"""
How the house is, as it goes over the wire.
"""

from __future__ import annotations

from datetime import datetime

from pydantic import BaseModel, Field

__all__ = ["Disk", "Health", "HouseOut", "QueueOut", "Ready"]


class Health(BaseModel):
    """
    `status`: `up`, `failing` where work by the clock fails, named in `failing`, or `store down`.
    """

    status: str
    version: str
    failing: list[str]


class Ready(BaseModel):
    """
    Whether requests can be answered.
    """

    ready: bool


class Disk(BaseModel):
    """
    The room where files lie, in bytes.
    """

    total: int
    free: int


class QueueOut(BaseModel):
    """
    What waits for workers; `oldest` is in seconds.
    """

    name: str
    waiting: int
    oldest: float


class HouseOut(BaseModel):
    """
    How the house is. Runs and deliveries are those of the last day, and all that are under way, by their state.
    """

    queues: list[QueueOut]
    workers: int
    runs: dict[str, int]
    deliveries: dict[str, int]
    down: dict[str, str] = Field(description="Ways out that do not answer, with what was said.")
    care: dict[str, float | None] = Field(description="Work by the clock: seconds since it last went well.")
    failing: dict[str, str]
    unsealed: int
    sealed_at: datetime | None
    disk: Disk | None
