"""Reasons and notes put into words: the one place where a code becomes a sentence."""

from __future__ import annotations

_SENTENCES = {
    "home_rate": "Taxed at home, in {place}, at {percent} %.",
    "picked_up": "Nothing is sent: the goods are collected, and taxed at home whoever buys.",
    "held_at_home": "An event is taxed where it is held: {place}, {percent} %.",
    "service_at_home": "A service for a consumer is taxed where the seller is: {place}, {percent} %.",
    "eu_below_threshold": (
        "A consumer in {buyer}: {place} tax applies while sales across EU borders stay under EUR 10,000 in "
        "this year and the last (from memory: Directive 2006/112/EC Art. 59c)."
    ),
    "standard_row": "The tax tables have no row “{counts_as}” for {place}; the standard rate is used.",
    "converted": "Converted from {base} at {rate}.",
    "own_amount": "The owner's own amount in {currency}.",
    "converted_step": "Converted: {base} {amount} × {rate}",
    "rounded_step": ", to the nearest {to}",
    "less_step": ", less {less}",
    "times": "{quantity} × {unit} = {total}.",
    "fee": "What the gateway takes of the charge, rounded half up.",
    "keep": "What is due, less the tax in it and the card fee.",
}


def sentence(code: str, **parameters: str) -> str:
    """The sentence of a code; raises KeyError for a code that has none."""
    return _SENTENCES[code].format(**parameters)
