"""Plans that were ordered together, seen from one of them: when the others are charged, by which terms."""

from __future__ import annotations

from datetime import date, timedelta

from skurrow.core.edition import Edition
from skurrow.core.subscriptions.life import Life
from skurrow.core.subscriptions.reckoning import Beside


def beside(life: Life, edition: Edition, same_place: bool) -> list[Beside]:
    """The stretches of a life in which another plan of the same order may be charged on the same day: by its present
    terms and, where others are to follow, by those. Time after a pause is counted anew once it goes on."""
    present = Beside(edition, life.terms, life.counted_from, life.counted_from, _charged_before(life), same_place)
    if life.over or life.following is None:
        return [present]
    return [
        present._replace(before=life.until),
        Beside(edition, life.following, life.until, life.until, _charged_before(life), same_place),
    ]


def _charged_before(life: Life) -> date | None:
    """The day from which on nothing is charged, as far as is known."""
    if life.ended_on is not None:
        return life.ended_on + timedelta(days=1) if life.state == "completed" else life.ended_on
    if life.pausing or life.state == "paused":
        return life.until
    return life.ends_on
