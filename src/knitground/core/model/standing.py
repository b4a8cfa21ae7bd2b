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
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.window import Box
from knitground.core.model.lattice import Lattice, Staggered
from knitground.core.model.terrain import SetKind

Terrain = NDArray[Any]
"""(height + 1, width + 1), as a ground layer holds it."""
Mask = NDArray[np.bool_]


@dataclass(frozen=True)
class Homes:
    """Where on the map terrain is looked up that counts for a place the map may not have.

    `lattice`: of a map that wraps aslant: what is seen there. Else `nearest`, (rows + 1, columns +
    1), counted row by row: what lies beyond the border of a map is as the nearest place inside.
    """

    lattice: Lattice
    nearest: NDArray[np.intp] | None = None

    def of(self, box: Box) -> NDArray[np.intp]:
        """Give for each place of a box the one that counts for it, counted row by row: (h, w)."""
        rows, cols = np.arange(box.top, box.bottom), np.arange(box.left, box.right)
        if self.nearest is not None:
            high, wide = self.nearest.shape
            return self.nearest[np.ix_(np.clip(rows, 0, high - 1), np.clip(cols, 0, wide - 1))]
        assert isinstance(self.lattice, Staggered)
        at = self.lattice.seen_at(*np.broadcast_arrays(rows[:, None], cols[None]))
        return at[0] * (self.lattice.columns + 1) + at[1]

    def read(self, terrain: Terrain, box: Box) -> Terrain:
        """Copy the terrain (rows + 1, columns + 1) that counts for the places of a box."""
        return np.asarray(terrain.reshape(-1)[self.of(box)])


class Standing(ABC):
    """Where terrain stands."""

    kind: SetKind
    names: tuple[str, ...]
    """What the grids are called into which terrain is parted for files and games."""
    areas = True
    """Whether it can cover areas; what stands on sides goes along them only."""

    def places(self, lattice: Lattice) -> tuple[int, int]:
        """Give the rows and columns of places that a map has in the array, counted once."""
        return lattice.rows, lattice.columns

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

    def homes(self, lattice: Lattice) -> Homes | None:
        """Tell which places count for those that the map has not; None: rows and columns tell."""
        if lattice.exists is None:
            return None
        if lattice.wrap:
            return Homes(lattice)
        return Homes(lattice, _nearest(self.kind, lattice)) if self.areas else None

    @abstractmethod
    def grids(self, terrain: Terrain) -> tuple[Terrain, ...]:
        """Part terrain into grids of marks, each as large as there are such places."""

    @abstractmethod
    def from_grids(self, grids: Mapping[str, Terrain], lattice: Lattice) -> Terrain:
        """Make terrain of its grids, by name."""

    @abstractmethod
    def shapes(self, height: int, width: int) -> dict[str, tuple[int, int]]:
        """Give the rows and columns of each grid, of a map of so many cells."""

    def own(self, terrain: Terrain, lattice: Lattice) -> Terrain:
        """Copy terrain without what stands there only because the map wraps, or did."""
        out = self._own(terrain.copy(), wrap=lattice.torus is not None)
        if lattice.wrap and lattice.exists is not None:
            out[~np.pad(lattice.exists, ((0, 1), (0, 1)))] = 0
        return out

    @abstractmethod
    def _own(self, terrain: Terrain, *, wrap: bool) -> Terrain:
        """Take away what stands for nothing in the last row and column, in place."""

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
def _nearest(kind: SetKind, lattice: Lattice) -> NDArray[np.intp]:
    from scipy.ndimage import distance_transform_edt  # late: slow to import

    shown = _shown(kind, lattice)
    rows, cols = distance_transform_edt(~shown, return_distances=False, return_indices=True)
    out: NDArray[np.intp] = (rows * shown.shape[1] + cols).astype(np.intp)
    out.flags.writeable = False
    return out


class _Corner(Standing):
    kind, names = SetKind.CORNER, ("vertices",)

    def places(self, lattice: Lattice) -> tuple[int, int]:
        return lattice.torus or (lattice.rows + 1, lattice.columns + 1)

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

    def from_grids(self, grids: Mapping[str, Terrain], lattice: Lattice) -> Terrain:
        return close_seam(grids["vertices"].astype(np.uint8), lattice)

    def shapes(self, height: int, width: int) -> dict[str, tuple[int, int]]:
        return {"vertices": (height + 1, width + 1)}

    def _own(self, terrain: Terrain, *, wrap: bool) -> Terrain:
        if wrap:
            terrain[-1], terrain[:, -1] = 0, 0
        return terrain

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

    def from_grids(self, grids: Mapping[str, Terrain], lattice: Lattice) -> Terrain:
        out = np.zeros((lattice.rows + 1, lattice.columns + 1), np.uint8)
        out[:-1, :-1] = grids["cells"]
        return close_seam(out, lattice)

    def shapes(self, height: int, width: int) -> dict[str, tuple[int, int]]:
        return {"cells": (height, width)}

    def _own(self, terrain: Terrain, *, wrap: bool) -> Terrain:
        del wrap
        terrain[-1], terrain[:, -1] = 0, 0
        return terrain

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

    def from_grids(self, grids: Mapping[str, Terrain], lattice: Lattice) -> Terrain:
        out = np.zeros((lattice.rows + 1, lattice.columns + 1), np.uint16)
        out[:-1] = grids["west"]
        out <<= np.uint16(8)
        out[:, :-1] |= grids["north"].astype(np.uint8, copy=False)
        return close_seam(out, lattice)

    def shapes(self, height: int, width: int) -> dict[str, tuple[int, int]]:
        return {"north": (height + 1, width), "west": (height, width + 1)}

    def _own(self, terrain: Terrain, *, wrap: bool) -> Terrain:
        if wrap:
            terrain[-1], terrain[:, -1] = 0, 0
        else:  # the far half of each number stands for nothing there
            terrain[-1] &= 0x00FF
            terrain[:, -1] &= 0xFF00
        return terrain

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


def close_seam(terrain: Terrain, lattice: Lattice) -> Terrain:
    """Make what stands beyond the border of a map equal to what is seen there, in place.

    Only a map that wraps has anything there: its last row and column, which meet the first, or the
    corners and sides round its cells that are those of others.
    """
    if lattice.torus is not None:
        terrain[-1], terrain[:, -1] = terrain[0], terrain[:, 0]
    elif lattice.wrap:
        beyond, at = _seam(lattice)
        terrain.flat[beyond] = terrain.flat[at]
    return terrain


@lru_cache(maxsize=16)
def _seam(lattice: Lattice) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Give the places round cells that are those of others, and which: counted row by row."""
    assert isinstance(lattice, Staggered)
    assert lattice.exists is not None
    there = np.pad(lattice.exists, ((0, 1), (0, 1)))
    rows, cols = np.nonzero(_shown(SetKind.CORNER, lattice) & ~there)
    at = lattice.seen_at(rows, cols)
    wide = lattice.columns + 1
    return rows * wide + cols, at[0] * wide + at[1]


_ALL: dict[SetKind, Standing] = {each.kind: each for each in (_Corner(), _Ring(), _Edge())}


def standing_of(kind: SetKind) -> Standing:
    """Tell where the terrain of a kind of set stands."""
    return _ALL[kind]
