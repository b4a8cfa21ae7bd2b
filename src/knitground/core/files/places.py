"""Names and places of files inside a project's folder."""

from __future__ import annotations

from pathlib import Path, PurePosixPath

from knitground.core.base.errors import PlaceError
from knitground.core.base.tongue import say

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
        raise PlaceError(
            say("“{name}” leads out of the project's folder: name a file inside it", name=name)
        )
    path = folder / pure
    try:
        stays = path.resolve().is_relative_to(folder.resolve())
    except (OSError, RuntimeError, ValueError) as error:
        raise PlaceError(
            say("“{name}” is not the name of a file: it can not be found", name=name[:80])
        ) from error
    if not stays:
        raise PlaceError(
            say("“{name}” is a link out of the project's folder: put the file inside it", name=name)
        )
    return path
