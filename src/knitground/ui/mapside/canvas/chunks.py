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
from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QImage

from knitground.core.base.window import Box, lay_over
from knitground.core.edit.document import Document
from knitground.core.edit.laying import Plan
from knitground.core.model.lattice import Rect
from knitground.core.model.layers import Cells, Layer
from knitground.core.model.map import Map, cells_under, grid_of
from knitground.core.render.atlas import Atlas
from knitground.core.render.pixels import Pixels
from knitground.core.render.stack import draw_planes, full_reach, needed, shown_cells, stack_of

CHUNK_PX = 256
_AT_ONCE = 50_000
"""Pixels of tiles to draw before the clock is looked at."""
_BAND_CELLS = 1 << 13
"""Cells to compose before it is looked at again: a piece of the smallest cells has more."""
_GHOST_PIXELS = 4_000_000
"""Of a ghost that has more pixels only what is seen is composed."""
_BAND_PIXELS = 48_000
"""Pixels of a ghost that are composed before the clock is looked at."""
LIMIT_BYTES = 192 * 1024 * 1024
Key = tuple[int, int, int]


def image_of(pixels: NDArray[np.uint32]) -> QImage:
    """Wrap premultiplied pixels (h, w); the array must be kept alive as long as the image."""
    height, width = pixels.shape
    return QImage(
        pixels.data, width, height, pixels.strides[0], QImage.Format.Format_ARGB32_Premultiplied
    )


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
class Ghost:
    """The picture of what a plan will give, composed from its top down.

    `part` is what is shown of the plan, `box` the cells of the map in the picture: beside the
    plan's own those too where a picture reaches over there. `row` is the first that is missing.
    """

    plan: Plan
    level: int
    part: Plan
    box: Box
    laid: Sequence[tuple[Layer, Box, Cells]]
    pixels: Pixels
    row: int
    image: QImage = field(init=False)

    def __post_init__(self) -> None:
        self.image = image_of(self.pixels)

    def shows(self, plan: Plan, level: int, box: Box) -> bool:
        """Whether it is the picture of those cells of that very plan."""
        return self.plan is plan and self.level == level and self.part.box == box

    @property
    def is_whole(self) -> bool:
        """Whether all of it is composed."""
        return self.row >= self.box.bottom


class ChunkStore:
    """Pieces of one map, made when they are asked for, the longest unused ones forgotten."""

    def __init__(self, doc: Document, map_: Map, atlas: Atlas | None = None) -> None:
        self._doc = doc
        self._map = map_
        self.atlas = atlas or Atlas(doc.project, map_)
        self._chunks: OrderedDict[Key, Chunk] = OrderedDict()
        self._bytes = 0
        self._ghost: Ghost | None = None

    def _piece(self, level: int, row: int, col: int) -> Rect:
        """Where a piece lies: pieces begin and end between cells."""
        lattice = self.atlas.lattice(level)
        side = lattice.piece_side(CHUNK_PX)
        box = Box(row * side, col * side, (row + 1) * side, (col + 1) * side)
        return lattice.area(box.clipped(lattice.rows, lattice.columns))

    def _span(self, level: int, rect: Rect) -> tuple[range, range]:
        """Rows and columns of the pieces that a rectangle in the pixels of a level shows."""
        lattice = self.atlas.lattice(level)
        box, side = lattice.seen_in(rect), lattice.piece_side(CHUNK_PX)
        if box.is_empty:
            return range(0), range(0)
        rows = range(box.top // side, -(-box.bottom // side))
        return rows, range(box.left // side, -(-box.right // side))

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
        lattice = self.atlas.lattice(key[0])
        while chunk.dirty is not None:
            box = lattice.cells_in(chunk.dirty)
            rows = max(1, _BAND_CELLS // max(1, box.width))
            band = Box(box.top, box.left, min(box.top + rows, box.bottom), box.right)
            if not self._patch(key[0], chunk, band, until):
                break
            left = Box(band.bottom, box.left, box.bottom, box.right)
            chunk.dirty = None if left.is_empty else lattice.area(left)
            if until is not None and perf_counter() > until:
                break
        if chunk.dirty is None:
            whole = chunk.begun == self.atlas.turns
            chunk.phase = self.atlas.phase(chunk.movers) if whole else None
            chunk.begun = None
        return chunk

    def touch(self, box: Box) -> None:
        """Note that cells are different now; the box may wrap."""
        map_, levels = self._map, {level for level, _, _ in self._chunks}
        for piece in self.shown(box).pieces(map_.height, map_.width):
            for level in levels:
                area = self.atlas.lattice(level).area(piece)
                for chunk in self._under(level, area):
                    if area.meets(chunk.rect):
                        self._touch(chunk, area.shared(chunk.rect))

    def touch_all(self) -> None:
        """Note that every piece is out of date; what was drawn stays until it is made again."""
        for chunk in self._chunks.values():
            self._touch(chunk, chunk.rect)

    def _touch(self, chunk: Chunk, rect: Rect) -> None:
        self._bytes -= len(chunk.frames) * chunk.pixels.nbytes
        chunk.touch(rect)

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
            period = (grid.height, grid.width) if grid.wrap else None
            ghost: Cells = lay_over(self._doc.cells(self._map, each, wide), wide, at, cells, period)
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

    def ghost(self, plan: Plan, level: int, seen: Box, until: float) -> Ghost:
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
        lattice = self.atlas.lattice(level)
        rows = max(1, int(_BAND_PIXELS / max(1, ghost.box.width * lattice.cell_area)))
        while not ghost.is_whole:
            band = Box(ghost.row, ghost.box.left, min(ghost.row + rows, ghost.box.bottom),
                       ghost.box.right)  # fmt: skip
            y = round(lattice.area(band).y - lattice.area(ghost.box).y)
            pixels = self.picture(band, level, ghost.laid)
            ghost.pixels[y : y + len(pixels)] = pixels
            ghost.row = band.bottom
            if perf_counter() > until:
                break
        return ghost

    def _new_ghost(self, plan: Plan, level: int, part: Plan) -> Ghost:
        under = cells_under(self._map, part.layer, part.box)
        follows: list[tuple[Layer, Box, Cells]] = []
        if part.layer.holds_tiles and under == part.box and not part.box.is_empty:
            follows += self._doc.rewriter.trial(self._map, part.layer, part.box, part.cells)
        for _, at, _ in follows:
            under = under.joined(at)
        box = part.box if part.box.is_empty else self.shown(under)
        area = self.atlas.lattice(level).area(box)
        pixels = np.zeros((round(area.height), round(area.width)), np.uint32)
        laid = [(part.layer, part.box, part.cells), *follows]
        return Ghost(plan, level, part, box, laid, pixels, box.top)

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

    def _patch(self, level: int, chunk: Chunk, box: Box, until: float | None) -> bool:
        """Compose some cells of a piece again; returns whether there was time for all they show."""
        map_, lattice = self._map, self.atlas.lattice(level)
        if until is not None and not self._doc.knitter.prepare(
            map_,
            lambda layer: needed(map_, self.atlas, layer, box),
            lambda: perf_counter() > until,
        ):
            return False
        planes, margin = stack_of(
            map_, self.atlas, box, level, lambda layer, part: self._doc.cells(map_, layer, part)
        )
        while not self.atlas.fill(level, shown_cells(planes), _AT_ONCE):
            if until is not None and perf_counter() > until:
                return False
        if self.atlas.moving:
            up, left, down, right = margin
            wide = Box(box.top - up, box.left - left, box.bottom + down, box.right + right)
            self._note_moving(level, chunk, wide, shown_cells(planes))
        chunk.forget_smaller()
        area = lattice.area(box)
        y, x = int(area.y - chunk.rect.y), int(area.x - chunk.rect.x)
        target = chunk.pixels[y : y + int(area.height), x : x + int(area.width)]
        target[:] = draw_planes(self.atlas, level, planes, margin) if planes else 0
        return True

    def _note_moving(self, level: int, chunk: Chunk, box: Box, stack: list[Cells]) -> None:
        """Remember where a piece shows animations, pictures that reach into it included."""
        places = self.atlas.moving_places
        found = np.zeros((box.height, box.width), np.bool_)
        for cells in stack:
            found |= places[cells]
        rows, cols = np.flatnonzero(found.any(axis=1)), np.flatnonzero(found.any(axis=0))
        if not rows.size:
            return
        seen = self.shown(
            Box(box.top + int(rows[0]), box.left + int(cols[0]),
                box.top + int(rows[-1]) + 1, box.left + int(cols[-1]) + 1)
        )  # fmt: skip
        hit = self.atlas.lattice(level).area(seen)
        if hit.meets(chunk.rect):
            hit = hit.shared(chunk.rect)
            chunk.moving = chunk.moving.joined(hit) if chunk.moving else hit
            seen_places = [np.unique(cells[places[cells]]) for cells in stack]
            own = {place for each in seen_places for place in each.tolist()}
            chunk.movers = tuple(sorted({*chunk.movers, *own}))
