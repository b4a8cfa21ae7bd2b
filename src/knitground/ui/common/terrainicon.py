"""How terrains and their sets are shown in lists: a diamond as an icon, a title."""

from __future__ import annotations

from PySide6.QtCore import QPointF
from PySide6.QtGui import QIcon, QPainter

from knitground.core.base.tongue import say
from knitground.core.model.terrain import TerrainSet
from knitground.core.model.tileset import Tileset
from knitground.ui.common.marks import draw_diamond
from knitground.ui.common.painting import blank


def terrain_icon(kit: TerrainSet, mark: int, side: int = 22) -> QIcon:
    """Draw a terrain's diamond as an icon."""
    out = blank(side, side)
    painter = QPainter(out)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    draw_diamond(painter, QPointF(side / 2, side / 2), side / 2 - 1, kit, mark)
    painter.end()
    return QIcon(out)


def set_title(tileset: Tileset, kit: TerrainSet) -> str:
    """Name a set in the list: what it shows, its kind, and its sheet."""
    return f"{kit.name} · {say(kit.kind.value)} · {tileset.name}"
