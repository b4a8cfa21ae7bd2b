"""Applying neighbour rules: which rule takes each cell, and the tiles that come of it."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.bands import in_bands
from knitground.core.base.hashing import cell_numbers, mix_one
from knitground.core.chance.fall import fall_cells
from knitground.core.model.layers import Cells
from knitground.core.model.rules import NeighbourRule
from knitground.core.model.terrain import SetKind
from knitground.core.rules.places import MIDDLE, Place, base_places
from knitground.core.rules.ruletable import Need, RuleTable
from knitground.core.rules.table import LEAVE

_CHUNK_CELLS = 1 << 18
_QUICK_CELLS = 1 << 15
"""Cells that are worked on together: packed planes of one chunk stay in the processor's cache."""
_FEW_CELLS = 1 << 11
"""Up to here calls take longer than cells do."""
Ground = NDArray[Any]
Bits = NDArray[np.uint64]


class Window:
    """A rectangle of cells and the terrain round it, as rules look at it.

    Parameters
    ----------
    near : (h + 1 + 2 m, w + 1 + 2 m) terrain as a ground layer holds it, m cells more on each side
    margin : m
    rows, cols : (h,) and (w,) the cells' own rows and columns in the map
    size : height and width of the map in cells, None if it wraps: nothing is off it then
    torus : height and width of a map that wraps, for what looks over its border
    shown : which places of the map lie on or round cells that there are, if not all: (height + 1,
        width + 1) as terrain
    """

    def __init__(
        self,
        kind: SetKind,
        near: Ground,
        margin: int,
        rows: NDArray[Any],
        cols: NDArray[Any],
        size: tuple[int, int] | None,
        torus: tuple[int, int] | None = None,
        shown: NDArray[np.bool_] | None = None,
    ) -> None:
        self.shown = shown
        self.kind, self.near, self.margin = kind, near, margin
        self.rows, self.cols, self.size, self.torus = rows, cols, size, torus
        self.shape = len(rows), len(cols)

    def band(self, top: int, count: int) -> Window:
        """Give the window of some of its rows."""
        near = self.near[top : top + count + 1 + 2 * self.margin]
        rows = self.rows[top : top + count]
        return Window(
            self.kind, near, self.margin, rows, self.cols, self.size, self.torus, self.shown
        )

    def values(self, place: Place) -> Ground:
        """Give what a place of the stencil shows for every cell: (h, w)."""
        y, x = place
        m = self.margin
        height, width = self.shape
        if self.kind is not SetKind.EDGE:
            top, left = m + y // 2, m + x // 2
            return self.near[top : top + height, left : left + width]
        top, left = m + y // 2, m + x // 2
        sides = self.near[top : top + height, left : left + width]
        return np.asarray(sides & 255 if y % 2 == 0 else sides >> 8, np.uint8)

    def off(self, place: Place) -> NDArray[np.bool_]:
        """Tell for every cell whether a place of the stencil is off the map: (h, w)."""
        if self.size is None:
            return np.zeros(self.shape, np.bool_)
        rows, cols = (at + each // 2 for at, each in zip((self.rows, self.cols), place))
        out = []
        for at, each, size in zip((rows, cols), place, self.size):
            last = size if each % 2 == 0 else size - 1  # vertices and sides: one more than cells
            out.append((at < 0) | (at > last))
        if self.shown is not None:
            high, wide = self.shown.shape
            near = self.shown[np.ix_(np.clip(rows, 0, high - 1), np.clip(cols, 0, wide - 1))]
            return np.asarray(out[0][:, None] | out[1][None, :] | ~near)
        return np.asarray(out[0][:, None] | out[1][None, :])


def forms_in(table: RuleTable, window: Window, seed: int, layer: int) -> NDArray[np.int16]:
    """Find the form that takes each cell of a window, counted from 1; 0 where no rule fits.

    Parameters
    ----------
    seed, layer : of the ground layer, for rules that take only part of their cells

    Returns
    -------
    (h, w) int16. The first rule that fits a cell takes it; of a rule's ways the first one.

    Notes
    -----
    A part gives what the whole gives. Lists that look no further than knitting does are one look-up
    a cell; others are planes of bits, one for each need, shared by all rules, 64 cells in a word.
    """
    height, width = window.shape
    out = np.zeros((height, width), np.int16)
    if not table.forms or out.size == 0:
        return out
    quick = table.quick is not None

    def find(top: int, bottom: int) -> None:
        part = window.band(top, bottom - top)
        found = _quick_forms(table, part) if quick else _packed_forms(table, part, seed, layer)
        out[top:bottom] = found

    in_bands(find, height, width, _QUICK_CELLS if quick else _CHUNK_CELLS)
    return out


def _quick_forms(table: RuleTable, window: Window) -> NDArray[np.int16]:
    assert table.quick is not None
    most = table.count + 1
    if table.kind is SetKind.RING:
        own = window.values(MIDDLE)
        bits = np.zeros(window.shape, np.uint8)
        for n, place in enumerate(base_places(SetKind.RING)[1:]):
            bits |= (window.values(place) == own).view(np.uint8) << np.uint8(n)
        codes = np.minimum(own, np.uint8(most)).astype(np.int32)
        codes <<= 8
        codes |= bits
        return np.take(table.quick, codes)
    codes16 = np.zeros(window.shape, np.uint16)
    for n, place in enumerate(base_places(table.kind)):
        own = np.minimum(window.values(place), np.uint8(most)).astype(np.uint16)
        codes16 |= own << np.uint16(4 * n)
    return np.take(table.quick, codes16)


def _packed(plane: NDArray[np.bool_]) -> Bits:
    """Pack a plane of bits, 64 cells in a word; the last word is filled with zeros."""
    flat = np.packbits(plane.ravel())
    words = np.zeros(-(-plane.size // 64), np.uint64)
    words.view(np.uint8)[: flat.size] = flat
    return words


class _Planes:
    """Packed planes of a window, each made once."""

    def __init__(self, table: RuleTable, window: Window, seed: int, layer: int) -> None:
        self._table, self._window = table, window
        self._seed, self._layer = seed, layer
        self._asks, self._of_forms = table.asks
        self._asked: list[Bits | None] = [None] * len(self._asks)
        self._made: dict[object, Bits] = {}
        self._values: dict[Place, Ground] = {}
        if window.shape[0] * window.shape[1] <= _FEW_CELLS:
            self._make_named()

    def of(self, form: int) -> list[Bits]:
        """Give the planes that a form asks for."""
        return [self._ask(number) for number in self._of_forms[form]]

    def _ask(self, number: int) -> Bits:
        made = self._asked[number]
        if made is None:
            made = self._asked[number] = _packed(self._plane(self._asks[number]))
        return made

    def _make_named(self) -> None:
        """Make all planes that name terrains at once: with few cells the calls are what takes."""
        numbers, places, at, fits = self._table.named
        if not numbers.size:
            return
        shown = np.array([self._value(place).ravel() for place in places])
        found = fits[np.arange(len(at))[:, None], shown[at]]
        size = found.shape[1]
        words = np.zeros((len(at), -(-size // 64)), np.uint64)
        words.view(np.uint8)[:, : -(-size // 8)] = np.packbits(found, axis=1)
        for number, plane in zip(numbers.tolist(), words):
            self._asked[number] = plane

    def _value(self, place: Place) -> Ground:
        if self._window.kind is not SetKind.EDGE:
            return self._window.values(place)
        if place not in self._values:
            self._values[place] = self._window.values(place)
        return self._values[place]

    def _plane(self, need: Need) -> NDArray[np.bool_]:
        if need.off:
            return self._window.off(need.place)
        own = self._value(need.place)
        if need.like:
            return np.asarray(own == self._value(need.like))
        if need.unlike:
            return np.asarray(own != self._value(need.unlike))
        ones = [n for n in range(self._table.count + 2) if need.mask >> n & 1]
        if len(ones) == 1 and ones[0] <= self._table.count:
            return np.asarray(own == ones[0])
        every = self._table.count + 2
        if len(ones) == every - 1 and need.mask >> (every - 1) & 1:
            return np.asarray(own != next(n for n in range(every) if n not in ones))
        lut = np.array([need.mask >> min(n, every - 1) & 1 for n in range(256)], np.bool_)
        return np.asarray(lut[own])

    def some(self) -> Bits:
        """Give the cells that show any terrain at all."""
        if "some" not in self._made:
            places = base_places(self._table.kind)
            shown = self._value(places[0]) != 0
            if self._table.kind is not SetKind.RING:
                for place in places[1:]:
                    shown = shown | (self._value(place) != 0)
            self._made["some"] = _packed(np.asarray(shown))
        return self._made["some"]

    def chance(self, rule: NeighbourRule) -> list[Bits]:
        """Give the cells that a rule's chance and its rows and columns leave to it."""
        out = []
        rows, cols = self._window.rows, self._window.cols
        if rule.chance < 1:
            key = ("chance", rule.number)
            if key not in self._made:
                self._made[key] = _packed(taken_by_chance(rule, rows, cols, self._seed,
                                                          self._layer))  # fmt: skip
            out.append(self._made[key])
        if rule.every[:2] != (1, 1):
            key = ("every", rule.number)
            if key not in self._made:
                self._made[key] = _packed(on_its_rows(rule, rows, cols))
            out.append(self._made[key])
        return out


def taken_by_chance(
    rule: NeighbourRule, rows: NDArray[Any], cols: NDArray[Any], seed: int, layer: int
) -> NDArray[np.bool_]:
    """Draw which cells a rule's chance leaves to it: (h, w), counted by seed, layer and cell."""
    numbers = cell_numbers(rows, cols, mix_one(seed, 7, rule.number), layer) >> np.uint32(8)
    return np.asarray(numbers < rule.chance * (1 << 24))


def on_its_rows(rule: NeighbourRule, rows: NDArray[Any], cols: NDArray[Any]) -> NDArray[np.bool_]:
    """Tell which cells stand on the rows and columns that a rule is for: (h, w)."""
    down, across, top, left = rule.every
    return np.asarray(((rows - top) % down == 0)[:, None] & ((cols - left) % across == 0)[None, :])


def _packed_forms(table: RuleTable, window: Window, seed: int, layer: int) -> NDArray[np.int16]:
    planes = _Planes(table, window, seed, layer)
    size = window.shape[0] * window.shape[1]
    left = _packed(np.ones(window.shape, np.bool_))
    digits = [np.zeros_like(left) for _ in range(len(table.forms).bit_length())]
    hit = np.empty_like(left)
    for number in range(1, len(table.forms) + 1):
        np.copyto(hit, left)
        for bits in _bits_of(table, number - 1, planes):
            hit &= bits
        if not hit.any():
            continue
        left ^= hit
        for n, digit in enumerate(digits):
            if number >> n & 1:
                digit |= hit
        if not left.any():
            break
    out = np.zeros(size, np.int16)
    for n, digit in enumerate(digits):
        ones = np.unpackbits(digit.view(np.uint8), count=size)
        out |= ones.astype(np.int16) << np.int16(n)
    return out.reshape(window.shape)


def _bits_of(table: RuleTable, number: int, planes: _Planes) -> list[Bits]:
    form, out = table.forms[number], planes.of(number)
    if not form.on_nothing:
        out.append(planes.some())
    return out + planes.chance(table.rules[form.rule])


def apply_rules(
    table: RuleTable, window: Window, marked: Cells, seed: int, layer: int, gap: int
) -> Cells:
    """Lay the tiles of rules over those that marks give.

    Parameters
    ----------
    marked : (h, w) what the marks give, changed in place where they come before the rules or
        nothing fits
    gap : the number that stands for “no tile fits”

    Returns
    -------
    (h, w) int32, `marked` itself
    """
    forms = forms_in(table, window, seed, layer)
    ruled = cells_of_forms(table, forms, window, seed, layer)
    takes = ruled != LEAVE
    if not table.first:
        takes &= marked == gap
    marked[takes] = ruled[takes]
    if table.default:
        marked[(marked == gap) & ~takes] = table.default
    return marked


def cells_of_forms(
    table: RuleTable, forms: NDArray[np.int16], window: Window, seed: int, layer: int
) -> Cells:
    """Draw the tile that each form gives: (h, w), `LEAVE` where no rule takes the cell."""
    numbers = cell_numbers(window.rows, window.cols, seed, layer)
    places = np.take(table.starts, forms)
    places += (numbers >> np.uint32(24)).view(np.int32)
    cells: Cells = np.take(table.slots, places)
    for number, patch in table.patches.items():
        rows, cols = np.nonzero(forms == number)
        down = window.rows[rows] % patch.shape[0]
        cells[rows, cols] = patch[down, window.cols[cols] % patch.shape[1]]
    for number, slots in table.mixes.items():
        hit = forms == number
        cells[hit] = slots[numbers[hit] >> np.uint32(16)]
    for number, each in table.falls.items():
        hit = forms == number
        if hit.any():
            chosen = fall_cells(
                each.weights, each.fall, window.rows, window.cols, seed, layer, window.torus,
                own=each.own,
            )  # fmt: skip
            cells[hit] = each.values[chosen[hit]]
    return cells
