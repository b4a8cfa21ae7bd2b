"""The session: the open document and what the person has chosen, for all parts of the window."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any, TypeVar

from PySide6.QtCore import QObject, Signal

from knitground.core.base.errors import EditError, KnitError
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.desk import MAX_BRUSH, Desk, ToolOptions
from knitground.core.edit.document import Document, Edit
from knitground.core.edit.hand import Hand, MixInHand, TerrainInHand, TileInHand, turned_hand
from knitground.core.edit.maps import check_wraps, set_wrap
from knitground.core.edit.selecting import Selection, same_cells
from knitground.core.edit.sizes import Margins, one_more, resize_map
from knitground.core.model.layers import GroundLayer, Layer, MarkerLayer
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.tileset import Tileset
from knitground.ui.atlases import Atlases
from knitground.ui.choice import Choice, InHand, Sight, ToolBox
from knitground.ui.gesture import CellMarks, Gesture, Taker, Walker

QUIET_CELLS = 2_000_000
"""Cells of all layers up to which a change of a whole map takes no longer than a frame or three."""
Result = TypeVar("Result")
_SIZES = 6


class Session(QObject):
    """State that belongs to the person at the screen, not to the project.

    Parts of the window read it, call its methods, and listen to its signals and to those of
    `choice`, `tools` and `in_hand`; none of them holds another part.
    """

    opened = Signal()
    """Another document is open."""
    changed = Signal(Changed)
    """Something in the document is different."""
    steps = Signal()
    """The history or the saved mark is different."""
    noticed = Signal(str, str)
    """A quiet note: its text, and “warning”, “good” or “note”."""
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
    file_wanted = Signal()
    """Some part asks for a sheet to be opened."""
    place_wanted = Signal(object)
    """Some part asks where the sheet of a tileset lies, which is missing."""
    missing_wanted = Signal(object, object)
    """Some part asks for the missing tiles of a set to be made: its tileset, and the set."""
    marks_wanted = Signal(object, object, int)
    """Some part asks for tiles to be marked: their tileset, a set of it, and a terrain."""
    marks_changed = Signal()
    """Something else, or nothing, takes clicks on the map now, or other cells are marked there."""
    sight_changed = Signal()
    sizes_changed = Signal()
    """Other things are shown of the map, or over it."""
    shipped = Signal()
    """Files for a game were written."""
    saved = Signal()
    """The project lies on disk as it is here."""
    walk_changed = Signal()
    """A figure begins to walk on the map, or walks no more."""
    figure_moved = Signal()
    """The figure is elsewhere, or other parts of it are hidden."""
    stage_counted = Signal(str, int)
    """A stage has so many things that want to be looked at: its key, and how many."""
    stage_wanted = Signal(str)
    """Some part asks for a stage."""

    def __init__(self) -> None:
        super().__init__()
        self.doc = Document(Project())
        self.atlases = Atlases(self.doc)
        self.choice = Choice()
        self.tools = ToolBox()
        self.in_hand = InHand()
        self.runner: (
            Callable[[str, Callable[[Progress], Any], Callable[[Any], object]], object] | None
        ) = None
        self.recipes: Path | None = None
        """Folder of the recipes that are kept to begin other maps with."""
        self.sizes: list[tuple[int, int]] = []
        """Columns and rows of the maps that were begun last, in any project."""
        self.sight = Sight()
        self.taker: Taker | None = None
        self.marks: dict[str, CellMarks] = {}
        """What marks cells of the map, by who wants it."""
        self.walker: Walker | None = None
        """The figure that walks on the map, if one does."""
        self._gesture: Gesture | None = None
        self._connect()

    # What is open and chosen

    @property
    def project(self) -> Project:
        """The open project."""
        return self.doc.project

    @property
    def map(self) -> Map | None:
        """The map that is worked on."""
        return self.choice.map

    @property
    def layer(self) -> Layer | None:
        """The layer that is worked on."""
        return self.choice.layer

    @property
    def tileset(self) -> Tileset | None:
        """The sheet that is worked on."""
        return self.choice.tileset

    @property
    def selection(self) -> Selection | None:
        """The cells that are selected."""
        return self.choice.selection

    @property
    def markers(self) -> frozenset[int]:
        """Numbers of the markers that are selected."""
        return self.choice.markers

    @property
    def tool(self) -> str:
        """Key of the tool that is used."""
        return self.tools.tool

    @property
    def options(self) -> ToolOptions:
        """What the tools are set to."""
        return self.tools.options

    @property
    def hand(self) -> Hand | None:
        """What the next click lays."""
        return self.in_hand.hand

    @property
    def grid(self) -> Map | None:
        """The map as the chosen layer's cells divide it (`grid_of`)."""
        return self.desk().grid

    def desk(self) -> Desk:
        """All that decides what a click lays, as it is now."""
        c = self.choice
        return Desk(
            self.doc, c.map, c.layer, self.tool, self.hand, self.options, c.selection, c.markers,
            self.tools.pressure,
        )  # fmt: skip

    def open(self, project: Project) -> None:
        """Take another project; what was open is forgotten, and so is all that was chosen.

        Each part becomes as it is in a new window on `opened`: besides what is remembered between
        runs a window keeps nothing from one project to the next.
        """
        self.finish_gesture()
        self.taker, self.marks = None, {}
        self.doc.changed.disconnect()
        self.doc.steps_changed.disconnect()
        self.doc = Document(project)
        self.atlases = Atlases(self.doc)
        self._connect()
        map_ = project.maps[0] if project.maps else None
        self.choice.select(None)
        self.choice.select_markers(())
        self.choice.map, self.choice.layer = map_, _first_layer(map_)
        self.choice.tileset = project.tilesets[0] if project.tilesets else None
        self.in_hand.take(self._first_terrain())
        self.tools.begin_anew()
        self.show(**asdict(Sight(playing=self.sight.playing)))  # who stopped motion wants none
        self.opened.emit()

    # Changing the document

    def apply(self, edit: Edit, key: object = None) -> bool:
        """Make a change; one that is refused becomes a note. Same key: one step (see `amend`).

        A gesture that is open is ended first: it would swallow the change. While work beside the
        interface reads the project it waits, and is refused if it has been made for something else
        than what is there then; with a key it holds whatever came before.
        """
        doc, revision = self.doc, self.doc.revision
        if not doc.is_leased or key is not None:
            return self.do(lambda: edit, key)

        def build() -> Edit:
            if doc.revision != revision:
                raise EditError(
                    say("“{name}” came too early, nothing was done: do it again", name=edit.name)
                )
            return edit

        return self.do(build)

    def do(self, build: Callable[[], Edit], key: object = None) -> bool:
        """Build a change and make it; a refusal of either becomes a note.

        While work beside the interface reads the project it waits, and False is returned.
        """
        doc = self.doc
        if doc.is_leased:
            doc.when_free(lambda: doc is self.doc and self.do(build, key))
            return False

        def make() -> None:
            edit = build()
            if edit.atoms and self._gesture is not None:
                self.finish_gesture()
                edit = build()  # on what the gesture has left
            if key is None:
                self.doc.apply(edit)
            else:
                self.doc.amend(edit, key)

        return self.attempt(make)

    def attempt(self, action: Callable[[], object]) -> bool:
        """Do something; an error of ours becomes a note instead of going on."""
        try:
            action()
        except KnitError as error:
            self.warn(str(error))
            return False
        return True

    def undo(self) -> None:
        """Take back the last step, or the gesture that is open."""
        if self._gesture is not None:
            self.cancel_gesture()
        else:
            self.attempt(self.doc.undo)

    def redo(self) -> None:
        """Do the last undone step again."""
        self.finish_gesture()
        self.attempt(self.doc.redo)

    def begin_gesture(self, gesture: Gesture) -> None:
        """Note that something has begun that goes on until a release; one at a time."""
        if gesture is not self._gesture:
            self.finish_gesture()
            self._gesture = gesture

    def end_gesture(self, gesture: Gesture) -> None:
        """Note that it has ended."""
        if self._gesture is gesture:
            self._gesture = None

    @property
    def in_gesture(self) -> bool:
        """Whether something goes on that began with a press."""
        return self._gesture is not None

    def finish_gesture(self) -> None:
        """End what goes on as it stands: before saving, closing, or another change."""
        gesture, self._gesture = self._gesture, None
        if gesture is not None:
            gesture.finish_gesture()

    def cancel_gesture(self) -> bool:
        """Call off what goes on; returns whether there was anything."""
        gesture, self._gesture = self._gesture, None
        if gesture is not None:
            gesture.cancel_gesture()
        return gesture is not None

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
            self.do(lambda: resize_map(map_, margins))
        else:
            self.run_long(say("Resizing…"), lambda _: resize_map(map_, margins), self.apply)

    def let_wrap(self, map_: Map, wrap: bool) -> bool:
        """Let a map wrap at its borders, or not; returns whether it does as asked now.

        If its rows would not meet where it begins anew, one more is offered.
        """
        try:
            if wrap:
                check_wraps(map_.grid, map_.name)
        except EditError as error:
            self.offer(
                str(error), {say("Give it one more, and wrap"): lambda: self._wrap_larger(map_)}
            )
            return False
        return self.do(lambda: set_wrap(map_, wrap))

    def _wrap_larger(self, map_: Map) -> None:
        if map_ not in self.project.maps:
            return
        with self.doc.stroke(say("Wrap at the borders")):
            self.do(lambda: resize_map(map_, one_more(map_.grid)))
            self.do(lambda: set_wrap(map_, True))

    def take_clicks(self, taker: Taker | None) -> None:
        """Let something take clicks on the map until it goes; None: the tools have them again."""
        if taker is not self.taker:
            self.finish_gesture()
            self.taker = taker
        self.marks_changed.emit()

    def mark_cells(self, who: str, marks: CellMarks | None) -> None:
        """Have cells of the map marked for some part, in place of those that were for it."""
        if marks is not None:
            self.marks[who] = marks
        elif self.marks.pop(who, None) is None:
            return
        self.marks_changed.emit()

    def show(self, **changes: bool) -> None:
        """Show other things of the map, or over it, by their names (`Sight`)."""
        sight = replace(self.sight, **changes)
        if sight != self.sight:
            self.sight = sight
            self.sight_changed.emit()

    # Telling

    def warn(self, text: str) -> None:
        """Show a quiet warning."""
        self.noticed.emit(text, "warning")

    def offer(self, text: str, cures: Mapping[str, Callable[[], object]]) -> None:
        """Show a warning with buttons that cure it."""
        self.offered.emit(text, dict(cures))

    def note(self, text: str) -> None:
        """Show a quiet note."""
        self.noticed.emit(text, "note")

    # Choosing

    def choose_map(self, map_: Map | None) -> None:
        """Show another map, unless it is gone by now; a gesture on the last one is ended."""
        if map_ is not self.map and (map_ is None or map_ in self.project.maps):
            self.finish_gesture()
            self.choice.select(None)
            self.choice.select_markers(())
            self.choice.set_map(map_, _first_layer(map_))

    def choose_layer(self, layer: Layer | None) -> None:
        """Work on another layer; one of another map (a late button) brings that map."""
        if layer is not None and (self.map is None or layer not in self.map.layers):
            owner = next((each for each in self.project.maps if layer in each.layers), None)
            if owner is None:
                return
            self.choose_map(owner)
        if layer is (before := self.layer):
            return
        if self.map is not None and before is not None and layer is not None:
            # Of a layer with other cells, those that are selected are not its own any more.
            self.choice.select(self.selection if same_cells(self.map, before, layer) else None)
        self.choice.select_markers(())
        self.choice.set_layer(layer)

    def choose_tileset(self, tileset: Tileset | None) -> None:
        """Work on another sheet."""
        self.choice.set_tileset(tileset)

    def choose_tool(self, tool: str) -> None:
        """Take another tool."""
        self.tools.choose(tool)

    def set_options(self, **changes: Any) -> None:
        """Set options of the tools by their names (`ToolOptions`)."""
        self.tools.set(**changes)

    def note_map_size(self, columns: int, rows: int) -> None:
        """Note the size of a map that was begun."""
        others = [each for each in self.sizes if each != (columns, rows)]
        self.sizes = [(columns, rows), *others][:_SIZES]
        self.sizes_changed.emit()

    def set_size(self, size: int) -> None:
        """Give the brush another side."""
        size = max(1, min(MAX_BRUSH, size))
        self.set_options(**{"terrain_size" if self.desk().lays_terrain else "tile_size": size})

    def select(self, selection: Selection | None) -> None:
        """Select other cells of the map."""
        self.choice.select(selection)

    def choose_markers(self, numbers: Iterable[int]) -> None:
        """Select markers of the chosen layer by their numbers."""
        self.choice.select_markers(numbers)

    def take(self, hand: Hand | None) -> None:
        """Take something in hand; what floated there is gone."""
        self.in_hand.take(hand)

    def hold(self, hand: Hand) -> None:
        """Take something in hand for a while: it floats at the pointer until it is dropped."""
        before = self.in_hand.before or (self.hand, self.tool)
        self.choose_tool("paint")
        self.in_hand.take(hand, before)

    def drop_floating(self) -> bool:
        """Put what floats away and take up what was in hand before; returns whether it did."""
        before = self.in_hand.before
        if before is None:
            return False
        self.in_hand.take(before[0])
        self.choose_tool(before[1])
        return True

    def turn_hand(self, by: int) -> None:
        """Turn or mirror what is in hand: quarter turns clockwise, with 4 mirrored first."""
        made = turned_hand(self.hand, by, self.grid.lattice if self.grid else None)
        if made is None and isinstance(self.hand, TileInHand):
            self.note(say("A picture that stands on a diamond can be mirrored, not turned"))
        elif made is None:
            self.note(say("Only a tile or a patch can be turned: take one in hand"))
        else:
            self.in_hand.take(made, self.in_hand.before)

    # Following the document

    def _connect(self) -> None:
        self.doc.changed.connect(self._on_changed)
        self.doc.steps_changed.connect(self._on_steps)

    def _on_steps(self) -> None:
        self.steps.emit()

    def _on_changed(self, change: Changed) -> None:
        self.atlases.follow(change)
        self._follow_choice(change)
        if change.what is What.MIXES and isinstance(self.hand, MixInHand):
            name = self.hand.name
            mix = next((each for each in self.project.mixes if each.name == name), None)
            self.in_hand.take(MixInHand(name, mix) if mix else None)
        if change.what is What.MARKS and isinstance(self.hand, TerrainInHand):
            self.in_hand.take(self._terrain_again(self.hand))
        self.changed.emit(change)

    def _follow_choice(self, change: Changed) -> None:
        """Let go of what is chosen and not there any more."""
        choice, project = self.choice, self.project
        if change.what is What.SIZE:
            choice.select(None)
        if isinstance(choice.layer, MarkerLayer) and change.what is What.MARKERS:
            there = {each.number for each in choice.layer.markers}
            choice.select_markers(choice.markers & there)
        if choice.map not in project.maps:
            map_ = project.maps[-1] if project.maps else None
            choice.select(None)
            choice.set_map(map_, _first_layer(map_))
        elif choice.map is not None and choice.layer not in choice.map.layers:
            choice.set_layer(_first_layer(choice.map))
        if choice.tileset not in project.tilesets:
            choice.set_tileset(project.tilesets[-1] if project.tilesets else None)

    def _terrain_again(self, hand: TerrainInHand) -> TerrainInHand | None:
        """Follow a terrain that has another number now; None if it is gone."""
        found = self.project.set_of(hand.tileset, hand.set_name)
        number = found[1].number_of(hand.name) if found else 0
        if number:
            return TerrainInHand(hand.tileset, hand.set_name, number, hand.name)
        return None

    def _first_terrain(self) -> Hand | None:
        if isinstance(self.layer, GroundLayer):
            found = self.project.set_of(self.layer.tileset, self.layer.set_name)
            if found and found[1].terrains:
                name = found[1].terrains[0].name
                return TerrainInHand(found[0].name, found[1].name, 1, name)
        return None


def _first_layer(map_: Map | None) -> Layer | None:
    layers = map_.layers if map_ else []
    grounds = [layer for layer in layers if isinstance(layer, GroundLayer)]
    return next(iter(grounds or layers), None)
