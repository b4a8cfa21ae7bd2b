"""A run of rewrite rules: what matches where, and which match wins where several want a cell."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from hashlib import sha256
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.hashing import column_numbers, mix_one, row_numbers
from knitground.core.base.window import Box
from knitground.core.model.layers import Cells
from knitground.core.model.rules import (
    Ask,
    AskKind,
    NeighbourRule,
    RewriteRule,
)
from knitground.core.rules.board import Board, Plane
from knitground.core.rules.rewritetable import MOST_ROUNDS, Look, RewriteTable
from knitground.core.rules.table import LEAVE

Packed = NDArray[np.uint8]
"""(rows, columns / 8): a bit for each cell of a window."""

DONE, CHANCE, EARLIER, OVERLAP = range(4)
"""What became of a place where a rule's block was found: it was replaced, or what kept it."""


@dataclass(eq=False)
class Rewritten:
    """What a run wrote in a box, and where each rule's block was found.

    Parameters
    ----------
    cells : (h, w) int32 for each output layer: places of the legend, `LEAVE` where nothing is
        written
    found : rows, columns, and what became of them, by rule number; of the last pass that found any
    passes : how many passes changed anything
    loops : whether it came back to an earlier state instead of coming to rest
    """

    cells: dict[str, Cells]
    found: dict[int, tuple[NDArray[np.intp], NDArray[np.intp], NDArray[np.int8]]]
    passes: int = 0
    loops: bool = False


def rewrite_state(written: dict[str, Cells]) -> bytes:
    """Give what was written in short, to tell whether it was there before."""
    whole = sha256()
    for name in sorted(written):
        whole.update(written[name].tobytes())
    return whole.digest()


class RewriteRun:
    """The layers in a window, as the passes so far have left them."""

    def __init__(self, table: RewriteTable, board: Board, wide: Box, seed: int) -> None:
        self.table, self.board, self.wide, self.seed = table, board, wide, seed
        self.off = board.off(wide)
        self.shape = (wide.height, wide.width)
        self.read = {name: self._start(name) for name in {*table.inputs, *table.outputs}}
        self.written = {name: np.full(self.shape, LEAVE, np.int32) for name in table.outputs}
        self.found: dict[int, tuple[NDArray[np.intp], NDArray[np.intp], NDArray[np.int8]]] = {}

    def _start(self, name: str) -> Cells | None:
        layer = self.board.layer(name) if name or self.board.source is not None else None
        if layer is None or not layer.holds_tiles:
            return None
        return self.board.cells(name, self.wide)

    def seen_at(
        self, rows: NDArray[np.intp], cols: NDArray[np.intp]
    ) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
        """Give the rows and columns of the map that cells of the window show."""
        rows, cols = rows + self.wide.top, cols + self.wide.left
        return self.board.map.lattice.seen_at(rows, cols) if self.board.map.wrap else (rows, cols)

    def state(self) -> bytes:
        """Digest what has been written."""
        return rewrite_state(self.written)

    def once(self, number: int) -> bool:
        """Make one pass; returns whether it changed anything."""
        seed = mix_one(self.seed, number) if number else self.seed
        matches = self._matches(seed)
        kept, states = self._resolve(matches)
        self._note(matches, states)
        changed = False
        for name, new in kept.items():
            hit = new != LEAVE
            before = self.read.get(name)
            differs = hit & (new != (before if before is not None else self.written[name]))
            changed |= bool(differs.any())
            self.written[name][hit] = new[hit]
            if before is not None:
                before[hit] = new[hit]
        return changed

    def _planes(self) -> dict[object, Plane]:
        """Tell for all that is asked of each layer where it fits."""
        looks = {_key(look): look for block in self.table.blocks for look in block.looks}
        out: dict[object, Plane] = {}
        by_layer: dict[str, dict[object, Ask]] = {}
        for key, look in looks.items():
            if look.ask.kind is AskKind.TERRAIN:
                out[key] = self.board.terrain_fits(look.layer, look.ask, self.wide)
            elif look.ask.kind is AskKind.OFF:
                out[key] = self.off
            else:
                by_layer.setdefault(look.layer, {})[key] = look.ask
        for layer, asks in by_layer.items():
            cells = self.read.get(layer)
            if cells is None:
                out |= dict.fromkeys(asks, np.zeros(self.shape, np.bool_))
            else:
                fits = self.board.tiles_fit(list(asks.values()), cells, self.off)
                out |= dict(zip(asks, fits))
        return {key: ~out[key] if look.denied else out[key] for key, look in looks.items()}

    def _matches(self, seed: int) -> _Matches:
        """Find where each block fits; anchors stand on the map."""
        planes = self._planes()
        packed: dict[tuple[object, int], Packed] = {}
        parts = []
        for n, block in enumerate(self.table.blocks):
            looks = []
            for look in block.looks:
                key = _key(look)
                if (key, look.across) not in packed:
                    packed[key, look.across] = _packed(planes[key], look.across)
                looks.append((look.down, packed[key, look.across]))
            rows, cols = _places_where(looks)
            on_map = ~self.off[rows, cols]
            rows, cols = rows[on_map], cols[on_map]
            rule = self.table.rules[block.rule]
            if isinstance(rule, NeighbourRule) and rule.every[:2] != (1, 1):
                down, across, top, left = rule.every
                at = self.seen_at(rows, cols)
                here = ((at[0] - top) % down == 0) & ((at[1] - left) % across == 0)
                rows, cols = rows[here], cols[here]
            parts.append((np.full(len(rows), n, np.intp), rows, cols))
        blocks = np.concatenate([part[0] for part in parts] or [np.zeros(0, np.intp)])
        rows = np.concatenate([part[1] for part in parts] or [np.zeros(0, np.intp)])
        cols = np.concatenate([part[2] for part in parts] or [np.zeros(0, np.intp)])
        return _Matches(self, blocks, rows, cols, seed)

    def _resolve(self, m: _Matches) -> tuple[dict[str, Cells], NDArray[np.int8]]:
        """Decide which matches are replaced; returns what is written, and each match's state."""
        states = np.full(len(m.rows), OVERLAP, np.int8)
        states[~m.drawn] = CHANCE
        owner = _Owners(self.shape, len(self.table.outputs))
        live = np.flatnonzero(m.drawn)
        done = live[m.overlap[live]]
        states[done] = DONE
        apart = live[~m.overlap[live]]
        taken = _Owners(self.shape, len(self.table.outputs))
        for nth in range(MOST_ROUNDS):
            if not len(apart):
                break
            owner.clear()
            owner.claim(m, np.concatenate([done, apart]) if nth == 0 else apart)
            wins = owner.owns_all(m, apart)
            states[apart[wins]] = DONE
            # What won shares no cell with what was taken before.
            taken.claim(m, np.concatenate([done, apart[wins]]) if nth == 0 else apart[wins])
            apart = apart[~wins]
            free = taken.is_free_for(m, apart)
            states[apart[~free]] = np.where(
                taken.by_earlier(m, apart[~free]), EARLIER, OVERLAP
            ).astype(np.int8)
            apart = apart[free]
        final = np.flatnonzero(states == DONE)
        if len(done):
            # A place that may overlap and of whose cells others took every one did nothing.
            owner.clear()
            owner.claim(m, final)
            lost = done[~owner.owns_any(m, done)]
            states[lost] = np.where(owner.by_earlier(m, lost), EARLIER, OVERLAP).astype(np.int8)
        return m.written(final, self.table.outputs), states

    def _note(self, m: _Matches, states: NDArray[np.int8]) -> None:
        if not len(m.rows):
            return
        for number in {self.table.rules[b.rule].number for b in self.table.blocks}:
            self.found.setdefault(number, (m.rows[:0], m.cols[:0], states[:0]))
        for place in np.unique(m.rule):
            hit = m.rule == place
            number = self.table.rules[int(place)].number
            self.found[number] = (m.rows[hit], m.cols[hit], states[hit])

    def result(self, box: Box, done: int, loops: bool) -> Rewritten:
        """Give what was written in a box, and what each rule found there."""
        top, left = box.top - self.wide.top, box.left - self.wide.left
        part = (slice(top, top + box.height), slice(left, left + box.width))
        found = {}
        map_ = self.board.map
        there = map_.lattice.part(box) if map_.wrap else None
        for number, (rows, cols, states) in self.found.items():
            rows, cols = rows - top, cols - left
            inside = (rows >= 0) & (rows < box.height) & (cols >= 0) & (cols < box.width)
            if there is not None:
                inside[inside] = there[rows[inside], cols[inside]]
            found[number] = (rows[inside] + box.top, cols[inside] + box.left, states[inside])
        cells = {name: each[part].copy() for name, each in self.written.items()}
        if there is not None:  # what is seen of copies is no more than that
            for each in cells.values():
                each[~there] = LEAVE
        return Rewritten(cells, found, done, loops)


def _key(look: Look) -> object:
    """What a look asks of its layer: which tiles fit counts, not the order of their names."""
    ask = look.ask
    return look.layer, ask.kind, ask.name, frozenset(ask.tiles), ask.any_turn, look.denied


def _packed(plane: Plane, across: int) -> Packed:
    """Give for each cell what lies so many columns right of it, eight to a byte."""
    moved = plane
    if across:
        moved = np.zeros_like(plane)  # beyond the window nothing fits
        if across > 0:
            moved[:, :-across] = plane[:, across:]
        else:
            moved[:, -across:] = plane[:, :across]
    return np.packbits(moved, axis=1)


def _places_where(
    looks: Sequence[tuple[int, Packed]],
) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Find the anchors at which all looks hold; those whose block leaves the window are not.

    Parameters
    ----------
    looks : how many rows further down each looks, and what `_packed` gives for it
    """
    up = max(0, *(-down for down, _ in looks), 0)
    height = len(looks[0][1]) - up - max(0, *(down for down, _ in looks), 0)
    if height <= 0:
        none = np.zeros(0, np.intp)
        return none, none
    first, *rest = (plane[up + down : up + down + height] for down, plane in looks)
    hits = first.copy()
    for each in rest:
        hits &= each
    at = np.flatnonzero(hits)
    which, bits = np.nonzero(np.unpackbits(hits.ravel()[at][:, None], axis=1))
    rows, cols = np.divmod(at[which], hits.shape[1])
    return rows + up, cols * 8 + bits


class _Matches:
    """All places where blocks were found, with their order and what they write."""

    def __init__(
        self,
        run: RewriteRun,
        blocks: NDArray[np.intp],
        rows: NDArray[np.intp],
        cols: NDArray[np.intp],
        seed: int,
    ) -> None:
        table = run.table
        self.run, self.blocks, self.rows, self.cols = run, blocks, rows, cols
        rule_of = np.array([block.rule for block in table.blocks] or [0], np.intp)
        self.rule = rule_of[blocks]
        numbers = _numbers_at(run, rows, cols, seed)
        self.key = (self.rule.astype(np.uint64) << np.uint64(48)) | (
            numbers.astype(np.uint64) << np.uint64(16)
        )
        # Of ways that fit one place the first one counts.
        self.key |= np.minimum(blocks, 65_535).astype(np.uint64)
        self.numbers = numbers
        chances = np.array([rule.chance for rule in table.rules] or [1.0])
        lots = np.ones(len(rows), np.bool_)
        for place in np.flatnonzero(chances < 1):
            hit = self.rule == place
            number = table.rules[int(place)].number
            drawn = _numbers_at(run, rows[hit], cols[hit], mix_one(seed, 7, number))
            lots[hit] = (drawn >> np.uint32(8)) < chances[place] * (1 << 24)
        self.drawn = lots
        apart = [isinstance(r, RewriteRule) and not r.overlap for r in table.rules] or [False]
        self.overlap = ~np.array(apart)[self.rule]

    def cells_of(self, which: NDArray[np.intp]) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
        """Give the cells that matches write, (match, cell number); those off the window apart."""
        owners, cells = [], []
        height, width = self.run.shape
        for n, block in enumerate(self.run.table.blocks):
            mine = which[self.blocks[which] == n]
            if not len(mine):
                continue
            for down, across, layer in block.writes:
                rows, cols = self.rows[mine] + down, self.cols[mine] + across
                inside = (rows >= 0) & (rows < height) & (cols >= 0) & (cols < width)
                owners.append(mine[inside])
                cells.append(((layer * height + rows) * width + cols)[inside])
        if not owners:
            none = np.zeros(0, np.intp)
            return none, none
        return np.concatenate(owners), np.concatenate(cells)

    def written(self, which: NDArray[np.intp], outputs: Sequence[str]) -> dict[str, Cells]:
        """Write matches, those with the smaller key over the others."""
        height, width = self.run.shape
        out = np.full((len(outputs), height, width), LEAVE, np.int32)
        order = which[np.argsort(self.key[which], kind="stable")[::-1]]
        keys, cells, values = [], [], []
        for n, block in enumerate(self.run.table.blocks):
            mine = order[self.blocks[order] == n]
            if not len(mine):
                continue
            outcome = block.outcome_of[(self.numbers[mine] >> np.uint32(24)).astype(np.intp)]
            for spot, (down, across, layer) in enumerate(block.writes):
                rows, cols = self.rows[mine] + down, self.cols[mine] + across
                inside = (rows >= 0) & (rows < height) & (cols >= 0) & (cols < width)
                value = block.values[outcome, spot]
                if block.patch is not None:
                    where = self.run.seen_at(rows, cols)
                    shape = block.patch.shape
                    value = block.patch[where[0] % shape[0], where[1] % shape[1]]
                keys.append(self.key[mine][inside])
                cells.append(((layer * height + rows) * width + cols)[inside])
                values.append(value[inside])
        if keys:
            key, cell, value = (np.concatenate(each) for each in (keys, cells, values))
            at = np.argsort(key, kind="stable")[::-1]
            out.ravel()[cell[at]] = value[at]
        return {name: out[n] for n, name in enumerate(outputs)}


def _numbers_at(
    run: RewriteRun, rows: NDArray[np.intp], cols: NDArray[np.intp], seed: int
) -> NDArray[np.uint32]:
    """Give the numbers of single cells: (n,)."""
    rows, cols = run.seen_at(rows, cols)
    out = row_numbers(rows, seed, 11) ^ column_numbers(cols, seed, 11)
    out *= np.uint32(0x9E3779B1)
    out ^= out >> np.uint32(15)
    out *= np.uint32(0x85EBCA6B)
    return np.asarray(out)


_FREE = np.uint64(0xFFFF_FFFF_FFFF_FFFF)


class _Owners:
    """The smallest key that claims each cell of each output layer."""

    def __init__(self, shape: tuple[int, int], layers: int) -> None:
        self.keys = np.full(layers * shape[0] * shape[1], _FREE, np.uint64)
        self._touched: list[NDArray[Any]] = []

    def clear(self) -> None:
        for cells in self._touched:
            self.keys[cells] = _FREE
        self._touched.clear()

    def claim(self, m: _Matches, which: NDArray[np.intp]) -> None:
        owners, cells = m.cells_of(which)
        keys = m.key[owners]
        order = np.argsort(keys, kind="stable")[::-1]
        self.keys[cells[order]] = keys[order]
        self._touched.append(cells)

    def owns_all(self, m: _Matches, which: NDArray[np.intp]) -> NDArray[np.bool_]:
        owners, cells = m.cells_of(which)
        lost = self.keys[cells] != m.key[owners]
        out = np.ones(len(m.rows), np.bool_)
        out[owners[lost]] = False
        return out[which]

    def owns_any(self, m: _Matches, which: NDArray[np.intp]) -> NDArray[np.bool_]:
        """Tell which matches have a cell that is theirs, or write none at all."""
        owners, cells = m.cells_of(which)
        out = np.ones(len(m.rows), np.bool_)
        out[owners] = False
        out[owners[self.keys[cells] == m.key[owners]]] = True
        return out[which]

    def is_free_for(self, m: _Matches, which: NDArray[np.intp]) -> NDArray[np.bool_]:
        owners, cells = m.cells_of(which)
        out = np.ones(len(m.rows), np.bool_)
        out[owners[self.keys[cells] != _FREE]] = False
        return out[which]

    def by_earlier(self, m: _Matches, which: NDArray[np.intp]) -> NDArray[np.bool_]:
        """Tell which matches lost a cell to an earlier rule, not to another place of their own."""
        owners, cells = m.cells_of(which)
        rule = self.keys[cells] >> np.uint64(48)
        hit = (self.keys[cells] != _FREE) & (rule < m.rule[owners].astype(np.uint64))
        out = np.zeros(len(m.rows), np.bool_)
        out[owners[hit]] = True
        return out[which]
