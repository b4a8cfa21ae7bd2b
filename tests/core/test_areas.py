"""Several grids on one sheet: where it is cut, and what a project makes of it."""

import numpy as np
import pytest
from tests.sheets import opaque, palette, sprite, texture

from knitground.core.base.errors import Cancelled
from knitground.core.edit.document import Document
from knitground.core.edit.reslice import cut_areas
from knitground.core.model.project import Project
from knitground.core.model.slicing import Slicing
from knitground.core.model.tileset import Tileset
from knitground.core.slicing.areas import areas_words, in_area, likely_areas
from knitground.core.slicing.likely import likely_grids


def block(rng, tile, columns, rows, spacing=0, figures=False):
    """A grid of textures, or of figures on nothing."""
    wide, high = tile
    pitch_x, pitch_y = wide + spacing, high + spacing
    out = np.zeros((rows * pitch_y - spacing, columns * pitch_x - spacing, 4), np.uint8)
    for row in range(rows):
        for col in range(columns):
            y, x = row * pitch_y, col * pitch_x
            if figures:
                figure = sprite(rng, high - 4, wide - 4, palette(rng), 0.9)
                out[y + 2 : y + 2 + figure.shape[0], x + 2 : x + 2 + figure.shape[1]] = figure
            else:
                out[y : y + high, x : x + wide] = opaque(texture(rng, high, wide, palette(rng)))
    return out


def under(one, two, gap):
    """Lay one picture below the other."""
    wide = max(one.shape[1], two.shape[1])
    out = np.zeros((one.shape[0] + gap + two.shape[0], wide, 4), np.uint8)
    out[: one.shape[0], : one.shape[1]] = one
    out[one.shape[0] + gap :, : two.shape[1]] = two
    return out


def two_grids(seed=1, gap=6):
    rng = np.random.default_rng(seed)
    return under(block(rng, (24, 24), 10, 4, 1), block(rng, (48, 32), 5, 4, figures=True), gap)


def sizes(areas):
    return [
        (each.guess.slicing.tile_width, each.guess.slicing.tile_height) if each.guess else None
        for each in areas
    ]


def test_two_grids_one_below_the_other_are_told_apart():
    picture = two_grids()
    areas = likely_areas(picture)
    assert sizes(areas) == [(24, 24), (48, 32)]
    assert areas[0].area == (0, 0, 249, 99)
    # The first rows of the figures' cells are empty: their tiles begin before what can be seen.
    assert areas[1].area == (0, 105, 249, 128)
    assert "24 × 24, spacing 1" in areas_words(areas)
    beside = likely_areas(np.ascontiguousarray(picture.transpose(1, 0, 2)))
    assert [area[0] for area in (beside[0].area, beside[1].area)] == [0, 105]


@pytest.mark.parametrize("seed", [4, 9])
def test_a_grid_that_seems_sure_gives_way_where_both_parts_speak_against_it(seed):
    """Every second line of one grid is every line of the other: 50 px fits both, from afar."""
    picture = two_grids(seed)
    whole = likely_grids(picture)
    assert whole[0].score > 0.8
    assert whole[0].slicing.tile_width == 49
    assert sizes(likely_areas(picture, whole)) == [(24, 24), (48, 32)]


def test_the_search_for_areas_can_be_called_off():
    asked = []

    def stop(part):
        asked.append(part)
        if len(asked) == 2:
            raise Cancelled("enough")

    with pytest.raises(Cancelled):
        likely_areas(two_grids(), [], stop)
    assert asked == [0.0, 0.0]


def test_one_grid_is_left_whole():
    rng = np.random.default_rng(4)
    for picture in (block(rng, (16, 16), 12, 8), block(rng, (24, 24), 9, 6, 2, figures=True)):
        assert likely_areas(picture) == []


def test_a_title_beside_a_grid_is_put_aside():
    rng = np.random.default_rng(9)
    grid = block(rng, (32, 32), 8, 6, 2)
    title = np.zeros((50, 270, 4), np.uint8)
    for x, y, wide, high in ((8, 6, 90, 21), (104, 9, 33, 30), (150, 3, 71, 41)):
        title[y : y + high, x : x + wide] = (230, 220, 90, 255)
    areas = likely_areas(under(title, grid, 13))
    if not areas:  # the grid is seen in spite of the title
        best = likely_grids(under(title, grid, 13))[0]
        assert (best.slicing.tile_width, best.slicing.tile_height) == (32, 32)
        return
    assert sizes(areas)[-1] == (32, 32)
    assert areas[-1].guess.slicing.spacing_y == 2


@pytest.mark.parametrize("shape", [(1, 1), (40, 40), (400, 8), (300, 300)])
def test_plain_and_small_pictures_have_no_areas(shape):
    assert likely_areas(np.full((*shape, 4), 200, np.uint8)) == []


def test_a_sheet_is_cut_into_regions_in_one_step():
    picture = two_grids()
    project = Project("p", None)
    sheet = Tileset(
        "art", "art.png", picture.shape[1], picture.shape[0], Slicing(16, 16), picture=picture
    )
    other = Tileset("art 2", "b.png", 16, 16, Slicing(16, 16))
    project.tilesets = [sheet, other]
    doc = Document(project)
    cuts = [in_area(each).slicing for each in likely_areas(picture)]
    doc.apply(cut_areas(project, sheet, cuts))
    first, _, second = project.tilesets
    assert (first.slicing, first.columns, first.rows) == (cuts[0], 10, 4)
    assert (second.slicing, second.columns, second.rows) == (cuts[1], 5, 4)
    assert second.name == "art 3"
    assert second.picture is picture
    assert second.sheet == first.sheet
    doc.undo()
    assert project.tilesets == [sheet, other]
    assert sheet.slicing == Slicing(16, 16)
