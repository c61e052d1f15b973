"""The adapters for the stand-in gateways: they speak alike, and differ in how money comes in."""

from __future__ import annotations

import json
from collections.abc import Mapping
from datetime import date, datetime
from typing import Any, get_args
from urllib.parse import quote, urlencode
from uuid import UUID

import httpx
from standardwebhooks import Webhook, WebhookVerificationError

from skurrow.core.money import MINOR_UNITS, format_amount, parse_amount
from skurrow.gateway.protocol import (
    Abilities,
    Accepted,
    Account,
    Answer,
    Approved,
    ChargeRequest,
    Credentials,
    Dispute,
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
        return Account(
            merchant=answer["merchant"],
            mode=answer["mode"],
            currencies=tuple(answer["currencies"]),
            fees=Fees(**answer["fees"]),
            smallest=dict(answer["smallest"]),
            largest=dict(answer["largest"]),
            statement=int(answer["statement"]),
            pays_out=bool(answer["pays_out"]),
        )

    async def register_events(self, url: str) -> str:
        return str((await self._ask("PUT", "/events-address", {"url": url}))["secret"])

    async def look_at(self, token: str) -> Seen | None:
        try:
            found = await self._ask("GET", f"/tokens/{token}")
        except _Answered as answered:
            if answered.status == _NOT_FOUND:
                return None
            raise
        return Seen(found["fingerprint"], found["ending"], found["country"])

    async def charge(self, request: ChargeRequest) -> Answer:
        body = {
            "amount": format_amount(request.amount, request.currency),
            "currency": request.currency,
            "text": request.text,
            **self._source(request),
        }
        try:
            return self._become(await self._ask("PUT", f"/charges/{request.key}", body), request.key)
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
            return _refund_outcome(await self._ask("PUT", _refund_path(request), body), request)
        except _Answered as answered:
            if answered.status in (_UNFIT, _NOT_FOUND):
                return RefundRefused("too_much" if answered.status == _UNFIT else "other")
            raise

    async def look_up_refund(self, request: RefundRequest) -> RefundOutcome | None:
        try:
            return _refund_outcome(await self._ask("GET", _refund_path(request)), request)
        except _Answered as answered:
            if answered.status == _NOT_FOUND:
                return None
            raise

    async def entries(self, since: datetime, until: datetime) -> list[Entry]:
        found: list[Entry] = []
        while True:
            query = urlencode({"since": since.isoformat(), "until": until.isoformat(), "skip": len(found)})
            page = (await self._ask("GET", "/entries", query=query))["entries"]
            found += [_entry(one) for one in page]
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
        except (WebhookVerificationError, ValueError) as error:
            raise ForgedEvent(str(error)) from error
        if not isinstance(message, dict):
            raise ForgedEvent("the message is no mapping")
        return Message(headers["webhook-id"], message)

    def read_message(self, message: Message) -> GatewayEvent:
        kind, data = str(message.body.get("type", "")), message.body.get("data", {})
        try:
            key = UUID(data["key"])
        except (KeyError, ValueError, TypeError):  # a charge that Skurrow did not make
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
            return self._become(await self._ask(method, f"/charges/{key}"), key)
        except _Answered as answered:
            if answered.status == _NOT_FOUND:
                return None
            raise

    def _become(self, charge: dict[str, Any], key: UUID) -> Answer:
        """What became of a charge, where the buyer approves it, or when its money is expected."""
        if charge["key"] == str(key) and charge["outcome"] == "pending":
            if charge["approval"]:
                until = datetime.fromisoformat(charge["approve_by"]) if charge.get("approve_by") else None
                address = f"{self._reach.browser}/approvals/{charge['approval']}"
                return NeedsApproval(address, self.abilities.off_site, until)
            if charge["expected"]:
                return Accepted(date.fromisoformat(charge["expected"]))
        return _outcome(charge, key)

    async def _ask(self, method: str, path: str, body: dict[str, Any] | None = None, query: str = "") -> dict[str, Any]:
        url = self._reach.api + quote(path) + (f"?{query}" if query else "")
        auth = (self._credentials.merchant, self._credentials.key)
        try:
            response = await self._client.request(method, url, json=body, auth=auth)
        except httpx.HTTPError as error:
            raise NoAnswer(type(error).__name__) from error
        if response.status_code == _UNAUTHORISED:
            raise NotAccepted(f"the gateway does not know merchant {self._credentials.merchant} with this key")
        if not response.is_success:
            raise _Answered(response.status_code)
        try:
            return dict(response.json())
        except (json.JSONDecodeError, ValueError, TypeError) as error:
            raise NoAnswer("the answer is not JSON") from error


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
            reference=charge["id"],
            amount=parse_amount(charge["amount"], currency),
            currency=currency,
            at=datetime.fromisoformat(charge["at"]),
            card_ending=(charge["card"] or charge["account"] or {}).get("ending"),
            kept=Kept(**charge["kept"]) if charge.get("kept") else None,
        )
    if charge["outcome"] == "refused":
        reason = charge["reason"]
        return Refused(reason if reason in get_args(RefusalReason) else "other")
    raise NoAnswer("the gateway is still working on it")


def _refund_path(request: RefundRequest) -> str:
    return f"/charges/{request.charge}/refunds/{request.key}"


def _refund_outcome(refund: dict[str, Any], request: RefundRequest) -> RefundOutcome:
    """What became of a refund; an answer about another one is none."""
    if refund["key"] != str(request.key) or refund["currency"] != request.currency:
        raise NoAnswer("the gateway answered about another refund")
    if refund["outcome"] == "refused":
        reason = refund["reason"]
        return RefundRefused(reason if reason in get_args(RefundRefusal) else "other")
    return Refunded(
        reference=refund["id"],
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
    return Entry(one["kind"], key, one["id"], amount, one["currency"], datetime.fromisoformat(one["at"]))


def _dispute(one: dict[str, Any]) -> Dispute:
    amount = parse_amount(one["amount"], one["currency"])
    at = datetime.fromisoformat(one["at"])
    return Dispute(one["id"], one["outcome"], amount, one["currency"], one["reason"], at)
