"""Names of shipped files: two things never write one file, and none of a project's own."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from knitground.core.base.filenames import file_names
from knitground.core.files.images import relief_name
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.tileset import Tileset


@dataclass(frozen=True)
class ShipNames:
    """Stem of each map's files, and name of each sheet's, by the names of maps and tilesets.

    `reliefs`: the names of the sheets' reliefs, of those that have one.
    """

    maps: dict[str, str]
    sheets: dict[str, str]
    reliefs: dict[str, str]

    @property
    def shared(self) -> set[str]:
        """The files that several maps write, each of them the same."""
        return {*self.sheets.values(), *self.reliefs.values()}


def ship_names(project: Project, maps: Sequence[Map]) -> ShipNames:
    """Give every map and every sheet of a project a name of its own, also those not shipped now.

    A name stays what it is whatever else comes: of two alike the first one of the project keeps
    it, and sheets have an ending that no map has.
    """
    own = list(dict.fromkeys([*(each.name for each in project.maps), *(m.name for m in maps)]))
    sheets = _one_by_one([each.name for each in project.tilesets], ".tiles.png")
    reliefs = {each.name: relief_name(sheets[each.name]) for each in project.tilesets
               if each.relief is not None}  # fmt: skip
    return ShipNames(_one_by_one(own, ""), sheets, reliefs)


def _one_by_one(names: Sequence[str], ending: str) -> dict[str, str]:
    out: dict[str, str] = {}
    for name in names:
        out[name] = file_names([name], ending, out.values())[0]
    return out


def used_sheets(project: Project, names: set[str]) -> list[Tileset]:
    """List the tilesets of these names, in the project's order."""
    return [each for each in project.tilesets if each.name in names]
