"""`demo --headless`: the full example in the real window, with pictures of each stage."""

from __future__ import annotations

import json
import logging
import os
import sys
from pathlib import Path

_USAGE = "usage: knitground demo [DIR] --headless [--json]\n"


def run_headless(words: list[str]) -> int:
    """Make the demo, knit, grow, ship, take a PNG of each stage; prints the files.

    Parameters
    ----------
    words : what follows `demo` on the command line; DIR is `demo-out` by default
    """
    folders = [word for word in words if not word.startswith("-")]
    flags = {word for word in words if word.startswith("-")}
    if len(folders) > 1 or flags - {"--headless", "--json"}:
        sys.stderr.write(_USAGE)
        return 2
    folder = Path(folders[0] if folders else "demo-out").absolute()
    folder.mkdir(parents=True, exist_ok=True)
    use_offscreen(folder)
    from PySide6.QtCore import qInstallMessageHandler

    from knitground.core.base.errors import KnitError
    from knitground.ui.tour import run_tour

    qInstallMessageHandler(_log)  # what Qt can not do without a screen is nobody's concern here

    try:
        files, lines = run_tour(folder)
    except KnitError as error:
        sys.stderr.write(f"knitground: {error}\n")
        return 2
    if "--json" in flags:
        sys.stdout.write(json.dumps([str(path) for path in files]) + "\n")
    else:
        sys.stdout.write("\n".join([*lines, *(f"  {path}" for path in files)]) + "\n")
    return 0


def _log(_kind: object, _context: object, message: str) -> None:
    logging.getLogger("knitground").info("Qt: %s", message)


def use_offscreen(folder: Path) -> None:
    """Give Qt a screen of 1280 × 800 in memory; must come before the application is made."""
    screen = {
        "name": "s0", "x": 0, "y": 0, "width": 1280, "height": 800,
        "logicalDpi": 96, "logicalBaseDpi": 96, "dpr": 1,
    }  # fmt: skip
    file = folder / ".screen.json"
    file.write_text(json.dumps({"screens": [screen]}), encoding="utf-8")
    os.environ["QT_QPA_PLATFORM"] = f"offscreen:configfile={file}"
