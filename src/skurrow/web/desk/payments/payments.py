"""Gateways: connecting them and asking whether they answer."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal
from uuid import UUID

from fastapi import Query, status
from fastapi.responses import RedirectResponse
from pydantic import BaseModel, Field

from skurrow.core.money import format_amount
from skurrow.core.payments.costs import monthly_in_a_year
from skurrow.core.payments.ways import payable
from skurrow.core.problems import InvalidInput
from skurrow.gateway.protocol import Credentials, NoAnswer, NotAccepted
from skurrow.gateway.registry import ADAPTERS
from skurrow.service.draft import configuration
from skurrow.service.payments import authorising, gateways, payment_costs, reconciling, ways
from skurrow.service.payments.payment_costs import Compared
from skurrow.service.people.roles import may
from skurrow.service.refusals import NotAllowed
from skurrow.store.payments.connections import ConnectionRow
from skurrow.store.payments.reconciliations import ReconciliationRow
from skurrow.web.access import Configuring, Desk, Means, Site
from skurrow.web.desk.bodies import Given, ModeName
from skurrow.web.routes import desk_router

router = desk_router()


class ConnectRequest(Given):
    """What connects a gateway in one mode: the merchant and the key; for a bank account its holder and its IBAN, with
    the BIC after it if there is one; for what people mark as paid, nothing."""

    mode: ModeName
    merchant: Annotated[str, Field(max_length=120)] = ""
    key: Annotated[str, Field(max_length=500)] = ""


class LimitView(BaseModel):
    """The amounts that a gateway takes in a currency."""

    currency: str
    smallest: str | None
    largest: str | None


class FeesView(BaseModel):
    """What a gateway takes, as decimal texts: percents, and amounts in its own currency."""

    percent: str
    fixed: str
    monthly: str
    cross_border: str
    conversion: str
    own: str


class ConnectionView(BaseModel):
    """A connected gateway, and how many charges it is still asked about. The key is never shown again.

    `statement` is what buyers' statements show, `details` what they need to pay by themselves.
    """

    id: UUID
    mode: ModeName
    merchant: str
    connected_at: datetime
    currencies: list[str]
    limits: list[LimitView]
    fees: FeesView
    statement: str
    pays_out: bool
    details: dict[str, str]
    waiting: int = 0


class GatewayView(BaseModel):
    """A gateway that can be connected: what it can do, and its connections. `label` is what buyers read if the owner
    does not say; `offered` whether the draft offers it, `authorises` whether it can be connected at its own site."""

    adapter: str
    name: str
    label: str
    page: str | None
    abilities: dict[str, bool]
    offered: bool
    authorises: bool
    connections: list[ConnectionView]


class CurrencyView(BaseModel):
    """A currency of the draft, and by mode the ways to pay that take it; null where no gateway is connected."""

    code: str
    test: list[str] | None
    live: list[str] | None


class AnswerView(BaseModel):
    """What came of asking a gateway."""

    asked_at: datetime
    answers: bool
    problem: str | None
    last_event_at: datetime | None


@router.get("/sites/{site}/gateways")
async def list_gateways(at: Site, context: Means) -> list[GatewayView]:
    """The gateways there are, and how they are connected."""
    rows = await gateways.connected(context, at.site_id)
    waiting = await gateways.waiting(context, at.site_id)
    edition = (await configuration.draft(context, at.site_id)).edition
    chosen = {way.gateway for way in edition.site.payments.ways}
    return [
        GatewayView(
            adapter=name,
            name=adapter.name,
            label=adapter.label,
            page=context.settings.gateways[name].browser if name in context.settings.gateways else None,
            abilities={ability: getattr(adapter.abilities, ability) for ability in adapter.abilities.__slots__},
            offered=not chosen or name in chosen,
            authorises=authorising.can_authorise(context, name),
            connections=[
                _connection(row, edition.site.site.name, waiting.get(row.id, 0)) for row in rows if row.adapter == name
            ],
        )
        for name, adapter in ADAPTERS.items()
        if adapter.abilities.by_person or name in context.settings.gateways
    ]


@router.get("/sites/{site}/currencies")
async def list_currencies(at: Site, context: Means) -> list[CurrencyView]:
    """The draft's currencies, and what each can be paid with."""
    rows = await gateways.connected(context, at.site_id)
    edition = (await configuration.draft(context, at.site_id)).edition

    def takers(mode: str, currency: str) -> list[str] | None:
        there = [row for row in rows if row.mode == mode]
        taking = [row for row in there if currency in payable(edition, [ways.usable_of(row)])]
        return [ways.shown_as(edition, row.adapter)[0] for row in taking] if there else None

    return [
        CurrencyView(code=code, test=takers("test", code), live=takers("live", code)) for code in edition.currencies
    ]


@router.post("/sites/{site}/gateways/{adapter}/connections", status_code=status.HTTP_201_CREATED)
async def connect_gateway(adapter: str, body: ConnectRequest, at: Configuring, context: Means) -> ConnectionView:
    """Connects a gateway once it has answered, in place of an earlier connection in this mode."""
    credentials = Credentials(body.merchant.strip(), body.key.strip())
    row = await gateways.connect(context, at.site_id, adapter, body.mode, credentials)
    edition = (await configuration.draft(context, at.site_id)).edition
    return _connection(row, edition.site.site.name, 0)


class AuthorisationRequest(Given):
    """For which mode a gateway is to let us in."""

    mode: ModeName


class AuthorisationView(BaseModel):
    """Where the person goes to let us in."""

    address: str


@router.post("/sites/{site}/gateways/{adapter}/authorisations")
async def begin_authorisation(
    adapter: str, body: AuthorisationRequest, at: Configuring, context: Means
) -> AuthorisationView:
    """Begins to connect a gateway at its own site."""
    return AuthorisationView(address=authorising.begin(context, at.site_id, at.person.id, adapter, body.mode))


@router.get("/gateway-answer", include_in_schema=False)
async def gateway_answer(
    desk: Desk,
    context: Means,
    state: Annotated[str, Query(max_length=4000)] = "",
    code: Annotated[str, Query(max_length=1000)] = "",
    error: Annotated[str, Query(max_length=100)] = "",
) -> RedirectResponse:
    """Where a gateway sends a person back to: it is connected, and they see that; or why not."""
    begun = authorising.read(context, desk.person.id, state)
    at = next((one for one in desk.memberships if one.site_id == begun.site_id), None)
    if at is None or not may(at.role, "configure"):
        raise NotAllowed("Only a developer of the site can connect a gateway.")
    why = None
    if error or not code:
        why = "denied"
    else:
        try:
            await authorising.finish(context, begun, code)
        except NotAccepted:
            why = "late"
        except (NoAnswer, InvalidInput):
            why = "silent"
    query = f"?not_connected={why}" if why else ""
    return RedirectResponse(f"/s/{at.code}/payments/{begun.adapter}{query}", 303)


class CostView(BaseModel):
    """What a sale costs at a connected gateway, and what is left of it; and a year of such sales.

    `monthly` is what its months cost in `own` currency; it is in the year's sum where that is the basket's. `why_not`
    says why this cannot be paid with it.
    """

    gateway: str
    label: str
    mode: ModeName
    takes: str
    keeps: str
    parts: list[str]
    monthly: str
    own: str
    year: str
    why_not: str | None


class BuyerOffers(BaseModel):
    """Which ways to pay a stand-in buyer would be offered: by gateway, why not, or nothing."""

    buyer: str
    name: str
    currency: str
    offers: dict[str, str | None]


class CostsView(BaseModel):
    """A comparison of the connected gateways for one basket: what each costs, and who could pay it with which."""

    amount: str
    currency: str
    charges: int
    costs: list[CostView]
    buyers: list[BuyerOffers]


@router.get("/sites/{site}/payment-costs")
async def compare_costs(
    at: Site,
    context: Means,
    amount: Annotated[str, Query(max_length=20)] = "50.00",
    currency: Annotated[str, Query(max_length=3)] = "",
    charges: Annotated[int, Query(ge=0, le=1_000_000)] = 500,
    abroad: bool = False,
) -> CostsView:
    """What a basket costs at each connected gateway, and a year of so many charges."""
    found = await payment_costs.compare(context, at.site_id, amount, currency, charges, abroad)
    return CostsView(
        amount=format_amount(found.amount, found.currency),
        currency=found.currency,
        charges=found.charges,
        costs=[
            CostView(
                gateway=one.offer.gateway,
                label=one.offer.label,
                mode=one.mode,
                takes=format_amount(one.cost.takes, found.currency),
                keeps=format_amount(found.amount - one.cost.takes, found.currency),
                parts=one.parts,
                monthly=format_amount(monthly_in_a_year(one.tariff), one.tariff.own),
                own=one.tariff.own,
                year=format_amount(_year(one, found.currency), found.currency),
                why_not=one.offer.why_not,
            )
            for one in found.costs
        ],
        buyers=[
            BuyerOffers(
                buyer=buyer.id,
                name=buyer.desk_name,
                currency=buyer.currency,
                offers={offer.gateway: offer.why_not for offer in offers},
            )
            for buyer, offers in found.buyers
        ],
    )


@router.delete("/sites/{site}/connections/{connection}", status_code=status.HTTP_204_NO_CONTENT)
async def disconnect_gateway(connection: UUID, at: Configuring, context: Means) -> None:
    """Ends a connection; what was paid through it stays, and can be given back."""
    await gateways.disconnect(context, at.site_id, connection)


@router.post("/sites/{site}/connections/{connection}/questions")
async def ask_gateway(connection: UUID, at: Site, context: Means) -> AnswerView:
    """Asks a connected gateway whether it answers."""
    answer = await gateways.ask(context, at.site_id, connection)
    return AnswerView(
        asked_at=answer.asked_at,
        answers=answer.account is not None,
        problem=answer.problem,
        last_event_at=answer.last_event_at,
    )


class BookDifference(BaseModel):
    """What differs: only at the gateway, only in our books, or by its amount."""

    code: Literal["only_there", "only_here", "amount"]
    kind: Literal["charge", "refund", "dispute"]
    key: str
    currency: str
    ours: str | None
    theirs: str | None
    order: str | None


class BooksCompared(BaseModel):
    """A comparison of our books with a gateway's: the span, how many movements it has there, and what differs."""

    at: datetime
    since: datetime
    until: datetime
    entries: int
    differences: list[BookDifference]


@router.get("/sites/{site}/connections/{connection}/comparison")
async def last_comparison(connection: UUID, at: Site, context: Means) -> BooksCompared | None:
    """The newest comparison with a gateway's books."""
    found = await reconciling.last(context, at.site_id, connection)
    return None if found is None else _comparison(found)


@router.post("/sites/{site}/connections/{connection}/comparisons")
async def compare_books(connection: UUID, at: Configuring, context: Means) -> BooksCompared:
    """Compares with a gateway's books now."""
    return _comparison(await reconciling.compare(context, at.site_id, connection))


def _comparison(found: ReconciliationRow) -> BooksCompared:
    def money(amount: int | None, currency: str) -> str | None:
        return None if amount is None else format_amount(amount, currency)

    return BooksCompared(
        at=found.at,
        since=found.since,
        until=found.until,
        entries=found.entries,
        differences=[
            BookDifference.model_validate(
                {
                    **one,
                    "ours": money(one["ours"], one["currency"]),
                    "theirs": money(one["theirs"], one["currency"]),
                }
            )
            for one in found.differences
        ],
    )


def _year(one: Compared, currency: str) -> int:
    return one.year + (monthly_in_a_year(one.tariff) if one.tariff.own == currency else 0)


def _connection(row: ConnectionRow, name: str, waiting: int) -> ConnectionView:
    account = gateways.account_of(row)
    own = account.currencies[0] if account.currencies else ""
    fees = account.fees
    return ConnectionView(
        id=row.id,
        mode="live" if row.mode == "live" else "test",
        merchant=row.merchant,
        connected_at=row.connected_at,
        currencies=list(account.currencies),
        limits=[
            LimitView(currency=code, smallest=account.smallest.get(code), largest=account.largest.get(code))
            for code in account.currencies
        ],
        fees=FeesView(
            percent=fees.percent,
            fixed=fees.fixed,
            monthly=fees.monthly,
            cross_border=fees.cross_border,
            conversion=fees.conversion,
            own=own,
        ),
        statement=ways.statement(name, account.statement),
        pays_out=account.pays_out,
        details=dict(account.details),
        waiting=waiting,
    )
