"""Rewriting on a map: a layer that follows, or once as a step."""

from __future__ import annotations

import numpy as np

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.base.window import Box
from knitground.core.edit.atoms import Atom, SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Document, Edit
from knitground.core.edit.laying import plan_cells
from knitground.core.edit.selecting import Selection
from knitground.core.model.layers import Layer
from knitground.core.model.map import Map
from knitground.core.model.recipe import Recipe, RewriteStep
from knitground.core.rules.board import Board
from knitground.core.rules.rewrite import apply_rewrite, rewrite_until_calm
from knitground.core.rules.rewritetable import compile_rewrite
from knitground.core.rules.table import LEAVE, stock_of


def use_on_map(map_: Map, rules: str, source: Layer) -> Edit:
    """Add a grown layer that follows a list of rules, in front of the layer that they read."""
    if source.cells.shape != (map_.height, map_.width):
        raise EditError(
            say("“{name}” has cells of its own size: rules read the map's cells", name=source.name)
        )
    layer = map_.new_grown_layer(f"{source.name}, {rules}"[:200])
    at = map_.layers.index(source) + 1
    layers = [*map_.layers[:at], layer, *map_.layers[at:]]
    step = RewriteStep(layer.number, rules, source.number)
    recipe = Recipe(map_.recipe.seed, (*map_.recipe.steps, step))
    atoms: tuple[Atom, ...] = (
        SetField(map_, "layers", layers, Changed(What.LAYERS, map_)),
        SetField(map_, "recipe", recipe, Changed(What.RECIPE, map_)),
    )
    return Edit(say("Let a layer follow “{rules}”", rules=rules), atoms)


def rewrite_now(
    doc: Document,
    map_: Map,
    rules: str,
    layer: Layer,
    within: Selection | None = None,
    passes: int = 1,
) -> Edit:
    """Rewrite a layer, and others that the rules name: in a selection or all over.

    Parameters
    ----------
    passes : how often at most; it ends when nothing changes any more

    Raises
    ------
    EditError
        The list is gone, nothing fits, the layer is locked or holds no tiles, or the rules come
        back to an earlier state again and again.
    """
    listed = doc.project.rules_named(rules)
    if listed is None:
        raise EditError(say("there are no rules “{rules}”: choose another list", rules=rules))
    if not layer.holds_tiles:
        raise EditError(
            say(
                "“{name}” holds {kind}, no tiles: choose another layer",
                name=layer.name,
                kind=say(layer.kind),
            )
        )
    board = Board(doc.project, map_, layer)
    table = compile_rewrite(listed, board, stock_of(doc.project, map_))
    box = within.box if within is not None else Box(0, 0, map_.height, map_.width)
    if passes > 1:
        done = rewrite_until_calm(table, board, map_.recipe.seed, passes)
        part = (slice(box.top, box.bottom), slice(box.left, box.right))
        done.cells = {name: cells[part] for name, cells in done.cells.items()}
    else:
        done = apply_rewrite(table, board, box, map_.recipe.seed)
    if done.loops:
        raise EditError(
            say(
                "“{rules}” come back to an earlier state after {passes} passes, and would go "
                "on for ever: rewrite once, or take out a rule that undoes another",
                rules=rules,
                passes=done.passes,
            )
        )
    atoms: list[Atom] = []
    count = 0
    for name, cells in done.cells.items():
        target = board.layer(name)
        mask = cells != LEAVE
        if within is not None:
            mask &= within.mask
        if not mask.any():
            continue
        if target.locked:
            raise EditError(say("“{name}” is locked: unlock it first", name=target.name))
        count += int(mask.sum())
        atoms += plan_cells(
            map_, target, box, np.where(mask, cells, 0), mask, say("Rewrite")
        ).edit.atoms
    if not count:
        raise EditError(
            say("no block that “{rules}” looks for is there: nothing was rewritten", rules=rules)
        )
    return Edit(say("Rewrite {count} cells by “{rules}”", count=count, rules=rules), tuple(atoms))
