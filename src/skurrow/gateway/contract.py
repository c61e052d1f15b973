"""The contract suite: what every adapter must do, as pytest classes that a third party can run on their own.

Subclass `GatewayContract` in a test module, and give it fixtures: `gateway` (a `Gateway` connected in test mode),
`refused_gateway` (the same with a wrong key), `token` (a function from a behaviour to a fresh one-time token of a card
or account that behaves so; "approved" is enough here) and `bring_about` (a function that has a charge which waits for
its buyer, or for its day, become approved; nothing has to be done where charges are made at once).

Then subclass what fits the gateway's abilities, too:

- `AtOnceContract`, where `fields` are the gateway's own and charges are made at once: `token` knows "no_funds", "cut",
  "no_answer" and "no_refund" as well; refunds of a card's charge are cut off, not answered, or refused as it says.
- `ApprovalContract`, where buyers approve charges (`buyer_approval` or `off_site`): `approve` is a function from the
  address of an approval, and whether the buyer says yes, to nothing.
- `LaterContract`, where a gateway `confirms_later`: `token` knows "returned".
- `OnFileContract`, where it keeps a `card_on_file` and charges it again without the buyer (`recurring`).
"""

from __future__ import annotations

import contextlib
import uuid
from collections.abc import Awaitable, Callable
from dataclasses import replace
from datetime import timedelta
from decimal import Decimal

import pytest

from skurrow.gateway.protocol import (
    Accepted,
    Approved,
    ChargeRequest,
    ForgedEvent,
    Gateway,
    Kept,
    NeedsApproval,
    NoAnswer,
    NotAccepted,
    Refunded,
    RefundRefused,
    RefundRequest,
    Refused,
)

Token = Callable[[str], Awaitable[str]]
Approve = Callable[[str, bool], Awaitable[None]]
BringAbout = Callable[[Gateway, ChargeRequest], Awaitable[None]]


def _request(token: str, amount: int = 4800, currency: str = "EUR") -> ChargeRequest:
    return ChargeRequest(uuid.uuid4(), amount, currency, token, "Contract", "https://shop.example/back")


async def _charged(gateway: Gateway, request: ChargeRequest, bring_about: BringAbout) -> uuid.UUID:
    """The key of a charge that was made."""
    answer: object = None
    for _ in range(50):
        with contextlib.suppress(NoAnswer):
            answer = await gateway.look_up(request.key) or await gateway.charge(request)
            if isinstance(answer, Approved):
                return request.key
            await bring_about(gateway, request)
    raise AssertionError(f"the charge was never made: {answer}")


async def _nothing(gateway: Gateway, request: ChargeRequest) -> None:
    """Charges that are made at once need nothing more."""


async def _paid(gateway: Gateway, token: Token, bring_about: BringAbout, behaviour: str = "approved") -> uuid.UUID:
    """The key of a charge of 48.00 that was made."""
    return await _charged(gateway, _request(await token(behaviour)), bring_about)


class GatewayContract:
    """Behaviour that the payment path relies on, whatever the gateway's manners."""

    async def test_the_account_says_its_mode_and_currencies(self, gateway: Gateway) -> None:
        account = await gateway.account()
        assert account.mode == "test"
        assert "EUR" in account.currencies

    async def test_a_wrong_key_is_not_accepted(self, refused_gateway: Gateway) -> None:
        with pytest.raises(NotAccepted):
            await refused_gateway.account()

    async def test_an_approved_charge_tells_what_moved(
        self, gateway: Gateway, token: Token, bring_about: BringAbout
    ) -> None:
        request = _request(await token("approved"))
        outcome = await gateway.look_up(await _charged(gateway, request, bring_about))
        assert isinstance(outcome, Approved)
        assert (outcome.amount, outcome.currency) == (4800, "EUR")
        assert outcome.reference
        assert await gateway.charge(request) == outcome, "the same again moves nothing"

    async def test_an_amount_out_of_its_limits_is_refused_for_good(self, gateway: Gateway, token: Token) -> None:
        smallest = (await gateway.account()).smallest.get("EUR")
        if smallest is not None:
            request = _request(await token("approved"), int(Decimal(smallest) * 100) - 1)
            assert await gateway.charge(request) == Refused("other")
            assert await gateway.look_up(request.key) is None

    async def test_the_same_key_asks_once(self, gateway: Gateway, token: Token) -> None:
        request = _request(await token("approved"))
        assert await gateway.charge(request) == await gateway.charge(request)

    async def test_an_unknown_key_is_no_outcome(self, gateway: Gateway) -> None:
        assert await gateway.look_up(uuid.uuid4()) is None
        assert await gateway.give_up(uuid.uuid4()) is None

    async def test_look_up_tells_what_the_charge_told(self, gateway: Gateway, token: Token) -> None:
        request = _request(await token("approved"))
        assert await gateway.look_up(request.key) is None
        outcome = await gateway.charge(request)
        assert await gateway.look_up(request.key) == outcome

    async def test_a_refund_goes_back_in_part_and_whole_and_no_further(
        self, gateway: Gateway, token: Token, bring_about: BringAbout
    ) -> None:
        charge = await _paid(gateway, token, bring_about)
        part, rest = (RefundRequest(uuid.uuid4(), charge, amount, "EUR") for amount in (1800, 3000))
        for one in (part, rest):
            outcome = await gateway.refund(one)
            assert isinstance(outcome, Refunded)
            assert (outcome.amount, outcome.currency) == (one.amount, "EUR")
        more = RefundRequest(uuid.uuid4(), charge, 1, "EUR")
        assert await gateway.refund(more) == RefundRefused("too_much")

    async def test_the_same_refund_moves_money_once(
        self, gateway: Gateway, token: Token, bring_about: BringAbout
    ) -> None:
        request = RefundRequest(uuid.uuid4(), await _paid(gateway, token, bring_about), 4800, "EUR")
        assert await gateway.look_up_refund(request) is None
        outcome = await gateway.refund(request)
        assert await gateway.refund(request) == outcome
        assert await gateway.look_up_refund(request) == outcome

    async def test_its_books_tell_every_movement_of_a_span(
        self, gateway: Gateway, token: Token, bring_about: BringAbout
    ) -> None:
        charge = await _paid(gateway, token, bring_about)
        refund = RefundRequest(uuid.uuid4(), charge, 1800, "EUR")
        made, given_back = await gateway.look_up(charge), await gateway.refund(refund)
        assert isinstance(made, Approved)
        assert isinstance(given_back, Refunded)
        since, until = made.at - timedelta(seconds=2), given_back.at + timedelta(seconds=2)
        mine = [one for one in await gateway.entries(since, until) if one.key in (charge, refund.key)]
        assert [(one.kind, one.key, one.amount, one.currency) for one in mine] == [
            ("charge", charge, 4800, "EUR"),
            ("refund", refund.key, 1800, "EUR"),
        ]
        assert not [one for one in await gateway.entries(until, until + timedelta(days=1)) if one.key == charge]

    async def test_a_forged_event_is_told_from_a_real_one(self, gateway: Gateway) -> None:
        headers = {"webhook-id": "m", "webhook-timestamp": "1614265330", "webhook-signature": "v1,AAAA"}
        with pytest.raises(ForgedEvent):
            gateway.verify_message(headers, b'{"type": "charge.approved"}', "whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw")


class AtOnceContract:
    """The same of a gateway that charges at once what is typed into its fields."""

    async def test_a_charge_cannot_be_given_up_once_it_is_made(self, gateway: Gateway, token: Token) -> None:
        request = _request(await token("approved"))
        outcome = await gateway.charge(request)
        assert isinstance(outcome, Approved)
        assert await gateway.give_up(request.key) == outcome

    async def test_the_same_card_has_the_same_fingerprint(self, gateway: Gateway, token: Token) -> None:
        one, other, another = [await gateway.look_at(await token(how)) for how in ("approved", "approved", "no_funds")]
        assert one is not None
        assert one == other
        assert another is not None
        assert another.fingerprint != one.fingerprint

    async def test_a_currency_without_decimals_moves_whole_units(self, gateway: Gateway, token: Token) -> None:
        outcome = await gateway.charge(_request(await token("approved"), 8160, "JPY"))
        assert isinstance(outcome, Approved)
        assert (outcome.amount, outcome.currency) == (8160, "JPY")

    async def test_a_refused_charge_says_why(self, gateway: Gateway, token: Token) -> None:
        assert await gateway.charge(_request(await token("no_funds"))) == Refused("no_funds")

    async def test_a_token_serves_one_key_only(self, gateway: Gateway, token: Token) -> None:
        used = await token("approved")
        await gateway.charge(_request(used))
        assert await gateway.charge(_request(used)) == Refused("card_details")

    async def test_a_cut_connection_is_no_answer_and_look_up_knows(self, gateway: Gateway, token: Token) -> None:
        request = _request(await token("cut"))
        with pytest.raises(NoAnswer):
            await gateway.charge(request)
        assert isinstance(await gateway.look_up(request.key), Approved)

    async def test_an_unanswered_request_is_settled_by_sending_it_again(self, gateway: Gateway, token: Token) -> None:
        request = _request(await token("no_answer"))
        with pytest.raises(NoAnswer):
            await gateway.charge(request)
        assert await gateway.look_up(request.key) is None
        assert isinstance(await gateway.charge(request), Approved)

    async def test_a_card_that_takes_nothing_back_refuses_for_good(self, gateway: Gateway, token: Token) -> None:
        request = RefundRequest(uuid.uuid4(), await _paid(gateway, token, _nothing, "no_refund"), 4800, "EUR")
        assert await gateway.refund(request) == RefundRefused("not_possible")
        assert await gateway.look_up_refund(request) == RefundRefused("not_possible")

    async def test_a_refund_whose_answer_is_cut_off_is_known_by_its_key(self, gateway: Gateway, token: Token) -> None:
        request = RefundRequest(uuid.uuid4(), await _paid(gateway, token, _nothing, "cut"), 4800, "EUR")
        with pytest.raises(NoAnswer):
            await gateway.refund(request)
        assert isinstance(await gateway.look_up_refund(request), Refunded)

    async def test_an_unanswered_refund_is_settled_by_sending_it_again(self, gateway: Gateway, token: Token) -> None:
        request = RefundRequest(uuid.uuid4(), await _paid(gateway, token, _nothing, "no_answer"), 4800, "EUR")
        with pytest.raises(NoAnswer):
            await gateway.refund(request)
        assert await gateway.look_up_refund(request) is None
        assert isinstance(await gateway.refund(request), Refunded)


class ApprovalContract:
    """The same of a gateway whose buyers approve charges."""

    @pytest.mark.parametrize("yes", [True, False])
    async def test_a_charge_waits_for_its_approval(
        self, gateway: Gateway, token: Token, approve: Approve, yes: bool
    ) -> None:
        assert gateway.abilities.buyer_approval or gateway.abilities.off_site
        request = _request(await token("approval"))
        waiting = await gateway.charge(request)
        assert isinstance(waiting, NeedsApproval)
        assert waiting.off_site == gateway.abilities.off_site
        assert await gateway.look_up(request.key) == waiting
        assert await gateway.charge(request) == waiting, "the same again is the same question"
        await approve(waiting.address, yes)
        outcome = await gateway.look_up(request.key)
        if yes:
            assert isinstance(outcome, Approved)
            assert outcome.amount == 4800
        else:
            assert outcome == Refused("not_approved")
        assert await gateway.charge(request) == outcome

    async def test_a_charge_that_waits_can_be_given_up(self, gateway: Gateway, token: Token, approve: Approve) -> None:
        request = _request(await token("approval"))
        waiting = await gateway.charge(request)
        assert isinstance(waiting, NeedsApproval)
        assert await gateway.give_up(request.key) == Refused("given_up")
        assert await gateway.charge(request) == Refused("given_up"), "the key is used up"


class OnFileContract:
    """The same of a gateway that keeps a card or account, and charges it again without the buyer."""

    async def test_what_was_charged_once_is_kept_and_charged_again(
        self, gateway: Gateway, token: Token, bring_about: BringAbout
    ) -> None:
        assert gateway.abilities.card_on_file
        assert gateway.abilities.recurring
        first = replace(_request(await token("approved")), keep=True)
        kept = await _kept(gateway, first, bring_about)
        assert await _kept(gateway, first, bring_about) == kept, "the same request keeps it once"
        again = replace(_request("", 2100), on_file=kept.token)
        await _charged(gateway, again, bring_about)
        outcome = await gateway.charge(again)
        assert isinstance(outcome, Approved)
        assert (outcome.amount, outcome.card_ending) == (2100, kept.ending)

    async def test_it_is_kept_without_a_charge(self, gateway: Gateway, token: Token, bring_about: BringAbout) -> None:
        request = replace(_request(await token("approved"), 0), keep=True)
        kept = await _kept(gateway, request, bring_about)
        answer = await gateway.look_up(request.key)
        assert isinstance(answer, Approved)
        assert answer.amount == 0
        await _charged(gateway, replace(_request("", 2100), on_file=kept.token), bring_about)

    async def test_nothing_is_kept_unasked(self, gateway: Gateway, token: Token, bring_about: BringAbout) -> None:
        request = _request(await token("approved"))
        await _charged(gateway, request, bring_about)
        answer = await gateway.look_up(request.key)
        assert isinstance(answer, Approved)
        assert answer.kept is None

    async def test_what_is_not_on_file_is_refused(self, gateway: Gateway) -> None:
        assert await gateway.charge(replace(_request(""), on_file="unknown")) == Refused("card_details")


async def _kept(gateway: Gateway, request: ChargeRequest, bring_about: BringAbout) -> Kept:
    await _charged(gateway, request, bring_about)
    answer = await gateway.charge(request)
    assert isinstance(answer, Approved)
    assert answer.kept is not None
    return answer.kept


class LaterContract:
    """The same of a gateway that confirms, or sends back, days later."""

    async def test_a_charge_waits_for_its_day(self, gateway: Gateway, token: Token, bring_about: BringAbout) -> None:
        assert gateway.abilities.confirms_later
        request = _request(await token("approved"))
        accepted = await gateway.charge(request)
        assert isinstance(accepted, Accepted)
        assert accepted.expected is not None
        assert await gateway.look_up(request.key) == accepted
        await _charged(gateway, request, bring_about)

    async def test_what_the_bank_sends_back_is_refused(
        self, gateway: Gateway, token: Token, bring_about: BringAbout
    ) -> None:
        request = _request(await token("returned"))
        assert isinstance(await gateway.charge(request), Accepted)
        answer: object = None
        for _ in range(50):
            await bring_about(gateway, request)
            answer = await gateway.look_up(request.key)
            if not isinstance(answer, Accepted):
                break
        assert answer == Refused("returned")

    async def test_a_charge_that_waits_for_its_day_can_be_given_up(self, gateway: Gateway, token: Token) -> None:
        request = _request(await token("approved"))
        await gateway.charge(request)
        assert await gateway.give_up(request.key) == Refused("given_up")
