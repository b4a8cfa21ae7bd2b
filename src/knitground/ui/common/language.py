"""Which language the window speaks: the one that was chosen, else that of the desktop.

Texts in tables are made while modules are imported, so this comes before any of those: nothing is
imported here that says anything. Another language is spoken when the program is started again.
"""

from __future__ import annotations

import json
import os
from pathlib import Path

from platformdirs import user_config_path

from knitground.core.base.tongue import ENGLISH, languages, speak

NAMES = {ENGLISH: "English", "de": "Deutsch"}
"""Languages by their two letters, as they call themselves."""
KEY = "language"
"""Under which the chosen one is kept; "" is that of the desktop."""


def memory_file(folder: Path | None = None) -> Path:
    """Give the file of what is remembered between runs, in the person's own folder or another."""
    return (folder or user_config_path("Knit Ground", appauthor=False)) / "memory.json"


def begin_to_speak() -> None:
    """Speak the language of the person from now on."""
    speak(_chosen() or of_desktop())


def of_desktop() -> str:
    """Give the first language of the desktop that there is, English if there is none."""
    for name in ("LANGUAGE", "LC_ALL", "LC_MESSAGES", "LANG"):
        for each in filter(None, os.environ.get(name, "").split(":")):
            language = each.replace("-", "_").partition("_")[0].partition(".")[0].lower()
            if language in languages() or name != "LANGUAGE":
                return language if language in languages() else ENGLISH
    return ENGLISH


def _chosen() -> str:
    try:
        kept = json.loads(memory_file().read_text(encoding="utf-8"))[KEY]
    except (OSError, ValueError, RecursionError, KeyError, TypeError, IndexError):
        return ""
    return kept if isinstance(kept, str) and kept in languages() else ""
