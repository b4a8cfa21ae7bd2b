"""“Why this tile?” on the map, and the words of the status line."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from knitground.core.base.tongue import say, say_many
from knitground.core.edit.desk import Pointer
from knitground.core.edit.reasons import why_cell
from knitground.core.knit.explain import Why
from knitground.core.model.layers import GroundLayer
from knitground.core.model.map import Map
from knitground.core.rules.why import RuleWhy
from knitground.ui.common.painting import image_of, write_in
from knitground.ui.common.theme import LINEN, text_scale, theme
from knitground.ui.common.words import percent
from knitground.ui.common.zoom import Camera
from knitground.ui.mapside.canvas.chunks import ChunkStore
from knitground.ui.session import Session

_MOST_RULES = 8


def why_at(session: Session, at: Pointer) -> Why | None:
    """Explain the cell under a place, if its layer is knitted."""
    map_, layer = session.map, session.layer
    if map_ is None or not isinstance(layer, GroundLayer):
        return None
    return why_cell(session.doc, map_, layer, *at.cell(map_))


def draw_why(
    painter: QPainter,
    camera: Camera,
    session: Session,
    store: ChunkStore,
    at: Pointer,
    view: QRect,
) -> None:
    """Draw the explanation beside the cell: corners, candidates with weights, the number drawn."""
    why = why_at(session, at)
    if why is None or session.map is None:
        return
    t = theme()
    ruled = why.rules[:_MOST_RULES]
    more_high = 18.0 * len(ruled) + 6 if ruled else 0.0
    wide, high = 340.0, (132.0 if why.candidates else 76.0) + more_high
    marked = draw_failing(painter, camera, session.map, why)
    x, y = camera.to_screen(at.x, at.y)
    by = text_scale()
    told = marked.united(QRectF(x - 12, y - 12, 24, 24))
    place = beside(told, wide * by, high * by, QRectF(view))
    painter.save()
    painter.translate(place.topLeft())
    painter.scale(by, by)
    panel = QRectF(0, 0, wide, high)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(t.colour("line"), 1))
    painter.setBrush(t.colour("panel"))
    painter.drawRoundedRect(panel, 6, 6)
    inner = panel.adjusted(12, 8, -12, -8)
    _text(painter, inner, 0, say("Why this tile?"), 13, bold=True)
    _text(painter, inner, 20, why.sentence(), 11, lines=2)
    shown = why.candidates[:6]
    for number, each in enumerate(shown):
        spot = QRectF(inner.left() + number * 52, inner.top() + 54, 32, 32)
        picture = store.atlas.picture(session.map.legend.place(each.tile)).copy()
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
        painter.drawImage(spot, image_of(picture))
        pen = QPen(t.colour("madder" if each.chosen else "line"), 3 if each.chosen else 1)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(spot.adjusted(-2, -2, 2, 2))
        words = f"×{each.weight:g} {percent(each.share)}"
        area = QRectF(spot.left() - 12, spot.bottom() + 5, 58, 16)
        _label(painter, area, words)
    _draw_rules(painter, inner.adjusted(0, high - more_high - 12, 0, 0), why)
    if len(why.candidates) > len(shown):
        _text(
            painter, inner, 96, say("and {count} more", count=len(why.candidates) - len(shown)), 11
        )
    painter.restore()


def beside(told: QRectF, wide: float, high: float, view: QRectF) -> QRectF:
    """Place a panel so that it does not cover what it tells about: at a side where there is room.

    Where there is none at any side it stands at the right or left border, the farther one.
    """
    room = view.adjusted(8, 8, -8, -8)
    middle = told.center()
    across = min(max(room.left(), middle.x() - wide / 2), room.right() - wide)
    down = min(max(room.top(), middle.y() - high / 2), room.bottom() - high)
    for left, top in (
        (told.right() + 8, down), (told.left() - 8 - wide, down),
        (across, told.bottom() + 8), (across, told.top() - 8 - high),
    ):  # fmt: skip
        panel = QRectF(left, top, wide, high)
        if room.contains(panel):
            return panel
    left = room.left() if middle.x() > room.center().x() else room.right() - wide
    return QRectF(left, down, wide, high)


def rule_line(each: RuleWhy) -> tuple[str, str]:
    """Say how a rule stands to a cell, and the colour's role."""
    name = each.name or say("without a name")
    if each.took:
        return say("{place}  {name}: took it", place=each.place, name=name), "good"
    if each.fits:
        return say("{place}  {name}: would fit as well", place=each.place, name=name), "ink2"
    if each.left_by:
        why = (
            say("left it by chance")
            if each.left_by == "chance"
            else say("is not for this row or column")
        )
        return f"{each.place}  {name}: {why}", "ink2"
    count = len(each.failed)
    return say_many(
        "{place}  {name}: {count} place fail",
        "{place}  {name}: {count} places fail",
        count,
        place=each.place,
        name=name,
    ), "madder"


def _draw_rules(painter: QPainter, inner: QRectF, why: Why) -> None:
    """List the rules: the one that took the cell, and how the others stand to it."""
    for n, each in enumerate(why.rules[:_MOST_RULES]):
        words, role = rule_line(each)
        _text(painter, inner, 18.0 * n, words, 11, bold=each.took, role=role)


def draw_failing(painter: QPainter, camera: Camera, map_: Map, why: Why) -> QRectF:
    """Mark on the map where rules above the one that took the cell fail, with their numbers.

    Returns
    -------
    what the marks cover on the screen
    """
    covered = QRectF()
    failing: dict[tuple[int, int], list[str]] = {}
    for each in why.rules[:_MOST_RULES]:
        if each.took:
            break
        for place in each.failed:
            failing.setdefault(place, []).append(str(each.place))
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    write_in(painter, 11, bold=True)
    for (y, x), numbers in failing.items():
        left, top = camera.to_screen(*map_.lattice.place(why.row + y / 2, why.col + x / 2))
        words = ",".join(numbers)
        spot = QRectF(0, 0, max(16.0, 7.0 * len(words) + 8), 16)
        spot.moveCenter(QPointF(left, top))
        painter.setPen(QPen(QColor(LINEN.panel), 1.5))
        painter.setBrush(QColor(LINEN.madder))
        painter.drawRoundedRect(spot, 8, 8)
        painter.drawText(spot, Qt.AlignmentFlag.AlignCenter, words)
        covered = covered.united(spot)
    painter.restore()
    return covered


def _text(
    painter: QPainter,
    inner: QRectF,
    down: float,
    text: str,
    size: int,
    *,
    bold: bool = False,
    lines: int = 1,
    role: str = "ink",
) -> None:
    write_in(painter, size, bold=bold)
    painter.setPen(theme().colour(role))
    area = QRectF(inner.left(), inner.top() + down, inner.width(), (size + 4) * lines)
    painter.drawText(area, Qt.TextFlag.TextWordWrap, text)


def _label(painter: QPainter, area: QRectF, text: str) -> None:
    write_in(painter, 10)
    painter.setPen(theme().colour("ink2"))
    painter.drawText(area, Qt.AlignmentFlag.AlignHCenter, text)
