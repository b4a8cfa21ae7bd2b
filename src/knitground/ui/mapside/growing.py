"""What releases pins waits until it is known what grows beneath them."""

from __future__ import annotations

from collections.abc import Callable

from knitground.core.base.progress import Progress
from knitground.core.base.tongue import say
from knitground.core.model.layers import Cells, GrownLayer, Layer
from knitground.core.model.map import Map
from knitground.ui.session import Session


def must_grow(session: Session, map_: Map | None, layer: Layer | None) -> GrownLayer | None:
    """Give a layer back if a whole recipe has to run before pins of it can be released."""
    if map_ is None or not isinstance(layer, GrownLayer) or not layer.pinned.any():
        return None
    return None if session.doc.grower.is_ready(map_, layer) else layer


def once_grown(
    session: Session, map_: Map | None, layer: Layer | None, act: Callable[[], object]
) -> None:
    """Do what may release pins of a layer, once it is known what grows beneath them.

    Mostly that is known, or found out beside the pointer; else a recipe that takes long runs now,
    with progress and Cancel, after which nothing has changed.
    """
    doc, grown = session.doc, must_grow(session, map_, layer)
    if map_ is None or grown is None:
        act()
        return

    def work(progress: Progress) -> Cells:
        return doc.grower.grow(map_, grown, progress)

    def done(cells: Cells) -> None:
        doc.grower.keep(grown, cells)
        act()

    session.run_long(say("Growing what lies under the pins…"), work, done)
