"""Light against a loop: what lamps add, what blocks them, and that a part is as the whole."""

from math import hypot

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.core.test_diamond import yard
from tests.maps import small_project

from knitground.core.base.window import read
from knitground.core.model.lattice import Rect
from knitground.core.model.limits import FULL_TINT
from knitground.core.model.marker import Marker, Shape
from knitground.core.model.project import Project
from knitground.core.model.properties import Property
from knitground.core.model.slicing import Slicing
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Tileset
from knitground.core.render.relief import (
    By,
    facing,
    flat_relief,
    made_relief,
    relief_project,
)
from knitground.core.render.tiles import tile_pixels, tiles_pixels
from knitground.core.shapes.light import DUSK, Lamp, Light, ambient_of, lamps_of, lit
from knitground.core.shapes.maplight import MapLight, drawn_layers

ROOM = Rect(0, 0, 60, 50)


def walls(mask):
    """Gives blocked pixels out of a whole picture; nothing blocks beyond it."""

    def blocked(x, y, wide, high):
        out = np.zeros((high, wide), bool)
        for row in range(max(0, y), min(mask.shape[0], y + high)):
            for col in range(max(0, x), min(mask.shape[1], x + wide)):
                out[row - y, col - x] = mask[row, col]
        return out

    return blocked


def test_light_is_the_sum_that_the_formula_gives():
    lamps = [Lamp(20, 15, 30, (1, 0.5, 0), 0.8), Lamp(50, 40, 12, (0.2, 0.4, 1), 2.0),
             Lamp(500, 40, 12)]  # fmt: skip
    field = Light().field(lamps, (0.1, 0.2, 0.3), ROOM)
    for y, x in [(0, 0), (15, 20), (30, 33), (49, 59), (40, 50), (40, 61 - 2)]:
        want = np.array([0.1, 0.2, 0.3])
        for lamp in lamps:
            part = max(0.0, 1 - (hypot(x - lamp.x, y - lamp.y) / lamp.radius) ** 2) ** 2
            want += part * lamp.strength * np.array(lamp.colour)
        assert field[y, x] == pytest.approx(want, abs=1e-5)


@given(st.integers(0, 40), st.integers(0, 30), st.integers(1, 20), st.integers(1, 20),
       st.integers(1, 4))  # fmt: skip
def test_a_part_is_lit_as_in_the_whole(x, y, wide, high, step):
    mask = np.zeros((50, 60), bool)
    mask[10:14, 20:45] = True
    light = Light(walls(mask), step)
    lamps = [Lamp(24, 30, 40), Lamp(8, 4, 25)]
    x, y = x * step, y * step
    whole = light.field(lamps, DUSK, Rect(0, 0, 240, 240))
    part = light.field(lamps, DUSK, Rect(x, y, wide * step, high * step))
    y, x = y // step, x // step
    want = whole[y : y + high, x : x + wide]
    assert (part[: want.shape[0], : want.shape[1]] == want).all()


def test_what_stands_behind_something_that_blocks_light_is_dark_and_its_face_is_lit():
    mask = np.zeros((50, 60), bool)
    mask[20:28, 10:50] = True
    lamp = Lamp(30, 40, 60)
    field = Light(walls(mask)).field([lamp], (0, 0, 0), ROOM)[..., 0]
    free = Light().field([lamp], (0, 0, 0), ROOM)[..., 0]
    assert (field[:15, 15:45] == 0).all(), "behind it"
    assert (field[27, 20:40] > 0).all(), "its side that faces the lamp"
    assert field[30:, 5:55] == pytest.approx(free[30:, 5:55]), "before it"
    assert (field <= free + 1e-6).all()
    inside = Light(walls(mask)).field([Lamp(30, 24, 60)], (0, 0, 0), ROOM)[..., 0]
    assert inside[45, 30] > 0, "a lamp in a wall shines out of it"


def test_what_is_forgotten_is_worked_out_anew():
    mask = np.zeros((50, 60), bool)
    light = Light(walls(mask))
    lamp = Lamp(30, 40, 60)
    before = light.field([lamp], DUSK, ROOM)
    mask[20:28, 10:50] = True
    assert (light.field([lamp], DUSK, ROOM) == before).all()
    light.forget(Rect(500, 500, 9, 9))
    assert (light.field([lamp], DUSK, ROOM) == before).all()
    light.forget(Rect(20, 20, 9, 9))
    assert (light.field([lamp], DUSK, ROOM) != before).any()


def test_lamps_are_markers_and_what_is_wrong_is_as_usual():
    _, map_, *_ = small_project()
    assert ambient_of(map_) is None
    layer = map_.new_marker_layer("Lamps")

    def lamp(number, **said):
        return Marker(number, Shape.POINT, ((9.0, 4.0),), "", "lamp",
                      tuple(Property(name, value) for name, value in said.items()))  # fmt: skip

    layer.markers = (
        lamp(1), lamp(2, radius="40", colour="#ff0080", strength="2,5", flicker="0.4"),
        lamp(3, radius="0"), lamp(4, radius="-3"), lamp(5, radius="wide", colour="red"),
        lamp(6, radius="99999", strength="1e9", flicker="7"), lamp(7, radius="nan"),
        Marker(8, Shape.POINT, ((1.0, 1.0),), "", "door"),
    )  # fmt: skip
    map_.layers.append(layer)
    found = lamps_of(map_)
    assert [each.number for each in found] == [1, 2, 5, 6, 7]
    assert found[1] == Lamp(9, 4, 40, (1, 0, 128 / 255), 2.5, 0.4, 2)
    assert found[2] == Lamp(9, 4, number=5)
    assert (found[3].radius, found[3].strength, found[3].flicker) == (2048, 4, 1)
    assert ambient_of(map_) == DUSK
    map_.properties = (Property("ambient", "#ffffff"),)
    assert ambient_of(map_) == (1, 1, 1)
    layer.visible = False
    assert lamps_of(map_) == []


def test_flicker_is_the_same_at_the_same_time_and_never_more_than_the_lamp():
    steady, wild = Lamp(0, 0, strength=0.7), Lamp(0, 0, strength=0.7, flicker=0.5, number=3)
    times = range(0, 5000, 37)
    assert {steady.strength_at(ms) for ms in times} == {0.7}
    values = [wild.strength_at(ms) for ms in times]
    assert values == [wild.strength_at(ms) for ms in times]
    assert 0.35 - 1e-9 <= min(values) < 0.5 < max(values) <= 0.7


def test_pixels_are_multiplied_and_keep_their_opacity():
    rng = np.random.default_rng(1)
    pixels = rng.integers(0, 2**32, (6, 8), np.uint32)
    field = rng.random((3, 4, 3)).astype(np.float32) * 1.5
    out = lit(pixels, field, 2)
    for y, x in np.ndindex(pixels.shape):
        assert out[y, x] >> 24 == pixels[y, x] >> 24
        for n, shift in enumerate((16, 8, 0)):
            was = (int(pixels[y, x]) >> shift) & 255
            now = (int(out[y, x]) >> shift) & 255
            assert abs(now - was * min(1, float(field[y // 2, x // 2, n]))) <= 1.5
    assert (lit(pixels, np.ones((6, 8, 3), np.float32)) == pixels).all()


def test_what_lies_flat_is_lit_as_before_and_what_faces_a_lamp_is_brighter():
    lamp = Lamp(30, 25, 40, (1, 1, 1), height=16)
    flat = np.zeros((200, 200, 3), np.float32)
    flat[..., 2] = 1
    plain = Light().field([lamp], (0, 0, 0), ROOM)
    same = Light(relief=lambda rect: flat[: int(rect.height), : int(rect.width)])
    assert np.allclose(same.field([lamp], (0, 0, 0), ROOM), plain, atol=1e-5)
    right = flat.copy()
    right[...] = 0.6, 0, 0.8
    faced = Light(relief=lambda rect: right[: int(rect.height), : int(rect.width)])
    field = faced.field([lamp], (0, 0, 0), ROOM)
    for y, x in [(25, 10), (25, 45), (10, 30), (40, 12)]:
        dx, dy = 30 - x, 25 - y
        by = 0.8 + 0.6 * dx / max(16, hypot(dx, dy) / 2)
        assert field[y, x] == pytest.approx(plain[y, x] * min(2, max(0, by)), abs=1e-4)
    assert field[25, 10, 0] > plain[25, 10, 0] > field[25, 45, 0]


@pytest.mark.parametrize("turn", range(8))
def test_a_turned_relief_faces_where_the_turned_art_does(turn):
    dome = np.zeros((9, 9, 4), np.uint8)
    yy, xx = np.mgrid[-4:5, -4:5]
    dome[..., 3] = 255 * (np.hypot(xx, yy) <= 4)
    dome[..., 0] = 90
    relief = made_relief(dome, Slicing(9, 9), By.OUTLINE)
    owner = Tileset("it", "it.png", 9, 9, Slicing(9, 9), picture=dome, relief=relief)
    faces = relief_project(Project("p", None, [owner], [], [])).tilesets[0]
    pixels = tile_pixels(faces, TileRef("it", 0, 0, turn))
    both = facing(pixels)
    # Of something round each pixel faces away from its middle, however it is turned.
    for y, x in ((4, 1), (4, 7), (1, 4), (7, 4), (2, 2)):
        assert np.sign(np.round(both[y, x, :2], 1)).tolist() == np.sign([x - 4, y - 4]).tolist()
    rows, cols = np.array([0]), np.array([0])
    assert (tiles_pixels(faces, rows, cols, turn)[0] == pixels).all()
    if turn == 0:
        assert (both[0, 0] == (0, 0, 1)).all()


def test_relief_by_brightness_rises_to_what_is_bright_and_keeps_to_its_tile():
    art = np.full((16, 32, 4), 255, np.uint8)
    art[..., :3] = np.linspace(0, 200, 16)[None, :, None].repeat(2, 0).reshape(1, 32, 1)
    relief = made_relief(art, Slicing(16, 16), By.BRIGHTNESS).astype(int)
    assert (relief[4:12, 3:13, 0] < 128).all(), "what rises to the right faces left"
    assert (relief[..., 1] == 128).all()
    assert abs(relief[8, 15, 0] - relief[8, 12, 0]) < 30, "the step between two tiles is no wall"
    assert (made_relief(art, Slicing(16, 16), By.BRIGHTNESS, 0) == flat_relief(art)).all()
    back = made_relief(art, Slicing(16, 16), By.BRIGHTNESS, -1).astype(int)
    assert (back[4:12, 3:13, 0] > 128).all()
    assert (made_relief(art, Slicing(16, 16), By.OUTLINE) == flat_relief(art)).all()


@pytest.mark.parametrize("grid", ["square", "diamond"])
def test_a_tint_layer_can_be_the_ambient_light(grid):
    if grid == "square":
        doc, map_, *_ = small_project((9, 12))
    else:
        doc, map_ = yard((6, 8))
    tint = map_.new_tint_layer("Evening")
    tint.cells[1:4, 2:6] = np.uint32(round(0.8 * FULL_TINT) << 24 | 0x305090).view(np.int32)
    map_.layers.append(tint)
    map_.properties = (Property("ambient", "Evening"),)
    light = MapLight(doc.project, map_, lambda layer, box: read(layer.cells, box))
    assert light.is_on
    assert tint not in drawn_layers(map_)
    rect = Rect(0, 0, *map_.lattice.extent)
    field = light.field(rect)
    ys, xs = np.mgrid[: int(rect.height), : int(rect.width)] + 0.5
    rows, cols = map_.lattice.cells_at(xs, ys)
    inside = (rows >= 1) & (rows < 4) & (cols >= 2) & (cols < 6)
    colour = 1 - 0.8 * (1 - np.array([0x30, 0x50, 0x90]) / 255)
    want = np.where(inside[..., None], colour, 1)
    assert np.abs(field - want).max() < 0.004
    part = light.field(Rect(17, 21, 40, 30))
    assert (part == field[21:51, 17:57]).all()
    coarse = MapLight(doc.project, map_, lambda layer, box: read(layer.cells, box), 4)
    assert coarse.field(rect)[10, 12] == pytest.approx(field[42, 50], abs=0.01)
    tint.visible = False
    assert light.field(rect)[0, 0] == pytest.approx(DUSK)
