"""What a player sees while a figure walks: within the map, within camera areas, never torn."""

from hypothesis import given
from hypothesis import strategies as st

from knitground.core.model.map import Map
from knitground.core.model.marker import Marker, Shape
from knitground.core.walk.camera import CAMERA, limits_of, screen_at
from knitground.core.walk.figure import Figure, Stand

FIGURE = Figure(12, 20)
places = st.integers(0, 640)


def a_map(size=(40, 40), screen=(320, 180), *, wrap=False, areas=()):
    map_ = Map("m", *size, 16, 16, wrap, screen=screen)
    layer = map_.new_marker_layer("Places")
    layer.markers = tuple(
        Marker(n, Shape.BOX, ((x, y), (x + wide, y + high)), "", CAMERA)
        for n, (x, y, wide, high) in enumerate(areas, 1)
    )
    map_.layers.append(layer)
    return map_


@given(places, places)
def test_the_screen_never_leaves_the_map_and_always_shows_the_figure(x, y):
    seen = screen_at(a_map(), FIGURE, Stand(x, y))
    assert (seen.width, seen.height) == (320, 180)
    assert seen.x >= 0
    assert seen.y >= 0
    assert seen.right <= 640
    assert seen.bottom <= 640
    assert seen.x <= x <= seen.right
    assert seen.y <= y <= seen.bottom


@given(places, places, st.integers(-1, 1), st.integers(-1, 1))
def test_a_step_of_a_pixel_moves_it_by_a_pixel_at_most(x, y, across, down):
    map_ = a_map()
    one, two = (screen_at(map_, FIGURE, Stand(x + n * across, y + n * down)) for n in (0, 1))
    assert abs(one.x - two.x) <= 1
    assert abs(one.y - two.y) <= 1


def test_a_map_smaller_than_the_screen_lies_in_its_middle_and_one_that_wraps_has_no_edge():
    assert screen_at(a_map((5, 5)), FIGURE, Stand(70, 70)) == (-120, -50, 320, 180)
    wraps = screen_at(a_map(wrap=True), FIGURE, Stand(3, 5))
    assert wraps[:2] == (3 - 160, 5 - 10 - 90)


def test_the_smallest_camera_area_round_its_feet_holds_the_screen():
    map_ = a_map(areas=[(0, 0, 600, 600), (100, 100, 400, 200), (0, 500, 50, 50)])
    assert limits_of(map_, Stand(150, 150)) == (100, 100, 400, 200)
    assert screen_at(map_, FIGURE, Stand(150, 150))[:2] == (100, 100)
    assert limits_of(map_, Stand(150, 400)) == (0, 0, 600, 600)
    small = screen_at(map_, FIGURE, Stand(20, 520))
    assert (small.x + 160, small.y + 90) == (25, 525), "a room smaller than the screen"
    map_.layers[0].visible = False
    assert limits_of(map_, Stand(150, 150)) == (0, 0, 640, 640)
