"""The adapters for the stand-in gateways: they speak alike, and differ in how money comes in."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from datetime import date, datetime
from typing import Any, get_args
from urllib.parse import quote, urlencode
from uuid import UUID

import httpx
from standardwebhooks import Webhook, WebhookVerificationError

from skurrow.core.bounds import beyond, in_one_line, json_value
from skurrow.core.money import MINOR_UNITS, format_amount, parse_amount
from skurrow.core.problems import InvalidInput
from skurrow.gateway.protocol import (
    Abilities,
    Accepted,
    Account,
    Answer,
    Approved,
    ChargeRequest,
    Credentials,
    Dispute,
    DisputeReason,
    Entry,
    Fees,
    ForgedEvent,
    GatewayEvent,
    Kept,
    Message,
    Mode,
    NeedsApproval,
    NoAnswer,
    NotAccepted,
    Outcome,
    PaymentWindow,
    Reach,
    Refunded,
    RefundOutcome,
    RefundRefusal,
    RefundRefused,
    RefundRequest,
    RefusalReason,
    Refused,
    Seen,
)

CLIENT = "skurrow"
"""The name under which the stand-ins know us."""

_GONE = 410
_BAD = 400
_UNAUTHORISED = 401
_NOT_FOUND = 404
_UNFIT = 422


class StandIn:
    """One account at a stand-in, through its HTTP API."""

    abilities: Abilities

    def __init__(self, client: httpx.AsyncClient, reach: Reach, mode: Mode, credentials: Credentials) -> None:
        self._client, self._reach, self._mode, self._credentials = client, reach, mode, credentials

    async def account(self) -> Account:
        answer = await self._ask("GET", "/account")
        with _understood():
            currencies = tuple(_text(one) for one in answer["currencies"])
            if answer["mode"] not in get_args(Mode) or not set(currencies) <= MINOR_UNITS.keys():
                raise ValueError("an account of no mode, or in no currency")
            return Account(
                merchant=_text(answer["merchant"]),
                mode=answer["mode"],
                currencies=currencies,
                fees=Fees(**{name: _rate(rate) for name, rate in answer["fees"].items()}),
                smallest=_amounts(answer["smallest"]),
                largest=_amounts(answer["largest"]),
                statement=min(max(int(answer["statement"]), 1), 100),
                pays_out=bool(answer["pays_out"]),
            )

    async def register_events(self, url: str) -> str:
        answer = await self._ask("PUT", "/events-address", {"url": url})
        with _understood():
            return _text(answer["secret"])

    async def look_at(self, token: str) -> Seen | None:
        try:
            found = await self._ask("GET", _path("tokens", token))
        except _Answered as answered:
            if answered.status == _NOT_FOUND:
                return None
            raise
        with _understood():
            country = _text(found["country"]) if found["country"] else None
            return Seen(_text(found["fingerprint"]), _text(found["ending"]), country)

    async def charge(self, request: ChargeRequest) -> Answer:
        body = {
            "amount": format_amount(request.amount, request.currency),
            "currency": request.currency,
            "text": request.text,
            **self._source(request),
        }
        try:
            answer = await self._ask("PUT", _path("charges", request.key), body)
            with _understood():
                return self._become(answer, request.key)
        except _Answered as answered:
            if answered.status == _GONE:
                return Refused("card_details")
            if answered.status == _UNFIT:  # it never charges this, whatever becomes of the key
                return Refused("other")
            raise

    async def look_up(self, key: UUID) -> Answer | None:
        return await self._about("GET", key)

    async def give_up(self, key: UUID) -> Answer | None:
        return await self._about("DELETE", key)

    async def refund(self, request: RefundRequest) -> RefundOutcome:
        body = {"amount": format_amount(request.amount, request.currency)}
        try:
            answer = await self._ask("PUT", _refund_path(request), body)
            with _understood():
                return _refund_outcome(answer, request)
        except _Answered as answered:
            if answered.status in (_UNFIT, _NOT_FOUND):
                return RefundRefused("too_much" if answered.status == _UNFIT else "other")
            raise

    async def look_up_refund(self, request: RefundRequest) -> RefundOutcome | None:
        try:
            answer = await self._ask("GET", _refund_path(request))
            with _understood():
                return _refund_outcome(answer, request)
        except _Answered as answered:
            if answered.status == _NOT_FOUND:
                return None
            raise

    async def entries(self, since: datetime, until: datetime) -> list[Entry]:
        found: list[Entry] = []
        while True:
            query = urlencode({"since": since.isoformat(), "until": until.isoformat(), "skip": len(found)})
            answer = await self._ask("GET", "/entries", query=query)
            with _understood():
                page = [_entry(one) for one in answer["entries"]]
            found += page
            if not page:
                return found

    async def move_calendar(self, at: datetime | None) -> None:
        if self._mode != "test":
            return
        if at is None:
            await self._ask("DELETE", "/calendar")
        else:
            await self._ask("PUT", "/calendar", {"at": at.isoformat()})

    def record_address(self, reference: str) -> str | None:
        return f"{self._reach.browser}/records/{quote(reference, safe='')}"

    def fields_address(self, parent_origin: str, colour: str, card: str | None = None) -> str | None:
        if not self.abilities.fields:
            return None
        query = {
            "merchant": self._credentials.merchant,
            "mode": self._mode,
            "parent": parent_origin,
            "colour": colour,
        }
        if card is not None and self._mode == "test":
            query["card"] = card
        return f"{self._reach.browser}/fields?{urlencode(query)}"

    def payment_window(self) -> PaymentWindow | None:
        return None

    def verify_message(self, headers: Mapping[str, str], body: bytes, secret: str) -> Message:
        try:
            message = Webhook(secret).verify(body, dict(headers))
        except (WebhookVerificationError, ValueError, RecursionError):
            raise ForgedEvent("the message is not signed, too old, or no JSON") from None
        name = headers["webhook-id"]
        if not isinstance(message, dict) or beyond(message) is not None or beyond(name) is not None or len(name) > 200:
            raise ForgedEvent("the message is no mapping within bounds")
        return Message(name, message)

    def read_message(self, message: Message) -> GatewayEvent:
        with _understood():
            return self._read(message)

    def _read(self, message: Message) -> GatewayEvent:
        kind, data = str(message.body.get("type", "")), message.body.get("data", {})
        try:
            key = UUID(data["key"])
        except (KeyError, ValueError, TypeError, AttributeError):  # a charge that Skurrow did not make
            return GatewayEvent(kind, None, None)
        if kind.startswith("dispute."):
            return GatewayEvent(kind, key, None, dispute=_dispute(data["dispute"]))
        if kind == "charge.refunded":
            return _refund_event(kind, key, data)
        if kind not in {"charge.approved", "charge.refused"}:
            return GatewayEvent(kind, key, None)
        return GatewayEvent(kind, key, _outcome(data, key))

    def _source(self, request: ChargeRequest) -> dict[str, Any]:
        """What the money comes from."""
        if request.on_file:
            return {"on_file": request.on_file}
        return {"token": request.token, "keep": request.keep} if request.keep else {"token": request.token}

    async def _about(self, method: str, key: UUID) -> Answer | None:
        try:
            answer = await self._ask(method, _path("charges", key))
            with _understood():
                return self._become(answer, key)
        except _Answered as answered:
            if answered.status == _NOT_FOUND:
                return None
            raise

    def _become(self, charge: dict[str, Any], key: UUID) -> Answer:
        """What became of a charge, where the buyer approves it, or when its money is expected."""
        if charge["key"] == str(key) and charge["outcome"] == "pending":
            if charge["approval"]:
                until = datetime.fromisoformat(charge["approve_by"]) if charge.get("approve_by") else None
                address = self._reach.browser + _path("approvals", _text(charge["approval"]))
                return NeedsApproval(address, self.abilities.off_site, until)
            if charge["expected"]:
                return Accepted(date.fromisoformat(charge["expected"]))
        return _outcome(charge, key)

    async def _ask(self, method: str, path: str, body: dict[str, Any] | None = None, query: str = "") -> dict[str, Any]:
        url = self._reach.api + path + (f"?{query}" if query else "")
        auth = (self._credentials.merchant, self._credentials.key)
        try:
            response = await self._client.request(method, url, json=body, auth=auth)
        except (httpx.HTTPError, httpx.InvalidURL) as error:
            raise NoAnswer(type(error).__name__) from error
        if response.status_code == _UNAUTHORISED:
            raise NotAccepted(f"the gateway does not know merchant {self._credentials.merchant} with this key")
        if not response.is_success:
            raise _Answered(response.status_code)
        try:
            return dict(json_value(response.content))
        except (InvalidInput, ValueError, TypeError):
            raise NoAnswer("the answer is no JSON that can be read") from None


class StandInCards(StandIn):
    """Cards, typed into the gateway's own fields; some are approved by the buyer at their bank."""

    abilities = Abilities(card_on_file=True, recurring=True, partial_refund=True, buyer_approval=True, fields=True)

    def payment_window(self) -> PaymentWindow | None:
        data = {"merchant": self._credentials.merchant, "mode": self._mode}
        return PaymentWindow(f"{self._reach.browser}/pay", data)


class StandInWallet(StandIn):
    """A wallet, for which the buyer leaves; nothing is typed at the counter."""

    abilities = Abilities(partial_refund=True, off_site=True)

    def _source(self, request: ChargeRequest) -> dict[str, Any]:
        return {"return_to": request.return_to}

    async def look_at(self, token: str) -> Seen | None:
        return None


class StandInDebit(StandIn):
    """Direct debit: the account is typed into the gateway's own fields, and the money comes in days."""

    abilities = Abilities(card_on_file=True, recurring=True, partial_refund=True, confirms_later=True, fields=True)


def authorisation_address(reach: Reach, mode: Mode, answered_at: str, state: str, challenge: str) -> str:
    """Where a merchant is asked to let us in: a code comes to `answered_at` (RFC 6749 section 4.1, RFC 7636)."""
    query = {
        "response_type": "code",
        "client_id": CLIENT,
        "redirect_uri": answered_at,
        "state": state,
        "code_challenge": challenge,
        "code_challenge_method": "S256",
        "mode": mode,
    }
    return f"{reach.browser}/authorize?{urlencode(query)}"


async def trade_code(
    client: httpx.AsyncClient, reach: Reach, code: str, answered_at: str, verifier: str
) -> Credentials:
    """The key for a code. Raises NotAccepted, NoAnswer."""
    body = {
        "grant_type": "authorization_code",
        "client_id": CLIENT,
        "redirect_uri": answered_at,
        "code": code,
        "code_verifier": verifier,
    }
    try:
        response = await client.post(f"{reach.api}/token", data=body)
        if response.status_code == _BAD:
            raise NotAccepted("the code is too old, or was used before")
        given = response.raise_for_status().json()
        return Credentials(str(given["merchant"]), str(given["access_token"]))
    except (httpx.HTTPError, ValueError, KeyError, TypeError) as error:
        raise NoAnswer(type(error).__name__) from error


class _Answered(NoAnswer):
    """An answer that is no success; unless it means something, it is as good as none."""

    def __init__(self, status: int) -> None:
        super().__init__(f"the gateway answered {status}")
        self.status = status


def _outcome(charge: dict[str, Any], key: UUID) -> Outcome:
    """What became of the charge with the key; an answer about another one is none."""
    if charge["key"] != str(key):
        raise NoAnswer("the gateway answered about another charge")
    currency = str(charge["currency"])
    if charge["outcome"] == "approved" and currency in MINOR_UNITS:
        return Approved(
            reference=_text(charge["id"]),
            amount=parse_amount(charge["amount"], currency),
            currency=currency,
            at=datetime.fromisoformat(charge["at"]),
            card_ending=_ending(charge["card"] or charge["account"] or {}),
            kept=_kept(charge["kept"]) if charge.get("kept") else None,
        )
    if charge["outcome"] == "refused":
        reason = charge["reason"]
        return Refused(reason if reason in get_args(RefusalReason) else "other")
    raise NoAnswer("the gateway is still working on it")


def _path(*parts: object) -> str:
    """An address of the gateway's, each part of it one part whatever letters it has."""
    return "".join("/" + quote(str(part), safe="").replace(".", "%2E") for part in parts)


@contextmanager
def _understood() -> Iterator[None]:
    """An answer that is not of the form that was agreed is none: nobody knows what became of the request."""
    try:
        yield
    except (ArithmeticError, AttributeError, LookupError, TypeError, ValueError):
        raise NoAnswer("the gateway answered with something that cannot be read") from None


def _text(value: object) -> str:
    """A name or a word of the gateway's. Raises ValueError for what none can be."""
    if not isinstance(value, str) or not 0 < len(value) <= _LONGEST_WORD or in_one_line(value) != value:
        raise ValueError("no word")
    return value


_LONGEST_WORD = 300
_DECIMAL = re.compile(r"[0-9]{1,6}(\.[0-9]{1,6})?")


def _rate(value: object) -> str:
    if not isinstance(value, str) or not _DECIMAL.fullmatch(value):
        raise ValueError("no rate")
    return value


def _amounts(given: dict[str, Any]) -> dict[str, str]:
    """Amounts by currency, each of them one."""
    for currency, amount in given.items():
        parse_amount(amount, currency)
    return dict(given)


def _ending(of: dict[str, Any]) -> str | None:
    return _text(of["ending"]) if of.get("ending") is not None else None


def _kept(of: dict[str, Any]) -> Kept:
    expires = of["expires"]
    return Kept(_text(of["token"]), _text(of["ending"]), None if expires is None else _text(expires))


def _refund_path(request: RefundRequest) -> str:
    return _path("charges", request.charge, "refunds", request.key)


def _refund_outcome(refund: dict[str, Any], request: RefundRequest) -> RefundOutcome:
    """What became of a refund; an answer about another one is none."""
    if refund["key"] != str(request.key) or refund["currency"] != request.currency:
        raise NoAnswer("the gateway answered about another refund")
    if refund["outcome"] == "refused":
        reason = refund["reason"]
        return RefundRefused(reason if reason in get_args(RefundRefusal) else "other")
    return Refunded(
        reference=_text(refund["id"]),
        amount=parse_amount(refund["amount"], request.currency),
        currency=request.currency,
        at=datetime.fromisoformat(refund["at"]),
    )


def _refund_event(kind: str, charge: UUID, data: dict[str, Any]) -> GatewayEvent:
    """A refund that the gateway tells of; one that was not made by Skurrow has no key of ours."""
    refund = data["refund"]
    currency = str(refund["currency"])
    try:
        key = UUID(refund["key"])
    except (KeyError, ValueError, TypeError):
        return GatewayEvent(kind, charge, None)
    request = RefundRequest(key, charge, parse_amount(refund["amount"], currency), currency)
    return GatewayEvent(kind, charge, None, key, _refund_outcome(refund, request))


def _entry(one: dict[str, Any]) -> Entry:
    try:
        key = UUID(one["key"])
    except (ValueError, TypeError):  # made at the gateway by somebody else
        key = None
    amount = parse_amount(one["amount"], one["currency"])
    return Entry(one["kind"], key, _text(one["id"]), amount, one["currency"], datetime.fromisoformat(one["at"]))


def _dispute(one: dict[str, Any]) -> Dispute:
    amount = parse_amount(one["amount"], one["currency"])
    at = datetime.fromisoformat(one["at"])
    if one["outcome"] not in ("open", "won", "lost") or one["reason"] not in get_args(DisputeReason):
        raise ValueError("no such state or reason of a dispute")
    return Dispute(_text(one["id"]), one["outcome"], amount, one["currency"], one["reason"], at)
