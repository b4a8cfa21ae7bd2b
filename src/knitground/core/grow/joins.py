"""Which tiles may lie side by side: from marks, from the pixels of their sides, from an example."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import GrowError
from knitground.core.base.tongue import say
from knitground.core.grow.work import Work
from knitground.core.knit.fits import fitting
from knitground.core.knit.layer import marked_tiles
from knitground.core.model.layers import Layer
from knitground.core.model.project import Project
from knitground.core.model.solvestep import Pair, SolveFrom, SolveStep
from knitground.core.model.terrain import ANY, SetKind, Slot
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Tileset
from knitground.core.render.tiles import filled_tiles, tile_pixels

MAX_TILES = 2048
_SIDES = (Slot.N, Slot.E, Slot.S, Slot.W)


@dataclass(frozen=True, eq=False)
class Joins:
    """Tiles and how they join.

    Where blocks of more than one tile are kept to, each of the n is a block by its upper left tile,
    and a tile stands in the list once for each block that begins with it.

    Parameters
    ----------
    tiles, weights : (n,)
    right, down : (n, n) whether the second may lie right of, or below, the first
    ends : (4, n) whether a tile may lie at a closed border: N E S W
    ways : (4, n) whether one can go on from a tile over its side: N E S W; None is everywhere
    """

    tiles: list[TileRef]
    weights: NDArray[np.float64]
    right: NDArray[np.bool_]
    down: NDArray[np.bool_]
    ends: NDArray[np.bool_]
    ways: NDArray[np.bool_] | None = None


def joins_of(work: Work, step: SolveStep) -> Joins:
    """Learn how tiles join, as the step says.

    Raises
    ------
    GrowError
        The sheet, set or example is not there, or there are too few tiles or too many.
    """
    if step.source is SolveFrom.EXAMPLE:
        found = _from_example(work, step)
        if step.blocks > 1:
            found = _from_blocks(work, step, found)
    else:
        owner = work.project.tileset_named(step.tileset)
        if owner is None:
            raise GrowError(
                say(
                    "{number} lays tiles of sheet “{tileset}”, which is not there: choose another",
                    number=work.number,
                    tileset=step.tileset,
                )
            )
        by_marks = step.source is SolveFrom.MARKS
        found = _from_marks(work, step, owner) if by_marks else from_pixels(
            work.project, owner, step.tolerance
        )  # fmt: skip
    if not 1 <= len(found.tiles) <= MAX_TILES:
        raise GrowError(
            say(
                "{number} has {count} tiles to lay: it takes 1 to {max_tiles} with a weight over 0",
                number=work.number,
                count=len(found.tiles),
                max_tiles=MAX_TILES,
            )
        )
    if step.blocks == 1:
        _set_pairs(found, step.allowed, True)
    _set_pairs(found, step.forbidden, False)
    return found


def _set_pairs(joins: Joins, pairs: Iterable[Pair], fits: bool) -> None:
    """Let pairs of tiles join, or not, whatever was learnt."""
    for row, col, other_row, other_col, below in pairs:
        one = [n for n, t in enumerate(joins.tiles) if (t.row, t.col) == (row, col)]
        two = [n for n, t in enumerate(joins.tiles) if (t.row, t.col) == (other_row, other_col)]
        (joins.down if below else joins.right)[np.ix_(one, two)] = fits


def _weights(project: Project, tiles: list[TileRef]) -> NDArray[np.float64]:
    out = []
    for tile in tiles:
        owner = project.tileset_named(tile.tileset)
        fact = owner.fact(tile.row, tile.col) if owner else None
        out.append(0.0 if fact is None or fact.left_out else fact.weight)
    return np.array(out)


def _kept(joins: Joins) -> Joins:
    """Leave tiles out that are never to be laid."""
    keep = np.flatnonzero(joins.weights > 0)
    return Joins(
        [joins.tiles[n] for n in keep.tolist()], joins.weights[keep],
        joins.right[np.ix_(keep, keep)], joins.down[np.ix_(keep, keep)], joins.ends[:, keep],
        None if joins.ways is None else joins.ways[:, keep],
    )  # fmt: skip


def _from_marks(work: Work, step: SolveStep, owner: Tileset) -> Joins:
    kit = owner.set_named(step.set_name) or next(iter(owner.sets), None)
    if kit is None:
        raise GrowError(
            say(
                "{number}: “{name}” has no terrain set: make one, or join tiles by their pixels",
                number=work.number,
                name=owner.name,
            )
        )
    raw, tiles = marked_tiles(work.project, owner, kit)
    marks = raw.astype(np.int64)
    none = np.zeros((len(tiles), len(tiles)), np.bool_)
    right, down = none.copy(), none.copy()
    for n in range(len(tiles)):
        right[n] = fitting(kit.kind, marks[n], marks, Slot.E)
        down[n] = fitting(kit.kind, marks[n], marks, Slot.S)
    outer = {
        Slot.N: (Slot.NW, Slot.NE), Slot.E: (Slot.NE, Slot.SE), Slot.S: (Slot.SW, Slot.SE),
        Slot.W: (Slot.NW, Slot.SW),
    }  # fmt: skip
    ends = []
    for side in _SIDES:
        slots = outer[side] if kit.kind is SetKind.CORNER else (side,)
        ends.append(np.isin(marks[:, list(slots)], (0, ANY)).all(axis=1))
    ways = None
    if kit.kind is SetKind.EDGE:
        ways = np.stack([marks[:, side] > 0 for side in _SIDES])
    weights = _weights(work.project, tiles)
    return _kept(Joins(tiles, weights, right, down, np.stack(ends), ways))


def from_pixels(project: Project, owner: Tileset, tolerance: float) -> Joins:
    """Let tiles join whose outermost pixels are alike, within a mean difference of 0 to 255."""
    if owner.picture is None:
        raise GrowError(say("the sheet of “{name}” is missing: find it first", name=owner.name))
    filled = filled_tiles(owner)
    tiles = [TileRef(owner.name, int(r), int(c)) for r, c in np.argwhere(filled)]
    tiles = [t for t, w in zip(tiles, _weights(project, tiles)) if w > 0][: MAX_TILES + 1]
    pictures = [tile_pixels(owner, tile) for tile in tiles]
    size = (owner.slicing.tile_height, owner.slicing.tile_width)
    tiles = [t for t, p in zip(tiles, pictures) if p is not None and p.shape == size]
    stack = np.stack([p for p in pictures if p is not None and p.shape == size]) if tiles else (
        np.zeros((0, *size), np.uint32)
    )  # fmt: skip
    channels = np.stack([(stack >> shift & 255) for shift in (0, 8, 16, 24)], -1).astype(np.float32)
    north, south = channels[:, 0], channels[:, -1]
    west, east = channels[:, :, 0], channels[:, :, -1]
    ends = np.stack([(each[..., 3] == 0).all(axis=1) for each in (north, east, south, west)])
    right = _alike(east, west) <= tolerance
    down = _alike(south, north) <= tolerance
    return Joins(tiles, _weights(project, tiles), right, down, ends)


def _alike(one: NDArray[np.float32], other: NDArray[np.float32]) -> NDArray[np.float32]:
    """Mean difference of sides (n, length, 4) with each other: (n, n)."""
    a, b = one.reshape(len(one), -1), other.reshape(len(other), -1)
    out = np.empty((len(a), len(b)), np.float32)
    for n in range(len(a)):
        out[n] = np.abs(b - a[n]).mean(axis=1)
    return out


def _example(work: Work, step: SolveStep) -> Layer:
    if not step.example:
        raise GrowError(
            say(
                "{number} learns from an example: choose the layer that shows what may lie "
                "side by side",
                number=work.number,
            )
        )
    layer = work.map.layer_numbered(step.example)
    if not isinstance(layer, Layer) or not layer.holds_tiles or layer.number == step.layer:
        raise GrowError(
            say(
                "{number} learns from layer {example}, which is gone, has no tiles or is the "
                "one that it makes: choose another",
                number=work.number,
                example=step.example,
            )
        )
    return layer


def _from_blocks(work: Work, step: SolveStep, pairs: Joins) -> Joins:
    """Let lie only what lies on the example in blocks of 2 × 2 or 3 × 3, beyond its border too.

    Two blocks follow each other if they agree where they overlap; −1 is off the example.

    Notes
    -----
    The overlapping-windows form of texture by example, after A. Efros and T. Leung, 1999.
    """
    layer, side = _example(work, step), step.blocks
    cells = work.cells(layer)
    places = [work.map.legend.place(tile) for tile in pairs.tiles]
    number = np.full(len(work.map.legend) + 1, -2, np.int64)  # −2: nothing lies there
    number[places] = np.arange(len(places))
    grid = np.where(cells > 0, number[np.maximum(cells, 0)], -2)
    more = side - 1
    wide = np.pad(grid, ((0, more), (0, more)), mode="wrap") if work.goes_round else np.pad(
        grid, ((0, more), (0, more)), constant_values=-1
    )  # fmt: skip
    windows = np.lib.stride_tricks.sliding_window_view(wide, (side, side))
    flat = windows.reshape(-1, side * side)
    whole = (flat != -2).all(axis=1)
    blocks, first, counts = np.unique(flat[whole], axis=0, return_inverse=True, return_counts=True)
    if len(blocks) > MAX_TILES:
        raise GrowError(
            say(
                "{number}: “{name}” has {count} different blocks of {side} × {side}, "
                "{max_tiles} are the most: learn from pairs, or from a smaller example",
                number=work.number,
                name=layer.name,
                count=len(blocks),
                side=side,
                max_tiles=MAX_TILES,
            )
        )
    count = len(blocks)
    shaped = blocks.reshape(count, side, side)
    rows, cols = (each.ravel()[whole] for each in np.indices(grid.shape))
    ends = np.zeros((4, count), np.bool_)
    if not work.goes_round:
        for at, on in enumerate((rows == 0, cols == grid.shape[1] - 1, rows == grid.shape[0] - 1,
                                 cols == 0)):  # fmt: skip
            ends[at, first.ravel()[on]] = True
    right = _overlap(shaped[:, :, 1:], shaped[:, :, :-1])
    down = _overlap(shaped[:, 1:], shaped[:, :-1])
    tiles = [pairs.tiles[n] for n in shaped[:, 0, 0].tolist()]
    return Joins(tiles, counts.astype(np.float64), right, down, ends)


def _overlap(one: NDArray[np.int64], other: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Tell which parts of blocks are the same as which of others: (n, n)."""
    both = np.concatenate([one.reshape(len(one), -1), other.reshape(len(other), -1)])
    _, same = np.unique(both, axis=0, return_inverse=True)
    same = same.ravel()
    return np.asarray(same[: len(one), None] == same[None, len(one) :])


def _from_example(work: Work, step: SolveStep) -> Joins:
    layer = _example(work, step)
    cells = work.cells(layer)
    known = np.unique(cells[cells > 0])
    tiles = [tile for place in known.tolist() if (tile := work.map.legend.tile(place)) is not None]
    if not tiles:
        raise GrowError(
            say(
                "{number}: nothing lies on “{name}”: lay an example first",
                number=work.number,
                name=layer.name,
            )
        )
    number = np.full(len(work.map.legend) + 1, -1, np.int64)
    number[known] = np.arange(len(known))
    grid = np.where(cells > 0, number[np.maximum(cells, 0)], -1)
    count = len(tiles)
    right, down = (np.zeros((count, count), np.bool_) for _ in range(2))
    ends = np.zeros((4, count), np.bool_)
    for axis, pairs, low, high in ((1, right, 3, 1), (0, down, 0, 2)):
        there = np.roll(grid, -1, axis)
        if not work.goes_round:
            edge = [slice(None), slice(None)]
            edge[axis] = slice(-1, None)
            there[tuple(edge)] = -1
        both = (grid >= 0) & (there >= 0)
        pairs[grid[both], there[both]] = True
        ends[high, grid[(grid >= 0) & (there < 0)]] = True
        first = np.roll(grid, 1, axis)
        if not work.goes_round:
            edge = [slice(None), slice(None)]
            edge[axis] = slice(0, 1)
            first[tuple(edge)] = -1
        ends[low, grid[(grid >= 0) & (first < 0)]] = True
    weights = np.bincount(grid[grid >= 0], minlength=count).astype(np.float64)
    return Joins(tiles, weights, right, down, ends)
