"""Drawing on a map of diamonds, with the pointer and with keys, in the real window."""

from math import inf

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from tests.ui.conftest import LEFT, click, drag, move, pixels, settle, settle_view, wake

from knitground.core.base.window import Box
from knitground.core.edit.hand import PatchInHand, TerrainInHand, TileInHand
from knitground.core.edit.sheets import add_tileset
from knitground.core.files.opening import open_project
from knitground.core.files.saving import save_project
from knitground.core.model.lattice import GridKind
from knitground.core.model.patch import Patch
from knitground.core.model.slicing import Slicing
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import TileFacts, Tileset
from knitground.core.render.tiles import overhang
from knitground.demo.yard import WALL, yard_tile
from knitground.ui.common.tasks import wait_for_jobs
from knitground.ui.mapside.dialogs import NewMapDialog
from knitground.ui.mapside.sizecheck import offer_for_size

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def view(window):
    """The view of the store yard at its full size, with the layer of things chosen."""
    session = window.session
    session.choose_map(session.project.map_named("Store yard"))
    session.choose_layer(session.map.layers[3])
    session.choose_tileset(session.project.tileset_named("yard"))
    window.show_stage("draw")
    wake(window)
    view = window.mapside.view
    view.session.show(grid=False)
    view.fit()
    view.show_cell(12, 12)
    settle()
    return view


def place_of(session, name):
    return session.map.legend.place(yard_tile(name))


def test_cells_are_found_where_they_are_seen(window, view):
    lattice = view.shown_map.lattice
    for row, col in ((0, 0), (5, 17), (21, 21), (12, 3)):
        at = view.screen_at(row, col)
        assert view._pointer(at).cell(view.shown_map) == (row, col)
    x0 = view.screen_at(10, 10).x()
    assert view.screen_at(10, 11).x() > x0 > view.screen_at(11, 10).x()
    assert lattice.extent == (22 * 64, 22 * 32 + 32)


@pytest.mark.parametrize("tool", ["paint", "erase", "line", "box", "fill", "select"])
def test_every_tool_lays_what_its_ghost_showed(window, view, tool):
    session = window.session
    session.take(TileInHand(yard_tile("crate"), 0))
    session.choose_tool(tool)
    layer, before = session.layer, session.layer.cells.copy()
    points = [view.screen_at(5, 14), view.screen_at(5, 16), view.screen_at(8, 16)]
    if tool in ("paint", "fill", "erase"):
        move(view, points[0])
        settle()
        plan = view.plan
        drag(view, *points[: 1 if tool == "fill" else 3])
    else:
        drag(view, *points, release=False)
        plan = view.plan
        QTest.mouseRelease(view, LEFT, Qt.KeyboardModifier.NoModifier, points[-1])
    settle()
    if tool == "select":
        chosen = session.selection
        assert chosen.box == Box(5, 14, 9, 17)
        return
    if tool == "erase":
        assert not layer.cells[5, 14]
        return
    now = layer.cells
    if plan is not None:
        box = plan.box
        laid = plan.cells > 0
        assert (now[box.top : box.bottom, box.left : box.right][laid] == plan.cells[laid]).all()
    crate = place_of(session, "crate")
    assert now[5, 14] == crate or tool == "line"
    if tool == "paint":
        assert (now[5, 14:17] == crate).all()
        assert (now[5:9, 16] == crate).all()
    if tool == "box":
        assert (now[5:9, 14:17] == crate).all()
    assert session.doc.history.undo_name
    session.undo()
    assert (layer.cells == before).all()


def test_the_ghost_is_the_very_picture_that_the_click_gives(window, view):
    session = window.session
    session.take(TileInHand(yard_tile("crates"), 0))
    session.choose_tool("paint")
    spot = view.screen_at(6, 12)
    move(view, spot)
    settle_view(view)
    ghost = view.store.ghost(view.plan, 0, view.plan.box, inf)
    shown, rect = ghost.pixels.copy(), ghost.rect
    assert rect.height >= 64
    click(view, spot)
    view.leaveEvent(None)
    settle_view(view)
    box = session.map.lattice.cells_in(rect)
    box = box.clipped(session.map.height, session.map.width)
    layer = session.layer
    again = view.store.picture(rect, 0, [(layer, box, session.doc.cells(session.map, layer, box))])
    assert (again == shown).all()


def test_terrain_is_painted_on_the_corners_of_diamonds(window, view):
    session = window.session
    floor = session.map.layers[0]
    session.choose_layer(floor)
    session.take(TerrainInHand("yard", "Floor", 2, "planks"))
    session.choose_tool("paint")
    session.set_size(2)
    drag(view, view.screen_at(3, 16, 0, 0), view.screen_at(3, 19, 0, 0))
    settle()
    assert (floor.terrain[3, 16:20] == 2).all()
    assert "planks" in session.doc.history.undo_name, session.doc.history.undo_name
    session.doc.knitter.ensure_all(session.map)
    assert not (floor.cells == -1).any()


def test_arrows_go_along_the_screen_and_with_shift_along_the_grid(window, view):
    view.setFocus()
    view._set_cursor(10, 10)
    for key, wanted in (
        (Qt.Key.Key_Up, (9, 9)), (Qt.Key.Key_Right, (8, 10)), (Qt.Key.Key_Down, (9, 11)),
        (Qt.Key.Key_Left, (10, 10)),
    ):  # fmt: skip
        QTest.keyClick(view, key)
        assert view.cell_cursor == wanted
    QTest.keyClick(view, Qt.Key.Key_Right, SHIFT)
    assert view.cell_cursor == (10, 11)
    QTest.keyClick(view, Qt.Key.Key_Up, SHIFT)
    assert view.cell_cursor == (9, 11)
    window.session.take(TileInHand(yard_tile("barrel"), 0))
    window.session.choose_tool("paint")
    QTest.keyClick(view, Qt.Key.Key_Return)
    settle()
    assert window.session.layer.cells[9, 11] == place_of(window.session, "barrel")


def test_a_storey_is_as_high_as_the_wall_in_hand(window, view):
    session = window.session
    walls = session.map.layers[2]
    session.choose_layer(walls)
    place = int(walls.cells[14, 5])
    session.take(TileInHand(session.map.legend.tile(place), 0))
    window.commands.named("Add a storey above").action.trigger()
    storey = session.layer
    assert storey.height == WALL
    assert session.map.layers.index(storey) == 3
    assert f"{WALL} px above" in window.notices.text.text()
    session.take(TileInHand(yard_tile("crate"), 0))
    session.choose_tool("paint")
    up = round(WALL * view.camera.zoom)
    click(view, view.screen_at(15, 5))
    settle()
    assert storey.cells[15, 5] == place_of(session, "crate")
    ground = view.camera.to_screen(*session.map.lattice.middle(15, 5))
    assert abs(view.screen_at(15, 5).y() - (ground[1] - up)) <= 1
    session.undo()
    session.undo()
    assert storey not in session.map.layers


def test_sorting_by_depth_hides_what_stands_behind_a_wall(window, view):
    session = window.session
    session.take(TileInHand(yard_tile("crates"), 0))
    things = session.layer
    things.cells[18, 4] = place_of(session, "crates")
    view.leaveEvent(None)
    shown = []
    for on in (True, False):
        if things.interleaved is not on:
            window.commands.named("Sort by depth with neighbours, or not").action.trigger()
        assert things.interleaved is on
        settle_view(view)
        shown.append(pixels(view))
    assert (shown[0] != shown[1]).any()
    session.undo()
    assert things.interleaved


def test_looking_into_makes_what_is_in_front_faint(window, view):
    session = window.session
    view.leaveEvent(None)
    settle_view(view)
    plain = pixels(view)
    window.commands.named("Look into: fade what is in front").action.trigger()
    session.choose_layer(session.map.layers[2])
    settle_view(view)
    inside = pixels(view)
    assert (plain != inside).any()
    session.choose_layer(session.map.layers[-1])  # nothing is in front of it
    settle_view(view)
    now = pixels(view)
    assert (now == plain).mean() > 0.999
    window.commands.named("Look into: fade what is in front").action.trigger()


def test_a_tile_is_mirrored_and_never_turned_and_a_patch_turns_in_the_grid(window, view):
    session = window.session
    crate, barrel = yard_tile("crate"), yard_tile("barrel")
    session.take(TileInHand(crate, 0))
    session.turn_hand(1)
    assert session.hand.tile == crate
    assert "mirrored, not turned" in window.notices.text.text()
    session.turn_hand(4)
    assert session.hand.tile == crate._replace(turn=4)
    session.take(PatchInHand(Patch("pair", ((crate, barrel),))))
    session.turn_hand(1)
    assert session.hand.patch.rows == ((crate,), (barrel,))
    session.turn_hand(4)
    mirrored = [tile._replace(turn=4) for tile in (crate, barrel)]
    assert session.hand.patch.rows == (tuple(mirrored),)


def test_a_selection_is_mirrored_as_the_screen_shows_it(window, view):
    session = window.session
    things = session.layer
    things.cells[:] = 0
    things.cells[4, 15:18] = [place_of(session, n) for n in ("crate", "barrel", "salt heap")]
    session.choose_tool("select")
    drag(view, view.screen_at(4, 15), view.screen_at(4, 17))
    settle()
    window.commands.named("Mirror left to right").action.trigger()
    settle()
    rows, cols = np.nonzero(things.cells)
    assert len(set(cols.tolist())) == 1, "a row on the screen's one side is a column on the other"
    assert len(rows) == 3


def test_the_border_is_dragged_along_its_own_side(window, view):
    session = window.session
    map_ = session.map
    lattice = map_.lattice
    size = (map_.height, map_.width)
    view.fit()
    settle()
    corners = [QPoint(*(round(v) for v in view.camera.to_screen(*at)))
               for at in lattice.outline(lattice.whole)]  # fmt: skip
    middle = (corners[1] + corners[2]) / 2 + QPoint(4, 5)  # just outside the last column
    move(view, middle)
    settle()
    step = QPoint(round(64 * view.camera.zoom), round(32 * view.camera.zoom))
    drag(view, middle, middle + step, middle + step * 2)
    settle()
    assert (map_.height, map_.width) == (size[0], size[1] + 4), view.border.label
    session.undo()
    assert (map_.height, map_.width) == size


def test_a_new_map_takes_the_diamonds_that_its_pictures_stand_on(window, view):
    session = window.session
    dialog = NewMapDialog(session, window.shell)
    assert dialog.kind is GridKind.DIAMOND
    assert (dialog.base_width.value(), dialog.base_height.value()) == (64, 32)
    assert "Measured on" in dialog.base_words.text()
    assert dialog.base_picture.pixels is not None
    dialog.base_height.setValue(64)
    assert "not of what it stands on" in dialog.base_words.text()
    dialog.grid.setCurrentIndex(0)
    assert "choose Diamond" in dialog.base_words.text()
    dialog.grid.setCurrentIndex(1)
    dialog.base_height.setValue(32)
    dialog.width_box.setValue(9)
    dialog.height_box.setValue(7)
    window.mapside.maps.add_map(dialog)
    made = session.map
    assert (made.grid.kind, made.cell_height, made.cell_width) == (GridKind.DIAMOND, 32, 64)
    assert [each.name for each in made.layers][:3] == ["Floor", "Walls", "Roofs"]
    dialog.tilesets.setCurrentText("pans")
    assert dialog.kind is GridKind.SQUARE
    assert not dialog.base_words.text()


def test_the_base_is_dragged_over_a_picture(window, view):
    session = window.session
    dialog = NewMapDialog(session, window.shell)
    dialog.show()
    settle()
    pad = dialog.base_picture
    spots = {name: at.toPoint() for name, at in pad.corners().items()}
    zoom = (spots["right"].x() - spots["left"].x()) / 64
    shown = pixels(pad)
    drag(pad, spots["right"], spots["right"] - QPoint(round(8 * zoom), 0))
    assert dialog.base_width.value() == 48
    drag(pad, pad.corners()["upper"].toPoint(),
         pad.corners()["upper"].toPoint() - QPoint(0, round(6 * zoom)))  # fmt: skip
    assert dialog.base_height.value() == 38
    middle = (pad.corners()["upper"] + pad.corners()["lower"]).toPoint() / 2
    drag(pad, middle, middle - QPoint(0, round(5 * zoom)))
    assert (dialog.below, pad.below) == (5, 5)
    assert "5 px over their foot" in dialog.base_words.text()
    assert (pixels(pad) != shown).any()
    pad.setFocus()
    QTest.keyClick(pad, Qt.Key.Key_Right)
    QTest.keyClick(pad, Qt.Key.Key_Down)
    QTest.keyClick(pad, Qt.Key.Key_Down, SHIFT)
    assert (dialog.base_width.value(), dialog.base_height.value(), dialog.below) == (50, 36, 4)
    for _ in range(40):
        QTest.keyClick(pad, Qt.Key.Key_Down)
        QTest.keyClick(pad, Qt.Key.Key_Down, SHIFT)
    assert (dialog.base_height.value(), dialog.below) == (2, 0)
    dialog.base_height.setValue(30)
    assert pad.height_px == 30
    dialog.below = 7
    assert dialog.standing() is not None
    dialog.grid.setCurrentIndex(0)
    assert dialog.standing() is None
    dialog.close()


def test_a_drawn_yard_is_saved_and_comes_back(window, view, tmp_path):
    session = window.session
    session.take(TileInHand(TileRef("yard", 0, 0), 0))
    click(view, view.screen_at(1, 1))
    settle()
    save_project(session.project, tmp_path / "kept")
    again = open_project(tmp_path / "kept").project.map_named("Store yard")
    assert again.grid.kind is GridKind.DIAMOND
    assert [each.interleaved for each in again.layers] == [
        each.interleaved for each in session.map.layers
    ]
    assert again.layers[3].cells[1, 1] > 0


def test_a_key_goes_through_the_pieces_that_fit(window, view):
    session = window.session
    walls = session.map.layers[2]
    session.choose_layer(walls)
    view.setFocus()
    view._set_cursor(19, 5)
    before = view.grab().toImage()
    QTest.keyClick(window.shell, Qt.Key.Key_Y)
    wait_for_jobs()
    settle()
    straight = session.map.legend.tile(
        int(session.doc.cells(session.map, walls, Box(19, 5, 20, 6))[0, 0])
    )
    assert session.hand.tile == straight
    assert session.tool == "paint"
    assert view.fitting.shows_at(session.map, walls, view.cell_here())
    assert view.grab().toImage() != before
    QTest.keyClick(window.shell, Qt.Key.Key_Y)
    assert session.hand.tile == yard_tile("door along rows")
    QTest.keyClick(window.shell, Qt.Key.Key_Y, SHIFT)
    assert session.hand.tile == straight
    QTest.keyClick(view, Qt.Key.Key_Y)
    QTest.keyClick(view, Qt.Key.Key_Return)
    settle()
    assert walls.pinned[19, 5]
    assert session.map.legend.tile(int(walls.cells[19, 5])) == yard_tile("door along rows")
    session.choose_layer(session.map.layers[1])
    session.choose_layer(session.map.layers[3])
    view._set_cursor(0, 20)
    QTest.keyClick(window.shell, Qt.Key.Key_Y)
    wait_for_jobs()
    assert "any piece fits" in window.notices.text.text()


def test_pictures_as_wide_as_the_base_are_welcome_and_others_are_told(window, view):
    session = window.session
    project = session.project
    offer_for_size(session, project.tileset_named("yard"))
    assert not window.notices.isVisible() or "stand in the middle" not in window.notices.text.text()
    offer_for_size(session, project.tileset_named("pans"))
    assert "16 px wide, the diamonds of this map 64" in window.notices.text.text()
    layers = len(session.map.layers)
    window.mapside.strip.layers.add_own_cells("16 × 16")
    assert "all layers have the map's cells" in window.notices.text.text()
    assert len(session.map.layers) == layers


def test_pictures_whose_base_is_not_at_their_foot_get_anchors_with_the_map(window, view):
    session = window.session
    yard = session.project.tileset_named("yard")
    rows = [np.pad(yard.picture[r * 64 : (r + 1) * 64], ((0, 6), (0, 0), (0, 0)))
            for r in range(2)]  # fmt: skip
    picture = np.concatenate(rows)
    low = Tileset("low", "low.png", picture.shape[1], picture.shape[0], Slicing(64, 70),
                  picture=picture)  # fmt: skip
    low.facts = {(0, 3): TileFacts(anchor=(1, 2))}
    session.apply(add_tileset(session.project, low))
    session.choose_tileset(low)
    dialog = NewMapDialog(session, window.shell)
    assert (dialog.kind, dialog.measured.below) == (GridKind.DIAMOND, 6)
    count = len(session.doc.history.names)
    window.mapside.maps.add_map(dialog)
    assert len(session.doc.history.names) == count + 1
    assert low.fact(0, 0).anchor == (32, 70 - 6 - 16)
    assert low.fact(0, 3).anchor == (1, 2), "what had one keeps it"
    assert overhang(low, TileRef("low", 0, 0), session.map.lattice) == (16 - 48, 0)
    session.undo()
    assert low.fact(0, 0).anchor is None
    assert session.project.map_named(dialog.name.text()) is None


def test_what_is_in_front_is_cut_away_round_the_pointer(window, view):
    session = window.session
    session.choose_layer(session.map.layers[2])
    session.take(None)
    view.show_cell(4, 4)
    spot = view.screen_at(4, 4)

    def shown():
        move(view, spot)
        settle_view(view)
        return pixels(view)

    plain = shown()
    window.commands.named("Look into: cut away round the pointer").action.trigger()
    ys, xs = np.nonzero(shown() != plain)
    away = np.hypot(xs - spot.x(), ys - spot.y())
    assert (away < 100).sum() > 4000, "the roof is gone there"
    assert (away > 110).sum() == 0, "and nowhere else"
    window.commands.named("Look into: cut away round the pointer").action.trigger()
    assert (shown() == plain).all()
