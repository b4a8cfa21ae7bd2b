"""The command line: verbs, one way of printing, one way of failing."""

from __future__ import annotations

import sys

import click

from knitground import __version__
from knitground.cli.cut import cut_command
from knitground.cli.grids import grids_command
from knitground.cli.grow import grow_command
from knitground.cli.knit import knit_command
from knitground.cli.rules import rules_command
from knitground.cli.ship import ship_command
from knitground.cli.terrains import coverage_command, marks_command, sets_command
from knitground.core.base.errors import KnitError

_WINDOW = """Opens the window when called without a verb, or as `knitground open [PROJECT]`.
`knitground demo [DIR]` writes the demo project and opens it; with --headless it runs the full
example, writes pictures and shipped files, and with --json lists them."""


@click.group(epilog=_WINDOW)
@click.version_option(__version__, prog_name="knitground")
def commands() -> None:
    """Knit Ground: from a sprite sheet to seamless maps that a game can load."""


for command in (
    grids_command, cut_command, marks_command, sets_command, coverage_command, knit_command,
    grow_command, ship_command, rules_command,
):  # fmt: skip
    commands.add_command(command)


def run() -> int:
    """Run the verb that was asked for; returns the exit code."""
    try:
        result = commands.main(standalone_mode=False)
    except click.exceptions.Abort:
        return 130
    except click.ClickException as error:
        click.echo(f"knitground: {error.format_message()}", err=True)
        return 2
    except KnitError as error:
        click.echo(f"knitground: {error}", err=True)
        return 2
    return result if isinstance(result, int) else 0


if __name__ == "__main__":
    sys.exit(run())
