"""Recipes by themselves: `*.recipe.json`, to be used on other maps and in other projects."""

from __future__ import annotations

from pathlib import Path

from knitground.core.files.jsontext import model_bytes, read_model
from knitground.core.files.made import write_asked
from knitground.core.files.map_io import recipe_from_file, recipe_to_file
from knitground.core.files.reading import read_file
from knitground.core.files.recipeformats import (
    RECIPE_FORMAT,
    RECIPE_VERSION,
    KeptRecipeFile,
    LayerName,
)
from knitground.core.model.map import Map
from knitground.core.model.recipe import Recipe

RECIPE_END = ".recipe.json"


def write_recipe(map_: Map, path: Path) -> None:
    """Write a map's recipe, with the names of the layers that it works on."""
    layers = [
        LayerName(number=e.number, kind=e.kind, name=e.name)  # type: ignore[arg-type]
        for e in map_.layers
    ]
    file = KeptRecipeFile(recipe=recipe_to_file(map_.recipe), layers=layers)
    write_asked(path, model_bytes(file))


def read_recipe(path: Path) -> tuple[Recipe, dict[int, tuple[str, str]]]:
    """Read a recipe, and the kinds and names of its layers by their numbers.

    Raises
    ------
    FormatError, PlaceError
        It can not be read, or is no recipe.
    """
    raw = read_file(path)
    file = read_model(raw, path.name, KeptRecipeFile, RECIPE_FORMAT, RECIPE_VERSION)
    layers: dict[int, tuple[str, str]] = {
        each.number: (each.kind, each.name) for each in file.layers
    }
    return recipe_from_file(file.recipe), layers
