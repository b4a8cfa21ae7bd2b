"""Chunk buffers: the map drawn in pieces of about 256 × 256 px at each level of smallness.

A piece shares its memory with a QImage. An edit marks the cells that are different; they are
composed again in place when the piece is next drawn.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from math import ceil
from time import perf_counter

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QImage

from knitground.core.base.window import Box
from knitground.core.edit.document import Document
from knitground.core.edit.laying import Plan
from knitground.core.model.lattice import Rect
from knitground.core.model.layers import Cells, Layer
from knitground.core.model.map import Map, cells_under, grid_of
from knitground.core.render.atlas import Atlas
from knitground.core.render.pixels import Pixels
from knitground.core.render.stack import Stack, draw, draw_map, full_reach, needed, stack_of
from knitground.ui.common.painting import image_of

CHUNK_PX = 256
_AT_ONCE = 50_000
"""Pixels of tiles to draw before the clock is looked at."""
_BAND_CELLS = 1 << 13
"""Cells to compose before it is looked at again: a piece of the smallest cells has more."""
_GHOST_PIXELS = 4_000_000
"""Of a ghost that has more pixels only what is seen is composed."""
_BAND_PIXELS = 48_000
"""Pixels of a ghost that are composed before the clock is looked at."""
_FAINT = 0.25
LIMIT_BYTES = 96 * 1024 * 1024
Key = tuple[int, int, int]


_Frame = tuple[NDArray[np.uint32], QImage, QImage | None]
_MOST_FRAMES = 8
"""Phases of a piece that are kept: four are usual, and each takes as much room as the piece."""


@dataclass(eq=False)
class Chunk:
    """One piece: where it lies in the pixels of its level, its own pixels, the image over them.

    `dirty` is what is out of date, `moving` what shows an animation: that of `movers`, places of
    the atlas, which stand at `phase`; None if it was drawn while they moved on. `frames` keeps the
    piece as it was at other phases: animations come back to them, and then nothing is composed.
    """

    rect: Rect
    pixels: NDArray[np.uint32]
    image: QImage = field(init=False)
    dirty: Rect | None = None
    moving: Rect | None = None
    movers: tuple[int, ...] = ()
    phase: tuple[object, ...] | None = None
    begun: int | None = None
    frames: dict[tuple[object, ...], _Frame] = field(default_factory=dict)
    _smaller: QImage | None = None

    def __post_init__(self) -> None:
        self.image = image_of(self.pixels)

    def stand_at(self, phase: tuple[object, ...]) -> None:
        """Show its animations at another phase: as it was then, or out of date there."""
        if phase == self.phase or self.moving is None:
            return
        found = self.frames.pop(phase, None) if self.dirty is None else None
        keeps = self.dirty is None and self.phase is not None and len(self.frames) < _MOST_FRAMES
        if keeps and self.phase is not None:
            self.frames[self.phase] = (self.pixels, self.image, self._smaller)
        if found is not None:
            self.pixels, self.image, self._smaller = found
            self.phase = phase
            return
        if keeps:
            self.pixels = self.pixels.copy()
            self.image, self._smaller = image_of(self.pixels), None
        self.dirty = self.dirty.joined(self.moving) if self.dirty else self.moving

    def touch(self, rect: Rect) -> None:
        """Note that what it shows in a rectangle is different now, at every phase."""
        self.dirty = self.dirty.joined(rect) if self.dirty else rect
        self.frames.clear()

    def image_for(self, width: float, height: float) -> QImage:
        """Give the image, shrunk and kept so where it is drawn smaller on whole pixels.

        Shrinking at each paint takes most of a paint's time on a large map that is seen whole.
        """
        if width >= self.image.width() or width % 1 or height % 1:
            return self.image
        size = QSize(int(width), int(height))
        if self._smaller is None or self._smaller.size() != size:
            self._smaller = self.image.scaled(size, mode=Qt.TransformationMode.SmoothTransformation)
        return self._smaller

    def forget_smaller(self) -> None:
        """Its pixels are about to change."""
        self._smaller = None


@dataclass(eq=False)
class GhostPicture:
    """The picture of what a plan will give, composed from its top down.

    `part` is what is shown of the plan, `rect` the pixels of the level in the picture: beside the
    plan's own cells also where a picture reaches over there. From `done` down they are missing.
    """

    plan: Plan
    level: int
    part: Plan
    rect: Rect
    laid: Sequence[tuple[Layer, Box, Cells]]
    pixels: Pixels
    done: int = 0
    image: QImage = field(init=False)

    def __post_init__(self) -> None:
        self.image = image_of(self.pixels)

    def shows(self, plan: Plan, level: int, box: Box) -> bool:
        """Whether it is the picture of those cells of that very plan."""
        return self.plan is plan and self.level == level and self.part.box == box

    @property
    def is_whole(self) -> bool:
        """Whether all of it is composed."""
        return self.done >= self.rect.height


class ChunkStore:
    """Pieces of one map, made when they are asked for, the longest unused ones forgotten."""

    def __init__(self, doc: Document, map_: Map, atlas: Atlas | None = None) -> None:
        self._doc = doc
        self._map = map_
        self.atlas = atlas or Atlas(doc.project, map_)
        self._chunks: OrderedDict[Key, Chunk] = OrderedDict()
        self._bytes = 0
        self._ghost: GhostPicture | None = None
        self._looks_into: Layer | None = None
        self._left_out: Layer | None = None

    def leave_out(self, layer: Layer | None) -> None:
        """Draw all but one layer: it is shown in another way, as light."""
        if layer is not self._left_out:
            self._left_out = layer
            self.touch_all()

    def look_into(self, layer: Layer | None) -> None:
        """Let what lies in front of a layer be faint; None shows all as it is."""
        if layer is not self._looks_into:
            self._looks_into = layer
            self.touch_all()

    def _visible(self) -> list[Layer]:
        return [each for each in self._map.layers if each.visible and each is not self._left_out]

    def _layers(self, layers: Sequence[Layer]) -> list[Layer]:
        """Give the layers that are drawn: copies of those that are to be faint."""
        into = self._looks_into
        if into is None or into not in layers:
            return list(layers)
        front = layers.index(into) + 1
        return [*layers[:front], *(replace(each, opacity=each.opacity * _FAINT)
                                   for each in layers[front:])]  # fmt: skip

    def _piece(self, level: int, row: int, col: int) -> Rect:
        """Where a piece lies, in pixels of its level."""
        lattice = self.atlas.lattice(level)
        wide, high = lattice.piece(CHUNK_PX)
        return Rect(col * wide, row * high, wide, high).shared(Rect(0, 0, *lattice.extent))

    def _span(self, level: int, rect: Rect) -> tuple[range, range]:
        """Rows and columns of the pieces that a rectangle in the pixels of a level shows."""
        lattice = self.atlas.lattice(level)
        wide, high = lattice.piece(CHUNK_PX)
        seen = rect.shared(Rect(0, 0, *lattice.extent))
        if seen.is_empty:
            return range(0), range(0)
        rows = range(int(seen.y // high), ceil(seen.bottom / high))
        return rows, range(int(seen.x // wide), ceil(seen.right / wide))

    def keys_in(self, level: int, rect: Rect) -> list[Key]:
        """List the pieces that a rectangle in the pixels of a level shows."""
        rows, cols = self._span(level, rect)
        return [(level, row, col) for row in rows for col in cols]

    def _under(self, level: int, rect: Rect) -> list[Chunk]:
        """List the pieces there are that may show a rectangle in the pixels of a level."""
        rows, cols = self._span(level, rect)
        if len(rows) * len(cols) > len(self._chunks):
            return [chunk for (at, _, _), chunk in self._chunks.items() if at == level]
        keys = ((level, row, col) for row in rows for col in cols)
        return [chunk for key in keys if (chunk := self._chunks.get(key)) is not None]

    def level_for(self, zoom: float) -> int:
        """Pick the smallest level whose tiles are at least as large as on the screen."""
        level = 0
        lattice = self._map.lattice
        while level + 1 < lattice.level_count:
            if lattice.at_level(level + 1).longer < lattice.longer * zoom:
                break
            level += 1
        return level

    def ready(self, key: Key) -> Chunk | None:
        """Return a piece if it is there and up to date."""
        chunk = self._in_time(key)
        if chunk is None or chunk.dirty is not None:
            return None
        self._chunks.move_to_end(key)
        return chunk

    def _in_time(self, key: Key) -> Chunk | None:
        """Give a piece, if it is there, at the phase that animations have now."""
        chunk = self._chunks.get(key)
        if chunk is not None and chunk.moving is not None:
            before = len(chunk.frames)
            chunk.stand_at(self.atlas.phase(chunk.movers))
            self._bytes += (len(chunk.frames) - before) * chunk.pixels.nbytes
            self._make_room()
        return chunk

    def moving_in(self, level: int, rect: Rect) -> list[Rect]:
        """List where the pieces that a rectangle in the pixels of a level shows have animations."""
        found = (self._chunks.get(key) for key in self.keys_in(level, rect))
        return [each.moving for each in found if each is not None and each.moving is not None]

    def stale(self, key: Key) -> Chunk | None:
        """Return a piece as it was last drawn, to show until it is made again."""
        return self._chunks.get(key)

    def make(self, key: Key, until: float | None = None) -> Chunk:
        """Return a piece, composing what is missing or out of date.

        It stays out of date if a time (of `perf_counter`) comes before its pictures are drawn.
        """
        chunk = self._in_time(key) or self._new(key)
        self._chunks.move_to_end(key)
        if chunk.begun is None:
            chunk.begun = self.atlas.turns
        cell = self.atlas.lattice(key[0]).cell_size
        while chunk.dirty is not None:
            band, left = chunk.dirty.parted(_band(chunk.dirty, cell, _BAND_CELLS))
            if not self._patch(key[0], chunk, band, until):
                break
            chunk.dirty = None if left.is_empty else left
            if until is not None and perf_counter() > until:
                break
        if chunk.dirty is None:
            whole = chunk.begun == self.atlas.turns
            chunk.phase = self.atlas.phase(chunk.movers) if whole else None
            chunk.begun = None
        return chunk

    def touch(self, box: Box) -> None:
        """Note that cells are different now; the box may wrap."""
        for level in {level for level, _, _ in self._chunks}:
            for area in self._copies(self.shown(box, level), level):
                for chunk in self._under(level, area):
                    if area.meets(chunk.rect):
                        self._touch(chunk, area.shared(chunk.rect))

    def _copies(self, rect: Rect, level: int) -> list[Rect]:
        """List where on the map a rectangle lies that may reach over the border of one that wraps.

        Of several pieces that it is parted into none is shown twice.
        """
        lattice = self.atlas.lattice(level)
        whole = Rect(0, 0, *lattice.extent)
        moved = [rect.moved(-x, -y).shared(whole) for x, y in lattice.periods_in(rect)]
        return [each for each in moved if not each.is_empty]

    def touch_all(self) -> None:
        """Note that every piece is out of date; what was drawn stays until it is made again."""
        for chunk in self._chunks.values():
            self._touch(chunk, chunk.rect)

    def _touch(self, chunk: Chunk, rect: Rect) -> None:
        self._bytes -= len(chunk.frames) * chunk.pixels.nbytes
        chunk.touch(rect)

    def picture(self, rect: Rect, level: int, laid: Sequence[tuple[Layer, Box, Cells]]) -> Pixels:
        """Compose pixels of the map (may wrap) with other cells in some of its layers: a ghost.

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
            lattice = grid_of(self._map, each).lattice
            ghost: Cells = lattice.lay_over(self._doc.cells(self._map, each, wide), wide, at, cells)
            return ghost

        visible = self._visible()
        shown = [each for each in self._map.layers if each is laid[0][0] or each in visible]
        return draw(self.atlas, stack_of(self._map, self.atlas, rect, level, cells_of, shown))

    def picture_up_to(self, rect: Rect, level: int, layer: Layer) -> Pixels:
        """Compose pixels of the map without what lies in front of a layer."""
        map_ = self._map
        front = map_.layers.index(layer) + 1 if layer in map_.layers else len(map_.layers)
        shown = [each for each in map_.layers[:front] if each.visible]

        def cells_of(each: Layer, wide: Box) -> Cells:
            return self._doc.cells(map_, each, wide)

        return draw_map(map_, self.atlas, stack_of(map_, self.atlas, rect, level, cells_of, shown))

    def picture_with(self, rect: Rect, level: int, layer: Layer, instead: Layer) -> Pixels:
        """Compose pixels of the map (may wrap) with another layer in place of one."""
        map_ = self._map
        shown = [instead if each is layer else each for each in map_.layers
                 if each is layer or each.visible]  # fmt: skip

        def cells_of(each: Layer, wide: Box) -> Cells:
            return self._doc.cells(map_, each, wide)

        return draw(self.atlas, stack_of(map_, self.atlas, rect, level, cells_of, shown))

    def ghost(self, plan: Plan, level: int, seen: Box, until: float) -> GhostPicture:
        """Draw what a plan will give, a band of cells at least.

        It is kept as long as the same plan is shown at the same level, and goes on from where time
        (of `perf_counter`) had run out. Of what would be a large picture only cells that are seen,
        of the layer's own, are looked at.
        """
        large = plan.cells.size * self.atlas.lattice(level).cell_area > _GHOST_PIXELS
        part = plan.within(seen) if large else plan
        ghost = self._ghost
        if ghost is None or not ghost.shows(plan, level, part.box):
            ghost = self._ghost = self._new_ghost(plan, level, part)
        cell = self.atlas.lattice(level).cell_size
        while not ghost.is_whole:
            left = Rect(ghost.rect.x, ghost.rect.y + ghost.done, ghost.rect.width,
                        ghost.rect.height - ghost.done)  # fmt: skip
            band, _ = left.parted(_band(left, cell, _BAND_PIXELS // (cell[0] * cell[1])))
            pixels = self.picture(band, level, ghost.laid)
            ghost.pixels[ghost.done : ghost.done + len(pixels)] = pixels
            ghost.done += len(pixels)
            if perf_counter() > until:
                break
        return ghost

    def _new_ghost(self, plan: Plan, level: int, part: Plan) -> GhostPicture:
        under = cells_under(self._map, part.layer, part.box)
        follows: list[tuple[Layer, Box, Cells]] = []
        if part.layer.holds_tiles and under == part.box and not part.box.is_empty:
            follows += self._doc.rewriter.trial(self._map, part.layer, part.box, part.cells)
        for _, at, _ in follows:
            under = under.joined(at)
        rect = Rect(0, 0, 0, 0) if part.box.is_empty else self.shown(under, level)
        pixels = np.zeros((int(rect.height), int(rect.width)), np.uint32)
        laid = [(part.layer, part.box, part.cells), *follows]
        return GhostPicture(plan, level, part, rect, laid, pixels)

    def shown(self, box: Box, level: int = 0) -> Rect:
        """Give the pixels where a change of cells may show: pictures reach beyond their cells.

        Whole pixels of the level; over the border of a map that wraps.
        """
        lattice, reach = self.atlas.lattice(level), full_reach(self._map, self.atlas)
        x, y = self._map.lattice.scale(lattice)
        up, left = ceil(reach.up * y), ceil(reach.left * x)
        rect = lattice.bounds(box).grown(up, left, ceil(reach.down * y), ceil(reach.right * x))
        return rect if lattice.wrap else rect.shared(Rect(0, 0, *lattice.extent))

    def _new(self, key: Key) -> Chunk:
        rect = self._piece(*key)
        chunk = Chunk(rect, np.zeros((int(rect.height), int(rect.width)), np.uint32), dirty=rect)
        self._chunks[key] = chunk
        self._bytes += chunk.pixels.nbytes
        self._make_room()
        return chunk

    def _make_room(self) -> None:
        while self._bytes > LIMIT_BYTES and len(self._chunks) > 1:
            _, oldest = self._chunks.popitem(last=False)
            self._bytes -= oldest.pixels.nbytes * (1 + len(oldest.frames))

    def _patch(self, level: int, chunk: Chunk, rect: Rect, until: float | None) -> bool:
        """Compose a part of a piece again; returns whether there was time for all it shows."""
        map_, visible = self._map, self._visible()
        shown = self._layers(visible)
        own = {id(each): layer for each, layer in zip(shown, visible)}
        if until is not None and not self._doc.knitter.prepare(
            map_,
            lambda layer: needed(map_, self.atlas, layer, rect, level),
            lambda: perf_counter() > until,
        ):
            return False
        stack = stack_of(
            map_, self.atlas, rect, level,
            lambda layer, part: self._doc.cells(map_, own[id(layer)], part), shown,
        )  # fmt: skip
        while not self.atlas.fill(level, stack.cells, _AT_ONCE):
            if until is not None and perf_counter() > until:
                return False
        if self.atlas.moving:
            self._note_moving(chunk, stack)
        chunk.forget_smaller()
        y, x = int(rect.y - chunk.rect.y), int(rect.x - chunk.rect.x)
        chunk.pixels[y : y + int(rect.height), x : x + int(rect.width)] = draw_map(
            map_, self.atlas, stack
        )
        return True

    def _note_moving(self, chunk: Chunk, stack: Stack) -> None:
        """Remember where a piece shows animations, pictures that reach into it included."""
        places, lattice = self.atlas.moving_places, self.atlas.lattice(stack.level)
        reach = self.atlas.reach_at(stack.level)
        own: set[int] = set()
        for plane in stack.planes:
            if plane.tint or not plane.cells.size:
                continue
            found = places[plane.cells]
            if not found.any():
                continue
            rows, cols = np.flatnonzero(found.any(axis=1)), np.flatnonzero(found.any(axis=0))
            own.update(np.unique(plane.cells[found]).tolist())
            box = Box(int(rows[0]), int(cols[0]), int(rows[-1]) + 1, int(cols[-1]) + 1)
            hit = lattice.bounds(box.moved(plane.top, plane.left))
            hit = hit.moved(plane.across, plane.down)
            hit = hit.grown(reach.up, reach.left, reach.down, reach.right).shared(chunk.rect)
            if not hit.is_empty:
                chunk.moving = chunk.moving.joined(hit) if chunk.moving else hit
        if chunk.moving is not None:
            chunk.movers = tuple(sorted({*chunk.movers, *own}))


def _band(rect: Rect, cell: tuple[int, int], cells: int) -> int:
    """Tell how many rows of pixels of a rectangle hold about so many cells: whole rows of cells."""
    high, wide = cell
    rows = max(1, int(cells // max(1, rect.width / wide)))
    return int((rect.y // high + rows) * high - rect.y)
