"""A project: its sheets, mixes and maps, steps, checks, saving and shipping."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path
from types import NoneType
from typing import Any

from knitground.api.checks import (
    Pair,
    Told,
    built,
    check_kind,
    name_of,
    named,
    names_of,
    number,
    one_of,
    pair,
    path_of,
    progress_of,
    short,
    whole,
)
from knitground.api.map import MapDoor
from knitground.api.sheet import SheetDoor
from knitground.core.base.errors import EditError
from knitground.core.edit.document import Document
from knitground.core.edit.hand import MixInHand, TileInHand
from knitground.core.edit.maps import add_map, check_wraps, delete_map, delete_mix, put_mix
from knitground.core.edit.mockup import map_from_mockup, mockup_sets
from knitground.core.edit.sheets import add_tileset, remove_tileset
from knitground.core.files.images import read_sheet
from knitground.core.files.newsheets import new_tileset
from knitground.core.files.saving import save_project, settle_after_save
from knitground.core.files.ship.ship import USUAL_FORMATS, maps_of, profile_folder, ship
from knitground.core.model.lattice import Grid, GridKind
from knitground.core.model.limits import MAX_CELLS, MAX_SIDE, MAX_SIDE_PX, MAX_WEIGHT
from knitground.core.model.map import Map
from knitground.core.model.mix import Fall, FallWay, Mix, MixEntry
from knitground.core.model.profile import OptionValue, ShipPart
from knitground.core.model.project import Project
from knitground.core.model.slicing import Slicing
from knitground.core.model.tile import TileRef
from knitground.core.proof.finding import Finding
from knitground.core.proof.proof import prove
from knitground.core.slicing.likely import likely_grids
from knitground.core.slicing.mapgrid import MapGrid, find_map_grid
from knitground.core.slicing.mockup import lay_with, read_mockup


class ProjectDoor:
    """A project: its sheets and maps, steps, saving and shipping."""

    def __init__(self, project: Project) -> None:
        self.doc = Document(project)

    def __repr__(self) -> str:
        sheets, maps = len(self.sheets), len(self.maps)
        return f"<project “{self.name}”: {sheets} sheets, {maps} maps>"

    @property
    def project(self) -> Project:
        """The project itself."""
        return self.doc.project

    @property
    def name(self) -> str:
        """Its name."""
        return self.project.name

    @property
    def folder(self) -> Path | None:
        """Where it was opened or saved; None if it was neither yet."""
        return self.project.folder

    @property
    def sheets(self) -> list[SheetDoor]:
        """All sheets."""
        return [SheetDoor(self.doc, each) for each in self.project.tilesets]

    @property
    def maps(self) -> list[MapDoor]:
        """All maps."""
        return [MapDoor(self.doc, each) for each in self.project.maps]

    @property
    def mixes(self) -> list[MixInHand]:
        """All mixes, each to paint with."""
        return [MixInHand(each.name, each) for each in self.project.mixes]

    def sheet(self, name: str) -> SheetDoor:
        """Find a sheet by its name."""
        return named(self.sheets, name, "sheet")

    def map(self, name: str) -> MapDoor:
        """Find a map by its name."""
        return named(self.maps, name, "map")

    def mix(self, name: str) -> MixInHand:
        """Take a mix in hand, by its name."""
        return named(self.mixes, name, "mix")

    def proof(self, only: Sequence[str] | None = None, *,
              progress: Told | None = None) -> list[Finding]:  # fmt: skip
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
            check_kind(only, (list, tuple), "a list of checks", "['gaps', 'seams']")
            only = [name_of(each, "check") for each in only]
        return list(prove(self.doc, None, only, progress_of(progress)).findings)

    # Sheets, mixes and maps

    def add_sheet(
        self, path: str | Path, name: str | None = None, slicing: Slicing | None = None
    ) -> SheetDoor:
        """Add a sheet; without a slicing the likeliest grid of its art is taken."""
        where = path_of(path)
        check_kind(slicing, (Slicing, NoneType), "a slicing", "Slicing(16, 16)")
        tileset = new_tileset(where, name_of(name or where.stem, "sheet"), self.project.sheets_room)
        assert tileset.picture is not None
        if slicing is None:
            likely = likely_grids(tileset.picture, 1)
            slicing = likely[0].slicing if likely else tileset.slicing
        tileset.slicing = slicing
        self.doc.apply(add_tileset(self.project, tileset))
        return SheetDoor(self.doc, tileset)

    def remove_sheet(self, name: str) -> None:
        """Take a sheet out of the project; one that a map uses is refused."""
        self.doc.apply(remove_tileset(self.project, self.sheet(name).tileset))

    def add_mix(
        self, name: str, tiles: Mapping[TileInHand | TileRef, float] | Sequence[Any],
        *, falls: str = "each by itself", **how: Any,
    ) -> MixInHand:  # fmt: skip
        """Add a mix: tiles with weights; paint, fill and grow with it.

        Parameters
        ----------
        tiles : weights by tile, or tiles of the same weight
        falls : “each by itself”, “in exact shares”, “never side by side” or “in clumps”
        how : size (cells from clump to clump), steps, density, border, of, tint
            (`knitground.core.model.mix.Fall`)
        """
        if not isinstance(tiles, Mapping | Sequence) or isinstance(tiles, str) or not tiles:
            raise EditError(f"{short(tiles)} are no tiles: give weights by tile, or a list")
        weights = tiles if isinstance(tiles, Mapping) else dict.fromkeys(tiles, 1.0)
        entries = []
        for tile, weight in weights.items():
            ref = tile.tile if isinstance(tile, TileInHand) else tile
            check_kind(ref, (TileRef,), "a tile", "sheet.tile(0, 0)")
            entries.append(MixEntry(ref, number(weight, "a weight", 0, MAX_WEIGHT)))
        one_of(falls, [each.value for each in FallWay], "way to fall")
        fall = built(Fall, {**how, "way": falls}, "a mix")
        mix = Mix(name_of(name, "mix"), tuple(entries), fall)
        self.doc.apply(put_mix(self.project, mix))
        return MixInHand(mix.name, mix)

    def remove_mix(self, name: str) -> None:
        """Take a mix away; one that something draws from is refused."""
        self.doc.apply(delete_mix(self.project, self.mix(name).mix))

    def add_map(
        self,
        name: str,
        size: Pair,
        tile: Pair,
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
        high, wide = pair(size, "the size of a map", least=1, most=MAX_SIDE)
        tile_high, tile_wide = pair(tile, "the size of a tile", least=1, most=MAX_SIDE_PX)
        if high * wide > MAX_CELLS:
            raise EditError(f"a map of {high} × {wide} cells has more than {MAX_CELLS}: give less")
        kind = GridKind(one_of(grid, [each.value for each in GridKind], "grid"))
        if shifted not in ("rows", "columns"):
            raise EditError(f"{short(shifted)} can not be shifted: give rows or columns")
        how = Grid.of(kind, high, wide, by_columns=shifted == "columns",
                      first=bool(first_shifted))  # fmt: skip
        if wrap:
            check_wraps(how, short(name))
        lattice = how.lattice(high, wide, tile_high, tile_wide)
        map_ = Map(
            name_of(name, "map"), lattice.rows, lattice.columns, tile_high, tile_wide,
            wrap=bool(wrap), grid=how,
        )  # fmt: skip
        self.doc.apply(add_map(self.project, map_))
        return MapDoor(self.doc, map_)

    def map_from_picture(
        self, path: str | Path, name: str, tile: Pair | None = None, *,
        sheets: Sequence[str] | None = None, tolerance: int = 0, sets: bool = True,
        progress: Told | None = None,
    ) -> MapDoor:  # fmt: skip
        """Add the map that a picture shows, made of tiles: a mock-up, or a shipped map.

        Parameters
        ----------
        tile : height and width of a tile in pixels; by default found in the picture
        sheets : of the project, to take tiles from; by default none: they become a new sheet
        tolerance : tiles are the same if no channel of any pixel differs by more
        sets : whether a new sheet gets terrain sets, by what lies beside what
        """
        where, told = path_of(path), progress_of(progress)
        picture = read_sheet(where, self.project.sheets_room).picture
        if tile is None:
            found = find_map_grid(picture, told)
            if not found:
                raise EditError(f"no tiles repeat in {where.name}: give their size")
            grid = found[0]
        else:
            grid = MapGrid(*pair(tile, "the size of a tile", least=1, most=MAX_SIDE_PX), 0, 0)
        near = whole(tolerance, "the tolerance", 0, 255)
        owners = [self.sheet(each).tileset for each in names_of(sheets, "sheet")] if sheets else []
        wanted = bool(sets) and not owners
        mockup = read_mockup(picture, grid, tolerance=near, turns=not wanted, progress=told)
        known = lay_with(mockup, owners, tolerance=near) if owners else {}
        kits = mockup_sets(mockup, told) if wanted else []
        edit, map_, _ = map_from_mockup(
            self.project, name_of(name, "map"), mockup, known, sets=kits
        )
        self.doc.apply(edit)
        return MapDoor(self.doc, map_)

    def remove_map(self, name: str) -> None:
        """Take a map out of the project."""
        self.doc.apply(delete_map(self.project, self.map(name).map))

    # Steps

    @contextmanager
    def step(self, name: str) -> Iterator[None]:
        """Take all that is done inside as one step; if it fails, none of it was done."""
        with self.doc.stroke(name_of(name, "step")):
            yield

    def undo(self) -> str | None:
        """Take the last step back; returns its name."""
        return self.doc.undo()

    def redo(self) -> str | None:
        """Do the step again that was taken back."""
        return self.doc.redo()

    # Files

    def save(self, folder: str | Path | None = None, *, overwrite: bool = False) -> list[Path]:
        """Write the project into a folder, by default its own; returns the files written."""
        home = path_of(folder) if folder is not None else self.project.folder
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
        maps: Sequence[str] | None = None,
        profile: str = "",
        overwrite: bool = False,
        progress: Told | None = None,
    ) -> list[Path]:
        """Write what a game loads; returns the files.

        Cells without a tile are shipped as gaps: ask `MapDoor.gaps` first. Files that were not
        shipped from here are replaced only with `overwrite`.

        Parameters
        ----------
        folder : by default that of the profile, inside the project's
        formats : names, or options by name: {"png": {"scale": "1/2", "chunk": 16}}
        maps : names; by default all, or those of the profile
        profile : of the project, instead of `formats`
        """
        if isinstance(formats, Mapping):
            for each in formats.values():
                check_kind(each, (Mapping,), "options by name", "{'png': {'scale': '2'}}")
            parts = [ShipPart(name_of(each, "format"), dict(options))
                     for each, options in formats.items()]  # fmt: skip
        else:
            if not isinstance(formats, str):
                check_kind(formats, (list, tuple), "a list of formats", "['png', 'json']")
            every = [formats] if isinstance(formats, str) else formats
            parts = [ShipPart(name_of(each, "format")) for each in every]
        chosen = self.project.maps
        check_kind(profile, (str,), "the name of a profile", "'game'")
        if profile:
            asked = next((each for each in self.project.profiles if each.name == profile), None)
            if asked is None:
                raise EditError(f"there is no profile “{profile[:60]}”")
            chosen, parts = maps_of(self.project, asked), list(asked.parts) or parts
            if folder is None and self.project.folder is not None:
                folder = profile_folder(self.project.folder, asked)
        if maps is not None:
            chosen = [self.map(each).map for each in names_of(maps, "map")]
        if folder is None:
            raise EditError("name a folder to ship to, or a profile of a project that was saved")
        shipped = ship(
            self.project, chosen, path_of(folder), parts, progress_of(progress),
            self.doc.ensure_all, overwrite=overwrite, profile=profile,
        )  # fmt: skip
        return shipped.files
