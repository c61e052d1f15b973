"""The contract suite: what every adapter must do, as a pytest class that a third party can run on their own.

Subclass `GatewayContract` in a test module, and give it fixtures: `gateway` (a `Gateway` connected in test mode),
`refused_gateway` (the same with a wrong key), and `token` (a function from a behaviour, one of "approved",
"no_funds", "cut", "no_answer", to a fresh one-time token of a card that behaves so).
"""

from __future__ import annotations

import uuid
from collections.abc import Awaitable, Callable

import pytest

from skurrow.gateway.protocol import (
    Approved,
    ChargeRequest,
    ForgedEvent,
    Gateway,
    NoAnswer,
    NotAccepted,
    Refused,
)

Token = Callable[[str], Awaitable[str]]


def _request(token: str, amount: int = 4800, currency: str = "EUR") -> ChargeRequest:
    return ChargeRequest(uuid.uuid4(), amount, currency, token, "Contract")


class GatewayContract:
    """Behaviour that the payment path relies on."""

    async def test_the_account_says_its_mode_and_currencies(self, gateway: Gateway) -> None:
        account = await gateway.account()
        assert account.mode == "test"
        assert "EUR" in account.currencies

    async def test_a_wrong_key_is_not_accepted(self, refused_gateway: Gateway) -> None:
        with pytest.raises(NotAccepted):
            await refused_gateway.account()

    async def test_an_approved_charge_tells_what_moved(self, gateway: Gateway, token: Token) -> None:
        outcome = await gateway.charge(_request(await token("approved")))
        assert isinstance(outcome, Approved)
        assert (outcome.amount, outcome.currency) == (4800, "EUR")
        assert outcome.reference

    async def test_a_currency_without_decimals_moves_whole_units(self, gateway: Gateway, token: Token) -> None:
        outcome = await gateway.charge(_request(await token("approved"), 8160, "JPY"))
        assert isinstance(outcome, Approved)
        assert (outcome.amount, outcome.currency) == (8160, "JPY")

    async def test_a_refused_charge_says_why(self, gateway: Gateway, token: Token) -> None:
        assert await gateway.charge(_request(await token("no_funds"))) == Refused("no_funds")

    async def test_the_same_key_moves_money_once(self, gateway: Gateway, token: Token) -> None:
        request = _request(await token("approved"))
        assert await gateway.charge(request) == await gateway.charge(request)

    async def test_a_token_serves_one_key_only(self, gateway: Gateway, token: Token) -> None:
        used = await token("approved")
        await gateway.charge(_request(used))
        assert await gateway.charge(_request(used)) == Refused("card_details")

    async def test_an_unknown_key_is_no_outcome(self, gateway: Gateway) -> None:
        assert await gateway.look_up(uuid.uuid4()) is None

    async def test_look_up_tells_what_the_charge_told(self, gateway: Gateway, token: Token) -> None:
        request = _request(await token("approved"))
        assert await gateway.look_up(request.key) is None
        outcome = await gateway.charge(request)
        assert await gateway.look_up(request.key) == outcome

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

    async def test_a_forged_event_is_told_from_a_real_one(self, gateway: Gateway) -> None:
        headers = {"webhook-id": "m", "webhook-timestamp": "1614265330", "webhook-signature": "v1,AAAA"}
        with pytest.raises(ForgedEvent):
            gateway.verify_message(headers, b'{"type": "charge.approved"}', "whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw")
