"""What the bodies of the desk's requests have in common."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict

ModeName = Literal["test", "live"]


class Given(BaseModel):
    """A request's body: no names that we do not know."""

    model_config = ConfigDict(extra="forbid")
