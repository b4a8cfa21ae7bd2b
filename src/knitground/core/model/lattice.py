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
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import lru_cache
from math import ceil, floor
from typing import Any, ClassVar, NamedTuple, Self, TypeVar

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.window import Box
from knitground.core.model.turns import is_mirrored, quarters, turned_on

Place = tuple[float, float]
"""x (to the right) and y (down), in pixels from the map's upper left."""
Cell = tuple[int, int]
"""Row and column."""
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
    `first`: the number of the first line.
    """

    rows: NDArray[np.intp]
    cols: NDArray[np.intp]
    starts: NDArray[np.intp]
    first: int


@lru_cache(maxsize=64)
def _upright_lines(height: int, width: int, first: int) -> Lines:
    rows, cols = (each.ravel() for each in np.mgrid[:height, :width])
    return Lines(rows, cols, np.arange(height) * width, first)


@lru_cache(maxsize=64)
def _slanted_lines(height: int, width: int, first: int) -> Lines:
    rows, cols = (each.ravel() for each in np.mgrid[:height, :width])
    order = np.lexsort((cols, rows + cols))
    rows, cols = rows[order], cols[order]
    starts = np.searchsorted(rows + cols, np.arange(height + width - 1 if rows.size else 0))
    return Lines(rows, cols, starts, first)


@dataclass(frozen=True)
class Lattice:
    """A grid of rows × columns of rectangular cells, each so many pixels high and wide.

    Parameters
    ----------
    rows, columns : of cells
    high, wide : of a cell, in pixels
    wrap : whether the last row and column meet the first
    """

    rows: int
    columns: int
    high: int
    wide: int
    wrap: bool = False

    slanted: ClassVar[bool] = False
    """Whether cells lie aslant, so that pictures are drawn from the back to the front; for the
    compositor alone."""

    # From pixels to cells

    def cell_at(self, x: float, y: float) -> Cell:
        """Give the cell that a place lies on; may be outside the grid."""
        return int(y // self.high), int(x // self.wide)

    def within(self, x: float, y: float) -> Place:
        """Tell how far right and down in its cell a place lies, each 0 to 1."""
        row, col = self.cell_at(x, y)
        return x / self.wide - col, y / self.high - row

    def places(self, x: float, y: float) -> Place:
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

    def cells_round(self, places: Iterable[Place]) -> Box | None:
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

    def snap(self, x: float, y: float, parts: int = 1) -> Place:
        """Give the nearest corner of cells, or of so many parts of a cell's sides."""
        across, down = self.wide / parts, self.high / parts
        return round(x / across) * across, round(y / down) * down

    def way(self, start: Place, end: Place) -> list[Place]:
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

    def holds(self, row: int, col: int) -> bool:
        """Whether there is such a cell."""
        return 0 <= row < self.rows and 0 <= col < self.columns

    # From cells to pixels

    def place(self, row: float, col: float) -> Place:
        """Give the place of a corner of cells, or with parts of a place between them."""
        return col * self.wide, row * self.high

    def middle(self, row: int, col: int) -> Place:
        """Give the middle of a cell."""
        return self.place(row + 0.5, col + 0.5)

    def bounds(self, box: Box) -> Rect:
        """Give the rectangle round a box of cells, wherever it lies."""
        return Rect(
            box.left * self.wide, box.top * self.high, box.width * self.wide, box.height * self.high
        )

    def outline(self, box: Box) -> list[Place]:
        """Give the corners of what a box of cells covers, clockwise from its upper left one."""
        return [
            self.place(box.top, box.left), self.place(box.top, box.right),
            self.place(box.bottom, box.right), self.place(box.bottom, box.left),
        ]  # fmt: skip

    def foot(self, row: int, col: int) -> Place:
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

    def line_at(self, y: float) -> int:
        """Tell which line of cells is the nearest that lies behind what stands that far down."""
        return floor(y / self.high - 0.5)

    def lines(self, box: Box) -> Lines:
        """Give the cells of a box line by line, the farthest first."""
        return _upright_lines(box.height, box.width, box.top)

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
    def stride(self) -> Place:
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

    def periods_in(self, rect: Rect) -> list[Place]:
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
    def copies(self) -> list[Place]:
        """List by how many pixels the nine copies that lie side by side are moved, one by none."""
        wide, high = self.extent
        return [(x * wide, y * high) for y in (-1, 0, 1) for x in (-1, 0, 1)]

    def home(self, x: float, y: float) -> Place:
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

    def scale(self, smaller: Lattice) -> Place:
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

    def resized(self, rows: int, columns: int) -> Self:
        """Give it with another number of cells."""
        return replace(self, rows=rows, columns=columns)

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

    def places(self, x: float, y: float) -> Place:
        across, down = (x - self._left) * self.high, (y - self.rise) * self.wide
        area = self.high * self.wide  # one division: what lies on a line is found to lie on it
        return (down + across) / area, (down - across) / area

    def cell_at(self, x: float, y: float) -> Cell:
        col, row = self.places(x, y)
        return floor(row), floor(col)

    def within(self, x: float, y: float) -> Place:
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

    def snap(self, x: float, y: float, parts: int = 1) -> Place:
        col, row = self.places(x, y)
        return self.place(round(row * parts) / parts, round(col * parts) / parts)

    def way(self, start: Place, end: Place) -> list[Place]:
        upright = Lattice(self.rows, self.columns, 1, 1)
        found = upright.way(self.places(*start), self.places(*end))
        return [*(self.place(row, col) for col, row in found[:-1]), end]

    def place(self, row: float, col: float) -> Place:
        y = self.rise + (col + row) * self.high / 2
        return self._left + (col - row) * self.wide / 2, y

    def bounds(self, box: Box) -> Rect:
        left, right = self.place(box.bottom, box.left)[0], self.place(box.top, box.right)[0]
        top, bottom = self.place(box.top, box.left)[1], self.place(box.bottom, box.right)[1]
        x, y = floor(left), floor(top)
        return Rect(x, y, ceil(right) - x, ceil(bottom) - y)

    def foot(self, row: int, col: int) -> Place:
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
        rows, cols = replace(self, rows=1, columns=1).cells_at(xs, ys)
        return np.asarray((rows == 0) & (cols == 0))

    def origins(self, rows: NDArray[Any], cols: NDArray[Any]) -> NDArray[Any]:
        at = self.places_of(rows, cols)
        return np.asarray(np.floor(at - np.array([self.wide / 2, 0])).astype(int))

    def places_of(self, rows: NDArray[Any], cols: NDArray[Any]) -> NDArray[Any]:
        x = self._left + (cols - rows) * self.wide / 2
        return np.stack([x, self.rise + (cols + rows) * self.high / 2], axis=-1)

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

    def line_at(self, y: float) -> int:
        return floor(2 * (y - self.rise) / self.high) - 1

    def lines(self, box: Box) -> Lines:
        return _slanted_lines(box.height, box.width, box.top + box.left)

    def divides(self, width: int, height: int) -> bool:
        return False

    def in_order(self, rows: NDArray[Any], cols: NDArray[Any]) -> NDArray[np.intp]:
        return np.lexsort((cols, rows + cols))

    @property
    def copies(self) -> list[Place]:
        return [self._period(down, across) for down in (-1, 0, 1) for across in (-1, 0, 1)]

    def home(self, x: float, y: float) -> Place:
        row, col = self.cell_at(x, y)
        across, down = self._period(row // self.rows, col // self.columns)
        return x - across, y - down

    def _period(self, down: int, across: int) -> Place:
        """Tell by how many pixels a copy is moved that lies so many maps further."""
        rows, cols = down * self.rows, across * self.columns
        return (cols - rows) * self.wide / 2, (cols + rows) * self.high / 2

    def spread(self, pixels: NDArray[np.uint32]) -> NDArray[np.uint32]:
        rows, columns = pixels.shape
        flat = Diamond(rows, columns, max(1, round(64 * self.high / self.wide)), 64)
        wide, high = flat.extent
        step = max(1, flat.high // 2)  # a row of pixels for each line of cells
        ys, xs = np.mgrid[: -(-high // step), : -(-wide // step)] * step + step / 2
        at_rows, at_cols = flat.cells_at(xs, ys)
        inside = (at_rows >= 0) & (at_rows < rows) & (at_cols >= 0) & (at_cols < columns)
        out = np.zeros(inside.shape, np.uint32)
        out[inside] = pixels[at_rows[inside], at_cols[inside]]
        return out

    def periods_in(self, rect: Rect) -> list[Place]:
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


_L = TypeVar("_L", bound=Lattice)


@lru_cache(maxsize=512)  # a hundred times a frame
def _halved(lattice: _L, level: int) -> _L:
    return replace(lattice, high=max(1, lattice.high >> level), wide=max(1, lattice.wide >> level))


class GridKind(StrEnum):
    """How a map is divided."""

    SQUARE = "square"
    DIAMOND = "diamond"

    @property
    def lattice(self) -> type[Lattice]:
        """The lattice of maps that are divided so."""
        return _LATTICES[self]


_LATTICES = {GridKind.SQUARE: Lattice, GridKind.DIAMOND: Diamond}
