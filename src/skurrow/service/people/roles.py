"""What members of a site may do. A developer may everything, an owner looks after sales and wording, an onlooker
reads."""

from __future__ import annotations

from typing import Any, Literal

from skurrow.core.draft.changes import differences

Role = Literal["developer", "owner", "onlooker"]
Right = Literal["configure", "edit_texts", "sales", "people"]

RIGHTS: dict[str, frozenset[Right]] = {
    "developer": frozenset({"configure", "edit_texts", "sales", "people"}),
    "owner": frozenset({"edit_texts", "sales"}),
    "onlooker": frozenset(),
}

_TEXTS: dict[str, set[tuple[str, ...]]] = {
    "product": {
        *(("name",), ("owner_name",), ("text",), ("picture", "text")),
        *(("prices", "*", "label"), ("prices", "*", "text"), ("variants", "*", "name")),
    },
    "coupon": {("name",)},
    "checkout": {("name",), ("heading",), ("text",), ("button",)},
}


def may(role: str, right: Right) -> bool:
    """Whether a role has a right."""
    return right in RIGHTS.get(role, frozenset())


def beyond_texts(kind: str, before: Any, after: Any) -> list[str]:
    """What an edit changes besides wording: each by what it is called. Nothing, if it is only wording."""
    allowed = _TEXTS.get(kind, set[tuple[str, ...]]())
    found = []
    for one in differences(before, after):
        general = tuple("*" if step.startswith("#") else step for step in one.path)
        if before is None or after is None or general not in allowed:
            found.append(one.what)
    return found
