"""What is different, as pictures: tiles and marks, rules, mixes, sets and sheets."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPixmap

from knitground.core.base.tongue import say
from knitground.core.compare.differences import Difference
from knitground.core.compare.pictures import drawn_small, marked
from knitground.core.edit.document import Document
from knitground.core.edit.rulehome import RuleHome, rule_words
from knitground.core.model.mix import Mix
from knitground.core.model.project import Project
from knitground.core.model.rules import NeighbourRule, Result, RewriteRule, Rule
from knitground.core.model.terrain import TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Tileset
from knitground.core.render.pixels import premultiplied
from knitground.core.render.tiles import tile_pixels
from knitground.ui.common.marks import Face, draw_marks
from knitground.ui.common.painting import image_of, painting, write_in
from knitground.ui.common.setswatch import sample_pixels
from knitground.ui.common.theme import theme
from knitground.ui.common.widgets import tile_pixmap
from knitground.ui.stages.draw.mixes import drawn_sample, look_at_sample
from knitground.ui.stages.rules.blockpictures import draw_block
from knitground.ui.stages.rules.pictures import Pictures, draw_result, draw_stencil

PICTURE = QSize(380, 300)
_IN_A_ROW, _TILES = 5, 20
_RULE, _RULES = 74, 4
"""Pixels of a rule's row, and rules that are shown."""


def map_picture(doc: Document | None, difference: Difference) -> NDArray[np.uint32] | None:
    """Draw the map of a difference small, its cells marked; it may take a while."""
    map_ = doc.project.map_named(difference.name) if doc and difference.part == "map" else None
    if doc is None or map_ is None:
        return None
    picture = drawn_small(doc, map_, PICTURE.width())
    if difference.cells is not None:
        picture = marked(picture, map_, difference.cells)
    return premultiplied(picture)


def fitted(pixels: NDArray[np.uint32]) -> QPixmap:
    """Make pixels as large as they fit into the room of a picture, at most four times as large."""
    made = QPixmap.fromImage(image_of(pixels).copy())
    room = PICTURE.boundedTo(made.size() * 4)
    return made.scaled(room, Qt.AspectRatioMode.KeepAspectRatio)


def part_picture(project: Project, other: Project, difference: Difference) -> QPixmap | None:
    """Draw what a difference is of as it is in a project; None where nothing is to be seen.

    `other` is the project that it is compared with.
    """
    owner, _, name = difference.name.partition(" · ")
    if difference.tiles:
        kit = project.set_of(owner, name) if difference.part == "set" else None
        return _tiles(project, difference.tiles, owner, kit[1] if kit else None)
    home = _home_of(project, difference)
    if home is not None:
        there = _home_of(other, difference)
        return _rules(home, there.rules.rules if there is not None else ())
    if difference.part == "set":
        found = project.set_of(owner, name)
        return fitted(sample_pixels(project, *found)[0]) if found is not None else None
    if difference.part == "mix":
        mix = next((each for each in project.mixes if each.name == difference.name), None)
        return _mix(project, mix) if mix is not None else None
    sheet = project.tileset_named(difference.name) if difference.part == "sheet" else None
    return _sheet(sheet) if sheet is not None else None


def _tiles(
    project: Project, tiles: Sequence[TileRef], owner: str, kit: TerrainSet | None
) -> QPixmap:
    """Show the first tiles side by side; those of a set with their marks."""
    side = PICTURE.width() // _IN_A_ROW
    out = QPixmap(PICTURE)
    out.fill(Qt.GlobalColor.transparent)
    with painting(out) as painter:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for n, tile in enumerate(tiles[:_TILES]):
            home = project.tileset_named(tile.tileset)
            pixels = tile_pixels(home, tile) if home is not None else None
            if home is None or pixels is None:
                continue
            shown = tile_pixmap(pixels, side - 6)
            left, top = n % _IN_A_ROW * side, n // _IN_A_ROW * side
            painter.drawPixmap(left, top, shown)
            if kit is not None:
                guest = tile.tileset if tile.tileset != owner else None
                marks = kit.marks_within(home.rows, home.columns, guest)
                face = Face(QRectF(left, top, shown.width(), shown.height()))
                draw_marks(painter, face, marks[tile.row, tile.col].tolist(), kit)
    return out


def _home_of(project: Project, difference: Difference) -> RuleHome | None:
    """Give the list of rules that a difference is of, if it is of one and the project has it."""
    if difference.part == "rules":
        home = RuleHome(project, name=difference.name)
    elif difference.part == "set" and difference.fields == ("rules",):
        owner, _, name = difference.name.partition(" · ")
        found = project.set_of(owner, name)
        if found is None:
            return None
        home = RuleHome(project, *found)
    else:
        return None
    return home if home.is_there else None


def differing(rules: Sequence[Rule], others: Sequence[Rule]) -> list[Rule]:
    """List the rules that the others have not, or have otherwise; else those in another place."""
    there = {each.number: each for each in others}
    out = [each for each in rules if there.get(each.number) != each]
    if out or len(rules) != len(others):
        return out
    return [one for one, other in zip(rules, others) if one.number != other.number]


def _rules(home: RuleHome, others: Sequence[Rule]) -> QPixmap:
    """Show the first rules that are different: what each looks for, and what it lays."""
    rules, pictures, t = differing(home.rules.rules, others), Pictures(home.project), theme()
    out = QPixmap(PICTURE)
    out.fill(Qt.GlobalColor.transparent)
    with painting(out) as painter:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for n, rule in enumerate(rules[:_RULES]):
            top = n * _RULE
            write_in(painter, 12, bold=True)
            painter.setPen(t.colour("ink"))
            painter.drawText(
                QRectF(0, top, 92, _RULE - 8),
                int(Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextWordWrap),
                rule_words(rule),
            )
            looks, lays = QRectF(98, top + 2, 64, 64), QRectF(196, top + 10, 184, 54)
            if isinstance(rule, NeighbourRule):
                draw_stencil(painter, looks, rule, home, pictures)
                draw_result(painter, lays, rule.result, pictures, home.project)
            else:
                _blocks(painter, looks, lays, rule, home, pictures)
            write_in(painter, 17)
            painter.setPen(t.colour("ink2"))
            painter.drawText(QPointF(170, top + 42), "→")
        if len(rules) > _RULES:
            write_in(painter, 11)
            painter.drawText(
                QPointF(0, PICTURE.height() - 2), say("and {count} more", count=len(rules) - _RULES)
            )
    return out


def _blocks(
    painter: QPainter, looks: QRectF, lays: QRectF, rule: RewriteRule, home: RuleHome,
    pictures: Pictures,
) -> None:  # fmt: skip
    draw_block(painter, looks, rule, home, pictures)
    for n in range(min(2, len(rule.outcomes))):
        at = QRectF(lays.left() + n * 72, looks.top(), 66, 64)
        draw_block(painter, at, rule, home, pictures, n)


def _mix(project: Project, mix: Mix) -> QPixmap:
    """Show what a mix is of, and beneath it a part of a sample as large as it is."""
    out = QPixmap(PICTURE)
    out.fill(Qt.GlobalColor.transparent)
    found = look_at_sample(project, mix)
    with painting(out) as painter:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        entries = Result(tiles=mix.entries)
        draw_result(painter, QRectF(0, 0, PICTURE.width(), 54), entries, Pictures(project), project)
        if not isinstance(found, str) and found.pictures is not None:
            high, wide = found.pictures.shape[1:3]
            rows, cols = (PICTURE.height() - 60) // high, PICTURE.width() // wide
            pixels = drawn_sample(found.pictures, found.cells[: max(1, rows), : max(1, cols)])
            painter.drawImage(0, 60, image_of(pixels))
    return out


def _sheet(owner: Tileset) -> QPixmap | None:
    return fitted(premultiplied(owner.picture)) if owner.picture is not None else None
