"""Pages of an atlas: the pictures of one level, and how far pictures reach."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from knitground.core.render.pixels import OPAQUE, Pixels, shrunk

_BITS = np.uint64(0xFFFFFFFF)


@dataclass(frozen=True)
class Overhang:
    """By how many pixels the pictures of an atlas go beyond their cells, on each side."""

    up: int = 0
    left: int = 0
    down: int = 0
    right: int = 0

    def __bool__(self) -> bool:
        return any((self.up, self.left, self.down, self.right))

    def or_more(self, other: Overhang) -> Overhang:
        """Give the larger reach on each side."""
        return Overhang(
            max(self.up, other.up), max(self.left, other.left), max(self.down, other.down),
            max(self.right, other.right),
        )  # fmt: skip


@dataclass(frozen=True, eq=False)
class Big:
    """A picture that reaches beyond its cell, and where it begins from the cell's upper left.

    Of a free one `line` is that of the cells which it is drawn after, where it is sorted by depth.
    """

    pixels: Pixels
    down: int
    across: int
    line: int = 0


@dataclass(frozen=True, eq=False)
class Looks:
    """What is known of pictures before they are laid: each (n,).

    `tops`: the first row in which there is anything, their height if there is nothing; `hard`:
    whether each of their pixels covers what is beneath it or shows all of it.
    """

    tops: NDArray[np.intp]
    hard: NDArray[np.bool_]

    @classmethod
    def of(cls, pixels: Pixels) -> Looks:
        """Look at pictures (n, h, w)."""
        filled = np.asarray(pixels.any(axis=2))
        tops = np.where(filled.any(axis=1), filled.argmax(axis=1), pixels.shape[1])
        return cls(tops, np.asarray(((pixels == 0) | (pixels >= OPAQUE)).all(axis=(1, 2))))


@dataclass(frozen=True, eq=False)
class LevelPictures:
    """The pictures of one level.

    `tiles` (legend + 1, h, w) premultiplied: place 0 blank, the last one the gap, so that place -1
    finds it; blank too for places in `big`. `looks` of the same pictures. `reach` is in pixels of
    the level.
    """

    tiles: Pixels
    looks: Looks
    big: dict[int, Big] = field(default_factory=dict)
    reach: Overhang = Overhang()

    @property
    def high(self) -> int:
        """Height of a tile's picture."""
        return int(self.tiles.shape[1])

    @property
    def wide(self) -> int:
        """Width of a tile's picture."""
        return int(self.tiles.shape[2])


class Page:
    """The pictures of one level, drawn when they are first asked for, with room to grow."""

    def __init__(self, size: tuple[int, int], count: int, gap: Pixels) -> None:
        self.pixels: Pixels = np.zeros((count, *size), np.uint32)
        self.drawn = np.zeros(count, np.bool_)
        self.tops = np.full(count, size[0], np.intp)
        self.hard = np.ones(count, np.bool_)
        self.count = 0
        self.gap = gap
        self.grow(count)

    def note(self, places: Sequence[int] | NDArray[np.intp]) -> None:
        """Note that some pictures are drawn."""
        looks = Looks.of(self.pixels[places])
        self.tops[places], self.hard[places] = looks.tops, looks.hard
        self.drawn[places] = True

    @property
    def looks(self) -> Looks:
        """What is known of the pictures that are drawn."""
        return Looks(self.tops[: self.count], self.hard[: self.count])

    def grow(self, count: int) -> None:
        """Make room for so many pictures; the gap moves behind them, on the last place."""
        if count > len(self.drawn):
            room = count + count // 2 + 16
            pixels = np.zeros((room, *self.gap.shape), np.uint32)
            pixels[: self.count] = self.pixels[: self.count]
            self.pixels, self.drawn = pixels, np.resize(self.drawn, room)
            self.tops, self.hard = np.resize(self.tops, room), np.resize(self.hard, room)
        if self.count:
            self.pixels[self.count - 1] = 0
        self.drawn[max(0, self.count - 1) :] = False
        self.pixels[count - 1] = self.gap
        self.note([0, count - 1])
        self.count = count

    def shrink(self, count: int) -> None:
        """Forget the last pictures; the gap moves before them."""
        self.pixels[count - 1 : self.count] = 0
        self.drawn[count - 1 :] = False
        self.pixels[count - 1] = self.gap
        self.note([count - 1])
        self.count = count


def beginnings(rows: NDArray[np.intp], cols: NDArray[np.intp]) -> NDArray[np.int64]:
    """Give each cell the number of the frame that it begins at; taken modulo its frames.

    Returns
    -------
    (row × 73 856 093 xor column × 19 349 663) × 2 654 435 761 of 32 bits, / 65 536: the same in a
    game of any kind

    Examples
    --------
    >>> (beginnings(np.array([0, 0, 1]), np.array([0, 1, 0])) % 4).tolist()
    [0, 3, 1]
    """
    mixed = (rows.astype(np.uint64) * 73_856_093) ^ (cols.astype(np.uint64) * 19_349_663)
    return ((((mixed & _BITS) * 2_654_435_761) & _BITS) >> 16).astype(np.int64)


def smaller_big(big: Big, down: float, across: float) -> Big:
    """Give a picture shrunk, and where it begins then."""
    height = max(1, round(big.pixels.shape[0] * down))
    width = max(1, round(big.pixels.shape[1] * across))
    pixels = shrunk(big.pixels[None], height, width)[0]
    return Big(pixels, round(big.down * down), round(big.across * across))
