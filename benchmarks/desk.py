"""The desk: how long a press of a key takes to be a painted figure of the tape, against a bare round trip that ends
in a painted figure too; and what 10,000 products cost, against the nine of the demo."""

from __future__ import annotations

import asyncio
import copy
import os
import shutil
import statistics
import time
from collections.abc import Callable
from functools import partial
from typing import Any

import httpx
from playwright.sync_api import Page, sync_playwright

from benchmarks.measure import Result
from benchmarks.quoting import site_of
from skurrow.core.site import file as site_file
from skurrow.run.cluster import FAST_AND_FORGETFUL
from skurrow.run.demo import EMAIL
from skurrow.run.installation import ROOT, Installation, start_postgres
from skurrow.run.ports import Ports, any_free
from skurrow.run.processes import Part, stop_all
from skurrow.service.context import Settings, open_context
from skurrow.service.draft import configuration, site_files
from skurrow.store.database import site_transaction, siteless_transaction
from skurrow.store.draft import sites
from skurrow.store.people.people import person_by_email

PRODUCTS = 10_000
# The aims are ours: the tape is painted within two bare round trips; a list of 10,000 costs at most three of nine.
TYPED_INTO = """([label, sign]) => new Promise((done, failed) => {
  const field = document.querySelector(`[aria-label="${label}"]`), due = document.querySelector(sign);
  const timer = setTimeout(() => failed(new Error('nothing was painted')), 10000);
  let pressed = 0;
  field.addEventListener('keydown', event => { pressed = event.timeStamp }, {capture: true, once: true});
  new MutationObserver((_, seen) => {
    seen.disconnect();
    requestAnimationFrame(() => {
      const after = new MessageChannel();
      after.port1.onmessage = () => { clearTimeout(timer); done(performance.now() - pressed) };
      after.port2.postMessage(0);
    });
  }).observe(due, {characterData: true, childList: true, subtree: true});
  field.focus();
  window.typedInto = true;
})"""

BARE = """body => {
  const room = document.createElement('main');
  room.innerHTML = '<input aria-label="Bare"><p id="bare">0</p>';
  document.body.replaceChildren(room);
  let n = 0;
  room.querySelector('input').addEventListener('input', async () => {
    const headers = {'content-type': 'application/json'};
    const answer = await fetch('/desk/api/constant', {method: 'POST', body, headers});
    await answer.json();
    room.querySelector('p').textContent = String(++n);
  });
}"""


def run(rounds: int) -> list[Result]:
    """All of it."""
    folder = ROOT / ".skurrow" / f"bench-{os.getpid()}"
    shutil.rmtree(folder, ignore_errors=True)
    ports = Ports(*(any_free() for _ in vars(Ports())))
    installation = Installation(folder, ports, server_options=tuple(FAST_AND_FORGETFUL), leeway=100_000)
    loop = asyncio.new_event_loop()
    parts: list[Part] = []
    try:
        loop.run_until_complete(_begin(installation, parts))
        applied = loop.run_until_complete(_applied(installation, max(2, rounds // 3)))
        return [applied, *_asked(installation, rounds), *_typed(installation, rounds)]
    finally:
        loop.run_until_complete(stop_all(parts))
        installation.remove()
        shutil.rmtree(folder, ignore_errors=True)


async def _begin(installation: Installation, parts: list[Part]) -> None:
    parts.append(await start_postgres(installation))
    parts.append(installation.cards())
    await parts[1].start()
    await parts[1].wait_until_healthy()
    await installation.load_demo(["standin-cards"])
    await _load_large(installation)
    web = installation.web()
    web.command = [text.replace("skurrow.web.server", "benchmarks.served") for text in web.command]
    web.environment["PYTHONPATH"] += f":{ROOT}"
    parts.append(web)
    await web.start()
    await web.wait_until_healthy()


async def _load_large(installation: Installation) -> None:
    """A second site of the demo's developer: the demo with 10,000 products."""
    data: dict[str, Any] = copy.deepcopy(dict(site_file.read((ROOT / "demo" / "site.yaml").read_text()).data))
    first = data["products"][0]
    for n in range(len(data["products"]), PRODUCTS):
        price = {**first["prices"][0], "id": f"sheet-{n}", "amount": {"EUR": f"{n % 90 + 10}.00"}}
        data["products"].append({**first, "id": f"sheet-{n}", "name": f"Marbled sheet number {n}", "prices": [price]})
    async with open_context(Settings.from_environment(installation.environment)) as context:
        async with siteless_transaction(context.pool) as db:
            person = await person_by_email(db, EMAIL)
        assert person is not None
        site_id = context.new_id()
        async with site_transaction(context.pool, site_id) as db:
            await sites.add_site(db, site_id, "large", context.now())
            await sites.add_member(db, site_id, person.id, "developer")
            await configuration.write_site_file(context, db, site_id, person.id, data)


async def _applied(installation: Installation, rounds: int) -> Result:
    """A site file checked and applied to the demo, a product: 2,000 products against 250."""
    plain = (ROOT / "demo" / "site.yaml").read_text()
    pictures = {file.name: file.read_bytes() for file in (ROOT / "demo" / "pictures").iterdir()}
    found: dict[int, list[float]] = {2000: [], 250: []}
    async with open_context(Settings.from_environment(installation.environment)) as context:
        for n in range(rounds):
            for count, took in found.items():
                site_id = context.new_id()
                async with site_transaction(context.pool, site_id) as db:
                    await sites.add_site(db, site_id, f"applied-{n}-{count}", context.now())
                await site_files.apply(context, site_id, None, plain, pictures)
                text = site_of(count)
                began = time.perf_counter()
                await site_files.apply(context, site_id, None, text, {})
                took.append((time.perf_counter() - began) * 1000 / count)
    return _result("a product of a file applied, 2,000 or 250", found[2000], found[250], 1.3)


def _asked(installation: Installation, rounds: int) -> list[Result]:
    """Answers over one connection, the questions in turns."""
    headers = {"host": f"localhost:{installation.ports.web}", "origin": installation.desk_url}
    with httpx.Client(base_url=f"http://127.0.0.1:{installation.ports.web}", headers=headers, timeout=60) as client:
        answer = client.post("/desk/api/session", json={"email": EMAIL, "password": installation.secrets.demo_password})
        client.headers["cookie"] = answer.raise_for_status().headers["set-cookie"].split(";")[0]
        asked: dict[str, Callable[[], float]] = {"bare": lambda: _ms(client, "POST", "/desk/api/constant", {})}
        for site in ("ostrel", "large"):
            at = f"/desk/api/sites/{site}"
            kit = client.get(f"{at}/parts/product/coptic-kit").json()["part"]
            asked |= {
                f"{site} tape": partial(_ms, client, "POST", f"{at}/tapes", _tape(kit["body"])),
                f"{site} list": partial(_ms, client, "GET", f"{at}/parts/product"),
                f"{site} search": partial(_ms, client, "GET", f"{at}/parts/product?search=marbl"),
                f"{site} jump": partial(_ms, client, "GET", f"{at}/jump?q=marbl"),
                f"{site} edit": _editor(client, at, kit),
            }
        for question in asked.values():
            question()
        found: dict[str, list[float]] = {name: [] for name in asked}
        for _ in range(rounds * 4):
            for name, question in asked.items():
                found[name].append(question())
    results = []
    for site, what in (("ostrel", "demo"), ("large", "10,000 products")):
        results.append(_result(f"tape asked over HTTP, {what}", found[f"{site} tape"], found["bare"], 4.0))
    for name in ("list", "search", "jump", "edit"):
        large, few = found[f"large {name}"], found[f"ostrel {name}"]
        results.append(_result(f"{name}, 10,000 products or 9", large, few, 3.0))
    return results


def _typed(installation: Installation, rounds: int) -> list[Result]:
    """In a browser: a digit is typed, a figure is painted."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=["--no-sandbox"])
        bare, demo, large = (browser.new_page() for _ in range(3))
        for page in (bare, demo, large):
            page.goto(installation.desk_url)
            page.get_by_label("Email").fill(EMAIL)
            page.get_by_label("Password").fill(installation.secrets.demo_password)
            page.get_by_role("button", name="Sign in").click()
            page.get_by_role("navigation", name="Work order").wait_for()
        for page, site in ((demo, "ostrel"), (large, "large")):
            page.goto(f"{installation.desk_url}/s/{site}/products/coptic-kit")
            page.locator('[data-row="due"]').wait_for()
        bare.evaluate(BARE, "x" * 600)
        found: dict[str, list[float]] = {"bare": [], "demo": [], "large": []}
        for n in range(rounds * 2):
            found["bare"].append(_press(bare, "Bare", "#bare", str(n % 10)))
            for name, page in (("demo", demo), ("large", large)):
                page.get_by_label("Amount in EUR", exact=True).fill("4")
                page.wait_for_timeout(900)  # until that is stored, and the tape rests
                found[name].append(_press(page, "Amount in EUR", '[data-row="due"]', str(n % 9 + 1)))
                page.wait_for_timeout(900)
        browser.close()
    return [
        _result("key to painted tape, demo", found["demo"], found["bare"], 2.0),
        _result("key to painted tape, 10,000 products", found["large"], found["bare"], 2.0),
    ]


def _press(page: Page, label: str, sign: str, key: str) -> float:
    """Milliseconds from the press to the painted figure."""
    page.bring_to_front()
    page.evaluate("window.typedInto = false")
    page.evaluate(f"args => {{ window.painted = ({TYPED_INTO})(args) }}", [label, sign])
    page.wait_for_function("window.typedInto")
    page.keyboard.press(key)
    return float(page.evaluate("window.painted"))


def _ms(client: httpx.Client, method: str, path: str, body: Any = None) -> float:
    began = time.perf_counter()
    client.request(method, path, json=body).raise_for_status()
    return (time.perf_counter() - began) * 1000


def _tape(body: dict[str, Any]) -> dict[str, Any]:
    unsaved = {"kind": "product", "id": "coptic-kit", "body": body}
    return {"about": {"kind": "product", "id": "coptic-kit"}, "buyers": [{"id": "utrecht"}], "unsaved": unsaved}


def _editor(client: httpx.Client, at: str, kit: dict[str, Any]) -> Callable[[], float]:
    """Edits one part again and again."""
    state = {"seen": kit["change"], "n": 0}

    def edit() -> float:
        state["n"] += 1
        body = {**kit["body"], "text": f"Edited {state['n']} times."}
        began = time.perf_counter()
        answer = client.put(f"{at}/parts/product/coptic-kit", json={"seen": state["seen"], "body": body})
        passed = (time.perf_counter() - began) * 1000
        state["seen"] = answer.raise_for_status().json()["change"]
        return passed

    return edit


def _result(name: str, ours: list[float], floor: list[float], aim: float) -> Result:
    ratio = statistics.median(a / b for a, b in zip(ours, floor, strict=True))
    mine, its = statistics.median(ours), statistics.median(floor)
    return Result(name, f"{mine:.1f} ms", f"{its:.1f} ms", ratio, aim)
