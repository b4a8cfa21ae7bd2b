"""A first look at a large project: what is in view is drawn before all of it is read."""

import json

import numpy as np
import pytest
from tests.core.test_staggered import shifted_yard

from knitground.core.base.errors import FormatError
from knitground.core.edit.document import Document
from knitground.core.edit.firstlook import first_picture
from knitground.core.files import cells, opening, packing
from knitground.core.files.map_io import map_from_file, map_to_file, part_from_file
from knitground.core.files.mapformats import PackedFile
from knitground.core.files.opening import FirstLook, open_project
from knitground.core.files.saving import save_project
from knitground.core.model.lattice import Stagger
from knitground.core.render.atlas import Atlas
from knitground.core.render.stack import draw_map, stack_of


@pytest.fixture(autouse=True)
def small_blocks(monkeypatch):
    """Small maps are kept as very large ones are, in blocks of a few rows."""
    monkeypatch.setattr(cells, "ROWS_LIMIT", 0)
    monkeypatch.setattr(packing, "_BLOCK_CELLS", 128)
    monkeypatch.setattr(opening, "LOOK_CELLS", 100)


def seen_of(folder, wide=96, high=64):
    """What was seen of a project before it was open, and the project."""
    looks = []
    look = FirstLook(wide, high, lambda *each: looks.append(each))
    return looks, open_project(folder, look=look).project


@pytest.mark.parametrize("name", ["Harbour pans", "North basin", "Store yard", "Loading quay"])
def test_what_is_in_view_is_the_very_picture_of_the_open_project(demo, tmp_path, name):
    demo.maps[:] = [demo.map_named(name)]
    save_project(demo, tmp_path)
    looks, project = seen_of(tmp_path)
    (early, part, rect), map_ = looks[0], project.maps[0]
    assert early is project
    assert part is not map_
    assert part.lattice == map_.lattice
    high = rect.height
    assert (rect.width, high) == (96, 64)
    doc = Document(project)
    atlas = Atlas(project, map_)
    stack = stack_of(map_, atlas, rect, 0, lambda layer, box: doc.cells(map_, layer, box))
    wanted = draw_map(map_, atlas, stack)
    assert (first_picture(early, part, rect) == wanted).all()
    assert len(np.unique(wanted)) > 2


def test_rows_that_are_wanted_are_read_and_no_others(demo):
    map_ = demo.map_named("Harbour pans")
    file = map_to_file(map_)
    packed = [
        layer.cells for layer in file.layers if isinstance(getattr(layer, "cells", 0), PackedFile)
    ]
    assert packed
    assert all(len(each.blocks) > 4 for each in packed)
    part = part_from_file(file, "m", range(20, 24))
    whole = map_from_file(file, "m")
    some = 0
    for old, new in zip(whole.layers, part.layers):
        if hasattr(old, "cells") and not hasattr(old, "terrain"):
            assert (new.cells[20:24] == old.cells[20:24]).all()
            assert not new.cells[:12].any()
            some += int(old.cells[:12].any())
        if hasattr(old, "terrain"):
            assert (new.terrain[21:24] == old.terrain[21:24]).all()
            assert not new.terrain[:12].any()
    assert some
    again = map_from_file(file, "m")
    assert all(
        (a.cells == b.cells).all() for a, b in zip(again.layers, whole.layers) if a.cells.size
    )


def test_a_staggered_map_that_wraps_is_looked_at_too(tmp_path):
    doc, map_ = shifted_yard(Stagger(120, 24))
    map_.wrap = True
    save_project(doc.project, tmp_path)
    looks, project = seen_of(tmp_path)
    early, part, rect = looks[0]
    there = Document(project)
    atlas = Atlas(project, project.maps[0])
    stack = stack_of(project.maps[0], atlas, rect, 0,
                     lambda layer, box: there.cells(project.maps[0], layer, box))  # fmt: skip
    assert (first_picture(early, part, rect) == draw_map(project.maps[0], atlas, stack)).all()
    assert part.layers[0].cells[part.lattice.whole.bottom - 1].sum() == 0


def test_small_projects_and_broken_ones(demo, tmp_path, monkeypatch):
    demo.maps[:] = [demo.map_named("Harbour pans")]
    save_project(demo, tmp_path)
    name = tmp_path / "harbour-pans.map.json"
    data = json.loads(name.read_text())
    packed = next(layer["cells"] for layer in data["layers"] if "blocks" in layer.get("cells", ()))
    whole = list(packed["blocks"])
    packed["blocks"][0] = "no block"
    name.write_text(json.dumps(data))
    looks = []
    look = FirstLook(96, 64, lambda *each: looks.append(each))
    with pytest.raises(FormatError, match="block 1 is broken"):
        open_project(tmp_path, look=look)
    assert len(looks) == 1, "what is in view was whole, and shown"
    packed["blocks"] = ["no block"] * len(packed["blocks"])
    name.write_text(json.dumps(data))
    with pytest.raises(FormatError, match="is broken"):
        open_project(tmp_path, look=look)
    assert len(looks) == 1, "what can not be shown is told by reading alone"
    packed["blocks"] = whole
    name.write_text(json.dumps(data))

    def fails(*_each):
        raise ZeroDivisionError

    assert open_project(tmp_path, look=FirstLook(96, 64, fails)).project.maps, (
        "it opens all the same"
    )
    packed["blocks"] = ["no block"] * len(whole)
    name.write_text(json.dumps(data))
    monkeypatch.setattr(opening, "LOOK_CELLS", 1 << 22)
    with pytest.raises(FormatError):
        open_project(tmp_path, look=look)
    assert len(looks) == 1
