"""Small maps and sets for tests, drawn as text."""

from dataclasses import fields, is_dataclass
from itertools import product

import numpy as np

from knitground.core.base.window import Box, read
from knitground.core.edit.document import Document
from knitground.core.model.lattice import Lattice
from knitground.core.model.layers import GroundLayer, GrownLayer, Layer
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.recipe import RewriteStep
from knitground.core.model.slicing import Slicing
from knitground.core.model.terrain import SetKind, Slot, Terrain, TerrainSet
from knitground.core.model.tileset import Tileset
from knitground.core.render.compose import Frame, Plane, compose
from knitground.core.render.stack import draw, stack_of

CORNERS = (Slot.NW, Slot.NE, Slot.SW, Slot.SE)


def grid(text, letters=".BCLP"):
    """Turn lines of letters into a uint8 array: each letter's place in `letters`."""
    lines = text.strip().split()
    return np.array([[letters.index(each) for each in line] for line in lines], np.uint8)


def text_of(values, letters=".BCLP"):
    return "\n".join("".join(letters[v] for v in line) for line in values)


def pair_marks(pairs, copies=1):
    """Marks (n, 8) of complete corner sets for each pair of terrains."""
    combos = sorted({corner for pair in pairs for corner in product(pair, repeat=4)})
    rows = []
    for corner in combos:
        for _ in range(copies):
            marks = np.zeros(8, np.uint8)
            marks[list(CORNERS)] = corner
            rows.append(marks)
    return np.array(rows)


def small_project(size=(8, 10), wrap=False, pairs=((1, 2), (2, 3)), copies=2, tile=8):
    """A project with one sheet of marked tiles and one map with a ground and a tile layer."""
    marks = pair_marks(pairs, copies)
    count, columns = len(marks), 8
    rows = -(-count // columns)
    rng = np.random.default_rng(5)
    picture = rng.integers(0, 256, (rows * tile, columns * tile, 4), np.uint8)
    picture[..., 3] = 255
    terrains = tuple(
        Terrain(n, c, letter)
        for n, c, letter in (
            ("brine", "#2f8f9d", "B"),
            ("crust", "#f2ede1", "C"),
            ("clay", "#b9822f", "L"),
        )
    )
    laid = np.zeros((rows, columns, 9), np.uint8)
    laid.reshape(-1, 9)[:count, :8] = marks
    tileset = Tileset(
        "sheet", "sheet.png", columns * tile, rows * tile, Slicing(tile, tile), picture=picture
    )
    tileset.sets = [TerrainSet("Set", SetKind.CORNER, terrains, laid)]
    map_ = Map("Map", *size, tile, tile, wrap)
    ground = map_.new_ground_layer("Ground", "sheet", "Set")
    ground.terrain[:] = 2
    map_.layers.append(ground)
    map_.layers.append(map_.new_tile_layer("Tiles"))
    project = Project("Small", None, [tileset], [], [map_])
    return Document(project), map_, ground, map_.layers[1]


def planes(stack, opacities=None):
    """Planes of layers of cells, back one first, for the compositor."""
    parts = opacities or [1.0] * len(stack)
    return [Plane(cells, opacity=part) for cells, part in zip(stack, parts)]


def composed(pictures, stack, opacities=None):
    """Compose layers of cells that all begin at the upper left."""
    lattice = Lattice(*stack[0].shape, pictures.high, pictures.wide)
    frame = Frame(lattice, lattice.bounds(lattice.whole))
    return compose(pictures, planes(stack, opacities), frame)


def drawn(map_, atlas, box=None, level=0, cells_of=None, layers=None):
    """Draw a box of a map's cells at a level, with what the layers hold."""
    rect = atlas.lattice(level).bounds(box or Box(0, 0, map_.height, map_.width))
    cells_of = cells_of or (lambda layer, part: read(layer.cells, part))
    return draw(atlas, stack_of(map_, atlas, rect, level, cells_of, layers))


_NOT_SAVED = {"folder", "known", "origin", "data", "legend", "of", "_out", "prints", "relief_data"}


def snapshot(project):
    """All of a project that is to be saved, field by field, to compare two states.

    It is made of the dataclasses themselves, not of what the files hold: a field that saving
    forgets is seen.
    """
    return _plain(project, None)


def _plain(value, map_):
    if isinstance(value, Map):
        map_ = value
    if is_dataclass(value):
        out = {
            each.name: _plain(getattr(value, each.name), map_)
            for each in fields(value)
            if each.name not in _NOT_SAVED
        }
        if isinstance(value, Layer):
            out["cells"] = _cells(value, map_)
        if isinstance(value, Map):
            out["layers"] = [_plain(each, value) for each in value.layers]
        if isinstance(value, TerrainSet):
            out["guests"] = {name: each for name, each in out["guests"].items() if each}
        return type(value).__name__, out
    if isinstance(value, np.ndarray):
        return _array(value)
    if isinstance(value, dict):
        return {key: _plain(each, map_) for key, each in value.items()}
    if isinstance(value, list | tuple) and not hasattr(value, "_fields"):
        return [_plain(each, map_) for each in value]
    return value


def _array(value):
    """An array without the empty places at its end: marks are kept as far as there are any."""
    for axis in (0, 1)[: value.ndim - 1] if value.ndim == 3 and value.shape[2] == 9 else ():
        other = tuple(n for n in range(value.ndim) if n != axis)
        used = np.flatnonzero(value.any(axis=other))
        value = value.take(range(int(used[-1]) + 1 if used.size else 0), axis)
    return (value.shape, value.tobytes()) if value.size else None


def _cells(layer, map_):
    """What was laid by hand, as tiles: places of a legend are not the same after opening."""
    cells = layer.cells
    follows = {step.layer for step in map_.recipe.steps if isinstance(step, RewriteStep)}
    made = isinstance(layer, GrownLayer) and layer.number in follows
    if isinstance(layer, GroundLayer) or made:  # what is made is not compared
        cells = np.where(layer.pinned, cells, 0)
    if not layer.holds_tiles:
        return _array(cells)
    places, back = np.unique(cells, return_inverse=True)
    tiles = [map_.legend.tile(int(each)) for each in places]
    order = sorted(range(len(tiles)), key=lambda n: tiles[n] or ())
    rank = np.empty(len(tiles), np.int64)
    rank[order] = np.arange(len(tiles))
    return cells.shape, [tiles[n] for n in order], rank[back].tobytes()
