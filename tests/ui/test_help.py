"""The help and the first map in seven steps: what the pages say is so, and F1 leads there."""

import re
from pathlib import Path

import pytest
from PIL import Image
from PySide6.QtCore import QPoint, QRect, Qt, QUrl
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton, QWidget
from tests.ui.conftest import LEFT, drag, settle

from knitground.core.edit.maps import delete_map
from knitground.core.model import limits
from knitground.ui.common.helping import help_bell
from knitground.ui.common.tasks import wait_for_jobs
from knitground.ui.help.pages import ABOUT, FOLDER, KEYS, PAGES, anchor_of, written_pages
from knitground.ui.help.window import place_of
from knitground.ui.mapside.dialogs import NewMapDialog
from knitground.ui.stagekinds import STAGES

HOME = Path(__file__).parents[2]


@pytest.fixture
def helped(window):
    yield window
    if window._help is not None:
        window._help.close()
        window._help.deleteLater()
        window._help = None


def test_every_link_and_picture_of_the_pages_is_there():
    pages = {each.key: each for each in written_pages()}
    assert set(PAGES) == {*pages, KEYS}
    assert {each.key for each in STAGES} <= set(pages)
    assert {each.name for each in FOLDER.glob("*.md")} == {f"{key}.md" for key in pages}
    shown = set()
    for page in pages.values():
        assert 60 < len(page.text.split()) < 420, page.key  # short, and not empty
        for name, target in re.findall(r"\[([^\]]+)\]\(([^)]+)\)", page.text):
            if target.endswith(".png"):
                with Image.open(FOLDER / target) as picture:
                    assert picture.width <= 600
                shown.add(target)
                assert name  # is read to those who do not see it
            else:
                key, _, anchor = target.removesuffix(".md").partition("#")
                assert key in PAGES, (page.key, target)
                assert not anchor or anchor in pages[key].anchors
    assert {each.name for each in FOLDER.glob("*.png")} == shown


def test_the_documents_hold_the_same_pages():
    docs = HOME / "docs/help"
    assert {each.name for each in docs.glob("*.md")} == {each.name for each in FOLDER.glob("*.md")}
    assert (docs / "begin.md").read_bytes() == (FOLDER / "begin.md").read_bytes()


def test_keys_that_pages_name_are_those_of_the_commands(window):
    keys = {each.keys for each in window.commands.all if each.keys}
    alone = {"Esc", "Enter", "Space", "Shift", "Ctrl", "Backspace"}
    for page in written_pages():
        for key in re.findall(r"\b(?:Ctrl|Shift|Alt)\+[A-Z0-9]\b|\bF\d+\b", page.text):
            assert key in keys or key in alone, (page.key, key)
        for name, key in re.findall(r"\b([A-Z][a-z]+) \(([A-Z][\w+]*)\)", page.text):
            named = [each for each in window.commands.all if each.text == name]
            assert named, (page.key, name)
            assert named[0].keys == key, (page.key, name)


def test_limits_on_the_page_are_those_of_the_program():
    page = next(each for each in written_pages() if each.key == "limits").text
    numbers = [int(each.replace(" ", "")) for each in re.findall(r"\d[\d ]*\d|\d", page)]
    for limit in (
        limits.MAX_SIDE_PX, limits.MAX_SHEET_PIXELS, limits.MAX_SIDE, limits.MAX_CELLS,
        limits.MAX_PROJECT_CELLS, limits.MAX_LAYERS, limits.MAX_TERRAINS, limits.MAX_MARKERS,
        limits.MAX_FRAMES, limits.MAX_PIECES, limits.MAX_STEPS, limits.MAX_RULES, limits.MAX_PARTS,
    ):  # fmt: skip
        assert limit in numbers, limit


def test_what_parts_of_the_window_lead_to_is_there():
    pages = {each.key: each for each in written_pages()}
    source = "".join(
        each.read_text() for each in (HOME / "src/knitground/ui").rglob("*.py")
    )  # fmt: skip
    for name, place in ABOUT.items():
        assert re.search(rf"^class {name}\b", source, re.MULTILINE), name
        key, _, anchor = place.partition("#")
        assert not anchor or anchor in pages[key].anchors, place
    assert anchor_of("A set from two tiles") in pages["terrains"].anchors


def test_f1_tells_about_what_is_under_the_pointer(helped):
    side = helped.mapside
    shown = helped.help_here(side.strip)
    assert shown.isVisible()
    assert shown.page == "map"
    assert shown.browser.textCursor().block().text() == "Layers"
    grow = helped.stages["grow"]
    helped.show_stage("grow")
    settle()
    assert helped.help_here(grow.reroll) is shown
    assert shown.page == "grow"
    assert shown.pointed.text().endswith("“Reroll”: Take the next seed for all steps")
    helped.show_stage("ship")
    helped.help_here(helped.shell.rail)  # nothing of its own: the stage's page
    assert shown.page == "ship"
    QTest.keyClick(shown, Qt.Key.Key_Escape)
    assert not shown.isVisible()
    helped.commands.named("Help for what is here").action.trigger()
    assert shown.isVisible()
    assert helped.commands.named("Help for what is here").keys == "F1"


def test_f1_in_a_dialog_opens_beside_it(helped):
    dialog = NewMapDialog(helped.session, helped.shell)
    dialog.show()
    dialog.activateWindow()
    settle()
    QTest.keyClick(dialog, Qt.Key.Key_F1)
    shown = helped._help
    assert shown.parentWidget() is dialog  # or a dialog that blocks would block it too
    assert shown.page == "map"
    dialog.close()
    dialog.deleteLater()
    settle()
    again = helped.show_help("begin")
    assert again.parentWidget() is helped.shell
    assert place_of(QWidget()) == ""
    assert help_bell() is help_bell()


def test_the_search_lists_pages_and_marks_words(helped):
    shown = helped.show_help("begin")
    shown.field.setText("gap")
    titles = [shown.list.item(n).text() for n in range(shown.list.count())]
    assert titles[0] == "What to do about gaps"
    assert shown.page == "gaps"
    assert len(titles) < len(PAGES)
    marks = shown.browser.extraSelections()
    assert len(marks) > 2
    assert all(each.cursor.selectedText().casefold() == "gap" for each in marks)
    shown.field.setText("zzzz")
    assert shown.list.count() == 0
    shown.field.clear()
    assert shown.list.count() == len(PAGES)
    assert not shown.browser.extraSelections()
    shown._follow(QUrl("sets.md"))
    assert shown.page == "sets"
    for row in range(shown.list.count()):
        shown.list.setCurrentRow(row)
        assert shown.browser.document().characterCount() > 200


def test_the_page_of_keys_holds_every_key(helped):
    shown = helped.show_help(KEYS)
    text = shown.browser.document().toPlainText()
    for each in helped.commands.all:
        if each.keys:
            assert each.text in text
            assert each.keys in text


# A first map


def ticks(window):
    return sum(window.first.done)


def test_the_first_map_ticks_itself_off_while_one_works(window, tmp_path, monkeypatch):
    first, session = window.first, window.session
    assert not first.isVisible()  # put away: it says nothing
    window.commands.named("First map in seven steps").action.trigger()
    settle()
    assert first.isVisible()
    assert first.title.text() == "5  Paint on it"  # the demo has sheets, marks and maps
    session.apply(delete_map(session.project, session.project.maps[-1]))
    assert ticks(window) == 4
    window.show_stage("draw")
    settle()
    assert not first.show_me.isVisible()  # one is there
    view = window.mapside.view
    middle = view.rect().center()
    drag(view, middle, middle + QPoint(40, 0))
    settle()
    assert first.title.text() == "6  Let it grow"
    session.undo()
    settle()
    assert first.title.text() == "6  Let it grow"  # it was done once
    QTest.mouseClick(first.show_me, LEFT)
    settle()
    assert window.stage.key == "grow"
    QTest.mouseClick(window.stages["grow"].reroll, LEFT)
    for _ in range(6):
        wait_for_jobs()
        settle()
    assert first.title.text() == "7  Ship it"
    QTest.mouseClick(first.show_me, LEFT)
    settle()
    ship = window.stages["ship"]
    ship.folder.setText(str(tmp_path / "out"))
    ship.ship_now()
    for _ in range(6):
        wait_for_jobs()
        settle()
    assert first.title.text() == "That is a map"
    assert first.stitches.accessibleName() == "7 of 7 steps done"
    QTest.mouseClick(first.away, LEFT)
    assert not first.isVisible()
    assert not first.is_wanted  # and stays away at the next start


def test_what_is_painted_by_keys_ticks_it_off_too(window):
    window.first.call_back()
    window.show_stage("draw")
    settle()
    view = window.mapside.view
    view.setFocus()
    QTest.keyClick(window.shell, Qt.Key.Key_3)
    view.show_cell(2, 2)
    for key in (Qt.Key.Key_Return, Qt.Key.Key_Right, Qt.Key.Key_Right, Qt.Key.Key_Return):
        QTest.keyClick(view, key)
    settle()
    assert window.session.doc.history.undo_name
    assert window.first.title.text() == "6  Let it grow"


def test_the_first_map_on_a_sheet_of_ones_own(empty_window, demo_folder):
    window, first = empty_window, empty_window.first
    first.call_back()
    settle()
    assert ticks(window) == 0
    window.sheets.add_sheets([next(demo_folder.rglob("pans.png"))])
    for _ in range(6):
        wait_for_jobs()
        settle()
    assert window.stage.key == "slice"
    assert first.title.text() == "2  See how it is cut"
    assert first.show_me.text() == "It is right: go on"
    QTest.mouseClick(first.show_me, LEFT)
    settle()
    assert window.stage.key == "terrains"
    assert first.title.text() == "3  Say what the tiles show"


def test_the_card_leaves_the_benches_their_room(window):
    window.first.call_back()
    for size in ((900, 600), (1280, 800)):
        window.shell.resize(*size)
        for each in STAGES:
            window.show_stage(each.key)
            settle()
            first = window.first
            assert first.height() < (130 if size[1] > 700 else 90)
            assert first.words.isVisible() == (size[1] > 700)
            assert first.words.isVisible() or first.words.text() in first.toolTip()
            inside = QRect(QPoint(), window.shell.size())
            assert inside.contains(QRect(first.mapTo(window.shell, QPoint()), first.size()))
            for part in first.findChildren(QPushButton):
                if part.isVisible():
                    assert part.width() >= part.sizeHint().width()
