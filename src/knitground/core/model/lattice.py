"""The lattice: how a map, or a layer with cells of its own, is divided into cells.

All that knows where a cell lies in pixels is here; tools, canvas, pictures and shipped files ask.
Cells are rows and columns of an array whatever the lattice looks like, so that knitting, filling,
repairing and growing need not know.

`Lattice` has upright cells, `Diamond` cells that stand on a corner: its rows run down to the left
on the screen, its columns down to the right. North is the way to the row before, as ever: on the
screen it is up and to the right.
"""

# ruff: noqa: D102 - what a kind of lattice does in its own way is told once, in the first

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import astuple, dataclass, replace
from enum import StrEnum
from functools import lru_cache
from math import ceil, floor
from typing import Any, ClassVar, NamedTuple, Self, TypeVar

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.window import Box, index, lay_over, read
from knitground.core.model.turns import is_mirrored, quarters, turned_on

Point = tuple[float, float]
"""x (to the right) and y (down), in pixels from the map's upper left."""
Cell = tuple[int, int]
"""Row and column."""
Meeting = tuple[tuple[NDArray[np.intp], ...], tuple[NDArray[np.intp], ...]]
"""Cells that meet across a border, and the other of each: rows and columns."""
_PIECE_CELLS = 128
_ROWS_TO_COLUMNS = 7
"""The turn that makes rows columns: mirrored, and three quarters round."""
_SAME = 1e-9
"""Lines that lie so near to each other, in parts of a way or in cells, are one."""


def _on_line(value: float, side: float) -> float:
    """Put what lies on a line, but for how numbers are rounded, on it."""
    line = round(value / side)
    return line * side if abs(value / side - line) < _SAME else value


class Rect(NamedTuple):
    """A rectangle in pixels: where it begins, its width and height."""

    x: float
    y: float
    width: float
    height: float

    @property
    def right(self) -> float:
        """Where it ends on the right."""
        return self.x + self.width

    @property
    def bottom(self) -> float:
        """Where it ends below."""
        return self.y + self.height

    def meets(self, other: Rect) -> bool:
        """Whether both share some place."""
        return (
            self.x < other.right and other.x < self.right
            and self.y < other.bottom and other.y < self.bottom
        )  # fmt: skip

    def shared(self, other: Rect) -> Rect:
        """Give the part that lies in both; of no width or height if there is none."""
        x, y = max(self.x, other.x), max(self.y, other.y)
        right, bottom = min(self.right, other.right), min(self.bottom, other.bottom)
        return Rect(x, y, max(0, right - x), max(0, bottom - y))

    def joined(self, other: Rect) -> Rect:
        """Give the smallest one round both."""
        x, y = min(self.x, other.x), min(self.y, other.y)
        return Rect(x, y, max(self.right, other.right) - x, max(self.bottom, other.bottom) - y)

    def scaled(self, across: float, down: float) -> Rect:
        """Give it in pixels so many times as wide and high."""
        return Rect(self.x * across, self.y * down, self.width * across, self.height * down)

    def grown(self, up: float, left: float, down: float, right: float) -> Rect:
        """Give it with so much more on each side."""
        return Rect(self.x - left, self.y - up, self.width + left + right, self.height + up + down)

    @property
    def is_empty(self) -> bool:
        """Whether nothing lies in it."""
        return self.width <= 0 or self.height <= 0

    def parted(self, height: float) -> tuple[Rect, Rect]:
        """Part it into so much of it from above, and what is left below."""
        first = min(height, self.height)
        return (
            Rect(self.x, self.y, self.width, first),
            Rect(self.x, self.y + first, self.width, self.height - first),
        )

    def moved(self, across: float, down: float) -> Rect:
        """Give it further right and down."""
        return Rect(self.x + across, self.y + down, self.width, self.height)


class Lines(NamedTuple):
    """The cells of a box in the order of lines; those of a line stand side by side from the left.

    `rows`, `cols`: of each cell, from the box's first; `starts`: where each line begins in them;
    `numbers`: of the lines, from the box's first, in the order in which they are drawn.
    """

    rows: NDArray[np.intp]
    cols: NDArray[np.intp]
    starts: NDArray[np.intp]
    numbers: NDArray[np.intp]


class Corner(StrEnum):
    """The corner of a map that lies farthest: from there its cells are drawn."""

    TOP = "top"
    RIGHT = "right"
    BOTTOM = "bottom"
    LEFT = "left"


_DEPTHS = {Corner.TOP: (1, 1), Corner.RIGHT: (1, -1), Corner.BOTTOM: (-1, -1),
           Corner.LEFT: (-1, 1)}  # fmt: skip
"""What rows and columns of diamonds are counted with, for the corner that is drawn first."""


_LINES = 1 << 20
"""More than there are lines: where those from the left come first, each falls into cells."""


def _laid(
    box: Box, values: NDArray[Any], cells: tuple[Any, ...], at: tuple[Any, ...]
) -> tuple[NDArray[Any], NDArray[np.bool_]]:
    """Lay what some cells hold at other places of a box; of those that meet the first counts."""
    out = np.zeros((box.height, box.width), values.dtype)
    laid = np.zeros(out.shape, np.bool_)
    # Copies: views that run backwards NumPy is free to walk forwards.
    back = [np.ascontiguousarray(each[::-1]) for each in (*at, values[cells])]
    out[back[0], back[1]] = back[2]
    laid[at] = True
    return out, laid


@lru_cache(maxsize=64)
def _upright_lines(height: int, width: int) -> Lines:
    rows, cols = (each.ravel() for each in np.mgrid[:height, :width])
    return Lines(rows, cols, np.arange(height) * width, np.arange(height))


@lru_cache(maxsize=64)
def _slanted_lines(height: int, width: int, first: Corner) -> Lines:
    rows, cols = (each.ravel() for each in np.mgrid[:height, :width])
    down, across = _DEPTHS[first]
    depth = down * rows + across * cols
    order = np.lexsort((cols, rows + cols, depth))
    rows, cols, depth = rows[order], cols[order], depth[order]
    if down == across:  # those of one depth stand side by side
        numbers = np.unique(depth)
        return Lines(rows, cols, np.searchsorted(depth, numbers), numbers)
    return Lines(rows, cols, np.arange(len(rows)), depth * _LINES + rows + cols)


@dataclass(frozen=True)
class Lattice:
    """A grid of rows × columns of rectangular cells, each so many pixels high and wide.

    Parameters
    ----------
    rows, columns : of cells
    high, wide : of a cell, in pixels
    wrap : whether the last row and column meet the first
    drawn_from : the corner whose cells are drawn first; upright cells are always drawn row by row
    """

    rows: int
    columns: int
    high: int
    wide: int
    wrap: bool = False
    drawn_from: Corner = Corner.TOP

    slanted: ClassVar[bool] = False
    """Whether cells lie aslant, so that pictures are drawn from the back to the front; for the
    compositor alone."""

    # From pixels to cells

    def cell_at(self, x: float, y: float) -> Cell:
        """Give the cell that a place lies on; may be outside the grid."""
        return int(y // self.high), int(x // self.wide)

    def within(self, x: float, y: float) -> Point:
        """Tell how far right and down in its cell a place lies, each 0 to 1."""
        row, col = self.cell_at(x, y)
        return x / self.wide - col, y / self.high - row

    def places(self, x: float, y: float) -> Point:
        """Give a place in columns and rows instead of pixels, with their parts."""
        return x / self.wide, y / self.high

    def vertex_at(self, x: float, y: float) -> Cell:
        """Give the nearest corner of cells: (0, 0) is the upper left of cell (0, 0)."""
        return floor(y / self.high + 0.5), floor(x / self.wide + 0.5)

    def sides_near(self, x: float, y: float) -> list[tuple[float, Cell]]:
        """List the four cells beside the one at a place, by how near the side to them is.

        The distances are parts of a cell.
        """
        row, col = self.cell_at(x, y)
        across, down = self.within(x, y)
        return sorted(
            [(down, (row - 1, col)), (1 - down, (row + 1, col)),
             (across, (row, col - 1)), (1 - across, (row, col + 1))]
        )  # fmt: skip

    def cells_in(self, rect: Rect) -> Box:
        """Give the cells that lie in a rectangle or reach into it; may be outside the grid."""
        return Box(
            int(rect.y // self.high), int(rect.x // self.wide),
            ceil(rect.bottom / self.high), ceil(rect.right / self.wide),
        )  # fmt: skip

    def beginning_in(self, rect: Rect) -> Box:
        """Give the cells whose upper left corner lies in a rectangle."""
        return Box(
            ceil(rect.y / self.high), ceil(rect.x / self.wide),
            ceil(rect.bottom / self.high), ceil(rect.right / self.wide),
        )  # fmt: skip

    def cells_round(self, places: Iterable[Point]) -> Box | None:
        """Give the box of the cells that some places lie on; None of no places."""
        cells = [self.cell_at(x, y) for x, y in places]
        if not cells:
            return None
        rows, cols = [row for row, _ in cells], [col for _, col in cells]
        return Box(min(rows), min(cols), max(rows) + 1, max(cols) + 1)

    def seen_in(self, rect: Rect) -> Box:
        """Give the cells of the grid that a rectangle shows."""
        (top, left), (bottom, right) = (
            self.cell_at(rect.x, rect.y), self.cell_at(rect.right, rect.bottom),
        )  # fmt: skip
        return Box(top, left, bottom + 1, right + 1).clipped(self.rows, self.columns)

    def cells_at(self, xs: NDArray[Any], ys: NDArray[Any]) -> tuple[NDArray[Any], NDArray[Any]]:
        """Give rows and columns of the cells that places lie on, as arrays that go together."""
        return np.floor(ys / self.high).astype(int), np.floor(xs / self.wide).astype(int)

    def snap(self, x: float, y: float, parts: int = 1) -> Point:
        """Give the nearest corner of cells, or of so many parts of a cell's sides."""
        across, down = self.wide / parts, self.high / parts
        return round(x / across) * across, round(y / down) * down

    def way(self, start: Point, end: Point) -> list[Point]:
        """List places on the straight way to another one: one for each quarter of a cell passed.

        However a way is parted, they lie in the same quarters. Where it meets lines between them it
        lies on the one right of and below them, as any place does.
        """
        cuts = [1.0]
        for a, b, side in (
            (start[0], end[0], self.wide / 2), (start[1], end[1], self.high / 2),
        ):  # fmt: skip
            low, high = sorted((a / side, b / side))
            lines = np.arange(np.ceil(low), np.floor(high) + 1)
            cuts += ((lines * side - a) / (b - a)).tolist() if a != b else []
        places, last = [], 0.0
        for part in sorted(cuts):
            if not last - _SAME < part <= 1:
                continue
            for each in ((last + part) / 2, part):
                x, y = (a + (b - a) * each for a, b in zip(start, end))
                places.append((_on_line(x, self.wide / 2), _on_line(y, self.high / 2)))
            last = part
        return [*places[:-1], end]

    def lines_near(self, x: float, y: float) -> tuple[int, int, int, int]:
        """Tell where the map would begin and end if its border ran through a place.

        Returns
        -------
        the first row and column, and how many rows and columns there are up to there, as people
        count them
        """
        row, col = self.vertex_at(x, y)
        return row, col, row, col

    def holds(self, row: int, col: int) -> bool:
        """Whether there is such a cell."""
        return 0 <= row < self.rows and 0 <= col < self.columns

    def there(self, rows: NDArray[Any], cols: NDArray[Any]) -> NDArray[np.bool_]:
        """Tell which of many cells there are; rows and columns go together."""
        rows, cols = np.broadcast_arrays(rows, cols)
        out = (rows >= 0) & (rows < self.rows) & (cols >= 0) & (cols < self.columns)
        every = self.exists
        if every is not None:
            out[out] = every[rows[out], cols[out]]
        return np.asarray(out)

    # Cells as people, files and games count them

    @property
    def exists(self) -> NDArray[np.bool_] | None:
        """Which cells of the array (rows, columns) the grid has; None: all of them."""
        return None

    @property
    def counted(self) -> Cell:
        """How many rows and columns people count."""
        return self.rows, self.columns

    def name_of(self, row: int, col: int) -> Cell:
        """Give the row and column of a cell as people count them; may be outside the grid."""
        return row, col

    def cell_named(self, row: int, col: int) -> Cell:
        """Give the cell that people count so."""
        return row, col

    def corner_named(self, row: int, col: int) -> Cell:
        """Give the corner of cells that people count so (`unfolded`)."""
        return row, col

    def box_named(
        self, top: int, left: int, bottom: int, right: int
    ) -> tuple[Box, NDArray[np.bool_] | None]:
        """Give the cells of a box as people count them: a box of the array, and which of it.

        None for all of it.
        """
        return Box(top, left, bottom, right), None

    def unfolded(self, values: NDArray[Any]) -> NDArray[Any]:
        """Give an array of what cells hold, or of their corners, by rows and columns as counted.

        Parameters
        ----------
        values : (rows, columns), or (rows + 1, columns + 1) of corners
        """
        return values

    def folded(self, values: NDArray[Any]) -> NDArray[Any]:
        """Give the array that `unfolded` makes such rows and columns of."""
        return values

    def unfolded_shape(self, more: int = 0) -> Cell:
        """Tell how many rows and columns `unfolded` gives; with `more` = 1 of corners."""
        return self.rows + more, self.columns + more

    def grown(self, top: int, left: int, bottom: int, right: int) -> tuple[Self, tuple[int, ...]]:
        """Give it with so many rows and columns more on each side, as people count them.

        Returns
        -------
        the lattice, and how many rows and columns of the array come above, left, below and right
        """
        rows, columns = self.rows + top + bottom, self.columns + left + right
        return replace(self, rows=rows, columns=columns), (top, left, bottom, right)

    def part(self, box: Box) -> NDArray[np.bool_] | None:
        """Tell which cells of a box the grid has, (h, w), as far as it does not wrap.

        None: all of those that lie on the array.
        """
        every = self.exists
        if every is None:
            return None
        out = np.zeros((box.height, box.width), np.bool_)
        inner = box.clipped(self.rows, self.columns)
        if not inner.is_empty:
            top, left = inner.top - box.top, inner.left - box.left
            out[top : top + inner.height, left : left + inner.width] = every[
                inner.top : inner.bottom, inner.left : inner.right
            ]
        return out

    def spanned(self, a: Point, b: Point) -> tuple[Box, NDArray[np.bool_] | None]:
        """Give the cells of the rectangle between two places, as people count: a box, and which.

        None for all of it.
        """
        (top, left), (bottom, right) = (self.name_of(*self.cell_at(*each)) for each in (a, b))
        top, bottom = sorted((top, bottom))
        left, right = sorted((left, right))
        return self.box_named(top, left, bottom + 1, right + 1)

    # Beyond the border

    @property
    def torus(self) -> Cell | None:
        """After how many rows and columns of the array the grid begins anew.

        None where it does not wrap, and where it does but not straight along rows and columns: what
        lies beyond the border is told by the methods below then.
        """
        return (self.rows, self.columns) if self.wrap else None

    def nearest(self, row: int, col: int) -> Cell:
        """Give the cell of the grid that lies nearest to one that may be outside.

        On a grid that wraps it is the one that is seen there.
        """
        (at, (rows, columns)) = self.name_of(row, col), self.counted
        if 0 <= at[0] < rows and 0 <= at[1] < columns:
            return row, col
        if self.wrap:
            return self.cell_named(at[0] % rows, at[1] % columns)
        return self.cell_named(min(max(at[0], 0), rows - 1), min(max(at[1], 0), columns - 1))

    def seen_at(
        self, rows: NDArray[np.intp], cols: NDArray[np.intp]
    ) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
        """Give the cells of a grid that wraps that are seen at cells anywhere, as arrays."""
        return rows % self.rows, cols % self.columns

    def fitted(self, box: Box) -> Box:
        """Cut a box to what the grid has: clipped, or where it wraps one whole period at most."""
        return box.fitted(self.rows, self.columns, self.wrap)

    def pieces(self, box: Box) -> list[Box]:
        """Cut a box that may reach over the border of a grid that wraps into boxes of the array."""
        return box.pieces(self.rows, self.columns)

    def read(self, values: NDArray[Any], box: Box) -> NDArray[Any]:
        """Copy what cells of a box hold, over the border where the grid wraps; else 0 beyond it.

        Parameters
        ----------
        values : (rows, columns)
        """
        inner = box if self.wrap else box.clipped(self.rows, self.columns)
        if inner == box:
            return read(values, box)
        out = np.zeros((box.height, box.width), values.dtype)
        top, left = inner.top - box.top, inner.left - box.left
        out[top : top + inner.height, left : left + inner.width] = read(values, inner)
        return out

    def beside(self, values: NDArray[Any], down: int, across: int) -> NDArray[Any]:
        """Give for each cell what one holds that lies so many rows and columns further."""
        return self.read(values, self.whole.moved(down, across))

    def meeting(self) -> Meeting | None:
        """Give the cells that meet across the border, and the other of each, as rows and columns.

        None where rows and columns tell that: it does not wrap, or straight on.
        """
        return None

    def lay_over(
        self, values: NDArray[Any], box: Box, patch_box: Box, patch: NDArray[Any]
    ) -> NDArray[Any]:
        """Lay a patch over the values of a box, as far as both show the same cells; in place."""
        return lay_over(values, box, patch_box, patch, self.torus)

    def brought(
        self, box: Box, values: NDArray[Any], mask: NDArray[np.bool_]
    ) -> tuple[Box, NDArray[Any], NDArray[np.bool_]]:
        """Bring values (h, w) that are meant for some cells of a box onto the grid.

        What lies outside is left out. Where the grid wraps it comes in at the other side; where two
        cells meet there, the first one counts.
        """
        if not self.wrap:
            inner = box.clipped(self.rows, self.columns)
            if inner.is_empty:
                return inner, values[:0, :0], mask[:0, :0]
            top, left = inner.top - box.top, inner.left - box.left
            part = (slice(top, top + inner.height), slice(left, left + inner.width))
            there = self.part(inner)
            return inner, values[part], mask[part] if there is None else mask[part] & there
        if box.height <= self.rows and box.width <= self.columns:
            return box, values, mask
        rows, cols = np.nonzero(mask)
        fitted = self.fitted(box)
        at = self.seen_at(rows + box.top - fitted.top, cols + box.left - fitted.left)
        return fitted, *_laid(fitted, values, (rows, cols), at)

    def marked(self, box: Box, mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """Give a mask of some cells of a box as one of the whole array."""
        box, _, mask = self.brought(box, mask, mask)
        out = np.zeros((self.rows, self.columns), np.bool_)
        out[index(box, self.rows, self.columns)] = mask
        return out

    # From cells to pixels

    def place(self, row: float, col: float) -> Point:
        """Give the place of a corner of cells, or with parts of a place between them."""
        return col * self.wide, row * self.high

    def middle(self, row: int, col: int) -> Point:
        """Give the middle of a cell."""
        return self.place(row + 0.5, col + 0.5)

    def bounds(self, box: Box) -> Rect:
        """Give the rectangle round a box of cells, wherever it lies."""
        return Rect(
            box.left * self.wide, box.top * self.high, box.width * self.wide, box.height * self.high
        )

    def outline(self, box: Box) -> list[Point]:
        """Give the corners of what a box of cells covers, clockwise from its upper left one."""
        return [
            self.place(box.top, box.left), self.place(box.top, box.right),
            self.place(box.bottom, box.right), self.place(box.bottom, box.left),
        ]  # fmt: skip

    @property
    def frame(self) -> Rect:
        """Give the rectangle round all cells."""
        return self.bounds(self.whole)

    @property
    def sides(self) -> list[Point]:
        """Give the four corners between the map's sides, clockwise: above, right, below, left."""
        return self.outline(self.whole)

    def border_in(self, rect: Rect) -> list[Point]:
        """Give the corners of what all cells cover, clockwise, as far as a rectangle shows it."""
        return self.outline(self.whole)

    def foot(self, row: int, col: int) -> Point:
        """Give where pictures stand on a cell: the middle of its lower side."""
        return self.place(row + 1, col + 0.5)

    def begins(self, high: int, wide: int) -> tuple[int, int]:
        """Tell how far down and right of the upper left round its cell a picture stands."""
        return self.high - high, 0

    def anchored(self) -> tuple[int, int]:
        """Tell where the anchor of a picture stands, down and right of the upper left likewise."""
        return self.high, self.wide // 2

    def towards(self, down: int, right: int) -> Cell:
        """Give the step in rows and columns that goes so on the screen, each -1, 0 or 1."""
        return down, right

    def in_order(self, rows: NDArray[Any], cols: NDArray[Any]) -> NDArray[np.intp]:
        """Tell in which order the pictures of cells are drawn, the farthest first."""
        return np.lexsort((cols, rows))

    def line_at(self, x: float, y: float) -> int:
        """Tell which line of cells is the nearest that lies behind what stands at a place."""
        return floor(y / self.high - 0.5)

    def lines(self, box: Box) -> Lines:
        """Give the cells of a box line by line, the farthest first."""
        return _upright_lines(box.height, box.width)

    @property
    def level_lines(self) -> int:
        """Tell how lines lie that can be laid many at once: half a base apart, in whole pixels.

        1: each further down than the one before, -1: further up; 0: they do not lie so.
        """
        return 0

    def line_of(self, row: int, col: int) -> int:
        """Tell which line a cell is in: what is nearer has a greater number."""
        return row

    def turn(self, by: int) -> tuple[int, int]:
        """Tell how cells are turned, and how their pictures, by what is a turn on the screen.

        Pictures that stand on diamonds are seen from one side: they are mirrored, never turned.
        """
        return by, by

    def mask(self) -> NDArray[np.bool_]:
        """Tell which pixels of the rectangle round a cell (high, wide) are its own."""
        return np.ones((self.high, self.wide), np.bool_)

    def origins(self, rows: NDArray[Any], cols: NDArray[Any]) -> NDArray[Any]:
        """Give where the pictures of cells begin: (…, 2) of x and y."""
        return np.stack([cols * self.wide, rows * self.high], axis=-1)

    def places_of(self, rows: NDArray[Any], cols: NDArray[Any]) -> NDArray[Any]:
        """Give the places of many corners, or of what lies between them: (…, 2) of x and y."""
        return np.stack([cols * self.wide, rows * self.high], axis=-1)

    @property
    def whole(self) -> Box:
        """All cells."""
        return Box(0, 0, self.rows, self.columns)

    @property
    def extent(self) -> tuple[int, int]:
        """Width and height of all cells, in pixels."""
        return self.columns * self.wide, self.rows * self.high

    @property
    def picture(self) -> tuple[int, int]:
        """Height and width that pictures of tiles usually have, standing on their cells."""
        return self.high, self.wide

    @property
    def rise(self) -> int:
        """By how much such pictures are higher than the rectangle round a cell."""
        return self.picture[0] - self.high

    @property
    def stride(self) -> Point:
        """Pixels right and down after which the lines between cells look the same again."""
        return self.wide, self.high

    def divides(self, width: int, height: int) -> bool:
        """Whether a picture of that size holds whole rows and columns of cells."""
        return width % self.wide == 0 and height % self.high == 0

    @property
    def cell_size(self) -> tuple[int, int]:
        """Height and width of a cell in pixels, in the order of arrays."""
        return self.high, self.wide

    @property
    def cell_area(self) -> int:
        """Pixels of a cell."""
        return self.high * self.wide

    @property
    def shorter(self) -> int:
        """The shorter side of a cell in pixels."""
        return min(self.high, self.wide)

    @property
    def longer(self) -> int:
        """The longer side of a cell in pixels."""
        return max(self.high, self.wide)

    # Whole periods of a grid that wraps

    def periods_in(self, rect: Rect) -> list[Point]:
        """List by how many pixels the copies of the grid lie right and down that a rect may show.

        One copy, moved by nothing, where the grid does not wrap.
        """
        if not self.wrap:
            return [(0, 0)]
        wide, high = self.extent
        return [
            (across * wide, down * high)
            for down in range(int(rect.y // high) - 1, ceil(rect.bottom / high) + 1)
            for across in range(int(rect.x // wide) - 1, ceil(rect.right / wide) + 1)
        ]

    @property
    def copies(self) -> list[Point]:
        """List by how many pixels the nine copies that lie side by side are moved, one by none."""
        wide, high = self.extent
        return [(x * wide, y * high) for y in (-1, 0, 1) for x in (-1, 0, 1)]

    def home(self, x: float, y: float) -> Point:
        """Give the place that a copy shows there."""
        wide, high = self.extent
        return x % wide, y % high

    # Smaller, or otherwise divided

    def spread(self, pixels: NDArray[np.uint32]) -> NDArray[np.uint32]:
        """Give a picture of one pixel for each cell as the map lies on the screen."""
        return pixels

    @property
    def level_count(self) -> int:
        """How often a cell can be halved: the last level has cells of 1 px on the longer side."""
        return self.longer.bit_length()

    def at_level(self, level: int) -> Self:
        """Give the lattice at 1 / 2ⁿ of its size: cells of at least one pixel."""
        small: Self = _halved(self, level)
        return small

    def scale(self, smaller: Lattice) -> Point:
        """Give the pixels across and down that one pixel of this is on the same lattice smaller."""
        return smaller.wide / self.wide, smaller.high / self.high

    def divided(self, high: int, wide: int) -> Lattice:
        """Give the lattice of cells of another size over the same pixels.

        The last ones may stick out; it wraps only where they do not.
        """
        width, height = self.extent
        rows, columns = -(-height // high), -(-width // wide)
        fits = (columns * wide, rows * high) == (width, height)
        return Lattice(rows, columns, high, wide, self.wrap and fits)

    def one(self) -> Lattice:
        """Give the grid of one such cell alone."""
        return Lattice(1, 1, self.high, self.wide)

    def piece(self, pixels: int) -> tuple[int, int]:
        """Tell how wide and high pieces of about so many pixels are: they part no cell.

        Of very small cells at most 128 lie side by side: more would take too long for a frame.
        """
        side = max(1, min(pixels // self.longer, _PIECE_CELLS))
        return side * self.wide, side * self.high


@dataclass(frozen=True)
class Diamond(Lattice):
    """A grid of diamonds: `high` and `wide` are those of the rectangle round one, its base.

    The first cell is the uppermost one of the map; over it there is room for usual pictures, which
    are higher than their base. Half a base is no whole number of pixels where the base is odd, so
    pictures begin at the whole pixel before.
    """

    slanted: ClassVar[bool] = True

    @property
    def _left(self) -> float:
        """How far right of the map's left corner its uppermost one is."""
        return self.rows * self.wide / 2

    @property
    def _top(self) -> float:
        """How far down the uppermost corner of cell (0, 0) is."""
        return self.rise

    def one(self) -> Lattice:
        return Diamond(1, 1, self.high, self.wide)

    def places(self, x: float, y: float) -> Point:
        across, down = (x - self._left) * self.high, (y - self._top) * self.wide
        area = self.high * self.wide  # one division: what lies on a line is found to lie on it
        return (down + across) / area, (down - across) / area

    def cell_at(self, x: float, y: float) -> Cell:
        col, row = self.places(x, y)
        return floor(row), floor(col)

    def within(self, x: float, y: float) -> Point:
        col, row = self.places(x, y)
        return col - floor(col), row - floor(row)

    def vertex_at(self, x: float, y: float) -> Cell:
        col, row = self.places(x, y)
        return floor(row + 0.5), floor(col + 0.5)

    def cells_in(self, rect: Rect) -> Box:
        return Box(
            floor(self.places(rect.right, rect.y)[1]), floor(self.places(rect.x, rect.y)[0]),
            ceil(self.places(rect.x, rect.bottom)[1]),
            ceil(self.places(rect.right, rect.bottom)[0]),
        )  # fmt: skip

    def beginning_in(self, rect: Rect) -> Box:
        return self.cells_in(rect)

    def seen_in(self, rect: Rect) -> Box:
        box = self.cells_in(rect)
        return Box(box.top, box.left, box.bottom + 1, box.right + 1).clipped(
            self.rows, self.columns
        )

    def cells_at(self, xs: NDArray[Any], ys: NDArray[Any]) -> tuple[NDArray[Any], NDArray[Any]]:
        cols, rows = self.places(xs, ys)  # type: ignore[arg-type]
        return np.floor(rows).astype(int), np.floor(cols).astype(int)

    def snap(self, x: float, y: float, parts: int = 1) -> Point:
        col, row = self.places(x, y)
        return self.place(round(row * parts) / parts, round(col * parts) / parts)

    def way(self, start: Point, end: Point) -> list[Point]:
        upright = Lattice(self.rows, self.columns, 1, 1)
        found = upright.way(self.places(*start), self.places(*end))
        return [*(self.place(row, col) for col, row in found[:-1]), end]

    def place(self, row: float, col: float) -> Point:
        y = self._top + (col + row) * self.high / 2
        return self._left + (col - row) * self.wide / 2, y

    def bounds(self, box: Box) -> Rect:
        left, right = self.place(box.bottom, box.left)[0], self.place(box.top, box.right)[0]
        top, bottom = self.place(box.top, box.left)[1], self.place(box.bottom, box.right)[1]
        x, y = floor(left), floor(top)
        return Rect(x, y, ceil(right) - x, ceil(bottom) - y)

    def foot(self, row: int, col: int) -> Point:
        return self.place(row + 1, col + 1)

    def begins(self, high: int, wide: int) -> tuple[int, int]:
        return self.high - high, (self.wide - wide) // 2

    def anchored(self) -> tuple[int, int]:
        return self.high // 2, self.wide // 2

    def towards(self, down: int, right: int) -> Cell:
        row, col = down - right, down + right
        return max(-1, min(1, row)), max(-1, min(1, col))

    def mask(self) -> NDArray[np.bool_]:
        ys, xs = np.mgrid[: self.high, : self.wide] + 0.5
        ys += self.rise
        rows, cols = self.one().cells_at(xs, ys)
        return np.asarray((rows == 0) & (cols == 0))

    def origins(self, rows: NDArray[Any], cols: NDArray[Any]) -> NDArray[Any]:
        at = self.places_of(rows, cols)
        return np.asarray(np.floor(at - np.array([self.wide / 2, 0])).astype(int))

    def places_of(self, rows: NDArray[Any], cols: NDArray[Any]) -> NDArray[Any]:
        x = self._left + (cols - rows) * self.wide / 2
        return np.stack([x, self._top + (cols + rows) * self.high / 2], axis=-1)

    @property
    def extent(self) -> tuple[int, int]:
        sides = self.rows + self.columns
        return -(-sides * self.wide // 2), self.rise - (-sides * self.high // 2)

    @property
    def cell_area(self) -> int:
        return max(1, self.high * self.wide // 2)

    @property
    def picture(self) -> tuple[int, int]:
        return max(self.high, self.wide), self.wide

    def turn(self, by: int) -> tuple[int, int]:
        if not is_mirrored(by):
            return by, 0
        # Left to right on the screen rows become columns; nothing stands on its head.
        return turned_on(_ROWS_TO_COLUMNS, quarters(by)), 0 if quarters(by) else 4

    def line_at(self, x: float, y: float) -> int:
        col, row = self.places(x, y)
        down, across = _DEPTHS[self.drawn_from]
        # A cell's middle is half a row and half a column further than its first corner.
        lines = floor(down * (row - 0.5) + across * (col - 0.5) + _SAME)
        return lines if down == across else lines * _LINES + floor(row + col - 1 + _SAME)

    def lines(self, box: Box) -> Lines:
        return _slanted_lines(box.height, box.width, self.drawn_from)

    @property
    def level_lines(self) -> int:
        down, across = _DEPTHS[self.drawn_from]
        return down if down == across and self.high % 2 == self.wide % 2 == 0 else 0

    def line_of(self, row: int, col: int) -> int:
        down, across = _DEPTHS[self.drawn_from]
        lines = down * row + across * col
        return lines if down == across else lines * _LINES + row + col

    def divides(self, width: int, height: int) -> bool:
        return False

    def in_order(self, rows: NDArray[Any], cols: NDArray[Any]) -> NDArray[np.intp]:
        down, across = _DEPTHS[self.drawn_from]
        return np.lexsort((cols, rows + cols, down * rows + across * cols))

    @property
    def copies(self) -> list[Point]:
        return [self._period(down, across) for down in (-1, 0, 1) for across in (-1, 0, 1)]

    def home(self, x: float, y: float) -> Point:
        row, col = self.cell_at(x, y)
        across, down = self._period(row // self.rows, col // self.columns)
        return x - across, y - down

    def _period(self, down: int, across: int) -> Point:
        """Tell by how many pixels a copy is moved that lies so many maps further."""
        rows, cols = down * self.rows, across * self.columns
        return (cols - rows) * self.wide / 2, (cols + rows) * self.high / 2

    def spread(self, pixels: NDArray[np.uint32]) -> NDArray[np.uint32]:
        rows, columns = pixels.shape
        flat = replace(self, rows=rows, columns=columns, wide=64,
                       high=max(1, round(64 * self.high / self.wide)))  # fmt: skip
        wide, high = flat.extent
        step = max(1, flat.high // 2)  # a row of pixels for each line of cells
        ys, xs = np.mgrid[: -(-high // step), : -(-wide // step)] * step + step / 2
        at_rows, at_cols = flat.cells_at(xs, ys)
        inside = (at_rows >= 0) & (at_rows < rows) & (at_cols >= 0) & (at_cols < columns)
        out = np.zeros(inside.shape, np.uint32)
        out[inside] = pixels[at_rows[inside], at_cols[inside]]
        return out

    def periods_in(self, rect: Rect) -> list[Point]:
        if not self.wrap:
            return [(0, 0)]
        seen = self.cells_in(rect)
        return [
            self._period(down, across)
            for down in range(seen.top // self.rows, -(-seen.bottom // self.rows))
            for across in range(seen.left // self.columns, -(-seen.right // self.columns))
        ]  # fmt: skip

    def piece(self, pixels: int) -> tuple[int, int]:
        return min(pixels, _PIECE_CELLS * self.wide), min(pixels, _PIECE_CELLS * self.high)

    def divided(self, high: int, wide: int) -> Lattice:
        rows, columns = -(-self.rows * self.wide // wide), -(-self.columns * self.wide // wide)
        return replace(self, rows=rows, columns=columns, high=high, wide=wide, wrap=False)


@dataclass(frozen=True)
class Stagger:
    """How the cells of a staggered grid are counted: in rows and columns as on an upright one.

    Every other row lies half a cell further right, or with `by_columns` every other column half a
    cell further down: the second, the fourth and so on, or with `first` the first and the third.
    """

    rows: int
    columns: int
    by_columns: bool = False
    first: bool = False

    def _moved(self, number: Any) -> Any:
        """Tell by how many halves a row, or a column, lies further."""
        return (number + self.first) % 2

    def halves(self, row: Any, col: Any) -> tuple[Any, Any]:
        """Give how many half bases right and down the rectangle round a cell begins."""
        if self.by_columns:
            return col, 2 * row + self._moved(col)
        return 2 * col + self._moved(row), row

    def counted(self, right: Any, down: Any) -> tuple[Any, Any]:
        """Give the row and column of the cell that begins so many half bases right and down."""
        if self.by_columns:
            return (down - self._moved(right)) // 2, right
        return down, (right - self._moved(down)) // 2

    @property
    def meets(self) -> bool:
        """Whether the last row, or column, lies beside the first as any two do, so it may wrap."""
        return (self.columns if self.by_columns else self.rows) % 2 == 0

    @property
    def corners(self) -> Stagger:
        """How the upper corners of cells are counted, those below the last ones too."""
        more = (1, 2) if self.by_columns else (2, 1)
        return Stagger(self.rows + more[0], self.columns + more[1], self.by_columns, not self.first)

    def ends(self) -> tuple[Any, Any]:
        """Give `halves` of the cells among which are those that lie furthest in any direction."""
        rows, cols = (sorted({0, min(1, n - 1), max(0, n - 2), n - 1})
                      for n in (self.rows, self.columns))  # fmt: skip
        return self.halves(*np.ix_(np.array(rows), np.array(cols)))


@lru_cache(maxsize=256)
def _least(stagger: Stagger) -> Cell:
    """Tell how many halves the cells begin right and down of cell (0, 0) of the array."""
    right, down = np.broadcast_arrays(*stagger.ends())
    across, along = int((down + right).min()), int((down - right).min())
    return (across - along) // 2, (across + along) // 2


@lru_cache(maxsize=64)
def _places_of(stagger: Stagger, right: int, down: int) -> tuple[NDArray[Any], NDArray[Any]]:
    """Give rows and columns of the array, each (rows, columns) as counted.

    `right`, `down`: as `_least` gives them.
    """
    halves = stagger.halves(*np.mgrid[: stagger.rows, : stagger.columns])
    across, along = halves[0] - right, halves[1] - down
    return (along - across) // 2, (along + across) // 2


@lru_cache(maxsize=16)
def _existing(stagger: Stagger, rows: int, columns: int) -> NDArray[np.bool_]:
    out = np.zeros((rows, columns), np.bool_)
    out[_places_of(stagger, *_least(stagger))] = True
    out.flags.writeable = False
    return out


@lru_cache(maxsize=16)
def _meeting(lattice: Staggered) -> Meeting:
    there = lattice.exists
    assert there is not None
    ends: list[tuple[NDArray[np.intp], ...]] = []
    for down, across in ((1, 0), (0, 1)):
        beside = np.pad(there, ((0, down), (0, across)))[down:, across:]
        rows, cols = np.nonzero(there & ~beside)
        ends.append((rows, cols, *lattice.seen_at(rows + down, cols + across)))
    row, col, other_row, other_col = (np.concatenate(each) for each in zip(*ends))
    return (row, col), (other_row, other_col)


@dataclass(frozen=True)
class Staggered(Diamond):
    """A grid of diamonds in rows that are shifted against each other: its outline is a rectangle.

    It is kept as a grid of diamonds of which only some cells exist, so that the neighbours of a
    cell are where they always are; people, files and games count rows and columns of the shifted
    grid (`name_of`, `unfolded`). A cell begins h half bases right and v down, as `Stagger.halves`
    tells, and is column (v + h) / 2 and row (v - h) / 2 of the array, but for where that begins.
    """

    stagger: Stagger = Stagger(1, 1)

    @classmethod
    def of(cls, stagger: Stagger, high: int, wide: int, **more: Any) -> Staggered:
        """Make the grid of so many rows and columns, as people count them."""
        right, down = np.broadcast_arrays(*stagger.ends())
        columns = int((down + right).max() - (down + right).min()) // 2 + 1
        rows = int((down - right).max() - (down - right).min()) // 2 + 1
        return cls(rows, columns, high, wide, stagger=stagger, **more)

    @property
    def _left(self) -> float:
        return (_least(self.stagger)[0] + 1) * self.wide / 2

    @property
    def _top(self) -> float:
        return self.rise + _least(self.stagger)[1] * self.high / 2

    @property
    def extent(self) -> tuple[int, int]:
        right, down = self.stagger.ends()
        return -(-(int(right.max()) + 2) * self.wide // 2), self.rise - (
            -(int(down.max()) + 2) * self.high // 2
        )

    @property
    def frame(self) -> Rect:
        wide, high = self.extent
        return Rect(0, self.rise, wide, high - self.rise)

    @property
    def sides(self) -> list[Point]:
        rect = self.frame
        return [(rect.x, rect.y), (rect.right, rect.y), (rect.right, rect.bottom),
                (rect.x, rect.bottom)]  # fmt: skip

    def spread(self, pixels: NDArray[np.uint32]) -> NDArray[np.uint32]:
        step = -(-self.rows // pixels.shape[0])  # one cell in so many has a pixel
        _, _, wide, high = self.frame
        pixel = min(self.wide, self.high) / 2 * step
        xs = np.arange(ceil(wide / pixel)) * pixel + pixel / 2
        ys = np.arange(ceil(high / pixel)) * pixel + pixel / 2 + self.rise
        rows, cols = np.broadcast_arrays(*self.cells_at(xs[None], ys[:, None]))
        inside = self.there(rows, cols)
        out = np.zeros(inside.shape, np.uint32)
        out[inside] = pixels[rows[inside] // step, cols[inside] // step]
        return out

    def _period(self, down: int, across: int) -> Point:
        rows, columns = self.stagger.rows, self.stagger.columns
        wide = columns * self.wide / (2 if self.stagger.by_columns else 1)
        return across * wide, down * rows * self.high / (1 if self.stagger.by_columns else 2)

    def home(self, x: float, y: float) -> Point:
        row, col = self.name_of(*self.cell_at(x, y))
        across, down = self._period(row // self.stagger.rows, col // self.stagger.columns)
        return x - across, y - down

    def periods_in(self, rect: Rect) -> list[Point]:
        if not self.wrap:
            return [(0, 0)]
        wide, high = self._period(1, 1)
        return [
            self._period(down, across)
            for down in range(floor(rect.y / high) - 1, ceil(rect.bottom / high) + 1)
            for across in range(floor(rect.x / wide) - 1, ceil(rect.right / wide) + 1)
        ]

    @property
    def exists(self) -> NDArray[np.bool_] | None:
        return _existing(self.stagger, self.rows, self.columns)

    def holds(self, row: int, col: int) -> bool:
        at = self.name_of(row, col)
        return 0 <= at[0] < self.stagger.rows and 0 <= at[1] < self.stagger.columns

    @property
    def counted(self) -> Cell:
        return self.stagger.rows, self.stagger.columns

    def lines_near(self, x: float, y: float) -> tuple[int, int, int, int]:
        across, down = x / self.wide * 2, (y - self.rise) / self.high * 2
        if self.stagger.by_columns:  # the last column reaches half a base further
            return round(down / 2), round(across), round((down - 1) / 2), round(across - 1)
        return round(down), round(across / 2), round(down - 1), round((across - 1) / 2)

    def name_of(self, row: int, col: int) -> Cell:
        right, down = _least(self.stagger)
        found = self.stagger.counted(col - row + right, col + row + down)
        return int(found[0]), int(found[1])

    def cell_named(self, row: int, col: int) -> Cell:
        halves, (right, down) = self.stagger.halves(row, col), _least(self.stagger)
        across, along = halves[0] - right, halves[1] - down
        return (along - across) // 2, (along + across) // 2

    def _indices(self, more: int) -> tuple[NDArray[Any], NDArray[Any]]:
        right, down = _least(self.stagger)
        if not more:
            return _places_of(self.stagger, right, down)
        # The upper corner of a cell lies half a base right of where the cell begins.
        return _places_of(self.stagger.corners, right + 1, down)

    def unfolded(self, values: NDArray[Any]) -> NDArray[Any]:
        rows, cols = self._indices(values.shape[0] - self.rows)
        inside = (rows >= 0) & (rows < values.shape[0]) & (cols >= 0) & (cols < values.shape[1])
        out = np.zeros(rows.shape, values.dtype)
        out[inside] = values[rows[inside], cols[inside]]
        return out

    def folded(self, values: NDArray[Any]) -> NDArray[Any]:
        more = int(values.shape != self.counted)
        rows, cols = self._indices(more)
        out = np.zeros((self.rows + more, self.columns + more), values.dtype)
        inside = (rows >= 0) & (rows < out.shape[0]) & (cols >= 0) & (cols < out.shape[1])
        out[rows[inside], cols[inside]] = values[inside]
        return out

    def unfolded_shape(self, more: int = 0) -> Cell:
        counted = self.stagger.corners if more else self.stagger
        return counted.rows, counted.columns

    def grown(self, top: int, left: int, bottom: int, right: int) -> tuple[Self, tuple[int, ...]]:
        old = self.stagger
        first = old.first ^ ((left if old.by_columns else top) % 2 == 1)
        stagger = Stagger(
            old.rows + top + bottom, old.columns + left + right, old.by_columns, first
        )
        made = type(self).of(stagger, self.high, self.wide, wrap=self.wrap,
                             drawn_from=self.drawn_from)  # fmt: skip
        before, after = self.cell_named(-top, -left), made.cell_named(0, 0)
        down, across = after[0] - before[0], after[1] - before[1]
        return made, (
            down,
            across,
            made.rows - self.rows - down,
            made.columns - self.columns - across,
        )  # type: ignore[return-value]

    def corner_named(self, row: int, col: int) -> Cell:
        halves, (right, down) = self.stagger.corners.halves(row, col), _least(self.stagger)
        across, along = halves[0] - right - 1, halves[1] - down
        return (along - across) // 2, (along + across) // 2

    def box_named(
        self, top: int, left: int, bottom: int, right: int
    ) -> tuple[Box, NDArray[np.bool_] | None]:
        rows, cols = np.arange(top, bottom), np.arange(left, right)
        halves, least = self.stagger.halves(*np.ix_(rows, cols)), _least(self.stagger)
        across, along = np.broadcast_arrays(halves[0] - least[0], halves[1] - least[1])
        downs, acrosses = (along - across) // 2, (along + across) // 2
        box = Box(int(downs.min()), int(acrosses.min()), int(downs.max()) + 1,
                  int(acrosses.max()) + 1)  # fmt: skip
        mask = np.zeros((box.height, box.width), np.bool_)
        mask[downs - box.top, acrosses - box.left] = True
        return box, mask

    # Beyond the border of one that wraps: its copies lie aslant in the array

    @property
    def torus(self) -> Cell | None:
        return None

    def seen_at(
        self, rows: NDArray[Any], cols: NDArray[Any]
    ) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
        right, down = _least(self.stagger)
        at = self.stagger.counted(cols - rows + right, cols + rows + down)
        halves = self.stagger.halves(at[0] % self.stagger.rows, at[1] % self.stagger.columns)
        across, along = halves[0] - right, halves[1] - down
        return (along - across) // 2, (along + across) // 2

    @property
    def half_bases(self) -> tuple[int, int]:
        """After how many half bases down and to the right a grid that wraps begins anew."""
        rows, columns, by_columns, _ = astuple(self.stagger)
        return (2 * rows, columns) if by_columns else (rows, 2 * columns)

    def halves_of(
        self, rows: NDArray[Any], cols: NDArray[Any]
    ) -> tuple[NDArray[Any], NDArray[Any]]:
        """Give how many half bases down and to the right cells begin."""
        right, down = _least(self.stagger)
        return cols + rows + down, cols - rows + right

    def _seen_in(self, box: Box) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
        rows, cols = np.arange(box.top, box.bottom), np.arange(box.left, box.right)
        return self.seen_at(*np.broadcast_arrays(rows[:, None], cols[None]))

    def has_all(self, box: Box) -> bool:
        """Whether all cells of a box are there: those at its four corners lie furthest out."""
        return all(
            self.holds(row, col)
            for row in (box.top, box.bottom - 1) for col in (box.left, box.right - 1)
        )  # fmt: skip

    def fitted(self, box: Box) -> Box:
        if not self.wrap:
            return super().fitted(box)
        if box.is_empty or self.has_all(box):
            return box
        rows, cols = self._seen_in(box)
        return Box(int(rows.min()), int(cols.min()), int(rows.max()) + 1, int(cols.max()) + 1)

    def pieces(self, box: Box) -> list[Box]:
        if not self.wrap or box.is_empty or self.has_all(box):
            return super().pieces(box)
        names = [self.name_of(row, col) for row in (box.top, box.bottom - 1)
                 for col in (box.left, box.right - 1)]  # fmt: skip
        downs, acrosses = (
            range(min(at) // count - 1, max(at) // count + 2)
            for at, count in zip(zip(*names), self.counted)
        )
        found = []
        for down in downs:
            for across in acrosses:
                rows, cols = self._moved(down, across)
                piece = box.moved(-rows, -cols).clipped(self.rows, self.columns)
                there = self.part(piece)
                if there is not None and there.any():
                    found.append(piece)
        return found

    @property
    def once(self) -> int:
        """Up to how many rows and columns a box of the array shows no cell of a copy too."""
        return min(sum(map(abs, self._moved(0, 1))), sum(map(abs, self._moved(1, 0)))) // 2

    def meeting(self) -> Meeting | None:
        return _meeting(self) if self.wrap else None

    def _moved(self, down: int, across: int) -> Cell:
        """Tell by how many rows and columns of the array a copy lies further."""
        stagger = self.stagger
        right = across * stagger.columns * (1 if stagger.by_columns else 2)
        along = down * stagger.rows * (2 if stagger.by_columns else 1)
        return (along - right) // 2, (along + right) // 2

    def read(self, values: NDArray[Any], box: Box) -> NDArray[Any]:
        if not self.wrap:
            return super().read(values, box)
        return read(values, box) if self.has_all(box) else np.asarray(values[self._seen_in(box)])

    def lay_over(
        self, values: NDArray[Any], box: Box, patch_box: Box, patch: NDArray[Any]
    ) -> NDArray[Any]:
        if not self.wrap:
            return super().lay_over(values, box, patch_box, patch)
        rows, cols = self._seen_in(box)
        rows, cols = rows - patch_box.top, cols - patch_box.left
        among = (rows >= 0) & (rows < patch_box.height) & (cols >= 0) & (cols < patch_box.width)
        values[among] = patch[rows[among], cols[among]]
        return values

    def brought(
        self, box: Box, values: NDArray[Any], mask: NDArray[np.bool_]
    ) -> tuple[Box, NDArray[Any], NDArray[np.bool_]]:
        if not self.wrap:
            return super().brought(box, values, mask)
        if not mask.any() or self.has_all(box):
            return box, values, mask
        cells = np.nonzero(mask)
        rows, cols = self.seen_at(cells[0] + box.top, cells[1] + box.left)
        fitted = Box(int(rows.min()), int(cols.min()), int(rows.max()) + 1, int(cols.max()) + 1)
        return fitted, *_laid(fitted, values, cells, (rows - fitted.top, cols - fitted.left))

    def border_in(self, rect: Rect) -> list[Point]:
        """Give the zigzag round the cells of whole rows and columns that a rectangle shows."""
        half_wide, half_high = self.wide / 2, self.high / 2
        rows, cols = self.stagger.rows, self.stagger.columns
        low = self.name_of(*self.cell_at(rect.x, rect.y))
        high = self.name_of(*self.cell_at(rect.right, rect.bottom))
        top, bottom = max(0, min(low[0], rows) - 2), min(rows, max(0, high[0]) + 3)
        left, right = max(0, min(low[1], cols) - 2), min(cols, max(0, high[1]) + 3)
        if top >= bottom or left >= right:
            return []

        def corner(row: int, col: int, across: int, down: int) -> Point:
            x, y = self.stagger.halves(row, col)
            return (x + across) * half_wide, self.rise + (y + down) * half_high

        out: list[Point] = []
        if self.stagger.by_columns:
            for col in range(left, right):
                out += [corner(top, col, 0, 1), corner(top, col, 1, 0), corner(top, col, 2, 1)]
            for row in range(top, bottom):
                out += [corner(row, right - 1, 2, 1), corner(row, right - 1, 1, 2)]
            for col in reversed(range(left, right)):
                ends = corner(bottom - 1, col, 2, 1), corner(bottom - 1, col, 1, 2)
                out += [*ends, corner(bottom - 1, col, 0, 1)]
            for row in reversed(range(top, bottom)):
                out += [corner(row, left, 0, 1), corner(row, left, 1, 0)]
            return out
        for col in range(left, right):
            out += [corner(top, col, 0, 1), corner(top, col, 1, 0), corner(top, col, 2, 1)]
        for row in range(top, bottom):
            ends = corner(row, right - 1, 1, 0), corner(row, right - 1, 2, 1)
            out += [*ends, corner(row, right - 1, 1, 2)]
        for col in reversed(range(left, right)):
            ends = corner(bottom - 1, col, 2, 1), corner(bottom - 1, col, 1, 2)
            out += [*ends, corner(bottom - 1, col, 0, 1)]
        for row in reversed(range(top, bottom)):
            out += [corner(row, left, 1, 2), corner(row, left, 0, 1), corner(row, left, 1, 0)]
        return out


_L = TypeVar("_L", bound=Lattice)


@lru_cache(maxsize=512)  # a hundred times a frame
def _halved(lattice: _L, level: int) -> _L:
    return replace(lattice, high=max(1, lattice.high >> level), wide=max(1, lattice.wide >> level))


class GridKind(StrEnum):
    """How a map is divided."""

    SQUARE = "square"
    DIAMOND = "diamond"
    STAGGERED = "staggered"


@dataclass(frozen=True)
class Grid:
    """How a map is divided, and how its cells are drawn and counted.

    `stagger` is how those of a staggered one are counted; None on other grids.
    """

    kind: GridKind = GridKind.SQUARE
    drawn_from: Corner = Corner.TOP
    stagger: Stagger | None = None

    @classmethod
    def of(
        cls, kind: GridKind, rows: int, columns: int, *, by_columns: bool = False,
        first: bool = False, drawn_from: Corner = Corner.TOP,
    ) -> Grid:  # fmt: skip
        """Make the grid of a map of so many rows and columns, as people count them."""
        staggered = kind is GridKind.STAGGERED
        return cls(
            kind, drawn_from, Stagger(rows, columns, by_columns, first) if staggered else None
        )

    def lattice(self, rows: int, columns: int, high: int, wide: int, wrap: bool = False) -> Lattice:
        """Make the lattice of so many rows and columns; a staggered one knows its own."""
        if self.stagger is not None:
            return Staggered.of(self.stagger, high, wide, wrap=wrap, drawn_from=self.drawn_from)
        kind = Lattice if self.kind is GridKind.SQUARE else Diamond
        return kind(rows, columns, high, wide, wrap, self.drawn_from)


def cells_for(grid: Grid, width: float, height: float, high: int, wide: int) -> Cell:
    """Tell how many rows and columns, as people count them, hold a rectangle of pixels.

    Of a grid of diamonds the rectangle lies inside the large diamond that all cells make.
    """
    across, down = ceil(width / wide), ceil(height / high)
    if grid.kind is GridKind.SQUARE:
        return down, across
    if grid.kind is GridKind.DIAMOND:
        side = ceil(width / wide + height / high)
        return (side, side) if width and height else (0, 0)
    twice = ceil(2 * height / high), ceil(2 * width / wide)
    by_columns = grid.stagger is not None and grid.stagger.by_columns
    return (down, twice[1]) if by_columns else (twice[0], across)


SQUARE, DIAMOND = Grid(), Grid(GridKind.DIAMOND)
