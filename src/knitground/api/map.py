"""Maps: layers, recipes, pictures."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import nullcontext
from dataclasses import dataclass, replace
from pathlib import Path
from types import NoneType
from typing import Any

from knitground.api.checks import (
    Pair,
    Told,
    built,
    check_kind,
    name_of,
    named,
    one_of,
    path_of,
    progress_of,
    short,
    whole,
)
from knitground.api.layer import LayerDoor
from knitground.api.sheet import SetDoor, property_of
from knitground.core.base.errors import EditError, GrowError
from knitground.core.edit.document import Document
from knitground.core.edit.layers import add_layer, delete_layer
from knitground.core.edit.maps import (
    lay_grown,
    put_map_property,
    remove_map_property,
    set_background,
    set_recipe,
    set_wrap,
)
from knitground.core.edit.recipes import Over, grow_round, paste_steps
from knitground.core.edit.sizes import Margins, resize_map
from knitground.core.files.recipefile import read_recipe, write_recipe
from knitground.core.files.ship.png import MapPicture, map_picture
from knitground.core.grow.kinds import STEP_KINDS
from knitground.core.grow.plainless import find_plainless
from knitground.core.grow.preview import knit_stand_in, lay_on, stand_in
from knitground.core.grow.rewriting import rewrite_map
from knitground.core.grow.runner import run_recipe
from knitground.core.grow.work import Grown
from knitground.core.model.layers import Layer
from knitground.core.model.limits import MAX_SIDE
from knitground.core.model.map import Map, gaps_of
from knitground.core.model.recipe import Recipe, Step

_KINDS = {each.title.lower(): kind for kind, each in STEP_KINDS.items()}
_LAYERS = ("layer", "source", "on")
"""Settings of steps that are numbers of layers."""


@dataclass(frozen=True)
class Growth(Sequence[str]):
    """What a recipe made. As a list it is `words`: what somebody should know.

    Parameters
    ----------
    words : terrains that have no plain tile, so that their inside is gaps; steps that were skipped
    gaps : cells that no tile fits, by the names of the layers that have any
    steps : what each step made, in order: `layer`, `shares` (name, part asked for, part laid),
        `seconds` and `words`
    """

    words: tuple[str, ...]
    gaps: Mapping[str, int]
    steps: tuple[Grown, ...]

    def __len__(self) -> int:
        return len(self.words)

    def __getitem__(self, place: Any) -> Any:
        return self.words[place]

    def __iter__(self) -> Iterator[str]:
        return iter(self.words)


class MapDoor:
    """A map: its layers, its recipe and its picture."""

    def __init__(self, doc: Document, map_: Map) -> None:
        self.doc = doc
        self.map = map_

    def __repr__(self) -> str:
        rows, columns = self.size
        return f"<map “{self.name}”: {rows} × {columns} cells, {len(self.layers)} layers>"

    @property
    def name(self) -> str:
        """Its name."""
        return self.map.name

    @property
    def size(self) -> Pair:
        """Rows and columns of cells."""
        rows, columns = self.map.lattice.counted
        return rows, columns

    @property
    def tile_size(self) -> Pair:
        """Height and width of a cell in pixels; of diamonds, of the rectangle round one."""
        return self.map.lattice.cell_size

    @property
    def grid(self) -> str:
        """Square, diamond or staggered."""
        return self.map.grid.kind.value

    # Layers

    @property
    def layers(self) -> list[LayerDoor]:
        """Its layers, the back one first."""
        return [LayerDoor(self.doc, self.map, each) for each in self.map.layers]

    def layer(self, name: str) -> LayerDoor:
        """Find a layer by its name."""
        return named(self.layers, name, "layer")

    def add_ground(self, name: str, kit: SetDoor, fill: str | None = None) -> LayerDoor:
        """Add a ground layer that knits tiles of a set; `fill` is a terrain to lay everywhere."""
        check_kind(kit, (SetDoor,), "a terrain set", "sheet.sets[0]")
        layer = self.map.new_ground_layer(name, kit.tileset.name, kit.name, kit.kit.kind)
        with self.doc.stroke(f"Add layer “{str(name)[:60]}”"):
            made = self._add(layer, name)
            if fill is not None:
                made.lay_box(kit.terrain(fill), (0, 0), self.size)
        return made

    def add_tiles(self, name: str) -> LayerDoor:
        """Add a layer of tiles laid by hand."""
        return self._add(self.map.new_tile_layer(name), name)

    def add_grown(self, name: str) -> LayerDoor:
        """Add a layer of tiles that recipe steps make; what is laid by hand there stays."""
        return self._add(self.map.new_grown_layer(name), name)

    def add_tint(self, name: str) -> LayerDoor:
        """Add a layer of colours, multiplied over what lies beneath."""
        return self._add(self.map.new_tint_layer(name), name)

    def add_markers(self, name: str) -> LayerDoor:
        """Add a layer of points, areas and free pictures."""
        return self._add(self.map.new_marker_layer(name), name)

    def _add(self, layer: Layer, name: str) -> LayerDoor:
        name_of(name, "layer")
        self.doc.apply(add_layer(self.map, layer))
        return LayerDoor(self.doc, self.map, layer)

    def remove_layer(self, name: str) -> None:
        """Take a layer away with all that is on it."""
        self.doc.apply(delete_layer(self.map, self.layer(name).layer))

    # The map itself

    def resize(self, above: int = 0, left: int = 0, below: int = 0, right: int = 0) -> None:
        """Give it so many cells more on each side; less than 0 cuts."""
        sides = {"top": above, "left": left, "bottom": below, "right": right}
        margins = Margins(**{side: whole(value, "the cells to add", -MAX_SIDE, MAX_SIDE)
                             for side, value in sides.items()})  # fmt: skip
        self.doc.apply(resize_map(self.map, margins))

    def set_wrap(self, on: bool) -> None:
        """Let its right border meet its left and its bottom its top; or not."""
        self.doc.apply(set_wrap(self.map, bool(on)))

    def set_background(self, colour: str | None) -> None:
        """Put a colour #rrggbb behind all layers, or none."""
        check_kind(colour, (str, NoneType), "a colour", "'#336699'")
        self.doc.apply(set_background(self.map, colour))

    def set_property(self, name: str, value: str | float | bool | None) -> None:
        """Say something that a game should know of the map; None takes it away."""
        if value is None:
            self.doc.apply(remove_map_property(self.map, name_of(name, "property")))
        else:
            self.doc.apply(put_map_property(self.map, property_of(name, value)))

    # Recipes

    @property
    def recipe(self) -> Recipe:
        """Its recipe: a seed, and steps in order."""
        return self.map.recipe

    def step(self, kind: str, layer: str | LayerDoor, **settings: Any) -> Step:
        """Make a step of a recipe for this map; nothing runs yet.

        Parameters
        ----------
        kind : as it is called in Grow: “noise ground”, “smooth”, “regions”, “route”, “mix fill” …
        layer : that it makes, by name
        settings : of the kind (`knitground.core.model.recipe`); layers by name, shares by terrain:
            `map.step("noise ground", "Floor", scale=12.0, shares={"sand": 2, "grass": 1})`
        """
        made = _KINDS[one_of(kind, _KINDS, "kind of step")]
        values: dict[str, Any] = {"layer": layer, **settings}
        for each in _LAYERS:
            if isinstance(values.get(each), str | LayerDoor):
                values[each] = self._number(values[each])
        shares = values.get("shares")
        if isinstance(shares, Mapping):
            values["shares"] = tuple(shares.items())
        step: Step = built(made, values, f"a step of the kind “{kind}”")
        return step

    def _number(self, layer: str | LayerDoor) -> int:
        found = self.layer(layer) if isinstance(layer, str) else layer
        if found.map is not self.map:
            raise EditError(f"“{found.name}” is a layer of another map than “{self.name}”")
        return found.layer.number

    def set_recipe(self, *steps: Step, seed: int | None = None) -> None:
        """Give it a recipe; `grow` runs it."""
        chosen = self.map.recipe.seed if seed is None else _seed(seed)
        known = tuple(STEP_KINDS)
        for each in steps:
            check_kind(each, known, "a step", "map.step('noise ground', 'Floor')")
        self.doc.apply(set_recipe(self.map, Recipe(chosen, steps)))

    def read_recipe(self, path: str | Path) -> None:
        """Add the steps of a `*.recipe.json`; layers are found by kind and name."""
        recipe, names = read_recipe(path_of(path))
        self.doc.apply(paste_steps(self.map, recipe.steps, names))

    def write_recipe(self, path: str | Path) -> None:
        """Write its recipe as a `*.recipe.json`, for other maps and projects."""
        write_recipe(self.map, path_of(path))

    def grow(
        self, recipe: Recipe | None = None, seed: int | None = None, *, over: str | None = None,
        progress: Told | None = None,
    ) -> Growth:  # fmt: skip
        """Run a recipe, by default the map's own; it is kept, and pins stay.

        Parameters
        ----------
        over : where a layer was painted by hand since it was grown, which is refused otherwise:
            "own" grows on a layer of its own, "round" round what is painted, "instead" replaces it
        progress : is told the part done, 0 to 1; it may raise `Cancelled`
        """
        chosen = self._chosen(recipe, seed)
        ways = {each.name.lower(): each for each in Over}
        if over is not None and over not in tuple(ways):
            raise GrowError(f"{short(over)} is nothing to do: give {', '.join(ways)}")
        cure = " or ".join(f"over={way!r}" for way in ways)
        told, skipped = progress_of(progress), list[str]()
        with nullcontext() if self.doc.in_stroke else self.doc.stroke("Grow"):
            chosen = grow_round(self.doc, self.map, chosen, ways[over] if over else None, cure)
            grown = run_recipe(
                self.doc.project, replace(self.map, recipe=chosen), told, skipped=skipped
            )
            self.doc.apply(lay_grown(self.map, grown, chosen))
        lacks = [each.words for each in find_plainless(self.doc.project, self.map, grown)]
        return Growth((*lacks, *skipped), self.gaps, tuple(grown))

    def look(self, seed: int | None = None, recipe: Recipe | None = None,
             level: int = 0) -> MapPicture:  # fmt: skip
        """Draw what a seed, or another recipe, would make of the map, which stays as it is."""
        chosen = self._chosen(recipe, seed)
        level, project = whole(level, "the level", 0, 64), self.doc.project
        tried = stand_in(self.map, chosen)
        for each in tried.layers:
            each.cells = each.cells.copy()  # rules that follow write into them
        lay_on(tried, run_recipe(project, tried))
        knit_stand_in(project, tried)
        rewrite_map(project, tried)
        return MapPicture(map_picture(project, tried, level))

    def _chosen(self, recipe: Recipe | None, seed: int | None) -> Recipe:
        check_kind(recipe, (Recipe, NoneType), "a recipe", "Recipe(seed, steps)")
        chosen = recipe or self.map.recipe
        return chosen if seed is None else replace(chosen, seed=_seed(seed))

    # Looking

    @property
    def gaps(self) -> dict[str, int]:
        """Cells that no tile fits, by the names of the layers that have any."""
        self.doc.ensure_all(self.map)
        return gaps_of(self.map)

    def picture(self, level: int = 0) -> MapPicture:
        """Draw the map; what is not knitted yet is knitted first. Level n is 1 / 2ⁿ the size."""
        level = whole(level, "the level", 0, 64)
        self.doc.ensure_all(self.map)
        return MapPicture(map_picture(self.doc.project, self.map, level))

    def _repr_png_(self) -> bytes:
        return self.picture()._repr_png_()


def _seed(seed: object) -> int:
    return whole(seed, "the seed", -(2**63), 2**63 - 1)
