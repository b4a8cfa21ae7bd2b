"""Chunk buffers: the map drawn in pieces of about 256 × 256 px at each level of smallness.

A piece shares its memory with a QImage. An edit marks the cells that are different; they are
composed again in place when the piece is next drawn.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass, field
from time import perf_counter

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QImage

from knitground.core.base.window import Box, lay_over
from knitground.core.edit.document import Document
from knitground.core.edit.laying import Plan
from knitground.core.model.layers import Cells, Layer
from knitground.core.model.map import Map, cells_under, grid_of
from knitground.core.render.atlas import Atlas
from knitground.core.render.compose import around
from knitground.core.render.pixels import Pixels
from knitground.core.render.stack import draw_planes, full_reach, shown_cells, stack_of

CHUNK_PX = 256
_AT_ONCE = 50_000
"""Pixels of tiles to draw before the clock is looked at."""
LIMIT_BYTES = 192 * 1024 * 1024
Key = tuple[int, int, int]


def image_of(pixels: NDArray[np.uint32]) -> QImage:
    """Wrap premultiplied pixels (h, w); the array must be kept alive as long as the image."""
    height, width = pixels.shape
    return QImage(
        pixels.data, width, height, pixels.strides[0], QImage.Format.Format_ARGB32_Premultiplied
    )


@dataclass(eq=False)
class Chunk:
    """One piece: its cells, its pixels, the image that shares them, and what is out of date."""

    box: Box
    pixels: NDArray[np.uint32]
    image: QImage = field(init=False)
    dirty: Box | None = None
    moving: Box | None = None
    """Cells that show an animation."""

    def __post_init__(self) -> None:
        self.image = image_of(self.pixels)


class ChunkStore:
    """Pieces of one map, made when they are asked for, the longest unused ones forgotten."""

    def __init__(self, doc: Document, map_: Map, atlas: Atlas | None = None) -> None:
        self._doc = doc
        self._map = map_
        self.atlas = atlas or Atlas(doc.project, map_)
        self._chunks: OrderedDict[Key, Chunk] = OrderedDict()
        self._bytes = 0
        self._ghost: tuple[Plan, int, Box, Pixels, QImage] | None = None

    def cells_a_side(self, level: int) -> int:
        """How many cells one piece is wide and high at a level."""
        return max(1, CHUNK_PX // max(self.atlas.tile_size(level)))

    def level_for(self, zoom: float) -> int:
        """Pick the smallest level whose tiles are at least as large as on the screen."""
        level = 0
        longer = max(self._map.tile_height, self._map.tile_width)
        while level + 1 < self.atlas.level_count:
            if max(self.atlas.tile_size(level + 1)) < longer * zoom:
                break
            level += 1
        return level

    def ready(self, key: Key) -> Chunk | None:
        """Return a piece if it is there and up to date."""
        chunk = self._chunks.get(key)
        if chunk is None or chunk.dirty is not None:
            return None
        self._chunks.move_to_end(key)
        return chunk

    def stale(self, key: Key) -> Chunk | None:
        """Return a piece as it was last drawn, to show until it is made again."""
        return self._chunks.get(key)

    def make(self, key: Key, until: float | None = None) -> Chunk:
        """Return a piece, composing what is missing or out of date.

        It stays out of date if a time (of `perf_counter`) comes before its pictures are drawn.
        """
        chunk = self._chunks.get(key) or self._new(key)
        if chunk.dirty is not None and self._patch(key[0], chunk, chunk.dirty, until):
            chunk.dirty = None
        self._chunks.move_to_end(key)
        return chunk

    def touch(self, box: Box) -> None:
        """Note that cells are different now; the box may wrap."""
        for piece in self.shown(box).pieces(self._map.height, self._map.width):
            for chunk in self._under(piece):
                hit = Box(
                    max(piece.top, chunk.box.top),
                    max(piece.left, chunk.box.left),
                    min(piece.bottom, chunk.box.bottom),
                    min(piece.right, chunk.box.right),
                )
                if not hit.is_empty:
                    chunk.dirty = chunk.dirty.joined(hit) if chunk.dirty else hit

    def _under(self, box: Box) -> list[Chunk]:
        """List the pieces that may show a box of cells inside the map."""
        out: list[Chunk] = []
        for level in range(self.atlas.level_count):
            side = self.cells_a_side(level)
            rows = range(box.top // side, -(-box.bottom // side))
            cols = range(box.left // side, -(-box.right // side))
            if len(rows) * len(cols) > len(self._chunks):
                return list(self._chunks.values())
            keys = ((level, row, col) for row in rows for col in cols)
            out += [chunk for key in keys if (chunk := self._chunks.get(key)) is not None]
        return out

    def touch_all(self) -> None:
        """Note that every piece is out of date; what was drawn stays until it is made again."""
        for chunk in self._chunks.values():
            chunk.dirty = chunk.box

    def animate(self, ms: int) -> bool:
        """Show animations as they are at a time; returns whether anything is to be drawn anew."""
        if not self.atlas.show_time(ms):
            return False
        found = False
        for chunk in self._chunks.values():
            if chunk.moving is not None:
                chunk.dirty = chunk.dirty.joined(chunk.moving) if chunk.dirty else chunk.moving
                found = True
        return found

    def picture(self, box: Box, level: int, laid: Sequence[tuple[Layer, Box, Cells]]) -> Pixels:
        """Compose a box of the map (may wrap) with other cells in some of its layers: a ghost.

        `laid` lists layers, boxes of their own cells, and what lies there; the first one is shown
        even if it is hidden.
        """
        other = {id(layer): (at, cells) for layer, at, cells in laid}

        def cells_of(each: Layer, wide: Box) -> Cells:
            if id(each) not in other:
                return self._doc.cells(self._map, each, wide)
            at, cells = other[id(each)]
            if wide == at:
                return cells
            grid = grid_of(self._map, each)
            turn = (grid.height, grid.width) if grid.wrap else None
            ghost: Cells = lay_over(self._doc.cells(self._map, each, wide), wide, at, cells, turn)
            return ghost

        shown = [each for each in self._map.layers if each is laid[0][0] or each.visible]
        planes, margin = stack_of(self._map, self.atlas, box, level, cells_of, shown)
        return draw_planes(self.atlas, level, planes, margin)

    def picture_with(self, box: Box, level: int, layer: Layer, instead: Layer) -> Pixels:
        """Compose a box of the map (may wrap) with another layer in place of one."""
        map_ = self._map
        shown = [instead if each is layer else each for each in map_.layers
                 if each is layer or each.visible]  # fmt: skip
        planes, margin = stack_of(
            map_,
            self.atlas,
            box,
            level,
            lambda each, wide: self._doc.cells(map_, each, wide),
            shown,
        )
        return draw_planes(self.atlas, level, planes, margin)

    def ghost_image(self, plan: Plan, level: int) -> tuple[Box, QImage]:
        """Draw what a plan will give: the cells shown, and their picture.

        Cells beside the plan's own are shown too where a picture reaches over there. Kept as long
        as the same plan is shown at the same level.
        """
        if self._ghost is None or self._ghost[0] is not plan or self._ghost[1] != level:
            under = cells_under(self._map, plan.layer, plan.box)
            follows: list[tuple[Layer, Box, Cells]] = []
            if plan.layer.holds_tiles and under == plan.box:
                follows += self._doc.rewriter.trial(self._map, plan.layer, plan.box, plan.cells)
            for _, at, _ in follows:
                under = under.joined(at)
            box = self.shown(under)
            pixels = self.picture(box, level, [(plan.layer, plan.box, plan.cells), *follows])
            self._ghost = (plan, level, box, pixels, image_of(pixels))
        return self._ghost[2], self._ghost[4]

    def shown(self, box: Box) -> Box:
        """Give the cells on which a change of these cells may show: pictures reach beyond them."""
        map_ = self._map
        reach = full_reach(map_, self.atlas)
        if not reach:
            return box
        wide = Box(
            box.top - reach.up, box.left - reach.left,
            box.bottom + reach.down, box.right + reach.right,
        )  # fmt: skip
        return wide if map_.wrap else wide.clipped(map_.height, map_.width)

    def _new(self, key: Key) -> Chunk:
        level, row, col = key
        side = self.cells_a_side(level)
        box = Box(row * side, col * side, (row + 1) * side, (col + 1) * side)
        box = box.clipped(self._map.height, self._map.width)
        high, wide = self.atlas.tile_size(level)
        chunk = Chunk(box, np.zeros((box.height * high, box.width * wide), np.uint32), dirty=box)
        self._chunks[key] = chunk
        self._bytes += chunk.pixels.nbytes
        while self._bytes > LIMIT_BYTES and len(self._chunks) > 1:
            _, oldest = self._chunks.popitem(last=False)
            self._bytes -= oldest.pixels.nbytes
        return chunk

    def _patch(self, level: int, chunk: Chunk, box: Box, until: float | None) -> bool:
        """Compose cells of a piece again; returns whether there was time for all it shows."""
        map_ = self._map
        planes, margin = stack_of(
            map_, self.atlas, box, level, lambda layer, part: self._doc.cells(map_, layer, part)
        )
        while not self.atlas.fill(level, shown_cells(planes), _AT_ONCE):
            if until is not None and perf_counter() > until:
                return False
        if self.atlas.moving:
            round_it, _ = around(box, full_reach(map_, self.atlas), map_.height, map_.width,
                                 map_.wrap)  # fmt: skip
            self._note_moving(chunk, round_it, [each.cells for each in planes if not each.tint])
        high, wide = self.atlas.tile_size(level)
        top, left = (box.top - chunk.box.top) * high, (box.left - chunk.box.left) * wide
        target = chunk.pixels[top : top + box.height * high, left : left + box.width * wide]
        target[:] = draw_planes(self.atlas, level, planes, margin) if planes else 0
        return True

    def _note_moving(self, chunk: Chunk, box: Box, stack: list[Cells]) -> None:
        """Remember where a piece shows animations, pictures that reach into it included."""
        places = self.atlas.moving_places
        found = np.zeros((box.height, box.width), np.bool_)
        for cells in stack:
            found |= np.isin(cells, places)
        rows, cols = np.flatnonzero(found.any(axis=1)), np.flatnonzero(found.any(axis=0))
        if not rows.size:
            return
        seen = self.shown(
            Box(box.top + int(rows[0]), box.left + int(cols[0]),
                box.top + int(rows[-1]) + 1, box.left + int(cols[-1]) + 1)
        )  # fmt: skip
        inside = chunk.box
        hit = Box(
            max(seen.top, inside.top), max(seen.left, inside.left),
            min(seen.bottom, inside.bottom), min(seen.right, inside.right),
        )  # fmt: skip
        if not hit.is_empty:
            chunk.moving = chunk.moving.joined(hit) if chunk.moving else hit
