"""Why a use case was not carried out, in the terms of whoever asked. The web layer turns these into answers."""

from __future__ import annotations

from typing import Any

from skurrow.core.site.site import Site


class NotFound(Exception):
    """There is nothing by that name here, or it is somebody else's."""


class NotAllowed(Exception):
    """Whoever asks may not do this; the message says who may."""


class Conflict(Exception):
    """Somebody else was faster: `current` is what stands now."""

    def __init__(self, message: str, current: Any = None) -> None:
        super().__init__(message)
        self.current = current


class TooMany(Exception):
    """Too many tries; it is worth trying again after `seconds`."""

    def __init__(self, message: str, seconds: int) -> None:
        super().__init__(message)
        self.seconds = seconds


class Closed(Exception):
    """Nothing can be sold here at the moment; the message says why. `shop` is whose name and address lead back."""

    def __init__(self, message: str, shop: Site | None = None) -> None:
        super().__init__(message)
        self.shop = shop
