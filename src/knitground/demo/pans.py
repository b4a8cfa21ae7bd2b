"""`pans.png`: brine, crust, clay and blush, with complete borders, drawn by script.

A border tile is cut along a level line of the four corners' terrain, blended across the tile and
roughened by noise that repeats with the tile. Both are the same along a shared side, so any two
tiles that show the same terrain at a side's ends meet without a seam.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import product

import numpy as np
from numpy.typing import NDArray

from knitground.demo.texture import SIZE, Field, Pixels, calm, colour, dithered, periodic_noise

BRINE, CRUST, CLAY, BLUSH = range(1, 5)
MARGIN, SPACING, COLUMNS = 4, 2, 12
LEFT_OUT = (BLUSH, (True, False, False, True))
"""The one combination without a tile: so that coverage has something to show."""
VARIANTS = {BRINE: 4, CRUST: 4, CLAY: 4, BLUSH: 3}
MOMENTS, SHIMMER_MS = 4, 260
_DRIFT = (0, 1, 2, 1)
GROUND = colour("#3a3742")

RAMPS = {
    BRINE: ["#1f5f74", "#2a7684", "#368b92", "#4fa5a2", "#8ccdc0"],
    CRUST: ["#b9b3a6", "#d6d0c2", "#e9e4d8", "#f5f2ea", "#ffffff"],
    CLAY: ["#7a4a2b", "#955f35", "#ab7440", "#bd8a50", "#d2a568"],
    BLUSH: ["#a4526a", "#bd6b7c", "#cf8390", "#dd9da4", "#f0c3c0"],
}


def _ramp(terrain: int) -> NDArray[np.uint8]:
    return np.stack([colour(code) for code in RAMPS[terrain]])


def plain(terrain: int, variant: int) -> Pixels:
    """Draw a plain tile; its border pixels are those of every other variant."""
    base = _surface(terrain)
    if variant == 0:
        return base
    detail = {BRINE: _ripples, CRUST: _cracks, CLAY: _pebbles, BLUSH: _ripples}[terrain]
    return detail(base.copy(), terrain, variant)


def _surface(terrain: int) -> Pixels:
    coarse, fine = periodic_noise(terrain * 7 + 1, 4), periodic_noise(terrain * 7 + 2, 8)
    field = calm(coarse * 0.5 + fine * 0.5, 0.8)
    if terrain in (BRINE, BLUSH):
        return _water(terrain)
    steps = dithered(calm(field, 0.75), 3)
    return _ramp(terrain)[1 + steps]


def _water(terrain: int, moment: int = 0) -> Pixels:
    """Calm water: a deep tone with soft sideways streaks of the next one, no grain.

    Streaks drift a little from moment to moment, every other one the other way, and come back.
    """
    ramp = _ramp(terrain)
    tile = np.repeat(np.repeat(ramp[1][None, None], SIZE, 0), SIZE, 1)
    rng = np.random.default_rng(terrain * 11)
    for n, row in enumerate((0, 3, 6, 9, 12, 14)):
        start, length = int(rng.integers(0, SIZE)), int(rng.integers(4, 8))
        start += _DRIFT[(moment + n) % MOMENTS] * (1 if n % 2 else -1)
        cols = (start + np.arange(length)) % SIZE
        tile[row, cols] = ramp[2]
        tile[(row + 1) % SIZE, cols[1:-2]] = ramp[2]
    return tile


def _ripples(tile: Pixels, terrain: int, variant: int, moment: int = 0) -> Pixels:
    """Short bright dashes with a dark one beneath: light on small waves, that come and go."""
    ramp = _ramp(terrain)
    rng = np.random.default_rng(terrain * 100 + variant)
    for _ in range((0, 2, 3, 1)[variant]):
        row, col = int(rng.integers(3, 12)), int(rng.integers(2, 8))
        length = int(rng.integers(3, 6)) - (moment == 2)
        col += _DRIFT[moment]
        tile[row, col : col + length] = ramp[3]
        tile[row, col + 1 : col + length - 1] = ramp[4] if variant == 2 else ramp[3]
        tile[row + 1, col + 1 : col + length + 1] = ramp[0]
    return tile


def shimmer_sheet() -> Pixels:
    """Lay out how the brine moves: a row of its variants for each moment after the first."""
    rows = []
    for moment in range(1, MOMENTS):
        still = _water(BRINE, moment)
        tiles = [
            _ripples(still.copy(), BRINE, variant, moment) if variant else still
            for variant in range(VARIANTS[BRINE])
        ]
        rows.append(np.concatenate(tiles, axis=1))
    return np.concatenate(rows)


def _cracks(tile: Pixels, terrain: int, variant: int) -> Pixels:
    """Fine cracks between plates of salt, lit from the upper left; or a few glittering grains."""
    ramp = _ramp(terrain)
    rng = np.random.default_rng(terrain * 100 + variant)
    if variant == 3:
        for _ in range(4):
            row, col = rng.integers(3, 13, 2)
            tile[row, col] = ramp[4]
            tile[row, col + 1] = ramp[1]
            tile[row + 1, col] = ramp[1]
        return tile
    row, col = int(rng.integers(3, 7)), 2
    for _ in range(int(rng.integers(7, 11))):
        tile[row, col] = ramp[0]
        if row > 1:
            tile[row - 1, col] = ramp[4]
        col += 1
        row = int(np.clip(row + rng.integers(-1, 2), 3, 12))
        if variant == 2 and col == 7:
            for down in range(4):
                tile[min(13, row + down), col + down // 2] = ramp[0]
        if col > 12:
            break
    return tile


def _pebbles(tile: Pixels, terrain: int, variant: int) -> Pixels:
    """Small stones, light on top and dark below, and a dry furrow on the last variant."""
    ramp = _ramp(terrain)
    rng = np.random.default_rng(terrain * 100 + variant + 7)
    if variant == 3:
        for step, col in enumerate(range(3, 12)):
            row = 8 + (step // 3) % 2
            tile[row, col] = ramp[0]
            tile[row + 1, col] = ramp[4] if step % 2 else ramp[3]
        return tile
    for _ in range(2 + variant):
        row, col = rng.integers(2, 12, 2)
        tile[row, col : col + 2] = ramp[4]
        tile[row + 1, col : col + 2] = ramp[2]
        tile[row + 2, col : col + 2] = ramp[0]
    return tile


def _inside(corners: tuple[bool, bool, bool, bool], salt: int) -> NDArray[np.bool_]:
    """Where the higher terrain lies: corners NW NE SW SE."""
    at = (np.arange(SIZE) + 0.5) / SIZE
    x, y = at[None, :], at[:, None]
    nw, ne, sw, se = (float(each) for each in corners)
    blend = (nw * (1 - x) + ne * x) * (1 - y) + (sw * (1 - x) + se * x) * y
    rough: Field = periodic_noise(salt, 8) * 0.6 + periodic_noise(salt + 1, 4) * 0.4
    return np.asarray(blend + (rough - 0.5) * 0.42 > 0.5)


def border(low: int, high: int, corners: tuple[bool, bool, bool, bool], variant: int = 0) -> Pixels:
    """Draw a tile with `high` at some corners and `low`, which lies deeper, at the others."""
    salt = low * 40 + high * 10
    top = _inside(corners, salt)
    out = np.where(top[..., None], _surface(high), _surface(low))
    if variant:
        middle = np.s_[2:8, 2:8]
        grain = np.random.default_rng(salt + variant).random((6, 6)) < 0.2
        out[middle] = np.where((grain & top[middle])[..., None], _ramp(high)[4], out[middle])
    return _lit_edge(out, top, low, high)


def _lit_edge(out: Pixels, top: NDArray[np.bool_], low: int, high: int) -> Pixels:
    """Give the higher ground a bright upper-left rim, a dark lower-right one, and a shadow."""
    padded = np.pad(top, 2, mode="edge")

    def near(down: int, across: int) -> NDArray[np.bool_]:
        return padded[2 + down : 2 + down + SIZE, 2 + across : 2 + across + SIZE]

    rim = _ramp(high)
    ledge = top & ~near(1, 0)
    right = top & ~near(0, 1)
    bright = top & (~near(-1, 0) | ~near(0, -1))
    out[bright] = rim[4]
    out[right] = rim[1]
    out[ledge] = rim[0]
    deep = _ramp(low)
    shade = ~top & (near(-1, 0) | near(-1, -1))
    out[shade] = deep[0]
    second = ~top & ~shade & (near(-2, 0) | near(-1, 1) | near(0, -1))
    out[second & (np.indices(top.shape).sum(0) % 2 == 0)] = deep[1]
    if low in (BRINE, BLUSH):
        shallow = ~top & ~shade & (near(2, 0) | near(0, 2) | near(1, 1) | near(1, -1))
        out[shallow] = deep[2]
        out[~top & (near(1, 0) | near(0, 1)) & ~shade] = deep[3]
    return out


@dataclass(frozen=True)
class PanTile:
    """A tile of the sheet: marks NW NE SW SE, its weight, its pixels."""

    marks: tuple[int, int, int, int]
    weight: float
    pixels: Pixels


def pan_tiles() -> list[PanTile]:
    """Draw all tiles in the order of the sheet: plain ones first, then pair by pair."""
    tiles = []
    for terrain, count in VARIANTS.items():
        for variant in range(count):
            weight = (6.0, 2.0, 2.0, 1.0)[variant]
            marks = (terrain, terrain, terrain, terrain)
            tiles.append(PanTile(marks, weight, plain(terrain, variant)))
    for low, high in ((BRINE, CRUST), (CLAY, CRUST), (BLUSH, CRUST)):
        for corners in product((False, True), repeat=4):
            if any(corners) and not all(corners) and (low, corners) != LEFT_OUT:
                nw, ne, sw, se = (high if each else low for each in corners)
                pixels = border(low, high, corners)  # type: ignore[arg-type]
                tiles.append(PanTile((nw, ne, sw, se), 3.0, pixels))
        for corners in ((True, True, False, False), (True, False, True, False)):
            nw, ne, sw, se = (high if each else low for each in corners)
            tiles.append(PanTile((nw, ne, sw, se), 1.0, border(low, high, corners, 1)))
    return tiles


def pans_sheet() -> tuple[Pixels, list[PanTile]]:
    """Lay the tiles out as a sheet with margin 4 and spacing 2."""
    tiles = pan_tiles()
    rows = -(-len(tiles) // COLUMNS)
    pitch = SIZE + SPACING
    size = (2 * MARGIN + rows * pitch - SPACING, 2 * MARGIN + COLUMNS * pitch - SPACING)
    sheet = np.empty((*size, 4), np.uint8)
    sheet[:] = GROUND
    for place, tile in enumerate(tiles):
        row, col = divmod(place, COLUMNS)
        top, left = MARGIN + row * pitch, MARGIN + col * pitch
        sheet[top : top + SIZE, left : left + SIZE] = tile.pixels
    return sheet, tiles
