"""A stroke gives the same map however fast it is drawn: planned at once, or dab by dab."""

from itertools import pairwise

import numpy as np
import pytest
from tests.core.test_kinds import edge_marks, kind_project
from tests.maps import small_project
from tests.strangers import times

from knitground.core.edit.desk import Desk, Pointer, ToolOptions, places_along
from knitground.core.edit.hand import (
    MixInHand,
    PatchInHand,
    TerrainInHand,
    TileInHand,
    TintInHand,
)
from knitground.core.edit.layerplans import Cover
from knitground.core.edit.planning import (
    brush,
    plan_dab,
    plan_dabs,
    plan_path,
    plan_way,
    releases_pins,
)
from knitground.core.knit.sides import sides_along
from knitground.core.model.mix import Mix, MixEntry
from knitground.core.model.patch import Patch
from knitground.core.model.standing import close_seam
from knitground.core.model.terrain import SetKind
from knitground.core.model.tile import TileRef

TILES = [TileRef("sheet", 0, n) for n in range(4)]
MIX = Mix("Mix", (MixEntry(TILES[0], 3.0), MixEntry(TILES[1], 1.0), MixEntry(TILES[2], 1.0)))
HOLED = Mix(
    "Holed", (MixEntry(TILES[0], 1.0), MixEntry(TILES[1], 1.0, Patch("P", (tuple(TILES[:2]),))))
)
PATCH = Patch("Patch", ((TILES[0], TILES[1], None), (TILES[2], None, TILES[3])))
HANDS = {
    "terrain": lambda rng: TerrainInHand("sheet", "Set", int(rng.integers(1, 4)), "x"),
    "tile": lambda _: TileInHand(TILES[1], 1),
    "mix": lambda _: MixInHand("Mix", MIX),
    "mix of patches": lambda _: MixInHand("Holed", HOLED),
    "patch": lambda _: PatchInHand(PATCH),
    "tint": lambda _: TintInHand("#ff8800", 60),
}


def draw(doc, desk, points):
    """Draw a stroke through points as the brushes do it; each point is one look at the pointer."""
    map_ = desk.grid
    first = points[0]
    pins = releases_pins(desk, first) if desk.tool == "erase" else None
    cover = Cover(map_) if desk.is_soft else None
    anchor = None
    if isinstance(desk.hand, PatchInHand):
        box, _ = brush(desk, map_, first)
        anchor = (box.top, box.left)
    with doc.stroke("Stroke"):
        plan = plan_dab(desk, first, anchor, cover, pins=pins)
        if plan is not None:
            doc.apply(plan.edit)
        for last, at in pairwise(points):
            for plan in plan_dabs(desk, places_along(map_, last, at), anchor, cover, pins=pins):
                doc.apply(plan.edit)


def parted(rng, points, parts):
    """The same way, looked at more often."""
    out = [points[0]]
    for a, b in pairwise(points):
        for part in sorted(set(rng.integers(1, 64, parts) / 64)):
            out.append(Pointer(a.x + (b.x - a.x) * part, a.y + (b.y - a.y) * part))
        out.append(b)
    return out


def state(doc, map_, layer):
    doc.ensure_all(map_)
    out = [np.array(getattr(layer, name)) for name in layer.arrays]
    return [each.tobytes() for each in out]


@pytest.mark.parametrize("tool", ["paint", "erase"])
@pytest.mark.parametrize("name", HANDS)
def test_a_stroke_gives_the_same_map_at_any_speed(name, tool):
    for seed in range(times(12, 120)):
        rng = np.random.default_rng(seed)
        wrap = bool(rng.integers(2))
        doc, map_, ground, tiles = small_project((18, 22), wrap=wrap)
        ground.terrain[:] = np.kron(rng.integers(1, 4, (7, 8)), np.ones((3, 3), int))[:19, :23]
        if wrap:
            ground.terrain[-1], ground.terrain[:, -1] = ground.terrain[0], ground.terrain[:, 0]
        ground.pinned |= rng.random(ground.pinned.shape) < 0.05
        ground.cells[ground.pinned] = map_.legend.place(TILES[0])
        tiles.cells[:] = rng.integers(0, 2, tiles.cells.shape) * map_.legend.place(TILES[3])
        tint, grown = map_.new_tint_layer("Tint"), map_.new_grown_layer("Grown")
        map_.layers += [tint, grown]
        layers = {"terrain": [ground], "tint": [tint]}.get(name, [tiles, ground, grown])
        layer = layers[rng.integers(len(layers))]
        options = ToolOptions(
            terrain_size=int(rng.integers(1, 4)), tile_size=int(rng.integers(1, 4)),
            round_brush=bool(rng.integers(2)), soft_brush=bool(rng.integers(2)),
        )  # fmt: skip
        desk = Desk(doc, map_, layer, tool, HANDS[name](rng), options, None, frozenset())
        if seed % 2:
            points = [Pointer(*each) for each in rng.random((4, 2)) * (176, 144)]
        else:  # on lines and corners, where the screen's pixels lie
            points = [Pointer(4.0 * x, 4.0 * y) for x, y in rng.integers(0, 36, (4, 2)).tolist()]
        before = state(doc, map_, layer)
        draw(doc, desk, points)
        fast = state(doc, map_, layer)
        assert doc.history.last is None or doc.undo()
        assert state(doc, map_, layer) == before
        draw(doc, desk, parted(rng, points, 40))
        assert state(doc, map_, layer) == fast, f"{name} {tool} {seed} {wrap} {layer.kind}"


@pytest.mark.parametrize("tool", ["paint", "erase"])
def test_a_path_gives_the_same_map_at_any_speed(tool):
    for seed in range(times(12, 120)):
        rng = np.random.default_rng(seed)
        wrap = bool(rng.integers(2))
        doc, map_, layer, _ = kind_project(SetKind.EDGE, edge_marks(2), (14, 16), wrap=wrap)
        layer.terrain[:] = rng.choice([0, 1, 2, 258, 513], layer.terrain.shape)
        if wrap:
            close_seam(layer.terrain, map_.lattice)
        layer.pinned |= rng.random(layer.pinned.shape) < (0.04 if seed % 3 == 0 else 0)
        hand = TerrainInHand("sheet", "Set", int(rng.integers(1, 3)), "x")
        desk = Desk(doc, map_, layer, tool, hand, ToolOptions(), None, frozenset())
        cells = [tuple(each) for each in rng.integers(0, 14, (5, 2)).tolist()]
        way = [cells[0]]
        for row, col in cells[1:]:
            way += [(r, way[-1][1]) for r in range(way[-1][0], row, 1 if row > way[-1][0] else -1)]
            way += [(row, c) for c in range(way[-1][1], col, 1 if col > way[-1][1] else -1)]
        steps = [sides_along(each) for each in pairwise(way) if each[0] != each[1]]
        before = state(doc, map_, layer)
        with doc.stroke("Fast"):
            for plan in plan_way(desk, steps):
                doc.apply(plan.edit)
        fast = state(doc, map_, layer)
        doc.undo()
        assert state(doc, map_, layer) == before
        with doc.stroke("Slow"):
            for each in steps:
                plan = plan_path(desk, each)
                if plan is not None:
                    doc.apply(plan.edit)
        assert state(doc, map_, layer) == fast, f"{tool} {seed} {wrap}"
