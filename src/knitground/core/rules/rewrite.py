"""Rewriting: blocks of cells found on some layers, replaced by other blocks.

One pass reads the map as it was before it. Where blocks would write the same cells, the earlier
rule has them, and of one rule's places the one whose anchor has the smaller number of the counted
hash. Rules “without overlap” write a block whole or not at all: those that own all their cells are
taken, the rest tries again on what is left, three rounds in all. So what a cell becomes depends on
no more than a bounded surrounding, and a part gives what the whole gives.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.hashing import mix_one
from knitground.core.base.window import Box
from knitground.core.model.layers import Cells
from knitground.core.rules.board import Board
from knitground.core.rules.rewriterun import RewriteRun, Rewritten, rewrite_state
from knitground.core.rules.rewritetable import RewriteTable
from knitground.core.rules.table import LEAVE

# Compiling


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
    run = RewriteRun(table, board, wide, seed)
    seen = {run.state()} if passes > 1 else set()
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
    seen = {rewrite_state(written)}
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
        state = rewrite_state(written)
        if state in seen:
            return Rewritten(written, found, number + 1, loops=True)
        seen.add(state)
    return Rewritten(written, found, passes)
