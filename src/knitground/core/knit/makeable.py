"""What the tiles of a set give of those that it lacks."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from knitground.core.knit.bridge import build_graph
from knitground.core.knit.coverage import cover
from knitground.core.knit.keys import Key
from knitground.core.knit.layer import marked_tiles, set_table
from knitground.core.knit.making import Made, Tiles, make_tiles
from knitground.core.model.lattice import Diamond, Lattice
from knitground.core.model.project import Project
from knitground.core.model.terrain import Marks, TerrainSet
from knitground.core.model.tileset import Tileset
from knitground.core.slicing.base import base_of
from knitground.core.slicing.grid import cut_tile


@dataclass(frozen=True, eq=False)
class Makeable:
    """The marked tiles of a set, and the combinations that no tile shows.

    Parameters
    ----------
    tiles : (n, h, w, 4) uint8, straight alpha, those of the size of the set's own sheet
    marks : (n, 9)
    lattice : of pictures that stand on diamonds: seen from one side they are mirrored only
    """

    kit: TerrainSet
    tiles: Tiles
    marks: Marks
    missing: list[Key]
    lattice: Lattice | None = None

    def made(self, *, turn: bool, mirror: bool, join: bool) -> list[Made]:
        """Make what is missing, in the ways that the art allows."""
        flat = self.lattice is None
        return make_tiles(
            self.kit.kind, self.tiles, self.marks, self.missing, turn=turn and flat, mirror=mirror,
            join=join and flat, lattice=self.lattice,
        )  # fmt: skip


def makeable(project: Project, owner: Tileset, kit: TerrainSet) -> Makeable:
    """Gather the tiles of a set, and what it lacks."""
    table, _ = set_table(project, owner, kit)
    missing = [each.key for each in cover(table, kit, build_graph(table)).missing]
    marks, tiles = marked_tiles(project, owner, kit)
    owners = {each.name: each for each in project.tilesets}
    size = (owner.slicing.tile_height, owner.slicing.tile_width)
    pictures, kept = [], []
    for number, tile in enumerate(tiles):
        source = owners[tile.tileset]
        if source.picture is None:
            continue
        picture = cut_tile(source.picture, source.slicing, tile.row, tile.col)
        if picture.shape[:2] == size:
            pictures.append(picture)
            kept.append(number)
    stack = np.stack(pictures) if pictures else np.zeros((0, *size, 4), np.uint8)
    base = base_of(owner)
    lattice = Diamond(1, 1, base.height, base.width) if base is not None else None
    return Makeable(kit, stack, marks[kept], missing, lattice)
