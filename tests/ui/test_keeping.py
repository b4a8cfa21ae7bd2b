"""Faults, copies, other windows, sheets that change: the person's work stays theirs."""

import os
import sys
from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialog, QInputDialog, QMenu, QMessageBox
from tests.maps import snapshot
from tests.strangers import Stranger, times
from tests.ui.conftest import drag, props_view, settle

from knitground.core.edit.hand import TileInHand
from knitground.core.edit.layers import rename_layer
from knitground.core.edit.sheets import add_region
from knitground.core.edit.sizes import Margins, resize_map
from knitground.core.files.copies import waiting_copies
from knitground.core.files.images import png_bytes
from knitground.core.files.opening import open_project
from knitground.core.files.saving import save_project
from knitground.core.model.layers import GrownLayer, MarkerLayer
from knitground.core.model.properties import Property
from knitground.core.model.tile import TileRef
from knitground.ui.common.tasks import run_with_progress, work_title
from knitground.ui.project.memory import Memory
from knitground.ui.project.savedialog import SaveDialog
from knitground.ui.shell import Shell
from knitground.ui.window import Window


def answers(monkeypatch, *words):
    """Press these buttons of the questions that come; returns what was asked."""
    asked, left = [], list(words)

    def answer(box):
        asked.append(f"{box.text()} {box.informativeText()}".strip())
        wanted = left.pop(0)
        next(each for each in box.buttons() if each.text() == wanted).click()

    monkeypatch.setattr(QMessageBox, "exec", answer)
    return asked


def change(window, name="Changed"):
    session = window.session
    session.apply(rename_layer(session.map, session.map.layers[0], name))


# Faults and jobs


@pytest.mark.parametrize("error", [ValueError("5000 digits"), MemoryError(), KeyboardInterrupt()])
def test_a_fault_in_long_work_leaves_the_window_usable(window, error, monkeypatch):
    monkeypatch.setattr(sys, "excepthook", window.crash.handle)
    told = []

    def work(_progress):
        raise error

    session = window.session
    change(window)
    run_with_progress(window.shell, "Working…", work, lambda _: told.append("done"),
                      lambda e: told.append(str(e)), session.doc)  # fmt: skip
    assert work_title()
    assert session.doc.is_leased
    settle()
    assert not work_title()
    assert not session.doc.is_leased
    assert len(told) == 1
    assert "went wrong in the program" in told[0]
    assert session.apply(rename_layer(session.map, session.map.layers[0], "Again"))


def test_a_fault_keeps_a_copy_that_the_next_start_takes_up(window, tmp_path, monkeypatch):
    session = window.session
    change(window)
    before, home = snapshot(session.project), session.project.folder
    window.crash.log_to(window.memory.log)
    window.crash.handle(RuntimeError, RuntimeError("a fault"), None)
    text = window.notices.text.text()
    assert "a fault" in text
    assert "knitground.log" in text
    assert f"a copy of the project is in {window.memory.recovery}" in text
    assert "a fault" in (window.memory.log / "knitground.log").read_text()
    window.files.keeper.slot.let_go()  # the process is gone
    (copy,) = waiting_copies(window.memory.recovery)
    assert copy.fault
    asked = answers(monkeypatch, "Later", "Take up the copy")
    assert not window.files.offer_copies()
    assert window.files.offer_copies()
    assert "Harl Pans" in asked[0]
    assert str(home) in asked[0]
    assert snapshot(session.project) == before
    assert session.project.folder == home
    assert not session.doc.is_saved
    assert window.files.save()
    assert snapshot(open_project(home).project) == before
    assert waiting_copies(window.memory.recovery) == []
    assert not copy.folder.exists()


def test_a_fault_when_all_is_saved_says_so_and_keeps_no_copy(window):
    window.crash.handle(RuntimeError, RuntimeError("a fault"), None)
    assert "(RuntimeError: a fault); everything is saved" in window.notices.text.text()
    assert waiting_copies(window.memory.recovery) == []


def test_a_copy_is_kept_after_some_changes_beside_the_interface(window):
    keeper, session = window.files.keeper, window.session
    keeper.look()
    assert keeper.written == 0, "nothing has changed"
    for n in range(19):
        change(window, f"Name {n}")
    keeper.look()
    assert keeper.written == 0
    change(window, "the twentieth")
    keeper.look()
    settle()
    assert keeper.written == 1
    assert snapshot(open_project(keeper.slot.folder).project) == snapshot(session.project)
    assert (keeper.slot.folder / "picture.png").exists()
    folder = keeper.slot.folder
    assert window.files.save()
    assert not folder.exists(), "what is saved needs no copy"
    keeper._kept_at -= 1000
    change(window, "after a while one change is enough")
    keeper.look()
    settle()
    assert keeper.written == 2


def test_a_project_that_was_never_saved_is_kept_too_and_not_dropped_by_another(
    empty_window, qapp, tmp_path
):
    from tests.ui.test_stages import drop

    path = tmp_path / "sheet.png"
    path.write_bytes(png_bytes(np.full((32, 32, 4), 200, np.uint8)))
    drop(empty_window, path)
    settle()
    assert empty_window.session.project.tilesets
    kept = empty_window.files.keeper.keep()
    shell = Shell()
    other = Window(shell, Memory(tmp_path / "memory"))
    other.session.open(empty_window.session.project.__class__("Other"))
    assert other.files.save_to(tmp_path / "other")
    shell.close()
    assert kept.exists()
    empty_window.files.keeper.slot.let_go()
    assert [each.folder for each in waiting_copies(tmp_path / "memory" / "recovery")] == [kept]
    shell.deleteLater()


# Saving and other windows


def test_a_second_window_is_told_and_overwrites_nothing_unasked(
    window, tmp_path, monkeypatch, qapp
):
    folder = window.session.project.folder
    window.files.open_project(folder)
    settle()
    shell = Shell()
    other = Window(shell, window.memory)
    shell.show()
    other.files.open_project(folder)
    settle()
    assert "open in another window too" in other.notices.text.text()
    change(window, "First")
    change(other, "Second")
    assert window.files.save()
    asked = answers(monkeypatch, "Cancel", "Overwrite")
    assert not other.files.save()
    assert "changed on disk since the project was opened" in asked[0]
    assert open_project(folder).project.maps[0].layers[0].name == "First"
    assert not other.session.doc.is_saved
    assert other.files.save()
    assert open_project(folder).project.maps[0].layers[0].name == "Second"
    other.session.doc.mark_saved()
    shell.close()
    shell.deleteLater()


def test_save_as_over_another_project_asks(window, tmp_path, monkeypatch, demo_folder):
    target = tmp_path / "taken"
    save_project(open_project(demo_folder).project, target)
    change(window)

    def answer(dialog):
        dialog.place.setText(str(target))  # a project's folder is itself meant
        return 1

    monkeypatch.setattr(SaveDialog, "exec", answer)
    asked = answers(monkeypatch, "Cancel")
    assert not window.files.save_as()
    assert "holds another project" in asked[0]
    assert open_project(target).project.maps[0].layers[0].name != "Changed"


def test_a_name_that_can_not_be_saved_is_refused_at_once(window, monkeypatch):
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("x" * 201, True))
    window.commands.named("Rename layer…").action.trigger()
    assert "too long" in window.notices.text.text()
    assert window.files.save()


# Reading and changing at the same time


def test_all_regions_of_a_sheet_follow_when_it_changes_on_disk(window, qtbot):
    session = window.session
    pans = session.project.tilesets[0]
    edit, region = add_region(session.project, pans, (0, 0, 100, 60))
    session.apply(edit)
    assert window.files.save()
    picture = 255 - pans.picture
    picture[..., 3] = 255
    path = session.project.folder / pans.sheet
    path.write_bytes(png_bytes(picture))
    qtbot.waitUntil(lambda: bool((pans.picture == picture).all()), timeout=10_000)
    assert (region.picture == picture).all()
    assert session.doc.history.undo_name == "Read “pans.png” again"
    session.undo()
    assert not (region.picture == picture).all()
    assert not (pans.picture == picture).all()


def test_a_sheet_that_changes_while_the_project_is_read_waits(window, qtbot):
    session = window.session
    pans = session.project.tilesets[0]
    picture = 255 - pans.picture
    picture[..., 3] = 255
    session.doc.take_lease()
    (session.project.folder / pans.sheet).write_bytes(png_bytes(picture))
    QTest.qWait(600)
    settle()
    assert not (pans.picture == picture).all()
    assert not session.do(lambda: rename_layer(session.map, session.layer, "Later"))
    assert session.layer.name != "Later"
    session.doc.end_lease()
    assert session.layer.name == "Later"
    qtbot.waitUntil(lambda: bool((pans.picture == picture).all()), timeout=5000)


def test_what_a_card_asks_for_is_not_lost_if_something_is_drawn_while_it_runs(window):
    window.show_stage("grow")
    settle()
    session, grow = window.session, window.stages["grow"]
    step = session.map.recipe.steps[0]
    grow._change(0, replace(step, scale=step.scale + 3), False)
    grow.runs.run()
    assert grow.runs.job is not None
    session.apply(rename_layer(session.map, session.map.layers[1], "Drawn"))
    settle()
    assert session.map.layers[1].name == "Drawn"
    assert session.map.recipe.steps[0].scale == step.scale + 3


def test_resizing_while_a_recipe_grows_grows_once_more(window):
    window.show_stage("grow")
    settle()
    session, grow = window.session, window.stages["grow"]
    grow.run_new()
    session.apply(resize_map(session.map, Margins(bottom=3, right=-2)))
    settle()
    assert grow.runs.job is None
    assert session.map.height == 67
    names = session.doc.history.names
    assert names[-1] == "Grow"
    grow.roll()
    settle()
    assert session.doc.history.names == [*names, "Grow"]
    assert window.crash.faults == 0


def test_a_long_run_that_is_out_of_date_is_called_off_for_the_newer_one(window, monkeypatch):
    window.show_stage("grow")
    settle()
    session, grow = window.session, window.stages["grow"]
    runs = grow.runs
    monkeypatch.setattr("knitground.ui.stages.grow.runs._SUPERSEDED_SECONDS", 0.0)
    said = []
    monkeypatch.setattr(session, "warn", said.append)
    steps = len(session.doc.history.names)
    grow.run_new()
    first = runs.job
    session.apply(resize_map(session.map, Margins(bottom=1)))
    runs.run()  # what a slider asks for meanwhile
    assert first._stop.is_set()
    settle()
    assert runs.job is None
    assert session.doc.history.names[steps:] == [
        next(n for n in session.doc.history.names[steps:] if n.startswith("Resize")), "Grow",
    ]  # fmt: skip
    assert said == []  # that the first one was called off is nobody's concern


def test_growing_twice_on_one_layer_is_undone_to_the_start(window):
    from dataclasses import replace

    from knitground.core.edit.maps import set_recipe

    window.show_stage("grow")
    session, map_ = window.session, window.session.map
    step = next(each for each in map_.recipe.steps if hasattr(each, "mix"))
    recipe = replace(map_.recipe, steps=(*map_.recipe.steps, replace(step, density=0.9)))
    session.apply(set_recipe(map_, recipe))
    settle()
    start = snapshot(session.project)
    grown = next(each for each in map_.layers if isinstance(each, GrownLayer))
    slider = window.stages["grow"].cards[0].fields["scale"]
    slider.setSliderDown(True)
    for value in (20, 30, 40):
        slider.setValue(value)
        settle()
    slider.setSliderDown(False)
    assert session.doc.history.undo_name == "Grow"
    session.undo()
    assert snapshot(session.project) == start
    assert (grown.cells > 0).any()


# Markers, dialogs


def test_several_markers_keep_what_is_not_typed(window):
    session = window.session
    layer = next(each for each in session.map.layers if isinstance(each, MarkerLayer))
    window.show_stage("draw")
    session.choose_layer(layer)
    settle()
    session.choose_markers(each.number for each in layer.markers)
    before = layer.markers
    page = window.stages["draw"].markers
    page.kind.setFocus()
    page.name.setFocus()
    page.kind.editingFinished.emit()
    assert layer.markers == before, "leaving a field changes nothing"
    assert len({each.kind for each in before}) > 1
    page.properties.add.click()
    name = page.properties.fields["property"][0]
    name.setText("depth")
    name.editingFinished.emit()
    value = page.properties.fields["depth"][2]
    value.setText("7")
    value.editingFinished.emit()
    for old, new in zip(before, layer.markers):
        assert new.properties == (*old.properties, Property("depth", "7"))
        assert new.kind == old.kind
    # Of a property that only some have, or have otherwise, a new name keeps each one's value.
    some = next(each for each in before if each.properties)
    key = some.properties[0].name
    name, _, value = page.properties.fields[key]
    assert (value.text(), value.placeholderText()) == ("", "different")
    name.setText("way out")
    name.editingFinished.emit()
    for old, new in zip(before, layer.markers):
        wanted = [("way out" if p.name == key else p.name, p.value) for p in old.properties]
        assert [(p.name, p.value) for p in new.properties] == [*wanted, ("depth", "7")]


def test_menus_dialogs_and_the_finder_are_gone_when_they_are_closed(window, monkeypatch):
    def count(kind):
        settle()
        return len(window.shell.findChildren(kind))

    strip = window.mapside.strip
    before = (count(QMenu), count(QDialog))
    monkeypatch.setattr(QDialog, "exec", lambda self: 0)
    for _ in range(3):
        strip.ask_kind()
        strip.ask_place()
        strip._menu(window.session.layer, strip.mapToGlobal(strip.rect().center()))
        for menu in window.shell.findChildren(QMenu):
            menu.close()
        finder = window.find_command()
        finder.close()
        window.mapside.maps.new_map()
        window.mapside.maps.resize_map()
    assert (count(QMenu), count(QDialog)) == before


def test_strokes_hold_no_more_memory_than_the_history_counts(window):
    session = window.session
    view = props_view(window)
    session.take(TileInHand(TileRef("props", 0, 4), 4))
    drag(view, view.screen_at(3, 3), view.screen_at(3, 30))
    (step,) = session.doc.history._done
    real = sum(
        sum(part.nbytes for part in (atom.new, atom.old) if isinstance(part, np.ndarray))
        for atom in step.atoms
    )
    assert real <= step.nbytes <= real + 600 * len(step.atoms)
    for _ in range(5):
        window.mapside.maps.duplicate_map()
        window.commands.named("Delete map").action.trigger()
    cells = sum(each.cells.nbytes for each in session.map.layers)
    assert session.doc.history._bytes > 5 * cells


def test_the_window_says_which_process_it_is(window):
    window.files._claim(window.session.project.folder)
    path = next(window.memory.presence.iterdir())
    assert str(os.getpid()) in path.read_text()
    QTest.keyClick(window.shell, Qt.Key.Key_Escape)


# What can not be kept is told


def test_that_no_copy_can_be_kept_is_told_once_until_it_can(window, tmp_path):
    keeper, told = window.files.keeper, []
    keeper.failed.connect(told.append)
    (tmp_path / "full").write_text("no folder")
    keeper.slot.root = tmp_path / "full"

    def look():
        change(window, f"Changed {len(told)} {keeper.written}")
        keeper._kept_at = -1e9
        keeper.look()
        settle()

    look()
    look()
    assert len(told) == 1
    assert "can not be made" in told[0]
    assert "No copy of what is not saved can be kept" in window.notices.text.text()
    assert [each.text() for each in window.notices.cures] == ["Save now"]
    keeper.slot.root = tmp_path / "room"
    look()
    assert keeper.written
    keeper.slot.forget()
    keeper.slot.root = tmp_path / "full"
    look()
    assert len(told) == 2


def test_what_is_left_of_copies_that_never_became_whole_is_tidied(tmp_path):
    old, new, own = (tmp_path / name for name in ("12-0123abcd", "13-0123abcd", "a person's own"))
    for folder in (old, new, own):
        folder.mkdir()
        (folder / "sheet.png").write_bytes(b"x")
    os.utime(old, (1, 1))
    os.utime(own, (1, 1))
    assert waiting_copies(tmp_path) == []
    assert sorted(each.name for each in tmp_path.iterdir()) == [new.name, own.name]


def test_strangers_projects_in_the_window_touch_nothing_outside_their_folder(
    window, tmp_path, monkeypatch
):
    stranger = Stranger(tmp_path, 29)

    def answer(box):
        stranger.rng.choice(box.buttons()).click()

    monkeypatch.setattr(QMessageBox, "exec", answer)
    monkeypatch.setattr(SaveDialog, "exec", lambda _: 0)
    for _ in range(times(25, 400)):
        folder = stranger.next()
        with stranger.eye() as found:
            window.files.open_project(folder)
            settle()
            if window.session.project.folder == folder:
                change(window, "Theirs") if window.session.map else None
                window.files.save()
                settle()
        stranger.assert_untouched(found)
        window.session.doc.mark_saved()
