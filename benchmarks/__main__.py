"""`./bench`: all measurements, or those that are named."""

from __future__ import annotations

import asyncio

import click

from benchmarks import desk, endpoint, quoting, sizes

NAMES = ("quote", "endpoint", "sizes", "desk")


@click.command(context_settings={"help_option_names": ["-h", "--help"]})
@click.argument("names", nargs=-1, type=click.Choice(NAMES))
@click.option("--quick", is_flag=True, help="Fewer rounds: a look, not a measurement.")
def main(names: tuple[str, ...], quick: bool) -> None:
    """Measure Skurrow against floors measured in the same run (NAMES: quote, endpoint, sizes, desk)."""
    wanted = names or NAMES
    rounds = 3 if quick else 15
    click.echo(f"{'':<38} {'ours':>16} {'floor':>16} {'ratio':>7}  aim")
    for name in wanted:
        if name == "quote":
            results = quoting.run(rounds)
        elif name == "endpoint":
            results = asyncio.run(endpoint.run(3 if quick else 7, 1.0 if quick else 3.0))
        elif name == "desk":
            results = desk.run(3 if quick else 10)
        else:
            results = sizes.run()
        for result in results:
            click.echo(str(result))


if __name__ == "__main__":
    main(prog_name="./bench")
