"""A press is planned and knitted once: ghost, press, edit and knitter share the plan."""

import numpy as np
import pytest
from tests.core.test_rules import layer_of, random_rules
from tests.maps import small_project

from knitground.core.base.window import Box
from knitground.core.edit import knitter, laying, planning
from knitground.core.edit.desk import Desk, Pointer, ToolOptions
from knitground.core.edit.hand import TerrainInHand
from knitground.core.edit.laying import plan_terrain
from knitground.core.edit.planning import plan_dab
from knitground.core.knit.knit import knit_box
from knitground.core.model.terrain import SetKind


@pytest.fixture
def counted(monkeypatch):
    """How often anything is knitted, and dabs are planned."""
    count = {"knit": 0, "plan": 0}

    def counting(module, name, what):
        real = getattr(module, name)

        def call(*args, **kwargs):
            count[what] += 1
            return real(*args, **kwargs)

        monkeypatch.setattr(module, name, call)

    counting(laying, "knit_box", "knit")
    counting(knitter, "knit_box", "knit")
    counting(planning, "_dab", "plan")
    return count


def whole(doc, map_, layer):
    box = Box(0, 0, map_.height, map_.width)
    return knit_box(doc.knitter.table(map_, layer), layer, box, wrap=map_.wrap)


def desk_of(doc, map_, layer, value=1, tool="paint"):
    hand = TerrainInHand(layer.tileset, layer.set_name, value, "x")
    return Desk(doc, map_, layer, tool, hand, ToolOptions(terrain_size=2))


def test_what_hovers_is_pressed_laid_and_knitted_once(counted):
    doc, map_, ground, _ = small_project((20, 20))
    doc.ensure_all(map_)
    counted["knit"] = 0
    at = Pointer(80.0, 80.0)
    ghost = plan_dab(desk_of(doc, map_, ground), at)
    name = plan_dab(desk_of(doc, map_, ground), at).edit.name
    doc.begin_stroke(name)
    plan = plan_dab(desk_of(doc, map_, ground), at)
    doc.apply(plan.edit)
    doc.commit_stroke()
    assert plan is ghost
    assert counted == {"knit": 1, "plan": 1}
    assert (ground.cells == whole(doc, map_, ground)).all()
    again = plan_dab(desk_of(doc, map_, ground), at)
    assert again is not plan
    assert not again.changes_anything, "it lies there now"
    plan_dab(desk_of(doc, map_, ground, 3), at)
    plan_dab(desk_of(doc, map_, ground, 3), Pointer(8.0, 8.0))
    assert counted["plan"] == 4, "another thing in hand, another place"


@pytest.mark.parametrize("kind", list(SetKind))
@pytest.mark.parametrize("wrap", [True, False])
@pytest.mark.parametrize("ruled", [True, False])
def test_cells_that_are_taken_over_are_those_that_knitting_gives(kind, wrap, ruled):
    doc, map_, layer, kit = layer_of(kind, (18, 22), wrap, 5)
    if ruled:
        kit.rules = random_rules(kind, np.random.default_rng(4), 12)
    doc.ensure_all(map_)
    rng = np.random.default_rng(3)
    taken = 0
    for turn in range(40):
        top, left = (int(each) for each in rng.integers(-1, 20, 2))
        box, mask = Box(top, left, top + 3, left + 3), rng.random((3, 3)) < 0.8
        plan = plan_terrain(doc, map_, layer, box, mask, int(rng.integers(0, 4)), "Dab")
        taken += plan.edit.gives is not None
        doc.apply(plan.edit)
        assert (layer.cells == whole(doc, map_, layer)).all()
        assert doc.knitter.gaps(layer)[0] == int((layer.cells == -1).sum())
        if turn % 5 == 4:
            doc.undo()
            assert (layer.cells == whole(doc, map_, layer)).all()
            doc.redo()
            assert (layer.cells == whole(doc, map_, layer)).all()
    assert taken > 20


def test_a_plan_that_something_came_between_is_knitted_anew():
    doc, map_, ground, _ = small_project((20, 20))
    doc.ensure_all(map_)
    mask = np.ones((2, 2), bool)
    first = plan_terrain(doc, map_, ground, Box(5, 5, 7, 7), mask, 1, "A")
    second = plan_terrain(doc, map_, ground, Box(7, 7, 9, 9), mask, 1, "B")
    doc.apply(first.edit)
    doc.apply(second.edit)
    assert (ground.cells == whole(doc, map_, ground)).all()
