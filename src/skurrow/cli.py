"""The command line: work on site files without a server or a database."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import click

from skurrow.core.check import check_text
from skurrow.core.edition import compile_site
from skurrow.core.problems import InvalidInput, Problem
from skurrow.core.quote import QuoteRefused, quote, read_order
from skurrow.core.site import SiteFile

WRONG_INPUT = 2


@click.group(context_settings={"help_option_names": ["-h", "--help"]})
def main() -> None:
    """Skurrow adds sales to a website that is there already."""


@main.command()
@click.argument("file", type=click.Path(dir_okay=False, path_type=Path, allow_dash=True))
@click.option("--json", "as_json", is_flag=True, help="Print problem-details JSON (RFC 9457).")
def check(file: Path, as_json: bool) -> None:
    """Validate a site FILE: every error at once, with its line and what to do."""
    try:
        site = check_text(_read(file))
    except InvalidInput as error:
        if as_json:
            _print_problems("The site file has errors", error.problems)
        else:
            for problem in error.problems:
                place = f"{file}:{problem.line}" if problem.line else str(file)
                click.echo(f"{place}: {problem.where or 'the file'}: {problem.message}. {_ended(problem.remedy)}")
            count = len(error.problems)
            click.echo(f"{count} error{'s' if count != 1 else ''} in {file}.", err=True)
        sys.exit(WRONG_INPUT)
    if as_json:
        click.echo(json.dumps({"errors": []}))
    else:
        click.echo(f"{file} is right: {_content(site)}.")


@main.command("quote")
@click.argument("file", type=click.Path(dir_okay=False, path_type=Path))
@click.argument("order", type=click.Path(dir_okay=False, path_type=Path, allow_dash=True))
def quote_command(file: Path, order: Path) -> None:
    """Compute what an ORDER (JSON, - for standard input) costs under a site FILE, as JSON."""
    try:
        edition = compile_site(check_text(_read(file)))
    except InvalidInput as error:
        _print_problems("The site file has errors", error.problems)
        sys.exit(WRONG_INPUT)
    try:
        result = quote(edition, read_order(_json(_read(order))))
    except QuoteRefused as refused:
        _print_problems("The order cannot be quoted", refused.problems)
        sys.exit(WRONG_INPUT)
    click.echo(json.dumps(result.as_json(), ensure_ascii=False, indent=2))


def _read(file: Path) -> str:
    try:
        data = sys.stdin.buffer.read() if str(file) == "-" else file.read_bytes()
        return data.decode("utf-8-sig")
    except OSError as error:
        raise click.UsageError(f"{file} cannot be read: {error.strerror}.") from None
    except UnicodeDecodeError:
        problem = Problem((), "The file is not UTF-8 text", "Save it as UTF-8")
        _print_problems("The input cannot be read", [problem])
        sys.exit(WRONG_INPUT)


def _json(text: str) -> Any:
    try:
        return json.loads(text)
    except json.JSONDecodeError as error:
        message = f"This is not JSON: {error.msg} in column {error.colno}"
        raise QuoteRefused([Problem((), message, "Correct it", line=error.lineno)]) from None


def _print_problems(title: str, problems: list[Problem]) -> None:
    details = {
        "type": "about:blank",
        "title": title,
        "status": 422,
        "detail": problems[0].message,
        "errors": [problem.as_json() for problem in problems],
    }
    click.echo(json.dumps(details, ensure_ascii=False, indent=2))


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
