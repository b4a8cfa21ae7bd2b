"""Edits after which tiles stand elsewhere: all that is known of them follows, or is told lost."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.tongue import say
from knitground.core.base.window import whole
from knitground.core.edit.atoms import Atom, PatchArray, SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.edit.rules import tile_moves
from knitground.core.edit.sheets import free_sheet, picture_atoms, sheet_atoms
from knitground.core.model.facts import moved_facts, moved_frames, with_facts
from knitground.core.model.layers import (
    EMPTY,
    GroundLayer,
    Layer,
    MarkerLayer,
    PinnedLayer,
    TileLayer,
)
from knitground.core.model.map import Map
from knitground.core.model.mix import Mix
from knitground.core.model.patch import Patch
from knitground.core.model.project import Project, free_name
from knitground.core.model.slicing import Area, Slicing
from knitground.core.model.terrain import no_marks
from knitground.core.model.tile import TileRef, tiles_in
from knitground.core.model.tileset import PLAIN, At, Picture, SheetFile, Tileset
from knitground.core.slicing.follow import Follow, follow_content, follow_pixels
from knitground.core.slicing.grid import lay_grid
from knitground.core.slicing.pieces import foot

_Translate = Callable[[TileRef], TileRef | None]


@dataclass
class Losses:
    """What can not follow: tiles with marks, with other facts, entries of mixes, cells by map."""

    marks: int = 0
    facts: int = 0
    entries: int = 0
    cells: dict[str, int] | None = None

    def lines(self) -> list[str]:
        """Say each in a line; none if nothing is lost."""
        out = []
        for count, what in (
            (self.marks, say("tiles with marks")),
            (self.facts, say("tiles with names, weights or other facts")),
            (self.entries, say("tiles of mixes")),
        ):
            if count:
                out.append(f"{count} {what}")
        return out + [
            say("{n} cells of “{name}”", n=n, name=name)
            for name, n in (self.cells or {}).items()
            if n
        ]


def nothing_hangs_on(project: Project, tileset: Tileset) -> bool:
    """Whether a sheet can be cut otherwise with nothing to lose.

    No tile of it is marked, known, laid on a map or named by a mix, a rule or a patch; a tile that
    once lay on a map counts until the project is opened again.
    """
    if tileset.facts or tileset.sets or tileset.order:
        return False
    name = tileset.name
    kits = [kit for each in project.tilesets for kit in each.sets]
    if any(name in kit.guests for kit in kits):
        return False
    named: list[object] = [project.mixes, project.rule_lists, [kit.rules for kit in kits]]
    named += [list(patch.rows) for patch in project.tray]
    for map_ in project.maps:
        named += [map_.legend.tiles, map_.recipe.steps]
    frames = {frame.tileset for each in project.tilesets for fact in each.facts.values()
              for frame in fact.frames}  # fmt: skip
    return name not in frames and all(tile.tileset != name for tile in tiles_in(named))


def use_slicing(project: Project, tileset: Tileset, slicing: Slicing) -> tuple[Edit, Losses]:
    """Cut a sheet in another way; marks, weights, mixes and cells follow the same pixels.

    Raises
    ------
    SlicingError
        The numbers do not cut this sheet.
    """
    grid = lay_grid(slicing, tileset.width, tileset.height)
    follow = follow_pixels(tileset.slicing, slicing, grid.rows, grid.columns)
    changed = Changed(What.SLICING, tileset=tileset)
    first: list[Atom] = [SetField(tileset, "slicing", slicing, changed)]
    size = f"{slicing.tile_width} × {slicing.tile_height}"
    what = say("{columns} loose pieces", columns=grid.columns) if slicing.pieces else size
    name = say("Slice “{name}” {what}", name=tileset.name, what=what)
    cut = (grid.rows, grid.columns)
    return _moved(project, tileset, follow, cut, first, name, slicing.pieces)


def cut_areas(project: Project, tileset: Tileset, cuts: Sequence[Slicing]) -> Edit:
    """Cut a sheet into regions, each its own way: it becomes the first, regions are added.

    Marks and cells of the sheet follow as `use_slicing` lets them; so it is for sheets that are
    not used yet that this is meant.

    Raises
    ------
    SlicingError
        A region does not lie on the sheet, or its numbers do not cut it.
    """
    first, *others = cuts
    atoms = [*use_slicing(project, tileset, first)[0].atoms]
    made: list[Tileset] = []
    names = [each.name for each in project.tilesets]
    for cut in others:
        lay_grid(cut, tileset.width, tileset.height)
        name = free_name(tileset.name, names)
        names.append(name)
        made.append(replace(tileset, name=name, slicing=cut, facts={}, sets=[], order=()))
    changed = Changed(What.TILESETS, tileset=tileset)
    atoms.append(SetField(project, "tilesets", [*project.tilesets, *made], changed))
    return Edit(
        say("Cut “{name}” into {count} areas", name=tileset.name, count=len(cuts)), tuple(atoms)
    )


def moved_tiles(slicing: Slicing, old: Picture | None, new: Picture) -> dict[At, At]:
    """Find the tiles that moved between two states of a sheet; changes nothing, may take long.

    Raises
    ------
    SlicingError
        The slicing does not cut one of the pictures.
    """
    after = lay_grid(slicing, new.shape[1], new.shape[0])
    if old is None:
        return {}
    return follow_content(old, lay_grid(slicing, old.shape[1], old.shape[0]), new, after)


def read_again(
    project: Project, tileset: Tileset, sheet: SheetFile, moved: dict[At, At]
) -> tuple[Edit, Losses]:
    """Take a sheet as it is on disk now; tiles that moved (`moved_tiles`) are followed.

    Raises
    ------
    SlicingError
        The slicing does not cut the new picture.
    """
    height, width = sheet.picture.shape[:2]
    new = lay_grid(tileset.slicing, width, height)

    arrived = set(moved.values())

    def follow(at: At) -> At | None:
        # Where another tile has come to lie, the one that was there is gone.
        return moved.get(at) or (None if at in arrived else at)

    first = picture_atoms(tileset, sheet.picture, sheet.data)
    size = (max(new.rows, tileset.rows), max(new.columns, tileset.columns))
    name = say("Read “{sheet}” again", sheet=tileset.sheet)
    return _moved(project, tileset, follow, size, first, name)


def use_relaid(
    project: Project, tileset: Tileset, picture: Picture, slicing: Slicing, sheet: str
) -> Edit:
    """Take a sheet that was laid out anew: tiles keep their order, everything follows."""
    height, width = picture.shape[:2]
    grid = lay_grid(slicing, width, height)
    columns = tileset.columns

    def follow(at: At) -> At | None:
        return divmod(at[0] * columns + at[1], grid.columns) if tileset.has(*at) else None

    changed = Changed(What.SLICING, tileset=tileset)
    first = [
        *picture_atoms(tileset, picture, None),
        SetField(tileset, "slicing", slicing, changed),
        SetField(tileset, "sheet", free_sheet(project, sheet, picture), changed),
        SetField(tileset, "origin", None, changed),
    ]
    size = (grid.rows, grid.columns)
    return _moved(project, tileset, follow, size, first, say("Re-lay “{name}”", name=tileset.name))[
        0
    ]


def reskin(project: Project, tileset: Tileset, sheet: SheetFile) -> Edit:
    """Give a tileset another picture with the same arrangement; all else stays."""
    return Edit(
        say("Reskin “{name}”", name=tileset.name), tuple(sheet_atoms(project, tileset, sheet))
    )


def swap_tileset(map_: Map, old: str, new: str) -> Edit:
    """Let a map take its tiles from another tileset, by row and column."""
    atoms: list[Atom] = []
    for layer in map_.layers:
        if isinstance(layer, GroundLayer) and layer.tileset == old:
            atoms.append(SetField(layer, "tileset", new, Changed(What.KNITTING, map_, layer)))

    def translate(tile: TileRef) -> TileRef | None:
        return tile._replace(tileset=new) if tile.tileset == old else tile

    table = _table(map_, translate)
    for layer in map_.layers:
        atoms += _cells_atoms(map_, layer, table, translate)[0]
    return Edit(
        say("“{name}”: {new} instead of {old}", name=map_.name, new=new, old=old), tuple(atoms)
    )


def _moved(
    project: Project,
    tileset: Tileset,
    follow: Follow,
    size: tuple[int, int],
    first: list[Atom],
    name: str,
    pieces: tuple[Area, ...] = (),
) -> tuple[Edit, Losses]:
    atoms, losses = list(first), Losses(cells={})
    changed = Changed(What.MARKS, tileset=tileset)
    for kit in tileset.sets:
        marks, lost = _moved_marks(kit.marks, follow, size)
        losses.marks += lost
        if marks.shape != kit.marks.shape or (marks != kit.marks).any():
            atoms.append(SetField(kit, "marks", marks, changed))
    for owner in project.tilesets:
        for kit in owner.sets:
            if tileset.name in kit.guests:
                marks, lost = _moved_marks(kit.guests[tileset.name], follow, size)
                losses.marks += lost
                guests = {**kit.guests, tileset.name: marks}
                marked = Changed(What.MARKS, tileset=owner)
                atoms.append(SetField(kit, "guests", guests, marked))
    more, losses.facts = _facts_atoms(tileset, follow, pieces)
    atoms += [*more, *_frames_atoms(project, tileset, follow)]

    def translate(tile: TileRef) -> TileRef | None:
        if tile.tileset != tileset.name:
            return tile
        new = follow((tile.row, tile.col))
        return TileRef(tile.tileset, *new, tile.turn) if new else None

    mixes = [_moved_mix(mix, translate) for mix in project.mixes]
    losses.entries = sum(len(a.entries) - len(b.entries) for a, b in zip(project.mixes, mixes))
    if mixes != project.mixes:
        atoms.append(SetField(project, "mixes", mixes, Changed(What.MIXES)))
    atoms += tile_moves(project, translate)
    tray = [_moved_patch(patch, translate) for patch in project.tray]
    if tray != project.tray:
        atoms.append(SetField(project, "tray", tray, Changed(What.TRAY)))
    for map_ in project.maps:
        table = _table(map_, translate)
        lost_cells = 0
        for layer in map_.layers:
            more, lost = _cells_atoms(map_, layer, table, translate)
            atoms += more
            lost_cells += lost
        if lost_cells and losses.cells is not None:
            losses.cells[map_.name] = lost_cells
    return Edit(name, tuple(atoms)), losses


def _facts_atoms(
    tileset: Tileset, follow: Follow, pieces: tuple[Area, ...]
) -> tuple[list[Atom], int]:
    """Move facts and the own order with their tiles; new pieces stand on their foot."""
    changed = Changed(What.MARKS, tileset=tileset)
    facts, lost = moved_facts(tileset.facts, follow)
    for number, area in enumerate(pieces):
        if facts.get((0, number), PLAIN).anchor is None:
            facts = with_facts(facts, [(0, number)], partial(replace, anchor=foot(area)))
    order = tuple(new for old in tileset.order if (new := follow(old)) is not None)
    atoms: list[Atom] = []
    if facts != tileset.facts:
        atoms.append(SetField(tileset, "facts", facts, changed))
    if order != tileset.order:
        atoms.append(SetField(tileset, "order", order, changed))
    return atoms, lost


def _frames_atoms(project: Project, tileset: Tileset, follow: Follow) -> list[Atom]:
    """Move what other tilesets show of this one as frames."""
    atoms: list[Atom] = []
    for owner in project.tilesets:
        facts = dict(owner.facts)
        for at, fact in owner.facts.items():
            moved = moved_frames(fact.frames, tileset.name, follow) if fact.frames else ()
            if moved != fact.frames:
                facts = with_facts(facts, [at], partial(replace, frames=moved))
        if owner is not tileset and facts != owner.facts:
            atoms.append(SetField(owner, "facts", facts, Changed(What.LOOKS, tileset=owner)))
    return atoms


def _moved_marks(
    marks: NDArray[np.uint8], follow: Follow, size: tuple[int, int]
) -> tuple[NDArray[np.uint8], int]:
    out = no_marks(*size)
    lost = 0
    for row, col in np.argwhere(marks.any(axis=2)).tolist():
        new = follow((row, col))
        if new is None or new[0] >= size[0] or new[1] >= size[1]:
            lost += 1
        else:
            out[new] = marks[row, col]
    return out, lost


def _moved_mix(mix: Mix, translate: _Translate) -> Mix:
    entries = tuple(
        replace(entry, tile=tile)
        for entry in mix.entries
        if (tile := translate(entry.tile)) is not None
    )
    entries = tuple(
        replace(entry, patch=_moved_patch(entry.patch, translate)) if entry.patch else entry
        for entry in entries
    )
    return mix if entries == mix.entries else replace(mix, entries=entries)


def _moved_patch(patch: Patch, translate: _Translate) -> Patch:
    """Translate a patch of the tray; tiles that can not follow leave holes."""
    rows = tuple(tuple(translate(tile) if tile else None for tile in row) for row in patch.rows)
    return patch if rows == patch.rows else Patch(patch.name, rows)


def _table(map_: Map, translate: _Translate) -> NDArray[np.int32]:
    """New place by old place of the legend; -1 for tiles that can not follow."""
    tiles = map_.legend.tiles
    out = np.zeros(len(tiles), np.int32)
    for place, tile in enumerate(tiles):
        if tile is not None:
            new = translate(tile)
            out[place] = map_.legend.place(new) if new is not None else -1
    return out


def _cells_atoms(
    map_: Map, layer: Layer, table: NDArray[np.int32], translate: _Translate
) -> tuple[list[Atom], int]:
    """Translate what was laid by hand on a layer; returns the atoms and the cells lost."""
    if isinstance(layer, MarkerLayer):
        return _markers_atoms(map_, layer, translate)
    if not layer.holds_tiles:
        return [], 0
    noted = _laid_atoms(map_, layer, translate)
    laid = layer.stored()
    old = layer.cells[laid]
    new = table[old]
    if (new == old).all():
        return noted, 0
    cells = layer.cells.copy()
    cells[laid] = np.where(new < 0, EMPTY, new)
    lost = laid.copy()
    lost[laid] = new < 0
    box = whole(cells)
    changed = Changed(What.CELLS, map_, layer, box)
    atoms: list[Atom] = [*noted, PatchArray(layer, "cells", box, cells, changed)]
    if isinstance(layer, PinnedLayer) and lost.any():
        atoms.insert(0, PatchArray(layer, "pinned", box, layer.pinned & ~lost, changed))
    return atoms, int(lost.sum())


def _laid_atoms(map_: Map, layer: Layer, translate: _Translate) -> list[Atom]:
    """Let fills that can be laid anew follow their tiles."""
    if not isinstance(layer, TileLayer) or not layer.laid:
        return []
    laid = tuple(
        replace(each, tiles=tuple(new for tile in each.tiles if (new := translate(tile))))
        for each in layer.laid
    )
    if laid == layer.laid:
        return []
    return [SetField(layer, "laid", laid, Changed(What.LAYERS, map_, layer))]


def _markers_atoms(map_: Map, layer: MarkerLayer, translate: _Translate) -> tuple[list[Atom], int]:
    """Translate the tiles of free pictures; one whose tile is gone stays, as a missing picture."""
    markers = tuple(
        replace(each, tile=translate(each.tile) or each.tile) if each.tile else each
        for each in layer.markers
    )
    if markers == layer.markers:
        return [], 0
    changed = Changed(What.MARKERS, map_, layer)
    return [SetField(layer, "markers", markers, changed)], 0
