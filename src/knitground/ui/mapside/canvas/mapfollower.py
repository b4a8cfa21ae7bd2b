"""Repainting what changes touch."""

from __future__ import annotations

from typing import TYPE_CHECKING

from knitground.core.edit.changed import Changed, What
from knitground.core.edit.markers import marker_cells
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.map import cells_under

if TYPE_CHECKING:
    from knitground.ui.mapside.canvas.picture import MapPicture


class MapFollower:
    """Marks what of a view is out of date."""

    def __init__(self, view: MapPicture) -> None:
        self.view = view

    def follow(self, change: Changed) -> None:
        """Repaint what a change touches."""
        self.view.shapes.follow(change)
        if self.view.store is None:
            return
        if change.what in (What.SLICING, What.LOOKS, What.TILESETS):
            self.view.outlines.forget()
            self.view.store.touch_all()  # the atlas has followed
        elif (
            change.map is self.view.shown_map
            and change.what is What.SIZE
            and self.view.shown_map is not None
        ):
            self.view.cell_cursor = None
            self.view.store = self.view.new_store(self.view.shown_map)
        elif change.map is self.view.shown_map and change.what is What.CELLS:
            self._follow_cells(change)
            return
        elif change.map is self.view.shown_map and change.what is What.MARKERS:
            self._follow_markers(change)
        elif change.map is self.view.shown_map and change.what in (What.LAYERS, What.KNITTING):
            self.view.store.touch_all()
        self.view.update()

    def _follow_cells(self, change: Changed) -> None:
        assert self.view.store is not None
        assert self.view.shown_map is not None
        if change.box is None:
            self.view.store.touch_all()
            self.view.update()
            return
        under = cells_under(self.view.shown_map, change.layer, change.box)
        box = under.fitted(
            self.view.shown_map.height, self.view.shown_map.width, self.view.shown_map.wrap
        )
        self.view.store.touch(box)
        if self.view.repeat or self.view.shown_map.wrap or self.view.shapes.on:
            self.view.update()
        else:
            self.view.update(self.view.screen_rect(self.view.store.shown(box)))
        if self.view.pointer is not None and self.view.gesture is None:
            self.view.tell()  # what is under a pointer at rest may be another tile now

    def _follow_markers(self, change: Changed) -> None:
        """Draw anew where free pictures were and where they are now."""
        assert self.view.store is not None
        assert self.view.shown_map is not None
        layer = change.layer
        if not isinstance(layer, MarkerLayer):
            return
        before = self.view.markers.get(layer.number, ())
        self.view.markers[layer.number] = layer.markers
        other = [each for each in {*before} ^ {*layer.markers} if each.tile is not None]
        box = marker_cells(self.view.session.project, self.view.shown_map, other)
        if box is not None:
            self.view.store.touch(
                box.fitted(
                    self.view.shown_map.height, self.view.shown_map.width, self.view.shown_map.wrap
                )
            )
        if self.view.pointer is not None:
            self.view.tell()
