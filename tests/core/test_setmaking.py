"""Sets made from two plain tiles and an outline: whole, seamless, in the tiles' own colours."""

import numpy as np
import pytest
from tests.sheets import opaque, texture

from knitground.core.base.errors import EditError
from knitground.core.edit.document import Document
from knitground.core.edit.makeset import (
    add_made_set,
    lendable,
    made_tileset,
    set_terrains,
    shape_of,
    terrain_of,
    texture_tile,
    tile_picture,
)
from knitground.core.knit.bridge import build_graph
from knitground.core.knit.coverage import cover
from knitground.core.knit.layer import set_table
from knitground.core.knit.making import marks_of_key
from knitground.core.knit.outline import (
    Outline,
    OutlineShape,
    Rim,
    every_key,
    inside,
    outline_mask,
    rim_of,
)
from knitground.core.knit.setmaking import MAX_VARIANTS, SetPlan, borrow_shape, make_set
from knitground.core.model.project import Project
from knitground.core.model.terrain import SetKind, Slot
from knitground.core.model.tile import TileRef

GRASS = np.array([[60, 120, 50], [80, 150, 60], [40, 90, 40]], float)
SAND = np.array([[220, 200, 150], [200, 180, 130], [240, 225, 180]], float)
SHAPES = list(OutlineShape)
KINDS = list(SetKind)


def tile(colours, size=(16, 16), seed=1):
    """A plain tile of grain."""
    rng = np.random.default_rng(seed)
    return opaque(colours[rng.integers(0, len(colours), size)])


def flat(colour, size=(16, 16)):
    out = np.zeros((*size, 4), np.uint8)
    out[:] = (*colour, 255)
    return out


def masks_of(kind, outline, size=(16, 16), variant=0):
    keys = every_key(kind, both=True)
    return {key: inside(outline_mask(kind, key, size, outline, variant)) for key in keys}


def side_of(kind, key, side):
    """What a side's pixels may depend on: its marks."""
    marks = marks_of_key(kind, key)
    if kind is SetKind.EDGE:
        return marks[Slot[side]]
    if kind is SetKind.CORNER:
        nw, ne, se, sw = (marks[slot] for slot in (Slot.NW, Slot.NE, Slot.SE, Slot.SW))
        return {"N": (nw, ne), "S": (sw, se), "W": (nw, sw), "E": (ne, se)}[side]
    n, ne, e, se, s, sw, w, nw = (key[1] >> k & 1 for k in range(8))
    return {"N": (n, w, e, nw, ne), "S": (s, w, e, sw, se), "W": (w, n, s, nw, sw),
            "E": (e, n, s, ne, se)}[side]  # fmt: skip


LINES = {"N": np.s_[0], "S": np.s_[-1], "W": np.s_[:, 0], "E": np.s_[:, -1]}


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("shape", SHAPES)
@pytest.mark.parametrize("size", [(16, 16), (24, 32), (9, 13)])
def test_pixels_along_a_side_depend_on_its_marks_alone(kind, shape, size):
    outline = Outline(shape, 0.9, 5)
    seen = {}
    for variant in (0, 2):
        for key, mask in masks_of(kind, outline, size, variant).items():
            for side, at in LINES.items():
                line = mask[at].tobytes()
                first = seen.setdefault((side, side_of(kind, key, side)), line)
                assert first == line, (key, side, variant)


@pytest.mark.parametrize("shape", SHAPES)
def test_tiles_that_fit_meet_without_a_step(shape):
    """The border that leaves a tile goes on in its neighbour, at most three pixels away."""
    outline = Outline(shape, 0.7, 3)
    masks = masks_of(SetKind.CORNER, outline)
    for key, mask in masks.items():
        for other, beside in masks.items():
            own, its = (marks_of_key(SetKind.CORNER, each) for each in (key, other))
            if (own[Slot.NE], own[Slot.SE]) == (its[Slot.NW], its[Slot.SW]):
                changes = [np.flatnonzero(np.diff(line)) for line in (mask[:, -1], beside[:, 0])]
                assert mask[0, -1] == beside[0, 0]
                assert mask[-1, -1] == beside[-1, 0]
                if own[Slot.NE] != own[Slot.SE]:
                    assert abs(int(changes[0].mean()) - int(changes[1].mean())) <= 3


PLACES = {
    Slot.N: (0, 12), Slot.NE: (0, -1), Slot.E: (12, -1), Slot.SE: (-1, -1), Slot.S: (-1, 12),
    Slot.SW: (-1, 0), Slot.W: (12, 0), Slot.NW: (0, 0), Slot.MIDDLE: (12, 12),
}  # fmt: skip
"""Where a tile of 24 px must show the terrain that it is marked with."""


@pytest.mark.parametrize(("rough", "seed"), [(0.3, 1), (0.6, 2), (1.0, 3), (1.0, 4)])
@pytest.mark.parametrize("kind", KINDS)
def test_the_terrain_lies_where_the_marks_say(kind, rough, seed):
    for shape in SHAPES:
        for key, mask in masks_of(kind, Outline(shape, rough, seed), (24, 24)).items():
            marks = marks_of_key(kind, key)
            for slot in kind.slots:
                assert bool(mask[PLACES[slot]]) == (marks[slot] == 1), (key, slot)
            if kind is not SetKind.CORNER:
                assert mask[12, 12]


def test_shapes_and_seeds_differ_and_the_same_seed_is_the_same():
    every = [b"".join(m.tobytes() for m in masks_of(SetKind.CORNER, Outline(s, 0.8, 1)).values())
             for s in SHAPES]  # fmt: skip
    assert len(set(every)) == len(SHAPES)
    ragged = [
        masks_of(SetKind.CORNER, Outline(OutlineShape.RAGGED, 0.8, seed)) for seed in (1, 2, 1)
    ]
    key = (1, 1, 2, 2)
    assert (ragged[0][key] != ragged[1][key]).any()
    assert (ragged[0][key] == ragged[2][key]).all()
    smooth = masks_of(SetKind.CORNER, Outline(OutlineShape.RAGGED, 0.0, 1))[key]
    assert (smooth == smooth[:, :1]).all()  # not rough at all: a straight line
    tufts = masks_of(SetKind.CORNER, Outline(OutlineShape.TUFTS, 1.0, 4), (32, 32))
    up, down = tufts[2, 2, 1, 1], tufts[1, 1, 2, 2]
    heights = [np.diff(mask.sum(axis=0)) for mask in (up, down)]
    assert np.abs(heights[0]).sum() > 2 * np.abs(heights[1]).sum()  # blades stand up


def test_rims_lie_where_they_are_asked_for():
    mask = outline_mask(SetKind.CORNER, (1, 1, 2, 2), (16, 16), Outline(OutlineShape.STRAIGHT))
    own = inside(mask)
    none = rim_of(mask, Outline(rim=Rim.NONE))
    assert not none.any()
    dark = rim_of(mask, Outline(rim=Rim.DARKER, rim_px=2))
    assert (dark <= own).all()
    assert dark.sum() == 2 * 16
    shadow = rim_of(mask, Outline(rim=Rim.SHADOW, rim_px=3))
    assert not (shadow & own).any()
    assert shadow.sum() == 3 * 16
    assert shadow[own.sum(axis=0)[0] :][:3].all()
    other = outline_mask(SetKind.CORNER, (2, 2, 1, 1), (16, 16), Outline(OutlineShape.STRAIGHT))
    assert not rim_of(other, Outline(rim=Rim.SHADOW)).any()  # nothing lies below what is above


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("rim", list(Rim))
def test_every_pixel_has_a_colour_of_one_of_the_two_tiles(kind, rim):
    first, second = tile(GRASS), tile(SAND, seed=2)
    plan = SetPlan(kind, first, second, Outline(rim=rim, rim_px=2), variants=2)
    allowed = {tuple(c) for c in np.concatenate([first, second]).reshape(-1, 4).tolist()}
    for made in make_set(plan):
        assert {tuple(c) for c in made.pixels.reshape(-1, 4).tolist()} <= allowed
    alone = make_set(SetPlan(kind, first, None, Outline(rim=rim)))
    own = {tuple(c) for c in first.reshape(-1, 4).tolist()} | {(0, 0, 0, 0)}
    assert all({tuple(c) for c in m.pixels.reshape(-1, 4).tolist()} <= own for m in alone)
    assert len(alone) == {SetKind.CORNER: 15, SetKind.EDGE: 15, SetKind.RING: 47}[kind]


def test_a_darker_rim_is_darker_and_a_lighter_one_lighter():
    def light(rim):
        plan = SetPlan(
            SetKind.CORNER, tile(GRASS), tile(SAND), Outline(OutlineShape.STRAIGHT, rim=rim)
        )
        made = next(m for m in make_set(plan) if m.key == (1, 1, 2, 2))
        return made.pixels[7, :, :3].mean()

    assert light(Rim.DARKER) < light(Rim.NONE) - 8
    assert light(Rim.LIGHTER) > light(Rim.NONE) + 8


@pytest.mark.parametrize(
    ("kind", "count"), [(SetKind.CORNER, 16), (SetKind.EDGE, 16), (SetKind.RING, 47)]
)
def test_a_made_set_is_whole_and_knits_without_a_gap(kind, count):
    project = Project("p", None)
    plan = SetPlan(kind, tile(GRASS), tile(SAND), Outline(), variants=3)
    made = make_set(plan)
    assert len({m.key for m in made}) == count
    plain = {SetKind.CORNER: 2, SetKind.EDGE: 1, SetKind.RING: 1}[kind]
    assert len(made) == plain + 3 * (count - plain)
    terrains = set_terrains(plan, [None, None], ["meadow"])
    tileset = made_tileset(project, "", plan, made, terrains)
    doc = Document(project)
    doc.apply(add_made_set(project, tileset))
    kit = tileset.sets[0]
    assert kit.terrains[0].name == "meadow"
    assert int(kit.marks.any(axis=2).sum()) == len(made) - (kind is SetKind.EDGE)
    table, _ = set_table(project, tileset, kit)
    assert not cover(table, kit, build_graph(table)).missing
    for number, terrain in enumerate(kit.terrains) if kind is SetKind.CORNER else ():
        assert terrain_of(project, TileRef(tileset.name, *terrain.picture)).name == terrain.name
        assert (tile_picture(project, TileRef(tileset.name, *terrain.picture))
                == (plan.first, plan.second)[number]).all()  # fmt: skip
    doc.undo()
    assert project.tilesets == []


# Borrowed outlines


def art_project(kind=SetKind.CORNER):
    """A project with a corner set drawn by a generator, and its codes."""

    outline = Outline(OutlineShape.RAGGED, 1.0, 8, Rim.NONE)
    plan = SetPlan(kind, tile(GRASS, (24, 24)), tile(SAND, (24, 24), 5), outline)
    made = make_set(plan)
    project = Project("p", None)
    tileset = made_tileset(project, "art", plan, made, set_terrains(plan, [None, None]))
    project.tilesets = [tileset]
    return project, tileset, masks_of(kind, outline, (24, 24))


def test_the_outline_of_a_set_is_read_off_its_tiles():
    project, owner, masks = art_project()
    shape = shape_of(project, owner, owner.sets[0])
    assert shape.whole == len(shape.masks) == 14
    for key, mask in shape.masks.items():
        assert (mask == masks[key]).mean() > 0.97  # grain of three colours leaves single pixels
    water = SetPlan(SetKind.CORNER, flat((30, 60, 160), (24, 24)), flat((230, 230, 240), (24, 24)),
                    Outline(rim=Rim.NONE), borrowed=shape)  # fmt: skip
    for made in make_set(water):
        if len(set(made.key)) > 1:
            assert made.how == "outline of the set"
            blue = made.pixels[..., 2] == 160
            assert (blue == shape.masks[made.key]).all()


def test_a_borrowed_outline_fits_tiles_of_another_size_and_variants_are_our_own():
    project, owner, _ = art_project()
    shape = shape_of(project, owner, owner.sets[0])
    plan = SetPlan(SetKind.CORNER, flat((30, 60, 160)), flat((230, 230, 240)), Outline(), 2, shape)
    made = [m for m in make_set(plan) if m.key == (1, 1, 2, 2)]
    assert (made[0].pixels != made[1].pixels).any()
    assert [m.how for m in made] == ["outline of the set", "outline ragged"]
    assert made[0].pixels.shape == (16, 16, 4)


def test_a_ring_set_on_nothing_lends_its_shape_by_what_can_be_seen():
    plan = SetPlan(SetKind.RING, tile(GRASS), None, Outline(OutlineShape.ROUND, rim=Rim.NONE))
    made = make_set(plan)
    shape = borrow_shape(
        SetKind.RING, np.stack([m.pixels for m in made]), np.stack([m.marks for m in made])
    )
    assert len(shape.masks) == shape.whole == 46
    for each in made:
        if each.key in shape.masks:
            assert (shape.masks[each.key] == (each.pixels[..., 3] > 0)).all()


def test_what_can_not_lend_says_so():
    project, owner, _ = art_project()
    kit = owner.sets[0]
    assert lendable(project, SetKind.CORNER) == [(owner, kit)]
    assert lendable(project, SetKind.RING) == []
    kit.marks[:] = 0
    kit.marks[0, 0] = 1
    with pytest.raises(EditError, match="shows how its terrains meet"):
        shape_of(project, owner, kit)


# What is refused


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"first": flat((1, 2, 3), (300, 300)), "second": None}, "4 to 256 px"),
        ({"first": flat((1, 2, 3), (3, 9)), "second": None}, "not 9 × 3"),
        ({"second": flat((9, 9, 9), (8, 16))}, "16 × 16 and 16 × 8"),
        ({"variants": 0}, "not 0"),
        ({"variants": MAX_VARIANTS + 1}, f"1 to {MAX_VARIANTS} variants"),
        ({"first": np.zeros((16, 16, 4), np.uint8)}, "nothing can be seen"),
        ({"second": tile(GRASS)}, "the same picture"),
    ],
)
def test_bad_plans_name_the_number_and_the_cure(change, words):
    given = {"kind": SetKind.CORNER, "first": tile(GRASS), "second": tile(SAND), **change}
    with pytest.raises(EditError, match=words):
        make_set(SetPlan(**given))


def test_outlines_out_of_bounds_are_refused():
    for wrong in ({"rough": 1.5}, {"rough": -0.1}, {"rim_px": 0}, {"rim_px": 9}):
        with pytest.raises(EditError, match="not"):
            Outline(**wrong)


def test_a_texture_is_cut_or_laid_side_by_side():
    rng = np.random.default_rng(1)
    large = opaque(texture(rng, 40, 50))
    assert (texture_tile(large, 16, 24) == large[:16, :24]).all()
    small = large[:5, :7]
    laid = texture_tile(small, 16, 16)
    assert (laid[5:10, 7:14] == small).all()
    assert laid.shape == (16, 16, 4)


def test_a_knitted_map_of_a_made_set_has_no_step_anywhere():
    """Over a map of chance every border of the knitted picture is where the marks want it."""
    from knitground.core.base.window import whole
    from knitground.core.knit.knit import knit_box
    from knitground.core.knit.layer import layer_table
    from knitground.core.model.map import Map

    project = Project("p", None)
    plan = SetPlan(SetKind.CORNER, flat((10, 60, 10)), flat((240, 240, 200)),
                   Outline(OutlineShape.RAGGED, 0.8, 6, Rim.NONE), variants=2)  # fmt: skip
    tileset = made_tileset(project, "s", plan, make_set(plan), set_terrains(plan, [None, None]))
    project.tilesets = [tileset]
    map_ = Map("m", 12, 12, 16, 16)
    kit = tileset.sets[0]
    layer = map_.new_ground_layer("g", "s", kit.name, kit.kind)
    layer.terrain[:] = np.random.default_rng(2).integers(1, 3, layer.terrain.shape)
    map_.layers.append(layer)
    cells = knit_box(layer_table(project, map_, layer), layer, whole(layer.cells))
    assert (cells > 0).all()
    picture = np.zeros((192, 192), bool)
    for (row, col), place in np.ndenumerate(cells):
        ref = map_.legend.tiles[place]
        own = tile_picture(project, ref)
        picture[row * 16 : row * 16 + 16, col * 16 : col * 16 + 16] = own[..., 0] < 100
    wanted = layer.terrain == 1
    assert (picture[15::16, 15::16][:11, :11] == wanted[1:-1, 1:-1]).all()
    across = picture[:, 15::16][:, :-1] != picture[:, 16::16]
    inside_tiles = picture[:, 7::16] != picture[:, 8::16]
    # At a border between tiles no more changes than between two columns within one.
    assert across.mean() < inside_tiles.mean() + 0.04
