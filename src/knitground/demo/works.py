"""`works.png`: plank causeways (an edge set), brick dykes (a ring set), draft tiles, by script.

Causeways are as wide at every side of a tile and stand in its middle, so any two meet; dykes fill
their cell and stand back two pixels where the neighbour is no dyke.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import product

import numpy as np
from numpy.typing import NDArray

from knitground.core.knit.ring import RING_BITS, reduced
from knitground.core.model.terrain import SLOTS, Slot
from knitground.demo.texture import SIZE, Pixels, colour

COLUMNS, SPACING = 12, 1
SEE_THROUGH = (255, 0, 255)
WOOD = [colour(code) for code in ("#3b2a20", "#5a3d2a", "#7c5637", "#9c7247", "#bd945f")]
BRICK = [colour(code) for code in ("#4a2a28", "#6f3c33", "#94533f", "#b06b4c", "#c98a63")]
STONE = [colour(code) for code in ("#6b6a66", "#8f8c84", "#b5b0a4", "#d3cec1", "#ebe7dc")]
GROUND = np.array([*SEE_THROUGH, 255], np.uint8)
DRAFTS = {"wall": "#6c7a9c", "corner": "#9c6c8c", "gate": "#7a9c6c"}
_LOW, _HIGH = 4, 12


@dataclass(frozen=True)
class WorkTile:
    """A tile of the sheet: of which set, its marks (9,), weight and pixels."""

    kind: str
    marks: NDArray[np.uint8]
    weight: float
    pixels: Pixels


def causeway(north: bool, west: bool, south: bool, east: bool, worn: bool = False) -> Pixels:
    """Draw planks that run to the sides asked for; alone they would be a landing."""
    tile = np.repeat(np.repeat(GROUND[None, None], SIZE, 0), SIZE, 1)
    deck = np.zeros((SIZE, SIZE), np.bool_)
    deck[_LOW:_HIGH, _LOW:_HIGH] = True
    for on, part in (
        (north, np.s_[:_HIGH, _LOW:_HIGH]), (south, np.s_[_LOW:, _LOW:_HIGH]),
        (west, np.s_[_LOW:_HIGH, :_HIGH]), (east, np.s_[_LOW:_HIGH, _LOW:]),
    ):  # fmt: skip
        if on:
            deck[part] = True
    rows, cols = np.indices(deck.shape)
    along = (west or east) & ((rows >= _LOW) & (rows < _HIGH))
    along |= ~np.bool_(north or south)
    board = np.where(along, cols, rows) % 4
    grain = np.random.default_rng(11).random(deck.shape) < 0.12
    shade = np.where(board == 0, 1, np.where(board == 1, 3, 2))
    tile[deck] = np.stack(WOOD)[np.where(grain & (board > 1), 1, shade)][deck]
    if worn:
        tile[6:8, 6:9] = WOOD[0]
        tile[9, 5:8] = WOOD[4]
    _rim(tile, deck, WOOD[4], WOOD[0])
    return tile


def _rim(tile: Pixels, mask: NDArray[np.bool_], light: Pixels, dark: Pixels) -> None:
    """Light the upper and left borders of a mask and darken the others, in place."""
    padded = np.pad(mask, 1, mode="edge")
    inner = padded[1:-1, 1:-1]
    tile[inner & ~padded[:-2, 1:-1]] = light
    tile[inner & ~padded[1:-1, :-2]] = light
    tile[inner & ~padded[1:-1, 2:]] = dark
    tile[inner & ~padded[2:, 1:-1]] = dark


def dyke(bits: int, variant: int = 0) -> Pixels:
    """Draw a brick dyke whose neighbours in `bits` (N NE E … NW) are dykes too."""
    joined = {slot: bool(bits >> n & 1) for n, slot in enumerate(RING_BITS)}
    top = np.zeros((SIZE, SIZE), np.bool_)
    first_row, last_row = (0 if joined[Slot.N] else 2), (SIZE if joined[Slot.S] else SIZE - 2)
    first_col, last_col = (0 if joined[Slot.W] else 2), (SIZE if joined[Slot.E] else SIZE - 2)
    top[first_row:last_row, first_col:last_col] = True
    for slot, row, col in (
        (Slot.NW, slice(0, 2), slice(0, 2)), (Slot.NE, slice(0, 2), slice(14, 16)),
        (Slot.SW, slice(14, 16), slice(0, 2)), (Slot.SE, slice(14, 16), slice(14, 16)),
    ):  # fmt: skip
        if not joined[slot]:
            top[row, col] = False
    face = top.copy()
    padded = np.pad(top, ((0, 5), (0, 0)), mode="edge")
    for down in range(1, 5):
        face &= padded[down : down + SIZE]
    face = top & ~face  # the last rows above a lower border: the side that is seen
    tile = np.repeat(np.repeat(GROUND[None, None], SIZE, 0), SIZE, 1)
    rows, cols = np.indices(top.shape)
    slab = np.random.default_rng(21 + variant).random((4, 4))[rows // 4, cols // 4]
    stone = np.where(slab < 0.3, 2, 3)
    seam = (cols + (rows // 4 % 2) * 4) % 8 == 0
    stone = np.where(seam | (rows % 8 == 3), 1, stone)
    tile[top] = np.stack(STONE)[stone][top]
    brick = np.where((cols + rows // 2 % 2 * 2) % 4 == 0, 1, 2 + (rows % 2))
    tile[face] = np.stack(BRICK)[brick][face]
    _rim(tile, top, STONE[4], BRICK[0])
    ledge = face & ~np.pad(face, ((1, 0), (0, 0)))[:-1]
    tile[ledge & (cols > first_col) & (cols < last_col - 1)] = BRICK[1]
    return tile


def draft(code: str, which: int) -> Pixels:
    """Draw a flat placeholder with a plain sign: art to come."""
    tile = np.repeat(np.repeat(colour(code)[None, None], SIZE, 0), SIZE, 1)
    tile[0], tile[-1], tile[:, 0], tile[:, -1] = (WOOD[0],) * 4
    if which == 0:
        tile[7:9, 3:13] = STONE[4]
    elif which == 1:
        tile[7:9, 7:13], tile[7:13, 7:9] = STONE[4], STONE[4]
    else:
        tile[4:13, 4:6], tile[4:13, 10:12], tile[4:6, 4:12] = (STONE[4],) * 3
    return tile


def work_tiles() -> list[WorkTile]:
    """Draw all tiles in the order of the sheet: causeways, dykes, drafts."""
    tiles = []
    for sides in product((False, True), repeat=4):
        if any(sides):
            marks = np.zeros(SLOTS, np.uint8)
            marks[[Slot.N, Slot.W, Slot.S, Slot.E]] = sides
            tiles.append(WorkTile("causeway", marks, 3.0, causeway(*sides)))
    for sides in ((False, True, False, True), (True, False, True, False)):
        marks = np.zeros(SLOTS, np.uint8)
        marks[[Slot.N, Slot.W, Slot.S, Slot.E]] = sides
        tiles.append(WorkTile("causeway", marks, 1.0, causeway(*sides, worn=True)))
    for bits in sorted({reduced(n) for n in range(256)}):
        marks = np.zeros(SLOTS, np.uint8)
        marks[Slot.MIDDLE] = 1
        for n, slot in enumerate(RING_BITS):
            marks[slot] = bits >> n & 1
        tiles.append(WorkTile("dyke", marks, 1.0, dyke(bits)))
    for which, code in enumerate(DRAFTS.values()):
        tiles.append(WorkTile("draft", np.zeros(SLOTS, np.uint8), 1.0, draft(code, which)))
    return tiles


def works_sheet() -> tuple[Pixels, list[WorkTile]]:
    """Lay the tiles out as a sheet with spacing 1 on magenta."""
    tiles = work_tiles()
    rows = -(-len(tiles) // COLUMNS)
    pitch = SIZE + SPACING
    sheet = np.empty((rows * pitch - SPACING, COLUMNS * pitch - SPACING, 4), np.uint8)
    sheet[:] = GROUND
    for place, tile in enumerate(tiles):
        row, col = divmod(place, COLUMNS)
        sheet[row * pitch : row * pitch + SIZE, col * pitch : col * pitch + SIZE] = tile.pixels
    return sheet, tiles
