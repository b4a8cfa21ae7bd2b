"""Random edits with good and bad values, to be tried on a small project."""

from pathlib import Path

import numpy as np

from knitground.core.base.window import Box
from knitground.core.edit import (
    frames,
    layers,
    maps,
    markers,
    profiles,
    rulehome,
    rules,
    shapes,
    sheets,
    sizes,
    terrainlist,
    terrains,
    tray,
)
from knitground.core.edit.laying import plan_cells, plan_terrain
from knitground.core.edit.rewriting import rewrite_now, use_on_map
from knitground.core.edit.scatter import mix_of_cells, plan_thin
from knitground.core.edit.selecting import Selection
from knitground.core.edit.tiles import put_default, put_property, remove_default, remove_property
from knitground.core.model.lattice import DIAMOND, SQUARE, Corner, Grid, GridKind
from knitground.core.model.layers import GroundLayer, MarkerLayer, TileLayer
from knitground.core.model.map import Map
from knitground.core.model.marker import Marker, Shape
from knitground.core.model.mix import Fall, Mix, MixEntry
from knitground.core.model.patch import Patch
from knitground.core.model.profile import Profile, ShipPart
from knitground.core.model.properties import Property, PropertyKind
from knitground.core.model.recipe import MixStep, NoiseStep, Recipe
from knitground.core.model.rules import (
    Ask,
    AskKind,
    BlockCell,
    LaidCell,
    NeighbourRule,
    Outcome,
    Result,
    ResultKind,
    RewriteRule,
    RuleList,
    Spot,
    Ways,
)
from knitground.core.model.shapes import ShapeForm, ShapeKind, TileShape
from knitground.core.model.slicing import Slicing
from knitground.core.model.terrain import SetKind, TerrainSet
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Frame, SheetFile, Tileset

NAMES = (
    "a", "A", "ß", "", "  ", "東京", "大阪", "../../x", "con", "x" * 200, "x" * 201, "line\nbreak",
    "\ud800", "Å", "A\u030a", "a/b", ".", "nul.", "ﬁ", "\0", "🙂" * 60,
)  # fmt: skip
NUMBERS = (0, 1, -1, 2, 7, 64, 65, 2**31, 2**63, -(2**63) - 1, 10**400)
PARTS = (0.0, 0.3, 1.0, 1.5, -0.1, float("nan"), float("inf"), 1e9)


class Edits:
    """Makes one edit after another out of a seed."""

    def __init__(self, doc, seed):
        self.doc = doc
        self.rng = np.random.default_rng(seed)
        self.kinds = [getattr(self, name) for name in sorted(dir(self)) if name.startswith("do_")]

    def one(self, of):
        return of[int(self.rng.integers(len(of)))] if len(of) else None

    @property
    def name(self):
        return self.one(NAMES)

    @property
    def number(self):
        return self.one(NUMBERS)

    @property
    def part(self):
        return self.one(PARTS)

    @property
    def tileset(self):
        return self.one(self.doc.project.tilesets)

    @property
    def map(self):
        return self.one(self.doc.project.maps)

    def layer(self, map_, kind=object):
        return self.one([each for each in map_.layers if isinstance(each, kind)])

    def tile(self):
        tileset = self.tileset
        return TileRef(tileset.name, *(int(self.rng.integers(3)) for _ in "rc"), self.one((0, 3)))

    def make(self):
        """Make an edit; returns None where there is nothing to do it to."""
        return self.one(self.kinds)()

    def do_add_map(self):
        high, wide = self.one((1, 4, 0, 70_000)), self.one((8, 0, 20_000))
        if self.rng.random() < 0.5:
            made = Map(self.name, high, 5, 8, wide, grid=self.one((SQUARE, DIAMOND)))
        else:
            how = Grid.of(GridKind.STAGGERED, self.one((1, 4)), 5, by_columns=self.one((0, 1)) > 0,
                          first=self.one((0, 1)) > 0)  # fmt: skip
            size = how.lattice(0, 0, 8, 8)
            made = Map(self.name, size.rows, size.columns, 8, wide, grid=how)
        return maps.add_map(self.doc.project, made)

    def do_draw_from(self):
        return maps.draw_from(self.map, self.one(tuple(Corner)))

    def do_rename_map(self):
        return maps.rename_map(self.doc.project, self.map, self.name)

    def do_double_map(self):
        return sizes.duplicate_map(self.doc.project, self.map)[0]

    def do_wrap(self):
        map_ = self.map
        return maps.set_wrap(map_, not map_.wrap)

    def do_screen(self):
        return maps.set_screen(self.map, self.number, self.number)

    def do_background(self):
        return maps.set_background(self.map, self.one(("#12ab9F", "#12", None, "red")))

    def do_resize(self):
        by = [int(each) for each in self.rng.integers(-2, 3, 4)]
        return sizes.resize_map(self.map, sizes.Margins(*by))

    def do_layer(self):
        map_ = self.map
        make = self.one((map_.new_tile_layer, map_.new_grown_layer, map_.new_tint_layer,
                         map_.new_marker_layer))  # fmt: skip
        return layers.add_layer(map_, make(self.name))

    def do_ground(self):
        map_, tileset = self.map, self.tileset
        kit = self.one(tileset.sets) or TerrainSet("none")
        made = map_.new_ground_layer(self.name, tileset.name, kit.name, kit.kind)
        return layers.add_layer(map_, made)

    def do_double_layer(self):
        map_ = self.map
        layer = self.layer(map_)
        return sizes.duplicate_layer(map_, layer)[0] if layer else None

    def do_rename_layer(self):
        map_ = self.map
        layer = self.layer(map_)
        return layers.rename_layer(map_, layer, self.name) if layer else None

    def do_fade(self):
        map_ = self.map
        layer = self.layer(map_)
        return layers.fade_layer(map_, layer, self.part) if layer else None

    def do_interleave(self):
        map_ = self.map
        layer = self.layer(map_)
        return layers.interleave_layer(map_, layer, not layer.interleaved) if layer else None

    def do_place(self):
        map_ = self.map
        layer = self.layer(map_)
        return layers.place_layer(map_, layer, (self.number, 3), self.number) if layer else None

    def do_reseed(self):
        map_ = self.map
        layer = self.layer(map_, GroundLayer)
        return layers.reseed_layer(map_, layer, self.number) if layer else None

    def do_terrain(self):
        map_ = self.map
        layer = self.layer(map_, GroundLayer)
        if layer is None:
            return None
        box = Box(1, 1, 3, 4)
        mask = np.ones((2, 3), bool)
        return plan_terrain(self.doc, map_, layer, box, mask, self.one((0, 1, 2, 3)), "Paint").edit

    def do_tiles(self):
        map_ = self.map
        layer = self.layer(map_, TileLayer)
        if layer is None:
            return None
        values = np.full((2, 2), map_.legend.place(self.tile()), np.int32)
        return plan_cells(map_, layer, Box(0, 1, 2, 3), values, values > 0, "Lay").edit

    def do_markers(self):
        map_ = self.map
        layer = self.layer(map_, MarkerLayer)
        if layer is None:
            return None
        own = tuple(self.property() for _ in range(self.one((0, 1, 2))))
        marker = Marker(
            1, Shape.POINT, ((self.part, self.one((3.0, 5e6))),), self.name, self.name, own,
            self.one((0.0, 359.0, 361.0)), self.one((1.0, 0.0, 65.0)),
        )  # fmt: skip
        return markers.add_markers(map_, layer, [marker])[0]

    def property(self):
        kind = self.one(list(PropertyKind))
        value = self.one((*NAMES, "7", "0.5", "yes", "#102030", "x" * 10_001))
        return Property(self.name, value, kind, self.one(((), (self.name,), (value,))))

    def do_properties(self):
        map_, tileset = self.map, self.tileset
        keep = self.one((True, False))
        return self.one((
            lambda: maps.put_map_property(map_, self.property(), self.name, keep=keep),
            lambda: maps.remove_map_property(map_, self.name),
            lambda: put_property(tileset, [(0, 0), (0, 1)], self.property(), self.name, keep=keep),
            lambda: remove_property(tileset, [(0, 0)], self.name),
        ))()  # fmt: skip

    def do_scatter(self):
        map_ = self.map
        layer = self.layer(map_, TileLayer)
        if layer is None:
            return None
        chosen = Selection(Box(0, 0, 2, 3), np.ones((2, 3), np.bool_))
        if self.one((True, False)):
            mix = mix_of_cells(self.doc, map_, layer, chosen, self.name)[0]
            return maps.put_mix(self.doc.project, mix)
        return plan_thin(self.doc, map_, layer, chosen, self.part, self.number)[0].edit

    def do_recipe(self):
        steps = (
            NoiseStep(self.one((1, 2, -1)), self.one((2.0, 1.0, 5000.0)), self.one((1, 9)),
                      ((self.name, self.part),)),
            MixStep(self.one((1, 2)), self.name, self.part, self.one((0, 1)), (self.name,)),
        )  # fmt: skip
        return maps.set_recipe(self.map, Recipe(self.number, steps[: self.one((0, 1, 2))]))

    def ask(self):
        kind = self.one(list(AskKind))
        return Ask(kind, self.name, (self.tile(),), self.one((True, False)))

    def rule(self):
        reach = self.one((0, 1, 2, 40, 65))
        if self.one((True, False)):
            spots = tuple(Spot(self.one((0, 1, reach)), self.one((-1, 1, 2)), self.ask())
                          for _ in range(self.one((0, 1, 3))))  # fmt: skip
            patch = Patch("p", ((self.tile(), None),))
            result = Result(self.one(list(ResultKind)), (MixEntry(self.tile(), self.part),),
                            patch, self.name)  # fmt: skip
            return NeighbourRule(
                self.number, spots, self.name, result, self.ask(), self.one(list(Ways)),
                self.one((True, False)), self.part, (self.one((1, 0, 3)), 2, 0, 1), True, self.name,
            )  # fmt: skip
        block = (BlockCell(reach, 0, self.name, self.ask()), BlockCell(0, 0, "", self.ask()))
        outcome = Outcome((LaidCell(0, 0, "", self.tile()), LaidCell(0, 1, "", None)), self.part)
        return RewriteRule(self.number, block, self.name, (outcome,), chance=self.part)

    def do_rules(self):
        home = self.one(rules.homes(self.doc.project))
        if home is None:
            return None
        number = self.one([each.number for each in home.rules.rules] or [1])
        return self.one((
            lambda: rules.add_rule(home, self.rule()),
            lambda: rules.add_rule(home, self.rule(), 0),
            lambda: rulehome.change_rule(home, number, self.rule()),
            lambda: rules.delete_rules(home, [number]),
            lambda: rules.duplicate_rule(home, number),
            lambda: rules.move_rules(home, [number], self.one((0, 1, 99))),
            lambda: rules.move_above(home, number, [1, 2]),
            lambda: rules.switch_group(home, "a"),
            lambda: rules.set_first(home, self.one((True, False))),
            lambda: rules.set_default(home, self.one((self.tile(), None))),
            lambda: rules.merge_rules(home, self.one(rules.homes(self.doc.project)).rules),
        ))()  # fmt: skip

    def do_rule_list(self):
        project, map_ = self.doc.project, self.map
        lists = [each.name for each in project.rule_lists] or ["none"]
        layer = self.layer(map_) if map_ is not None else None
        with_layer = (
            lambda: use_on_map(map_, self.one(lists), layer),
            lambda: rewrite_now(self.doc, map_, self.one(lists), layer),
        )
        return self.one((
            lambda: rules.add_rule_list(project, RuleList(self.name)),
            lambda: rules.rename_rule_list(project, self.one(lists), self.name),
            lambda: rules.delete_rule_list(project, self.one(lists)),
            *(with_layer if layer is not None else ()),
        ))()  # fmt: skip

    def do_mix(self):
        entries = (MixEntry(self.tile(), self.part, None, self.part), MixEntry(self.tile()))
        fall = Fall(density=self.part, of=self.one(("", self.name)), tint=self.name, border=2)
        return maps.put_mix(self.doc.project, Mix(self.name, entries, fall))

    def do_profile(self):
        options = self.one(({}, {"scale": "2"}, {"chunk": 5, "names": self.name},
                            {"x" * 300: True}, {str(n): n for n in range(40)}))  # fmt: skip
        made = Profile(self.name, self.one(((), (self.name,), ("Map", ""))),
                       (ShipPart(self.one(("png", "json", "", "x" * 50)), options),),
                       self.one(("shipped", "a/b", "../out", "", "x" * 400)))  # fmt: skip
        return self.one((
            lambda: profiles.put_profile(self.doc.project, made),
            lambda: profiles.put_profile(self.doc.project, made, self.name),
            lambda: profiles.remove_profile(self.doc.project, self.name),
        ))()  # fmt: skip

    def do_tray(self):
        tile = self.tile()
        return tray.keep_patch(self.doc.project, Patch(self.name, ((tile, None), (None, tile))))[0]

    def do_facts(self):
        tileset, at = self.tileset, (0, 1)
        return self.one((
            lambda: sheets.set_weight(tileset, *at, self.part),
            lambda: sheets.name_tile(tileset, *at, self.name),
            lambda: sheets.tag_tiles(tileset, (each for each in [at, (0, 0)]), [self.name, "t"]),
            lambda: sheets.set_inner(tileset, *at, True),
            lambda: sheets.leave_out(tileset, [at], True),
            lambda: sheets.set_anchor(tileset, *at, (self.one((0, 3, 10**6)), 5)),
            lambda: sheets.stand_on_base(tileset, self.one((2, 8, 33)), self.one((0, 3))),
            lambda: frames.set_frames(tileset, *at, (Frame(0, 0, self.one((1, 0, 700_000))),)),
        ))()  # fmt: skip

    def do_shapes(self):
        tileset, at, project = self.tileset, (0, 1), self.doc.project
        numbers = (0, 1, 3.5, 8, -2, 10**6, float("nan"))
        corners = tuple((self.one(numbers), self.one(numbers)) for _ in range(self.one((2, 3, 4))))
        form = self.one(tuple(ShapeForm))
        shape = TileShape(self.one(("solid", self.name or "x")), form, corners)
        return self.one((
            lambda: shapes.add_shape(tileset, [at, (0, 0)], shape),
            lambda: shapes.put_shape(tileset, at, self.one((0, 1, 9)), shape),
            lambda: shapes.remove_shape(tileset, at, 0),
            lambda: shapes.copy_shapes(tileset, at, [(0, 0)]),
            lambda: shapes.turn_shapes(tileset, [at], self.one((1, 2, 4, 6))),
            lambda: shapes.clear_shapes(tileset, [at], self.one(("", "solid"))),
            lambda: shapes.use_outlines(
                tileset, shapes.outline_tiles(tileset, [at], "solid", most=self.one((0, 3, 9)))
            ),
            lambda: shapes.add_kind(project, self.name, self.one(("", "ß", "Q"))),
            lambda: shapes.change_kind(
                project, "solid", ShapeKind(self.one((self.name, "solid")), "Z", "#123456")
            ),
            lambda: shapes.remove_kind(project, self.one(("solid", "water", self.name))),
        ))()  # fmt: skip

    def do_frames(self):
        project, tileset, other, at = self.doc.project, self.tileset, self.tileset, (0, 1)
        return self.one((
            lambda: frames.set_apart(tileset, [at], bool(self.number)),
            lambda: frames.add_frames(
                project, tileset, at, [Frame(0, 0, 90, self.one(("", other.name, self.name)))], 0
            ),
            lambda: frames.move_through_sheets(project, tileset, [at], [other.name], 90),
            lambda: frames.give_frames(project, tileset, [at], [(0, 0)], other.name, 50),
        ))()  # fmt: skip

    def do_defaults(self):
        kind = self.one(tuple(PropertyKind))
        new = Property(self.name, self.one(("", "yes", "7", "#aabbcc", "../x")), kind, ("yes",))
        return self.one((
            lambda: put_default(self.tileset, self.one(("", "t", self.name)), new),
            lambda: remove_default(self.tileset, self.one(("", "t")), new.name),
        ))()  # fmt: skip

    def do_sheet(self):
        pixels = self.rng.integers(0, 255, (8, 16, 4), np.uint8)
        made = Tileset(self.name, self.one(("x.png", "X.png", "y.webp", "..")), 16, 8,
                       Slicing(8, 8), picture=pixels)  # fmt: skip
        return sheets.add_tileset(self.doc.project, made)

    def do_region(self):
        return sheets.add_region(self.doc.project, self.tileset, (0, 0, 8, 8))[0]

    def do_scale(self):
        tileset = self.tileset
        return sheets.scaled_tileset(self.doc.project, tileset, 4, 12)[0]

    def do_find_sheet(self):
        picture = self.rng.integers(0, 255, (16, 16, 4), np.uint8)
        sheet = SheetFile(picture, None, Path("/nowhere") / "Found it.PNG")
        return sheets.find_sheet(self.doc.project, self.tileset, sheet)

    def do_set(self):
        kind = self.one(list(SetKind))
        return terrains.add_set(self.tileset, TerrainSet(self.name, kind))

    def do_add_terrain(self):
        tileset = self.tileset
        kit = self.one(tileset.sets)
        return terrainlist.add_terrain(tileset, kit, self.name) if kit else None

    def do_change_terrain(self):
        tileset = self.tileset
        kit = self.one(tileset.sets)
        if kit is None or not kit.terrains:
            return None
        return terrainlist.change_terrain(
            self.doc.project, tileset, kit, 1, name=self.name, letter=self.name,
            colour=self.one(("#102030", "blue", "")),
        )  # fmt: skip

    def do_marks(self):
        tileset = self.tileset
        kit = self.one(tileset.sets)
        return terrains.paint_marks(tileset, kit, [(0, 0, 1)], self.one((0, 1, 2))) if kit else None
