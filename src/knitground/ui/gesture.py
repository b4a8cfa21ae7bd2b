"""What a session lets in for a while: a gesture, what takes clicks on the map, what marks cells."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from knitground.core.edit.desk import Pointer
from knitground.core.edit.laying import Plan
from knitground.core.model.lattice import Rect
from knitground.core.model.map import Map
from knitground.core.walk.figure import Figure, Stand


class Gesture(Protocol):
    """Something that goes on from a press to a release, in some view."""

    def finish_gesture(self) -> None:
        """End it as it stands; what it has laid is one step."""

    def cancel_gesture(self) -> None:
        """Call it off; nothing has changed."""


class Taker(Protocol):
    """Something that takes clicks on the map in place of the tools."""

    def click(self, at: Pointer, *, other: bool) -> bool:
        """React to a click (`other`: with Ctrl, or the right button); False leaves it to tools."""

    def ghost(self, map_: Map) -> Plan | None:
        """What would come of it."""

    def label(self) -> str:
        """What a click would do, in words."""


class Walker(Protocol):
    """A figure that goes about on the map."""

    map: Map | None
    at: Stand
    hidden: NDArray[np.bool_]
    """Pixels of the figure that something on the map is in front of: (high, wide)."""
    seen: Rect | None
    """What a player sees of the map, in its pixels; None if that is not asked for."""

    @property
    def figure(self) -> Figure:
        """The figure."""

    @property
    def boxed(self) -> bool:
        """Whether nothing but what a player sees is shown."""


class CellMarks(Protocol):
    """Cells of a map that some part wants to be marked."""

    def cells(self, map_: Map) -> Iterable[tuple[tuple[int, int], str]]:
        """Give them, each with its role: “wrong”, “right”, “changes”, “knot” or “large knot”."""
