"""`./bench`: all measurements, or those that are named."""

from __future__ import annotations

import asyncio

import click

from benchmarks import desk, endpoint, fuzz, hostility, kill, orders, quoting, renewals, sizes

NAMES = ("quote", "endpoint", "orders", "renewals", "sizes", "desk")


@click.command(context_settings={"help_option_names": ["-h", "--help"]})
@click.argument("names", nargs=-1, type=click.Choice(NAMES))
@click.option("--quick", is_flag=True, help="Fewer rounds: a look, not a measurement.")
@click.option("--kill", "killing", is_flag=True, help="A flood of orders while processes are killed, and nothing else.")
@click.option("--seed", default=1, help="What chance goes by in --kill.")
@click.option("--orders", "buyers", default=2000, help="How many buyers there are in --kill.")
@click.option("--kills", default=20, help="How often web or worker is killed in --kill.")
@click.option("--hang", "harm", flag_value="hang", help="The same with a database that hangs for 20 seconds.")
@click.option("--full", "harm", flag_value="full", help="The same with a disk of the database that fills (as root).")
@click.option("--fuzz", "fuzzing", is_flag=True, help="The whole API asked at random, and nothing else.")
@click.option("--hostile", is_flag=True, help="20,000 hostile requests, and the memory of web and worker after them.")
def main(
    names: tuple[str, ...],
    quick: bool,
    killing: bool,
    seed: int,
    buyers: int,
    kills: int,
    harm: kill.Harm | None,
    fuzzing: bool,
    hostile: bool,
) -> None:
    """Measure Skurrow against floors measured in the same run.

    NAMES: quote, endpoint, orders, renewals, sizes, desk.
    """
    if fuzzing:
        raise SystemExit(fuzz.run(5 if quick else 60, seed, click.echo))
    if hostile:
        raise SystemExit(asyncio.run(hostility.run(2_000 if quick else 20_000, seed, click.echo)))
    if killing or harm:
        told = asyncio.run(kill.run(buyers, 16, kills, seed, click.echo, harm or "kill"))
        click.echo(kill.tell(told, seed))
        raise SystemExit(1 if told.wrong else 0)
    wanted = names or NAMES
    rounds = 3 if quick else 15
    click.echo(f"{'':<38} {'ours':>16} {'floor':>16} {'ratio':>7}  aim")
    for name in wanted:
        if name == "quote":
            results = quoting.run(rounds, (400, 50) if quick else (2_000, 250))
        elif name == "endpoint":
            results = asyncio.run(endpoint.run(3 if quick else 7, 1.0 if quick else 3.0))
        elif name == "orders":
            book = (1_000, 20_000) if quick else (1_000, 1_000_000)
            results = asyncio.run(orders.run(3 if quick else 9, 1.5 if quick else 4.0, book))
        elif name == "renewals":
            due = (1_000, 4_000) if quick else (1_000, 10_000, 100_000)
            results = asyncio.run(renewals.run(2 if quick else 5, 2.0 if quick else 4.0, due))
        elif name == "desk":
            results = desk.run(3 if quick else 10)
        else:
            results = sizes.run()
        for result in results:
            click.echo(str(result))


if __name__ == "__main__":
    main(prog_name="./bench")
