"""What changed, in the real window: against the last save, another folder, a revision."""

import shutil
import subprocess

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog
from tests.ui.conftest import settle

from knitground.core.base.window import Box
from knitground.core.edit.laying import plan_cells
from knitground.core.edit.terrains import paint_marks
from knitground.core.model.tile import TileRef
from knitground.ui.common.tasks import wait_for_jobs
from knitground.ui.project import changeddialog
from knitground.ui.project.changeddialog import ChangedDialog


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


def test_a_part_is_taken_back_as_one_step(window, dialog):
    session = window.session
    compared(dialog, dialog.saved)
    choose(dialog, "map")
    name = dialog.chosen.name
    assert name == "Harbour pans"
    QTest.mouseClick(dialog.take, Qt.MouseButton.LeftButton)
    assert not (session.project.maps[0].layers[2].cells[5, 7:10] ==
                session.project.maps[0].legend.place(TileRef("props", 0, 4))).any()  # fmt: skip
    assert all(each.name != name for each in dialog.found)
    assert session.map is session.project.maps[0], "the map that came is looked at"
    choose(dialog, "set")
    QTest.mouseClick(dialog.take, Qt.MouseButton.LeftButton)
    assert compared(dialog, dialog.saved) == []
    session.undo()
    session.undo()
    assert ("map", "3 cells of “Props” show something else") in compared(dialog, dialog.saved)


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
    monkeypatch.setattr(changeddialog, "ask_text", lambda *_: "HEAD")
    found = compared(dialog, dialog.revision)
    assert ("map", "3 cells of “Props” show something else") in found
    assert "“HEAD”" in dialog.told.text()
