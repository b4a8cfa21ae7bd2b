"""What an edit changed, so that views repaint that much and no more."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum, auto

from knitground.core.base.window import Box
from knitground.core.model.layers import Layer
from knitground.core.model.map import Map
from knitground.core.model.tileset import At, Tileset


class What(Enum):
    """The part of the project that is different now."""

    TERRAIN = auto()
    """Terrain on vertices `box` of `layer`."""
    CELLS = auto()
    """Tiles in cells `box` of `layer` (all of them if there is no box)."""
    MARKERS = auto()
    """Markers of `layer`; their pictures show in cells `box` at most."""
    LAYERS = auto()
    """The list of a map's layers, or a layer's name or eye."""
    LOCK = auto()
    """Whether `layer` may be drawn on: nothing that maps show."""
    KNITTING = auto()
    """What a layer is knitted from: its terrain set or its seed."""
    MARKS = auto()
    """Marks, weights or terrains of `tileset`."""
    SLICING = auto()
    """How `tileset` is cut, or its picture."""
    LOOKS = auto()
    """Anchors or animations of tiles of `tileset`: what maps show, but not which tiles."""
    SHAPES = auto()
    """Shapes of tiles of `tileset`, or the kinds that the project has of them."""
    ORDER = auto()
    """Names, tags or the own order of the tiles of `tileset`: nothing that maps show."""
    TILESETS = auto()
    """The list of tilesets."""
    RULES = auto()
    """The rule lists of the project, or one of them."""
    MIXES = auto()
    TRAY = auto()
    """The patches of the tray."""
    RECIPE = auto()
    SIZE = auto()
    """A map's height and width, and with them the arrays of all its layers."""
    MAPS = auto()
    """The list of maps, or a map's name or wrapping."""
    PROOF = auto()
    """What is said to be no fault: nothing that maps show."""
    SHIPPING = auto()
    """The project's profiles: nothing that maps show."""
    PROPERTIES = auto()
    """What a game should know of a map: nothing that it shows."""


@dataclass(frozen=True, eq=False)
class Changed:
    """One change: what, and where as far as that is known."""

    what: What
    map: Map | None = None
    layer: Layer | None = None
    box: Box | None = None
    tileset: Tileset | None = None
    tiles: frozenset[At] | None = None
    """Tiles of the tileset that are different; None if it may be any."""
