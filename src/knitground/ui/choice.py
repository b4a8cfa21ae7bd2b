"""What the person at the screen has chosen: map, layer, sheet; tool and its options; in hand."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict, dataclass, replace
from typing import Any

from PySide6.QtCore import QObject, Signal

from knitground.core.edit.desk import ToolOptions
from knitground.core.edit.hand import Hand
from knitground.core.edit.selecting import Selection
from knitground.core.model.layers import Layer
from knitground.core.model.map import Map
from knitground.core.model.tileset import Tileset


class Choice(QObject):
    """The map, layer and sheet that are worked on, and the cells and markers that are selected."""

    map_changed = Signal()
    layer_changed = Signal()
    picked = Signal()
    """Another map or another layer: once, also where both are."""
    tileset_changed = Signal()
    selected = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.map: Map | None = None
        self.layer: Layer | None = None
        self.tileset: Tileset | None = None
        self.selection: Selection | None = None
        self.markers: frozenset[int] = frozenset()

    def set_map(self, map_: Map | None, layer: Layer | None) -> None:
        """Take another map and a layer of it."""
        before, self.map = self.map, map_
        before_layer, self.layer = self.layer, layer
        if before is not map_:
            self.map_changed.emit()
        if before_layer is not layer:
            self.layer_changed.emit()
        if before is not map_ or before_layer is not layer:
            self.picked.emit()

    def set_layer(self, layer: Layer | None) -> None:
        """Take another layer of the map."""
        self.set_map(self.map, layer)

    def set_tileset(self, tileset: Tileset | None) -> None:
        """Take another sheet."""
        if tileset is not self.tileset:
            self.tileset = tileset
            self.tileset_changed.emit()

    def select(self, selection: Selection | None) -> None:
        """Select other cells of the map."""
        if selection is not self.selection:
            self.selection = selection
            self.selected.emit()

    def select_markers(self, numbers: Iterable[int]) -> None:
        """Select markers of the layer by their numbers."""
        chosen = frozenset(numbers)
        if chosen != self.markers:
            self.markers = chosen
            self.selected.emit()


@dataclass(frozen=True)
class Sight:
    """What is shown of the map, and over it, in every view of it.

    Parameters
    ----------
    repeat : the map nine times, three by three
    into : what is in front of the chosen layer faint
    round_pointer : what is in front of it cut away round the pointer
    light : as lamps and the ambient colour light it
    second : in a second view beside the first
    overview : all of it, small, in a corner of the first
    """

    grid: bool = True
    pins: bool = True
    shapes: bool = False
    screen: bool = False
    playing: bool = True
    repeat: bool = False
    into: bool = False
    round_pointer: bool = False
    light: bool = False
    second: bool = False
    overview: bool = False


class ToolBox(QObject):
    """The tool that is used, and what the tools are set to."""

    tool_changed = Signal()
    options_changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.tool = "paint"
        self.options = ToolOptions()
        self.pressure = 1.0
        """How far a pen is pressed, 0 to 1; 1 while none is."""
        self.has_pen = False
        """Whether a pen was seen."""

    def choose(self, tool: str) -> None:
        """Take another tool."""
        if tool != self.tool:
            self.tool = tool
            self.tool_changed.emit()

    def set(self, **changes: Any) -> None:
        """Set options by their names."""
        options = replace(self.options, **changes)
        if options != self.options:
            self.options = options
            self.options_changed.emit()

    def begin_anew(self) -> None:
        """Become as at first; how a pen is used belongs to the person, not to a project."""
        self.choose("paint")
        self.set(**asdict(ToolOptions(pen_size=self.options.pen_size)))

    def note_pen(self, pressure: float) -> None:
        """Note that there is a pen, and how far it is pressed."""
        self.pressure = pressure
        if not self.has_pen:
            self.has_pen = True
            self.options_changed.emit()


class InHand(QObject):
    """What is in hand. What was pasted floats there until it is dropped."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.hand: Hand | None = None
        self.before: tuple[Hand | None, str] | None = None
        """What was in hand, and the tool, before what floats was taken up."""

    @property
    def floats(self) -> bool:
        """Whether what is in hand was pasted, and Esc drops it."""
        return self.before is not None

    def take(self, hand: Hand | None, before: tuple[Hand | None, str] | None = None) -> None:
        """Take something in hand; with `before` it floats."""
        self.before = before
        if hand != self.hand:
            self.hand = hand
            self.changed.emit()
