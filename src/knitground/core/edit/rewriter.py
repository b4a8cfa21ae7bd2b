"""Keeps the cells of live rewritten layers up to date, where and when somebody looks at them.

What a rewrite step makes follows from other layers and the rules, as knitted cells follow from
terrain: it is worked out again where a change can reach, and is no step of the history.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from weakref import WeakKeyDictionary

import numpy as np

from knitground.core.base.errors import KnitError
from knitground.core.base.window import Box, index
from knitground.core.base.window import read as read_box
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.knitter import Knitter
from knitground.core.edit.stale import AT_ONCE, StaleBlocks
from knitground.core.grow.rewriting import LiveRules, live_rules
from knitground.core.model.layers import Cells, GroundLayer, GrownLayer, Layer
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.recipe import RewriteStep

Tried = tuple[GrownLayer, Box, Cells]
"""A live layer, a box, and the cells that it would show there."""
_ANEW = {
    What.LAYERS, What.KNITTING, What.MARKS, What.SLICING, What.ORDER, What.TILESETS, What.RULES,
    What.MIXES, What.RECIPE, What.SIZE, What.MAPS,
}  # fmt: skip
"""Changes after which steps are compiled again."""


class _Live:
    """A step that follows: its rules, and the blocks that are not as they should be."""

    def __init__(self, rules: LiveRules, map_: Map) -> None:
        self.rules = rules
        self.stale = StaleBlocks(map_.height, map_.width)


class Rewriter:
    """Live rewrite steps of all maps of a project."""

    def __init__(self, project: Project, knitter: Knitter) -> None:
        self._project, self._knitter = project, knitter
        self._lives: WeakKeyDictionary[Map, list[_Live]] = WeakKeyDictionary()
        self.problems: WeakKeyDictionary[Map, list[str]] = WeakKeyDictionary()
        """Why steps of a map can not run, in words."""

    def lives(self, map_: Map) -> list[LiveRules]:
        """Give the rewrite steps of a map that can run, in order."""
        return [live.rules for live in self._of(map_)]

    def rules_of(self, map_: Map, layer: Layer) -> LiveRules | None:
        """Give the step that makes a layer, if one does."""
        found = self._live_of(map_, layer)
        return found.rules if found else None

    def ensure(self, map_: Map, layer: GrownLayer, box: Box) -> None:
        """Bring the stale blocks of a layer that a box of cells touches up to date."""
        live = self._live_of(map_, layer)
        if live is None or not live.stale:
            return
        for piece in map_.lattice.pieces(box):
            for place in live.stale.within(piece):
                live.stale.bring(place, partial(self._lay, map_, live))

    def ensure_all(self, map_: Map) -> None:
        """Bring everything of a map up to date."""
        for live in self._of(map_):
            for place in live.stale.within(map_.lattice.whole):
                live.stale.bring(place, partial(self._lay, map_, live))

    def work_off(self, map_: Map, blocks: int = 16) -> bool:
        """Do a few stale blocks, for idle moments; returns whether any are left."""
        for live in self._of(map_):
            for place in live.stale.some(blocks):
                live.stale.bring(place, partial(self._lay, map_, live))
            if live.stale:
                return True
        return False

    def trial(self, map_: Map, layer: Layer, box: Box, cells: Cells) -> list[Tried]:
        """Give what live layers would show if other cells lay in a box of a layer.

        Returns
        -------
        for each live layer that would follow a box and its cells; none if the box is a large one
        """
        tried: list[Tried] = []
        patches = {layer.number: (box, cells)}
        for live in self._of(map_):
            read = [each for each in map_.layers
                    if each.number in patches and live.rules.reads(each)]  # fmt: skip
            if not read:
                continue
            area = patches[read[0].number][0]
            for each in read[1:]:
                area = area.joined(patches[each.number][0])
            area = map_.lattice.fitted(area.grown(live.rules.reach))
            if area.height * area.width > AT_ONCE:
                return []
            self._look_up(map_, live, area.grown(live.rules.reach))
            board = live.rules.board.with_patches(patches)
            for number, made in live.rules.cells(area, board).items():
                out = map_.layer_numbered(number)
                if isinstance(out, GrownLayer):
                    shown = np.where(read_box(out.pinned, area), read_box(out.cells, area), made)
                    patches[number] = (area, shown)
                    tried.append((out, area, shown))
        return tried

    def follow(self, changes: Sequence[Changed]) -> list[Changed]:
        """Do what changes ask of rewriting; returns the changes that come of it."""
        made: list[Changed] = []
        waiting = list(changes)
        while waiting:
            change = waiting.pop(0)
            if change.what in _ANEW:
                fresh = self._all_anew(change)
            elif change.what in (What.CELLS, What.TERRAIN) and change.map is not None:
                fresh = self._follow_cells(change.map, change)
            else:
                continue
            made += fresh
            waiting += [each for each in fresh if each.box is not None]
        return made

    def _all_anew(self, change: Changed) -> list[Changed]:
        maps = [m for m in self._project.maps if change.map is None or m is change.map]
        made = []
        for map_ in maps:
            before = self._lives.pop(map_, None)
            if not before and not any(isinstance(s, RewriteStep) for s in map_.recipe.steps):
                continue
            layers = {id(layer): layer for live in [*(before or []), *self._of(map_)]
                      for layer in live.rules.layers.values()}  # fmt: skip
            made += [Changed(What.CELLS, map_, layer) for layer in layers.values()
                     if any(layer is each for each in map_.layers)]  # fmt: skip
        return made

    def _follow_cells(self, map_: Map, change: Changed) -> list[Changed]:
        layer, made = change.layer, list[Changed]()
        assert layer is not None
        for place, live in enumerate(self._of(map_)):
            if isinstance(change, _Made) and place <= change.by:
                continue  # a step reads what those before it made, never the other way round
            own = any(layer is each for each in live.rules.layers.values())
            if not own and not live.rules.reads(layer):
                continue
            box = change.box
            if box is None:
                live.stale.touch_all()
                made += [Changed(What.CELLS, map_, each) for each in live.rules.layers.values()]
                continue
            more = live.rules.reach + (change.what is What.TERRAIN)
            box = map_.lattice.fitted(box.grown(more))
            self._do_box(map_, live, box)
            made += [
                _Made(What.CELLS, map_, each, box, by=place) for each in live.rules.layers.values()
            ]
        return made

    def _do_box(self, map_: Map, live: _Live, box: Box) -> None:
        """Work a box out at once, or leave it to whoever looks if it is a large one."""
        for piece in map_.lattice.pieces(box):
            if piece.height * piece.width > AT_ONCE:
                live.stale.touch(piece)
            else:
                self._lay(map_, live, piece)

    def _lay(self, map_: Map, live: _Live, box: Box) -> None:
        self._look_up(map_, live, box.grown(live.rules.reach))
        for number, new in live.rules.cells(box).items():
            layer = map_.layer_numbered(number)
            assert isinstance(layer, GrownLayer)
            at = index(box, map_.height, map_.width)
            layer.cells[at] = np.where(layer.pinned[at], layer.cells[at], new)

    def _look_up(self, map_: Map, live: _Live, box: Box) -> None:
        """See to it that what the rules read is as it should be."""
        box = map_.lattice.fitted(box)
        for name in live.rules.sources():
            layer = live.rules.board.layer(name)
            if isinstance(layer, GroundLayer):
                self._knitter.ensure(map_, layer, box)
            elif isinstance(layer, GrownLayer):
                before = self._live_of(map_, layer)
                lives = self._of(map_)
                if before is not None and lives.index(before) < lives.index(live):
                    self.ensure(map_, layer, box)

    def _live_of(self, map_: Map, layer: Layer) -> _Live | None:
        found = [live for live in self._of(map_)
                 if any(layer is each for each in live.rules.layers.values())]  # fmt: skip
        return found[-1] if found else None

    def _of(self, map_: Map) -> list[_Live]:
        known = self._lives.get(map_)
        if known is not None:
            return known
        out: list[_Live] = []
        self.problems[map_] = []
        for place, step in enumerate(map_.recipe.steps):
            if not isinstance(step, RewriteStep):
                continue
            try:
                rules = live_rules(self._project, map_, step, place)
                rules.sources_there()
            except KnitError as error:
                self.problems[map_].append(str(error))
                continue
            out.append(_Live(rules, map_))
        later: dict[int, Layer] = {}
        for live in reversed(out):
            # Of several steps on one layer the last one counts.
            live.rules.makes_but(later)
            later |= {layer.number: layer for layer in live.rules.layers.values()}
        self._lives[map_] = out
        return out


@dataclass(frozen=True, eq=False)
class _Made(Changed):
    """A change that the `by`-th live step of the map made."""

    by: int = 0
