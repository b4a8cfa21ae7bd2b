"""The atlases of the maps that are on the screen: one a map, kept up to date with every change."""

from __future__ import annotations

from collections import OrderedDict

from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Document
from knitground.core.model.map import Map
from knitground.core.render.atlas import Atlas

_KEPT = 3
"""Maps whose pictures are kept, so that going back and forth between a few is quick."""


class Atlases:
    """Gives the atlas of a map; the view, the overview and the layers' pictures share it."""

    def __init__(self, doc: Document) -> None:
        self._doc = doc
        self._atlases: OrderedDict[Map, Atlas] = OrderedDict()

    def of(self, map_: Map) -> Atlas:
        """Give the atlas of a map."""
        if map_ not in self._atlases:
            self._atlases[map_] = Atlas(self._doc.project, map_)
            while len(self._atlases) > _KEPT:
                self._atlases.popitem(last=False)
        self._atlases.move_to_end(map_)
        return self._atlases[map_]

    def follow(self, change: Changed) -> None:
        """Read those pictures again that a change has touched."""
        if change.what is What.SIZE and change.map is not None:
            self._atlases.pop(change.map, None)
        elif change.what in (What.SLICING, What.LOOKS, What.TILESETS):
            for atlas in self._atlases.values():
                if change.what is What.TILESETS:
                    atlas.refresh()
                else:
                    atlas.refresh(change.tileset, change.tiles)
