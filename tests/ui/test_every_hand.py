"""For every eye and hand: names for who hears the window, contrast, keys, touch pads, places."""

import pytest
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import (
    QAccessible,
    QFontInfo,
    QInputDevice,
    QNativeGestureEvent,
    QPalette,
    QPointingDevice,
    QWheelEvent,
)
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractSpinBox,
    QApplication,
    QCheckBox,
    QFileDialog,
    QLineEdit,
    QTabBar,
    QWidget,
)
from tests.ui.conftest import NONE, settle
from tests.ui.test_window import contrast

from knitground.core.edit.hand import TileInHand
from knitground.core.files.opening import open_project
from knitground.ui.common.filedialogs import ask_file, ask_files, ask_folder, ask_new_file
from knitground.ui.common.marks import Face, draw_shared
from knitground.ui.common.painting import blank, painting
from knitground.ui.common.theme import LINEN, LOOM, TEXT_SIZES, set_text_size, text_px, theme
from knitground.ui.stagekinds import STAGES
from knitground.ui.stages.draw.bench import TABS


def spoken(widget):
    part = QAccessible.queryAccessibleInterface(widget)
    return part.text(QAccessible.Text.Name).strip() if part is not None else ""


def reachable(root):
    """All that can have the keyboard and is seen; the field inside a box speaks as the box."""
    for each in root.findChildren(QWidget):
        if each.isVisible() and each.focusPolicy() != Qt.FocusPolicy.NoFocus:
            inner = isinstance(each, QLineEdit) and isinstance(
                each.parentWidget(), QAbstractSpinBox
            )
            if not inner:
                yield each


def test_all_that_can_have_the_keyboard_has_a_name(window):
    nameless, seen = set(), set()
    for kind in STAGES:
        window.show_stage(kind.key)
        for _ in range(4):
            settle()
        stage = window.stages[kind.key]
        bars = [bar for bar in stage.findChildren(QTabBar) if bar.isVisible()]
        for bar in bars or [None]:
            for n in range(bar.count() if bar is not None else 1):
                if bar is not None:
                    bar.setCurrentIndex(n)
                    settle()
                for each in reachable(window.shell):
                    seen.add(id(each))
                    if not spoken(each) and type(each).__name__ not in ("SliceSheet",):
                        nameless.add((kind.key, type(each).__name__, each.toolTip()[:40]))
    assert len(seen) > 250
    assert not nameless


def test_what_is_alike_on_cards_says_which_card_it_is(window):
    window.show_stage("grow")
    for _ in range(4):
        settle()
    strip = window.mapside.strip
    names = [spoken(part) for card in strip.cards for part in (card.eye, card.lock)]
    assert len(set(names)) == len(names)
    assert names[0] == "Hide Pans"
    boxes = [each for each in window.stage.findChildren(QCheckBox) if "Runs" in spoken(each)]
    assert len({spoken(each) for each in boxes}) == len(boxes) > 3
    strip.cards[0].eye.click()
    settle()
    assert spoken(strip.cards[0].eye) == "Show Pans"


def test_the_cell_cursor_is_told(window):
    view = window.mapside.view
    view.setFocus()
    view.show_cell(3, 4)
    first = view.accessibleDescription()
    assert "column 4, row 3" in first
    QTest.keyClick(view, Qt.Key.Key_Right)
    assert "column 5, row 3" in view.accessibleDescription()
    assert "Pans" in view.accessibleDescription()  # and what lies there


@pytest.mark.parametrize("theme", [LINEN, LOOM])
def test_borders_of_fields_and_faded_text_can_be_seen(theme):
    for ground in ("window", "panel", "sunken"):
        at = getattr(theme, ground)
        assert contrast(theme.edge, at) >= 3
        assert contrast(theme.faded, at) >= 3.5
        for ink in ("madder", "warning", "good", "ink", "ink2"):
            assert contrast(getattr(theme, ink), at) >= 4.5, (ground, ink)
    assert contrast(theme.on_accent, theme.accent) >= 4.5


@pytest.mark.parametrize("name", ["Linen", "Loom"])
def test_every_text_of_the_window_stands_out(window, name):
    """What the palettes of all parts give to text, against what they give to its ground."""
    window.set_theme(name)
    try:
        for kind in STAGES:
            window.show_stage(kind.key)
            settle()
            for each in window.shell.findChildren(QWidget):
                if not each.isVisible():
                    continue
                palette = each.palette()
                group = QPalette.ColorGroup
                least = 4.5 if each.isEnabled() else 3.5
                which = group.Active if each.isEnabled() else group.Disabled
                for ink, ground in (
                    (QPalette.ColorRole.WindowText, QPalette.ColorRole.Window),
                    (QPalette.ColorRole.Text, QPalette.ColorRole.Base),
                    (QPalette.ColorRole.ButtonText, QPalette.ColorRole.Button),
                ):
                    colour = palette.color(which, ground)
                    if colour.alpha() < 255 or colour.name() == "#000000":
                        continue  # “transparent” in a style sheet: what lies beneath is its ground
                    found = contrast(palette.color(which, ink), palette.color(which, ground))
                    assert found >= least, (kind.key, type(each).__name__, ink)
    finally:
        window.set_theme("Linen")


def test_a_field_is_drawn_with_an_edge_that_can_be_seen(window):
    window.show_stage("grow")
    settle()
    box = window.stages["grow"].seed
    image = box.grab().toImage()
    left = image.pixelColor(0, image.height() // 2)
    assert contrast(left, LINEN.window) >= 3


# By keyboard


def test_tiles_are_taken_with_the_arrows(window):
    window.show_stage("draw")
    bench = window.stages["draw"]
    bench.tabs.setCurrentIndex(TABS.index("Tiles"))
    settle()
    tiles = bench.tiles
    tiles.setFocus()
    QTest.keyClick(tiles, Qt.Key.Key_Right)
    first = window.session.hand
    assert isinstance(first, TileInHand)
    QTest.keyClick(tiles, Qt.Key.Key_Right)
    second = window.session.hand.tile
    assert (second.row, second.col) == (first.tile.row, first.tile.col + 1)
    QTest.keyClick(tiles, Qt.Key.Key_Down)
    assert window.session.hand.tile.row == second.row + 1
    QTest.keyClick(tiles, Qt.Key.Key_Left)
    assert window.session.hand.tile.col == first.tile.col
    for _ in range(30):
        QTest.keyClick(tiles, Qt.Key.Key_Up)  # at the border it stays
    assert window.session.hand.tile.row == 0


# Touch pads

PAD = QPointingDevice(
    "pad", 77, QInputDevice.DeviceType.TouchPad, QPointingDevice.PointerType.Finger,
    QInputDevice.Capability.Position | QInputDevice.Capability.PixelScroll, 3, 3,
)  # fmt: skip


def fingers(widget, across, down, modifiers=NONE, *, phase=Qt.ScrollPhase.ScrollUpdate):
    at = QPointF(widget.rect().center())
    event = QWheelEvent(
        at, QPointF(widget.mapToGlobal(at.toPoint())), QPoint(across, down),
        QPoint(across * 8, down * 8), Qt.MouseButton.NoButton, modifiers, phase, False,
    )  # fmt: skip
    QApplication.sendEvent(widget, event)


def pinch(widget, value, kind=Qt.NativeGestureType.ZoomNativeGesture):
    at = QPointF(widget.rect().center())
    event = QNativeGestureEvent(kind, PAD, 2, at, at, at, value, QPointF())
    QApplication.sendEvent(widget, event)


def test_two_fingers_move_and_a_pinch_zooms(window):
    window.show_stage("terrains")
    settle()
    for view in (window.mapside.view, window.stages["terrains"].sheet):
        left, top, step = view.camera.left, view.camera.top, view.camera.step
        fingers(view, 13, -7)
        assert (view.camera.left, view.camera.top) == (left + 13, top - 7)
        assert view.camera.step == step
        pinch(view, 0.0, Qt.NativeGestureType.BeginNativeGesture)
        pinch(view, 0.12)
        assert view.camera.step == step  # not far enough apart yet
        pinch(view, 0.12)
        assert view.camera.step == step + 1
        pinch(view, -0.5)
        assert view.camera.step == step - 1
        fingers(view, 0, 15, phase=Qt.ScrollPhase.NoScrollPhase)  # a wheel with notches
        assert view.camera.step == step
    size = window.session.desk().size
    fingers(window.mapside.view, 0, 15, Qt.KeyboardModifier.ControlModifier)
    assert window.session.desk().size == size + 1


# Files


def test_dialogs_begin_where_files_of_that_kind_were_chosen_last(window, tmp_path, monkeypatch):
    begun = []

    def answer(value):
        def ask(_parent, _title, folder="", *_):
            begun.append(folder)
            return value

        return ask

    sheets, made = tmp_path / "sheets", tmp_path / "made"
    for each in (sheets, made):
        each.mkdir()
    shell = window.shell
    monkeypatch.setattr(QFileDialog, "getOpenFileName", answer((str(sheets / "a.png"), "")))
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", answer(([str(sheets / "a.png")], "")))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", answer((str(made / "r.json"), "")))
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", answer(str(made)))
    assert ask_file(shell, "", "sheets") == sheets / "a.png"
    assert ask_files(shell, "", "sheets") == [sheets / "a.png"]
    assert ask_new_file(shell, "", "recipes", "r.json", "") == made / "r.json"
    assert ask_new_file(shell, "", "recipes", "r.json", "") == made / "r.json"
    assert ask_folder(shell, "", "projects", str(tmp_path)) == made
    assert ask_folder(shell, "", "projects") == made
    assert begun == ["", str(sheets), "r.json", str(made / "r.json"), str(tmp_path), str(made)]
    assert window.memory.get("folder of sheets", "") == str(sheets)  # for the next start
    sheets.rmdir()
    ask_file(shell, "", "sheets")
    assert begun[-1] == ""  # it is gone
    monkeypatch.setattr(QFileDialog, "getOpenFileName", answer(("", "")))
    assert ask_file(shell, "", "sheets") is None


# Text and theme as one wants them


def test_text_is_written_larger_and_the_window_still_holds_it(window):
    run = {each.text: each.action.trigger for each in window.commands.all}
    app = QApplication.instance()
    try:
        set_text_size(app, TEXT_SIZES[-3])
        for _ in range(3):  # once more than there are
            run["Text larger"]()
        assert text_px() == max(TEXT_SIZES) == app.font().pixelSize()
        assert window.memory.get("text size", 0) == text_px()
        run["Text smaller"]()
        window.shell.resize(1280, 800)
        for kind in STAGES:
            window.show_stage(kind.key)
            settle()
            assert window.shell.width() == 1280
            assert QFontInfo(window.stages[kind.key].font()).pixelSize() == text_px()
    finally:
        run["Text as at first"]()
    assert text_px() == 13


def test_the_theme_can_follow_the_desktop(window, monkeypatch):
    run = {each.text: each.action.trigger for each in window.commands.all}
    scheme = [Qt.ColorScheme.Dark]
    hints = type("Hints", (), {"colorScheme": lambda _: scheme[0]})()
    monkeypatch.setattr("knitground.ui.window.QGuiApplication.styleHints", lambda: hints)
    try:
        run["Theme of the desktop"]()
        assert theme() is LOOM
        scheme[0] = Qt.ColorScheme.Light
        window._follow_desktop()
        assert theme() is LINEN
        run["Theme Loom"]()
        scheme[0] = Qt.ColorScheme.Light
        window._follow_desktop()  # one was chosen: it stays
        assert theme() is LOOM
    finally:
        run["Theme Linen"]()


# Scaled desktops, and written from right to left


def test_marks_stay_sharp_where_the_desktop_is_scaled(qapp, demo_folder):
    """A mark drawn at 200 % holds as many pixels as the screen has: letters are not blown up."""
    project = open_project(demo_folder).project
    kit = project.tilesets[0].sets[0]
    marks = kit.marks[0, 0].tolist()
    shown = {}
    for ratio in (1.0, 2.0, 3.0):
        picture = blank(64, 64, ratio)
        with painting(picture) as painter:
            draw_shared(painter, Face(QRectF(0, 0, 64, 64)), marks, kit)
        assert picture.width() == 64 * ratio
        image = picture.toImage()
        image.setDevicePixelRatio(1)
        shown[ratio] = image
    small = shown[1.0].scaled(128, 128)
    same = sum(
        small.pixel(x, y) == shown[2.0].pixel(x, y) for x in range(128) for y in range(128)
    )  # fmt: skip
    assert same < 128 * 128 * 0.98  # it was drawn anew, not enlarged


def test_from_right_to_left_every_stage_has_its_room(window):
    app = QApplication.instance()
    app.setLayoutDirection(Qt.LayoutDirection.RightToLeft)
    try:
        for kind in STAGES:
            window.show_stage(kind.key)
            for _ in range(3):
                settle()
            shown = window.shell.grab()
            assert not shown.isNull()
            rail = window.shell.rail.mapTo(window.shell, QPoint()).x()
            assert rail > window.shell.width() / 2
            for part in (window.stage, window.mapside):
                if part.isVisible():
                    left = part.mapTo(window.shell, QPoint()).x()
                    assert left >= 0
                    assert left + part.width() <= window.shell.width()
    finally:
        app.setLayoutDirection(Qt.LayoutDirection.LeftToRight)
        settle()
