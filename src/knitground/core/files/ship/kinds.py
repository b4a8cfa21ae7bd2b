"""The formats that maps are shipped in, and what those that ship a map share.

A format is a module that makes one `ShipFormat`, and a line in `FORMATS` (`ship.py`): the window's
check boxes, the command line's choices and the names that are looked at before anything is written
come from there.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Protocol

from knitground.core.base.progress import Progress, no_progress
from knitground.core.files.ship.names import ShipNames
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.render.atlas import Atlas


@dataclass(eq=False)
class ShipJob:
    """What is shipped: a project's maps, knitted, and what their formats share.

    `level` is 0 for pictures of full size, n for 1 / 2ⁿ of it.
    """

    project: Project
    names: ShipNames
    level: int = 0
    _atlases: dict[int, Atlas] = field(default_factory=dict)

    def atlas(self, map_: Map) -> Atlas:
        """Give the pictures of a map's tiles, drawn once for all formats."""
        if id(map_) not in self._atlases:
            self._atlases = {id(map_): Atlas(self.project, map_)}  # one map after the other
        return self._atlases[id(map_)]

    def stem(self, map_: Map) -> str:
        """Give what the names of a map's files begin with."""
        return self.names.maps[map_.name]


class MakesFiles(Protocol):
    """Makes the files of a map, by their names; the map is knitted."""

    def __call__(
        self, job: ShipJob, map_: Map, progress: Progress = no_progress
    ) -> dict[str, bytes]:
        """Make them."""


@dataclass(frozen=True)
class ShipFormat:
    """A format: what it is called, what it holds, its files and their names.

    Parameters
    ----------
    key : its name on the command line and in files
    title, hint : what people read
    usual : whether it is shipped where nobody says which
    has_scale : whether it asks for the scale of a picture
    names : every file that may be written of a map
    """

    key: str
    title: str
    hint: str
    names: Callable[[ShipJob, Map], list[str]]
    files: MakesFiles
    usual: bool = False
    has_scale: bool = False
