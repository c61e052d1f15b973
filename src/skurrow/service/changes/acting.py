"""Who asks for a change of a subscription, and what came of it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Literal
from uuid import UUID


@dataclass(frozen=True, slots=True)
class Actor:
    """Who asks: the customer (None), or a person of the desk for them."""

    person: UUID | None = None

    @property
    def words(self) -> dict[str, str]:
        """As it is written down."""
        return {"by": "customer"} if self.person is None else {"by": "desk", "person": str(self.person)}


CUSTOMER = Actor()


@dataclass(frozen=True, slots=True)
class Ending:
    """How a subscription is to end, where it is not as its price says. `shown_at` is the instant for which the unused
    part was shown: whoever ends it soon afterwards gets that."""

    reason: str = ""
    when: Literal["paid_time", "at_once"] | None = None
    unused: Literal["kept", "given_back"] | None = None
    shown_at: datetime | None = None


AS_SOLD = Ending()


@dataclass(frozen=True, slots=True)
class GivenBack:
    """What the unused part of the paid time is worth `at` an instant, in minor units: `money` goes back as it was paid,
    the `rest`, paid with a balance, to that."""

    at: datetime
    money: int
    rest: int


@dataclass(frozen=True, slots=True)
class Done:
    """What came of agreeing: `now`, `later` (when the paid time ends), `refused` with a reason, or still `pending`,
    maybe until it is approved at the bank; then `key` names what is to be approved."""

    state: Literal["now", "later", "refused", "pending"]
    reason: str | None = None
    approve_at: str | None = None
    key: str | None = None
