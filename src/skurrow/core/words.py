"""Reasons and notes put into words: the one place where a code becomes a sentence."""

from __future__ import annotations

from functools import lru_cache

_SENTENCES = {
    "way_country": "Not offered in {country}.",
    "way_currency": "Not offered for {currency}.",
    "way_takes_no": "It takes no {currency}.",
    "way_not_connected": "It is not connected, or not offered here.",
    "way_not_theirs": "They cannot pay with {way}: {why}",
    "way_below": "Only from {limit} on.",
    "way_above": "Only up to {limit}.",
    "way_no_later": "It cannot charge again later.",
    "way_not_collected": "Only for what is collected.",
    "way_nothing_due": "There is nothing to pay.",
    "promised": "The price that was promised when it was bought.",
    "paid_after_its_hold": "It was paid after its stock had been given to others, and {name} is short.",
    "paid_after_its_coupon": "It was paid after its coupon {coupon} had been used by others as often as it can be.",
    "guard_above": "The order is above {limit}.",
    "guard_tries_card": "This card was tried {n} times before within {hours} hours.",
    "guard_tries_address": "There were {n} tries from this connection within {hours} hours.",
    "guard_tries_buyer": "This buyer has tried {n} times before within {hours} hours.",
    "guard_another_country": "The card is from {card}, the buyer from {buyer}.",
    "home_rate": "Taxed at home, in {place}, at {percent} %.",
    "picked_up": "Nothing is sent: the goods are collected, and taxed at home whoever buys.",
    "held_at_home": "An event is taxed where it is held: {place}, {percent} %.",
    "service_at_home": "A service for a consumer is taxed where the seller is: {place}, {percent} %.",
    "held_elsewhere": "An event is taxed where it is held: {place}, {percent} %, where the seller is registered.",
    "held_unregistered": (
        "An event is taxed where it is held, in {place}, and the seller is not registered there "
        "(from memory: Directive 2006/112/EC Art. 53 and 54)."
    ),
    "online_event_unregistered": (
        "An event held online is taxed where a consumer is, in {place}, and the seller is not registered there "
        "(from memory: Directive 2006/112/EC Art. 54, from 2025 on)."
    ),
    "exempt_seller": "{sentence_}",
    "eu_below_threshold": (
        "A consumer in {buyer}: {place} tax, at {percent} %, applies while sales across EU borders stay under "
        "EUR 10,000 in this year and the last (from memory: Directive 2006/112/EC Art. 59c)."
    ),
    "one_stop_shop": (
        "A consumer in {place}: its tax, at {percent} %, declared through the one-stop shop "
        "(from memory: Directive 2006/112/EC Art. 33 and 58)."
    ),
    "registered_there": "The seller is registered in {place}: its tax, at {percent} %.",
    "intra_eu": (
        "Goods sent to a business in another EU country, with the tax number {number}: no tax; the buyer accounts for "
        "it (from memory: Directive 2006/112/EC Art. 138)."
    ),
    "reverse_charge": (
        "A business in another EU country, with the tax number {number}: the buyer accounts for the tax "
        "(from memory: Directive 2006/112/EC Art. 44 and 196)."
    ),
    "service_outside": (
        "A service for a business in {place} is taxed where the business is, not here "
        "(from memory: Directive 2006/112/EC Art. 44)."
    ),
    "business_outside": "A business in {place}, tax number {number}, accounts for the tax itself (from memory).",
    "not_registered_there": "The seller is not registered in {place}, and charges no tax there.",
    "export": (
        "Goods sent to {place}, outside {home}'s tax territory: an export without tax; who receives them may have to "
        "pay import tax (from memory: Directive 2006/112/EC Art. 146)."
    ),
    "outside": "Taxed where the buyer is, in {place}, and the seller is not registered there: no tax (from memory).",
    "low_value": (
        "The seller is registered in {place}, and goods for consumers worth up to {limit} bear its tax, at {percent} % "
        "(from memory)."
    ),
    "above_low_value": (
        "Goods worth more than {limit} are an export to {place}: no tax here; who receives them pays import tax "
        "(from memory)."
    ),
    "rate_from_memory": "(Rate from memory.)",
    "state_unknown": "Without a state or postal code it is not known which state of {place} taxes this.",
    "gb_no_threshold": (
        "The United Kingdom wants tax on what is digital from the first sale to a consumer; the seller is not "
        "registered there (from memory)."
    ),
    "number_malformed": "The tax number {number} has a wrong form or check digit, and does not count.",
    "number_invalid": "The tax number {number} is not valid, the official look-up says.",
    "number_unconfirmed": "The tax number {number} is not confirmed yet, and does not count so far.",
    "no_rate": "There is no tax rate for {place}: nothing is charged. Enter the rate.",
    "us_postal": "Postal codes do not follow tax borders; the rate of an address may differ.",
    "paper_intra_eu": (
        "Intra-Community supply of goods, exempt from VAT: Directive 2006/112/EC, Article 138. "
        "The customer accounts for the VAT on the acquisition."
    ),
    "paper_reverse_charge": (
        "Reverse charge: the customer is liable for the VAT (Directive 2006/112/EC, Articles 44 and 196)."
    ),
    "paper_export_eu": "Export of goods, exempt from VAT: Directive 2006/112/EC, Article 146.",
    "paper_export": "Export of goods: no tax is charged.",
    "paper_outside_eu": "Not subject to VAT: the place of supply is outside the European Union, in {place}.",
    "paper_outside": "Outside the scope of tax: the place of supply is {place}.",
    "paper_not_registered": "No tax is charged: the place of supply is {place}, where the seller is not registered.",
    "paper_exempt": "{sentence_}",
    "no_delivery_here": "Nothing can be sent to this address.",
    "method_not_for_this": "{method} cannot be had for this parcel.",
    "standard_row": "The tax tables have no row “{counts_as}” for {place}; the standard rate is used.",
    "converted": "Converted from {base} at {rate}.",
    "own_amount": "The owner's own amount in {currency}.",
    "converted_step": "Converted: {base} {amount} × {rate}",
    "rounded_step": ", to the nearest {to}",
    "less_step": ", less {less}",
    "times": "{quantity} × {unit} = {total}.",
    "free_price": "Free: nothing is charged, now or later.",
    "free_start": "Free for {length}; the first charge is on {day}.",
    "first_payment": "A different first payment, {times}for {length}.",
    "at_release": "Charged when it comes out, on {day}.",
    "chosen_amount": "The amount that the buyer chose.",
    "not_out_yet": "“{name}” comes out on {day}, and is paid for now.",
    "charged_at_release": "“{name}” comes out on {day}, and is paid for then.",
    "discount": "{label}: {words}, {amount} less.",
    "discount_some": "{label}: {words}, {amount} less, charge {n} of {of}.",
    "discount_always": "{label}: {words} every charge, {amount} less.",
    "coupon_too_early": "The coupon {coupon} counts from {day} on.",
    "coupon_first_order": "The coupon {coupon} is for the first order only.",
    "coupon_used_up": "The coupon {coupon} has been used as often as it can be.",
    "coupon_over": "The coupon {coupon} counted until {day}.",
    "coupon_for_nothing_here": "The coupon {coupon} is for nothing in this order.",
    "coupon_minimum": "The coupon {coupon} counts from {minimum} on: {missing} more is needed.",
    "coupon_not_combined": "The coupon {coupon} does not go together with {other}.",
    "plan_recurring": "{name}: {each} every {every}, until you cancel.",
    "plan_free": "{name}: free until {day}, then {each} every {every}, until you cancel.",
    "plan_start": "{name}: {start} for {length}, then, from {day} on, {each} every {every}, until you cancel.",
    "plan_instalments": "{name}: {n} payments of {each}, {whole} in all; the last on {day}.",
    "plan_instalments_start": (
        "{name}: {n} payments, {start} first and {each} later, {whole} in all; the last on {day}."
    ),
    "plan_again": "It begins again every {every}, until you cancel.",
    "later_release": "{name}: {amount}, when it comes out.",
    "later_start": "{name}: {amount}, first payment {n} of {of}.",
    "later_recurring": "{name}: {amount} every {every}.",
    "later_payment": "{name}: {amount}, payment {n} of {of}.",
    "later_delivery": "{method}: {amount}, for what is sent then.",
    "later_again": "{name}: {amount}, payment {n} of {of} of a further set.",
    "compare_longer": "{amount} every {every} against {times} × {each} = {against} {currency}: ",
    "compare_instalments": "{payments} payments, {amount} in all, against {once} {currency} at once: ",
    "compare_bundle": "{amount} against {against} {currency} for its parts one by one: ",
    "compare_bundle_later": "Every later charge {amount} against {against} {currency}: ",
    "saves_longer": "Saves {currency} {saved} against {times} × {currency} {each}.",
    "saves_bundle": "Saves {currency} {saved} against its parts one by one.",
    "compare_less": "{difference} less, {percent} %.",
    "compare_more": "{difference} more, {percent} %.",
    "compare_same": "the same.",
    "coupon_not_reckoned": "It cannot be reckoned for this price.",
    "discount_row": "{words}.",
    "discount_row_later": "{words}, and off {n} of the later charges shown.",
    "untaxed_off": "The amounts include home tax; none is due here, so it comes off.",
    "tax_in_it": "Tax in it: {tax}.",
    "credited_off": "What had been paid for time that will not be used.",
    "balance_off": "Paid with what was left of an earlier credit.",
    "nobody_can_pay": "Nobody can pay this yet. {why}",
    "fee_abroad": "In it {amount} for a card of another country, {percent} %.",
    "fee_conversion": "In it {amount} for another currency than the account's, {percent} %.",
    "fee": "What the gateway takes of the charge, rounded half up.",
    "keep": "What is due, less the tax in it and the fee.",
}


@lru_cache(maxsize=16384)
def sentence_of(code: str, parameters: tuple[tuple[str, str], ...]) -> str:
    """The same, remembered: many orders say the same."""
    return _SENTENCES[code].format(**dict(parameters))


def sentence(code: str, **parameters: str) -> str:
    """The sentence of a code; raises KeyError for a code that has none."""
    return _SENTENCES[code].format(**parameters)
