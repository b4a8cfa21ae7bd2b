"""Sets of a finished picture: the tiles that it is laid of, and which of them lie beside which.

The likely sets of the tiles give first marks. Then every corner, or side, of the picture is asked:
the tiles that meet there must show the same terrain, so they vote; and a tile that is outvoted
nearly everywhere it lies is marked as its neighbours say. (Own arrangement.)
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.progress import Progress, no_progress
from knitground.core.knit.likelysets import SetGuess, find_sets
from knitground.core.knit.ring import RING_BITS, STEPS, reduced
from knitground.core.model.terrain import NOTHING, SLOTS, SetKind, Slot

Numbers = NDArray[np.int32]
Terrain = NDArray[np.uint8] | NDArray[np.uint16]
Votes = Callable[[NDArray[np.uint8], NDArray[np.bool_], Numbers], tuple[Terrain, NDArray[np.uint8]]]
"""From marks by tile, which tiles are of the set, and cells: the terrain, and the marks wanted."""
_LEAST_SCORE = 0.5
KNITTED_FROM = 0.5
"""A picture becomes a ground layer if so much of it follows from terrain; else a layer of tiles."""
_ROUNDS, _AGREE, _OFTEN = 4, 0.75, 2
"""A mark is changed if of so many places where the tile lies this part says so."""
_MOST_TILES = 4096
_MET = 4
"""Vertices at which two sets have to meet before they can be one."""
_RARE, _UNLIKE, _PARTS = 8, 20.0, 4
_CORNERS = {Slot.NW: (0, 0), Slot.NE: (0, 1), Slot.SW: (1, 0), Slot.SE: (1, 1)}
_SIDES = {Slot.N: (0, 0, 0), Slot.S: (1, 0, 0), Slot.W: (0, 0, 1), Slot.E: (0, 1, 1)}
"""Row and column further on, and whether the side is a cell's north (0) or west one (1)."""


@dataclass(frozen=True, eq=False)
class LaidSet:
    """A set of a picture's tiles, and the terrain that the picture shows.

    `guess` has its tiles at row and column of a sheet of `columns` tiles a row, `terrain` is what a
    ground layer of the picture's size holds, and `knitted` (rows, columns) tells the cells whose
    tile shows just that, and `share` which part of all they are: the others have to be pinned.
    `apart` are numbers of tiles that lie far less often than others with the same marks, or look
    unlike them: something stands on them, or a terrain was not seen; they stay where they are, and
    are laid nowhere else.
    """

    guess: SetGuess
    columns: int
    terrain: Terrain
    knitted: NDArray[np.bool_]
    share: float
    apart: frozenset[int] = frozenset()


def laid_sets(
    tiles: NDArray[np.uint8],
    tile_of_cell: Numbers,
    columns: int,
    progress: Progress = no_progress,
    there: NDArray[np.bool_] | None = None,
) -> list[LaidSet]:
    """Find the sets of a picture, the one that covers most of it first.

    Parameters
    ----------
    tiles : (n, h, w, 4), the different tiles of the picture
    tile_of_cell : (rows, columns), from 1; 0 where nothing is seen. Of a staggered map it is the
        array that the map is kept in
    columns : tiles a row of the sheet that they are to be laid on
    there : (rows, columns) which cells the map has; by default all of them
    """
    if not 0 < len(tiles) <= _MOST_TILES:
        return []
    places = [divmod(n, columns) for n in range(len(tiles))]
    found = [g for g in find_sets(tiles, places, progress) if g.score >= _LEAST_SCORE]
    out = []
    while found:
        guess = found.pop(0)
        for other in list(found):
            joined = _joined(guess, other, tile_of_cell, columns)
            if joined is not None:
                guess = joined
                found.remove(other)
        out.append(_laid(guess, tiles, tile_of_cell, columns, there))
    return sorted(out, key=lambda each: -each.share)


def _numbers(guess: SetGuess, columns: int) -> list[int]:
    """The numbers of a set's tiles in the cells, from 1."""
    return [row * columns + col + 1 for row, col in guess.places]


def _by_number(
    guess: SetGuess, count: int, columns: int
) -> tuple[NDArray[np.uint8], NDArray[np.bool_]]:
    """Marks of tiles by number, and which are of the set: (count + 1, 9) and (count + 1,)."""
    marks, own = np.zeros((count + 1, SLOTS), np.uint8), np.zeros(count + 1, np.bool_)
    numbers = _numbers(guess, columns)
    marks[numbers], own[numbers] = guess.marks, True
    return marks, own


def _joined(one: SetGuess, two: SetGuess, cells: Numbers, columns: int) -> SetGuess | None:
    """Two corner sets as one, if where their tiles meet they have terrains in common.

    Terrain n of the second is terrain m of the first if nearly all vertices where the second says n
    and the first says anything are m there. None if no terrain is both's.
    """
    if not one.kind is two.kind is SetKind.CORNER or min(one.terrains, two.terrains) < 2:
        return None
    votes = [_votes_of(each, cells, columns) for each in (one, two)]
    both = (votes[0].sum(axis=2) > 0) & (votes[1].sum(axis=2) > 0)
    pairs = np.zeros((two.terrains + 1, one.terrains + 1), np.int64)
    np.add.at(pairs, (votes[1][both].argmax(axis=1), votes[0][both].argmax(axis=1)), 1)
    table = np.zeros(256, np.uint8)
    table[:] = np.arange(256)
    plain = list(one.plain)
    common = 0
    for n in range(1, two.terrains + 1):
        same = int(pairs[n].argmax())
        if same and pairs[n, same] >= _MET and pairs[n, same] >= _AGREE * pairs[n].sum():
            table[n] = same
            common += 1
        else:
            plain.append(two.plain[n - 1])
            table[n] = len(plain)
    if not common or len(set(table[1 : two.terrains + 1].tolist())) < two.terrains:
        return None
    marks = np.concatenate([one.marks, table[two.marks]])
    places = [*one.places, *two.places]
    slots = [int(slot) for slot in SetKind.CORNER.slots]
    combinations = len(np.unique(marks[:, slots], axis=0))
    score = min(one.score, two.score)
    return SetGuess(one.kind, places, marks, len(plain), tuple(plain), combinations, score)


def _votes_of(guess: SetGuess, cells: Numbers, columns: int) -> NDArray[np.int32]:
    """How often tiles of a set show each terrain at each vertex: (rows + 1, columns + 1, n + 1)."""
    marks, own = _by_number(guess, max(int(cells.max()), max(_numbers(guess, columns))), columns)
    return _vertex_votes(marks, own, cells, guess.terrains + 1)


def _laid(
    guess: SetGuess,
    tiles: NDArray[np.uint8],
    cells: Numbers,
    columns: int,
    there: NDArray[np.bool_] | None,
) -> LaidSet:
    count = len(tiles)
    marks, own = _by_number(guess, count, columns)
    ways: dict[SetKind, Votes] = {
        SetKind.CORNER: _vertices, SetKind.EDGE: _sides, SetKind.RING: _cells
    }  # fmt: skip
    work = ways[guess.kind]
    for _ in range(_ROUNDS):
        terrain, wanted = work(marks, own, cells)
        changed = _outvoted(marks, own, cells, wanted, guess.kind)
        if (changed == marks).all():
            break
        marks = changed
    terrain, wanted = work(marks, own, cells)
    slots = [int(slot) for slot in guess.kind.slots]
    shown = marks[cells]
    if guess.kind is SetKind.RING:
        fits = (_reduced(shown) == _reduced(wanted)) & own[cells]
    else:
        fits = (shown[..., slots] == wanted[..., slots]).all(axis=2) & own[cells]
    numbers = _numbers(guess, columns)
    better = replace(guess, marks=marks[numbers])
    counts = np.bincount(cells.ravel(), minlength=count + 1)
    apart = _apart(numbers, better.marks, counts, _looks(tiles))
    fits &= ~np.isin(cells, list(apart))
    share = float(fits.mean() if there is None else fits[there].mean())
    return LaidSet(better, columns, terrain, fits, share, apart)


def _looks(tiles: NDArray[np.uint8]) -> NDArray[np.float64]:
    """What tiles look like from afar: the means of 4 × 4 parts, (n, 16, 4), alpha applied."""
    pixels = tiles.astype(np.float64)
    pixels[..., :3] *= pixels[..., 3:] / 255
    rows = np.linspace(0, tiles.shape[1], _PARTS + 1).astype(int)[:-1]
    cols = np.linspace(0, tiles.shape[2], _PARTS + 1).astype(int)[:-1]
    sums = np.add.reduceat(np.add.reduceat(pixels, rows, axis=1), cols, axis=2)
    area = np.outer(np.diff([*rows, tiles.shape[1]]), np.diff([*cols, tiles.shape[2]]))
    means = sums / np.maximum(area, 1)[None, :, :, None]
    return np.asarray(means.reshape(len(tiles), -1, 4))


def _apart(
    numbers: list[int],
    marks: NDArray[np.uint8],
    counts: NDArray[np.intp],
    looks: NDArray[np.float64],
) -> frozenset[int]:
    """Tiles that are no variants of the commonest one with their marks."""
    commonest: dict[bytes, int] = {}
    for number, own in zip(numbers, marks):
        key = own.tobytes()
        if key not in commonest or counts[number] > counts[commonest[key]]:
            commonest[key] = number
    out = set()
    for number, own in zip(numbers, marks):
        first = commonest[own.tobytes()]
        gap = ((looks[number - 1] - looks[first - 1]) ** 2).mean(axis=1)
        unlike = max(np.sqrt(gap.mean()), np.sqrt(gap.max()) / 2)
        if int(counts[number]) * _RARE <= int(counts[first]) or unlike > _UNLIKE:
            out.add(number)
    return frozenset(out)


def _outvoted(
    marks: NDArray[np.uint8],
    own: NDArray[np.bool_],
    cells: Numbers,
    wanted: NDArray[np.uint8],
    kind: SetKind,
) -> NDArray[np.uint8]:
    """Marks as most places of a tile want them."""
    out = marks.copy()
    count = len(marks)
    most = int(max(wanted.max(), marks.max())) + 1
    slots = STEPS if kind is SetKind.RING else kind.slots
    flat = cells.ravel()
    for slot in slots:
        votes = np.zeros((count, most), np.int64)
        np.add.at(votes, (flat, wanted[..., int(slot)].ravel()), 1)
        total = votes.sum(axis=1)
        best = votes.argmax(axis=1)
        sure = own & (total >= _OFTEN) & (votes.max(axis=1) >= _AGREE * total)
        out[sure, int(slot)] = best[sure]
    if kind is not SetKind.RING:  # a tile without any mark would be of no set
        blank = own & ~out[:, [int(slot) for slot in slots]].any(axis=1)
        out[blank] = marks[blank]
    return out


def _vertices(
    marks: NDArray[np.uint8], own: NDArray[np.bool_], cells: Numbers
) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
    """Terrain of every vertex by the votes of the tiles round it, and what that asks of a cell."""
    high, wide = cells.shape
    votes = _vertex_votes(marks, own, cells, int(marks.max()) + 1)
    terrain = votes.argmax(axis=2).astype(np.uint8)
    wanted = np.zeros((high, wide, SLOTS), np.uint8)
    for slot, (down, right) in _CORNERS.items():
        wanted[..., int(slot)] = terrain[down : down + high, right : right + wide]
    return terrain, wanted


def _vertex_votes(
    marks: NDArray[np.uint8], own: NDArray[np.bool_], cells: Numbers, most: int
) -> NDArray[np.int32]:
    high, wide = cells.shape
    votes = np.zeros((high + 1, wide + 1, most), np.int32)
    at = np.argwhere(own[cells])
    held = cells[at[:, 0], at[:, 1]]
    for slot, (down, right) in _CORNERS.items():
        np.add.at(votes, (at[:, 0] + down, at[:, 1] + right, marks[held, int(slot)]), 1)
    return votes


def _sides(
    marks: NDArray[np.uint8], own: NDArray[np.bool_], cells: Numbers
) -> tuple[NDArray[np.uint16], NDArray[np.uint8]]:
    """Terrain of every side by the two tiles beside it: in the low byte north, in the high west."""
    high, wide = cells.shape
    most = int(marks.max()) + 1
    votes = np.zeros((2, high + 1, wide + 1, most), np.int32)
    at = np.argwhere(own[cells])
    held = cells[at[:, 0], at[:, 1]]
    for slot, (down, right, which) in _SIDES.items():
        np.add.at(votes[which], (at[:, 0] + down, at[:, 1] + right, marks[held, int(slot)]), 1)
    both = votes.argmax(axis=3).astype(np.uint16)
    wanted = np.zeros((high, wide, SLOTS), np.uint8)
    for slot, (down, right, which) in _SIDES.items():
        wanted[..., int(slot)] = both[which, down : down + high, right : right + wide]
    return both[0] | (both[1] << np.uint16(8)), wanted


def _cells(
    marks: NDArray[np.uint8], own: NDArray[np.bool_], cells: Numbers
) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
    """Cells whose tile is of the set, and which of their neighbours are too."""
    high, wide = cells.shape
    there = own[cells]
    terrain = np.zeros((high + 1, wide + 1), np.uint8)
    terrain[:high, :wide] = there
    wanted = np.zeros((high, wide, SLOTS), np.uint8)
    wanted[..., int(Slot.MIDDLE)] = there
    padded = np.pad(there, 1)
    for slot, (down, right) in STEPS.items():
        wanted[..., int(slot)] = padded[1 + down : 1 + down + high, 1 + right : 1 + right + wide]
    return terrain, wanted


_REDUCED = np.array([reduced(n) for n in range(256)], np.uint8)


def _reduced(marks: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """The bits of a ring's marks (…, 9) that count."""
    bits = np.zeros(marks.shape[:-1], np.uint8)
    for n, slot in enumerate(RING_BITS):
        bits |= (marks[..., int(slot)] != NOTHING).astype(np.uint8) << np.uint8(n)
    return np.asarray(_REDUCED[bits])
