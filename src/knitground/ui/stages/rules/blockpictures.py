"""Pictures of the blocks of rewrite rules."""

from __future__ import annotations

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter

from knitground.core.edit.rulehome import RuleHome
from knitground.core.model.lattice import Cell
from knitground.core.model.rules import (
    RewriteRule,
)
from knitground.ui.common.checkers import checkers
from knitground.ui.common.theme import LINEN
from knitground.ui.stages.rules.pictures import (
    Pictures,
    draw_ask,
    draw_blank,
    draw_frame,
    draw_sign,
    draw_tile,
)


def block_layers(rule: RewriteRule) -> list[str]:
    """Name the layers that a rewrite rule reads or writes, the list's own first."""
    names = [each.layer for each in rule.block]
    names += [cell.layer for outcome in rule.outcomes for cell in outcome.cells]
    return sorted(set(names) | {""})


def block_bounds(rule: RewriteRule) -> tuple[int, int, int, int]:
    """Top, left, bottom and right of all cells that a rule reads or writes, ends not included."""
    cells: list[Cell] = [(each.row, each.col) for each in rule.block]
    cells += [(c.row, c.col) for outcome in rule.outcomes for c in outcome.cells]
    rows, cols = [r for r, _ in cells] or [0], [c for _, c in cells] or [0]
    return min(rows), min(cols), max(rows) + 1, max(cols) + 1


def draw_block(
    painter: QPainter, rect: QRectF, rule: RewriteRule, home: RuleHome, pictures: Pictures,
    writes: int | None = None,
) -> None:  # fmt: skip
    """Draw what a rewrite rule looks for, or one of the blocks that it writes."""
    top, left, bottom, right = block_bounds(rule)
    side = min(rect.width() / (right - left), rect.height() / (bottom - top), 34.0)
    rect = rect.translated(0, max(0.0, (rect.height() - side * (bottom - top)) / 2))
    for row in range(top, bottom):
        for col in range(left, right):
            at = QRectF(
                rect.left() + (col - left) * side + 1, rect.top() + (row - top) * side + 1,
                side - 2, side - 2,
            )  # fmt: skip
            draw_block_cell(painter, at, rule, (row, col), home, pictures, writes)


def draw_block_cell(
    painter: QPainter, at: QRectF, rule: RewriteRule, cell: Cell, home: RuleHome,
    pictures: Pictures, writes: int | None, layer: str | None = None,
) -> None:  # fmt: skip
    """Draw one cell of a block, of one layer or of all."""
    drawn = False
    if writes is None:
        for each in rule.block:
            if (each.row, each.col) == cell and layer in (None, each.layer):
                draw_ask(painter, at, each.ask, home, pictures, None)
                drawn = True
    elif writes < len(rule.outcomes):
        for laid in rule.outcomes[writes].cells:
            if (laid.row, laid.col) == cell and layer in (None, laid.layer):
                if laid.tile is None:
                    checkers(painter, at)
                    draw_sign(painter, at, "–", LINEN.ink)
                else:
                    draw_tile(painter, at, pictures.tile(laid.tile))
                drawn = True
    if not drawn:
        draw_blank(painter, at)
    draw_frame(painter, at)
