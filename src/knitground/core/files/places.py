"""Names and places of files inside a project's folder."""

from __future__ import annotations

import re
import unicodedata
from pathlib import Path, PurePosixPath

from knitground.core.base.errors import PlaceError

PROJECT_NAME = "project.knit.json"


def inside(folder: Path, name: str) -> Path:
    """Return the path of a file named in a project, which must lie inside its folder.

    Raises
    ------
    PlaceError
        The name is absolute, climbs out of the folder, or a link in it leads out.
    """
    pure = PurePosixPath(name)
    if pure.is_absolute() or ".." in pure.parts or "\\" in name or "\0" in name or not pure.parts:
        raise PlaceError(f"“{name}” leads out of the project's folder: name a file inside it")
    path = folder / pure
    if not path.resolve().is_relative_to(folder.resolve()):
        raise PlaceError(f"“{name}” is a link out of the project's folder: put the file inside it")
    return path


def file_stem(name: str) -> str:
    """Make a file's stem out of a name.

    Examples
    --------
    >>> file_stem("Harbour pans"), file_stem("../…")
    ('harbour-pans', 'unnamed')
    """
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode()
    stem = re.sub(r"[^a-z0-9]+", "-", plain.lower()).strip("-")[:80]
    return stem or "unnamed"


def file_names(names: list[str], ending: str) -> list[str]:
    """Give each name a file name of its own, in order."""
    taken: set[str] = set()
    out = []
    for name in names:
        stem, number = file_stem(name), 1
        while (file := f"{stem}{'' if number == 1 else f'-{number}'}{ending}") in taken:
            number += 1
        taken.add(file)
        out.append(file)
    return out
