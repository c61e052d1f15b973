"""How subscriptions are looked after: retries, grace, mails ahead, what customers may do."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from skurrow.core.site.values import Frozen

CustomerMay = Literal["change", "quantity", "pause", "cancel"]


class Subscriptions(Frozen):
    """How subscriptions are looked after.

    A charge that fails is tried again so many days after it fell due (`retries`); the service goes on for `grace`
    days, then it ends. Mails come so many days before a trial ends, before a renewal that comes once a year or less
    often, and before the end of the month in which a card expires (None: never). `unused` says how unused time is
    measured: by the second, or in whole days with the day of the change used. `customers_may` is what customers may do
    by themselves.
    """

    retries: Annotated[list[Annotated[int, Field(ge=1, le=90)]], Field(max_length=10)] = Field(
        default_factory=lambda: [3, 7, 12]
    )
    grace: Annotated[int, Field(ge=0, le=120)] = 14
    before_trial_ends: Annotated[int, Field(ge=1, le=60)] | None = 3
    before_yearly: Annotated[int, Field(ge=1, le=90)] | None = 14
    before_card_expires: Annotated[int, Field(ge=1, le=60)] | None = 20
    unused: Literal["seconds", "days"] = "seconds"
    customers_may: list[CustomerMay] = Field(default=["change", "quantity", "pause", "cancel"])
