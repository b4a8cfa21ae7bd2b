"""Places of stencils: which ones a kind of set uses, and how they turn.

A place is (y, x) in half cells from the upper left corner of the rule's own cell. Corners of cells
stand at even y and x, cells at odd ones, sides at one of each, so that one turn about (1, 1) does
for every kind.
"""

from __future__ import annotations

from collections.abc import Iterable

from knitground.core.model.patch import turn_tile
from knitground.core.model.rules import (
    Ask,
    AskKind,
    BlockCell,
    LaidCell,
    NeighbourRule,
    Spot,
)
from knitground.core.model.terrain import SetKind
from knitground.core.model.turns import turned_offset

Place = tuple[int, int]
"""Half cells down and across from the upper left corner of the rule's own cell."""
MIDDLE: Place = (1, 1)
REACHES: dict[SetKind | None, tuple[int, ...]] = {
    SetKind.CORNER: (0, 1),
    SetKind.EDGE: (0, 1),
    SetKind.RING: (1, 2, 3),
    None: (1, 2, 3),
}
"""Sizes that a stencil can have: cells round the own one; None: rules of tiles."""


def places_of(kind: SetKind | None, reach: int) -> list[Place]:
    """List the places of a stencil, row by row.

    Parameters
    ----------
    kind : of the set; None for rules of tiles
    reach : how many cells round the rule's own it reaches

    Examples
    --------
    >>> places_of(SetKind.CORNER, 0), len(places_of(SetKind.CORNER, 1))
    ([(0, 0), (0, 2), (2, 0), (2, 2)], 16)
    >>> len(places_of(SetKind.EDGE, 1)), len(places_of(SetKind.RING, 1))
    (24, 9)
    """
    low, high = -2 * reach, 2 * reach + 2
    span = range(low, high + 1)
    return [(y, x) for y in span for x in span if _is_place(kind, y, x)]


def _is_place(kind: SetKind | None, y: int, x: int) -> bool:
    if kind is SetKind.CORNER:
        return y % 2 == 0 and x % 2 == 0
    if kind is SetKind.EDGE:
        return (y + x) % 2 == 1
    return y % 2 == 1 and x % 2 == 1


def fits_kind(kind: SetKind | None, place: Place) -> bool:
    """Tell whether a place can be one of a kind's stencil, at its largest."""
    most = REACHES[kind][-1]
    y, x = place
    return _is_place(kind, y, x) and all(-2 * most <= each <= 2 * most + 2 for each in place)


def base_places(kind: SetKind) -> tuple[Place, ...]:
    """Give the places that knitting reads, in the order of the kind's slots.

    Those of a ring set are its middle and the eight cells round it, clockwise from the top.
    """
    if kind is SetKind.CORNER:
        return (0, 0), (0, 2), (2, 0), (2, 2)
    if kind is SetKind.EDGE:
        return (0, 1), (1, 0), (2, 1), (1, 2)
    return (1, 1), (-1, 1), (-1, 3), (1, 3), (3, 3), (3, 1), (3, -1), (1, -1), (-1, -1)


def turned_place(place: Place, turn: int) -> Place:
    """Turn a place about the middle of the rule's own cell, as tiles are turned.

    Examples
    --------
    >>> turned_place((-1, 1), 1), turned_place((0, 0), 4), turned_place((0, 1), 3)
    ((1, 3), (0, 2), (1, 0))
    """
    y, x = turned_offset((place[0] - 1, place[1] - 1), turn)
    return y + 1, x + 1


def reach_of(places: Iterable[Place]) -> int:
    """Tell how many cells beyond a rule's own cell its places lie, at most.

    Examples
    --------
    >>> reach_of([(0, 0), (2, 2)]), reach_of([(-1, 1)]), reach_of([(4, 2)])
    (0, 1, 1)
    """
    return max((max(-(at // 2), (at - 1) // 2) for each in places for at in each), default=0)


def turned_ask(ask: Ask, turn: int) -> Ask:
    """Turn the tiles that are asked for, where they must stand as they are laid."""
    if ask.any_turn or not turn or ask.kind not in (AskKind.TILES, AskKind.NOT_TILES):
        return ask
    return Ask(ask.kind, ask.name, tuple(turn_tile(tile, turn) for tile in ask.tiles), False)


def stencil_ways(rule: NeighbourRule) -> list[tuple[int, tuple[Spot, ...]]]:
    """Give a rule's stencil in all its ways: (turn, places), those that come to the same once."""
    found: dict[frozenset[Spot], tuple[int, tuple[Spot, ...]]] = {}
    for turn in rule.ways.turns:
        spots = tuple(
            Spot(*turned_place((y, x), turn), turned_ask(ask, turn)) for y, x, ask in rule.stencil
        )
        found.setdefault(frozenset(spots), (turn, spots))
    return list(found.values())


def turned_block(
    block: tuple[BlockCell, ...], turn: int, *, turns_tiles: bool
) -> tuple[BlockCell, ...]:
    """Turn a block that is looked for about its first cell's origin."""
    return tuple(
        BlockCell(
            *turned_offset((cell.row, cell.col), turn),
            cell.layer,
            turned_ask(cell.ask, turn) if turns_tiles else cell.ask,
        )
        for cell in block
    )


def turned_laid(
    cells: tuple[LaidCell, ...], turn: int, *, turns_tiles: bool
) -> tuple[LaidCell, ...]:
    """Turn a block that is written."""
    return tuple(
        LaidCell(
            *turned_offset((cell.row, cell.col), turn),
            cell.layer,
            turn_tile(cell.tile, turn) if cell.tile is not None and turns_tiles else cell.tile,
        )
        for cell in cells
    )
