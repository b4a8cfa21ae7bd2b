import json

import numpy as np
import pytest
from examples.pillow_reader import drawn
from jsonschema import Draft202012Validator
from PIL import Image
from tests.core.test_diamond import yard
from tests.core.test_staggered import shifted_yard

from knitground.core.base.errors import Cancelled, PlaceError
from knitground.core.files.made import MADE, NotOursError
from knitground.core.files.saving import save_project
from knitground.core.files.schema import schema_texts
from knitground.core.files.ship.kinds import ShipFormat
from knitground.core.files.ship.ship import FORMATS, ship
from knitground.core.knit.layer import knit_map
from knitground.core.model.lattice import Corner, Stagger
from knitground.core.model.map import Map
from knitground.core.model.profile import ShipPart
from knitground.core.model.tile import TileRef


def drawn_like_a_game(folder, name):
    """Draw a shipped map as the worked example of a reader does."""
    return np.array(drawn(folder / f"{name}.json"))


def test_a_game_draws_the_picture_that_was_shipped(demo, tmp_path):
    map_ = demo.maps[0]
    props = map_.layers[2]
    props.cells[0, 0] = map_.legend.place(TileRef("props", 0, 5, 6))
    files = ship(demo, demo.maps, tmp_path).files
    assert [path.name for path in files] == [
        "harbour-pans.json", "harbour-pans.png", "loading-quay.json", "loading-quay.png",
        "north-basin.json", "north-basin.png",
        "pans.tiles.png", "props.tiles.png", "salt-coast.json", "salt-coast.png",
        "shimmer.tiles.png", "store-yard.json", "store-yard.png", "works.tiles-normal.png",
        "works.tiles.png",
        "yard.tiles.png",
    ]  # fmt: skip
    picture = np.array(Image.open(tmp_path / "harbour-pans.png"))
    assert picture.shape == (64 * 16, 96 * 16, 4)
    off = np.abs(picture.astype(int) - drawn_like_a_game(tmp_path, "harbour-pans").astype(int))
    assert (off <= 1).mean() > 0.9999
    assert (off == 0).mean() > 0.9
    for marker in map_.layers[5].markers:  # a turned picture's rim may fall on either side
        x, y = (int(each) for each in marker.points[0])
        off[y - 40 : y + 8, x - 24 : x + 24] = 0
    assert off.max() <= 2  # blending of the half-transparent shadows rounds differently


def test_a_game_draws_a_map_of_diamonds(tmp_path):
    doc, map_ = yard((6, 8))
    map_.layers[1].height, map_.layers[1].offset = 6, (-3, 1)
    tint = map_.new_tint_layer("Dusk")
    tint.cells[2:4, 1:5] = 90 << 24 | 0x304060
    map_.layers.append(tint)
    ship(doc.project, [map_], tmp_path)
    picture = np.array(Image.open(tmp_path / "yard.png")).astype(int)
    drawn = drawn_like_a_game(tmp_path, "yard").astype(int)
    assert picture.shape == drawn.shape == (14 * 8 + 16, 14 * 16, 4)
    seen = np.minimum(picture[..., 3], drawn[..., 3])[..., None] / 255
    assert np.abs((picture - drawn) * seen).max() <= 6
    data = json.loads((tmp_path / "yard.json").read_text())
    assert data["form"] == "diamond"
    assert data["layers"][0]["first"] == [5 * 16, 16]
    Draft202012Validator(json.loads(schema_texts()["ship.schema.json"])).validate(data)


@pytest.mark.parametrize("by_columns", [False, True])
@pytest.mark.parametrize("first", [False, True])
@pytest.mark.parametrize("corner", list(Corner))
def test_a_game_draws_a_staggered_map(tmp_path, by_columns, first, corner):
    doc, map_ = shifted_yard(Stagger(7, 5, by_columns, first), drawn_from=corner)
    map_.layers[1].height, map_.layers[1].offset = 6, (-3, 1)
    tint = map_.new_tint_layer("Dusk")
    tint.cells = np.where(map_.lattice.exists, 90 << 24 | 0x304060, 0).astype(np.int32)
    map_.layers.append(tint)
    ship(doc.project, [map_], tmp_path)
    picture = np.array(Image.open(tmp_path / "shifted.png")).astype(int)
    drawn = drawn_like_a_game(tmp_path, "shifted").astype(int)
    assert picture.shape == drawn.shape
    seen = np.minimum(picture[..., 3], drawn[..., 3])[..., None] / 255
    assert np.abs((picture - drawn) * seen).max() <= 6
    data = json.loads((tmp_path / "shifted.json").read_text())
    assert (data["form"], data["grid"]) == ("staggered", [5, 7])
    assert len(data["layers"][0]["cells"]) == 7
    Draft202012Validator(json.loads(schema_texts()["ship.schema.json"])).validate(data)


def test_shipped_json_fits_its_schema_and_two_runs_are_the_same(demo, tmp_path):
    for folder in ("a", "b"):
        ship(demo, demo.maps, tmp_path / folder)
    validator = Draft202012Validator(json.loads(schema_texts()["ship.schema.json"]))
    for path in (p for p in (tmp_path / "a").iterdir() if p.name != MADE):
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


@pytest.mark.parametrize("level", [1, 2, 3])
def test_smaller_pictures(demo, tmp_path, level):
    ship(
        demo,
        [demo.maps[1]],
        tmp_path,
        [ShipPart("png", {"scale": f"1/{2**level}" if level else "1"})],
    )
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
    with pytest.raises(PlaceError, match=r"“pans”, pans\.png, is missing or can not be read"):
        ship(demo, demo.maps, tmp_path)
    assert list(tmp_path.iterdir()) == []


def test_the_harbour_has_every_kind_of_layer_and_all_are_shipped(demo, tmp_path):
    ship(demo, [demo.maps[0]], tmp_path, ["json"])
    data = json.loads((tmp_path / "harbour-pans.json").read_text())
    layers = {each["name"]: each for each in data["layers"]}
    kinds = {"ground", "tiles", "grown", "markers", "tint"}
    assert {each["kind"] for each in data["layers"]} == kinds
    assert {each.kind for each in demo.maps[0].layers} == kinds
    places = {each["name"]: each for each in layers["Places"]["markers"] if each["name"]}
    assert places["Sluice"]["properties"] == {
        "leads to": "North basin", "key": "brass", "toll": 3,
    }  # fmt: skip
    assert places["Landing"]["points"] == [[408.0, 488.0]]
    assert len(places["Raking ground"]["points"]) == 5
    colours = layers["Evening"]["colours"]
    used = {place for line in layers["Evening"]["cells"] for place in line}
    assert used == set(range(len(colours) + 1))
    assert all(0 < each["strength"] <= 1 for each in colours)


def test_tiles_on_cells_of_their_own_begin_where_that_cell_has_them(demo, tmp_path):
    map_ = demo.maps[1]
    tile = TileRef("props", 0, 4)
    own = map_.new_tile_layer("Large", (32, 32))
    own.cells[1, 1] = map_.legend.place(tile)
    plain = map_.new_tile_layer("Plain")
    plain.number += 1
    plain.cells[9, 9] = map_.legend.place(tile)
    map_.layers += [own, plain]
    ship(demo, [map_], tmp_path)
    data = json.loads((tmp_path / "north-basin.json").read_text())
    large, small = data["layers"][-2:]
    entries = [data["legend"][layer["cells"][at][at] - 1] for layer, at in ((large, 1), (small, 9))]
    assert [each["offset_y"] for each in entries] == [16, 0]
    shipped = np.array(Image.open(tmp_path / "north-basin.png"))
    drawn = drawn_like_a_game(tmp_path, "north-basin")
    off = np.abs(shipped.astype(int) - drawn.astype(int))
    assert off[32:64, 32:64].max() <= 2
    assert off[144:160, 144:160].max() <= 2


def test_a_format_more_is_one_line(demo, tmp_path, monkeypatch):
    """What it says is offered by the verb, refused over a project's files, shipped and listed."""
    lines = ShipFormat(
        "txt", "Text", "Names of layers",
        lambda job, map_, options: [f"{job.stem(map_)}.txt"],
        lambda job, map_, options, progress=None: {
            f"{job.stem(map_)}.txt": "\n".join(each.name for each in map_.layers).encode()
        },
    )  # fmt: skip
    monkeypatch.setitem(FORMATS, "txt", lines)
    found = ship(demo, demo.maps[:1], tmp_path / "out", ["txt", "svg"])
    assert [path.name for path in found.files] == ["harbour-pans.shapes.svg", "harbour-pans.txt"]
    assert found.files[1].read_text().splitlines()[0] == demo.maps[0].layers[0].name
    save_project(demo, tmp_path / "p")
    (tmp_path / "p" / "harbour-pans.txt").write_text("mine")
    with pytest.raises(NotOursError, match=r"harbour-pans\.txt"):
        ship(demo, demo.maps[:1], tmp_path / "p", ["txt"])
