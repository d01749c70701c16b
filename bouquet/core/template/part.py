"""
What all parts of documents share.
"""

from __future__ import annotations

from typing import TypeAlias

from pydantic import BaseModel, ConfigDict

__all__ = ["Part", "Scalar"]

Scalar: TypeAlias = bool | int | float | str


class Part(BaseModel):
    """
    Any part of a document: frozen, and strict about its keys.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)
