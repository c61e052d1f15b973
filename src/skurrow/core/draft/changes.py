"""What differs between two states of a part, in words; and the merge of two edits that began from one state.

A part is plain data as the site file writes it. It is looked at leaf by leaf: entries of lists are known by their
id, code or place and not by where they stand, so that one inserted price is one difference.

>>> [(d.what, d.before, d.after) for d in differences({"name": "Kit"}, {"name": "Set", "text": "New"})]
[('name', 'Kit', 'Set'), ('text', None, 'New')]
>>> merged({"a": "1", "b": "1"}, {"a": "2", "b": "1"}, {"a": "1", "b": "3"})
Merge(body={'a': '2', 'b': '3'}, clashes=())
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from skurrow.core.durations import duration_words, parse_duration

Leaves = dict[tuple[str, ...], Any]

_MARK = "#"
"""Before the key of a list's entry, to tell it from a name."""

_LABELS = {
    "owner_name": "name at the desk",
    "held_in": "held in",
    "counts_as": "taxed as",
    "weight_g": "weight in grams",
    "heading": "heading",
    "button": "pay button",
    "url": "address of the website",
    "time_zone": "time zone",
    "round_to": "rounded to",
    "less": "less",
    "min": "smallest quantity",
    "max": "largest quantity",
    "default": "chosen at first",
    "offered": "offered",
    "for": "for",
    "payments": "number of payments",
    "again": "again every",
    "chosen": "amount that the buyer chooses",
    "available_from": "comes out on",
    "charged": "paid for",
    "only": "products it is for",
    "limit": "orders in all",
    "per_customer": "orders a customer",
    "renewals": "charges it counts for",
    "combine": "combined with others",
    "choose": "how many things may be taken",
    "everyday": "sells whatever a basket holds",
    "discount": "its own discount",
    "automatic": "comes by itself",
    "picture": "picture",
    "when_untaxed": "when no tax is due",
    "business_proof": "proof of being a business",
    "person": "name they type",
    "postal_code": "postal code",
    "tax_number": "tax number",
    "refund_days": "days to give it back",
    "statement": "what statements show",
    "sender": "name they come from",
    "reply_to": "where answers go",
    "foot": "words under each mail",
    "pictures": "pictures of what was bought",
    "note_owners": "a note of each sale to owners",
    "consumers": "paper for consumers",
    "invoices": "numbers of invoices",
    "receipts": "numbers of receipts",
    "credit_notes": "numbers of credit notes",
    "label": "what buyers read",
    "days": "days to pay it",
    "above": "above an amount of",
    "tries": "more tries than",
    "by": "counted by",
    "hours": "within hours",
    "another_country": "card of another country",
    "then": "then",
    "up_to_g": "up to grams",
    "up_to": "up to a value of",
    "by_weight": "by weight",
    "by_value": "by value",
    "free_from": "free from",
    "each": "for each piece",
    "pick_up": "is picked up",
    "customer": "for whom",
    "included": "amounts include tax",
    "customers_may": "what customers may do",
    "grace": "days of grace",
    "retries": "days of new tries",
    "before_trial_ends": "days from a mail to a trial's end",
    "before_yearly": "days from a mail to a yearly renewal",
    "before_card_expires": "days from a mail to a card's end",
    "unused": "unused time",
}
_ENTRIES = {
    "prices": "price",
    "variants": "variant",
    "contains": "held price",
    "registrations": "registration",
    "rates": "own rate",
    "own": "mail",
    "ways": "way to pay",
    "guards": "limit",
    "zones": "zone",
    "methods": "way of delivery",
    "by_weight": "step by weight",
    "by_value": "step by value",
    "": "currency",
}
_DURATION = re.compile(r"P(\d+[YMWD])+")
_CODE_WORD = re.compile(r"[a-z]+(_[a-z]+)+")
_SILENT = {"amount", "quantity", *_ENTRIES}


@dataclass(frozen=True, slots=True)
class Difference:
    """One thing that differs: `what` names it; a value that is not there is None."""

    path: tuple[str, ...]
    what: str
    before: str | None
    after: str | None


@dataclass(frozen=True, slots=True)
class Merge:
    """Two edits in one body; `clashes` are the paths that both have changed, and not alike."""

    body: Any
    clashes: tuple[tuple[str, ...], ...]


def differences(before: Any, after: Any) -> list[Difference]:
    """What differs between two bodies of a part, in the order in which it is written; None is a part not there."""
    old, new = leaves(before), leaves(after)
    found: dict[tuple[str, ...], Difference] = {}
    for path in [*old, *(p for p in new if p not in old)]:
        if old.get(path) == new.get(path) and (path in old) == (path in new):
            continue
        whole = _entry_of_one_side(path, old, new)
        if whole in found:
            continue
        if whole != path:
            sides = [_entry_words(whole, one) if _has(one, whole) else None for one in (old, new)]
        else:
            sides = [_words(one[path], path) if path in one else None for one in (old, new)]
        found[whole] = Difference(whole, label(whole), *sides)
    return list(found.values())


def merged(base: Any, mine: Any, theirs: Any) -> Merge:
    """Both edits of `base` in one: what one side alone has changed is that side's; where both have, it is mine.

    An entry of a list that one side has taken out and the other has changed stays whole or goes whole, as mine has it.
    """
    old, ours, others = leaves(base), leaves(mine), leaves(theirs)
    nothing = object()
    result: Leaves = {}
    clashes = []
    torn = _torn_entries(old, ours, others)
    for path in [*ours, *(p for p in others if p not in ours)]:
        whole = next((path[:n] for n in range(1, len(path) + 1) if path[:n] in torn), None)
        if whole is not None:
            if path in ours:
                result[path] = ours[path]
            if whole not in clashes:
                clashes.append(whole)
            continue
        was, my, their = (one.get(path, nothing) for one in (old, ours, others))
        value = their if my == was else my
        if my not in (was, their) and their != was:
            clashes.append(path)
        if value is not nothing:
            result[path] = value
    for path in list(result):  # one side has made a text of what the other made a map of: mine stays
        text = next((path[:n] for n in range(1, len(path)) if path[:n] in result), None)
        if text is not None:
            del result[path if text in ours else text]
    return Merge(_grown(result), tuple(clashes))


def leaves(body: Any) -> Leaves:
    """Every value of a body by its path."""
    found: Leaves = {}

    def walk(value: Any, path: tuple[str, ...]) -> None:
        if isinstance(value, dict) and value:
            for name, child in value.items():
                walk(child, (*path, str(name)))
        elif isinstance(value, list) and value and all(isinstance(child, dict) for child in value):
            for i, child in enumerate(value):
                walk(child, (*path, _MARK + _key(child, i)))
        else:
            found[path] = value

    if body is not None:
        walk(body, ())
    return found


def label(path: tuple[str, ...]) -> str:
    """What a path is called: "price kit, EUR"."""
    words: list[str] = []
    for i, step in enumerate(path):
        if step.startswith(_MARK):
            owner = path[i - 1] if i else ""
            name = step[1:]
            words.append(f"{_ENTRIES.get(owner, owner)} {int(name) + 1 if name.isdecimal() else name}")
        elif step not in _SILENT or i == len(path) - 1:
            words.append(_LABELS.get(step, step.replace("_", " ")))
    return ", ".join(words) or "all"


# -- within -----------------------------------------------------------------------------------------------


def _key(entry: dict[str, Any], i: int) -> str:
    if "id" in entry or "code" in entry:
        return str(entry.get("id") or entry.get("code"))
    if "gateway" in entry:
        return str(entry["gateway"])
    if "price" in entry:
        return f"{entry['price']} {entry.get('variant', '')}".rstrip()
    if "place" in entry:
        return " ".join(str(entry[name]) for name in ("place", "counts_as", "postal_prefix") if name in entry)
    return str(i)


def _has(side: Leaves, whole: tuple[str, ...]) -> bool:
    return any(path[: len(whole)] == whole for path in side)


def _torn_entries(old: Leaves, ours: Leaves, others: Leaves) -> set[tuple[str, ...]]:
    """The entries that were there, that one side has taken out, and that the other has changed."""
    entries = {path[: i + 1] for path in old for i, step in enumerate(path) if step.startswith(_MARK)}
    found = set()
    for whole in entries:
        was, my, their = (
            {path: value for path, value in side.items() if path[: len(whole)] == whole} for side in (old, ours, others)
        )
        if bool(my) != bool(their) and (my or their) != was:
            found.add(whole)
    return found


def _entry_of_one_side(path: tuple[str, ...], old: Leaves, new: Leaves) -> tuple[str, ...]:
    """The entry of a list that the path is in, if only one side has that entry; else the path."""
    for i, step in enumerate(path):
        whole = path[: i + 1]
        if step.startswith(_MARK) and _has(old, whole) != _has(new, whole):
            return whole
    return path


def _entry_words(whole: tuple[str, ...], side: Leaves) -> str:
    entry = {path[len(whole) :]: value for path, value in side.items() if path[: len(whole)] == whole}
    amounts = [f"{path[1]} {value}" for path, value in entry.items() if len(path) == 2 and path[0] == "amount"]
    if amounts:
        return ", ".join(amounts) + f" {entry.get(('kind',), '')}".rstrip()
    return ", ".join(
        f"{label(path)} {_words(v, (*whole, *path))}" for path, v in entry.items() if path not in {("id",), ("code",)}
    )


def _words(value: Any, path: tuple[str, ...]) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list):
        return ", ".join(_words(one, path) for one in value) or "none"
    if value in (None, {}, ""):
        return "empty"
    text = str(value)
    if path and path[0] == "rates" and path[-1] == "rate" and re.fullmatch(r"0\.\d+", text):
        return f"{(Decimal(text) * 100).normalize():f} %"
    if _DURATION.fullmatch(text):
        return duration_words(parse_duration(text))
    return text.replace("_", " ") if _CODE_WORD.fullmatch(text) else text


def _grown(flat: Leaves) -> Any:
    """A body again, from its leaves; entries of lists in the order in which they come."""
    if () in flat:
        return flat[()]
    root: dict[str, Any] = {}
    for path, value in flat.items():
        here = root
        for step in path[:-1]:
            here = here.setdefault(step, {})
        here[path[-1]] = value

    def settle(node: Any) -> Any:
        if not isinstance(node, dict):
            return node
        if node and all(name.startswith(_MARK) for name in node):
            return [settle(child) for child in node.values()]
        return {name: settle(child) for name, child in node.items()}

    return settle(root)
