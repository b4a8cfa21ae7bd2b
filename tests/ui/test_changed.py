"""What changed, in the real window: against the last save, another folder, a revision."""

import shutil
import subprocess
from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog
from tests.ui.conftest import settle

from knitground.core.base.window import Box
from knitground.core.edit.laying import plan_cells
from knitground.core.edit.maps import put_mix, set_background
from knitground.core.edit.rulehome import RuleHome, change_rule
from knitground.core.edit.terrains import paint_marks
from knitground.core.files.copies import CopySlot, drop_copy
from knitground.core.model.tile import TileRef
from knitground.ui.changed import dialog as dialogs
from knitground.ui.changed.dialog import ChangedDialog
from knitground.ui.common.tasks import wait_for_jobs


@pytest.fixture
def dialog(window):
    """The dialog, over a project in which three cells and one mark are not as they were saved."""
    session = window.session
    map_, props = session.map, session.map.layers[2]
    places = np.full((1, 3), map_.legend.place(TileRef("props", 0, 4)), np.int32)
    plan = plan_cells(map_, props, Box(5, 7, 6, 10), places, np.ones((1, 3), bool), "Lay")
    session.apply(plan.edit)
    pans = session.project.tileset_named("pans")
    session.do(lambda: paint_marks(pans, pans.sets[0], [(5, 11, 1)], 2))
    made = ChangedDialog(session, window.shell)
    made.show()
    settle()
    yield made
    made.close()


def compared(dialog, button):
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    wait_for_jobs()
    settle()
    return [(each.part, each.words) for each in dialog.found]


def choose(dialog, part):
    place = next(n for n, each in enumerate(dialog.found) if each.part == part)
    dialog.list.setCurrentRow(place)
    wait_for_jobs()
    settle()


def test_what_is_not_saved_is_listed_shown_and_gone_to(window, dialog):
    found = compared(dialog, dialog.saved)
    assert ("map", "3 cells of “Props” show something else") in found
    assert ("set", "tiles with other marks") in found
    assert "against" in dialog.told.text()
    choose(dialog, "map")
    assert dialog.old.pixmap().toImage() != dialog.new.pixmap().toImage()
    assert not dialog.old.pixmap().isNull()
    choose(dialog, "set")
    assert not dialog.go.isEnabled()
    assert dialog.old.pixmap().toImage() != dialog.new.pixmap().toImage(), "its marks are drawn"
    choose(dialog, "map")
    QTest.mouseClick(dialog.go, Qt.MouseButton.LeftButton)
    view = window.mapside.view
    assert view.rect().contains(view.screen_at(5, 7))


def pick(dialog, words):
    place = next(n for n, each in enumerate(dialog.found) if words in each.words)
    dialog.list.setCurrentRow(place)
    wait_for_jobs()
    settle()


def press(button):
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    wait_for_jobs()
    settle()


def test_one_difference_is_taken_back_as_one_step(window, dialog):
    session = window.session
    compared(dialog, dialog.saved)
    session.do(lambda: set_background(session.map, "#123456"))
    compared(dialog, dialog.saved)
    pick(dialog, "3 cells of “Props”")
    press(dialog.take)
    stone = session.map.legend.place(TileRef("props", 0, 4))
    assert not (session.map.layers[2].cells[5, 7:10] == stone).any()
    assert "Ctrl+Z" in dialog.told.text()
    left = [each.words for each in dialog.found]
    assert "3 cells of “Props” show something else" not in left
    assert {"has another background", "tiles with other marks"} <= set(left)
    pick(dialog, "marks")
    assert not dialog.whole.isEnabled()
    press(dialog.take)
    pick(dialog, "background")
    press(dialog.take)
    assert dialog.found == []
    for _ in range(3):
        session.undo()
    assert ("map", "3 cells of “Props” show something else") in compared(dialog, dialog.saved)


def test_the_whole_map_is_taken_back_as_one_step(window, dialog):
    session = window.session
    session.do(lambda: set_background(session.map, "#123456"))
    pans = session.project.tileset_named("pans")
    session.do(lambda: paint_marks(pans, pans.sets[0], [(5, 11, 1)], 0))
    compared(dialog, dialog.saved)
    choose(dialog, "map")
    press(dialog.whole)
    assert dialog.found == []
    assert session.map is session.project.maps[0], "the map that came is looked at"
    session.undo()
    assert len(compared(dialog, dialog.saved)) == 2


def test_rules_mixes_sets_and_sheets_are_shown_as_pictures(window, dialog):
    session = window.session
    project = session.project
    pans = project.tileset_named("pans")
    home = RuleHome(project, pans, pans.sets[0])
    first = home.rules.rules[0]
    other = replace(first, name="Another", result=replace(first.result, tiles=()))
    session.do(lambda: change_rule(home, first.number, other))
    mix = project.mixes[0]
    session.do(lambda: put_mix(project, replace(mix, entries=mix.entries[:1]), mix))
    session.do(lambda: set_background(session.map, "#123456"))
    compared(dialog, dialog.saved)
    for words, part in (("has other rules", "set"), ("is different", "mix")):
        place = next(n for n, each in enumerate(dialog.found)
                     if (each.part, each.words) == (part, words))  # fmt: skip
        dialog.list.setCurrentRow(place)
        settle()
        shown = [each.pixmap().toImage() for each in (dialog.old, dialog.new)]
        assert not shown[0].isNull()
        assert shown[0] != shown[1]
        press(dialog.take)
    assert home.rules.rules[0] == first
    assert project.mixes[0] == mix


def test_a_kept_copy_of_this_project_is_compared_with(window, tmp_path):
    session, root = window.session, window.files.memory.recovery
    assert window.files.kept_copies() == []
    slot = CopySlot(root)
    session.do(lambda: set_background(session.map, "#123456"))
    slot.write(session.project, session.project.folder)
    slot.let_go()
    other = CopySlot(root)
    other.write(session.project, tmp_path / "elsewhere")
    other.let_go()
    session.undo()
    [copy] = window.files.kept_copies()
    assert copy.home == session.project.folder
    dialog = ChangedDialog(session, window.shell, window.files.kept_copies)
    dialog.show()
    [action] = dialog.kept.menu().actions()
    action.trigger()
    wait_for_jobs()
    settle()
    assert [each.words for each in dialog.found] == ["has another background"]
    press(dialog.take)
    assert session.map.background == "#123456"
    dialog.close()
    drop_copy(copy)


def test_another_folder_or_a_revision_is_compared_with(window, dialog, monkeypatch, tmp_path):
    folder = window.session.project.folder
    other = shutil.copytree(folder, tmp_path / "other")
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_, **__: str(other))
    assert compared(dialog, dialog.other)
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_, **__: str(tmp_path))
    before = list(dialog.found)
    with pytest.MonkeyPatch.context() as patch:
        warned = []
        patch.setattr(window.session, "warn", warned.append)
        compared(dialog, dialog.other)
    assert dialog.found == before, "what can not be read leaves all as it was"
    if shutil.which("git") is None:
        return
    own = ["-c", "user.name=A", "-c", "user.email=a@b"]
    for words in (["init", "-q"], ["add", "-A"], [*own, "commit", "-qm", "x"]):
        subprocess.run(["git", "-C", str(folder), *words], check=True, capture_output=True)
    monkeypatch.setattr(dialogs, "ask_text", lambda *_: "HEAD")
    found = compared(dialog, dialog.revision)
    assert ("map", "3 cells of “Props” show something else") in found
    assert "“HEAD”" in dialog.told.text()
