"""Chunk buffers: the map drawn in pieces of about 256 × 256 px at each level of smallness.

A piece shares its memory with a QImage. An edit marks the cells that are different; they are
composed again in place when the piece is next drawn.
"""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QImage

from knitground.core.base.window import Box
from knitground.core.edit.document import Document
from knitground.core.edit.laying import Plan
from knitground.core.model.layers import Cells, Layer
from knitground.core.model.map import Map
from knitground.core.render.atlas import Atlas
from knitground.core.render.compose import compose

CHUNK_PX = 256
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

    def __post_init__(self) -> None:
        self.image = image_of(self.pixels)


class ChunkStore:
    """Pieces of one map, made when they are asked for, the longest unused ones forgotten."""

    def __init__(self, doc: Document, map_: Map) -> None:
        self._doc = doc
        self._map = map_
        self.atlas = Atlas(doc.project, map_)
        self._chunks: OrderedDict[Key, Chunk] = OrderedDict()
        self._bytes = 0
        self._ghost: tuple[Plan, int, NDArray[np.uint32], QImage] | None = None

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

    def make(self, key: Key) -> Chunk:
        """Return a piece, composing what is missing or out of date."""
        chunk = self._chunks.get(key)
        if chunk is None:
            chunk = self._compose_new(key)
        elif chunk.dirty is not None:
            self._patch(key[0], chunk, chunk.dirty)
            chunk.dirty = None
        self._chunks.move_to_end(key)
        return chunk

    def touch(self, box: Box) -> None:
        """Note that cells are different now; the box may wrap."""
        pieces = box.pieces(self._map.height, self._map.width)
        for chunk in self._chunks.values():
            for piece in pieces:
                hit = Box(
                    max(piece.top, chunk.box.top),
                    max(piece.left, chunk.box.left),
                    min(piece.bottom, chunk.box.bottom),
                    min(piece.right, chunk.box.right),
                )
                if not hit.is_empty:
                    chunk.dirty = chunk.dirty.joined(hit) if chunk.dirty else hit

    def touch_all(self) -> None:
        """Note that every piece is out of date; what was drawn stays until it is made again."""
        for chunk in self._chunks.values():
            chunk.dirty = chunk.box

    def picture(self, box: Box, level: int, layer: Layer, cells: Cells) -> NDArray[np.uint32]:
        """Compose a box of the map (may wrap) with other cells in one of its layers: a ghost."""
        stack = []
        for each in self._map.layers:
            if each is layer:
                stack.append(cells)
            elif each.visible:
                stack.append(self._doc.cells(self._map, each, box))
        return compose(self.atlas.pictures(level), stack)

    def ghost_image(self, plan: Plan, level: int) -> QImage:
        """Draw what a plan will give; kept as long as the same plan is shown at the same level."""
        if self._ghost is None or self._ghost[0] is not plan or self._ghost[1] != level:
            pixels = self.picture(plan.box, level, plan.layer, plan.cells)
            self._ghost = (plan, level, pixels, image_of(pixels))
        return self._ghost[3]

    def _compose_new(self, key: Key) -> Chunk:
        level, row, col = key
        side = self.cells_a_side(level)
        box = Box(row * side, col * side, (row + 1) * side, (col + 1) * side)
        box = box.clipped(self._map.height, self._map.width)
        high, wide = self.atlas.tile_size(level)
        chunk = Chunk(box, np.zeros((box.height * high, box.width * wide), np.uint32))
        self._patch(level, chunk, box)
        self._chunks[key] = chunk
        self._bytes += chunk.pixels.nbytes
        while self._bytes > LIMIT_BYTES and len(self._chunks) > 1:
            _, oldest = self._chunks.popitem(last=False)
            self._bytes -= oldest.pixels.nbytes
        return chunk

    def _patch(self, level: int, chunk: Chunk, box: Box) -> None:
        stack = [
            self._doc.cells(self._map, layer, box) for layer in self._map.layers if layer.visible
        ]
        high, wide = self.atlas.tile_size(level)
        top, left = (box.top - chunk.box.top) * high, (box.left - chunk.box.left) * wide
        target = chunk.pixels[top : top + box.height * high, left : left + box.width * wide]
        if stack:
            target[:] = compose(self.atlas.pictures(level), stack)
        else:
            target[:] = 0
