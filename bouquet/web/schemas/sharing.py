"""
With whom something is shared.
"""

from __future__ import annotations

from pydantic import BaseModel, Field, model_validator

__all__ = ["SharedWith"]


class SharedWith(BaseModel):
    """
    Somebody, or a group, with whom something is shared: one of the two.
    """

    person: int | None = Field(None, ge=1, le=2**63 - 1)
    group: int | None = Field(None, ge=1, le=2**63 - 1)

    @model_validator(mode="after")
    def _one(self) -> SharedWith:
        if (self.person is None) == (self.group is None):
            msg = "Say a person or a group, one of the two."
            raise ValueError(msg)
        return self
