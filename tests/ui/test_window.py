import sys
import time

import numpy as np
import pytest
import shiboken6
from PySide6.QtCore import QEvent, QObject, QPoint, Qt, QTimer
from PySide6.QtGui import QColor
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QApplication,
    QMessageBox,
    QPushButton,
    QTabBar,
    QToolButton,
    QWidget,
)
from tests.maps import snapshot
from tests.ui.conftest import EXEC, LAYERS, LEFT, click, drag, pixels, settle, wake

from knitground.core.base.errors import Cancelled
from knitground.core.edit.maps import rename_map
from knitground.core.files.copies import waiting_copies
from knitground.core.model.project import Project
from knitground.ui import tour
from knitground.ui.common import theme as themes
from knitground.ui.common.finder import match
from knitground.ui.common.menus import MENUS
from knitground.ui.common.question import Question
from knitground.ui.common.tasks import Job, run_with_progress, wait_for_jobs, work_title
from knitground.ui.common.theme import LINEN, LOOM
from knitground.ui.common.widgets import icon_button, row
from knitground.ui.common.words import bytes_text, percent
from knitground.ui.project.memory import Memory
from knitground.ui.rail import STAGES
from knitground.ui.shell import Shell
from knitground.ui.window import Window

CTRL = Qt.KeyboardModifier.ControlModifier


def contrast(a, b):
    def light(colour):
        parts = [
            c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4
            for c in (colour.redF(), colour.greenF(), colour.blueF())
        ]
        return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]

    high, low = sorted((light(QColor(a)), light(QColor(b))), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("theme", [LINEN, LOOM])
@pytest.mark.parametrize("ground", ["window", "panel", "sunken"])
@pytest.mark.parametrize("ink", ["ink", "ink2", "accent", "good", "warning"])
def test_text_stands_out_from_its_ground(theme, ground, ink):
    if ground == "sunken" and ink in ("good", "warning"):
        return  # notes of these kinds stand on panels only
    assert contrast(getattr(theme, ground), getattr(theme, ink)) >= 4.5


def test_this_build_of_qt_keeps_its_references(qapp):
    widget = QWidget()
    before = sys.getrefcount(None)
    for _ in range(1000):
        widget.setObjectName("x")
    assert sys.getrefcount(None) > before - 500


def test_a_window_that_was_shown_before_it_was_furnished_shows_everything(qapp, tmp_path):
    shell = Shell()
    shell.show()
    settle()
    window = Window(shell, Memory(tmp_path))
    settle()
    assert window.title.isVisible()
    assert window.start.isVisible()
    shell.close()


def test_closing_calls_off_what_goes_on_beside_the_window(qapp, tmp_path):
    shell = Shell()
    Window(shell, Memory(tmp_path))
    shell.show()
    rounds = []

    def goes_on(progress):
        for n in range(100_000):  # a solve may be set to go on for minutes
            rounds.append(n)
            time.sleep(0.001)
            progress(n / 100_000)

    told = []
    Job(goes_on, told.append, told.append).start()
    shell.close()
    assert not shell.isVisible()
    assert len(rounds) < 50_000
    assert [type(each) for each in told] == [Cancelled]


def test_the_shell_paints_before_the_rest_is_made(qapp, qtbot):
    shell = Shell()
    order = []
    shell.painted.connect(lambda: order.append("painted"))
    shell.after_first_paint(lambda: order.append("then"))
    shell.show()
    qtbot.waitUntil(lambda: len(order) == 2)
    assert order == ["painted", "then"]
    shell.close()


@pytest.mark.parametrize("number", range(1, len(STAGES) + 1))
def test_ctrl_and_a_digit_jump_to_a_stage(window, number):
    QTest.keyClick(window.shell, Qt.Key(Qt.Key.Key_0 + number), CTRL)
    assert window.stage.key == STAGES[number - 1].key
    assert window.bench.currentWidget().widget() is window.stage
    assert window.mapside.isVisible() == (window.stage.key != "slice")


def test_the_rail_is_clicked_and_stepped(window):
    rail = window.shell.rail
    click(rail, QPoint(38, 30))
    assert window.stage.key == "slice"
    for key in ("tiles", "terrains", "rules", "draw", "grow", "proof", "ship"):
        QTest.keyClick(rail, Qt.Key.Key_Down)
        assert window.stage.key == key
    QTest.keyClick(window.shell, Qt.Key.Key_4, Qt.KeyboardModifier.ControlModifier)
    assert window.stage.key == "rules"


def test_an_empty_project_shows_ways_to_begin(empty_window):
    assert empty_window.start.isVisible()
    texts = [b.text() for b in empty_window.start.findChildren(QPushButton)]
    assert {"Open sheet…", "Open the demo", "Open project…"} <= set(texts)


def test_the_demo_opens_from_the_empty_page(empty_window, tmp_path):
    empty_window.files.open_demo(tmp_path / "demo")
    wait_for_jobs()
    settle()
    assert empty_window.session.project.name == "Harl Pans"
    assert not empty_window.start.isVisible()
    assert empty_window.memory.recent == [tmp_path / "demo"]


def test_every_command_is_found_and_every_button_says_what_it_does(window):
    finder = window.find_command()
    assert finder.list.count() >= 35
    finder.field.setText("lock lay")
    assert "Lock or unlock layer" in finder.list.item(0).text()
    assert "J" in finder.list.item(0).text()
    QTest.keyClick(finder.field, Qt.Key.Key_Return)
    assert window.session.layer.locked
    for stage in STAGES:
        window.show_stage(stage.key)
        settle()
        for widget in [
            *window.shell.findChildren(QPushButton),
            *window.shell.findChildren(QToolButton),
        ]:
            if widget.isVisible():
                assert widget.toolTip() or widget.text(), widget


@pytest.mark.parametrize(
    ("letters", "best"),
    [("undo", "Edit › Undo"), ("zin", "View › Zoom in"), ("newm", "Map › New map…")],
)
def test_the_finder_ranks_what_fits_best(letters, best):
    titles = [
        "Edit › Undo",
        "Layer › Lock or unlock layer",
        "View › Zoom in",
        "Map › New map…",
        "Sheet › Use this slicing",
    ]
    rated = sorted((match(letters, t), t) for t in titles if match(letters, t) is not None)
    assert rated[0][1] == best
    assert match("qqq", best) is None


def test_every_command_stands_in_one_menu_and_no_menu_is_long(window):
    menus = {action.text(): action.menu().actions() for action in window.shell.menuBar().actions()}
    assert list(menus) == [name for name, _ in MENUS]
    lines = [each.text() for actions in menus.values() for each in actions
             if not each.isSeparator()]  # fmt: skip
    assert len(lines) == len(set(lines))
    assert {*lines} == {each.text for each in window.commands.all} | {"Lately"}
    for name, groups in MENUS:
        told = [text for group in groups for text in group]
        shown = [each.text() for each in menus[name] if not each.isSeparator()]
        assert shown == told, "what nobody has put anywhere would come last"
        assert len(shown) <= 16
        assert not menus[name][0].isSeparator()
    assert all(each.title.startswith(f"{each.menu} › ") and each.menu for each in
               window.commands.all)  # fmt: skip


def test_shortcuts_are_not_taken_twice(window):
    seen = {}
    for command in window.commands.all:
        for keys in command.action.shortcuts():
            text = keys.toString()
            assert text not in seen, f"{text}: {seen.get(text)} and {command.text}"
            seen[text] = command.text


# The layer strip


def test_layers_are_added_renamed_moved_hidden_locked_deleted(window):
    strip, session = window.mapside.strip, window.session
    start = snapshot(session.project)
    strip.layers.add_tiles()
    assert [card.layer.name for card in strip.cards] == ["Pans", "Tiles", *LAYERS[1:]]
    assert session.layer.name == "Tiles"
    strip.layers.add_ground("pans", "Pans")
    assert session.layer.name == "Pans 2"
    QTest.mouseClick(strip.cards[0].eye, LEFT)
    assert not session.map.layers[0].visible
    QTest.mouseClick(strip.cards[0].lock, LEFT)
    assert session.map.layers[0].locked
    QTest.keyClick(window.shell, Qt.Key.Key_BracketRight, CTRL)
    assert [layer.name for layer in session.map.layers][3] == "Pans 2"
    strip.layers.delete()
    assert "Pans 2" not in [layer.name for layer in session.map.layers]
    while session.doc.undo():
        pass
    assert snapshot(session.project) == start
    assert [card.layer.name for card in strip.cards] == LAYERS


def test_a_card_is_chosen_by_a_click_and_dropped_elsewhere(window):
    strip, session = window.mapside.strip, window.session
    click(strip.cards[2], QPoint(30, 70))
    assert session.layer.name == "Props"
    strip.drop_at(session.layer, QPoint(0, 40))
    assert [layer.name for layer in session.map.layers] == [
        "Props", "Pans", "Causeway", *LAYERS[3:],
    ]  # fmt: skip
    assert session.doc.history.names == ["Move layer “Props”"]


def test_hiding_a_layer_changes_what_is_seen(window):
    view = window.mapside.view
    settle()
    before = pixels(view)
    window.session.choose_layer(window.session.map.layers[0])
    window.mapside.strip.layers.toggle_eye()
    settle()
    assert (pixels(view) != before).mean() > 0.3
    window.session.doc.undo()
    settle()
    assert (pixels(view) == before).mean() > 0.999


def test_maps_are_shown_as_tabs(window):
    tabs = window.mapside.tabs
    assert tabs.count() == 5
    QTest.keyClick(window.shell, Qt.Key.Key_Tab, CTRL)
    tabs.setCurrentIndex(1)
    assert window.session.map.name == "North basin"
    window.mapside.maps.delete_map()
    assert tabs.count() == 4
    window.session.doc.undo()
    assert tabs.count() == 5


def test_tabs_have_room_for_the_chosen_one(window):
    choose, tabs = window.session.choose_map, window.mapside.tabs
    first, second = window.session.project.maps[:2]
    choose(second)
    window.mapside.maps.delete_map()
    settle()
    window.session.doc.undo()
    settle()
    choose(first)
    settle()
    assert tabs.width() >= tabs.sizeHint().width()
    assert not any(arrow.isVisible() for arrow in tabs.findChildren(QToolButton))


def test_without_maps_the_button_for_one_stands_where_tabs_begin(empty_window):
    side = empty_window.mapside
    plus = next(each for each in side.findChildren(QPushButton) if each.text() == "+")
    empty_window.session.open(Project("Empty"))
    empty_window.show_stage("draw")
    settle()
    assert plus.mapTo(side, QPoint()).x() < 10


# Theme, memory, leaving


def test_the_dark_theme_is_kept(window, qapp):
    before = pixels(window.shell)
    window.set_theme("Loom")
    settle()
    try:
        assert (pixels(window.shell) != before).mean() > 0.3
        assert window.memory.get("theme", "") == "Loom"
    finally:
        window.set_theme("Linen")


def test_another_theme_dresses_what_is_seen_and_what_comes_into_view(window, qapp):
    window.session.show(playing=False)
    stages = ("slice", "rules", "grow", "draw")
    for name in stages:
        window.show_stage(name)
        settle()
    window.set_theme("Loom")
    found = {}
    for name in reversed(stages):
        window.show_stage(name)
        settle()
        found[name] = pixels(window.shell)
    tour.settle(60)
    qapp.setStyleSheet(qapp.styleSheet())  # Qt dresses all widgets itself, in its own long time
    for name in stages:
        window.show_stage(name)
        settle()
        other = np.argwhere(pixels(window.shell) != found[name])
        assert not len(other), (name, other.min(0), other.max(0))


def test_dressing_for_another_theme_comes_to_an_end_on_any_machine(window, qapp, monkeypatch):
    """Each turn dresses something, however slow it is, and nothing goes on after the last."""
    monkeypatch.setattr(themes, "_PULSE_S", 0.0)
    window.set_theme("Loom")
    wardrobe = themes._wardrobe[0]
    turns, most = 0, len(qapp.allWidgets())
    while wardrobe._timer.isActive():
        before = len(wardrobe._to_do)
        wardrobe._go_on()
        turns += 1
        assert turns <= most, before
    assert turns > 100
    worn = {each.property("knitground_wears") for each in window.shell.findChildren(QWidget)}
    assert worn == {"Loom"}
    made = [themes._Wardrobe._dress_all_of]
    monkeypatch.setattr(themes._Wardrobe, "_dress_all_of", lambda *_: made.clear())
    settle()
    assert made, "and then it rests"


def answer(button_text):
    """Press a button of the question that is about to come up."""
    asked = []

    def press():
        box = QApplication.activeModalWidget()
        assert isinstance(box, QMessageBox)
        asked.append(box.text())
        next(b for b in box.buttons() if b.text().replace("&", "") == button_text).click()

    QTimer.singleShot(50, press)
    return asked


@pytest.mark.parametrize(
    ("button", "leaves"), [("Cancel", False), ("Don't save", True), ("Save", True)]
)
def test_leaving_with_unsaved_changes_asks(window, button, leaves, monkeypatch):
    monkeypatch.setattr(QMessageBox, "exec", EXEC)
    window.mapside.strip.layers.add_tiles()
    asked = answer(button)
    assert window.files.may_leave() == leaves
    assert "not saved" in asked[0]
    assert window.session.doc.history.is_saved == (button == "Save")


def test_leaving_without_changes_does_not_ask(window):
    assert window.files.may_leave()


# Faults and long work


def test_our_errors_become_notes_not_faults(window):
    window.crash.handle(Cancelled, Cancelled("called off"), None)
    assert window.notices.text.text() == "called off"
    assert waiting_copies(window.memory.recovery) == []
    assert window.files.keeper.written == 0


def test_long_work_shows_progress_and_cancel_changes_nothing(window, qtbot):
    from threading import Event

    go_on, results = Event(), []

    def work(progress):
        for _ in range(2000):
            progress(0.5)
            if go_on.wait(0.005):
                break
        return "done"

    job = run_with_progress(window.shell, "Working…", work, results.append, results.append)
    assert work_title()
    qtbot.wait(450)
    from PySide6.QtWidgets import QProgressDialog

    dialog = window.shell.findChild(QProgressDialog)
    assert dialog.isVisible()
    cancel = dialog.findChild(QPushButton)
    assert cancel.text() == "Cancel"
    QTest.mouseClick(cancel, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: bool(results), timeout=3000)
    assert isinstance(results[0], Cancelled)
    assert not work_title()
    assert job is not None


def test_faults_in_a_thread_are_not_swallowed(qapp, qtbot):
    def work(_progress):
        raise ZeroDivisionError

    with qtbot.captureExceptions() as faults:
        Job(work, print, print).start()
        wait_for_jobs()
    assert [kind for kind, _, _ in faults] == [ZeroDivisionError]


def test_work_for_a_window_that_is_gone_ends_in_silence(qapp):
    owner, told = QWidget(), []
    job = Job(lambda _: 1, told.append, told.append, owner=owner)
    job.start()
    shiboken6.delete(owner)
    wait_for_jobs()
    assert told == []


def test_a_newer_question_calls_off_the_work_on_the_one_before(window, qtbot):
    rounds, answers = [], []
    beside = Question(lambda: window.session.doc, window.shell)

    def long(progress):
        for n in range(20_000):
            rounds.append(n)
            time.sleep(0.001)
            progress(n / 20_000)
        return "old"

    beside.ask(long, answers.append)
    qtbot.waitUntil(lambda: bool(rounds))
    beside.ask(lambda _: "new", answers.append)
    qtbot.waitUntil(lambda: bool(answers))
    assert answers == ["new"]
    assert len(rounds) < 10_000
    beside.ask(long, answers.append)
    beside.forget()
    wait_for_jobs()
    assert answers == ["new"]
    assert not beside.is_busy


def test_words_for_numbers():
    assert [percent(p) for p in (0, 0.0004, 0.005, 0.34, 1)] == [
        "0 %",
        "< 0.1 %",
        "0.5 %",
        "34 %",
        "100 %",
    ]
    assert [bytes_text(n) for n in (12, 4096, 5_000_000)] == ["12 B", "4 KB", "4.8 MB"]


def test_a_large_map_opens_pans_and_paints(window):
    """4096 × 4096 cells and four layers: only what is looked at is knitted and drawn."""
    from knitground.core.edit.maps import add_map
    from knitground.core.model.map import Map

    session = window.session
    map_ = Map("Large", 4096, 4096, 16, 16)
    for _ in range(2):
        layer = map_.new_ground_layer("G", "pans", "Pans")
        layer.terrain[:] = 2
        map_.layers.append(layer)
        map_.layers.append(map_.new_tile_layer("T"))
    session.doc.apply(add_map(session.project, map_))
    session.choose_map(map_)
    window.show_stage("draw")
    settle()
    view = window.mapside.view
    view.show_cell(2000, 2000)
    window.stage.digit(1)
    session.choose_layer(map_.layers[0])
    drag(view, view.screen_at(2000, 2000), view.screen_at(2004, 2010))
    assert (map_.layers[0].terrain[2000:2004, 2000:2004] == 1).any()
    assert np.count_nonzero(map_.layers[0].cells) < 4096 * 4096
    drag(view, QPoint(300, 200), QPoint(100, 100), button=Qt.MouseButton.MiddleButton)
    assert view.camera.zoom == 1
    session.doc.undo()
    assert (map_.layers[0].terrain == 2).all()


def test_a_flat_button_is_never_squeezed_to_nothing(window):
    """Qt complains of every picture that is drawn on something without any height."""
    button = icon_button("mdi6.close", lambda: None, "Take it out")
    line = QWidget(window.shell)
    line.setLayout(row(button))
    line.setGeometry(0, 0, 60, 4)
    line.show()
    settle()
    assert button.height() >= 12
    line.deleteLater()


def test_a_long_map_name_leaves_room_for_the_others_and_is_told_whole(window):
    session, tabs = window.session, window.mapside.tabs
    long = "Wet windward meadow " * 9 + "one"
    for place, name in ((0, long), (2, long[:-3] + "two")):
        session.do(
            lambda name=name, place=place: rename_map(
                session.project, session.project.maps[place], name
            )
        )
    settle()
    assert tabs.tabText(0).endswith("one")
    assert tabs.tabText(2).endswith("two  ⟲")
    assert tabs.tabText(1).startswith("North basin")
    assert tabs.tabToolTip(0).startswith(long)
    assert all(tabs.tabRect(n).right() <= tabs.width() for n in range(3))
    session.do(
        lambda: rename_map(
            session.project, session.project.maps[0], long.replace("meadow", "hollow", 1)
        )
    )
    settle()
    assert "hollow" in tabs.tabToolTip(0)


@pytest.mark.parametrize("size", [(900, 600), (1280, 800), (2560, 1440)])
def test_no_bench_lies_over_itself_and_the_map_stays_in_the_window(window, size):
    shell = window.shell
    before = shell.size()
    shell.resize(*size)
    try:
        for key in window.stages:
            window.show_stage(key)
            settle()
            assert (shell.width(), shell.height()) == size, key
            stage, least = window.stage, window.stage.minimumSizeHint()
            assert stage.width() >= least.width(), key
            assert stage.height() >= least.height(), key
            area = window.bench.currentWidget()
            bars = area.horizontalScrollBar(), area.verticalScrollBar()
            assert bars[0].maximum() == max(0, stage.width() - area.viewport().width())
            assert bars[1].maximum() == max(0, stage.height() - area.viewport().height())
            for tabs in stage.findChildren(QTabBar) if size != (900, 600) else ():
                for n in range(tabs.count()):
                    tabs.setCurrentIndex(n)
                    settle()
                    assert bars[0].maximum() == bars[1].maximum() == 0, f"{key} has room"
            if stage.shows_map:
                side = window.mapside
                right = side.mapTo(shell, QPoint(side.width(), 0)).x()
                assert right <= size[0], key
                parts = [each for each in side.ribbon.children() if isinstance(each, QWidget)]
                for each in parts:
                    if each.isVisible():
                        assert each.geometry().right() <= side.ribbon.width(), (key, each)
    finally:
        shell.resize(before)
        settle()


def test_a_window_at_rest_lays_nothing_out(window):
    """Of anything that asks to be laid out again and again a whole core would go."""
    wake(window)
    asked = []

    class Watch(QObject):
        def eventFilter(self, watched, event):  # noqa: N802 - Qt's name
            if event.type() is QEvent.Type.LayoutRequest:
                asked.append(watched)
            return False

    def comes_to_rest():
        """Pictures that are made beside may still come, on a busy machine late; then it ends."""
        for _ in range(60):
            asked.clear()
            for _ in range(20):
                QApplication.processEvents()
            if not asked:
                return True
            QTest.qWait(50)
        return False

    watch = Watch()
    QApplication.instance().installEventFilter(watch)
    try:
        for size in ((1280, 800), (900, 600)):
            window.shell.resize(*size)
            for key in window.stages:
                window.show_stage(key)
                settle()
                assert comes_to_rest(), f"{key}: {asked[:3]}"
    finally:
        QApplication.instance().removeEventFilter(watch)
        window.shell.resize(1280, 800)
