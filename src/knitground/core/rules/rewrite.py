"""Rewriting: blocks of cells found on some layers, replaced by other blocks.

One pass reads the map as it was before it. Where blocks would write the same cells, the earlier
rule has them, and of one rule's places the one whose anchor has the smaller number of the counted
hash. Rules “without overlap” write a block whole or not at all: those that own all their cells are
taken, the rest tries again on what is left, three rounds in all. So what a cell becomes depends on
no more than a bounded surrounding, and a part gives what the whole gives.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from hashlib import sha256
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import EditError
from knitground.core.base.hashing import column_numbers, mix_one, row_numbers
from knitground.core.base.window import Box
from knitground.core.chance.draw import slot_counts
from knitground.core.model.layers import GAP, Cells
from knitground.core.model.mix import MixEntry
from knitground.core.model.patch import Patch, turn_tile
from knitground.core.model.rules import (
    OTHER,
    SAME,
    Ask,
    AskKind,
    NeighbourRule,
    ResultKind,
    RewriteRule,
    Rule,
    RuleList,
    Spot,
)
from knitground.core.rules.board import Board, Plane
from knitground.core.rules.places import (
    fits_kind,
    stencil_ways,
    turned_block,
    turned_laid,
)
from knitground.core.rules.table import LEAVE, Stock

_ROUNDS = 3
_OUTCOME_SLOTS = 256
_CHUNK_CELLS = 1 << 18
DONE, CHANCE, EARLIER, OVERLAP = range(4)
"""What became of a place where a rule's block was found: it was replaced, or what kept it."""


@dataclass(frozen=True)
class Look:
    """One cell of a block: where, on which layer, and what is asked; `denied`: what must not be."""

    down: int
    across: int
    layer: str
    ask: Ask
    denied: bool = False


@dataclass(frozen=True, eq=False)
class Block:
    """A rule in one of its ways.

    Parameters
    ----------
    rule : place of the rule in the list
    looks : what is looked for
    writes : (down, across, number of the output layer)
    values : (outcomes, writes) int32 places of the legend, 0 to empty, `LEAVE` to leave
    outcome_of : (256,) which outcome each draw gives
    patch : places laid in order by position instead of `values`
    """

    rule: int
    looks: tuple[Look, ...]
    writes: tuple[tuple[int, int, int], ...]
    values: NDArray[np.int32]
    outcome_of: NDArray[np.int32]
    patch: NDArray[np.int32] | None = None


@dataclass(frozen=True, eq=False)
class RewriteTable:
    """All that rewriting looks up. `outputs` names the layers that are written, “” the list's own.

    `reach` is how many cells away from a changed one another can become different in one pass;
    `problems` says, by rule number, why a rule can not be used.
    """

    rules: tuple[Rule, ...]
    blocks: tuple[Block, ...]
    outputs: tuple[str, ...]
    reach: int
    problems: dict[int, str] = field(default_factory=dict)

    @property
    def inputs(self) -> tuple[str, ...]:
        """Names of the layers that are read, “” the list's own source."""
        return tuple(sorted({look.layer for block in self.blocks for look in block.looks}))


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


# Compiling


def compile_rewrite(listed: RuleList, board: Board, stock: Stock) -> RewriteTable:
    """Compile rules of tiles, neighbour rules among them, for a map. What can not be used is told.

    Parameters
    ----------
    listed : the rules, in order
    board : the map's layers, where tags and terrains are looked up too
    stock : where results are looked up
    """
    rules: list[Rule] = []
    blocks: list[Block] = []
    outputs: list[str] = [""]
    problems: dict[int, str] = {}
    for rule in listed.rules:
        try:
            made = _blocks_of(rule, len(rules), board, stock, outputs)
        except EditError as error:
            problems[rule.number] = str(error)
            continue
        rules.append(rule)
        if rule.on:
            blocks += made
    sight = max((max(abs(look.down), abs(look.across)) for b in blocks for look in b.looks),
                default=0)  # fmt: skip
    spread = max((max(abs(w[0]), abs(w[1])) for b in blocks for w in b.writes), default=0)
    reach = spread + sight + 2 * spread * _ROUNDS
    return RewriteTable(tuple(rules), tuple(blocks), tuple(outputs), reach, problems)


def _blocks_of(
    rule: Rule, index: int, board: Board, stock: Stock, outputs: list[str]
) -> list[Block]:
    if isinstance(rule, NeighbourRule):
        return _neighbour_blocks(rule, index, board, stock)
    return _rewrite_blocks(rule, index, board, stock, outputs)


def _rewrite_blocks(
    rule: RewriteRule, index: int, board: Board, stock: Stock, outputs: list[str]
) -> list[Block]:
    _check_rewrite(rule, board, stock)
    seen: set[object] = set()
    out: list[Block] = []
    for turn in rule.ways.turns:
        block = turned_block(rule.block, turn, turns_tiles=rule.turns_tiles)
        looks = tuple(Look(each.row, each.col, each.layer, each.ask) for each in block)
        laid = [turned_laid(each.cells, turn, turns_tiles=rule.turns_tiles)
                for each in rule.outcomes]  # fmt: skip
        if (frozenset(looks), tuple(laid)) in seen:
            continue
        seen.add((frozenset(looks), tuple(laid)))
        spots: dict[tuple[int, int, int], None] = {}
        for cells in laid:
            for cell in cells:
                if cell.layer not in outputs:
                    outputs.append(cell.layer)
                spots[cell.row, cell.col, outputs.index(cell.layer)] = None
        writes = tuple(spots)
        values = np.full((len(laid), len(writes)), LEAVE, np.int32)
        for n, cells in enumerate(laid):
            for cell in cells:
                at = writes.index((cell.row, cell.col, outputs.index(cell.layer)))
                values[n, at] = 0 if cell.tile is None else stock.place(cell.tile)
        weights = [each.weight for each in rule.outcomes]
        out.append(Block(index, looks, writes, values, _draws(weights)))
    return out


def _draws(weights: Sequence[float]) -> NDArray[np.int32]:
    counts = slot_counts(weights, _OUTCOME_SLOTS)
    return np.repeat(np.arange(len(weights), dtype=np.int32), counts)


def _check_rewrite(rule: RewriteRule, board: Board, stock: Stock) -> None:
    if not rule.block:
        raise EditError("it looks for nothing: draw the block that it is to find")
    if not any(each.cells and each.weight > 0 for each in rule.outcomes):
        raise EditError("it writes nothing: draw what it is to lay")
    seen: set[tuple[int, int, str]] = set()
    for row, col, layer, ask in rule.block:
        if (row, col, layer) in seen:
            raise EditError(f"cell ({row}, {col}) of the block is asked twice: clear one")
        seen.add((row, col, layer))
        if ask.kind in (AskKind.SAME, AskKind.OTHER):
            raise EditError("“same” and “other” are for neighbour rules: ask for tiles or a tag")
        board.check(layer, ask)
    for outcome in rule.outcomes:
        for cell in outcome.cells:
            if cell.layer and not board.layer(cell.layer).holds_tiles:
                raise EditError(f"“{cell.layer}” holds no tiles: write on another layer")
            if cell.tile is not None and not stock.has(cell.tile):
                raise EditError(f"its tile of “{cell.tile.tileset}” is gone: choose another")


def _neighbour_blocks(rule: NeighbourRule, index: int, board: Board, stock: Stock) -> list[Block]:
    for y, x, _ in rule.stencil:
        if not fits_kind(None, (y, x)):
            raise EditError(f"place ({y}, {x}) is outside the stencil of tiles: clear it")
    if rule.subject is not None:
        board.check("", rule.subject)
    subject = rule.subject or SAME
    out = []
    for turn, spots in stencil_ways(rule):
        looks = [Look(0, 0, "", subject), *(_look(spot, subject) for spot in spots)]
        for look in looks:
            board.check("", look.ask)
        _check_looks(looks)
        values, weights, patch = _results(rule, turn, stock)
        out.append(Block(index, tuple(looks), ((0, 0, 0),), values, _draws(weights), patch))
    return out


def _look(spot: Spot, subject: Ask) -> Look:
    down, across = (spot.y - 1) // 2, (spot.x - 1) // 2
    if spot.ask == SAME:
        return Look(down, across, "", subject)
    if spot.ask == OTHER:
        return Look(down, across, "", subject, denied=True)
    return Look(down, across, "", spot.ask)


def _check_looks(looks: Sequence[Look]) -> None:
    own = {(look.ask, look.denied) for look in looks if not look.down and not look.across}
    if any((ask, not denied) in own for ask, denied in own):
        raise EditError("its own cell is to be same and other at once: clear the middle")


def _results(
    rule: NeighbourRule, turn: int, stock: Stock
) -> tuple[NDArray[np.int32], list[float], NDArray[np.int32] | None]:
    result, by = rule.result, turn if rule.turns_result else 0
    if result.kind in (ResultKind.LEAVE, ResultKind.GAP):
        value = LEAVE if result.kind is ResultKind.LEAVE else GAP
        return np.full((1, 1), value, np.int32), [1.0], None
    if result.kind is ResultKind.PATCH:
        patch = _patch_places(result.patch, by, stock)
        return np.full((1, 1), LEAVE, np.int32), [1.0], patch
    entries: Sequence[MixEntry] = result.tiles
    if result.kind is ResultKind.MIX:
        mix = stock.mix(result.mix)
        if mix is None:
            raise EditError(f"its mix “{result.mix}” is gone: choose another result")
        entries = mix.entries
    there = [each for each in entries if each.weight > 0 and stock.has(each.tile)]
    if not there:
        raise EditError("it has no tile that is there: give it one, or “leave as it is”")
    there = there[:_OUTCOME_SLOTS]
    places = [[stock.place(turn_tile(each.tile, by))] for each in there]
    return np.array(places, np.int32), [each.weight for each in there], None


def _patch_places(patch: Patch | None, by: int, stock: Stock) -> NDArray[np.int32]:
    if patch is None or not any(tile for line in patch.rows for tile in line):
        raise EditError("its patch has no tile: give it another result")
    rows = patch.turned(by).rows
    places = [[stock.place(tile) if tile and stock.has(tile) else LEAVE for tile in line]
              for line in rows]  # fmt: skip
    return np.array(places, np.int32)


# Running


def apply_rewrite(
    table: RewriteTable, board: Board, box: Box, seed: int = 1, passes: int = 1
) -> Rewritten:
    """Rewrite a box of a map; nothing is changed but what is returned.

    Parameters
    ----------
    table, board : compiled for the map, and its layers
    box : cells; on a map that wraps it may reach over the border
    seed : for chance, choice and order
    passes : how often at most; each pass reads what the one before it wrote

    Returns
    -------
    what is written in the box. A part is what the same part of the whole is.

    """
    wide = box.grown(table.reach * passes)
    if not board.map.wrap:
        # Beyond the border nothing is found, and nothing written counts: one look further does.
        inside = Box(0, 0, board.map.height, board.map.width).grown(table.reach)
        wide = Box(max(wide.top, inside.top), max(wide.left, inside.left),
                   min(wide.bottom, inside.bottom), min(wide.right, inside.right))  # fmt: skip
    run = _Run(table, board, wide, seed)
    seen = {run.state()}
    done, loops = 0, False
    for number in range(passes):
        # All passes are made, calm or not: a part must not end sooner than the whole.
        changed = run.once(number)
        done += changed
        if passes > 1 and changed:
            state = run.state()
            loops |= state in seen
            seen.add(state)
    return run.result(box, done, loops)


def rewrite_until_calm(
    table: RewriteTable, board: Board, seed: int = 1, passes: int = 256
) -> Rewritten:
    """Rewrite the whole of a map again and again, until a pass changes nothing.

    It is what `apply_rewrite` gives with as many passes, but each pass looks over the map's borders
    afresh, so that very many of them need no more room than one.
    """
    map_ = board.map
    box = Box(0, 0, map_.height, map_.width)
    written = {name: np.full((map_.height, map_.width), LEAVE, np.int32) for name in table.outputs}
    seen = {_state(written)}
    found: dict[int, tuple[NDArray[np.intp], NDArray[np.intp], NDArray[np.int8]]] = {}
    now = board
    for number in range(passes):
        done = apply_rewrite(table, now, box, mix_one(seed, number) if number else seed)
        found |= {n: each for n, each in done.found.items() if len(each[0]) or n not in found}
        changed = False
        cells: dict[int, Cells] = {}
        for name, new in done.cells.items():
            hit = new != LEAVE
            before = now.cells(name, box)
            changed |= bool((hit & (new != before)).any())
            written[name][hit] = new[hit]
            cells[now.layer(name).number] = np.where(hit, new, before)
        if not changed:
            return Rewritten(written, found, number)
        now = board.with_cells(cells)
        state = _state(written)
        if state in seen:
            return Rewritten(written, found, number + 1, loops=True)
        seen.add(state)
    return Rewritten(written, found, passes)


def _state(written: dict[str, Cells]) -> bytes:
    """Give what was written in short, to tell whether it was there before."""
    whole = sha256()
    for name in sorted(written):
        whole.update(written[name].tobytes())
    return whole.digest()


class _Run:
    """The layers in a window, as the passes so far have left them."""

    def __init__(self, table: RewriteTable, board: Board, wide: Box, seed: int) -> None:
        self.table, self.board, self.wide, self.seed = table, board, wide, seed
        self.off = board.off(wide)
        self.shape = (wide.height, wide.width)
        self.read = {name: self._start(name) for name in {*table.inputs, *table.outputs}}
        self.written = {name: np.full(self.shape, LEAVE, np.int32) for name in table.outputs}
        self.found: dict[int, tuple[NDArray[np.intp], NDArray[np.intp], NDArray[np.int8]]] = {}
        self.rows = np.arange(wide.top, wide.bottom)
        self.cols = np.arange(wide.left, wide.right)
        if board.map.wrap:
            self.rows, self.cols = self.rows % board.map.height, self.cols % board.map.width

    def _start(self, name: str) -> Cells | None:
        layer = self.board.layer(name) if name or self.board.source is not None else None
        if layer is None or not layer.holds_tiles:
            return None
        return self.board.cells(name, self.wide)

    def state(self) -> bytes:
        return _state(self.written)

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
        parts = []
        for n, block in enumerate(self.table.blocks):
            looks = [(look.down, look.across, planes[_key(look)]) for look in block.looks]
            rows, cols = _places_where(looks, self.shape)
            on_map = ~self.off[rows, cols]
            rows, cols = rows[on_map], cols[on_map]
            rule = self.table.rules[block.rule]
            if isinstance(rule, NeighbourRule) and rule.every[:2] != (1, 1):
                down, across, top, left = rule.every
                here = ((self.rows[rows] - top) % down == 0) & (
                    (self.cols[cols] - left) % across == 0
                )
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
        for turn in range(_ROUNDS):
            if not len(apart):
                break
            owner.clear()
            owner.claim(m, np.concatenate([done, apart]) if turn == 0 else apart)
            wins = owner.owns_all(m, apart)
            states[apart[wins]] = DONE
            # What won shares no cell with what was taken before.
            taken.claim(m, np.concatenate([done, apart[wins]]) if turn == 0 else apart[wins])
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
        top, left = box.top - self.wide.top, box.left - self.wide.left
        part = (slice(top, top + box.height), slice(left, left + box.width))
        found = {}
        for number, (rows, cols, states) in self.found.items():
            rows, cols = rows - top, cols - left
            inside = (rows >= 0) & (rows < box.height) & (cols >= 0) & (cols < box.width)
            found[number] = (rows[inside] + box.top, cols[inside] + box.left, states[inside])
        cells = {name: each[part].copy() for name, each in self.written.items()}
        return Rewritten(cells, found, done, loops)


def _key(look: Look) -> object:
    """What a look asks of its layer: which tiles fit counts, not the order of their names."""
    ask = look.ask
    return look.layer, ask.kind, ask.name, frozenset(ask.tiles), ask.any_turn, look.denied


def _places_where(
    looks: Sequence[tuple[int, int, Plane]], shape: tuple[int, int]
) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Find the anchors at which all looks hold; those whose block leaves the window are not."""
    height, width = shape
    up = max(0, *(-look[0] for look in looks), 0)
    down = max(0, *(look[0] for look in looks), 0)
    left = max(0, *(-look[1] for look in looks), 0)
    right = max(0, *(look[1] for look in looks), 0)
    high, wide = height - up - down, width - left - right
    if high <= 0 or wide <= 0:
        none = np.zeros(0, np.intp)
        return none, none
    found_rows, found_cols = [], []
    band = max(1, _CHUNK_CELLS // wide)
    for top in range(0, high, band):
        n = min(band, high - top)
        rows, cols = _in_band(looks, up + top, left, n, wide)
        found_rows.append(rows + up + top)
        found_cols.append(cols + left)
    return np.concatenate(found_rows), np.concatenate(found_cols)


def _in_band(
    looks: Sequence[tuple[int, int, Plane]], top: int, left: int, high: int, wide: int
) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    def part(down: int, across: int, plane: Plane) -> Plane:
        start = top + down
        return plane[start : start + high, left + across : left + across + wide]

    hits = part(*looks[0]).copy()
    rest = list(looks[1:])
    while rest:
        hits &= part(*rest.pop(0))
        if len(rest) > 1 and np.count_nonzero(hits) * 32 < hits.size:
            break  # few are left: look at those alone
    rows, cols = np.divmod(np.flatnonzero(hits), wide)
    for down, across, plane in rest:
        fits = plane[rows + top + down, cols + left + across]
        rows, cols = rows[fits], cols[fits]
    return rows, cols


class _Matches:
    """All places where blocks were found, with their order and what they write."""

    def __init__(
        self,
        run: _Run,
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
                    where = self.run.rows[rows % height], self.run.cols[cols % width]
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
    run: _Run, rows: NDArray[np.intp], cols: NDArray[np.intp], seed: int
) -> NDArray[np.uint32]:
    """Give the numbers of single cells: (n,)."""
    by_row = row_numbers(run.rows, seed, 11)
    by_col = column_numbers(run.cols, seed, 11)
    out = by_row[rows] ^ by_col[cols]
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
