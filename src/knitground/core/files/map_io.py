"""Maps and recipes to and from their file models."""

from __future__ import annotations

import json
from typing import Any

from knitground.core.base.errors import FormatError
from knitground.core.base.tongue import say
from knitground.core.files.layer_io import layer_from_file, layer_to_file
from knitground.core.files.mapformats import MapFile, PackedFile
from knitground.core.files.recipeformats import (
    NoiseStepFile,
    RecipeFile,
    ShareFile,
    UnknownStepFile,
)
from knitground.core.model.lattice import Grid, Lattice
from knitground.core.model.limits import MAX_CELLS
from knitground.core.model.map import Map
from knitground.core.model.recipe import NoiseStep, Recipe, Step, UnknownStep


def map_to_file(map_: Map) -> MapFile:
    """Make the file model of a map. Knitted cells are not stored: they follow from the rest."""
    stagger = map_.grid.stagger
    return MapFile(
        name=map_.name,
        height=map_.lattice.counted[0],
        width=map_.lattice.counted[1],
        tile_height=map_.cell_height,
        tile_width=map_.cell_width,
        grid=map_.grid.kind,
        drawn_from=map_.grid.drawn_from,
        shifted="columns" if stagger is not None and stagger.by_columns else "rows",
        first_shifted=stagger is not None and stagger.first,
        wrap=map_.wrap,
        background=map_.background,
        properties=list(map_.properties),
        screen=map_.screen,
        recipe=recipe_to_file(map_.recipe),
        layers=[layer_to_file(map_, layer) for layer in map_.layers],
    )


def recipe_to_file(recipe: Recipe) -> RecipeFile:
    """Make the file model of a recipe."""
    return RecipeFile(seed=recipe.seed, steps=[_step_to_file(step) for step in recipe.steps])


def _step_to_file(step: Step) -> Any:
    if isinstance(step, UnknownStep):
        return UnknownStepFile(**(json.loads(step.raw) | {"active": step.active}))
    if isinstance(step, NoiseStep):
        return NoiseStepFile(
            name=step.name, active=step.active, salt=step.salt, where=list(step.where),
            layer=step.layer, scale=step.scale, octaves=step.octaves, form=step.form,
            stretch=step.stretch, turn=step.turn,
            shares=[ShareFile(terrain=name, share=share) for name, share in step.shares],
        )  # fmt: skip
    return step


def _step_from_file(file: Any) -> Step:
    if isinstance(file, UnknownStepFile):
        raw = json.dumps(file.model_dump(mode="json"), sort_keys=True)
        return UnknownStep(file.layer, file.step, raw, name=file.name, active=file.active)
    if isinstance(file, NoiseStepFile):
        shares = tuple((each.terrain, each.share) for each in file.shares)
        return NoiseStep(
            file.layer, file.scale, file.octaves, shares, file.form, file.stretch, file.turn,
            name=file.name, active=file.active, salt=file.salt, where=tuple(file.where),
        )  # fmt: skip
    step: Step = file
    return step


def recipe_from_file(file: RecipeFile) -> Recipe:
    """Make a recipe of its file model.

    Raises
    ------
    FormatError
        An area that was kept with a step can not be unpacked.
    """
    steps = tuple(_step_from_file(each) for each in file.steps)
    for step in steps:
        for each in step.where:
            if each.area is not None:
                each.area.mask(1, 1)
    return Recipe(file.seed, steps)


def _grid_of(file: MapFile) -> Grid:
    return Grid.of(
        file.grid, file.height, file.width, by_columns=file.shifted == "columns",
        first=file.first_shifted, drawn_from=file.drawn_from,
    )  # fmt: skip


def map_lattice(file: MapFile) -> Lattice:
    """Give where the cells of a map lie that has not been made yet."""
    return _grid_of(file).lattice(
        file.height, file.width, file.tile_height, file.tile_width, file.wrap
    )


def part_from_file(file: MapFile, name: str, rows: range) -> Map:
    """Make a map of which no more is read than some of its rows, as people count them.

    Parameters
    ----------
    rows : blocks of cells in which none of them is are left empty
    """
    packed = [
        value for layer in file.layers for field in type(layer).model_fields
        if isinstance(value := getattr(layer, field), PackedFile)
    ]  # fmt: skip
    try:
        for each in packed:
            each.want(rows)
        return map_from_file(file, name)
    finally:
        for each in packed:
            each.want(None)


def map_from_file(file: MapFile, name: str) -> Map:
    """Make a map of its file model.

    Raises
    ------
    FormatError
        The map is too large, or cells stand outside the legend or the map.
    """
    if file.height * file.width > MAX_CELLS:
        raise FormatError(
            say(
                "{name}: {width} × {height} cells are more than {max_cells} (4096 × 4096), "
                "the most a map may have",
                name=name,
                width=file.width,
                height=file.height,
                max_cells=MAX_CELLS,
            )
        )
    grid = _grid_of(file)
    if file.wrap and grid.stagger is not None and not grid.stagger.meets:
        raise FormatError(
            say(
                "{name}: a staggered map of which an odd number is shifted does not wrap: take "
                "“wrap” out",
                name=name,
            )
        )
    size = grid.lattice(file.height, file.width, file.tile_height, file.tile_width)
    if size.rows * size.columns > MAX_CELLS:
        raise FormatError(
            say(
                "{name}: {width} × {height} staggered cells take an array of {columns} × "
                "{rows}, and {max_cells} cells are the most: make the map smaller",
                name=name,
                width=file.width,
                height=file.height,
                columns=size.columns,
                rows=size.rows,
                max_cells=MAX_CELLS,
            )
        )
    map_ = Map(
        file.name, size.rows, size.columns, file.tile_height, file.tile_width, file.wrap, grid=grid
    )
    map_.background, map_.screen = file.background, file.screen
    map_.properties = tuple(file.properties)
    map_.recipe = recipe_from_file(file.recipe)
    numbers = [layer.number for layer in file.layers]
    if len(set(numbers)) != len(numbers):
        raise FormatError(
            say("{name}: two layers have the same number: give each its own", name=name)
        )
    map_.layers = [layer_from_file(map_, layer, name) for layer in file.layers]
    return map_
