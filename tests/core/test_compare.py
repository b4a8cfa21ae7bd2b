"""What changed between two states of a project, what is taken back, and revisions of real git."""

import os
import shutil
import subprocess
from dataclasses import replace

import numpy as np
import pytest
from tests.maps import small_project

from knitground.core.base.errors import EditError, PlaceError
from knitground.core.compare.differences import differences
from knitground.core.compare.pictures import drawn_small, marked, side_by_side
from knitground.core.compare.takeback import taken_back, whole_back
from knitground.core.edit.document import Document
from knitground.core.edit.sizes import Margins, resize_map
from knitground.core.files.opening import open_project
from knitground.core.files.revision import write_revision
from knitground.core.files.saving import save_project
from knitground.core.model.excuse import Excuse
from knitground.core.model.map import Map
from knitground.core.model.marker import Marker, Shape
from knitground.core.model.mix import Mix, MixEntry
from knitground.core.model.profile import Profile
from knitground.core.model.properties import Property
from knitground.core.model.rules import SAME, NeighbourRule, RuleList, Spot
from knitground.core.model.shapes import ShapeKind
from knitground.core.model.slicing import Slicing
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import TileFacts, Tileset


@pytest.fixture
def two(tmp_path):
    """The same project twice: as it was saved, and opened anew to be changed."""
    doc, *_ = small_project()
    doc.project.maps[0].layers.append(doc.project.maps[0].new_marker_layer("Places"))
    save_project(doc.project, tmp_path / "p")
    return [Document(open_project(tmp_path / "p").project) for _ in range(2)]


def told(before, now):
    return [(each.part, each.name, each.words) for each in differences(before, now)]


def test_what_was_opened_twice_is_the_same(two):
    assert differences(*two) == []


def test_cells_are_compared_by_what_they_show_whatever_their_numbers(two):
    before, now = two
    tiles = now.project.maps[0].layers[1]
    legend = now.project.maps[0].legend
    for n in range(5, 0, -1):
        legend.place(TileRef("sheet", 0, n))
    tiles.cells[2, 3:6] = legend.place(TileRef("sheet", 0, 2))
    old = before.project.maps[0]
    old.layers[1].cells[2, 3] = old.legend.place(TileRef("sheet", 0, 2))
    [each] = differences(before, now)
    assert each.words == "2 cells of “Tiles” show something else"
    assert np.argwhere(each.cells).tolist() == [[2, 4], [2, 5]]


def test_terrain_is_told_as_the_cells_that_it_changes(two):
    before, now = two
    now.project.maps[0].layers[0].terrain[4, 4] = 1
    now = Document(now.project)
    [each] = differences(before, now)
    assert each.layer == "Ground"
    assert {tuple(at) for at in np.argwhere(each.cells).tolist()} >= {(3, 3), (4, 4)}
    assert each.count <= 9


def test_every_kind_of_part_is_told(two):
    before, now = two
    project = now.project
    owner, map_ = project.tilesets[0], project.maps[0]
    owner.slicing = replace(owner.slicing, margin_x=1)
    owner.facts[0, 3] = TileFacts(weight=3.0)
    owner.sets[0].marks[0, 0, 1] ^= 3
    project.maps.append(Map("New", 4, 4, 8, 8))
    project.mixes.append(Mix("mix", (MixEntry(TileRef("sheet", 0, 0)),)))
    project.tilesets.append(Tileset("more", "more.png", 8, 8, Slicing(8, 8)))
    map_.layers[1].opacity = 0.5
    map_.layers[2].markers = (Marker(1, Shape.POINT, ((3.0, 4.0),), "door"),)
    map_.layers.append(map_.new_tile_layer("Upper"))
    map_.background = "#101010"
    found = told(before, Document(project))
    for part in (("sheet", "sheet", "is cut otherwise"), ("sheet", "more", "is new"),
                 ("set", "sheet · Set", "tiles with other marks"), ("map", "New", "is new"),
                 ("mix", "mix", "is new"), ("map", "Map", "has another background"),
                 ("map", "Map", "layer “Tiles” has another opacity"),
                 ("map", "Map", "1 other marker on “Places”"),
                 ("map", "Map", "layer “Upper” is new")):  # fmt: skip
        assert part in found
    assert any("other weights" in words for _, _, words in found)
    back = told(Document(project), before)
    assert ("map", "New", "is gone") in back


def changed_everywhere(project):
    """Change a project in every way that is taken back alone."""
    owner, map_ = project.tilesets[0], project.maps[0]
    ground, tiles, places = map_.layers
    ground.terrain[4, 4] = 1
    ground.seed = 9
    legend = map_.legend
    for n in range(5, 0, -1):
        legend.place(TileRef("sheet", 0, n))
    tiles.cells[2, 3:6] = legend.place(TileRef("sheet", 0, 2))
    tiles.opacity, tiles.offset = 0.5, (3, 4)
    places.markers = (Marker(1, Shape.POINT, ((3.0, 4.0),), "door"),)
    map_.layers.append(map_.new_tile_layer("Upper"))
    map_.background, map_.screen = "#101010", (100, 90)
    map_.properties = (Property("mood", "calm"),)
    owner.facts[0, 3] = TileFacts(weight=3.0, name="stone")
    owner.sets[0].marks[0, 0, 1] ^= 3
    owner.sets[0].terrains = (replace(owner.sets[0].terrains[0], name="sea"),
                              *owner.sets[0].terrains[1:])  # fmt: skip
    owner.sets[0].rules = RuleList("", (NeighbourRule(7, (Spot(0, 0, SAME),), "all"),))
    project.mixes.append(Mix("mix", (MixEntry(TileRef("sheet", 0, 0)),)))
    project.rule_lists.append(RuleList("drafts", (NeighbourRule(1, (Spot(0, 0, SAME),)),)))
    project.maps.append(Map("New", 4, 4, 8, 8))
    project.tilesets.append(Tileset("more", "more.png", 8, 8, Slicing(8, 8)))
    project.shape_kinds = (*project.shape_kinds, ShapeKind("thorns", "T", "#aa2020"))
    project.profiles = (Profile("game"),)
    project.excused = (Excuse("gaps|Map|1|x", "meant so"),)


def key(each):
    return each.part, each.name, each.layer, each.words


def test_each_difference_is_taken_back_alone_and_comes_again_with_undo(two):
    before, now = two
    changed_everywhere(now.project)
    now = Document(now.project)
    found = differences(before, now)
    assert len(found) >= 17
    for each in found:
        now.apply(taken_back(before.project, now.project, each))
        left = {key(one) for one in differences(before, now)}
        follows = each.layer == "Ground" and each.cells is not None
        assert follows or key(each) not in left, "marks decide what is knitted too"
        assert len(left) >= len(found) - 4, "the others stay, save those that follow from it"
        now.undo()
        assert {key(one) for one in differences(before, now)} == {key(one) for one in found}
    for each in found:
        now.apply(taken_back(before.project, now.project, each))
    assert differences(before, now) == []
    while now.undo():
        pass
    assert {key(one) for one in differences(before, now)} == {key(one) for one in found}


def test_what_was_there_before_and_is_gone_comes_back(two):
    now, before = two
    changed_everywhere(before.project)
    before, now = Document(before.project), Document(now.project)
    for each in differences(before, now):
        now.apply(taken_back(before.project, now.project, each))
    assert differences(before, now) == []
    for one, other in ((each.project.maps, each.project.tilesets) for each in (before, now)):
        assert one[1].name == "New"
        assert other[1].name == "more"
    shared = [
        (a, b)
        for a in (
            *now.project.maps,
            *now.project.maps[0].layers,
            *now.project.tilesets,
            *now.project.tilesets[0].sets,
        )
        for b in (
            *before.project.maps,
            *before.project.maps[0].layers,
            *before.project.tilesets,
            *before.project.tilesets[0].sets,
        )
        if a is b
    ]
    assert not shared, "the other stays what it is, whatever becomes of this one"


def test_layers_are_put_in_order_again_and_a_map_is_taken_back_whole(two):
    before, now = two
    map_ = now.project.maps[0]
    map_.layers = [map_.layers[n] for n in (2, 0, 1)]
    map_.layers[2].cells[1, 1] = map_.legend.place(TileRef("sheet", 0, 1))
    [order] = [each for each in differences(before, now) if each.fields == ("layers",)]
    now.apply(taken_back(before.project, now.project, order))
    assert [each.name for each in map_.layers] == ["Ground", "Tiles", "Places"]
    [cells] = differences(before, now)
    now.apply(whole_back(before.project, now.project, cells))
    assert differences(before, now) == []
    now.undo()
    assert [key(each) for each in differences(before, now)] == [key(cells)]


def test_what_can_not_be_taken_back_alone_says_so(two):
    before, now = two
    project, map_ = now.project, now.project.maps[0]
    now.apply(resize_map(map_, Margins(right=2)))
    map_.layers[1] = replace(map_.new_marker_layer("Tiles"), number=map_.layers[1].number)
    project.tilesets[0].slicing = replace(project.tilesets[0].slicing, margin_x=1)
    told_ = {each.words: each for each in differences(before, Document(project))}
    for words in ("is cut otherwise", "layer “Tiles” is of another kind"):
        with pytest.raises(EditError, match="can not be taken back alone"):
            taken_back(before.project, project, told_[words])
    size = next(each for words, each in told_.items() if "another size" in words)
    with pytest.raises(EditError, match="can not be taken back alone"):
        taken_back(before.project, project, size)
    with pytest.raises(EditError):
        whole_back(before.project, project, told_["is cut otherwise"])
    now.apply(whole_back(before.project, project, size))
    left = differences(before, Document(project))
    assert [each.words for each in left if each.cells is None] == ["is cut otherwise"]


def test_pictures_mark_each_cell_even_where_it_is_less_than_a_pixel():
    doc, map_, _, tiles = small_project(size=(90, 120))
    tiles.cells[40, 50] = map_.legend.place(TileRef("sheet", 0, 0))
    picture = drawn_small(doc, map_, 64)
    assert max(picture.shape[:2]) <= 64
    cells = np.zeros((90, 120), bool)
    plain = marked(picture, map_, cells)
    cells[40, 50] = True
    assert 1 <= (marked(picture, map_, cells) != plain).any(axis=2).sum() <= 4
    assert side_by_side(picture, picture).shape[1] == 2 * picture.shape[1] + 8


# Git


def git(folder, *words):
    own = {"GIT_AUTHOR_NAME": "A", "GIT_AUTHOR_EMAIL": "a@b", "GIT_COMMITTER_NAME": "A",
           "GIT_COMMITTER_EMAIL": "a@b", "GIT_CONFIG_GLOBAL": os.devnull}  # fmt: skip
    done = subprocess.run(["git", "-C", str(folder), *words], env={**os.environ, **own},
                          capture_output=True, text=True)  # fmt: skip
    assert done.returncode == 0, done.stderr
    return done.stdout


needs_git = pytest.mark.skipif(shutil.which("git") is None, reason="there is no git here")


@pytest.fixture
def repository(tmp_path):
    home = tmp_path / "repository"
    home.mkdir()
    git(home, "init", "-q", "-b", "main")
    doc, *_ = small_project()
    doc.project.maps.append(Map("Second", 6, 6, 8, 8))
    second = doc.project.maps[1]
    second.layers.append(second.new_tile_layer("Tiles"))
    save_project(doc.project, home / "game" / "maps")
    git(home, "add", "-A")
    git(home, "commit", "-qm", "first")
    return home, home / "game" / "maps"


@needs_git
def test_a_revision_is_read_and_nothing_of_the_repository_is_run(repository, tmp_path):
    home, folder = repository
    sprung = tmp_path / "sprung"
    trap = home / "trap.sh"
    trap.write_text(f"#!/bin/sh\ntouch {sprung}\ncat\n")
    trap.chmod(0o755)
    for name in ("core.fsmonitor", "core.pager", "filter.trap.smudge", "diff.trap.textconv",
                 "core.sshCommand", "core.editor", "uploadpack.packObjectsHook"):  # fmt: skip
        git(home, "config", name, str(trap))
    (home / ".gitattributes").write_text("* filter=trap diff=trap\n")
    hooks = home / ".git" / "hooks"
    for name in (
        "post-checkout",
        "post-index-change",
        "pre-auto-gc",
        "fsmonitor-watchman",
    ):
        (hooks / name).write_text(trap.read_text())
        (hooks / name).chmod(0o755)
    project = open_project(folder).project
    project.maps[0].layers[1].cells[1, 1] = project.maps[0].legend.place(TileRef("sheet", 0, 0))
    save_project(project, folder)
    there = write_revision(folder, "HEAD", tmp_path / "was")
    before = Document(open_project(there).project)
    [each] = differences(before, Document(open_project(folder).project))
    assert np.argwhere(each.cells).tolist() == [[1, 1]]
    assert not sprung.exists()
    for wrong in ("nonsense", "-x", "", "HEAD:game", "--output=x"):
        with pytest.raises(PlaceError):
            write_revision(folder, wrong, tmp_path / "no")
    with pytest.raises(PlaceError):
        write_revision(tmp_path, "HEAD", tmp_path / "no")


@needs_git
def test_a_repository_in_the_middle_of_a_merge_is_read_all_the_same(repository, tmp_path):
    home, folder = repository
    git(home, "branch", "other")
    for branch, name in (("main", "A"), ("other", "B")):
        git(home, "checkout", "-q", branch)
        project = open_project(folder).project
        project.name = name
        save_project(project, folder)
        git(home, "commit", "-qam", name)
    subprocess.run(["git", "-C", str(home), "merge", "main"], capture_output=True)
    assert (home / ".git" / "MERGE_HEAD").exists()
    assert open_project(write_revision(folder, "main", tmp_path / "a")).project.name == "A"


@needs_git
def test_work_on_two_maps_is_merged_by_git_line_by_line(repository):
    home, folder = repository
    git(home, "branch", "other")
    for branch, n in (("main", 0), ("other", 1)):
        git(home, "checkout", "-q", branch)
        project = open_project(folder).project
        map_ = project.maps[n]
        map_.layers[-1].cells[2, 2] = map_.legend.place(TileRef("sheet", 0, n))
        save_project(project, folder)
        git(home, "commit", "-qam", branch)
    git(home, "merge", "-q", "-m", "both", "main")
    project = open_project(folder).project
    for n, map_ in enumerate(project.maps):
        assert map_.legend.tile(int(map_.layers[-1].cells[2, 2])) == TileRef("sheet", 0, n)


@needs_git
def test_work_on_two_rows_of_one_map_is_merged_too(repository):
    home, folder = repository
    project = open_project(folder).project
    map_ = project.maps[0]
    map_.layers[1].cells[0, 0] = map_.legend.place(TileRef("sheet", 0, 0))
    save_project(project, folder)
    git(home, "commit", "-qam", "a tile in the legend")
    git(home, "branch", "other")
    for branch, row in (("main", 2), ("other", 7)):
        git(home, "checkout", "-q", branch)
        project = open_project(folder).project
        map_ = project.maps[0]
        map_.layers[1].cells[row, 1] = map_.legend.place(TileRef("sheet", 0, 0))
        save_project(project, folder)
        git(home, "commit", "-qam", branch)
    git(home, "merge", "-q", "-m", "both", "main")
    cells = open_project(folder).project.maps[0].layers[1].cells
    assert np.argwhere(cells > 0).tolist() == [[0, 0], [2, 1], [7, 1]]
