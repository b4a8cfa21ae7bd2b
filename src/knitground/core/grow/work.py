"""What a step of a recipe works with: layers as earlier steps made them, places, conditions."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import GrowError
from knitground.core.base.hashing import mix_one
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say
from knitground.core.base.window import Box, whole
from knitground.core.grow.distance import far_from
from knitground.core.grow.parting import Parting, over_seam, plant_tree
from knitground.core.grow.taking import tint_strength
from knitground.core.knit.bridge import TerrainGraph, build_graph
from knitground.core.knit.knit import knit_box
from knitground.core.knit.layer import layer_table
from knitground.core.knit.repair import close_gaps
from knitground.core.knit.table import KnitTable
from knitground.core.model.conditions import AnyStep, Condition, Look
from knitground.core.model.layers import (
    Cells,
    GroundLayer,
    GrownLayer,
    Layer,
    MarkerLayer,
    TintLayer,
)
from knitground.core.model.map import Map
from knitground.core.model.marker import Marker
from knitground.core.model.project import Project
from knitground.core.model.standing import Homes, close_seam, standing_of
from knitground.core.model.terrain import SetKind, TerrainSet
from knitground.core.rules.board import terrain_slots

Mask = NDArray[np.bool_]
Places = NDArray[np.uint8]
"""Terrain on the places of one period of a ground layer: vertices, or cells of a ring set."""


@dataclass(frozen=True, eq=False)
class Grown:
    """What a step made, shares and time.

    `made` is a ground layer's new terrain (height + 1, width + 1), the cells (height, width) of a
    grown or a tint layer, or the markers of a marker layer. `shares` lists (name, part asked for,
    part laid), parts 0 to 1: of the places by terrain, or by mix, of the cells that may get a tile.
    `words` says what else there is to know.
    """

    layer: Layer
    made: Any
    shares: tuple[tuple[str, float, float], ...] = field(default=())
    seconds: float = 0.0
    words: str = ""
    step: int = 0
    spots: tuple[tuple[int, int], ...] = ()
    """Cells at which something is to be seen: those that could not be filled."""


@dataclass(eq=False)
class Work:
    """One step at work, the `place`-th of the recipe of a map."""

    project: Project
    map: Map
    place: int
    before: Sequence[Grown] = ()
    progress: Progress = no_progress
    show: Callable[[Grown], object] | None = None
    """Takes what a step has made so far, from the thread that makes it."""

    @property
    def seed(self) -> int:
        """What the step draws its numbers with."""
        return mix_one(self.map.recipe.seed, self.map.recipe.salt_of(self.place))

    @property
    def number(self) -> str:
        """How errors call the step."""
        return say("step {place}", place=self.place + 1)

    @property
    def size(self) -> tuple[int, int]:
        """Rows and columns of the map."""
        return self.map.height, self.map.width

    @property
    def torus(self) -> tuple[int, int] | None:
        """Rows and columns of a map that wraps straight on."""
        return self.map.lattice.torus

    @property
    def goes_round(self) -> bool:
        """Whether rows and columns of the map's array go round."""
        return self.torus is not None

    # Layers as they are now

    def _made(self, number: int) -> Any:
        return next((each.made for each in reversed(self.before) if each.layer.number == number),
                    None)  # fmt: skip

    def layer(self, number: int, kind: type, words: str) -> Any:
        """Give a layer of a kind.

        Raises
        ------
        GrowError
            There is none of that number and kind.
        """
        found = self.map.layer_numbered(number)
        if not isinstance(found, kind):
            raise GrowError(
                say(
                    "{number} needs a {words} layer, and layer {number2} is none or is gone: "
                    "choose another",
                    number=self.number,
                    words=words,
                    number2=number,
                )
            )
        return found

    def terrain(self, ground: GroundLayer) -> NDArray[Any]:
        """The terrain of a ground layer as it is now."""
        made = self._made(ground.number)
        return ground.terrain if made is None else made

    def cells(self, layer: Layer) -> Cells:
        """The cells of a layer as they are now; of a grown one what earlier steps have made."""
        made = self._made(layer.number)
        if isinstance(layer, GroundLayer):
            # What is knitted may be older than the terrain: it is knitted here.
            now = layer if made is None else replace(layer, terrain=made)
            box = Box(0, 0, *self.size)
            return knit_box(self.table(layer), now, box, wrap=self.map.wrap)
        if made is not None:
            cells: Cells = made
            if isinstance(layer, GrownLayer):
                cells = np.where(layer.pinned, layer.cells, made)
            return cells
        if isinstance(layer, GrownLayer) and layer.number in self.map.recipe.layers_made:
            # What an earlier run has left is not there yet: a run gives the same whenever it runs.
            return np.where(layer.pinned, layer.cells, 0)
        return layer.cells

    def own_cells(self, layer: GrownLayer) -> Cells:
        """What earlier steps of the recipe have laid on the layer that this one makes too."""
        made = self._made(layer.number)
        return np.zeros(self.size, np.int32) if made is None else np.array(made, np.int32)

    def markers(self, kind: str) -> list[Marker]:
        """All markers of a kind, on any layer, "" is every kind."""
        out: list[Marker] = []
        for layer in self.map.layers:
            if isinstance(layer, MarkerLayer):
                made = self._made(layer.number)
                every = layer.markers if made is None else made
                out += [each for each in every if not kind or each.kind == kind]
        return out

    # Conditions

    def where(self, conditions: Sequence[Condition]) -> NDArray[np.float32] | None:
        """How dense a step may work in each cell: (height, width), 0 to 1; None is everywhere."""
        there = self.map.lattice.exists
        if not conditions and there is None:
            return None
        out = np.ones(self.size, np.float32) if there is None else there.astype(np.float32)
        for each in conditions:
            part = self._held(each)
            out *= 1 - part if each.negated else part
        return out

    def mask(self, step: AnyStep) -> Mask:
        """Where a step may work at all."""
        found = self.where(step.where)
        return np.ones(self.size, np.bool_) if found is None else found > 0

    def _held(self, each: Condition) -> NDArray[np.float32]:
        if each.look is Look.AREA:
            if each.area is None:
                raise GrowError(
                    say(
                        "{number} works in an area that was never chosen: choose one",
                        number=self.number,
                    )
                )
            return each.area.mask(*self.size).astype(np.float32)
        if each.look is Look.EDGE:
            return _band(self._from_border(), each)
        if each.look is Look.TINT:
            tint = self.layer(each.layer, TintLayer, "tint")
            return tint_strength(self.cells(tint))
        if each.look in (Look.TERRAIN, Look.MEETS, Look.NEAR):
            return self._on_terrain(each)
        return self._on_tiles(each)

    def _from_border(self) -> NDArray[np.float32]:
        if self.map.wrap:
            return np.full(self.size, np.inf, np.float32)
        if self.map.lattice.exists is not None:
            return _from_rim(self.map.lattice.exists)
        rows, cols = (np.arange(n) for n in self.size)
        down = np.minimum(rows, rows[::-1])[:, None]
        return np.minimum(down, np.minimum(cols, cols[::-1])[None]).astype(np.float32)

    def _on_terrain(self, each: Condition) -> NDArray[np.float32]:
        ground = self.layer(each.layer, GroundLayer, "ground")
        _, kit = self.kit(ground)
        slots = self.slots(ground)
        named = np.zeros(256, np.bool_)
        marks = [kit.number_of(name) for name in each.names]
        if each.names:
            named[[mark for mark in marks if mark]] = True
        else:
            named[1:] = True
        if each.look is Look.MEETS:
            some = named[slots].any(axis=0) & (slots != slots[0]).any(axis=0)
            return np.asarray(some, np.float32)
        if each.look is Look.NEAR:
            shown = np.asarray(named[slots].any(axis=0))
            return _band(self._far_from(shown, each.high), each)
        return np.asarray(named[slots].all(axis=0), np.float32)

    def slots(self, ground: GroundLayer) -> NDArray[np.uint8]:
        """What all cells show of a ground layer: (slots, height, width)."""
        box = Box(0, 0, *self.size)
        found: NDArray[np.uint8] = terrain_slots(self.map, ground, box, self.terrain(ground))
        return found

    def _far_from(self, mask: Mask, most: float) -> NDArray[np.float32]:
        """Give how far cells are from the nearest one of a mask, over a border that goes round."""
        if not self.map.wrap or self.goes_round:
            return far_from(mask, most, wrap=self.goes_round)
        more = int(most) + 2
        wide = self.map.lattice.read(mask, self.map.lattice.whole.grown(more))
        return far_from(wide, most, wrap=False)[more:-more, more:-more]

    def _on_tiles(self, each: Condition) -> NDArray[np.float32]:
        layer = self.map.layer_numbered(each.layer)
        if layer is None or not layer.holds_tiles or layer.cells.shape != self.size:
            raise GrowError(
                say(
                    "{number} looks at the tiles of layer {layer}, which is gone or has none: "
                    "choose another",
                    number=self.number,
                    layer=each.layer,
                )
            )
        if isinstance(layer, GroundLayer) and each.look is not Look.TAG:
            laid = np.asarray((self.slots(layer) > 0).any(axis=0))
        else:
            cells = self.cells(layer)
            laid = cells > 0
        if each.look is Look.TAG:
            tiles = self.map.legend.tiles  # it may grow in the window meanwhile
            fits = np.zeros(len(tiles), np.bool_)
            for place, tile in enumerate(tiles):
                owner = self.project.tileset_named(tile.tileset) if tile else None
                if tile is not None and owner is not None:
                    fits[place] = bool(set(each.names) & set(owner.fact(tile.row, tile.col).tags))
            return fits[np.maximum(cells, 0)].astype(np.float32)
        if each.look is Look.NEAR_TILES:
            return _band(self._far_from(laid, each.high), each)
        return laid.astype(np.float32)

    # Ground

    def kit(self, ground: GroundLayer) -> tuple[Any, TerrainSet]:
        """Give the sheet and the terrain set of a ground layer.

        Raises
        ------
        GrowError
            They are not there.
        """
        found = self.project.set_of(ground.tileset, ground.set_name)
        if found is None or found[1].kind is not ground.kind_of_set:
            raise GrowError(
                say(
                    "layer “{name}” uses terrain set “{set_name}” of “{tileset}”, which is not "
                    "there: choose another set for the layer",
                    name=ground.name,
                    set_name=ground.set_name,
                    tileset=ground.tileset,
                )
            )
        return found

    def mark(self, ground: GroundLayer, name: str) -> int:
        """Give the mark of a terrain by its name; “” is nothing.

        Raises
        ------
        GrowError
            The set has no such terrain.
        """
        if not name:
            return 0
        _, kit = self.kit(ground)
        mark = kit.number_of(name)
        if not mark:
            known = ", ".join(each.name for each in kit.terrains)
            raise GrowError(
                say(
                    "{number} lays “{name}”, which “{name2}” does not have: choose one of {known}",
                    number=self.number,
                    name=name,
                    name2=kit.name,
                    known=known,
                )
            )
        return mark

    def table(self, ground: GroundLayer) -> KnitTable:
        """Give what a ground layer is knitted with."""
        self.kit(ground)
        return layer_table(self.project, self.map, ground)

    def places(self, ground: GroundLayer) -> Places:
        """Copy the terrain on the places of one period of a corner or a ring layer.

        Raises
        ------
        GrowError
            It is an edge set's.
        """
        standing = standing_of(ground.kind_of_set)
        if not standing.areas:
            raise GrowError(
                say(
                    "{number} works with areas of terrain; “{name}” has an edge set, which has "
                    "sides only: choose another layer",
                    number=self.number,
                    name=ground.name,
                )
            )
        high, wide = standing.places(self.map.lattice)
        terrain, homes = self.terrain(ground), standing.homes(self.map.lattice)
        if homes is not None:
            return homes.read(terrain, Box(0, 0, high, wide)).astype(np.uint8)
        return np.array(terrain[:high, :wide], np.uint8)

    def on_places(self, ground: GroundLayer, mask: Mask) -> Mask:
        """Tell for the places of a ground layer which touch cells of a mask only: (h, w)."""
        there, shown = self.map.lattice.exists, self.shown(ground)
        standing = standing_of(ground.kind_of_set)
        if there is None or shown is None:
            return standing.within(mask, wrap=self.goes_round)
        # The border of the map counts as in the mask, however it runs.
        wide = self.map.lattice.beside(mask, 0, 0) if self.map.wrap else mask | ~there
        return standing.within(wide, wrap=False) & shown

    def shown(self, ground: GroundLayer) -> Mask | None:
        """Tell which places of a ground layer lie on cells that there are; None: all."""
        there = self.map.lattice.exists
        if there is None:
            return None
        standing = standing_of(ground.kind_of_set)
        if self.map.wrap:  # each place once: it goes with the cell below it
            return np.pad(there, [(0, n - m) for n, m in zip(standing.places(self.map.lattice),
                                                             there.shape)])  # fmt: skip
        return standing.on_cells(Box(0, 0, *self.size), there)[1]

    def from_border(self, ground: GroundLayer) -> NDArray[np.float32]:
        """Tell how far places lie from the map's border: 0 on it, and one more each further in."""
        shown = self.shown(ground)
        if shown is not None:
            return _from_rim(shown)
        rows, cols = (np.arange(n) for n in self.places(ground).shape)
        far = np.minimum(np.minimum(rows, rows[::-1])[:, None], np.minimum(cols, cols[::-1])[None])
        return far.astype(np.float32)

    def as_terrain(self, ground: GroundLayer, places: Places) -> NDArray[Any]:
        """Make a ground layer's whole terrain of its places."""
        high, wide = self.map.height + 1 - places.shape[0], self.map.width + 1 - places.shape[1]
        return close_seam(np.pad(places, ((0, high), (0, wide))), self.map.lattice)

    def joined(
        self, ground: GroundLayer, places: Places, strength: NDArray[np.int64] | None = None
    ) -> Places:
        """Part terrains that have no tiles in common, and close gaps; ring sets need neither."""
        if ground.kind_of_set is SetKind.RING:
            return places
        graph, homes = build_graph(self.table(ground)), self._copies(ground)
        if homes is not None:
            places = homes.read(places, whole(places))
        return self.closed(ground, _parted(graph, places, strength, wrap=self.goes_round))

    def _copies(self, ground: GroundLayer) -> Homes | None:
        """Tell which places are seen at others, where copies of the map lie aslant in its array."""
        lattice = self.map.lattice
        return standing_of(ground.kind_of_set).homes(lattice) if lattice.wrap else None

    def closed(self, ground: GroundLayer, places: Places) -> Places:
        """Close gaps of a corner set; on a map that wraps aslant those at its border too."""
        table, homes, shown = self.table(ground), self._copies(ground), self.shown(ground)
        out = close_gaps(table, places, self.goes_round, progress=self.progress)
        if homes is None or shown is None:
            return out
        graph = build_graph(table)

        def mended(seen: Places, way: NDArray[np.int64]) -> Places:
            parted = _parted(graph, seen, way, wrap=False)
            return close_gaps(table, parted, False, progress=self.progress)

        return over_seam(out, homes, shown, mended)

    def shares_laid(
        self, ground: GroundLayer, places: Places, asked: dict[int, float] | None = None
    ) -> tuple[tuple[str, float, float], ...]:
        """List the parts that terrains take of the places, and those asked for."""
        _, kit = self.kit(ground)
        shown = self.shown(ground)
        some = places.ravel() if shown is None else places[shown]
        laid = np.bincount(some, minlength=len(kit.terrains) + 1) / max(1, some.size)
        total = sum((asked or {}).values()) or 1.0
        parts = {n: value / total for n, value in (asked or {}).items()}
        names = {0: say("nothing"), **{n: each.name for n, each in enumerate(kit.terrains, 1)}}
        return tuple(
            (name, parts.get(n, 0.0 if asked else float(laid[n])), float(laid[n]))
            for n, name in names.items()
            if laid[n] > 0 or parts.get(n, 0) > 0
        )


def _band(far: NDArray[np.float32], each: Condition) -> NDArray[np.float32]:
    return ((far >= each.low) & (far <= each.high)).astype(np.float32)


def _parted(
    graph: TerrainGraph, places: Places, strength: NDArray[np.int64] | None, *, wrap: bool
) -> Places:
    here = [n for n in np.unique(places).tolist() if n]
    if len(here) < 2:
        return places
    tree = plant_tree(graph, dict.fromkeys(here, 1.0))
    if strength is None:
        strength = np.arange(places.size, dtype=np.int64) * 0x9E3779B1 & 0xFFFF
    found = Parting(tree, places.shape, wrap).part(places.ravel().copy(), strength.ravel())
    return np.asarray(found, np.uint8).reshape(places.shape)


def _from_rim(there: Mask) -> NDArray[np.float32]:
    far = far_from(~np.pad(there, 1), max(there.shape), wrap=False)
    return np.asarray(np.where(there, far[1:-1, 1:-1] - 1, 0), np.float32)
