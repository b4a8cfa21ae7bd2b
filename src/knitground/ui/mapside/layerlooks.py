"""What the window shows of each kind of layer: one object a kind, in one registry."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.tongue import say
from knitground.core.base.window import Box
from knitground.core.edit.desk import Pointer
from knitground.core.edit.hand import TURN_WORDS
from knitground.core.edit.markers import marker_at
from knitground.core.model.layers import (
    Cells,
    GroundLayer,
    GrownLayer,
    Layer,
    MarkerLayer,
    TileLayer,
    TintLayer,
)
from knitground.core.model.limits import FULL_TINT
from knitground.core.model.map import Map, grid_of
from knitground.core.model.tile import TileRef
from knitground.core.model.turns import turned_ring
from knitground.core.render.atlas import Atlas
from knitground.core.render.compose import lay_out, tint_factors
from knitground.core.render.pixels import Pixels, premultiplied, straight
from knitground.core.render.small import sampled_cells
from knitground.core.rules.rewriterun import DONE
from knitground.ui.common.words import percent
from knitground.ui.mapside.canvas.markers import kind_colour
from knitground.ui.mapside.canvas.why import why_at
from knitground.ui.session import Session

_SAMPLES = 60
_LEAST_SEEN = 16
"""Alpha of a tile's mean colour from which on it counts in a layer's picture."""
_SMALL_CELLS = 512 * 512


class LayerLook:
    """What is shown of a kind of layer; here of one whose tiles were laid by hand."""

    def picture(self, session: Session, map_: Map, layer: Layer, atlas: Atlas) -> Pixels:
        """Draw it for its card: a cell in so many, one pixel each, so that any size is quick."""
        step = _step(map_)
        if map_.height * map_.width > _SMALL_CELLS or grid_of(map_, layer) is not map_:
            # Too large to knit or to look through for a thumbnail: one cell in so many, and of
            # ground what has been knitted so far.
            cells = sampled_cells(map_, layer, step)
        else:
            box = Box(0, 0, map_.height, map_.width)
            cells = _sampled(session.doc.cells(map_, layer, box), step)
        shown = cells if map_.lattice.slanted else cropped(cells)
        pixels = lay_out(full(atlas.dots([shown])), shown)
        return cropped(map_.lattice.spread(pixels)) if map_.lattice.slanted else pixels

    def words(self, session: Session, map_: Map, layer: Layer, at: Pointer) -> str:
        """Say in words what lies under a place of the layer that is on the map."""
        tile, words = self.laid(session, map_, layer, at)
        return words + laid_words(session, tile) if tile is not None else words

    def laid(
        self, session: Session, map_: Map, layer: Layer, at: Pointer
    ) -> tuple[TileRef | None, str]:
        """Give the tile under a place, and its name."""
        tile = map_.legend.tile(_value(session, map_, layer, at))
        return tile, tile_words(session, tile)


class _Grown(LayerLook):
    def words(self, session: Session, map_: Map, layer: Layer, at: Pointer) -> str:
        assert isinstance(layer, GrownLayer)
        row, col = at.cell(map_)
        words = super().words(session, map_, layer, at)
        if layer.pinned[row, col]:
            return words
        return words + live_words(session, map_, layer, Box(row, col, row + 1, col + 1))


class _Ground(LayerLook):
    def words(self, session: Session, map_: Map, layer: Layer, at: Pointer) -> str:
        assert isinstance(layer, GroundLayer)
        tile, words = self.laid(session, map_, layer, at)
        if tile is not None and layer.pinned[at.cell(map_)]:
            words += laid_words(session, tile)
        why = why_at(session, at)
        return f"{words} · {why.sentence()}" if why else words


class _Tint(LayerLook):
    def picture(self, _session: Session, map_: Map, layer: Layer, _atlas: Atlas) -> Pixels:
        factors = tint_factors(sampled_cells(map_, layer, _step(map_)))
        seen = np.where(factors == 0xFFFFFFFF, np.uint32(0), factors)
        return cropped(map_.lattice.spread(seen))

    def words(self, session: Session, map_: Map, layer: Layer, at: Pointer) -> str:
        value = _value(session, map_, layer, at)
        part = percent((value >> 24) / FULL_TINT)
        return (
            say("colour #{value:06x}, {part}", value=value & 0xFFFFFF, part=part)
            if value
            else say("none")
        )


class _Markers(LayerLook):
    def picture(self, _session: Session, map_: Map, layer: Layer, _atlas: Atlas) -> Pixels:
        assert isinstance(layer, MarkerLayer)
        return cropped(map_.lattice.spread(_marker_dots(map_, layer, _step(map_))))

    def words(self, session: Session, map_: Map, layer: Layer, at: Pointer) -> str:
        assert isinstance(layer, MarkerLayer)
        found = marker_at(session.project, layer, at.x, at.y, map_.lattice.shorter / 2)
        what = f"{say(found.shape.value)} “{found.title}”" if found else say("no marker")
        return say("{what} · x {x:.0f}, y {y:.0f} px", what=what, x=at.x, y=at.y)


_LOOKS: dict[type[Layer], LayerLook] = {
    TileLayer: LayerLook(), GrownLayer: _Grown(), GroundLayer: _Ground(), TintLayer: _Tint(),
    MarkerLayer: _Markers(),
}  # fmt: skip


def look_of(layer: Layer) -> LayerLook:
    """Give what is shown of a layer's kind."""
    return _LOOKS[type(layer)]


def under_pointer(session: Session, at: Pointer) -> str:
    """Say in words what is under a place: cell, layer, terrain, tile, why."""
    map_, layer = session.grid, session.layer
    if map_ is None or layer is None:
        return ""
    row, col = at.cell(map_)
    if not map_.lattice.holds(row, col):
        rows, columns = map_.lattice.counted
        return say(
            "outside {name} · {columns} × {rows} cells", name=map_.name, columns=columns, rows=rows
        )
    named = map_.lattice.name_of(row, col)
    start = say(
        "column {named}, row {named2} · {name} ({kind})",
        named=named[1],
        named2=named[0],
        name=layer.name,
        kind=say(layer.kind),
    )
    return f"{start}: {look_of(layer).words(session, map_, layer, at)}"


def _value(session: Session, map_: Map, layer: Layer, at: Pointer) -> int:
    row, col = at.cell(map_)
    return int(session.doc.cells(map_, layer, Box(row, col, row + 1, col + 1))[0, 0])


# Words


def tile_words(session: Session, tile: TileRef | None) -> str:
    """Name a tile by its number and tileset."""
    if tile is None:
        return say("empty")
    owner = session.project.tileset_named(tile.tileset)
    if owner is None or not owner.has(tile.row, tile.col):
        return say(
            "missing tile of {tileset} (row {row}, column {col})",
            tileset=tile.tileset,
            row=tile.row,
            col=tile.col,
        )
    return say(
        "tile {number} of {tileset}", number=owner.number(tile.row, tile.col), tileset=tile.tileset
    )


def laid_words(session: Session, tile: TileRef) -> str:
    """Say how a tile laid by hand is turned, and what it shows that way: marks turn along."""
    words = f", {TURN_WORDS[tile.turn]}" if tile.turn else ""
    for owner in session.project.tilesets:
        for kit in owner.sets:
            guest = None if owner.name == tile.tileset else tile.tileset
            if guest is not None and guest not in kit.guests:
                continue
            marks = kit.marks_within(tile.row + 1, tile.col + 1, guest)[tile.row, tile.col]
            if marks.any():
                turned = turned_ring(marks, tile.turn)
                shown = [
                    f"{slot.title} {kit.name_of(int(turned[slot]))}" for slot in kit.kind.slots
                ]
                return say("{words}, shows {words2}", words=words, words2=" · ".join(shown))
    return words


def live_words(session: Session, map_: Map, layer: GrownLayer, cell: Box) -> str:
    """Say which rule of a live layer made a cell."""
    live = session.doc.rewriter.rules_of(map_, layer)
    if live is None:
        return ""
    reach = [max(abs(w[0]), abs(w[1])) for block in live.table.blocks for w in block.writes]
    box = map_.lattice.fitted(cell.grown(max(reach, default=0)))
    done = live.run(box)
    for n, rule in enumerate(live.table.rules):
        rows, cols, states = done.found.get(rule.number, (None, None, None))
        if rows is None or cols is None or states is None:
            continue
        for block in live.table.blocks:
            for down, across, _ in block.writes if block.rule == n else ():
                at_row, at_col = cell.top - down, cell.left - across
                if ((rows == at_row) & (cols == at_col) & (states == DONE)).any():
                    name = rule.name or say("without a name")
                    return say(
                        " · made by rule {n} of “{rules}”, “{name}”",
                        n=n + 1,
                        rules=live.step.rules,
                        name=name,
                    )
    return say(" · no rule of “{rules}” takes it", rules=live.step.rules)


# Pictures


def _step(map_: Map) -> int:
    return max(1, -(-max(map_.height, map_.width) // _SAMPLES))


def cropped(cells: NDArray[Any]) -> NDArray[Any]:
    """Cut a layer's samples (h, w) down to where anything lies, with a rim, never to a speck.

    Examples
    --------
    >>> cropped(np.eye(40, dtype=int)[:30] * (np.arange(40) == 20)).shape
    (10, 14)
    >>> cropped(np.zeros((30, 40), int)).shape
    (30, 40)
    """
    rows, cols = np.flatnonzero(cells.any(axis=1)), np.flatnonzero(cells.any(axis=0))
    if not rows.size:
        return cells
    spans = []
    for found, size, least in ((rows, cells.shape[0], 10), (cols, cells.shape[1], 14)):
        low, high = int(found[0]) - 1, int(found[-1]) + 2
        more = max(0, least - (high - low))
        low = max(0, min(low - more // 2, size - least))
        spans.append(slice(low, min(size, max(high + more - more // 2, low + least))))
    return cells[spans[0], spans[1]]


def _marker_dots(map_: Map, layer: MarkerLayer, step: int) -> Pixels:
    """Draw each marker as a dot of 3 × 3 in the colour of its kind, later ones in front."""
    high, wide = -(-map_.height // step), -(-map_.width // step)
    colours = {
        kind: 0xFF000000 | int(kind_colour(kind)[1:], 16)
        for kind in {each.kind for each in layer.markers}
    }
    inks = np.array([0, *(colours[each.kind] for each in layer.markers)], np.uint32)
    middles = np.array([each.middle for each in layer.markers]).reshape(-1, 2)
    at = np.stack(map_.lattice.cells_at(middles[:, 0], middles[:, 1])) // step
    on = ((at >= 0) & (at < [[high], [wide]])).all(axis=0)
    numbers, (rows, cols) = np.flatnonzero(on) + 1, at[:, on]
    last = np.zeros((high + 2, wide + 2), np.int64)
    for down, across in np.ndindex(3, 3):
        here = np.zeros_like(last)
        here[rows + down, cols + across] = numbers
        np.maximum(last, here, out=last)
    return inks[last[1:-1, 1:-1]]


def full(dots: Pixels) -> Pixels:
    """Make what can be seen of dots opaque: a lone post would be a shade of the ground else.

    Examples
    --------
    >>> [hex(each) for each in full(np.array([0, 0x40102000, 0x08010101], np.uint32)).tolist()]
    ['0x0', '0xff408000', '0x0']
    """
    rgba = straight(dots)
    rgba[..., 3] = np.where(rgba[..., 3] > _LEAST_SEEN, 255, 0)
    return premultiplied(rgba)


def _sampled(cells: Cells, step: int) -> Cells:
    """Take one cell of each step × step, one that is not empty if there is any."""
    high, wide = cells.shape[0] // step * step, cells.shape[1] // step * step
    blocks = cells[:high, :wide].reshape(high // step, step, wide // step, step)
    return np.asarray(blocks.max(axis=(1, 3)), np.int32)
