"""What was accepted can be saved, what is saved is whole, and nobody's work is overwritten."""

import os
import random
import shutil
import signal
import time
from concurrent.futures import ThreadPoolExecutor
from functools import partial

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.core.test_staggered import shifted_project
from tests.edits import Edits
from tests.files.test_project_io import write_small
from tests.maps import small_project, snapshot
from tests.strangers import times

from knitground.core.base.errors import Conflict, EditError, KnitError, PlaceError
from knitground.core.edit.maps import rename_map
from knitground.core.edit.reslice import reskin
from knitground.core.edit.sheets import add_region
from knitground.core.edit.sizes import duplicate_map
from knitground.core.edit.terrainlist import change_terrain
from knitground.core.files import vault
from knitground.core.files.copies import CopySlot, StaleError, drop_copy, waiting_copies
from knitground.core.files.images import png_bytes, read_picture, read_sheet
from knitground.core.files.opening import Source, open_project
from knitground.core.files.presence import Presence
from knitground.core.files.saving import save_project, settle_after_save
from knitground.core.files.ship.ship import ship
from knitground.core.files.vault import write_together


@given(st.integers(0, 2**32), st.booleans())
def test_any_run_of_edits_that_was_accepted_is_saved_and_opened_as_it_was(
    tmp_path_factory, seed, staggered
):
    folder = tmp_path_factory.mktemp("p")
    doc, *_ = shifted_project(7, 5, first=seed % 2 == 0) if staggered else small_project()
    edits = Edits(doc, seed)
    start, done = snapshot(doc.project), 0
    for _ in range(40):
        before = snapshot(doc.project)
        try:
            edit = edits.make()
            if edit is not None:
                doc.apply(edit)
                done += 1
        except KnitError as error:
            assert "\n" not in str(error)
            assert snapshot(doc.project) == before, "what is refused changes nothing"
    assert done
    settle_after_save(doc.project, save_project(doc.project, folder / "here"))
    opened = open_project(folder / "here")
    assert opened.warnings == []
    assert snapshot(opened.project) == snapshot(doc.project)
    assert {each.parent for each in folder.rglob("*") if each.is_file()} == {folder / "here"}
    while doc.undo():
        pass
    assert snapshot(doc.project)[1]["maps"] == start[1]["maps"]


# Saving: all or nothing


def two_states(folder):
    """A project saved in one state, and the two states; the project is in the other."""
    project = write_small(folder)
    first = snapshot(project)
    doc_maps, made = duplicate_map(project, project.maps[0])
    for atom in doc_maps.atoms:
        atom.do()
    project.maps[0].name, made.name = "Second", "Map"
    project.maps[0].layers[0].terrain[:] = 1
    project.tilesets[0].name = "other"
    for map_ in project.maps:
        map_.layers[0].tileset = "other"
    return project, first, snapshot(project)


def in_a_child(work):
    """Do something in a process of its own; returns its exit code, 9 if it was killed."""
    child = os.fork()
    if child == 0:
        try:
            work()
        finally:
            os._exit(0)
    return child


def save_and_die(project, folder, steps):
    """Save, and be killed before the step after so many."""
    left = [steps]

    def dying(real):
        def step(*args, **kwargs):
            if left[0] == 0:
                os.kill(os.getpid(), signal.SIGKILL)
            left[0] -= 1
            return real(*args, **kwargs)

        return step

    vault.rename, vault.write = dying(vault.rename), dying(vault.write)
    vault.os.link = dying(os.link)
    save_project(project, folder)


def test_killed_at_every_step_of_a_save_one_whole_state_is_there(tmp_path):
    steps = ends = 0
    while True:
        folder = tmp_path / str(steps)
        project, first, second = two_states(folder)
        work = partial(save_and_die, project, folder, steps)
        _, status = os.waitpid(in_a_child(work), 0)
        opened = snapshot(open_project(folder).project)
        assert opened in (first, second)
        assert not (folder / vault.JOURNAL).exists(), "what a killed save left is tidied up"
        ends += opened == second
        if not os.WIFSIGNALED(status):
            break
        steps += 1
    assert steps > 12
    assert 1 < ends < steps
    assert opened == second


def test_killed_at_random_moments_one_whole_state_is_there(tmp_path):
    project, first, second = two_states(tmp_path / "p")
    back = open_project(tmp_path / "p").project
    chance = random.Random(4)
    seen = set()

    def work():
        for _ in range(50):
            is_first = snapshot(open_project(tmp_path / "p").project) == first
            save_project(project if is_first else back, tmp_path / "p", overwrite=True)

    for n in range(times(60, 300)):
        child = in_a_child(work)
        # On a machine with much else to do a save may not even have begun by then.
        time.sleep(chance.random() * (0.04 if len(seen) == 2 or n < 30 else 0.4))
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        found = snapshot(open_project(tmp_path / "p").project)
        assert found in (first, second)
        seen.add(found == second)
    assert seen == {True, False}


def test_a_disk_that_is_full_at_any_file_leaves_everything_as_it_was(tmp_path, monkeypatch):
    project, first, _ = two_states(tmp_path / "p")
    whole = {path.name: path.read_bytes() for path in (tmp_path / "p").iterdir()}
    for name in ("write", "rename"):
        real = getattr(vault, name)
        for nth in range(40):
            count = [nth]

            def failing(*args, real=real, count=count, **kwargs):
                count[0] -= 1
                if count[0] == -1:
                    raise OSError(28, "No space left on device")
                return real(*args, **kwargs)

            monkeypatch.setattr(vault, name, failing)
            try:
                save_project(project, tmp_path / "p")
            except PlaceError as error:
                assert "No space left" in str(error)
                assert ".knit-save" not in str(error)
                now = {path.name: path.read_bytes() for path in (tmp_path / "p").iterdir()}
                assert now == whole
                assert snapshot(open_project(tmp_path / "p").project) == first
            else:
                break
            finally:
                monkeypatch.setattr(vault, name, real)
        assert nth > 1
        shutil.rmtree(tmp_path / "p")
        write_together(tmp_path / "p", whole)
        project.known = open_project(tmp_path / "p").project.known


def test_a_save_that_was_cut_off_counts_also_where_nothing_can_be_written(tmp_path, monkeypatch):
    project, _, second = two_states(tmp_path / "p")

    def stop(*_):
        raise KeyboardInterrupt

    with monkeypatch.context() as patched:
        patched.setattr(vault, "_put", stop)
        patched.setattr(vault, "_turn_back", lambda *_: None)
        with pytest.raises(KeyboardInterrupt):
            save_project(project, tmp_path / "p")
    monkeypatch.setattr("knitground.core.files.opening.settle", lambda _: None)
    assert snapshot(open_project(tmp_path / "p").project) == second


def cut_off(folder, files):
    """Be stopped between the switch, when new files count, and putting them into their places."""

    def stop(*_):
        raise KeyboardInterrupt

    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(vault, "_put", stop)
        patched.setattr(vault, "_turn_back", lambda *_: None)
        with pytest.raises(KeyboardInterrupt):
            write_together(folder, files)


def test_what_a_save_took_away_is_gone_though_it_still_lies_there(tmp_path):
    write_together(tmp_path, {"a": b"1", "b": b"1"})
    cut_off(tmp_path, {"a": b"2", "b": None})
    assert vault.waiting(tmp_path).instead["b"] is None
    with pytest.MonkeyPatch.context() as patched:  # a folder that can not be written
        patched.setattr("knitground.core.files.opening.settle", lambda _: None)
        assert Source(tmp_path).read("a") == b"2"
        with pytest.raises(PlaceError, match="b is not there"):
            Source(tmp_path).read("b")
    assert (tmp_path / "b").exists()
    vault.settle(tmp_path)
    assert sorted(path.name for path in tmp_path.iterdir()) == ["a"]


def test_the_next_save_begins_where_the_last_one_was_cut_off(tmp_path):
    write_together(tmp_path, {"a": b"1", "b": b"1"})
    cut_off(tmp_path, {"a": b"2"})
    write_together(tmp_path, {"b": b"3"})
    assert (tmp_path / "a").read_bytes() == b"2"
    assert (tmp_path / "b").read_bytes() == b"3"


def test_a_save_that_was_cut_off_is_finished_by_one_while_others_read(tmp_path):
    for turn in range(8):
        folder = tmp_path / str(turn)
        project, _, second = two_states(folder)
        with pytest.MonkeyPatch.context() as patched:
            patched.setattr(vault, "_put", lambda *_: (_ for _ in ()).throw(KeyboardInterrupt))
            patched.setattr(vault, "_turn_back", lambda *_: None)
            with pytest.raises(KeyboardInterrupt):
                save_project(project, folder)
        with ThreadPoolExecutor(6) as pool:
            found = list(pool.map(lambda _, f=folder: snapshot(open_project(f).project), range(6)))
        assert found == [second] * 6


def test_two_programs_that_save_at_once_never_overwrite_each_other(tmp_path):
    """Each adds one to a number, and looks whether somebody else did meanwhile: none is lost."""
    project = write_small(tmp_path / "p")
    project.name = "0"
    save_project(project, tmp_path / "p")

    def work(done):
        for _ in range(15):
            while True:
                project = open_project(tmp_path / "p").project
                project.name = f"{int(project.name.split()[0]) + 1} by {os.getpid()}"
                try:
                    save_project(project, tmp_path / "p")
                except Conflict:
                    continue
                os.write(done, b"x")
                break

    readable, writable = os.pipe()
    children = [in_a_child(partial(work, writable)) for _ in range(3)]
    for child in children:
        assert os.waitpid(child, 0)[1] == 0
    os.close(writable)
    saved = len(os.read(readable, 1000))
    os.close(readable)
    assert saved == 45
    assert open_project(tmp_path / "p").project.name.startswith("45 ")


def test_a_linked_project_file_stays_a_link_and_a_folder_in_the_way_is_told(tmp_path):
    project = write_small(tmp_path / "p")
    head = tmp_path / "p" / "project.knit.json"
    head.rename(tmp_path / "p" / "head.json")
    head.symlink_to("head.json")
    project.known[str(head)] = project.known[str(head)]
    project.name = "Linked"
    save_project(project, tmp_path / "p", overwrite=True)
    assert head.is_symlink()
    assert open_project(tmp_path / "p").project.name == "Linked"
    project.maps[0].name = "Other"
    (tmp_path / "p" / "other.map.json").mkdir()
    with pytest.raises(PlaceError, match=r"other\.map\.json can not be written"):
        save_project(project, tmp_path / "p")
    assert open_project(tmp_path / "p").project.maps[0].name == "Map"


def test_a_sheet_replaced_by_a_folder_loses_nothing(tmp_path):
    project = write_small(tmp_path / "p")
    (tmp_path / "p" / "sheet.png").unlink()
    (tmp_path / "p" / "sheet.png").mkdir()
    opened = open_project(tmp_path / "p")
    assert "no plain file" in opened.warnings[0]
    with pytest.raises(PlaceError, match=r"sheet\.png can not be written"):
        save_project(project, tmp_path / "p")
    (tmp_path / "p" / "sheet.png").rmdir()
    save_project(project, tmp_path / "p")
    assert open_project(tmp_path / "p").warnings == []


# Other people's work


def test_what_another_window_has_saved_is_not_overwritten_unasked(tmp_path):
    folder = tmp_path / "p"
    write_small(folder)
    mine, theirs = open_project(folder).project, open_project(folder).project
    theirs.maps[0].layers[0].name = "Theirs"
    save_project(theirs, folder)
    mine.maps[0].layers[0].name = "Mine"
    with pytest.raises(Conflict, match="changed on disk since the project was opened"):
        save_project(mine, folder)
    assert open_project(folder).project.maps[0].layers[0].name == "Theirs"
    save_project(mine, folder, overwrite=True)
    assert open_project(folder).project.maps[0].layers[0].name == "Mine"
    assert b"Theirs" in (folder / "map.map.json.previous").read_bytes()


def test_another_project_is_not_overwritten_unasked(tmp_path):
    write_small(tmp_path / "p")
    doc, *_ = small_project()
    with pytest.raises(Conflict, match="holds another project"):
        save_project(doc.project, tmp_path / "p")


def test_a_map_that_is_gone_leaves_its_last_copy_only(tmp_path):
    project = write_small(tmp_path)
    project.maps[0].name = "Elsewhere"
    save_project(project, tmp_path)
    assert not (tmp_path / "map.map.json").exists()
    assert (tmp_path / "map.map.json.previous").exists()
    assert open_project(tmp_path).project.maps[0].name == "Elsewhere"


def test_a_sheet_that_others_have_changed_is_left_as_it_is(tmp_path):
    project = write_small(tmp_path)
    newer = png_bytes(255 - project.tilesets[0].picture)
    (tmp_path / "sheet.png").write_bytes(newer)
    project.maps[0].name = "Elsewhere"
    assert save_project(project, tmp_path).left == ["sheet.png"]
    assert (tmp_path / "sheet.png").read_bytes() == newer


def test_presence_tells_the_second_window_until_the_first_one_closes(tmp_path):
    one, two = Presence(tmp_path / "open"), Presence(tmp_path / "open")
    assert one.claim(tmp_path) is None
    assert one.claim(tmp_path) is None
    assert two.claim(tmp_path) is not None
    one.release()
    assert two.claim(tmp_path) is None
    two.release()


# Sheets


def with_sheet(tmp_path, name="winter.png", value=9):
    path = tmp_path / name
    path.write_bytes(png_bytes(np.full((64, 64, 4), value, np.uint8)))
    return read_sheet(path)


def test_a_reskin_that_was_undone_after_saving_is_saved_as_it_was(tmp_path):
    project = write_small(tmp_path / "p")
    from knitground.core.edit.document import Document

    doc, tileset = Document(project), project.tilesets[0]
    first = tileset.picture.copy()
    doc.apply(reskin(project, tileset, with_sheet(tmp_path)))
    settle_after_save(project, save_project(project, tmp_path / "p"))
    assert (open_project(tmp_path / "p").project.tilesets[0].picture == 9).all()
    doc.undo()
    settle_after_save(project, save_project(project, tmp_path / "p"))
    assert (open_project(tmp_path / "p").project.tilesets[0].picture == first).all()
    doc.redo()
    settle_after_save(project, save_project(project, tmp_path / "p"))
    assert (open_project(tmp_path / "p").project.tilesets[0].picture == 9).all()


def test_a_sheet_whose_file_is_gone_is_saved_from_memory(tmp_path):
    from knitground.core.files.newsheets import new_tileset

    with_sheet(tmp_path, "found.png")
    doc, *_ = small_project()
    doc.project.tilesets.append(new_tileset(tmp_path / "found.png", "found"))
    (tmp_path / "found.png").unlink()
    settle_after_save(doc.project, save_project(doc.project, tmp_path / "p"))
    opened = open_project(tmp_path / "p")
    assert opened.warnings == []
    assert (opened.project.tilesets[-1].picture == 9).all()
    for path in (tmp_path / "p").iterdir():
        path.unlink()
    save_project(doc.project, tmp_path / "q")  # Save As after the folder vanished
    assert snapshot(open_project(tmp_path / "q").project) == snapshot(doc.project)


def test_pictures_of_one_name_get_files_of_their_own_and_regions_share_one(tmp_path):
    from knitground.core.edit.document import Document
    from knitground.core.edit.sheets import add_tileset
    from knitground.core.model.slicing import Slicing
    from knitground.core.model.tileset import Tileset

    doc = Document(write_small(tmp_path / "p"))
    for value in (10, 20, 30):
        picture = np.full((8, 8, 4), value, np.uint8)
        made = Tileset(f"pasted {value}", "Pics x.png", 8, 8, Slicing(8, 8), picture=picture)
        doc.apply(add_tileset(doc.project, made))
    edit, region = add_region(doc.project, doc.project.tilesets[1], (0, 0, 8, 8))
    doc.apply(edit)
    assert region.sheet == doc.project.tilesets[1].sheet
    settle_after_save(doc.project, save_project(doc.project, tmp_path / "p"))
    opened = open_project(tmp_path / "p").project
    assert [int(each.picture[0, 0, 0]) for each in opened.tilesets[1:]] == [10, 20, 30, 10]
    assert len({each.sheet for each in opened.tilesets}) == 4


# Shipping


def test_two_things_never_ship_into_one_file(demo, tmp_path):
    demo.maps[0].name, demo.maps[1].name = "Pans", "東京"
    files = ship(demo, demo.maps, tmp_path / "out").files
    names = [path.name for path in files]
    assert len({name.casefold() for name in names}) == len(names) == 16
    assert "東京.json" in names
    alone = [path.name for path in ship(demo, [demo.maps[0]], tmp_path / "one").files]
    assert set(alone) < set(names), "a map has the same name whether it is shipped alone or not"


def test_shipping_never_writes_over_a_projects_files(demo, tmp_path):
    save_project(demo, tmp_path / "p")
    before = {path.name: path.read_bytes() for path in (tmp_path / "p").iterdir()}
    demo.maps[0].name = "Pans"
    (tmp_path / "way").symlink_to(tmp_path / "p")
    for way in ("p", "way"):
        with pytest.raises(PlaceError, match=r"pans\.png in .* is a file of the project there"):
            ship(demo, demo.maps, tmp_path / way, overwrite=True)
    assert {path.name: path.read_bytes() for path in (tmp_path / "p").iterdir()} == before
    ship(demo, demo.maps, tmp_path / "p" / "shipped")


# Copies


def test_a_copy_waits_only_when_its_program_is_gone(tmp_path):
    doc, *_ = small_project()
    slot = CopySlot(tmp_path)
    folder = slot.write(doc.project, tmp_path / "home")
    assert waiting_copies(tmp_path) == [], "its program still runs"
    other = CopySlot(tmp_path)
    other.write(doc.project, None)
    other.forget()
    assert folder.exists(), "another project's save does not touch it"
    slot.let_go()
    (copy,) = waiting_copies(tmp_path)
    assert (copy.folder, copy.name, copy.home) == (folder, "Small", tmp_path / "home")
    assert read_picture(copy.picture).shape[2] == 4
    assert abs(copy.saved_at - time.time()) < 60
    assert snapshot(open_project(copy.folder).project) == snapshot(doc.project)
    drop_copy(copy)
    assert waiting_copies(tmp_path) == []


def test_a_copy_of_a_project_that_changes_meanwhile_is_not_written(tmp_path):
    doc, *_ = small_project()
    slot = CopySlot(tmp_path)
    first = slot.write(doc.project, None)
    before = (first / "map.map.json").read_bytes()
    doc.apply(rename_map(doc.project, doc.project.maps[0], "Map too"))
    with pytest.raises(StaleError):
        slot.write(doc.project, None, same=lambda: False)
    assert (first / "map.map.json").read_bytes() == before
    slot.forget()


def test_letters_of_terrains_stay_one_letter():
    doc, *_ = small_project()
    tileset = doc.project.tilesets[0]
    doc.apply(change_terrain(doc.project, tileset, tileset.sets[0], 1, letter="ß"))
    assert tileset.sets[0].terrains[0].letter == "S"
    with pytest.raises(EditError, match="letter"):
        doc.apply(change_terrain(doc.project, tileset, tileset.sets[0], 1, letter=" "))


def test_write_together_takes_files_away_and_tells_what_is_different(tmp_path):
    assert write_together(tmp_path, {"a": b"1", "b": b"2"}) == ["a", "b"]
    assert write_together(tmp_path, {"a": b"1", "b": None}, keep_previous=True) == ["b"]
    assert sorted(path.name for path in tmp_path.iterdir()) == ["a", "b.previous"]
