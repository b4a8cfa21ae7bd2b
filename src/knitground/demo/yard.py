"""`yard.png` and the map *Store yard*: floor, walls, roofs and what stands about, seen aslant.

Each tile is 64 × 64 px and stands on a diamond of 64 × 32 at its foot. All is drawn from a plan:
what of a cell something covers, how high it is, and how its top and its two seen sides look. Plans
are the same along a shared side, so that any two tiles that show the same there meet.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from itertools import product
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.edit.document import Document
from knitground.core.edit.maps import lay_grown
from knitground.core.files.images import read_sheet
from knitground.core.grow.runner import run_recipe
from knitground.core.knit.ring import RING_BITS, reduced
from knitground.core.model.lattice import DIAMOND, Diamond, Grid, GridKind
from knitground.core.model.layers import Layer
from knitground.core.model.map import Map
from knitground.core.model.mix import Fall, FallWay, Mix, MixEntry
from knitground.core.model.project import Project
from knitground.core.model.recipe import MixStep, Recipe
from knitground.core.model.slicing import Slicing
from knitground.core.model.standing import standing_of
from knitground.core.model.terrain import SLOTS, SetKind, Slot, Terrain, TerrainSet, no_marks
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import TileFacts, Tileset
from knitground.demo.texture import Field, Pixels, colour

WIDE, HIGH, PICTURE, COLUMNS = 64, 32, 64, 12
WALL, ROOF = 26, 8
SALT, PLANKS = 1, 2
SALTS = [colour(code) for code in ("#b3ab9b", "#c9c2b3", "#d8d2c5", "#e6e1d6", "#f3f0e8")]
WOOD = [colour(code) for code in ("#3b2a20", "#5f422d", "#7c5637", "#946b45", "#b58a5a")]
BRICK = [colour(code) for code in ("#4a2a28", "#6f3c33", "#8c4d3b", "#a5614a", "#c07f60")]
STONE = [colour(code) for code in ("#6b6a66", "#8f8c84", "#aaa59a", "#c6c0b3", "#dcd7cb")]
CLAY = [colour(code) for code in ("#5e2f25", "#7f3f2d", "#9c5238", "#b56a48", "#cf8a62")]
REED = [colour(code) for code in ("#3e4a2e", "#566437", "#74834a", "#9ba868")]

Plan = NDArray[np.bool_]
Look = Callable[[Field, Field], Pixels]
"""From places along and up (or along both ways of the plan) to colours."""


@dataclass(frozen=True)
class YardTile:
    """A tile of the sheet: of which set, its marks (9,), weight, name and pixels."""

    kind: str
    marks: NDArray[np.uint8]
    pixels: Pixels
    weight: float = 1.0
    name: str = ""


_YS, _XS = np.mgrid[:HIGH, :WIDE] + 0.5
_BASE = Diamond(1, 1, HIGH, WIDE)
_PLACES: tuple[Any, Any] = _BASE.places(_XS, _YS + _BASE.rise)
COLS: Field = _PLACES[0]
ROWS: Field = _PLACES[1]
"""Where in its cell each pixel of a base lies, along its columns and its rows, 0 to 1."""
BASE: Plan = _BASE.mask()


def _picked(ramp: list[Pixels], number: NDArray[np.intp]) -> Pixels:
    return np.stack(ramp)[np.clip(number, 0, len(ramp) - 1)]


def raised(plan: Plan, height: int, top: Look, left: Look, right: Look, foot: int = 0) -> Pixels:
    """Draw what covers a plan up to a height in pixels, from `foot` up.

    `left` and `right` are its two sides that are seen; they are asked for places along and heights.
    """
    out = np.zeros((PICTURE, WIDE, 4), np.uint8)
    step = 1.6 / WIDE
    open_right = plan & ~_covers(plan, COLS + step, ROWS)
    # What is not at the lower end of its column is hidden by the next pixel up.
    rim = plan & ~np.pad(plan, ((0, 1), (0, 0)))[1:]
    to_right = open_right[rim][:, None]
    for z in range(foot, height):
        level = np.full(to_right.shape[0], float(z))
        face = np.where(to_right, right(ROWS[rim], level), left(COLS[rim], level))
        _put(out, rim, face, z)
    _put(out, plan, top(COLS, ROWS)[plan], height)
    return out


def _put(out: Pixels, plan: Plan, colours: Pixels, up: int) -> None:
    """Draw the pixels of a plan, in their order, so many pixels up."""
    rows, cols = np.nonzero(plan)
    rows = rows + PICTURE - HIGH - up
    on = rows >= 0
    out[rows[on], cols[on]] = colours[on]


def _covers(plan: Plan, cols: Field, rows: Field) -> Plan:
    """Tell whether a plan covers other places of the cell; beyond the cell it goes on as inside."""
    x = ((cols - rows) * WIDE / 2 + WIDE / 2).astype(int)
    y = ((cols + rows) * HIGH / 2).astype(int)
    inside = (x >= 0) & (x < WIDE) & (y >= 0) & (y < HIGH)
    x, y = np.clip(x, 0, WIDE - 1), np.clip(y, 0, HIGH - 1)
    return np.asarray(np.where(inside & BASE[y, x], plan[y, x], True))


# The floor


def floor_tile(corners: tuple[int, ...], variant: int = 0) -> Pixels:
    """Draw floor whose corners NW NE SW SE are packed salt or planks."""
    north_west, north_east, south_west, south_east = (each == PLANKS for each in corners)
    upper = north_west * (1 - COLS) + north_east * COLS
    lower = south_west * (1 - COLS) + south_east * COLS
    wood = upper * (1 - ROWS) + lower * ROWS
    ragged = 0.04 * np.sin(COLS * 6 * np.pi) * np.sin(ROWS * 6 * np.pi)
    deck = wood + ragged > 0.5
    out = np.zeros((PICTURE, WIDE, 4), np.uint8)
    rng = np.random.default_rng(400 + variant)
    grain = rng.random(COLS.shape)
    soft = (np.sin(COLS * 2 * np.pi + variant) + np.cos(ROWS * 4 * np.pi - variant)) / 2
    salt = np.where(grain < 0.03, 1, np.where(grain > 0.96, 4, np.where(soft > 0.72, 2, 3)))
    board = np.floor(ROWS * 5).astype(int)
    ends = (np.floor(COLS * 2 + (board % 2) * 0.5).astype(int) * 7 + board * 3 + variant) % 3
    shade = np.where(ends == 0, 2, 3)
    joint = (np.abs(ROWS * 5 - np.round(ROWS * 5)) < 0.09) & (ROWS > 0.02)
    shade = np.where(joint, 1, shade)
    shade = np.where((grain < 0.05) & ~joint, 2, shade)
    rim = deck & ~((wood + ragged) > 0.56)
    colours = np.where(deck[..., None], _picked(WOOD, shade), _picked(SALTS, salt))
    colours = np.where(rim[..., None], WOOD[1], colours)
    edge = ~deck & (wood + ragged > 0.44)
    colours = np.where(edge[..., None], SALTS[0], colours)
    _put(out, BASE, colours[BASE], 0)
    return out


# Walls and roofs


def _ring_plan(bits: int, back: float) -> Plan:
    """Give the plan of a cell of a ring set: it stands back where the neighbour is none."""
    joined = {slot: bool(bits >> n & 1) for n, slot in enumerate(RING_BITS)}
    low, high = back, 1 - back
    plan = BASE & (
        ((0 if joined[Slot.N] else low) <= ROWS) & ((1 if joined[Slot.S] else high) >= ROWS)
        & ((0 if joined[Slot.W] else low) <= COLS) & ((1 if joined[Slot.E] else high) >= COLS)
    )  # fmt: skip
    for slot, rows, cols in (
        (Slot.NW, low > ROWS, low > COLS), (Slot.NE, low > ROWS, high < COLS),
        (Slot.SW, high < ROWS, low > COLS), (Slot.SE, high < ROWS, high < COLS),
    ):  # fmt: skip
        if not joined[slot]:
            plan &= ~(rows & cols)
    return plan


def _bricks(shift: int) -> Look:
    def look(along: Field, up: Field) -> Pixels:
        course = np.floor(up / 5).astype(int)
        joint = (along * 6 + course % 2 * 0.5) % 1 < 0.17
        mortar = (up % 5 < 1) | joint
        tone = np.where((course * 5 + np.floor(along * 6).astype(int)) % 4 == 0, 2, 3)
        tone = np.where(up > WALL - 3, 4, tone)
        return _picked(BRICK, np.where(mortar, 1, tone) - shift)

    return look


def _coping(cols: Field, rows: Field) -> Pixels:
    seam = ((cols * 4) % 1 < 0.08) | ((rows * 4) % 1 < 0.08)
    return _picked(STONE, np.where(seam, 2, 4))


def wall(bits: int, door: bool = False) -> Pixels:
    """Draw a brick wall whose neighbours in `bits` (N NE E … NW) are walls too."""
    plan = _ring_plan(bits, 0.3)
    if not door:
        return raised(plan, WALL, _coping, _bricks(0), _bricks(1))

    def with_door(shift: int) -> Look:
        plain = _bricks(shift)

        def look(along: Field, up: Field) -> Pixels:
            there = (np.abs(along - 0.5) < 0.22) & (up < 19)
            frame = there & ((np.abs(along - 0.5) > 0.17) | (up > 17))
            leaf = _picked(WOOD, np.where((along * 18) % 1 < 0.25, 1, 3) - shift)
            leaf = np.where(frame[..., None], WOOD[0], leaf)
            return np.where(there[..., None], leaf, plain(along, up))

        return look

    return raised(plan, WALL, _coping, with_door(0), with_door(1))


def roof(bits: int) -> Pixels:
    """Draw a flat roof of clay tiles; where it ends it has a raised rim."""
    plan = _ring_plan(bits, 0.12)
    inner = _ring_plan(bits, 0.22)

    def top(cols: Field, rows: Field) -> Pixels:
        row = np.floor(rows * 6).astype(int)
        tone = np.where(
            (rows * 6) % 1 < 0.25, 1, np.where((cols * 6 + row % 2 * 0.5) % 1 < 0.2, 2, 3)
        )
        return np.where(inner[..., None], _picked(CLAY, tone), CLAY[4])

    def side(shift: int) -> Look:
        return lambda along, up: _picked(CLAY, np.where((along * 6) % 1 < 0.2, 1, 2) - shift)

    return raised(plan, ROOF, top, side(0), side(1))


# What stands about


def _box(low: float, high: float) -> Plan:
    return BASE & (low < COLS) & (high > COLS) & (low < ROWS) & (high > ROWS)


def _slats(ramp: list[Pixels], count: int, shift: int) -> Look:
    def look(along: Field, up: Field) -> Pixels:
        frame = (up % 14 < 2) | (up % 14 > 12)
        slat = (along * count) % 1 < 0.16
        return _picked(ramp, np.where(frame, 4, np.where(slat, 1, 3)) - shift)

    return look


def _lid(ramp: list[Pixels], count: int) -> Look:
    return lambda cols, rows: _picked(ramp, np.where((rows * count) % 1 < 0.16, 2, 4))


def crate(low: float = 0.2, high: float = 0.8, up: int = 20) -> Pixels:
    """Draw a wooden crate."""
    return raised(_box(low, high), up, _lid(WOOD, 9), _slats(WOOD, 9, 0), _slats(WOOD, 9, 1))


def crates() -> Pixels:
    """Draw a crate with a smaller one on it."""
    out = crate(0.14, 0.86, 20)
    above = raised(
        _box(0.3, 0.72), 34, _lid(WOOD, 11), _slats(WOOD, 11, 0), _slats(WOOD, 11, 1), foot=20
    )
    out[above[..., 3] > 0] = above[above[..., 3] > 0]
    return out


def barrel() -> Pixels:
    """Draw a barrel with two hoops."""
    plan = BASE & ((COLS - 0.5) ** 2 + (ROWS - 0.5) ** 2 < 0.075)

    def side(shift: int) -> Look:
        def look(along: Field, up: Field) -> Pixels:
            hoop = (np.abs(up - 6) < 1.5) | (np.abs(up - 17) < 1.5)
            stave = (along * 16) % 1 < 0.2
            return _picked(
                WOOD, np.where(hoop, 0, np.where(stave, 1, 3)) - (0 if shift == 0 else 1)
            )

        return look

    def top(cols: Field, rows: Field) -> Pixels:
        rim = (cols - 0.5) ** 2 + (rows - 0.5) ** 2 > 0.055
        return np.where(rim[..., None], WOOD[1], _lid(WOOD, 12)(cols, rows))

    return raised(plan, 23, top, side(0), side(1))


def salt_heap() -> Pixels:
    """Draw a heap of salt: rings that grow narrower upwards."""
    out = np.zeros((PICTURE, WIDE, 4), np.uint8)
    away = np.sqrt((COLS - 0.5) ** 2 + (ROWS - 0.5) ** 2)
    rng = np.random.default_rng(7).random(COLS.shape)
    for z in range(19):
        plan = BASE & (away < 0.4 * (1 - z / 21) ** 0.8)
        light = COLS - ROWS < 0.06
        tone = np.where(light, 3, 2) + (rng > 0.9) - (rng < 0.06)
        _put(out, plan, _picked(SALTS, tone + (z > 14))[plan], z)
    return out


def chimney() -> Pixels:
    """Draw a chimney; it stands on a roof."""
    out = raised(_box(0.34, 0.66), 24, _coping, _bricks(0), _bricks(1))
    hole = raised(_box(0.42, 0.58), 24, lambda c, _: _picked(BRICK, np.zeros(c.shape, int)),
                  _bricks(9), _bricks(9), foot=24)  # fmt: skip
    out[hole[..., 3] > 0] = hole[hole[..., 3] > 0]
    return out


def reeds(seed: int, count: int, tall: int) -> Pixels:
    """Draw reeds: blades from a few places of the cell, each leaning a little."""
    out = np.zeros((PICTURE, WIDE, 4), np.uint8)
    rng = np.random.default_rng(seed)
    spots = sorted((float(r), float(c)) for r, c in 0.25 + 0.5 * rng.random((count, 2)))
    for row, col in sorted(spots, key=sum):
        x = int((col - row) * WIDE / 2 + WIDE / 2)
        y = PICTURE - HIGH + int((col + row) * HIGH / 2)
        lean, blade = float(rng.uniform(-0.25, 0.25)), int(rng.integers(tall // 2, tall))
        for up in range(blade):
            at = int(np.clip(x + lean * up, 0, WIDE - 1))
            tone = 0 if up < 3 else 3 if up > blade - 4 else 1 + (at + up) % 2
            out[max(0, y - up), at] = REED[tone]
    return out


PROPS: dict[str, Callable[[], Pixels]] = {
    "crate": crate, "crates": crates, "barrel": barrel, "salt heap": salt_heap,
    "chimney": chimney, "reeds": lambda: reeds(3, 14, 26), "thin reeds": lambda: reeds(5, 6, 17),
    "small crate": lambda: crate(0.34, 0.68, 13),
}  # fmt: skip


# The sheet


@cache
def yard_tiles() -> tuple[YardTile, ...]:
    """Draw all tiles in the order of the sheet: floor, walls, roofs, what stands about."""
    tiles: list[YardTile] = []
    for corners in product((SALT, PLANKS), repeat=4):
        marks = np.zeros(SLOTS, np.uint8)
        marks[[Slot.NW, Slot.NE, Slot.SW, Slot.SE]] = corners
        plain = len(set(corners)) == 1
        for variant in range(4 if plain else 1):
            tiles.append(YardTile("floor", marks, floor_tile(corners, variant)))
    every = sorted({reduced(n) for n in range(256)})
    for kind, draw in (("wall", wall), ("roof", roof)):
        for bits in every:
            tiles.append(YardTile(kind, _ring_marks(bits), draw(bits)))
    for way in (Slot.E, Slot.S):
        bits = sum(1 << n for n, slot in enumerate(RING_BITS) if slot in (way, way ^ 4))
        name = "door along rows" if way is Slot.E else "door along columns"
        marks = np.zeros(SLOTS, np.uint8)
        tiles.append(YardTile("prop", marks, wall(bits, door=True), name=name))
    for name, make in PROPS.items():
        tiles.append(YardTile("prop", np.zeros(SLOTS, np.uint8), make(), name=name))
    return tuple(tiles)


def _ring_marks(bits: int) -> NDArray[np.uint8]:
    marks = np.zeros(SLOTS, np.uint8)
    marks[Slot.MIDDLE] = 1
    for n, slot in enumerate(RING_BITS):
        marks[slot] = bits >> n & 1
    return marks


def yard_sheet() -> Pixels:
    """Lay the tiles out as a sheet."""
    tiles = yard_tiles()
    rows = -(-len(tiles) // COLUMNS)
    sheet = np.zeros((rows * PICTURE, COLUMNS * WIDE, 4), np.uint8)
    for place, tile in enumerate(tiles):
        row, col = divmod(place, COLUMNS)
        part = sheet[row * PICTURE : (row + 1) * PICTURE, col * WIDE : (col + 1) * WIDE]
        part[:] = tile.pixels
    return sheet


def yard_tileset(folder: Path) -> Tileset:
    """Give the tileset of the sheet in a folder, with its three sets and the names of things."""
    picture, data, _ = read_sheet(folder / "yard.png")
    height, width = picture.shape[:2]
    tileset = Tileset("yard", "yard.png", width, height, Slicing(WIDE, PICTURE),
                      picture=picture, data=data)  # fmt: skip
    marks = {kind: no_marks(tileset.rows, tileset.columns) for kind in ("floor", "wall", "roof")}
    for place, tile in enumerate(yard_tiles()):
        at = divmod(place, COLUMNS)
        if tile.kind in marks:
            marks[tile.kind][at] = tile.marks
        elif tile.name:
            tileset.facts[at] = TileFacts(name=tile.name)
    salt, planks = Terrain("packed salt", "#d8d2c5", "S"), Terrain("planks", "#7c5637", "P")
    tileset.sets = [
        TerrainSet("Floor", SetKind.CORNER, (salt, planks), marks["floor"]),
        TerrainSet("Walls", SetKind.RING, (Terrain("wall", "#8c4d3b", "W"),), marks["wall"]),
        TerrainSet("Roofs", SetKind.RING, (Terrain("roof", "#b56a48", "R"),), marks["roof"]),
    ]
    return tileset


# The map


def yard_mix() -> Mix:
    """What grows round the yard."""
    entries = (MixEntry(yard_tile("reeds"), 3.0), MixEntry(yard_tile("thin reeds"), 4.0))
    return Mix("yard growth", entries, Fall(FallWay.CLUMPS, 4.0))


def yard_tile(name: str) -> TileRef:
    """Give a tile of the sheet by its name."""
    doors = 2
    first = len(yard_tiles()) - len(PROPS) - doors
    names = ["door along rows", "door along columns", *PROPS]
    return TileRef("yard", *divmod(first + names.index(name), COLUMNS))


def build_yard(project: Project) -> Map:
    """Build the map of diamonds: two stores, one with its roof on, a landing of planks."""
    map_ = Map("Store yard", 22, 22, HIGH, WIDE, grid=DIAMOND, background="#8fa3a0")
    floor = map_.new_ground_layer("Floor", "yard", "Floor")
    floor.terrain[:] = SALT
    floor.terrain[4:19, 9:14] = PLANKS
    floor.terrain[9:13, 3:22] = PLANKS
    floor.terrain[14:19, 14:20] = PLANKS
    map_.layers.append(floor)
    growth = map_.new_grown_layer("Growth")
    walls = map_.new_ground_layer("Walls", "yard", "Walls", SetKind.RING)
    things = map_.new_tile_layer("Things")
    sorted_ones: tuple[Layer, ...] = (growth, walls, things)
    for number, layer in enumerate(sorted_ones, 2):
        layer.interleaved, layer.number = True, number
        map_.layers.append(layer)
    for top, left, bottom, right in ((2, 2, 7, 8), (14, 2, 20, 9)):
        walls.terrain[top, left:right] = walls.terrain[bottom - 1, left:right] = 1
        walls.terrain[top:bottom, left] = walls.terrain[top:bottom, right - 1] = 1
    place = map_.legend.place
    for row, col, name in (
        (6, 5, "door along rows"), (17, 8, "door along columns"),
        (8, 3, "crates"), (8, 4, "crate"), (8, 6, "barrel"), (9, 3, "small crate"),
        (4, 9, "barrel"), (5, 9, "barrel"), (13, 16, "salt heap"), (13, 18, "salt heap"),
        (15, 15, "crate"), (15, 16, "crates"), (16, 15, "small crate"), (17, 18, "barrel"),
        (16, 4, "crates"), (16, 5, "crate"), (18, 4, "barrel"), (18, 6, "salt heap"),
        (10, 19, "crate"), (11, 20, "barrel"), (20, 12, "crate"), (3, 12, "small crate"),
    ):  # fmt: skip
        things.cells[row, col] = place(yard_tile(name))
    for row, col in ((6, 5), (17, 8)):  # a door is a piece of wall that was laid by hand
        walls.terrain[row, col] = 1
        walls.cells[row, col] = things.cells[row, col]
        walls.pinned[row, col] = True
        things.cells[row, col] = 0
    roofs = map_.new_ground_layer("Roofs", "yard", "Roofs", SetKind.RING)
    roofs.height = WALL
    roofs.terrain[2:7, 2:8] = 1
    map_.layers.append(roofs)
    above = map_.new_tile_layer("On the roof")
    above.height = WALL + ROOF
    above.cells[3, 6] = place(yard_tile("chimney"))
    map_.layers.append(above)
    map_.recipe = Recipe(9, (
        MixStep(growth.number, "yard growth", 0.12, floor.number, ("packed salt",), "inside",
                name="Growth", salt=1),
    ))  # fmt: skip
    doc = Document(project)
    doc.apply(lay_grown(map_, run_recipe(project, map_)))
    built = (walls.terrain[:-1, :-1] > 0) | (things.cells > 0)
    built[2:7, 2:8] = built[14:20, 2:9] = True
    growth.cells[built] = 0
    growth.pinned[built] = True
    doc.ensure_all(map_)
    return map_


def build_quay(project: Project) -> Map:
    """Build the small staggered map: a quay of planks with a store and what waits to be loaded."""
    grid = Grid.of(GridKind.STAGGERED, 30, 11)
    lattice = grid.lattice(30, 11, HIGH, WIDE)
    map_ = Map("Loading quay", lattice.rows, lattice.columns, HIGH, WIDE, grid=grid,
               background="#8fa3a0")  # fmt: skip
    at, place = lattice.cell_named, map_.legend.place
    floor = map_.new_ground_layer("Floor", "yard", "Floor")
    planks = np.zeros((30, 11), np.bool_)
    planks[20:], planks[4:22, 7:9], planks[14:22, 3:8] = True, True, True
    standing = standing_of(SetKind.CORNER)
    _, laid = standing.on_cells(lattice.whole, lattice.folded(planks))
    shown = standing.shown(lattice)
    assert shown is not None
    floor.terrain = np.where(shown, np.where(laid, PLANKS, SALT), 0).astype(np.uint8)
    map_.layers.append(floor)
    walls = map_.new_ground_layer("Walls", "yard", "Walls", SetKind.RING)
    walls.interleaved = True
    map_.layers.append(walls)
    things = map_.new_tile_layer("Things")
    things.interleaved = True
    map_.layers.append(things)
    top, left = at(4, 3)
    walls.terrain[top, left : left + 6] = walls.terrain[top + 4, left : left + 6] = 1
    walls.terrain[top : top + 5, left] = walls.terrain[top : top + 5, left + 5] = 1
    walls.cells[top + 4, left + 2] = place(yard_tile("door along rows"))
    walls.pinned[top + 4, left + 2] = True
    for row, col, name in (
        (21, 2, "crates"), (22, 2, "crate"), (23, 1, "small crate"), (20, 5, "barrel"),
        (21, 5, "barrel"), (24, 8, "crates"), (25, 8, "crate"), (23, 9, "small crate"),
        (27, 3, "salt heap"), (27, 5, "salt heap"), (28, 6, "barrel"), (2, 9, "barrel"),
        (16, 4, "small crate"), (11, 9, "crate"), (2, 1, "salt heap"), (16, 0, "salt heap"),
    ):  # fmt: skip
        things.cells[at(row, col)] = place(yard_tile(name))
    roofs = map_.new_ground_layer("Roofs", "yard", "Roofs", SetKind.RING)
    roofs.height = WALL
    roofs.terrain[top : top + 5, left : left + 3] = 1
    map_.layers.append(roofs)
    Document(project).ensure_all(map_)
    return map_
