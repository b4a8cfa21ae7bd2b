"""Making missing tiles: existing ones turned or mirrored, or joined from quarters of others."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.tongue import say, say_many
from knitground.core.knit.keys import Key
from knitground.core.knit.ring import RING_BITS, reduced
from knitground.core.model.lattice import Lattice
from knitground.core.model.terrain import NOTHING, SLOTS, SetKind, Slot
from knitground.core.model.turns import (
    is_mirrored,
    lies_across,
    quarters,
    turned_array,
    turned_ring,
)

Tiles = NDArray[np.uint8]

_QUARTERS = {
    Slot.NW: (Slot.N, Slot.W), Slot.NE: (Slot.N, Slot.E),
    Slot.SW: (Slot.S, Slot.W), Slot.SE: (Slot.S, Slot.E),
}  # fmt: skip
_CORNER_NEIGHBOURS = {
    Slot.NW: (Slot.NE, Slot.SW), Slot.NE: (Slot.NW, Slot.SE),
    Slot.SW: (Slot.NW, Slot.SE), Slot.SE: (Slot.NE, Slot.SW),
}  # fmt: skip


@dataclass(frozen=True, eq=False)
class Made:
    """A tile that was made: its pixels, marks and key, how, and the tiles that it came from."""

    key: Key
    pixels: Tiles
    marks: NDArray[np.uint8]
    how: str
    sources: tuple[int, ...]


def marks_of_key(kind: SetKind, key: Key) -> NDArray[np.uint8]:
    """Give the marks (9,) of a tile that shows a key."""
    out = np.zeros(SLOTS, np.uint8)
    if kind is SetKind.RING:
        out[Slot.MIDDLE] = key[0]
        for n, slot in enumerate(RING_BITS):
            out[slot] = key[0] if key[1] >> n & 1 else NOTHING
        return out
    for slot, mark in zip(kind.slots, key):
        out[slot] = mark
    return out


def key_of_marks(kind: SetKind, marks: NDArray[np.uint8]) -> Key:
    """Give the key that marks without “any” stand for."""
    if kind is SetKind.RING:
        own = int(marks[Slot.MIDDLE])
        bits = sum(1 << n for n, slot in enumerate(RING_BITS) if own and marks[slot] == own)
        return (own, reduced(bits))
    return tuple(int(marks[slot]) for slot in kind.slots)


def make_tiles(
    kind: SetKind,
    tiles: Tiles,
    marks: NDArray[np.uint8],
    wanted: Sequence[Key],
    *,
    turn: bool = True,
    mirror: bool = True,
    join: bool = True,
    lattice: Lattice | None = None,
) -> list[Made]:
    """Make a tile for each wanted key for which it can be done.

    Parameters
    ----------
    tiles : (n, h, w, 4) uint8, the tiles of the set
    marks : (n, 9) their marks
    wanted : keys that no tile shows
    turn, mirror, join : which ways the art allows; a turned tile is preferred to a mirrored one,
        and both to one that is joined from quarters
    lattice : of the cells on which they stand, if these are not upright: what stands on diamonds
        is mirrored left to right and nothing else

    Returns
    -------
    one for each key that could be made, in the order of `wanted`
    """
    out = []
    slanted = lattice is not None and lattice.slanted
    ways = [(t, t) for t in range(1, 8) if _allowed(t, tiles, turn, mirror)]
    if lattice is not None and slanted:
        ways, join = [lattice.turn(4)] if mirror else [], False
    known = {key_of_marks(kind, each): n for n, each in reversed(list(enumerate(marks)))}
    for key in wanted:
        made = _by_turning(kind, tiles, marks, key, ways)
        if made is None and join:
            made = _by_joining(kind, tiles, marks, key, known)
        if made is not None:
            out.append(made)
    return out


def _allowed(turn: int, tiles: Tiles, may_turn: bool, may_mirror: bool) -> bool:
    square = tiles.shape[1] == tiles.shape[2]
    if lies_across(turn) and not square:
        return False
    if turn in (4, 6):  # mirrored left to right, or top to bottom
        return may_mirror
    return may_turn and (may_mirror or not is_mirrored(turn))


def _by_turning(
    kind: SetKind,
    tiles: Tiles,
    marks: NDArray[np.uint8],
    key: Key,
    ways: list[tuple[int, int]],
) -> Made | None:
    """Take a tile whose marks are turned one way, and its picture another, if that shows a key."""
    goal = marks_of_key(kind, key)
    for marks_by, turn in sorted(ways, key=lambda way: (is_mirrored(way[1]), way[1])):
        for number, each in enumerate(marks):
            if key_of_marks(kind, turned_ring(each, marks_by)) == key and each.any():
                quarter = (
                    say("turned {quarters}°", quarters=90 * quarters(turn))
                    if quarters(turn)
                    else ""
                )
                how = say(" and ").join(
                    filter(None, [say("mirrored") if is_mirrored(turn) else "", quarter])
                )
                pixels = np.ascontiguousarray(turned_array(tiles[number], turn))
                return Made(key, pixels, goal, how, (number,))
    return None


def _by_joining(
    kind: SetKind, tiles: Tiles, marks: NDArray[np.uint8], key: Key, known: dict[Key, int]
) -> Made | None:
    """Join four quarters, each from a tile that shows the same there and at both its inner ends."""
    goal = marks_of_key(kind, key)
    height, width = tiles.shape[1:3]
    halves = {
        Slot.NW: (slice(0, height // 2), slice(0, width // 2)),
        Slot.NE: (slice(0, height // 2), slice(width // 2, width)),
        Slot.SW: (slice(height // 2, height), slice(0, width // 2)),
        Slot.SE: (slice(height // 2, height), slice(width // 2, width)),
    }
    out = np.zeros(tiles.shape[1:], np.uint8)
    sources: list[int] = []
    for quarter, part in halves.items():
        number = _source(kind, marks, goal, quarter, sources)
        if number is None:
            return None
        out[part] = tiles[number][part]
        sources.append(number)
    names = len(set(sources))
    return Made(
        key,
        out,
        goal,
        say_many("joined from {count} tile", "joined from {count} tiles", names),
        tuple(sources),
    )


def _source(
    kind: SetKind, marks: NDArray[np.uint8], goal: NDArray[np.uint8], quarter: Slot, used: list[int]
) -> int | None:
    """Find a tile whose quarter shows what is wanted; one that is used already comes first."""
    if kind is SetKind.CORNER:
        slots = [quarter, *_CORNER_NEIGHBOURS[quarter]]
    elif kind is SetKind.EDGE:
        slots = list(_QUARTERS[quarter])
    else:
        slots = [Slot.MIDDLE, *_QUARTERS[quarter]]
        if all(goal[slot] == goal[Slot.MIDDLE] for slot in slots):
            slots.append(quarter)
    fits = np.flatnonzero((marks[:, slots] == goal[slots]).all(axis=1) & marks.any(axis=1))
    if not fits.size:
        return None
    again = [n for n in used if n in fits]
    if again:
        return again[0]
    likeness = (marks[fits] == goal).sum(axis=1)
    return int(fits[int(np.argmax(likeness))])


def sheet_of(made: Sequence[Made], columns: int = 8) -> tuple[Tiles, NDArray[np.uint8]]:
    """Lay made tiles out on a sheet, row by row.

    Returns
    -------
    the sheet (H, W, 4), and the marks of its grid (rows, columns, 9)
    """
    height, width = made[0].pixels.shape[:2]
    columns = min(columns, len(made))
    rows = -(-len(made) // columns)
    sheet = np.zeros((rows * height, columns * width, 4), np.uint8)
    marks = np.zeros((rows, columns, SLOTS), np.uint8)
    for number, each in enumerate(made):
        row, col = divmod(number, columns)
        sheet[row * height : (row + 1) * height, col * width : (col + 1) * width] = each.pixels
        marks[row, col] = each.marks
    return sheet, marks
