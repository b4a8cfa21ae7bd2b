"""The verb `desktop`: into the menus of the person's desktop, or out of them."""

from __future__ import annotations

from pathlib import Path

import click

from knitground.cli.output import as_json, tell
from knitground.desktop.install import data_home, install, remove


@click.command("desktop")
@click.option("--remove", "out", is_flag=True, help="Take all of it away again.")
@click.option("--to", "home", type=click.Path(path_type=Path, file_okay=False),
              help="Another data folder than ~/.local/share.")  # fmt: skip
@as_json
def desktop_command(out: bool, home: Path | None, as_json: bool) -> None:
    """Put Knit Ground into the menus of this desktop: entry, icon, file type, man page, completion.

    It is for you alone and needs no rights. Projects open by a double click on project.knit.json.
    """
    from knitground.cli.main import commands  # late: the verbs are made with it

    folder = home or data_home()
    files = (remove if out else install)(commands, folder)
    words = "taken away" if out else "written"
    tell([str(each) for each in files], [f"{words}: {each}" for each in files], as_json)
