"""A project: tilesets, mixes and maps in one folder."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

from knitground.core.model.map import Map
from knitground.core.model.mix import Mix
from knitground.core.model.patch import Patch
from knitground.core.model.terrain import TerrainSet
from knitground.core.model.tileset import Tileset


@dataclass(eq=False)
class Project:
    """Everything that is saved together. `folder` is None until it has been saved once."""

    name: str = "Untitled"
    folder: Path | None = None
    tilesets: list[Tileset] = field(default_factory=list)
    mixes: list[Mix] = field(default_factory=list)
    maps: list[Map] = field(default_factory=list)
    tray: list[Patch] = field(default_factory=list)

    def tileset_named(self, name: str) -> Tileset | None:
        """Return the tileset of that name, or None."""
        return next((each for each in self.tilesets if each.name == name), None)

    def map_named(self, name: str) -> Map | None:
        """Return the map of that name, or None."""
        return next((each for each in self.maps if each.name == name), None)

    def set_of(self, tileset: str, set_name: str) -> tuple[Tileset, TerrainSet] | None:
        """Return a tileset and its terrain set by their names, or None."""
        owner = self.tileset_named(tileset)
        found = owner.set_named(set_name) if owner else None
        return (owner, found) if owner and found else None


def free_name(wanted: str, taken: list[str]) -> str:
    """Return the name itself, or with the first number that makes it the only one.

    Examples
    --------
    >>> free_name("Ground", ["Ground", "Ground 2"])
    'Ground 3'
    """
    name, number = wanted, 2
    while name in taken:
        name, number = f"{wanted} {number}", number + 1
    return name
