"""The look-up table of a ground layer, from the project's marks and weights."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.window import whole
from knitground.core.knit.keys import Key, keys_of
from knitground.core.knit.knit import knit_box
from knitground.core.knit.ring import reduced
from knitground.core.knit.table import KnitTable, Variants, build_table
from knitground.core.model.layers import GAP, GroundLayer
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.rules import RuleList
from knitground.core.model.standing import standing_of
from knitground.core.model.terrain import ANY, SetKind, TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Tileset
from knitground.core.rules.ruletable import RuleTable
from knitground.core.rules.table import compile_rules, stock_of

_MOST_SURE = 20_000


def layer_table(
    project: Project, map_: Map, layer: GroundLayer, rules: RuleList | None = None
) -> KnitTable:
    """Build the table for a layer; a set that is not there makes one with no tiles.

    `rules` are tried instead of the set's own, if given.
    """
    found = project.set_of(layer.tileset, layer.set_name)
    if found is None:
        return build_table(np.zeros((0, 9), np.uint8), [], [], 1, layer.kind_of_set)
    owner, kit = found
    if kit.kind is not layer.kind_of_set:  # another set of that name has come: nothing fits
        return build_table(np.zeros((0, 9), np.uint8), [], [], 1, layer.kind_of_set)
    marks, tiles = marked_tiles(project, owner, kit)
    owners = {each.name: each for each in project.tilesets}
    places = [map_.legend.place(tile) for tile in tiles]
    facts = [owners[tile.tileset].fact(tile.row, tile.col) for tile in tiles]
    weights, inner = [each.weight for each in facts], [each.inner for each in facts]
    listed = kit.rules if rules is None else rules
    compiled = compile_rules(listed, kit, stock_of(project, map_))
    ruled = _sure_keys(compiled)
    table = build_table(marks, places, weights, compiled.count, kit.kind, inner, ruled)
    ruling = None if compiled.does_nothing else compiled
    lattice = map_.lattice
    standing = standing_of(kit.kind)
    return replace(
        table, rules=ruling, exists=lattice.exists, homes=standing.homes(lattice),
        shown=standing.shown(lattice),
    )  # fmt: skip


def _sure_keys(rules: RuleTable) -> dict[Key, Variants]:
    """List the keys that rules are sure to give tiles to, and those: no bridge is needed there."""
    if rules.quick is None:
        return {}
    if rules.kind is SetKind.RING:
        grid = rules.quick.reshape(-1, 256)
        keys: dict[Key, set[int]] = {}
        for own in range(1, rules.count + 1):
            for bits in range(256):
                keys.setdefault((own, reduced(bits)), set()).add(int(grid[own, bits]))
        forms = {key: min(each) for key, each in keys.items()}
    else:
        found = np.flatnonzero(rules.quick)
        every = np.stack([found >> 4 * n & 15 for n in range(4)], axis=1)
        known = (every <= rules.count).all(axis=1)
        places, every = found[known][:_MOST_SURE], every[known][:_MOST_SURE]
        forms = {tuple(key): int(rules.quick[at]) for key, at in zip(every.tolist(), places)}
    return {key: tiles for key, form in forms.items() if form and (tiles := rules.variants(form))}


def set_table(project: Project, owner: Tileset, kit: TerrainSet) -> tuple[KnitTable, Map]:
    """Build the table of a set for itself; places are of the legend of the small map returned."""
    cut = owner.slicing
    map_ = Map("", 1, 1, cut.tile_height, cut.tile_width)
    layer = map_.new_ground_layer("", owner.name, kit.name, kit.kind)
    map_.layers.append(layer)
    return layer_table(project, map_, layer), map_


def marked_tiles(
    project: Project, owner: Tileset, kit: TerrainSet
) -> tuple[NDArray[np.uint8], list[TileRef]]:
    """List the tiles of a set that carry a mark, left-out ones apart.

    Returns
    -------
    their marks (n, 9), and the tiles: those of the set's own sheet first, row by row, then those of
    other tilesets in the project's order
    """
    all_marks: list[NDArray[np.uint8]] = []
    tiles: list[TileRef] = []
    for tileset, marks in _sheets_of(project, owner, kit):
        rows, cols = np.nonzero(marks.any(axis=2))
        all_marks.append(marks[rows, cols])
        tiles += [TileRef(tileset.name, int(r), int(c)) for r, c in zip(rows, cols)]
    return np.concatenate(all_marks), tiles


def _sheets_of(
    project: Project, owner: Tileset, kit: TerrainSet
) -> Iterator[tuple[Tileset, NDArray[np.uint8]]]:
    """Yield the sheets whose tiles a set knows, its own first, with marks (rows, columns, 9).

    Tiles that are left out have none.
    """
    for tileset in (owner, *(each for each in project.tilesets if each is not owner)):
        guest = None if tileset is owner else tileset.name
        if guest is not None and guest not in kit.guests:
            continue
        high, wide = tileset.rows, tileset.columns
        marks = kit.marks_within(high, wide, guest)
        for row, col in tileset.left_out:
            if 0 <= row < high and 0 <= col < wide:
                marks[row, col] = 0
        yield tileset, marks


def plain_terrains(project: Project, owner: Tileset, kit: TerrainSet) -> frozenset[int]:
    """Tell which terrains of a set have a tile for cells with nothing else round them.

    The same as `KnitTable.has_plain`, without making the table: what a list of terrains needs to
    know of sheets with ten thousands of marked tiles.
    """
    count, asks = len(kit.terrains), keys_of(kit.kind)
    found: set[Key] = set()
    for tileset, marks in _sheets_of(project, owner, kit):
        for (row, col), fact in tileset.facts.items():
            if not fact.weight > 0 and row < marks.shape[0] and col < marks.shape[1]:
                marks[row, col] = 0
        rows = marks.reshape(-1, marks.shape[2])
        own = rows[:, kit.kind.slots]
        least = np.where(own == ANY, 255, own).min(axis=1)
        most = np.where(own == ANY, 0, own).max(axis=1)
        # Of tiles with a single terrain, or none named, few are marked in different ways.
        for each in np.unique(rows[(least == most) | (most == 0)], axis=0).tolist():
            found.update(asks.of_marks(each, count)[1])
    wanted = {number: asks.plain(number) for number in range(1, count + 1)}
    if kit.rules.rules and not found.issuperset(wanted.values()):
        small = Map("", 1, 1, owner.slicing.tile_height, owner.slicing.tile_width)
        found.update(_sure_keys(compile_rules(kit.rules, kit, stock_of(project, small))))
    return frozenset(number for number, key in wanted.items() if key in found)


def knit_map(project: Project, map_: Map) -> int:
    """Knit all ground layers of a map afresh; returns the number of gaps."""
    gaps = 0
    for layer in map_.layers:
        if isinstance(layer, GroundLayer):
            layer.cells[:] = knit_box(
                layer_table(project, map_, layer), layer, whole(layer.cells), wrap=map_.wrap
            )
            gaps += int((layer.cells == GAP).sum())
    return gaps
