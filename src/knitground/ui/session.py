"""The session: the open document and what the person has chosen, for all parts of the window."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from pathlib import Path
from typing import Any, TypeVar

from PySide6.QtCore import QObject, Signal

from knitground.core.base.errors import KnitError
from knitground.core.base.progress import Progress, no_progress
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Document, Edit
from knitground.core.edit.selecting import Selection, same_cells
from knitground.core.edit.sizes import Margins, resize_map
from knitground.core.model.layers import GroundLayer, Layer, MarkerLayer, TileLayer, TintLayer
from knitground.core.model.map import Map, grid_of
from knitground.core.model.project import Project
from knitground.core.model.terrain import SetKind
from knitground.core.model.tileset import Tileset
from knitground.ui.hand import Hand, MixInHand, TerrainInHand, turned_hand

MAX_BRUSH = 64
QUIET_CELLS = 2_000_000
"""Cells of all layers up to which a change of a whole map takes no longer than a frame or three."""
FILL_BY = ("same terrain", "same tile", "selection")
PICK_FROM = ("this layer, else the front", "this layer", "all layers")
SNAPS = ("cell", "half cell", "pixel")
Result = TypeVar("Result")


class Session(QObject):
    """State that belongs to the person at the screen, not to the project.

    Parts of the window read it, call its methods, and listen to its signals; none of them holds
    another part.
    """

    opened = Signal()
    """Another document is open."""
    changed = Signal(Changed)
    """Something in the document is different."""
    steps = Signal()
    """The history or the saved mark is different."""
    picked = Signal()
    """Another map, layer, tileset, tool, brush or thing in hand is chosen."""
    noticed = Signal(str, str)
    """A quiet note: its text, and “warning”, “good” or “note”."""
    selected = Signal()
    """Other cells of the map are selected."""
    offered = Signal(str, object)
    """A warning, and its cures: the texts of buttons and what each does."""
    pointed = Signal(str)
    """What is under the pointer, in words."""
    dressed = Signal()
    """Another theme is in use: what was drawn in its colours is to be made again."""
    cell_wanted = Signal(int, int)
    """Some part asks for a cell of the map: row and column."""
    map_wanted = Signal(object, str)
    """Some part asks for a map from a picture: its pixels (h, w, 4), and a name."""
    sheet_wanted = Signal(object, str)
    """Some part asks for a picture to be a sheet: its pixels (h, w, 4), and a name."""
    stage_wanted = Signal(str)
    """Some part asks for a stage."""

    def __init__(self) -> None:
        super().__init__()
        self.doc = Document(Project())
        self.map: Map | None = None
        self.layer: Layer | None = None
        self.tileset: Tileset | None = None
        self.hand: Hand | None = None
        self.tool = "paint"
        self.terrain_size = 2
        self.tile_size = 1
        self.outline = False
        self.round_brush = False
        self.soft_brush = True
        self.fill_by = FILL_BY[0]
        self.fill_all = False
        self.pick_from = PICK_FROM[0]
        self.snap = SNAPS[0]
        self.markers: frozenset[int] = frozenset()
        self._before_floating: tuple[Hand | None, str] | None = None
        self.pattern_on_map = True
        self.selection: Selection | None = None
        self.select_way = "box"
        self.seed = 1
        self.revision = 0
        self.runner: (
            Callable[[str, Callable[[Progress], Any], Callable[[Any], object]], object] | None
        ) = None
        self._connect()

    @property
    def project(self) -> Project:
        """The open project."""
        return self.doc.project

    def open(self, project: Project) -> None:
        """Take another project; what was open is forgotten."""
        self.doc.changed.disconnect()
        self.doc.steps_changed.disconnect()
        self.doc = Document(project)
        self._connect()
        self.hand = None
        self.select(None)
        self.map = project.maps[0] if project.maps else None
        self.tileset = project.tilesets[0] if project.tilesets else None
        self.layer = self._first_layer()
        self._take_first_terrain()
        self.revision += 1
        self.opened.emit()
        self.picked.emit()

    @property
    def grid(self) -> Map | None:
        """The map as the chosen layer's cells divide it (`grid_of`)."""
        return grid_of(self.map, self.layer) if self.map is not None else None

    def apply(self, edit: Edit, key: object = None) -> bool:
        """Make a change; one that is refused becomes a note. Same key: one step (see `amend`)."""
        return self.attempt(
            lambda: self.doc.apply(edit) if key is None else self.doc.amend(edit, key)
        )

    def attempt(self, action: Callable[[], object]) -> bool:
        """Do something; an error of ours becomes a note instead of going on."""
        try:
            action()
        except KnitError as error:
            self.warn(str(error))
            return False
        return True

    def run_long(
        self, title: str, work: Callable[[Progress], Result], done: Callable[[Result], object]
    ) -> None:
        """Do long work; the window puts a progress window round it, without one it just runs."""
        if self.runner is None:
            self.attempt(lambda: done(work(no_progress)))
        else:
            self.runner(title, work, done)

    def resize_map(self, map_: Map, margins: Margins) -> None:
        """Give a map another size; that of a large one is worked out beside the interface."""
        if map_.height * map_.width * len(map_.layers) <= QUIET_CELLS:
            self.attempt(lambda: self.doc.apply(resize_map(map_, margins)))
        else:
            self.run_long("Resizing…", lambda _: resize_map(map_, margins), self.apply)

    def warn(self, text: str) -> None:
        """Show a quiet warning."""
        self.noticed.emit(text, "warning")

    def offer(self, text: str, cures: Mapping[str, Callable[[], object]]) -> None:
        """Show a warning with buttons that cure it."""
        self.offered.emit(text, dict(cures))

    def note(self, text: str) -> None:
        """Show a quiet note."""
        self.noticed.emit(text, "note")

    def choose_map(self, map_: Map | None) -> None:
        """Show another map."""
        if map_ is not self.map:
            self.map = map_
            self.select(None)
            self.choose_markers(())
            self.layer = self._first_layer()
            self.picked.emit()

    def choose_layer(self, layer: Layer | None) -> None:
        """Work on another layer."""
        if layer is not self.layer:
            before, self.layer = self.layer, layer
            if self.map is not None and before is not None and layer is not None:
                # Of a layer with other cells, those that are selected are not its own any more.
                self.select(self.selection if same_cells(self.map, before, layer) else None)
            self.choose_markers(())
            self.picked.emit()

    def choose_tileset(self, tileset: Tileset | None) -> None:
        """Work on another sheet."""
        if tileset is not self.tileset:
            self.tileset = tileset
            self.picked.emit()

    def choose_tool(self, tool: str) -> None:
        """Take another tool."""
        if tool != self.tool:
            self.tool = tool
            self.picked.emit()

    def take(self, hand: Hand | None) -> None:
        """Take something in hand; what floated there is gone."""
        self._before_floating = None
        self.hand = hand
        self.picked.emit()

    def hold(self, hand: Hand) -> None:
        """Take something in hand for a while: it floats at the pointer until it is dropped."""
        if self._before_floating is None:
            self._before_floating = (self.hand, self.tool)
        before = self._before_floating
        self.choose_tool("paint")
        self.take(hand)
        self._before_floating = before

    @property
    def floats(self) -> bool:
        """Whether what is in hand was pasted, and Esc drops it."""
        return self._before_floating is not None

    def drop_floating(self) -> bool:
        """Put what floats away and take up what was in hand before; returns whether it did."""
        if self._before_floating is None:
            return False
        (hand, tool), self._before_floating = self._before_floating, None
        self.hand = hand
        self.tool = tool
        self.picked.emit()
        return True

    def turn_hand(self, by: int) -> None:
        """Turn or mirror what is in hand: quarter turns clockwise, with 4 mirrored first."""
        made = turned_hand(self.hand, by)
        if made is None:
            self.note("Only a tile or a patch can be turned: take one in hand")
        else:
            before = self._before_floating
            self.take(made)
            self._before_floating = before

    @property
    def set_kind(self) -> SetKind | None:
        """Kind of the set whose terrain the next click lays or erases; None if it does not."""
        if not isinstance(self.layer, GroundLayer):
            return None
        lays = self.tool == "erase" or isinstance(self.hand, TerrainInHand)
        return self.layer.kind_of_set if lays else None

    @property
    def lays_terrain(self) -> bool:
        """Whether the brush works on vertices."""
        if not isinstance(self.layer, GroundLayer):
            plain = isinstance(self.layer, TileLayer | None)
            return plain and self.tool != "erase" and isinstance(self.hand, TerrainInHand)
        return self.set_kind is SetKind.CORNER

    @property
    def draws_path(self) -> bool:
        """Whether a drag draws a path over the sides of cells."""
        return self.set_kind is SetKind.EDGE and self.tile_size == 1

    @property
    def size(self) -> int:
        """Side of the brush: vertices for terrain, cells for all else."""
        return self.terrain_size if self.lays_terrain else self.tile_size

    @property
    def is_soft(self) -> bool:
        """Whether the brush lays less towards its rim."""
        return (
            isinstance(self.layer, TintLayer)
            and self.soft_brush
            and self.tool in ("paint", "erase")
        )

    def set_size(self, size: int) -> None:
        """Give the brush another side."""
        size = max(1, min(MAX_BRUSH, size))
        if self.lays_terrain:
            self.terrain_size = size
        else:
            self.tile_size = size
        self.picked.emit()

    def set_outline(self, on: bool) -> None:
        """Let Box lay its outline only, or all of it."""
        self.outline = on
        self.picked.emit()

    def set_round(self, on: bool) -> None:
        """Let the brush be round, or square."""
        self.round_brush = on
        self.picked.emit()

    def set_soft(self, on: bool) -> None:
        """Let the brush of tint layers lay less towards its rim, or everywhere the same."""
        self.soft_brush = on
        self.picked.emit()

    def set_fill(self, by: str | None = None, *, everywhere: bool | None = None) -> None:
        """Let Fill go by terrain, by tile or by the selection; here or everywhere."""
        self.fill_by = self.fill_by if by is None else by
        self.fill_all = self.fill_all if everywhere is None else everywhere
        self.picked.emit()

    def set_pick_from(self, way: str) -> None:
        """Let Pick look at the chosen layer, at it first, or at all layers."""
        self.pick_from = way
        self.picked.emit()

    def set_snap(self, snap: str) -> None:
        """Let markers snap to cells, half cells or pixels."""
        self.snap = snap
        self.picked.emit()

    def choose_markers(self, numbers: Iterable[int]) -> None:
        """Choose markers of the chosen layer by their numbers."""
        chosen = frozenset(numbers)
        if chosen != self.markers:
            self.markers = chosen
            self.selected.emit()

    def set_pattern_on_map(self, on: bool) -> None:
        """Let patches repeat from the map's corner, or from where a drag began."""
        self.pattern_on_map = on
        self.picked.emit()

    def select(self, selection: Selection | None) -> None:
        """Choose other cells of the map."""
        if selection is not self.selection:
            self.selection = selection
            self.selected.emit()

    def set_select_way(self, way: str) -> None:
        """Let Select choose by box, by lasso, by the same tile or by region."""
        self.select_way = way
        self.picked.emit()

    def set_seed(self, seed: int) -> None:
        """Draw mixes from another seed."""
        self.seed = seed
        self.picked.emit()

    def say_folder(self) -> str:
        """Name the project and where it lies, for the title."""
        folder: Path | None = self.project.folder
        return f"{self.project.name} — {folder}" if folder else self.project.name

    def _connect(self) -> None:
        self.doc.changed.connect(self._on_changed)
        self.doc.steps_changed.connect(self._on_steps)

    def _on_steps(self) -> None:
        self.steps.emit()

    def _on_changed(self, change: Changed) -> None:
        self.revision += 1
        if change.what is What.SIZE:
            self.select(None)
        if isinstance(self.layer, MarkerLayer):
            there = {each.number for each in self.layer.markers}
            self.choose_markers(self.markers & there)
        if self.map not in self.project.maps:
            self.map = self.project.maps[-1] if self.project.maps else None
            self.layer = self._first_layer()
        if self.map is not None and self.layer not in self.map.layers:
            self.layer = self._first_layer()
        if self.tileset not in self.project.tilesets:
            self.tileset = self.project.tilesets[-1] if self.project.tilesets else None
        if change.what is What.MIXES and isinstance(self.hand, MixInHand):
            name = self.hand.name
            mix = next((each for each in self.project.mixes if each.name == name), None)
            self.hand = MixInHand(name, mix) if mix else None
        if change.what is What.MARKS and isinstance(self.hand, TerrainInHand):
            self.hand = self._terrain_again(self.hand)
        self.changed.emit(change)
        if change.what not in (What.TERRAIN, What.CELLS, What.MARKERS):
            self.picked.emit()

    def _terrain_again(self, hand: TerrainInHand) -> TerrainInHand | None:
        """Follow a terrain that has another number now; None if it is gone."""
        found = self.project.set_of(hand.tileset, hand.set_name)
        number = found[1].number_of(hand.name) if found else 0
        if number:
            return TerrainInHand(hand.tileset, hand.set_name, number, hand.name)
        return None

    def _first_layer(self) -> Layer | None:
        layers = self.map.layers if self.map else []
        grounds = [layer for layer in layers if isinstance(layer, GroundLayer)]
        return next(iter(grounds or layers), None)

    def _take_first_terrain(self) -> None:
        if isinstance(self.layer, GroundLayer):
            found = self.project.set_of(self.layer.tileset, self.layer.set_name)
            if found and found[1].terrains:
                name = found[1].terrains[0].name
                self.hand = TerrainInHand(found[0].name, found[1].name, 1, name)
