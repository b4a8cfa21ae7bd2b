"""Coverage as pictures: what the map can ask for, what tiles show it, what is missing."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QIcon, QPainter, QPen, QPixmap, QPolygonF
from PySide6.QtWidgets import QGridLayout, QLabel, QScrollArea, QToolButton, QWidget

from knitground.core.base.tongue import say
from knitground.core.chance.draw import shares
from knitground.core.knit.bridge import build_graph
from knitground.core.knit.coverage import Combination, Coverage, cover
from knitground.core.knit.layer import set_table
from knitground.core.knit.making import marks_of_key
from knitground.core.knit.missing import key_words
from knitground.core.model.map import Map
from knitground.core.model.terrain import SetKind, Slot, TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Tileset
from knitground.core.render.tiles import tile_pixels
from knitground.core.slicing.base import base_of
from knitground.ui.common.marks import Face, draw_marks
from knitground.ui.common.painting import blank, image_of
from knitground.ui.common.theme import LINEN, theme
from knitground.ui.common.widgets import clear, column, note, set_role
from knitground.ui.common.words import percent, tip_of
from knitground.ui.session import Session

_SIDE = 38
_MOST_SHOWN = 600


class CoveragePanel(QWidget):
    """Every combination as a small picture; missing ones glow. A click leads to it."""

    picked = Signal(object, object)
    """A combination and the map whose legend its places are of."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.coverage: Coverage | None = None
        self.map: Map | None = None
        self.shown: tuple[Tileset, TerrainSet] | None = None
        self.buttons: dict[tuple[int, ...], QToolButton] = {}
        self.head = QLabel()
        self.head.setWordWrap(True)
        self.list = column(spacing=4)
        inner = QWidget()
        inner.setLayout(column(self.list, 1, margins=2))
        self.area = QScrollArea()
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.area.setWidget(inner)
        self.area.setWidgetResizable(True)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        layout = column(self.head, self.area, spacing=4)
        layout.setStretch(1, 1)
        self.setLayout(layout)

    def show_set(self, owner: Tileset, kit: TerrainSet) -> None:
        """Work the coverage of a set out and show it."""
        project = self.session.project
        self.shown = (owner, kit)
        table, self.map = set_table(project, owner, kit)
        self.coverage = cover(table, kit, build_graph(table))
        self._say(kit)
        clear(self.list)
        self.buttons = {}
        groups: dict[tuple[int, ...], list[Combination]] = {}
        plain = kit.kind is SetKind.CORNER
        for each in (*self.coverage.pairs, *(c for c in self.coverage.beyond if c.had)):
            group = () if plain and len(each.terrains) == 1 else each.terrains
            groups.setdefault(group, []).append(each)
        ordered = sorted(groups.items(), key=lambda item: all(each.had for each in item[1]))
        wide = max(6, (self.width() - 24) // (_SIDE + 4))
        shown = 0
        for group, combinations in ordered:
            names = say(" and ").join(kit.name_of(t) for t in group) or say("plain")
            lack = sum(not each.had for each in combinations)
            had = len(combinations) - lack
            more = say(", {lack} missing", lack=lack) if lack else ""
            self.list.addWidget(
                note(
                    say(
                        "{names}: {had} of {count}{more}",
                        names=names,
                        had=had,
                        count=len(combinations),
                        more=more,
                    )
                )
            )
            grid = QGridLayout()
            grid.setSpacing(3)
            for place, each in enumerate(sorted(combinations, key=lambda c: c.had)):
                if shown >= _MOST_SHOWN:
                    break
                shown += 1
                made = self._button(kit, each)
                self.buttons[each.key] = made
                grid.addWidget(made, place // wide, place % wide)
            grid.setColumnStretch(wide, 1)
            self.list.addLayout(grid)
        self._show_bridges(kit)

    def _say(self, kit: TerrainSet) -> None:
        assert self.coverage is not None
        cover_ = self.coverage
        lack, twice = len(cover_.missing), len(cover_.doubled)
        text = say(
            "{had} of {count} combinations have a tile", had=cover_.had, count=len(cover_.pairs)
        )
        text += say(" · {lack} missing", lack=lack) if lack else say(" · nothing missing")
        text += say(" · {twice} with several, drawn by weight", twice=twice) if twice else ""
        more = [each for each in cover_.beyond if not each.had]
        if cover_.beyond:
            kinds = (
                say("two terrains at once")
                if kit.kind is SetKind.EDGE
                else say("three or four terrains")
            )
            text += say(
                " · of {kinds}: {count} of {count2}",
                kinds=kinds,
                count=len(cover_.beyond) - len(more),
                count2=len(cover_.beyond),
            )
        self.head.setText(text)
        set_role(self.head, "warning" if lack else "good")

    def _show_bridges(self, kit: TerrainSet) -> None:
        assert self.coverage is not None
        for a, b, way in self.coverage.bridges[:40]:
            names = say(
                "{name} and {name2} have no tiles in common",
                name=kit.name_of(a),
                name2=kit.name_of(b),
            )
            if way:
                names += say(": bridged by {words}", words=" → ".join(kit.name_of(t) for t in way))
            else:
                names += say(" and no way between them: they would leave gaps")
            self.list.addWidget(note(names))

    def _button(self, kit: TerrainSet, each: Combination) -> QToolButton:
        made = QToolButton()
        made.setIconSize(QSize(_SIDE, _SIDE))
        made.setFixedSize(_SIDE + 2, _SIDE + 2)
        made.setProperty("flat", "true")
        made.setIcon(QIcon(self._picture(kit, each)))
        made.setToolTip(tip_of(self._words(kit, each)))
        made.setAccessibleName(made.toolTip())
        made.clicked.connect(partial(self.picked.emit, each, self.map))
        return made

    def _words(self, kit: TerrainSet, each: Combination) -> str:
        words = key_words(kit, each.key)
        if not each.had:
            return say("Missing: {words}", words=words)
        if not each.doubled:
            return words
        weights = [weight for _, weight in each.variants]
        parts = ", ".join(percent(share) for share in shares(weights))
        inner = say(", {count} only inside areas", count=len(each.inner)) if each.inner else ""
        return say(
            "{words}: {count} tiles ({parts}){inner}",
            words=words,
            count=len(weights),
            parts=parts,
            inner=inner,
        )

    def _picture(self, kit: TerrainSet, each: Combination) -> QPixmap:
        out = blank(_SIDE, _SIDE)
        painter = QPainter(out)
        rect = QRectF(2, 2, _SIDE - 4, _SIDE - 4)
        tile = self.map.legend.tile(each.variants[0][0]) if each.had and self.map else None
        if tile is not None:
            _draw_tile(painter, rect, self.session, tile)
        else:
            draw_wanted(painter, rect, kit, each.key)
        if each.doubled:
            painter.setPen(QPen(theme().colour("ink"), 1))
            painter.setBrush(theme().colour("panel"))
            spot = QRectF(rect.right() - 11, rect.bottom() - 11, 12, 12)
            painter.drawRect(spot)
            count = len(each.variants) + len(each.inner)
            painter.drawText(spot, Qt.AlignmentFlag.AlignCenter, str(count))
        painter.end()
        return out


def _draw_tile(painter: QPainter, rect: QRectF, session: Session, tile: TileRef) -> None:
    owner = session.project.tileset_named(tile.tileset)
    pixels = tile_pixels(owner, tile) if owner else None
    if pixels is not None:
        painter.drawImage(rect, image_of(pixels.copy()))


def draw_wanted(painter: QPainter, rect: QRectF, kit: TerrainSet, key: tuple[int, ...]) -> None:
    """Draw what a missing tile would show, in the terrains' colours, in a glowing frame."""
    marks = marks_of_key(kit.kind, key)
    painter.fillRect(rect, theme().colour("sunken"))
    middle = rect.center()
    for slot in kit.kind.slots:
        mark = int(marks[slot])
        if mark == 0 or mark > len(kit.terrains):
            continue
        colour = QColor(kit.terrains[mark - 1].colour)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        painter.drawPolygon(_wedge(rect, middle, slot, kit.kind))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(LINEN.madder), 3))
    painter.drawRect(rect)


def _wedge(rect: QRectF, middle: QPointF, slot: Slot, kind: SetKind) -> QPolygonF:
    third_x, third_y = rect.width() / 3, rect.height() / 3
    if kind is SetKind.RING:
        cols = {Slot.NW: 0, Slot.W: 0, Slot.SW: 0, Slot.N: 1, Slot.MIDDLE: 1, Slot.S: 1}
        rows = {Slot.NW: 0, Slot.N: 0, Slot.NE: 0, Slot.W: 1, Slot.MIDDLE: 1, Slot.E: 1}
        x, y = cols.get(slot, 2) * third_x, rows.get(slot, 2) * third_y
        part = QRectF(rect.left() + x, rect.top() + y, third_x, third_y)
    elif kind is SetKind.EDGE:
        ends = {
            Slot.N: (rect.topLeft(), rect.topRight()),
            Slot.E: (rect.topRight(), rect.bottomRight()),
            Slot.S: (rect.bottomRight(), rect.bottomLeft()),
            Slot.W: (rect.bottomLeft(), rect.topLeft()),
        }
        return QPolygonF([*ends[slot], middle])
    else:
        left = rect.left() if slot in (Slot.NW, Slot.SW) else middle.x()
        top = rect.top() if slot in (Slot.NW, Slot.NE) else middle.y()
        part = QRectF(left, top, rect.width() / 2, rect.height() / 2)
    return QPolygonF(part)


class BigTile(QWidget):
    """The tile under the pointer, large, with its marks."""

    def __init__(self, tile_of: Callable[[], tuple[TileRef, list[int], TerrainSet] | None]) -> None:
        super().__init__()
        self._tile_of = tile_of
        self.setFixedSize(132, 132)
        self.session: Session | None = None

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        rect = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        painter.fillRect(rect, theme().colour("sunken"))
        found = self._tile_of()
        if found is not None and self.session is not None:
            tile, marks, kit = found
            owner = self.session.project.tileset_named(tile.tileset)
            pixels = tile_pixels(owner, tile) if owner else None
            if pixels is not None:
                side = max(pixels.shape)
                scale = rect.width() / side
                size = QRectF(0, 0, pixels.shape[1] * scale, pixels.shape[0] * scale)
                size.moveCenter(rect.center())
                painter.drawImage(size, image_of(pixels.copy()))
                painter.setRenderHint(QPainter.RenderHint.Antialiasing)
                face = Face(size, base_of(owner) if owner else None, pixels.shape[0])
                draw_marks(painter, face, marks, kit)
        painter.setPen(QPen(theme().colour("line"), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(rect)
        painter.end()
