import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QRect
from PySide6.QtGui import QColor
from scipy.ndimage import label
from tests.maps import composed, small_project
from tests.ui.conftest import pixels, settle, settle_view, wake

from knitground.core.base.window import Box
from knitground.core.edit.desk import Pointer
from knitground.core.edit.laying import plan_cells, plan_terrain
from knitground.core.edit.markers import add_markers
from knitground.core.edit.rulestats import Fired
from knitground.core.edit.selecting import Selection
from knitground.core.model.lattice import Rect
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.marker import Marker, Shape
from knitground.core.model.slicing import Slicing
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Frame, TileFacts, Tileset
from knitground.ui.common.zoom import STEPS, Camera
from knitground.ui.mapside.canvas import ghost, marked, overlay
from knitground.ui.mapside.canvas.chunks import LIMIT_BYTES, ChunkStore
from knitground.ui.mapside.canvas.markers import kind_colour
from knitground.ui.stages.rules.guests import RuleCells


def test_a_piece_is_shrunk_once_until_it_changes(qapp):
    doc, map_, _, tiles = small_project((32, 32))
    tiles.cells[:] = map_.legend.place(TileRef("sheet", 1, 0))
    store = ChunkStore(doc, map_)
    key = store.keys_in(0, Rect(0, 0, 1, 1))[0]
    chunk = store.make(key)
    high, wide = chunk.pixels.shape
    small = chunk.image_for(wide / 2, high / 2)
    assert (small.width(), small.height()) == (wide // 2, high // 2)
    assert chunk.image_for(wide / 2, high / 2) is small
    assert chunk.image_for(wide, high) is chunk.image_for(wide * 0.7, high * 0.7) is chunk.image
    place = map_.legend.place(TileRef("sheet", 0, 3))
    box = Box(0, 0, 4, 4)
    values, every = np.full((4, 4), place, np.int32), np.ones((4, 4), bool)
    doc.apply(plan_cells(map_, tiles, box, values, every, "Lay").edit)
    store.touch(box)
    assert store.ready(key) is None
    fresh = store.make(key).image_for(wide / 2, high / 2)
    assert fresh is not small
    assert fresh.pixelColor(8, 8) != small.pixelColor(8, 8)
    assert fresh.pixelColor(wide // 2 - 1, 0) == small.pixelColor(wide // 2 - 1, 0)


def test_a_piece_of_very_many_cells_comes_band_by_band(qapp):
    doc, map_, _, tiles = small_project((128, 128))
    place = map_.legend.place(TileRef("sheet", 1, 0))
    tiles.cells[:] = np.where(np.random.default_rng(4).random((128, 128)) < 0.4, place, 0)
    key = (map_.lattice.level_count - 1, 0, 0)
    whole = ChunkStore(doc, map_).make(key)
    assert whole.dirty is None
    assert whole.pixels[-4:].any()
    store, rounds, left = ChunkStore(doc, map_), 0, [129.0]
    while store.ready(key) is None:
        chunk, rounds = store.make(key, 0.0), rounds + 1
        left.append(chunk.dirty.height if chunk.dirty else 0)
        assert rounds < 50
    assert sorted(left, reverse=True) == left
    assert len(set(left)) > 2
    assert (store.ready(key).pixels == whole.pixels).all()


def test_a_large_ghost_comes_band_by_band_and_is_what_the_click_gives(window):
    session, view = window.session, window.mapside.view
    map_, layer = session.map, session.map.layers[2]
    session.choose_layer(layer)
    settle_view(view)
    box = Box(0, 0, map_.height, map_.width)
    rng = np.random.default_rng(4)
    values = rng.integers(1, len(map_.legend.tiles), (map_.height, map_.width)).astype(np.int32)
    plan = plan_cells(map_, layer, box, values, np.ones(values.shape, bool), "Lay")
    drawn, rounds = view.store.ghost(plan, 0, box, 0.0), 1
    assert not drawn.is_whole
    assert drawn.pixels[:16].any()
    assert not drawn.pixels[-16:].any()
    while not view.store.ghost(plan, 0, box, 0.0).is_whole:
        rounds += 1
    assert rounds > 5
    assert view.store.ghost(plan, 0, box, 0.0) is drawn
    session.apply(plan.edit)
    assert (
        view.store.picture(map_.lattice.bounds(box), 0, [(layer, box, values)]) == drawn.pixels
    ).all()
    assert view.store.ghost(plan, 1, box, 0.0) is not drawn  # another size is another picture
    part = plan.within(Box(10, 20, 30, 400))
    assert part.box == Box(10, 20, 30, map_.width)
    assert (part.cells == values[10:30, 20:]).all()
    assert plan.within(box) is plan
    assert plan.within(Box(map_.height, 0, map_.height + 5, 9)).box.is_empty


def test_very_many_pins_look_like_few(window, monkeypatch):
    session, view = window.session, window.mapside.view
    layer = session.map.layers[0]
    session.choose_layer(layer)
    view.zoom_to(STEPS.index(2))
    view.leaveEvent(None)
    settle_view(view)
    bare = pixels(view)
    layer.pinned[20:29, 30:40] = True
    view.show_cell(24, 35)
    view.update()
    settle_view(view)
    few = pixels(view)
    monkeypatch.setattr(overlay, "_MOST_PINS", 20)
    many = pixels(view)
    view.session.show(pins=False)
    none = pixels(view)
    assert none.shape == bare.shape
    pins, stamped = few != none, many != none
    assert pins.sum() > 90 * 20
    assert 0.8 < stamped.sum() / pins.sum() < 1.25
    assert (stamped & pins).sum() > 0.8 * pins.sum()


def test_very_many_cells_of_a_rule_are_marked_like_few(window, monkeypatch):
    session, view = window.session, window.mapside.view
    map_ = session.map
    view.zoom_to(STEPS.index(2))
    view.leaveEvent(None)
    view.show_cell(24, 35)
    settle_view(view)
    bare = pixels(view)
    rows, cols = (each.ravel() for each in np.mgrid[20:29, 30:40])
    session.mark_cells("rules", RuleCells(map_, Fired(map_.layers[0], rows, cols)))
    few = pixels(view)
    monkeypatch.setattr(marked, "_MOST_DRAWN", 20)
    many = pixels(view)
    assert (few != bare).sum() > 90 * 100
    assert ((few != bare) == (many != bare)).all()
    assert (few != many).sum() < 0.05 * (few != bare).sum()  # where neighbours meet


def in_a_lake(ground):
    """A place amid the largest part of a ground that is all alike."""
    parts = [label(ground.terrain == each)[0] for each in np.unique(ground.terrain)]
    sizes = [np.bincount(each.ravel())[1:] for each in parts]
    part = max(range(len(parts)), key=lambda n: sizes[n].max())
    inside = parts[part] == sizes[part].argmax() + 1
    inside[:, 1:-1] &= inside[:, :-2] & inside[:, 2:]
    row, col = np.argwhere(inside[:, 1:-1])[0]
    return Pointer((col + 1) * 16.0, row * 16.0)


def test_the_ghost_of_a_fill_looks_less_far_where_that_takes_long(window, monkeypatch):
    session, view = window.session, window.mapside.view
    session.choose_tool("fill")
    looked, now, took, plan_fill = [], [0.0], [0.0], ghost.plan_fill

    def slow(desk, at, limit):
        looked.append(limit)
        now[0] += took[0]
        return plan_fill(desk, at, limit)

    monkeypatch.setattr(ghost, "plan_fill", slow)
    monkeypatch.setattr(ghost, "perf_counter", lambda: now[0])
    view._ghost._limits.clear()
    for took[0], limits in ((0.03, [64, 32, 16, 16]), (0.01, [16, 16]), (0.03, [16])):
        looked.clear()
        for _ in limits:
            session.set_options(seed=session.options.seed + 1)  # else it would be kept
            assert view._ghost.plan(Pointer(400.0, 300.0)) is not None
            assert not view.look_further()
        assert looked == limits
    lake = in_a_lake(session.map.layers[0])
    # Where it is fast it looks further turn by turn, until it has seen all of what it fills.
    looked.clear()
    took[0] = 0.001
    session.set_options(seed=session.options.seed + 1)
    reached = []
    for _ in range(20):
        plan = view._ghost.plan(lake)
        assert view._ghost.plan(lake) is plan, "once a turn"
        reached.append(plan.cells.size)
        if not view.look_further():
            break
    assert looked == [16 * 2**n for n in range(len(looked))]
    assert 3 <= len(looked) < 10
    assert reached == sorted(reached)
    assert not view._ghost.fill_goes_on
    assert view._ghost.plan(Pointer(lake.x + 16, lake.y)) is plan, "it is the same lake"


def test_the_ghost_of_a_fill_reaches_all_of_it_without_a_move(window, monkeypatch):
    session, view = window.session, window.mapside.view
    monkeypatch.setattr(ghost, "perf_counter", lambda: 0.0)  # on a busy machine too
    wake(window)
    session.choose_tool("fill")
    view._ghost._limits.clear()
    view.pointer = in_a_lake(session.map.layers[0])
    settle_view(view)
    assert not view._ghost.fill_goes_on
    assert "beyond" not in view.label()[0]


@given(
    st.integers(0, len(STEPS) - 1),
    st.floats(-500, 500),
    st.floats(-500, 500),
    st.integers(-3, 3),
    st.integers(0, 800),
    st.integers(0, 600),
)
def test_zooming_keeps_the_place_under_the_pointer(step, left, top, turn, x, y):
    camera = Camera(step, float(round(left)), float(round(top)))
    before = camera.to_picture(x, y)
    camera.zoom_by(turn, x, y)
    after = camera.to_picture(x, y)
    assert abs(after[0] - before[0]) <= 0.5 / camera.zoom + 1e-9
    assert abs(after[1] - before[1]) <= 0.5 / camera.zoom + 1e-9
    back = camera.to_screen(*camera.to_picture(17, 23))
    assert back == pytest.approx((17, 23), abs=1e-6)


@given(st.integers(1, 5000), st.integers(1, 5000), st.integers(50, 900), st.integers(50, 900))
def test_fitting_takes_the_largest_step_that_shows_all(width, height, room_width, room_height):
    camera = Camera()
    camera.fit(width, height, room_width, room_height, most=4)
    larger = STEPS[min(camera.step + 1, len(STEPS) - 1)]
    if camera.step > 0:
        assert width * camera.zoom <= room_width
        assert height * camera.zoom <= room_height
    assert (
        larger > 4
        or larger == STEPS[camera.step]
        or (width * larger > room_width or height * larger > room_height)
    )


def test_zoom_steps_are_whole():
    assert all(step.numerator == 1 or step.denominator == 1 for step in STEPS)
    assert [Camera(STEPS.index(n)).text() for n in (1, 2, 8)] == ["100 %", "200 %", "800 %"]


def whole_picture(doc, map_, store, level):
    box = Box(0, 0, map_.height, map_.width)
    stack = [doc.cells(map_, layer, box) for layer in map_.layers if layer.visible]
    return composed(store.atlas.at(level), stack)


def from_chunks(map_, store, level):
    wide, high = map_.lattice.at_level(level).extent
    out = np.zeros((high, wide), np.uint32)
    for key in store.keys_in(level, Rect(-50, -50, wide + 100, high + 100)):
        chunk = store.make(key)
        left, top, width, height = (int(each) for each in chunk.rect)
        assert chunk.pixels.shape == (height, width)
        assert not out[top : top + height, left : left + width].any()  # no two share a pixel
        out[top : top + height, left : left + width] = chunk.pixels
    return out


@pytest.mark.parametrize("level", [0, 1, 3])
def test_chunks_patched_in_place_are_what_composing_afresh_gives(qapp, level):
    doc, map_, ground, tiles = small_project((70, 90))
    store = ChunkStore(doc, map_)
    doc.changed.connect(lambda c: store.touch(c.box) if c.box and c.what.name == "CELLS" else None)
    assert (from_chunks(map_, store, level) == whole_picture(doc, map_, store, level)).all()
    rng = np.random.default_rng(level)
    for _ in range(12):
        top, left, side = (
            int(rng.integers(0, 66)),
            int(rng.integers(0, 86)),
            int(rng.integers(1, 5)),
        )
        box, mask = Box(top, left, top + side, left + side), np.ones((side, side), bool)
        if rng.random() < 0.5:
            edit = plan_terrain(doc, map_, ground, box, mask, int(rng.integers(1, 4)), "Paint").edit
        else:
            values = rng.integers(0, 9, (side, side)).astype(np.int32)
            edit = plan_cells(map_, tiles, box, values, mask, "Lay").edit
        doc.apply(edit)
        if rng.random() < 0.3:
            doc.undo()
    found = from_chunks(map_, store, level)
    assert (found == whole_picture(doc, map_, store, level)).all()


def test_a_piece_with_animations_takes_a_large_tile_that_knitting_brings(qapp, monkeypatch):
    doc, map_, _, tiles = small_project()
    sheet = doc.project.tilesets[0]
    side = map_.cell_height
    tower = Tileset("tower", "tower.png", side, 3 * side, Slicing(side, 3 * side),
                    picture=np.full((3 * side, side, 4), 255, np.uint8))  # fmt: skip
    doc.project.tilesets.append(tower)
    moving = TileRef(sheet.name, 0, 0)
    sheet.facts = {(0, 0): TileFacts(frames=(Frame(0, 0, 90), Frame(0, 1, 90)))}
    tiles.cells[2, 2] = map_.legend.place(moving)
    store = ChunkStore(doc, map_)
    key, cells = store.keys_in(0, Rect(0, 0, 1, 1))[0], doc.cells

    def knitted(map_, layer, box):
        tiles.cells[4, 4] = map_.legend.place(TileRef("tower", 0, 0))
        return cells(map_, layer, box)

    store.make(key)
    monkeypatch.setattr(doc, "cells", knitted)
    store.touch(Box(2, 2, 3, 5))
    chunk = store.make(key)
    assert chunk.moving is not None
    assert chunk.moving.meets(map_.lattice.bounds(Box(2, 2, 3, 3)))
    assert (chunk.pixels[2 * side : 3 * side, 4 * side : 5 * side] == 0xFFFFFFFF).all()


def test_levels_are_as_large_as_on_the_screen_or_larger(qapp):
    doc, map_, _, _ = small_project()
    store = ChunkStore(doc, map_)
    for step in STEPS:
        level = store.level_for(float(step))
        size = store.atlas.lattice(level).longer
        assert size >= min(8, 8 * float(step)) or level == map_.lattice.level_count - 1


def test_a_stale_chunk_is_shown_until_it_is_made_again(qapp):
    doc, map_, _, _ = small_project()
    store = ChunkStore(doc, map_)
    key = (0, 0, 0)
    assert store.ready(key) is None
    chunk = store.make(key)
    assert store.ready(key) is chunk
    store.touch(Box(0, 0, 1, 1))
    assert store.ready(key) is None
    assert store.stale(key) is chunk
    assert store.make(key) is chunk
    assert store.ready(key) is chunk


def test_the_memory_of_chunks_is_bounded(qapp, monkeypatch):
    from knitground.ui.mapside.canvas import chunks

    monkeypatch.setattr(chunks, "LIMIT_BYTES", 600_000)
    assert LIMIT_BYTES > 100_000_000
    doc, map_, _, _ = small_project((200, 200))
    store = ChunkStore(doc, map_)
    for row in range(6):
        for col in range(6):
            store.make((0, row, col))
    assert len(store._chunks) <= 3
    assert store.ready((0, 0, 0)) is None
    assert store.ready((0, 5, 5)) is not None


def test_panning_draws_what_comes_into_view(window):
    view = window.mapside.view
    window.show_stage("draw")
    view.session.show(grid=False)
    view.leaveEvent(None)
    settle()
    view.zoom_to(STEPS.index(1))
    view.camera.left, view.camera.top = 0.0, 0.0
    settle()
    before = pixels(view)
    view.pan(-64, -32)
    settle()
    after = pixels(view)
    assert (after[:-32, :-64] == before[32:, 64:]).all()


def test_only_changed_cells_are_painted_again(window):
    view = window.mapside.view
    window.show_stage("draw")
    settle_view(view)
    store = view.store
    assert store._chunks
    for chunk in store._chunks.values():
        assert chunk.dirty is None
    window.stage.digit(2)
    session = window.session
    ground = session.map.layers[0]
    mask = np.ones((1, 1), bool)
    plan = plan_terrain(session.doc, session.map, ground, Box(30, 40, 31, 41), mask, 2, "Paint")
    session.doc.apply(plan.edit)
    dirty = [chunk.dirty for chunk in store._chunks.values() if chunk.dirty is not None]
    assert dirty
    assert all(rect.height * rect.width <= 64 * 16 * 16 for rect in dirty)


# Very many things in view


def test_a_ragged_selection_is_outlined_where_its_cells_end(window):
    view, map_ = window.mapside.view, window.session.map
    view.zoom_to(STEPS.index(1))
    settle_view(view)
    bare = pixels(view)
    mask = np.random.default_rng(4).random((map_.height, map_.width)) < 0.5
    window.session.choice.select(Selection(Box(0, 0, map_.height, map_.width), mask))
    settle_view(view)
    lined = pixels(view)
    changed = (lined != bare) & (lined != np.uint32(0))
    high, wide = map_.lattice.cell_size
    x, y = view.camera.to_picture(view.width() / 2, view.height() / 2)
    first = (int(y // high), int(x // wide))
    row, col = np.argwhere(mask[first[0] :, first[1] :])[0] + first
    for down, across in ((0, 1), (1, 0)):
        x, y = (round(each) for each in view.camera.to_screen(col * wide, row * high))
        edge_y, edge_x = (y + high - 1, x + wide // 2) if down else (y + high // 2, x + wide - 1)
        ends = not mask[row + down, col + across]
        assert changed[edge_y, edge_x] == ends
        assert not changed[y + high // 2, x + wide // 2]
    view.repaint(QRect(100, 90, 61, 47))  # a part painted anew fits what is round it
    assert (pixels(view) == lined).all()


def test_very_many_markers_are_dots_in_their_kinds_colours(window):
    view, map_ = window.mapside.view, window.session.map
    layer = next(each for each in map_.layers if isinstance(each, MarkerLayer))
    window.session.choose_layer(layer)
    view.zoom_to(STEPS.index(1))
    settle_view(view)
    spots = [(float(x), float(y)) for x in range(300, 540, 6) for y in range(300, 540, 6)]
    made = [Marker(1, Shape.POINT, (each,), kind="door") for each in spots]
    edit, _ = add_markers(map_, layer, made)
    window.session.apply(edit)
    settle_view(view)
    shown = pixels(view)
    for spot in spots[:: len(spots) // 40]:
        x, y = (round(each) for each in view.camera.to_screen(*spot))
        if 0 <= x < view.width() and 0 <= y < view.height():
            assert shown[y, x] == QColor(kind_colour("door")).rgba()
