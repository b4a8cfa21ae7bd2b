import json

import numpy as np
import pytest
from jsonschema import Draft202012Validator
from PIL import Image

from knitground.core.base.errors import Cancelled, PlaceError
from knitground.core.files.schema import schema_texts
from knitground.core.files.ship.ship import ship
from knitground.core.knit.layer import knit_map
from knitground.core.model.map import Map
from knitground.core.model.tileset import TileRef


def drawn_like_a_game(folder, name):
    """Draw a shipped map as a game would: from its JSON and the sheets beside it alone."""
    data = json.loads((folder / f"{name}.json").read_text())
    sheets = [np.array(Image.open(folder / each["image"])) for each in data["tilesets"]]
    high, wide = data["tile_height"], data["tile_width"]
    out = Image.new("RGBA", (data["width"] * wide, data["height"] * high))
    for layer in data["layers"]:
        if not layer["visible"]:
            continue
        for row, line in enumerate(layer["cells"]):
            for col, place in enumerate(line):
                if place == 0:
                    continue
                tile = data["legend"][place - 1]
                x, y = tile["x"], tile["y"]
                picture = sheets[tile["tileset"]][y : y + high, x : x + wide]
                if tile["turn"] & 4:
                    picture = picture[:, ::-1]
                picture = np.rot90(picture, -(tile["turn"] & 3))
                out.alpha_composite(
                    Image.fromarray(np.ascontiguousarray(picture)), (col * wide, row * high)
                )
    return np.array(out)


def test_a_game_draws_the_picture_that_was_shipped(demo, tmp_path):
    map_ = demo.maps[0]
    props = map_.layers[2]
    props.cells[0, 0] = map_.legend.place(TileRef("props", 0, 5, 6))
    files = ship(demo, demo.maps, tmp_path)
    assert [path.name for path in files] == [
        "harbour-pans.json", "harbour-pans.png", "north-basin.json", "north-basin.png",
        "pans.png", "props.png", "works.png",
    ]  # fmt: skip
    picture = np.array(Image.open(tmp_path / "harbour-pans.png"))
    assert picture.shape == (64 * 16, 96 * 16, 4)
    off = np.abs(picture.astype(int) - drawn_like_a_game(tmp_path, "harbour-pans").astype(int))
    assert off.max() <= 2  # blending of the half-transparent shadows rounds differently
    assert (off == 0).mean() > 0.99


def test_shipped_json_fits_its_schema_and_two_runs_are_the_same(demo, tmp_path):
    for folder in ("a", "b"):
        ship(demo, demo.maps, tmp_path / folder)
    validator = Draft202012Validator(json.loads(schema_texts()["ship.schema.json"]))
    for path in (tmp_path / "a").iterdir():
        assert path.read_bytes() == (tmp_path / "b" / path.name).read_bytes()
        if path.suffix == ".json":
            validator.validate(json.loads(path.read_text()))


def test_gaps_are_counted_and_shipped_empty(demo, tmp_path):
    map_ = demo.maps[1]
    map_.layers[0].terrain[5, 5] = 1
    map_.layers[0].terrain[5, 6] = 3
    gaps = knit_map(demo, map_)
    assert gaps > 0
    ship(demo, [map_], tmp_path, ["json"])
    data = json.loads((tmp_path / "north-basin.json").read_text())
    assert data["gaps"] == gaps
    assert sum(line.count(0) for line in data["layers"][0]["cells"]) == gaps
    assert data["terrain"][0]["names"] == ["brine", "crust", "clay", "blush"]


@pytest.mark.parametrize("level", [1, 2, 9])
def test_smaller_pictures(demo, tmp_path, level):
    ship(demo, [demo.maps[1]], tmp_path, ["png"], level)
    side = 48 * max(1, 16 >> level)
    with Image.open(tmp_path / "north-basin.png") as picture:
        assert picture.size == (side, side)


def test_what_can_not_be_shipped_writes_nothing(demo, tmp_path):
    with pytest.raises(PlaceError, match="tiff"):
        ship(demo, demo.maps, tmp_path, ["tiff"])
    with pytest.raises(PlaceError, match="no map"):
        ship(demo, [], tmp_path)
    huge = Map("Huge", 4000, 4000, 16, 16)
    with pytest.raises(PlaceError, match="64000 × 64000 px"):
        ship(demo, [huge], tmp_path, ["png"])

    def cancel(_part):
        raise Cancelled("stop")

    with pytest.raises(Cancelled):
        ship(demo, demo.maps, tmp_path, progress=cancel)
    demo.tilesets[0].picture = None
    with pytest.raises(PlaceError, match="“pans” is missing"):
        ship(demo, demo.maps, tmp_path)
    assert list(tmp_path.iterdir()) == []
