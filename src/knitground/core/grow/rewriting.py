"""Rewrite steps: grown layers that follow what lies on other layers."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from knitground.core.base.errors import EditError, GrowError, KnitError
from knitground.core.base.hashing import mix_one
from knitground.core.base.tongue import say
from knitground.core.base.window import Box
from knitground.core.grow.stepkind import ON_GROWN, As, Setting, Start, StepKind
from knitground.core.grow.work import Grown, Work
from knitground.core.model.layers import Cells, GroundLayer, GrownLayer, Layer
from knitground.core.model.limits import MAX_PASSES
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.recipe import RewriteStep
from knitground.core.rules.board import Board, Terrains
from knitground.core.rules.rewrite import apply_rewrite
from knitground.core.rules.rewriterun import Rewritten
from knitground.core.rules.rewritetable import RewriteTable, compile_rewrite
from knitground.core.rules.table import LEAVE, stock_of


class LiveRules:
    """A rewrite step, compiled for a map.

    `layers` are the grown layers that it makes, by the name that the rules have for them (“” is the
    step's own); `problems` says, by rule number, why a rule can not be used.
    """

    def __init__(
        self, step: RewriteStep, board: Board, table: RewriteTable, seed: int, own: GrownLayer
    ) -> None:
        self.step, self.board, self.table, self.seed = step, board, table, seed
        self.problems = dict(table.problems)
        self.layers: dict[str, GrownLayer] = {"": own}
        for name in table.outputs:
            if name:
                layer = board.layer(name)
                if isinstance(layer, GrownLayer):
                    self.layers[name] = layer

    @property
    def reach(self) -> int:
        """How many cells away from a changed one another can become different."""
        return self.table.reach * self.step.passes

    def reads(self, layer: Layer) -> bool:
        """Tell whether what it makes depends on a layer."""
        return any(self.board.layer(name) is layer for name in self.sources())

    def sources(self) -> list[str]:
        """Names of the layers that it reads, “” the source."""
        return [*self.table.inputs, *([""] if self.step.copies else [])]

    def sources_there(self) -> None:
        """Refuse to go on if a layer that it reads is not there.

        Raises
        ------
        EditError
        """
        for name in self.sources():
            self.board.layer(name)

    def makes_but(self, later: Mapping[int, Layer]) -> None:
        """Leave layers to later steps, and read of them only what was laid by hand."""
        self.board.pins_only |= frozenset(later)
        self.layers = {n: each for n, each in self.layers.items() if each.number not in later}

    def run(self, box: Box, board: Board | None = None) -> Rewritten:
        """Rewrite a box; nothing is laid. With `board` what lies on that is read instead."""
        return apply_rewrite(self.table, board or self.board, box, self.seed, self.step.passes)

    def cells(self, box: Box, board: Board | None = None) -> dict[int, Cells]:
        """Give what it makes in a box, pins apart, by layer number."""
        done = self.run(box, board)
        out: dict[int, Cells] = {}
        for name, layer in self.layers.items():
            made = done.cells[name]
            rest = np.zeros_like(made)
            if self.step.copies and not name:
                rest = (board or self.board).cells("", box)
            out[layer.number] = np.where(made == LEAVE, rest, made)
            there = self.board.map.lattice.part(box)
            if there is not None:
                out[layer.number][~there] = 0
        return out


def rewrite_map(project: Project, map_: Map) -> None:
    """Work all rewrite steps of a map out afresh, in order; steps that can not run are left."""
    whole = Box(0, 0, map_.height, map_.width)
    for place, step in enumerate(map_.recipe.steps):
        if not isinstance(step, RewriteStep):
            continue
        try:
            live = live_rules(project, map_, step, place)
            made = live.cells(whole)
        except KnitError:
            continue
        for layer in live.layers.values():
            layer.cells[:] = np.where(layer.pinned, layer.cells, made[layer.number])


def live_rules(
    project: Project,
    map_: Map,
    step: RewriteStep,
    place: int,
    cells: Mapping[int, Cells] | None = None,
    terrains: Terrains | None = None,
) -> LiveRules:
    """Compile a rewrite step, the `place`-th of the recipe.

    Parameters
    ----------
    cells, terrains : of layers that earlier steps made and that are not laid yet, by number

    Raises
    ------
    GrowError
        A layer or the rule list is not there.
    """
    own = map_.layer_numbered(step.layer)
    if not isinstance(own, GrownLayer):
        raise GrowError(
            say(
                "step {place} makes grown layer {layer}, which is not there: choose another",
                place=place + 1,
                layer=step.layer,
            )
        )
    source = map_.layer_numbered(step.source)
    if source is None or source is own:
        raise GrowError(
            say(
                "step {place} reads layer {source}, which is not there or is the one that it "
                "makes: choose another",
                place=place + 1,
                source=step.source,
            )
        )
    listed = project.rules_named(step.rules)
    if listed is None:
        raise GrowError(
            say(
                "step {place} uses rule list “{rules}”, which is not there",
                place=place + 1,
                rules=step.rules,
            )
        )
    try:
        board = Board(project, map_, source, cells, terrains)
        board.layer("")
        table = compile_rewrite(listed, board, stock_of(project, map_))
    except EditError as error:
        raise GrowError(say("step {place}: {error}", place=place + 1, error=error)) from error
    live = LiveRules(step, board, table, mix_one(map_.recipe.seed, map_.recipe.salt_of(place)), own)
    # What it makes it does not read: only what was laid there by hand.
    live.board.pins_only = frozenset(layer.number for layer in live.layers.values())
    return live


def run_rewrite(work: Work, step: RewriteStep) -> list[Grown]:
    """Rewrite what lies on the source, on what the steps before have made."""
    before = work.before
    cells = {each.layer.number: each.made for each in before if isinstance(each.layer, GrownLayer)}
    grounds = {each.layer.number: each.made for each in before
               if isinstance(each.layer, GroundLayer)}  # fmt: skip
    live = live_rules(work.project, work.map, step, work.place, cells, grounds)
    made = live.cells(Box(0, 0, *work.size))
    out = []
    for layer in live.layers.values():
        laid = float(np.count_nonzero(made[layer.number])) / max(1, layer.cells.size)
        out.append(Grown(layer, made[layer.number], ((step.rules, 0.0, laid),)))
    return out


def _begin(at: Start) -> RewriteStep:
    source = next((e for e in at.map.layers if e is not at.layer and e.holds_tiles), None)
    if not at.project.rule_lists or source is None:
        raise EditError(say("it needs a rule list and a layer to read: make rules in Rules"))
    return RewriteStep(at.layer.number, at.project.rule_lists[0].name, source.number)


REWRITE = StepKind(
    RewriteStep,
    say("Rewrite"),
    say("Blocks found on a layer, replaced by rules"),
    ON_GROWN,
    run_rewrite,
    _begin,
    (
        Setting("rules", say("Rules"), As.RULES, say("The list of rules, made in Rules")),
        Setting("source", say("Reads"), As.LAYER, say("The layer that the rules read")),
        Setting(
            "passes",
            say("Passes"),
            As.WHOLE,
            say("How often the rules are tried at most"),
            1,
            MAX_PASSES,
        ),
        Setting(
            "copies",
            say("copies what no rule takes"),
            As.CHECK,
            say("Shows the source where none fits"),
        ),
    ),
    over_border=True,
)
