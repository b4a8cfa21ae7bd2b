"""Where the terrain of each kind of set stands: one object a kind, and nobody else has to ask.

A ground layer holds its terrain in one array of (height + 1, width + 1), whatever the kind:

- corner set: uint8, the mark on every vertex
- ring set: uint8, the mark on cell (row, column); the last row and column are not used
- edge set: uint16, the mark on the side north of cell (row, column) in the low byte, on the side
  west of it in the high byte
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.window import Box
from knitground.core.model.lattice import Lattice
from knitground.core.model.terrain import SetKind

Terrain = NDArray[Any]
"""(height + 1, width + 1), as a ground layer holds it."""
Mask = NDArray[np.bool_]


class Standing(ABC):
    """Where terrain stands."""

    kind: SetKind
    names: tuple[str, ...]
    """What the grids are called into which terrain is parted for files and games."""
    areas = True
    """Whether it can cover areas; what stands on sides goes along them only."""

    def places(self, height: int, width: int, *, wrap: bool) -> tuple[int, int]:
        """Give the rows and columns of places that a map of so many cells has, counted once."""
        del wrap
        return height, width

    def on_cells(self, box: Box, mask: Mask) -> tuple[Box, Mask]:
        """Give the places that lie on or round cells, as a box and a mask."""
        return box, mask

    def under(self, box: Box, mask: Mask) -> tuple[Box, Mask]:
        """Give the cells that lie between places."""
        return box, mask

    def within(self, cells: Mask, *, wrap: bool) -> Mask:
        """Tell which places touch cells of a mask only; the map's border counts as in it."""
        del wrap
        return cells

    def shown(self, lattice: Lattice) -> Mask | None:
        """Tell which places of terrain, (rows + 1, columns + 1), lie on or round cells.

        None: all of them. Of a set that has none but sides: those north or west of which.
        """
        return _shown(self.kind, lattice) if lattice.exists is not None else None

    def homes(self, lattice: Lattice) -> NDArray[np.intp] | None:
        """Give for each place the nearest one that is shown, counted row by row.

        What lies beyond the border of a map is as the nearest place inside. None: where that is
        told by rows and columns alone.
        """
        there = lattice.exists is not None and not lattice.wrap and self.areas
        return _homes(self.kind, lattice) if there else None

    @abstractmethod
    def grids(self, terrain: Terrain) -> tuple[Terrain, ...]:
        """Part terrain into grids of marks, each as large as there are such places."""

    @abstractmethod
    def from_grids(self, grids: Mapping[str, Terrain], *, wrap: bool) -> Terrain:
        """Make terrain of its grids, by name."""

    @abstractmethod
    def shapes(self, height: int, width: int) -> dict[str, tuple[int, int]]:
        """Give the rows and columns of each grid, of a map of so many cells."""

    @abstractmethod
    def own(self, terrain: Terrain, *, wrap: bool) -> Terrain:
        """Copy terrain without what stands there only because the map wraps, or did."""

    @abstractmethod
    def slots(self, terrain: Terrain) -> NDArray[np.uint8]:
        """Give what cells show at their corners or sides, or in the middle: (slots, h, w)."""

    @abstractmethod
    def value_at(self, terrain: Terrain, lattice: Lattice, x: float, y: float) -> int:
        """Give the mark that is nearest to a place of the map, in pixels."""

    def translated(self, terrain: Terrain, table: NDArray[np.uint8]) -> Terrain:
        """Give terrain with other marks: mark n becomes `table[n]`."""
        return table[terrain]

    def count(self, terrain: Terrain, mark: int) -> int:
        """Count the places of a mark."""
        return int((terrain == mark).sum())

    def same(self, terrain: Terrain) -> NDArray[np.uint32]:
        """Number cells by the terrain that they ask tiles for: equal numbers, equal ground."""
        out: NDArray[np.uint32] | None = None
        for each in self.slots(terrain):
            wide = each.astype(np.uint32)
            out = wide if out is None else out << np.uint32(8) | wide
        assert out is not None
        return out


@lru_cache(maxsize=16)
def _shown(kind: SetKind, lattice: Lattice) -> Mask:
    exists, standing = lattice.exists, standing_of(kind)
    assert exists is not None
    _, mask = standing.on_cells(Box(0, 0, *exists.shape), exists)
    out = np.zeros((exists.shape[0] + 1, exists.shape[1] + 1), np.bool_)
    out[: mask.shape[0], : mask.shape[1]] = mask
    if not standing.areas:
        out[1:] |= np.pad(exists, ((0, 0), (0, 1)))
        out[:, 1:] |= np.pad(exists, ((0, 1), (0, 0)))
    out.flags.writeable = False
    return out


@lru_cache(maxsize=16)
def _homes(kind: SetKind, lattice: Lattice) -> NDArray[np.intp]:
    from scipy.ndimage import distance_transform_edt  # late: slow to import

    shown = _shown(kind, lattice)
    rows, cols = distance_transform_edt(~shown, return_distances=False, return_indices=True)
    out: NDArray[np.intp] = (rows * shown.shape[1] + cols).astype(np.intp)
    out.flags.writeable = False
    return out


class _Corner(Standing):
    kind, names = SetKind.CORNER, ("vertices",)

    def places(self, height: int, width: int, *, wrap: bool) -> tuple[int, int]:
        return (height, width) if wrap else (height + 1, width + 1)

    def on_cells(self, box: Box, mask: Mask) -> tuple[Box, Mask]:
        wide = np.pad(mask, ((0, 1), (0, 1)))
        wide = wide | np.roll(wide, 1, 0) | np.roll(wide, 1, 1) | np.roll(wide, (1, 1), (0, 1))
        return Box(box.top, box.left, box.bottom + 1, box.right + 1), wide

    def under(self, box: Box, mask: Mask) -> tuple[Box, Mask]:
        bottom, right = max(box.top + 1, box.bottom - 1), max(box.left + 1, box.right - 1)
        cells = Box(box.top, box.left, bottom, right)
        return cells, np.ones((cells.height, cells.width), np.bool_)

    def within(self, cells: Mask, *, wrap: bool) -> Mask:
        if wrap:
            down, across = np.roll(cells, 1, 0), np.roll(cells, 1, 1)
            return cells & down & across & np.roll(cells, (1, 1), (0, 1))
        wide = np.pad(cells, 1, constant_values=True)
        near: Mask = wide[:-1, :-1] & wide[:-1, 1:] & wide[1:, :-1] & wide[1:, 1:]
        return near

    def grids(self, terrain: Terrain) -> tuple[Terrain, ...]:
        return (terrain,)

    def from_grids(self, grids: Mapping[str, Terrain], *, wrap: bool) -> Terrain:
        del wrap  # the file holds the last row and column too
        return grids["vertices"].astype(np.uint8)

    def shapes(self, height: int, width: int) -> dict[str, tuple[int, int]]:
        return {"vertices": (height + 1, width + 1)}

    def own(self, terrain: Terrain, *, wrap: bool) -> Terrain:
        out = terrain.copy()
        if wrap:
            out[-1], out[:, -1] = 0, 0
        return out

    def slots(self, terrain: Terrain) -> NDArray[np.uint8]:
        north, south = terrain[:-1], terrain[1:]
        corners = (north[:, :-1], north[:, 1:], south[:, :-1], south[:, 1:])
        return np.stack(corners).astype(np.uint8)

    def value_at(self, terrain: Terrain, lattice: Lattice, x: float, y: float) -> int:
        return int(terrain[lattice.vertex_at(x, y)])


class _Ring(Standing):
    kind, names = SetKind.RING, ("cells",)

    def grids(self, terrain: Terrain) -> tuple[Terrain, ...]:
        return (terrain[:-1, :-1],)

    def from_grids(self, grids: Mapping[str, Terrain], *, wrap: bool) -> Terrain:
        out = np.pad(grids["cells"].astype(np.uint8), ((0, 1), (0, 1)))
        return _closed(out) if wrap else out

    def shapes(self, height: int, width: int) -> dict[str, tuple[int, int]]:
        return {"cells": (height, width)}

    def own(self, terrain: Terrain, *, wrap: bool) -> Terrain:
        del wrap
        out = terrain.copy()
        out[-1], out[:, -1] = 0, 0
        return out

    def slots(self, terrain: Terrain) -> NDArray[np.uint8]:
        return terrain[:-1, :-1][None].astype(np.uint8)

    def value_at(self, terrain: Terrain, lattice: Lattice, x: float, y: float) -> int:
        return int(terrain[lattice.cell_at(x, y)])


class _Edge(Standing):
    kind, names = SetKind.EDGE, ("north", "west")
    areas = False

    def grids(self, terrain: Terrain) -> tuple[Terrain, ...]:
        north, west = (terrain & 255).astype(np.uint8), (terrain >> 8).astype(np.uint8)
        return north[:, :-1], west[:-1]

    def from_grids(self, grids: Mapping[str, Terrain], *, wrap: bool) -> Terrain:
        north, west = grids["north"].astype(np.uint16), grids["west"].astype(np.uint16)
        out = np.pad(north, ((0, 0), (0, 1))) | np.pad(west, ((0, 1), (0, 0))) << np.uint16(8)
        return _closed(out) if wrap else out

    def shapes(self, height: int, width: int) -> dict[str, tuple[int, int]]:
        return {"north": (height + 1, width), "west": (height, width + 1)}

    def own(self, terrain: Terrain, *, wrap: bool) -> Terrain:
        out = terrain.copy()
        if wrap:
            out[-1], out[:, -1] = 0, 0
        else:  # the far half of each number stands for nothing there
            out[-1] &= 0x00FF
            out[:, -1] &= 0xFF00
        return out

    def slots(self, terrain: Terrain) -> NDArray[np.uint8]:
        north, west = terrain & 255, terrain >> 8
        sides = (north[:-1, :-1], north[1:, :-1], west[:-1, :-1], west[:-1, 1:])
        return np.stack(sides).astype(np.uint8)

    def value_at(self, terrain: Terrain, lattice: Lattice, x: float, y: float) -> int:
        row, col = lattice.cell_at(x, y)
        across, down = lattice.within(x, y)
        sides = [
            (down, int(terrain[row, col] & 255)), (1 - down, int(terrain[row + 1, col] & 255)),
            (across, int(terrain[row, col] >> 8)), (1 - across, int(terrain[row, col + 1] >> 8)),
        ]  # fmt: skip
        return next((value for _, value in sorted(sides) if value), 0)

    def translated(self, terrain: Terrain, table: NDArray[np.uint8]) -> Terrain:
        low, high = table[terrain & 255].astype(np.uint16), table[terrain >> 8].astype(np.uint16)
        return np.asarray(low | (high << np.uint16(8)))

    def count(self, terrain: Terrain, mark: int) -> int:
        return int(((terrain & 255) == mark).sum() + ((terrain >> 8) == mark).sum())


def _closed(terrain: Terrain) -> Terrain:
    """Make the last row and column of a map that wraps equal to the first, in place."""
    terrain[-1], terrain[:, -1] = terrain[0], terrain[:, 0]
    return terrain


_ALL: dict[SetKind, Standing] = {each.kind: each for each in (_Corner(), _Ring(), _Edge())}


def standing_of(kind: SetKind) -> Standing:
    """Tell where the terrain of a kind of set stands."""
    return _ALL[kind]
