"""The command line: work on site files without a server or a database, and loading them into a running one."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import click

from skurrow.core.bounds import beyond
from skurrow.core.check.site import check_text
from skurrow.core.edition import Edition, compile_site
from skurrow.core.order import QuoteRefused, read_order
from skurrow.core.problems import InvalidInput, Problem
from skurrow.core.quote.quote import quote, schedule
from skurrow.core.site.text import schema
from skurrow.core.site.whole import SiteFile
from skurrow.core.subscriptions import plan_change
from skurrow.core.tax import rates

WRONG_INPUT = 2

MOST_TOLD = 100
"""Problems that are told one by one; of the others the number."""


@click.group(context_settings={"help_option_names": ["-h", "--help"]})
def main() -> None:
    """Skurrow adds sales to a website that is there already."""


@main.command()
@click.argument("file", type=click.Path(path_type=Path, allow_dash=True))
@click.option("--json", "as_json", is_flag=True, help="Print problem-details JSON (RFC 9457).")
def check(file: Path, as_json: bool) -> None:
    """Validate a site FILE: every error at once, with its line and what to do."""
    try:
        site = check_text(_read(file, as_json))
    except InvalidInput as error:
        if as_json:
            _print_problems("The site file has errors", error.problems)
        else:
            for problem in error.problems[:MOST_TOLD]:
                place = f"{file}:{problem.line}" if problem.line else str(file)
                click.echo(f"{place}: {problem.where or 'the file'}: {problem.message}. {_ended(problem.remedy)}")
            count = len(error.problems)
            if count > MOST_TOLD:
                click.echo(f"And {count - MOST_TOLD} more.")
            click.echo(f"{count} error{'s' if count != 1 else ''} in {file}.", err=True)
        sys.exit(WRONG_INPUT)
    if as_json:
        click.echo(json.dumps({"errors": []}))
    else:
        click.echo(f"{file} is right: {_content(site)}.")


_SITE = click.argument("file", type=click.Path(dir_okay=False, path_type=Path))
_ORDER = click.argument("order", type=click.Path(dir_okay=False, path_type=Path, allow_dash=True))


@main.command("quote")
@_SITE
@_ORDER
@click.option("--many", is_flag=True, help="Read one order a line, write one result a line.")
def quote_command(file: Path, order: Path, many: bool) -> None:
    """Compute what an ORDER (JSON, - for standard input) costs under a site FILE, as JSON.

    With --many a line that cannot be quoted gives problem details in its place, the others go on, and the command
    ends with 2.
    """
    edition = _edition(file)
    if not many:
        _print(_answered(lambda: quote(edition, read_order(_json(_read(order)))).as_json()))
        return
    refused = 0
    for line in _read(order).splitlines():
        if not line.strip():
            continue
        try:
            result = quote(edition, read_order(_json(line))).as_json()
        except QuoteRefused as error:
            refused += 1
            result = _details("The order cannot be quoted", error.problems)
        click.echo(json.dumps(result, ensure_ascii=False, separators=(",", ":")))
    sys.exit(WRONG_INPUT if refused else 0)


@main.command("schedule")
@_SITE
@_ORDER
@click.option("--until", required=True, type=click.DateTime(["%Y-%m-%d"]), help="The last day, as in 2028-12-31.")
def schedule_command(file: Path, order: Path, until: datetime) -> None:
    """List every charge of an ORDER (JSON, - for standard input) under a site FILE up to a day, as JSON."""
    edition = _edition(file)
    _print(_answered(lambda: schedule(edition, read_order(_json(_read(order))), until.date())))


@main.command("change")
@_SITE
@click.argument("change", type=click.Path(dir_okay=False, path_type=Path, allow_dash=True))
def change_command(file: Path, change: Path) -> None:
    """Compute what a CHANGE of plan (JSON, - for standard input) comes to along a product's ladder, as JSON."""
    edition = _edition(file)
    _print(_answered(lambda: plan_change.change(edition, plan_change.read_change(_json(_read(change))))))


@main.command("rates")
@click.argument("places", nargs=-1)
@click.option("--on", type=click.DateTime(["%Y-%m-%d"]), help="As of a day, as in 2026-07-01; else today.")
def rates_command(places: tuple[str, ...], on: datetime | None) -> None:
    """Check the shipped tax tables for gaps and overlaps, and say how old they are.

    With PLACES, as in NL PT-20, list their rates on a day with where each comes from. Ends with 2 where something is
    wrong with the tables.
    """
    day = (on or datetime.now(UTC)).date()
    listed = rates.shipped()
    for rate in listed:
        if rate.place in places and rate.counts_on(day):
            since = f"since {rate.from_}" if rate.from_ else ""
            how = "" if rate.checked else ", from memory"
            percent = f"{(rate.rate * 100).normalize():f} %"
            click.echo(f"{rate.place} {rate.counts_as}: {rate.name} {percent} {since}{how}. {rate.source}")
    found = list(rates.doubts(listed))
    for doubt in found:
        click.echo(f"{doubt.place}, {doubt.counts_as}: {doubt.words}.")
    rows = len({(rate.place, rate.counts_as) for rate in listed})
    click.echo(f"{len(listed)} rates in {rows} rows; {len(found) or 'no'} gaps and overlaps.")
    for key, source in rates.sources().items():
        age = (day - source.as_of).days
        checked = "compared" if source.checked else "from memory"
        click.echo(f"  {key}: as of {source.as_of}, {age} days old, {checked}. {source.title}")
    sys.exit(WRONG_INPUT if found else 0)


@main.command("schema")
def schema_command() -> None:
    """Print the JSON Schema of a site file, for editors to complete and validate it."""
    _print(schema())


_AT = click.option("--site", "code", help="Which site; needed where there are several.")


@main.command("export")
@_AT
def export_command(code: str | None) -> None:
    """Write a site's draft as a site file to standard output."""
    click.echo(_at_site(lambda at_site: at_site.export(code)), nl=False)


@main.command("apply")
@_SITE
@_AT
@click.option("--show", is_flag=True, help="Only say what would change.")
@click.option("--yes", is_flag=True, help="Do not ask before applying.")
def apply_command(file: Path, code: str | None, show: bool, yes: bool) -> None:
    """Load a site FILE as the draft, after showing what would change: all or nothing.

    What the file leaves out is archived. A file that was exported before others edited the site is refused. Pictures
    that it speaks of are taken from the folder `pictures` beside it.
    """
    text = _read(file)
    folder = file.parent / "pictures"
    files = {one.name: one.read_bytes() for one in sorted(folder.glob("*.*"))} if folder.is_dir() else {}

    would = _at_site(lambda at_site: at_site.apply(code, text, files, None))
    _tell_changes(would)
    if show:
        return
    if would.changes and not yes:
        click.confirm("Make it the draft?", abort=True)
    done = _at_site(lambda at_site: at_site.apply(code, text, files, would.change))
    click.echo(f"The draft is at change {done.change}.")


@main.command("password")
@click.argument("email")
def password_command(email: str) -> None:
    """Set the password of somebody who signs in to the desk, where no mail works; their sessions end."""
    password: str = click.prompt("New password", hide_input=True, confirmation_prompt=True)
    _at_site(lambda at_site: at_site.set_password(email, password))
    click.echo(f"The password of {email} is set, and all their sessions have ended.")


def _tell_changes(applied: Any) -> None:
    if not applied.changes:
        click.echo("Nothing would change.")
    for one in applied.changes:
        click.echo(f"{one.kind.replace('_', ' ')} {one.part_id} ({one.name}): {one.what}")
        for difference in one.differences:
            click.echo(f"    {difference.what}: {difference.before or 'nothing'} → {difference.after or 'nothing'}")


def _at_site(work: Callable[[Any], Any]) -> Any:
    """Does something at a site of the installation that runs here. What only that needs is not loaded before."""
    from skurrow.run import at_site

    try:
        return work(at_site)
    except InvalidInput as error:
        _print_problems("Something has to be corrected", error.problems)
    except at_site.NotDone as error:
        click.echo(str(error), err=True)
    sys.exit(WRONG_INPUT)


def _edition(file: Path) -> Edition:
    try:
        return compile_site(check_text(_read(file)))
    except InvalidInput as error:
        _print_problems("The site file has errors", error.problems)
        sys.exit(WRONG_INPUT)


def _answered(answer: Callable[[], Any]) -> Any:
    try:
        return answer()
    except QuoteRefused as refused:
        _print_problems("The order cannot be quoted", refused.problems)
        sys.exit(WRONG_INPUT)


def _print(result: Any) -> None:
    click.echo(json.dumps(result, ensure_ascii=False, indent=2))


def _read(file: Path, as_json: bool = False) -> str:
    try:
        data = sys.stdin.buffer.read() if str(file) == "-" else file.read_bytes()
        return data.decode("utf-8-sig")
    except OSError as error:
        if as_json:
            message = f"{file} cannot be read: {error.strerror}"
            _print_problems("The input cannot be read", [Problem((), message, "Name a file that is there")])
            sys.exit(WRONG_INPUT)
        raise click.UsageError(f"{file} cannot be read: {error.strerror}.") from None
    except UnicodeDecodeError:
        problem = Problem((), "The file is not UTF-8 text", "Save it as UTF-8")
        _print_problems("The input cannot be read", [problem])
        sys.exit(WRONG_INPUT)


def _once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    """An object whose names stand in it once. Raises QuoteRefused: of two values nobody knows which was meant."""
    found = dict(pairs)
    if len(found) < len(pairs):
        names = [name for name, _ in pairs]
        twice = next(name for name in names if names.count(name) > 1)
        raise QuoteRefused([Problem((twice[:60],), "is written twice", "Leave one of the two out", code="twice")])
    return found


def _json(text: str) -> Any:
    try:
        value = json.loads(text, object_pairs_hook=_once)
    except json.JSONDecodeError as error:
        message = f"This is not JSON: {error.msg} in column {error.colno}"
        raise QuoteRefused([Problem((), message, "Correct it", line=error.lineno)]) from None
    except (RecursionError, ValueError):
        raise QuoteRefused([Problem((), "This is nested too deep, or has too many digits", "Correct it")]) from None
    problem = beyond(value)
    if problem is not None:
        raise QuoteRefused([problem])
    return value


def _print_problems(title: str, problems: list[Problem]) -> None:
    _print(_details(title, problems))


def _details(title: str, problems: list[Problem]) -> dict[str, Any]:
    return {
        "type": "about:blank",
        "title": title,
        "status": 422,
        "detail": problems[0].message,
        "errors": [problem.as_json() for problem in problems[:MOST_TOLD]],
        **({"more": len(problems) - MOST_TOLD} if len(problems) > MOST_TOLD else {}),
    }


def _ended(remedy: str) -> str:
    return remedy if remedy.endswith(("?", ".")) else remedy + "."


def _content(site: SiteFile) -> str:
    counts = {
        "product": len(site.products),
        "price": sum(len(product.prices) for product in site.products),
        "checkout": len(site.checkouts),
    }
    return ", ".join(f"{n} {name}{'s' if n != 1 else ''}" for name, n in counts.items())


if __name__ == "__main__":
    main(prog_name="skurrow")
