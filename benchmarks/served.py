"""The application of the endpoint's measurement: Skurrow's own, with endpoints beside it that return a constant."""

from __future__ import annotations

import click
from fastapi import FastAPI

from skurrow.service.context import Settings
from skurrow.web.app import make_app
from skurrow.web.counter.given import QuoteRequest
from skurrow.web.counter.views import QuoteTax, QuoteView
from skurrow.web.server import server

CONSTANT = QuoteView(
    currency="EUR",
    lines=[],
    taxes=[QuoteTax(place="NL", name="VAT", rate="0.21", base="39.67", amount="8.33")],
    discount_total="0.00",
    due_today="48.00",
    tax_total="8.33",
    notes=[],
)


@click.command()
@click.option("--port", type=int, required=True)
def main(port: int) -> None:
    """Serves it as Skurrow is served."""
    server(Settings.from_environment(), port, application()).run()


def application() -> FastAPI:
    """Both endpoints behind the same guards. Requests are not logged, so that a file is not what is measured."""
    import structlog

    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(40))
    app = make_app(Settings.from_environment())

    @app.post("/counter/api/constant")
    async def constant(body: QuoteRequest) -> QuoteView:
        return CONSTANT

    @app.post("/desk/api/constant")
    async def bare() -> QuoteView:
        return CONSTANT

    # Routes are asked in order: the constant stands where the counter's endpoints do, before everything else.
    for _ in range(2):
        app.router.routes.insert(0, app.router.routes.pop())
    return app


if __name__ == "__main__":
    main()
