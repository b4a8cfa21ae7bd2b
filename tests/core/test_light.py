"""Light against a loop: what lamps add, what blocks them, and that a part is as the whole."""

from math import hypot

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.maps import small_project

from knitground.core.model.lattice import Rect
from knitground.core.model.marker import Marker, Shape
from knitground.core.model.properties import Property
from knitground.core.shapes.light import DUSK, Lamp, Light, ambient_of, lamps_of, lit

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
