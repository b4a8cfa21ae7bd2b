"""The door for scripts and notebooks: what a person does in the window, with the same result.

Places are always (row, column), sizes (height, width), from 0. `docs/scripting.md` shows a map made
from a picture. Everything that changes a project is a step that `undo` takes back; whatever is
refused raises a `KnitError` that says why.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager, nullcontext
from dataclasses import replace
from itertools import pairwise
from pathlib import Path
from types import NoneType
from typing import TypeVar, get_args

import numpy as np

from knitground.core.base.errors import EditError, GrowError, KnitError
from knitground.core.base.window import Box
from knitground.core.edit.desk import FILL_BY, MAX_BRUSH, Desk, Pointer, ToolOptions
from knitground.core.edit.document import Document, Edit
from knitground.core.edit.flood import Region
from knitground.core.edit.hand import Hand, MixInHand, TerrainInHand, TileInHand
from knitground.core.edit.layers import add_layer
from knitground.core.edit.laying import Plan
from knitground.core.edit.maps import add_map, lay_grown
from knitground.core.edit.planning import plan_dab, plan_fill, plan_path, plan_region, refusal
from knitground.core.edit.reasons import why_cell
from knitground.core.edit.recipes import Over, grow_round
from knitground.core.edit.reslice import use_slicing
from knitground.core.edit.sheets import add_tileset
from knitground.core.edit.terrainlist import add_terrain
from knitground.core.edit.terrains import add_set, colours_from_art, paint_marks, set_marks
from knitground.core.files.newsheets import new_tileset
from knitground.core.files.opening import open_project
from knitground.core.files.saving import save_project, settle_after_save
from knitground.core.files.ship.png import MapPicture, map_picture
from knitground.core.files.ship.ship import USUAL_FORMATS, maps_of, profile_folder, ship
from knitground.core.grow.plainless import find_plainless
from knitground.core.grow.runner import run_recipe
from knitground.core.knit.explain import Why
from knitground.core.knit.guessing import guess_sheet
from knitground.core.knit.sides import sides_along
from knitground.core.model.lattice import Grid, GridKind
from knitground.core.model.layers import GroundLayer, Layer
from knitground.core.model.limits import MAX_CELLS, MAX_SIDE, MAX_SIDE_PX
from knitground.core.model.map import Map, gaps_of, grid_of
from knitground.core.model.profile import OptionValue, ShipPart
from knitground.core.model.project import Project
from knitground.core.model.recipe import Recipe
from knitground.core.model.slicing import Slicing
from knitground.core.model.standing import standing_of
from knitground.core.model.terrain import ANY, SetKind, Slot, TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Tileset
from knitground.core.proof.finding import Finding
from knitground.core.proof.proof import prove
from knitground.core.slicing.likely import likely_grids

__all__ = ["KnitError", "LayerDoor", "MapDoor", "MapPicture", "ProjectDoor", "SetDoor",
           "SheetDoor", "new", "open"]  # fmt: skip

Place = tuple[int, int]
Door = TypeVar("Door", "SheetDoor", "MapDoor", "LayerDoor")


def new() -> ProjectDoor:
    """Begin an empty project."""
    return ProjectDoor(Project())


def open(folder: str | Path) -> ProjectDoor:
    """Open a project's folder, or its project.knit.json."""
    return ProjectDoor(open_project(_path(folder)).project)


class ProjectDoor:
    """A project: its sheets and maps, steps, saving and shipping."""

    def __init__(self, project: Project) -> None:
        self.doc = Document(project)

    @property
    def project(self) -> Project:
        """The project itself."""
        return self.doc.project

    @property
    def sheets(self) -> list[SheetDoor]:
        """All sheets."""
        return [SheetDoor(self, each) for each in self.project.tilesets]

    @property
    def maps(self) -> list[MapDoor]:
        """All maps."""
        return [MapDoor(self, each) for each in self.project.maps]

    def proof(self, only: Sequence[str] | None = None) -> list[Finding]:
        """List what is wrong with the project, the worst first.

        Parameters
        ----------
        only : keys of checks (`CHECKS` in `core/proof/proof.py`), by default all

        Returns
        -------
        findings, those apart that were said to be no fault; each has `words`, `map`, `places`
        (cells as the program keeps them) and `count`
        """
        if only is not None:
            _kind(only, (list, tuple), "a list of checks", "['gaps', 'seams']")
            only = [_name(each, "check") for each in only]
        return list(prove(self.doc, None, only).findings)

    def sheet(self, name: str) -> SheetDoor:
        """Find a sheet by its name."""
        return _named(self.sheets, name, "sheet")

    def map(self, name: str) -> MapDoor:
        """Find a map by its name."""
        return _named(self.maps, name, "map")

    def add_sheet(
        self, path: str | Path, name: str | None = None, slicing: Slicing | None = None
    ) -> SheetDoor:
        """Add a sheet; without a slicing the likeliest grid of its art is taken."""
        where = _path(path)
        _kind(slicing, (Slicing, NoneType), "a slicing", "Slicing(16, 16)")
        tileset = new_tileset(where, _name(name or where.stem, "sheet"), self.project.sheets_room)
        assert tileset.picture is not None
        if slicing is None:
            likely = likely_grids(tileset.picture, 1)
            slicing = likely[0].slicing if likely else tileset.slicing
        tileset.slicing = slicing
        self.doc.apply(add_tileset(self.project, tileset))
        return SheetDoor(self, tileset)

    def add_map(
        self,
        name: str,
        size: tuple[int, int],
        tile: tuple[int, int],
        *,
        wrap: bool = False,
        grid: str = "square",
        shifted: str = "rows",
        first_shifted: bool = False,
    ) -> MapDoor:
        """Add a map of (height, width) cells, of (height, width) pixels each.

        Parameters
        ----------
        tile : of a grid of "diamond" or "staggered" cells, which stand on a corner, the base: the
            rectangle round one
        shifted, first_shifted : of a staggered one whether every other of its "rows" lies half a
            cell further right, or of its "columns" further down; and whether the first does
        """
        high, wide = _pair(size, "the size of a map", least=1, most=MAX_SIDE)
        tile_high, tile_wide = _pair(tile, "the size of a tile", least=1, most=MAX_SIDE_PX)
        if high * wide > MAX_CELLS:
            raise EditError(f"a map of {high} × {wide} cells has more than {MAX_CELLS}: give less")
        kinds = [each.value for each in GridKind]
        if grid not in kinds:
            raise EditError(f"{str(grid)[:80]!r} is no grid: give one of {', '.join(kinds)}")
        if shifted not in ("rows", "columns"):
            raise EditError(f"{str(shifted)[:80]!r} can not be shifted: give rows or columns")
        if wrap and grid == GridKind.STAGGERED:
            raise EditError("a staggered map does not wrap: take a square or a diamond grid")
        how = Grid.of(GridKind(grid), high, wide, by_columns=shifted == "columns",
                      first=bool(first_shifted))  # fmt: skip
        lattice = how.lattice(high, wide, tile_high, tile_wide)
        map_ = Map(
            _name(name, "map"), lattice.rows, lattice.columns, tile_high, tile_wide,
            wrap=bool(wrap), grid=how,
        )  # fmt: skip
        self.doc.apply(add_map(self.project, map_))
        return MapDoor(self, map_)

    @contextmanager
    def step(self, name: str) -> Iterator[None]:
        """Take all that is done inside as one step; if it fails, none of it was done."""
        with self.doc.stroke(_name(name, "step")):
            yield

    def undo(self) -> str | None:
        """Take the last step back; returns its name."""
        return self.doc.undo()

    def redo(self) -> str | None:
        """Do the step again that was taken back."""
        return self.doc.redo()

    def save(self, folder: str | Path | None = None, *, overwrite: bool = False) -> list[Path]:
        """Write the project into a folder, by default its own; returns the files written."""
        home = _path(folder) if folder is not None else self.project.folder
        if home is None:
            raise EditError("the project has no folder yet: name one to save it in")
        saved = save_project(self.project, home, overwrite=overwrite)
        settle_after_save(self.project, saved)
        self.doc.mark_saved()
        return saved.written

    def ship(
        self,
        folder: str | Path | None = None,
        formats: Sequence[str] | Mapping[str, Mapping[str, OptionValue]] = USUAL_FORMATS,
        *,
        profile: str = "",
        overwrite: bool = False,
    ) -> list[Path]:
        """Write what a game loads, of all maps or those of a profile; returns the files.

        Cells without a tile are shipped as gaps: ask `MapDoor.gaps` first. Files that were not
        shipped from here are replaced only with `overwrite`.

        Parameters
        ----------
        folder : by default that of the profile, inside the project's
        formats : names, or options by name: {"png": {"scale": "2", "chunk": 16}}
        profile : of the project, instead of `formats`
        """
        if isinstance(formats, Mapping):
            for each in formats.values():
                _kind(each, (Mapping,), "options by name", "{'png': {'scale': '2'}}")
            parts = [ShipPart(_name(each, "format"), dict(options))
                     for each, options in formats.items()]  # fmt: skip
        else:
            if not isinstance(formats, str):
                _kind(formats, (list, tuple), "a list of formats", "['png', 'json']")
            every = [formats] if isinstance(formats, str) else formats
            parts = [ShipPart(_name(each, "format")) for each in every]
        maps = self.project.maps
        _kind(profile, (str,), "the name of a profile", "'game'")
        if profile:
            asked = next((each for each in self.project.profiles if each.name == profile), None)
            if asked is None:
                raise EditError(f"there is no profile “{profile[:60]}”")
            maps, parts = maps_of(self.project, asked), list(asked.parts) or parts
            if folder is None and self.project.folder is not None:
                folder = profile_folder(self.project.folder, asked)
        if folder is None:
            raise EditError("name a folder to ship to, or a profile of a project that was saved")
        shipped = ship(
            self.project, maps, _path(folder), parts, knit=self.doc.ensure_all,
            overwrite=overwrite, profile=profile,
        )  # fmt: skip
        return shipped.files


class SheetDoor:
    """A sheet with its slicing and its terrain sets."""

    def __init__(self, owner: ProjectDoor, tileset: Tileset) -> None:
        self.owner = owner
        self.tileset = tileset

    @property
    def name(self) -> str:
        """Its name."""
        return self.tileset.name

    @property
    def sets(self) -> list[SetDoor]:
        """Its terrain sets."""
        return [SetDoor(self, each) for each in self.tileset.sets]

    def slice(self, slicing: Slicing) -> None:
        """Cut it anew; marks, facts and cells follow the same pixels where they can."""
        _kind(slicing, (Slicing,), "a slicing", "Slicing(16, 16)")
        edit, _ = use_slicing(self.owner.project, self.tileset, slicing)
        self.owner.doc.apply(edit)

    def add_set(self, kind: str, terrains: Sequence[str], name: str | None = None) -> SetDoor:
        """Add a terrain set of kind corner, edge or ring."""
        known = [each.value for each in SetKind]
        if kind not in known:
            raise EditError(f"“{kind}” is no kind of set: give one of {', '.join(known)}")
        if isinstance(terrains, str) or not isinstance(terrains, Sequence) or not terrains:
            raise EditError(f"{terrains!r} is no list of terrains: give one like ['grass', 'sand']")
        terrains = [_name(each, "terrain") for each in terrains]
        kit = TerrainSet(_name(name or ", ".join(terrains), "set"), SetKind(kind))
        with self.owner.doc.stroke(f"Add {kind} set “{kit.name}”"):
            self.owner.doc.apply(add_set(self.tileset, kit))
            for each in terrains:
                self.owner.doc.apply(add_terrain(self.tileset, kit, each))
        return SetDoor(self, kit)

    def has(self, row: int, col: int) -> None:
        """See to it that there is a tile.

        Raises
        ------
        EditError
            There is none.
        """
        at = _pair((row, col), "the place of a tile", least=-MAX_SIDE_PX, most=MAX_SIDE_PX)
        if not self.tileset.has(*at):
            raise EditError(f"“{self.name}” has no tile in row {row}, column {col}")

    def tile(self, row: int, col: int, turn: int = 0) -> TileInHand:
        """Take a tile in hand, to paint with it."""
        self.has(row, col)
        if type(turn) is not int or not 0 <= turn <= 7:
            raise EditError(f"turn {str(turn)[:80]!r} is not known: give 0 to 7")
        return TileInHand(TileRef(self.name, row, col, turn), self.tileset.number(row, col))


class SetDoor:
    """A terrain set: what the tiles of a sheet show at their sides and corners."""

    def __init__(self, sheet: SheetDoor, kit: TerrainSet) -> None:
        self.sheet = sheet
        self.kit = kit

    @property
    def name(self) -> str:
        """Its name."""
        return self.kit.name

    def terrain(self, name: str) -> TerrainInHand:
        """Take a terrain in hand, to paint with it."""
        return TerrainInHand(self.sheet.name, self.name, self._mark(name), name)

    def _mark(self, name: str) -> int:
        if name == "any":
            return ANY
        mark = self.kit.number_of(name)
        if not mark and name != "nothing":
            known = ", ".join(each.name for each in self.kit.terrains)
            raise EditError(f"“{self.name}” has no terrain “{name}”: it has {known}")
        return mark

    def mark(self, row: int, col: int, shows: str | Mapping[str, str]) -> None:
        """Say what a tile shows: one terrain everywhere, or a terrain by slot (“NW”, “E”, …)."""
        kind = self.kit.kind
        self.sheet.has(row, col)
        slots = {each.name: shows for each in kind.slots} if isinstance(shows, str) else shows
        if not isinstance(slots, Mapping):
            raise EditError(f"{shows!r} is no terrain: give a name, or names by slot")
        strange = set(slots) - {each.name for each in kind.slots}
        if strange:
            usual = ", ".join(each.name for each in kind.slots)
            raise EditError(
                f"a set of kind {kind.value} has no slot {min(map(str, strange))}: it has {usual}"
            )
        doc, tileset = self.sheet.owner.doc, self.sheet.tileset
        with doc.stroke(f"Mark tile {tileset.number(row, col)}"):
            for slot, name in slots.items():
                dab = [(row, col, int(Slot[slot]))]
                doc.apply(paint_marks(tileset, self.kit, dab, self._mark(str(name))))
            doc.apply(colours_from_art(tileset, self.kit))

    def guess(self) -> int:
        """Guess the marks of all tiles that have none from those marked; returns how many."""
        tileset = self.sheet.tileset
        found = guess_sheet(tileset, self.kit, None)
        if isinstance(found, str):
            raise EditError(found)
        edit = set_marks(tileset, self.kit, found.places, found.marks, "Guess marks")
        self.sheet.owner.doc.apply(edit)
        return len(found.places)


class MapDoor:
    """A map: its layers, its recipe and its picture."""

    def __init__(self, owner: ProjectDoor, map_: Map) -> None:
        self.owner = owner
        self.map = map_

    @property
    def name(self) -> str:
        """Its name."""
        return self.map.name

    @property
    def layers(self) -> list[LayerDoor]:
        """Its layers, the back one first."""
        return [LayerDoor(self, each) for each in self.map.layers]

    def layer(self, name: str) -> LayerDoor:
        """Find a layer by its name."""
        return _named(self.layers, name, "layer")

    def add_ground(self, name: str, kit: SetDoor, fill: str | None = None) -> LayerDoor:
        """Add a ground layer that knits tiles of a set; `fill` is a terrain to lay everywhere."""
        _kind(kit, (SetDoor,), "a terrain set", "sheet.sets[0]")
        layer = self.map.new_ground_layer(name, kit.sheet.name, kit.name, kit.kit.kind)
        made = self._add(layer, name)
        if fill is not None:
            made.lay_box(kit.terrain(fill), (0, 0), (self.map.height, self.map.width))
        return made

    def add_tiles(self, name: str) -> LayerDoor:
        """Add a layer of tiles."""
        return self._add(self.map.new_tile_layer(name), name)

    def _add(self, layer: Layer, name: str) -> LayerDoor:
        _name(name, "layer")
        self.owner.doc.apply(add_layer(self.map, layer))
        return LayerDoor(self, layer)

    def grow(
        self, recipe: Recipe | None = None, seed: int | None = None, *, over: str | None = None
    ) -> list[str]:
        """Run a recipe, by default the map's own; it is kept, and pins stay.

        Parameters
        ----------
        over : where a layer was painted by hand since it was grown, which is refused otherwise:
            "own" grows on a layer of its own, "round" round what is painted, "instead" replaces it

        Returns
        -------
        in words, what somebody should know: terrains that have no plain tile, so that their inside
        is gaps
        """
        _kind(recipe, (Recipe, NoneType), "a recipe", "Recipe(seed, steps)")
        chosen = recipe or self.map.recipe
        if seed is not None:
            chosen = replace(chosen, seed=_whole(seed, "the seed", -(2**63), 2**63 - 1))
        ways = {each.name.lower(): each for each in Over}
        if over is not None and over not in tuple(ways):
            raise GrowError(f"“{over}” is nothing to do: give {', '.join(ways)}")
        cure = " or ".join(f"over={way!r}" for way in ways)
        doc = self.owner.doc
        with nullcontext() if doc.in_stroke else doc.stroke("Grow"):
            chosen = grow_round(doc, self.map, chosen, ways[over] if over else None, cure)
            grown = run_recipe(self.owner.project, replace(self.map, recipe=chosen))
            doc.apply(lay_grown(self.map, grown, chosen))
        return [each.words for each in find_plainless(self.owner.project, self.map, grown)]

    @property
    def gaps(self) -> dict[str, int]:
        """Cells that no tile fits, by the names of the layers that have any."""
        self.owner.doc.ensure_all(self.map)
        return gaps_of(self.map)

    def picture(self, level: int = 0) -> MapPicture:
        """Draw the map; what is not knitted yet is knitted first. Level n is 1 / 2ⁿ the size."""
        level = _whole(level, "the level", 0, 64)
        self.owner.doc.ensure_all(self.map)
        return MapPicture(map_picture(self.owner.project, self.map, level))

    def _repr_png_(self) -> bytes:
        return self.picture()._repr_png_()


class LayerDoor:
    """A layer to paint on, with what the tools of the window do."""

    def __init__(self, owner: MapDoor, layer: Layer) -> None:
        self.owner = owner
        self.layer = layer

    @property
    def name(self) -> str:
        """Its name."""
        return self.layer.name

    def paint(self, hand: Hand, at: Place, size: int = 1, *, round_: bool = False) -> None:
        """Lay what is in hand as one dab of the brush.

        The place is a vertex for terrain of a corner set (0, 0 is the map's upper left corner), and
        a cell for all else.
        """
        size = _whole(size, "the size of the brush", 1, MAX_BRUSH)
        options = ToolOptions(terrain_size=size, tile_size=size, round_brush=bool(round_))
        desk = self._desk("paint", _hand(hand), options)
        self._do(desk, at, plan_dab(desk, self._pointer(desk, at)))

    def erase(self, at: Place, size: int = 1) -> None:
        """Empty what lies under one dab of the brush."""
        size = _whole(size, "the size of the brush", 1, MAX_BRUSH)
        desk = self._desk("erase", None, ToolOptions(terrain_size=size, tile_size=size))
        self._do(desk, at, plan_dab(desk, self._pointer(desk, at)))

    def path(self, hand: TerrainInHand, cells: Sequence[Place]) -> None:
        """Lay a path of an edge set from cell to cell, each a neighbour of the one before."""
        desk = self._desk("paint", _hand(hand), ToolOptions())
        if isinstance(cells, str) or not isinstance(cells, Sequence) or not cells:
            raise EditError(f"{cells!r} is no way: give a list of (row, column)")
        way = [self._on_array(self._cell(each)) for each in cells]
        for ((row, col), one), ((next_row, next_col), other) in pairwise(zip(cells, way)):
            if abs(one[0] - other[0]) + abs(one[1] - other[1]) != 1:
                raise EditError(
                    f"row {next_row}, column {next_col} is no neighbour of row {row}, column "
                    f"{col}: give each cell of the way"
                )
        self._do(desk, cells[0], plan_path(desk, sides_along(way)))

    def fill(self, hand: Hand, at: Place, *, by: str = "same terrain") -> None:
        """Fill what is connected with a place, by “same terrain” or “same tile”."""
        if by not in FILL_BY[:2]:
            raise EditError(f"“{by}” is nothing to fill by: give {' or '.join(FILL_BY[:2])}")
        desk = self._desk("fill", _hand(hand), ToolOptions(fill_by=by))
        found = plan_fill(desk, self._pointer(desk, at))
        self._do(desk, at, found[0] if found else None)

    def lay_box(self, hand: Hand, at: Place, size: tuple[int, int]) -> None:
        """Lay what is in hand on a box of (height, width) cells; terrain on all their vertices."""
        desk = self._desk("box", _hand(hand), ToolOptions())
        self._whole_box(at, size)
        lattice = grid_of(self.owner.map, self.layer).lattice
        box, mask = lattice.box_named(at[0], at[1], at[0] + size[0], at[1] + size[1])
        every = np.ones((box.height, box.width), np.bool_) if mask is None else mask
        if desk.lays_terrain and desk.set_kind is not None:
            box, every = standing_of(desk.set_kind).on_cells(box, every)
        self._do(desk, at, plan_region(desk, Region(box, every), "Box"))

    def tile_at(self, row: int, col: int) -> TileRef | None:
        """Give the tile in a cell; None if it is empty or a gap."""
        row, col = self._on_array(self._cell((row, col)))
        cell = Box(row, col, row + 1, col + 1)
        cells = self.owner.owner.doc.cells(self.owner.map, self.layer, cell)
        return self.owner.map.legend.tile(int(cells[0, 0]))

    def find(self, tile: TileRef) -> list[Place]:
        """List the cells that hold a tile, row by row."""
        _kind(tile, (TileRef,), "a tile", "what tile_at gives")
        map_ = self.owner.map
        box = self._every_cell()
        place = map_.legend.place_of(tile)
        cells = self.owner.owner.doc.cells(map_, self.layer, box)
        lattice = grid_of(map_, self.layer).lattice
        cells = lattice.unfolded(cells)
        return [(row, col) for row, col in np.argwhere(cells == (place or -9)).tolist()]

    def explain(self, row: int, col: int) -> Why:
        """Tell what chose the tile of a cell: what it asks for, candidates and the number drawn."""
        doc, map_, layer = self.owner.owner.doc, self.owner.map, self.layer
        row, col = self._on_array(self._cell((row, col)))
        if not isinstance(layer, GroundLayer):
            raise EditError(f"“{layer.name}” is not knitted: only ground layers have a reason")
        why = why_cell(doc, map_, layer, row, col)
        if why is None:
            raise EditError(
                f"row {row}, column {col} is off the map, or the set of “{layer.name}” is gone"
            )
        return why

    def _desk(self, tool: str, hand: Hand | None, options: ToolOptions) -> Desk:
        owner = self.owner
        if isinstance(hand, MixInHand) and hand.mix not in owner.owner.project.mixes:
            raise EditError(f"the project has no mix “{hand.name}”")
        return Desk(owner.owner.doc, owner.map, self.layer, tool, hand, options)

    def _every_cell(self) -> Box:
        grid = grid_of(self.owner.map, self.layer)
        return Box(0, 0, grid.height, grid.width)

    def _cell(self, at: Place, more: int = 0) -> Place:
        """See to it that a place is a cell of the layer, or with 1 more a vertex; wraps if it does.

        Raises
        ------
        EditError
            It is none.
        """
        grid = grid_of(self.owner.map, self.layer)
        most = MAX_SIDE if grid.wrap else 0
        row, col = _pair(at, "a place", least=-MAX_SIDE, most=MAX_SIDE)
        high, wide = grid.lattice.counted
        if more:
            high, wide = grid.lattice.unfolded_shape(more)
        if not most and not (0 <= row < high and 0 <= col < wide):
            raise EditError(
                f"row {row}, column {col} is off “{self.owner.name}”: give rows 0 to {high - 1} "
                f"and columns 0 to {wide - 1}"
            )
        return (row % grid.height, col % grid.width) if most and not more else (row, col)

    def _on_array(self, at: Place) -> Place:
        """Give the row and column of the array that a cell is kept at."""
        return grid_of(self.owner.map, self.layer).lattice.cell_named(*at)

    def _whole_box(self, at: Place, size: tuple[int, int]) -> None:
        """See to it that a box lies on the map."""
        row, col = self._cell(at)
        high, wide = _pair(size, "the size of a box", least=1, most=MAX_SIDE)
        rows, columns = grid_of(self.owner.map, self.layer).lattice.counted
        wraps = self.owner.map.wrap
        if (
            high > rows
            or wide > columns
            or (not wraps and (row + high > rows or col + wide > columns))
        ):
            raise EditError(
                f"a box of {high} × {wide} cells at row {row}, column {col} reaches beyond the "
                f"{rows} × {columns} of “{self.owner.name}”: give a smaller one"
            )

    def _pointer(self, desk: Desk, at: Place) -> Pointer:
        """Where the pointer would be: on a vertex, or in the middle of a cell."""
        at = self._cell(at, more=int(desk.lays_terrain))
        lattice = (desk.grid or self.owner.map).lattice
        if desk.lays_terrain:
            return Pointer(*lattice.place(*lattice.corner_named(*at)))
        return Pointer(*lattice.middle(*lattice.cell_named(*at)))

    def _do(self, desk: Desk, at: Place, plan: Plan | None) -> None:
        if plan is None:
            why = refusal(desk, self._pointer(desk, at)) or "this layer does not take it"
            raise EditError(f"“{self.name}”, row {at[0]}, column {at[1]}: {why}")
        edit: Edit = plan.edit
        self.owner.owner.doc.apply(edit)


def _kind(value: object, kinds: tuple[type, ...], what: str, example: str) -> None:
    if not isinstance(value, kinds):
        raise EditError(f"{str(value)[:80]!r} is not {what}: give one like {example}")


def _hand(hand: Hand) -> Hand:
    _kind(hand, get_args(Hand), "anything to lay", "sheet.tile(0, 0) or set.terrain('grass')")
    return hand


def _name(name: str, what: str) -> str:
    if not isinstance(name, str) or not name.strip():
        raise EditError(f"{str(name)[:80]!r} is no name of a {what}: give a text")
    return name


def _path(path: str | Path) -> Path:
    if not isinstance(path, str | Path) or not str(path) or "\0" in str(path):
        raise EditError(f"{str(path)[:80]!r} is no path of a file or folder: give one")
    return Path(path)


def _whole(value: int, what: str, least: int, most: int) -> int:
    if isinstance(value, bool) or not isinstance(value, int | np.integer):
        raise EditError(f"{what} is {str(value)[:80]!r}: give a whole number")
    if not least <= value <= most:
        raise EditError(f"{what} is {value}: give {least} to {most}")
    return int(value)


def _pair(value: Place, what: str, *, least: int, most: int) -> Place:
    if not isinstance(value, Sequence) or isinstance(value, str) or len(value) != 2:
        raise EditError(f"{what} is {str(value)[:80]!r}: give (row, column) or (height, width)")
    return _whole(value[0], what, least, most), _whole(value[1], what, least, most)


def _named(doors: list[Door], name: str, what: str) -> Door:
    for each in doors:
        if each.name == name:
            return each
    known = ", ".join(f"“{each.name}”" for each in doors) or "none"
    raise EditError(f"there is no {what} “{name}”: there are {known}")
