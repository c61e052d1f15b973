"""A browser that is a test buyer's for an hour: marked at the desk, ended by itself, by a press, or by withdrawing."""

from __future__ import annotations

from datetime import timedelta
from urllib.parse import quote, unquote, urlsplit

import httpx

from skurrow.service.counter import selling_states
from skurrow.service.counter.visit import hour_token, pass_token
from tests.service.counter.test_selling import go_live, released
from tests.web.conftest import Web
from tests.web.test_counter import boot

SITE = "/desk/api/sites/ostrel"


async def marked(web: Web) -> tuple[str, httpx.Response]:
    """The mark of a browser that was sent to the website, and what sent it there."""
    await web.sign_in()
    walk = await web.desk.get(f"{SITE}/walk")
    assert walk.status_code == 303
    began = await web.counter.get(urlsplit(walk.headers["location"]).path)
    return urlsplit(walk.headers["location"]).path.removeprefix("/try/"), began


async def mode_of(web: Web, test: str | None = None) -> tuple[str, bool]:
    """In which mode a checkout opens, and whether it says until when this browser is a test buyer's."""
    shown = (await boot(web, f"/buy/ostrel-kit{f'?test={quote(test)}' if test else ''}"))["counter"]
    return shown["mode"], shown["tries_until"] is not None


async def test_a_press_at_the_desk_marks_the_browser_for_an_hour_though_the_site_is_live(web: Web) -> None:
    await released(web.shop)
    await go_live(web.shop)
    assert await mode_of(web) == ("live", False)
    mark, began = await marked(web)
    assert began.status_code == 303
    address, _, told = began.headers["location"].partition("#skurrow-test=")
    until, _, given = told.partition(".")
    assert (address, unquote(given)) == ("http://ostrel.localhost:8403", mark)
    assert abs(int(until) / 1000 - web.shop.clock().timestamp() - 3600) < 60
    cookie = began.headers["set-cookie"]
    assert ("HttpOnly" in cookie, "SameSite=lax" in cookie) == (True, True)
    assert await mode_of(web) == ("test", True), "by the cookie, where the website has no script"
    web.counter.cookies.clear()
    assert await mode_of(web) == ("live", False)
    assert await mode_of(web, mark) == ("test", True), "by the link, in a frame without cookies"
    web.app.state.context.now = web.shop.clock
    web.shop.clock.ahead += timedelta(minutes=61)
    assert await mode_of(web, mark) == ("live", False)
    assert (await web.counter.get(f"/try/{mark}")).status_code == 404


async def test_it_is_ended_by_a_press_and_by_withdrawing_the_test_links(web: Web) -> None:
    await released(web.shop)
    await go_live(web.shop)
    mark, _ = await marked(web)
    ended = await web.counter.get("/stop-trying")
    assert ended.headers["location"].endswith("#skurrow-test=")
    assert await mode_of(web) == ("live", False)
    assert await boot(web, "/stop-trying") == {"page": "tried"}, "and once more"
    await selling_states.withdraw_test_pass(web.shop.context, web.shop.site_id)
    assert await mode_of(web, mark) == ("live", False)
    assert (await web.counter.get(f"/try/{mark}")).status_code == 404


async def test_a_mark_is_of_one_site_and_not_made_by_strangers(web: Web) -> None:
    await released(web.shop)
    await go_live(web.shop)
    context = web.shop.context
    await web.desk.delete("/desk/api/session")
    anothers = hour_token(context, web.shop.person_id, 0)
    forever = pass_token(context, web.shop.site_id, 0)
    assert await mode_of(web, anothers) == ("live", False)
    assert await mode_of(web, hour_token(context, web.shop.site_id, 0)[:-3]) == ("live", False)
    assert (await web.counter.get(f"/try/{forever}")).status_code == 404, "what lasts for ever marks no browser"
    assert (await web.desk.get(f"{SITE}/walk")).status_code == 401
