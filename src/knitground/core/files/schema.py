"""JSON Schemas of all files that the program writes."""

from __future__ import annotations

import json

from pydantic import BaseModel

from knitground.core.files.formats import ProjectFile, RulesFile, TilesetFile
from knitground.core.files.mapformats import MapFile
from knitground.core.files.recipeformats import KeptRecipeFile
from knitground.core.files.ship.formats import ChunkFile, MarkersFile, ShipFile, WaysFile

MODELS: dict[str, type[BaseModel]] = {
    "project.schema.json": ProjectFile,
    "tileset.schema.json": TilesetFile,
    "map.schema.json": MapFile,
    "rules.schema.json": RulesFile,
    "recipe.schema.json": KeptRecipeFile,
    "ship.schema.json": ShipFile,
    "cells.schema.json": ChunkFile,
    "ways.schema.json": WaysFile,
    "markers.schema.json": MarkersFile,
}


_SHIPPED = (ShipFile, ChunkFile, WaysFile, MarkersFile)


def schema_texts() -> dict[str, str]:
    """Give the text of each schema by its file name, always the same for the same models."""
    texts = {}
    for name, model in MODELS.items():
        # What a game reads is only written here: all of it is there, whatever its default.
        shipped = model in _SHIPPED
        schema = model.model_json_schema(mode="serialization" if shipped else "validation")
        version = model.model_fields["version"].default
        schema["$id"] = f"urn:knitground:{name.removesuffix('.schema.json')}:{version}"
        schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
        texts[name] = json.dumps(schema, indent=1, sort_keys=True, ensure_ascii=False) + "\n"
    return texts
