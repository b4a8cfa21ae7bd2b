"""The command line: one verb each, one line on stderr where anything is wrong.

Verbs are imported when they are called: a list of them is to be there at once.
"""

from __future__ import annotations

import json
import sys
from importlib import import_module

import click

from knitground import __version__
from knitground.core.base.errors import KnitError

_VERBS = {
    "open": ("", "Open the window: knitground open [PROJECT]."),
    "demo": (
        "",
        "Write the demo project and open it: demo [DIR] [--headless] [--json].",
    ),
    "new": ("project", "Begin a project in FOLDER with pictures as its sheets."),
    "list": ("project", "Tell what PROJECT holds: sheets, sets, maps, layers, mixes."),
    "grids": ("grids", "Guess how SHEET is cut, best guess first."),
    "cut": ("cut", "Cut SHEET into tiles, or lay it out anew."),
    "relief": ("relief", "Make the relief of the sheet of TILESET, for lamps to shine on."),
    "marks": ("terrains", "Guess the marks of tiles of TILESET that have none."),
    "sets": ("terrains", "Find likely terrain sets among the tiles of SHEET."),
    "coverage": ("terrains", "Tell which combinations of marks TILESET has, and lacks."),
    "rules": ("rules", "Analyse the rules of a terrain set of TILESET."),
    "knit": ("knit", "Knit a map of PROJECT and report gaps."),
    "grow": ("grow", "Run the recipe of a map of PROJECT and save it."),
    "diff": ("diff", "Tell what is different in the project NOW, against BEFORE."),
    "proof": ("proof", "Find what is wrong with PROJECT before a game does."),
    "play": ("", "Walk on maps that were shipped to DIR: play DIR [--map M] [--side]."),
    "desktop": ("desktop", "Put the program into the menus of this desktop, or out of them."),
    "ship": ("ship", "Ship maps of PROJECT for a game: pictures, JSON, shapes, ways."),
}
"""Each verb: its module, and what it does. Those without one open the window (`__main__`)."""

_WINDOW = """Opens the window when called without a verb. `demo DIR --headless` runs the full
example without a display, writes pictures and shipped files, and with --json lists them.
VERB --help says all of a verb. Exit codes: 0 done, 1 problems were found, 2 refused."""


class _Verbs(click.Group):
    """Knows its verbs by name, and imports one when it is called."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(_VERBS)

    def get_command(self, ctx: click.Context, name: str) -> click.Command | None:
        if name not in _VERBS:
            return None
        module, words = _VERBS[name]
        if not module:
            return click.Command(name, help=words)
        found: click.Command = getattr(import_module(f"knitground.cli.{module}"), f"{name}_command")
        return found

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Verbs"):
            formatter.write_dl([(name, words) for name, (_, words) in _VERBS.items()])

    def shell_complete(
        self, ctx: click.Context, incomplete: str
    ) -> list[click.shell_completion.CompletionItem]:
        found = [
            click.shell_completion.CompletionItem(name, help=words)
            for name, (_, words) in _VERBS.items()
            if name.startswith(incomplete)
        ]
        return found or super().shell_complete(ctx, incomplete)


@click.group(cls=_Verbs, epilog=_WINDOW)
@click.version_option(__version__, prog_name="knitground")
def commands() -> None:
    """Knit Ground: from a sprite sheet to seamless maps that a game can load."""


def run() -> int:
    """Run the verb that was asked for; returns the exit code."""
    try:
        result = commands.main(prog_name="knitground", standalone_mode=False)
    except click.exceptions.Abort:
        return 130
    except click.ClickException as error:
        return _refused("UsageError", error.format_message())
    except KnitError as error:
        return _refused(type(error).__name__, str(error))
    return result if isinstance(result, int) else 0


def _refused(kind: str, words: str) -> int:
    """Say what was refused: to people on stderr, to machines that asked for JSON on stdout."""
    if "--json" in sys.argv[1:]:
        click.echo(json.dumps({"error": {"kind": kind, "words": words}}, ensure_ascii=False))
    click.echo(f"knitground: {words}", err=True)
    return 2


if __name__ == "__main__":
    sys.exit(run())
