"""Rewrite rules compiled: what each reads and writes, as arrays."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.chance.draw import slot_counts
from knitground.core.model.layers import GAP
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
from knitground.core.rules.board import Board
from knitground.core.rules.places import (
    fits_kind,
    stencil_ways,
    turned_block,
    turned_laid,
)
from knitground.core.rules.table import LEAVE, Stock

MOST_ROUNDS = 3

_OUTCOME_SLOTS = 256


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
    reach = spread + sight + 2 * spread * MOST_ROUNDS
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
        raise EditError(say("it looks for nothing: draw the block that it is to find"))
    if not any(each.cells and each.weight > 0 for each in rule.outcomes):
        raise EditError(say("it writes nothing: draw what it is to lay"))
    seen: set[tuple[int, int, str]] = set()
    for row, col, layer, ask in rule.block:
        if (row, col, layer) in seen:
            raise EditError(
                say("cell ({row}, {col}) of the block is asked twice: clear one", row=row, col=col)
            )
        seen.add((row, col, layer))
        if ask.kind in (AskKind.SAME, AskKind.OTHER):
            raise EditError(
                say("“same” and “other” are for neighbour rules: ask for tiles or a tag")
            )
        board.check(layer, ask)
    for outcome in rule.outcomes:
        for cell in outcome.cells:
            if cell.layer and not board.layer(cell.layer).holds_tiles:
                raise EditError(
                    say("“{layer}” holds no tiles: write on another layer", layer=cell.layer)
                )
            if cell.tile is not None and not stock.has(cell.tile):
                raise EditError(
                    say(
                        "its tile of “{tileset}” is gone: choose another", tileset=cell.tile.tileset
                    )
                )


def _neighbour_blocks(rule: NeighbourRule, index: int, board: Board, stock: Stock) -> list[Block]:
    for y, x, _ in rule.stencil:
        if not fits_kind(None, (y, x)):
            raise EditError(
                say("place ({y}, {x}) is outside the stencil of tiles: clear it", y=y, x=x)
            )
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
        raise EditError(say("its own cell is to be same and other at once: clear the middle"))


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
            raise EditError(say("its mix “{mix}” is gone: choose another result", mix=result.mix))
        entries = mix.entries
    there = [each for each in entries if each.weight > 0 and stock.has(each.tile)]
    if not there:
        raise EditError(say("it has no tile that is there: give it one, or “leave as it is”"))
    there = there[:_OUTCOME_SLOTS]
    places = [[stock.place(turn_tile(each.tile, by))] for each in there]
    return np.array(places, np.int32), [each.weight for each in there], None


def _patch_places(patch: Patch | None, by: int, stock: Stock) -> NDArray[np.int32]:
    if patch is None or not any(tile for line in patch.rows for tile in line):
        raise EditError(say("its patch has no tile: give it another result"))
    rows = patch.turned(by).rows
    places = [[stock.place(tile) if tile and stock.has(tile) else LEAVE for tile in line]
              for line in rows]  # fmt: skip
    return np.array(places, np.int32)
