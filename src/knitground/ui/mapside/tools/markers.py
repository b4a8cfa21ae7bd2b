"""The tools on marker layers: the same seven keys, laying points, areas and free pictures."""

from __future__ import annotations

from knitground.core.base.tongue import say
from knitground.core.base.window import Box
from knitground.core.edit.desk import Desk, Pointer
from knitground.core.edit.hand import MarkerInHand, TileInHand
from knitground.core.edit.markers import (
    add_markers,
    delete_markers,
    marker_at,
)
from knitground.core.edit.planning import LOCK_KEYS, refusal
from knitground.core.model.layers import Layer, MarkerLayer
from knitground.core.model.map import Map
from knitground.core.model.marker import Marker, Point, Shape
from knitground.ui.mapside.tools.tool import Tool
from knitground.ui.session import Session


def chosen_markers(session: Session) -> list[Marker]:
    """List the markers that are chosen."""
    layer = session.layer
    if not isinstance(layer, MarkerLayer):
        return []
    return [each for each in layer.markers if each.number in session.markers]


_PARTS = {"cell": 1, "half cell": 2}
"""Parts of a cell's sides that markers snap to; whole pixels by any other word."""


def snap_step(desk: Desk, map_: Map) -> tuple[float, float]:
    """Pixels across and down from one place that markers snap to, to the next."""
    part = _PARTS.get(desk.options.snap)
    if part is None:
        return 1.0, 1.0
    across, down = map_.lattice.stride
    return across / part, down / part


def snapped(desk: Desk, map_: Map, at: Pointer) -> Point:
    """Give the nearest place that corners snap to."""
    part = _PARTS.get(desk.options.snap)
    if part is None:
        return float(round(at.x)), float(round(at.y))
    return map_.lattice.snap(at.x, at.y, part)


def standing(desk: Desk, map_: Map, at: Pointer, *, picture: bool) -> Point:
    """Give the place that a point, or a picture's lower middle, snaps to."""
    if desk.options.snap != "cell":
        return snapped(desk, map_, at)
    row, col = at.cell(map_)
    return map_.lattice.foot(row, col) if picture else map_.lattice.middle(row, col)


class MarkerTool(Tool):
    """What the tools on marker layers have in common."""

    def parts(self) -> tuple[Map, MarkerLayer] | None:
        """Give the map and the layer, if markers can be laid there."""
        map_, layer = self.desk.map, self.desk.layer
        if map_ is None or not isinstance(layer, MarkerLayer):
            return None
        return map_, layer

    @property
    def kind(self) -> str:
        """Kind of the marker in hand."""
        hand = self.desk.hand
        return hand.kind if isinstance(hand, MarkerInHand) else ""

    def under(self, at: Pointer) -> Marker | None:
        """Find the marker of the chosen layer at a place."""
        found = self.parts()
        if found is None:
            return None
        near = found[0].lattice.shorter / 2
        return marker_at(self.session.project, found[1], at.x, at.y, near)

    def lay(self, marker: Marker | None) -> None:
        """Add a marker and choose it."""
        found = self.parts()
        if found is None or marker is None:
            return

        def do() -> None:
            edit, numbers = add_markers(*found, [marker])
            self.session.doc.apply(edit)
            self.session.choose_markers(numbers)

        self.session.attempt(do)


class PlaceMarker(MarkerTool):
    """Paint: a point of the kind in hand, or the tile in hand as a free picture."""

    key = "paint"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._marker: Marker | None = None

    @property
    def marker(self) -> Marker | None:
        return self._marker

    def would_lay(self, at: Pointer) -> Marker | None:
        found, hand = self.parts(), self.desk.hand
        if found is None or refusal(self.desk, at) is not None:
            return None
        picture = isinstance(hand, TileInHand)
        point = standing(self.desk, found[0], at, picture=picture)
        if isinstance(hand, TileInHand):
            return Marker(0, Shape.PICTURE, (point,), tile=hand.tile)
        return Marker(0, Shape.POINT, (point,), kind=self.kind)

    def press(self, at: Pointer) -> bool:
        self._marker = self.would_lay(at)
        return self._marker is not None

    def move(self, at: Pointer) -> None:
        self._marker = self.would_lay(at)

    def release(self) -> None:
        marker, self._marker = self._marker, None
        self.lay(marker)

    def cancel(self) -> None:
        self._marker = None


class BoxArea(MarkerTool):
    """Box: a rectangular area; a click alone takes a cell."""

    key = "box"
    drags = True

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._from: Pointer | None = None
        self._at: Pointer | None = None

    @property
    def marker(self) -> Marker | None:
        found = self.parts()
        if found is None or self._from is None or self._at is None:
            return None
        map_ = found[0]
        (x0, y0), (x1, y1) = (snapped(self.desk, map_, each) for each in (self._from, self._at))
        if x0 == x1 or y0 == y1:
            row, col = self._from.cell(map_)
            cell = map_.lattice.bounds(Box(row, col, row + 1, col + 1))
            x0, y0, x1, y1 = cell.x, cell.y, cell.right, cell.bottom
        corners = ((min(x0, x1), min(y0, y1)), (max(x0, x1), max(y0, y1)))
        return Marker(0, Shape.BOX, corners, kind=self.kind)

    def would_lay(self, at: Pointer) -> Marker | None:
        if refusal(self.desk, at) is not None or self.parts() is None:
            return None
        trial = self.on_desk(self.desk)
        trial.press(at)
        return trial.marker

    def press(self, at: Pointer) -> bool:
        self._from = self._at = at
        return True

    def move(self, at: Pointer) -> None:
        self._at = at

    def release(self) -> None:
        marker = self.marker
        self.cancel()
        self.lay(marker)

    def cancel(self) -> None:
        self._from = self._at = None


class PolygonArea(MarkerTool):
    """Line: an area of any shape, corner by corner; its first or last corner again closes it."""

    key = "line"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._corners: list[Point] = []

    @property
    def is_open(self) -> bool:
        return bool(self._corners)

    def would_lay(self, at: Pointer) -> Marker | None:
        found = self.parts()
        if found is None or refusal(self.desk, at) is not None:
            return None
        here = snapped(self.desk, found[0], at)
        corners = tuple(dict.fromkeys([*self._corners, here]))
        return Marker(0, Shape.POLYGON, corners, kind=self.kind)

    def press(self, at: Pointer) -> bool:
        found = self.parts()
        if found is None:
            return False
        here = snapped(self.desk, found[0], at)
        if len(self._corners) >= 3 and here in (self._corners[0], self._corners[-1]):
            self.close()
        elif here not in self._corners:
            self._corners.append(here)
            if len(self._corners) == 1:
                self.session.note(
                    say("Click corner by corner; the first or last one again closes it")
                )
        return False

    def close(self) -> None:
        corners, self._corners = self._corners, []
        if len(corners) >= 3:
            self.lay(Marker(0, Shape.POLYGON, tuple(corners), kind=self.kind))

    def cancel(self) -> None:
        self._corners = []


class NoFill(MarkerTool):
    """Fill: refused on marker layers, as the label at the pointer says."""

    key = "fill"

    def press(self, at: Pointer) -> bool:
        return False


class EraseMarkers(MarkerTool):
    """Erase: takes away the markers that the pointer goes over, as one step."""

    key = "erase"

    def press(self, at: Pointer) -> bool:
        if not self.session.attempt(lambda: self.session.doc.begin_stroke(say("Erase markers"))):
            return False
        self.move(at)
        return True

    def move(self, at: Pointer) -> None:
        found, under = self.parts(), self.under(at)
        if found is not None and under is not None and refusal(self.desk, at) is None:
            edit = delete_markers(*found, [under.number])
            self.session.attempt(lambda: self.session.doc.apply(edit))  # part of the stroke

    def release(self) -> None:
        self.session.doc.commit_stroke()

    def cancel(self) -> None:
        self.session.doc.cancel_stroke()


class PickMarker(MarkerTool):
    """Pick: takes a marker's kind, or a free picture's tile, in hand."""

    key = "pick"

    def press(self, at: Pointer) -> bool:
        under = self.under(at)
        if under is None:
            self.session.note(say("Nothing to pick there: no marker of the chosen layer"))
        elif under.tile is not None:
            owner = self.session.project.tileset_named(under.tile.tileset)
            number = owner.number(under.tile.row, under.tile.col) if owner else 0
            self.session.take(TileInHand(under.tile, number))
        else:
            self.session.take(MarkerInHand(under.kind))
        return False


def refusal_of(session: Session, layer: Layer | None) -> str | None:
    """Say why chosen markers of a layer can not be changed; None if they can."""
    if layer is not None and layer.locked:
        session.warn(
            say(
                "Nothing moved: {name} is locked — {lock_keys} unlocks it",
                name=layer.name,
                lock_keys=LOCK_KEYS,
            )
        )
        return "locked"
    return None
