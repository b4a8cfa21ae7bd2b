"""A project: tilesets, mixes and maps in one folder."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import Annotated

from annotated_types import MaxLen

from knitground.core.model.excuse import Excuses
from knitground.core.model.limits import MAX_NAME, MAX_PARTS, MAX_SHEETS_BYTES, MAX_TRAY, Name
from knitground.core.model.map import Map
from knitground.core.model.mix import Mix
from knitground.core.model.patch import Patch
from knitground.core.model.profile import Profiles
from knitground.core.model.rules import RuleList
from knitground.core.model.shapes import FIRST_KINDS, ShapeKinds
from knitground.core.model.terrain import TerrainSet
from knitground.core.model.tileset import Tileset


@dataclass(eq=False)
class Project:
    """Everything that is saved together. `folder` is None until it has been saved once.

    `known` tells what the project's files held when they were last read or written, by their
    path: what is different now was changed by somebody else.
    """

    name: Name = "Untitled"
    folder: Path | None = None
    tilesets: Annotated[list[Tileset], MaxLen(MAX_PARTS)] = field(default_factory=list)
    mixes: Annotated[list[Mix], MaxLen(MAX_PARTS)] = field(default_factory=list)
    maps: Annotated[list[Map], MaxLen(MAX_PARTS)] = field(default_factory=list)
    rule_lists: Annotated[list[RuleList], MaxLen(MAX_PARTS)] = field(default_factory=list)
    shape_kinds: ShapeKinds = FIRST_KINDS
    tray: Annotated[list[Patch], MaxLen(MAX_TRAY)] = field(default_factory=list)
    excused: Excuses = ()
    profiles: Profiles = ()
    known: dict[str, str] = field(default_factory=dict, repr=False)

    @property
    def sheets_room(self) -> int:
        """Bytes that more sheets may take: those of one picture count once."""
        sheets = {id(each.picture): each.memory for each in self.tilesets}
        return MAX_SHEETS_BYTES - sum(sheets.values())

    def tileset_named(self, name: str) -> Tileset | None:
        """Return the tileset of that name, or None."""
        return next((each for each in self.tilesets if each.name == name), None)

    def map_named(self, name: str) -> Map | None:
        """Return the map of that name, or None."""
        return next((each for each in self.maps if each.name == name), None)

    def rules_named(self, name: str) -> RuleList | None:
        """Return the rule list of that name, or None."""
        return next((each for each in self.rule_lists if each.name == name), None)

    def set_of(self, tileset: str, set_name: str) -> tuple[Tileset, TerrainSet] | None:
        """Return a tileset and its terrain set by their names, or None."""
        owner = self.tileset_named(tileset)
        found = owner.set_named(set_name) if owner else None
        return (owner, found) if owner and found else None


def free_name(wanted: str, taken: list[str]) -> str:
    """Return the name itself, or with the first number that makes it the only one.

    What it returns is never longer than a name may be.

    Examples
    --------
    >>> free_name("Ground", ["Ground", "Ground 2"])
    'Ground 3'
    """
    name, number = wanted[:MAX_NAME], 2
    while name in taken:
        end = f" {number}"
        name, number = wanted[: MAX_NAME - len(end)] + end, number + 1
    return name
