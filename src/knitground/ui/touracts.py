"""Acts of the tour: waiting, pointing, and what it does in Rules."""

from __future__ import annotations

from time import sleep

import numpy as np
from PySide6.QtCore import QCoreApplication, QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QEnterEvent, QMouseEvent
from PySide6.QtWidgets import QApplication, QWidget

from knitground.core.edit.hand import TileInHand
from knitground.core.knit.layer import marked_tiles
from knitground.ui.common.tasks import wait_for_jobs
from knitground.ui.common.zoom import STEPS
from knitground.ui.stages.rules.bench import TABS as RULE_TABS
from knitground.ui.stages.rules.bench import RulesBench
from knitground.ui.stages.rules.guests import Teacher
from knitground.ui.window import Window


def settle(rounds: int = 20) -> None:
    """Let the window finish what it is doing."""
    for _ in range(rounds):
        wait_for_jobs()
        QApplication.processEvents()
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        sleep(0.01)


def hover(widget: QWidget, at: QPoint) -> None:
    """Let the pointer be somewhere over a widget."""
    point = QPointF(at)
    over_all = QPointF(widget.mapToGlobal(at))
    QApplication.sendEvent(widget, QEnterEvent(point, point, over_all))
    widget.setAttribute(Qt.WidgetAttribute.WA_UnderMouse, True)
    none = Qt.MouseButton.NoButton
    move = QMouseEvent(
        QEvent.Type.MouseMove, point, over_all, none, none, Qt.KeyboardModifier.NoModifier
    )
    QApplication.sendEvent(widget, move)


def tour_rules(window: Window) -> None:
    """Show the rules of a set."""
    window.show_stage("rules")
    layer_named(window, "Causeway")
    bench = window.stage_of(RulesBench)
    bench.tabs.setCurrentIndex(RULE_TABS.index("Rule"))
    bench.mark.setChecked(True)
    _counted(window)
    view = window.mapside.view
    view.zoom_to(STEPS.index(2))
    view.show_cell(30, 46)
    view.leaveEvent(None)


def _counted(window: Window) -> None:
    """Wait until what the rules take is counted."""
    counter = window.stage_of(RulesBench).counter
    for _ in range(40):
        settle(3)
        if counter.is_done:
            return


def tour_teach(window: Window) -> None:
    """Teach that a dyke ends in a post: one cell shown, the others that would change as ghosts."""
    bench = window.stage_of(RulesBench)
    bench.tabs.setCurrentIndex(RULE_TABS.index("Rule"))
    layer_named(window, "Dykes")
    _counted(window)
    home = bench.home
    assert home is not None
    assert home.kit is not None
    assert home.tileset is not None
    marks, tiles = marked_tiles(window.session.project, home.tileset, home.kit)
    alone = int(np.flatnonzero((marks[:, :-1] == 0).all(axis=1))[0])
    tile = tiles[alone]
    window.session.take(TileInHand(tile, home.tileset.number(tile.row, tile.col)))
    bench.lesson.button.click()
    teacher = window.session.taker
    if isinstance(teacher, Teacher):
        teacher.lesson.show_wrong((22, 35))
        teacher.look()
    view = window.mapside.view
    view.zoom_to(STEPS.index(3))
    view.show_cell(22, 35)
    settle()
    hover(view, view.screen_at(24, 37))


def tour_rewrite(window: Window) -> None:
    """Show a list of rewrite rules."""
    bench = window.stage_of(RulesBench)
    bench.lesson.take()
    window.session.undo()
    window.session.choose_map(window.session.project.maps[1])
    layer_named(window, "Draft")
    bench.show_list(window.session.project.rule_lists[0].name)
    _counted(window)
    view = window.mapside.view
    view.zoom_to(STEPS.index(2))
    view.show_cell(20, 22)
    view.leaveEvent(None)


def layer_named(window: Window, name: str) -> None:
    """Choose a layer by its name."""
    map_ = window.session.map
    layers = map_.layers if map_ else []
    window.session.choose_layer(next((each for each in layers if each.name == name), None))
