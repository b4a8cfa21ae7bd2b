"""The door for scripts and notebooks: what a person does in the window, with the same result.

Places are always (row, column), sizes (height, width), from 0; points of markers are (x, y) in
pixels. `docs/scripting.md` shows a map made from a picture. Everything that changes a project is a
step that `undo` takes back; whatever is refused raises a `KnitError` that says why. What takes long
tells a `progress` function the part done; it may raise `Cancelled`, and nothing has changed.
"""

from __future__ import annotations

from pathlib import Path

from knitground.api.checks import path_of
from knitground.api.layer import LayerDoor
from knitground.api.map import Growth, MapDoor
from knitground.api.pictures import side_by_side
from knitground.api.project import ProjectDoor
from knitground.api.sheet import SetDoor, SheetDoor
from knitground.core.base.errors import Cancelled, KnitError
from knitground.core.files.opening import open_project as _open_project
from knitground.core.files.ship.png import MapPicture
from knitground.core.model.project import Project
from knitground.core.model.slicing import Slicing

__all__ = ["Cancelled", "Growth", "KnitError", "LayerDoor", "MapDoor", "MapPicture", "ProjectDoor",
           "SetDoor", "SheetDoor", "Slicing", "new", "open", "side_by_side"]  # fmt: skip


def new() -> ProjectDoor:
    """Begin an empty project."""
    return ProjectDoor(Project())


def open(folder: str | Path) -> ProjectDoor:
    """Open a project's folder, or its project.knit.json."""
    return ProjectDoor(_open_project(path_of(folder)).project)


def __dir__() -> list[str]:
    return __all__
