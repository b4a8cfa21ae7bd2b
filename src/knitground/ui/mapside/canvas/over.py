"""What is drawn over the map: the frame that it is drawn in, and what each such thing is."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QRect
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QWidget

from knitground.core.edit.changed import Changed
from knitground.core.edit.desk import Desk, Pointer
from knitground.core.edit.laying import Plan
from knitground.core.model.lattice import Cell
from knitground.core.model.map import Map
from knitground.core.model.marker import Marker
from knitground.ui.common.pulse import until_in_pulse
from knitground.ui.common.zoom import Camera
from knitground.ui.mapside.canvas.chunks import ChunkStore
from knitground.ui.mapside.tools.tool import Tool
from knitground.ui.session import Session

GHOST_SECONDS = 0.006


@dataclass(frozen=True, eq=False)
class Canvas:
    """A frame of a view of the map.

    Parameters
    ----------
    camera, own : where the map is on the screen, and where the chosen layer is
    map, grid : the map, and as the chosen layer's cells divide it
    clip, room : the part of the screen that is painted, and the whole view
    tool, desk : the gesture that goes on or the chosen tool, and what it works with
    pointer, cursor : where the pointer is on the map, and the cell that has the cell cursor
    cell : that is pointed at, or has the cursor
    is_pointed : whether the pointer is over the view, or the cell cursor is shown
    asks_why : whether it is asked why a tile is there
    plan, marker : what a click would lay
    label : words at the pointer, and whether they warn
    """

    painter: QPainter
    session: Session
    store: ChunkStore
    camera: Camera
    own: Camera
    map: Map
    grid: Map
    clip: QRect
    room: QRect
    tool: Tool
    desk: Desk
    pointer: Pointer | None
    cursor: Cell | None
    cell: Cell | None
    is_pointed: bool
    asks_why: bool
    plan: Plan | None
    marker: Marker | None
    label: tuple[str, bool]

    @property
    def ghost_until(self) -> float:
        """Until when a ghost may be drawn, as `perf_counter` tells it."""
        return until_in_pulse(GHOST_SECONDS)


class Overlay:
    """Something that is drawn over the map; each view of it has one of each kind."""

    waiting = False
    """Whether a part of what is to be seen is being made elsewhere still."""

    def __init__(self, session: Session, view: QWidget) -> None:
        self.session, self.view = session, view

    def draw(self, on: Canvas) -> bool:
        """Draw it; returns whether it is whole: what there was no time for comes next frame."""
        raise NotImplementedError

    def follow(self, change: Changed) -> None:
        """Take note of a change of the document."""

    def forget(self) -> None:
        """Know nothing of the project any more: another one is open."""
