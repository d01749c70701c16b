"""
Bundles as they go over the wire.
"""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import BaseModel, Field

from bouquet.core.template import BundleContents

__all__ = ["BundleOut", "NewBundle"]


class NewBundle(BaseModel):
    """
    A bundle to be kept: what it holds, who sees it, and what was changed.
    """

    contents: BundleContents
    standing: Literal["own", "shared"] = "shared"
    note: str = Field("", max_length=500)
    revision: int | None = Field(None, ge=0, lt=2**63, description="The one that is changed; a newer one stays.")


class BundleOut(BaseModel):
    """
    A saved bundle. `version` counts how often it was saved; each run takes the newest version of all it holds.
    """

    id: int
    name: str
    sentence: str
    contents: BundleContents
    source: str
    standing: Literal["own", "shared", "house"]
    version: int
    revision: int
    owner: str
    mine: bool
    changed_at: datetime
    used_by: list[str] = Field(description="The rounds that run it, in words.")
