"""What was shipped is read back as the map that it was: pixel for pixel, area for area."""

import json

import numpy as np
import pytest
from jsonschema import Draft202012Validator
from tests.core.test_diamond import yard
from tests.core.test_staggered import shifted_yard
from tests.strangers import times

from knitground.core.base.errors import KnitError, PlaceError
from knitground.core.files.schema import schema_texts
from knitground.core.files.ship.loading import load_shipped, shipped_names
from knitground.core.files.ship.png import map_picture
from knitground.core.files.ship.ship import ship
from knitground.core.model.lattice import Corner, Stagger
from knitground.core.model.map import Map
from knitground.core.model.profile import ShipPart
from knitground.core.walk.solids import Solids


def shipped(project, map_, folder, knit=None):
    ship(project, [map_], folder, ["json"], knit=knit)
    return load_shipped(shipped_names(folder)[map_.name])


@pytest.mark.parametrize("name", ["Harbour pans", "North basin", "Salt coast", "Store yard",
                                  "Loading quay"])  # fmt: skip
def test_every_map_of_the_demo_is_drawn_as_it_was(demo, tmp_path, name):
    map_ = demo.map_named(name)
    map_.background = "#304050"
    loaded = shipped(demo, map_, tmp_path)
    assert loaded.map.screen == map_.screen
    assert loaded.map.wrap == map_.wrap
    assert {path.suffix for path in loaded.files} == {".json", ".png"}
    drawn, was = map_picture(loaded.project, loaded.map), map_picture(demo, map_)
    assert drawn.shape == was.shape
    off = np.abs(drawn.astype(int) - was.astype(int))
    assert off.max() <= 2, "the strength of a tint is rounded"
    assert (off > 0).mean() < 0.2


@pytest.mark.parametrize("corner", list(Corner))
@pytest.mark.parametrize("first", [False, True])
@pytest.mark.parametrize("by_columns", [False, True])
def test_staggered_maps_are_counted_as_they_were(tmp_path, by_columns, first, corner):
    doc, map_ = shifted_yard(Stagger(7, 5, by_columns, first), drawn_from=corner)
    loaded = shipped(doc.project, map_, tmp_path, doc.ensure_all)
    assert loaded.map.grid == map_.grid
    assert (map_picture(loaded.project, loaded.map) == map_picture(doc.project, map_)).all()


def test_diamonds_and_turned_tiles_are_drawn_as_they_were(tmp_path):
    doc, map_ = yard()
    for layer in map_.layers:
        for at in np.argwhere(layer.cells > 0)[::3].tolist():
            tile = map_.legend.tile(int(layer.cells[tuple(at)]))
            layer.cells[tuple(at)] = map_.legend.place(tile._replace(turn=4))
    loaded = shipped(doc.project, map_, tmp_path, doc.ensure_all)
    assert (map_picture(loaded.project, loaded.map) == map_picture(doc.project, map_)).all()


def test_what_is_solid_stays_so_and_markers_stay_where_they_are(demo, tmp_path):
    map_ = demo.map_named("Harbour pans")
    loaded = shipped(demo, map_, tmp_path)
    from knitground.core.edit.document import Document

    room = (0, 0, *map_.lattice.extent)
    was = Solids(Document(demo), map_).seen(*room)
    now = Solids(Document(loaded.project), loaded.map).seen(*room)
    assert (was == now).all()
    assert was.any()
    places = [[(each.name, each.kind, each.points) for each in layer.markers]
              for one in (map_, loaded.map) for layer in one.layers
              if hasattr(layer, "markers")]  # fmt: skip
    assert places[0] == places[1]


@pytest.mark.parametrize(
    ("spoil", "said"),
    [
        (lambda d: d.update(version=9), "version"),
        (lambda d: d.update(grid=[0, 5]), "is no map"),
        (lambda d: d["layers"][0]["cells"].pop(), "rows of cells"),
        (lambda d: d["layers"][0]["cells"][0].__setitem__(0, 999), "names 999"),
        (lambda d: d["legend"][0].update(x=9999), "of a sheet"),
        (lambda d: d["legend"][0].update(tileset=77), "names sheet 77"),
        (lambda d: d["tilesets"][0].update(picture="../../etc/passwd"), "leads out"),
        (lambda d: d["tilesets"][0].update(picture="none.png"), "none.png"),
        (lambda d: d["layers"][0].update(kind="new"), "kind"),
        (lambda d: d.pop("layers"), "layers"),
    ],
)
def test_files_that_do_not_fit_are_refused_with_what_is_wrong(demo, tmp_path, spoil, said):
    shipped(demo, demo.map_named("North basin"), tmp_path)
    path = tmp_path / "north-basin.json"
    data = json.loads(path.read_text())
    spoil(data)
    path.write_text(json.dumps(data))
    with pytest.raises(KnitError, match=said):
        load_shipped(path)


def test_a_file_that_is_cut_short_and_a_folder_without_maps(demo, tmp_path):
    shipped(demo, demo.map_named("North basin"), tmp_path)
    path = tmp_path / "north-basin.json"
    path.write_bytes(path.read_bytes()[:2000])
    with pytest.raises(KnitError, match=r"north-basin\.json"):
        load_shipped(path)
    with pytest.raises(KnitError, match="no shipped map"):
        shipped_names(tmp_path)
    with pytest.raises(KnitError):
        shipped_names(tmp_path / "nowhere")


ODD = [None, -1, 0, 1, 3.5, 2**40, -(2**70), 1e300, "", "x", [], {}, True, [[1, 2], [3]]]


@pytest.mark.parametrize("seed", range(times(6, 60)))
def test_whatever_stands_in_a_file_it_is_played_or_refused_in_words(demo, tmp_path, seed):
    shipped(demo, demo.map_named("Loading quay"), tmp_path)
    path = tmp_path / "loading-quay.json"
    rng = np.random.default_rng(seed)
    whole = path.read_text()
    for _ in range(12):
        data = json.loads(whole)
        for _ in range(rng.integers(1, 4)):
            at = data
            for _ in range(rng.integers(1, 6)):
                keys = list(at) if isinstance(at, dict) else range(len(at))
                if not keys:
                    break
                key = keys[int(rng.integers(len(keys)))]
                if isinstance(at[key], dict | list) and rng.random() < 0.8:
                    at = at[key]
                    continue
                at[key] = ODD[int(rng.integers(len(ODD)))]
                break
        path.write_text(json.dumps(data))
        try:
            loaded = load_shipped(path)
        except KnitError as error:
            assert str(error)
            continue
        map_picture(loaded.project, loaded.map)


@pytest.mark.parametrize("name", ["Harbour pans", "North basin", "Store yard", "Loading quay"])
def test_cells_in_chunks_are_those_of_one_file_and_only_what_changed_is_other(demo, tmp_path, name):
    map_ = demo.map_named(name)
    tint = map_.new_tint_layer("Spots")
    tint.cells[1:3, 2:5] = 50 << 24 | 0x203040
    map_.layers.append(tint)
    ship(demo, [map_], tmp_path / "one", ["json"])
    parts = [ShipPart("json", {"chunk": 17})]
    ship(demo, [map_], tmp_path / "many", parts)
    stem = name.lower().replace(" ", "-")
    one, many = (load_shipped(tmp_path / each / f"{stem}.json") for each in ("one", "many"))
    for a, b in zip(one.map.layers, many.map.layers):
        assert (a.cells == b.cells).all()
    data = json.loads((tmp_path / "many" / f"{stem}.json").read_text())
    assert all(each["cells"] == [] for each in data["layers"])
    rows, cols = (-(-side // 17) for side in data["grid"][::-1])
    assert len(data["chunks"]) == rows * cols > 1
    assert {tmp_path / "many" / each["file"] for each in data["chunks"]} < set(many.files)
    schema = Draft202012Validator(json.loads(schema_texts()["cells.schema.json"]))
    for each in data["chunks"]:
        schema.validate(json.loads((tmp_path / "many" / each["file"]).read_text()))
    assert list(shipped_names(tmp_path / "many")) == [name]
    layer = next(each for each in map_.layers if each.kind == "tiles" and each.own_cell is None)
    row, col = np.argwhere(layer.cells)[0].tolist()
    layer.cells[row, col] = 0
    fresh = ship(demo, [map_], tmp_path / "many", parts).fresh
    assert len(fresh) == 1
    assert str(fresh[0]).endswith(".cells.json")


def test_chunks_that_do_not_fit_are_refused(demo, tmp_path):
    map_ = demo.map_named("North basin")
    ship(demo, [map_], tmp_path, [ShipPart("json", {"chunk": 30})])
    path, file = tmp_path / "north-basin.json", tmp_path / "north-basin-0-1.cells.json"
    good = json.loads(file.read_text())
    for change, said in (
        ({"map": "Another"}, "no part of"), ({"layers": good["layers"][:1]}, "no part of"),
        ({"version": 9}, "can play"),
    ):  # fmt: skip
        file.write_text(json.dumps(good | change))
        with pytest.raises(KnitError, match=said):
            load_shipped(path)
    short = json.loads((tmp_path / "north-basin-0-0.cells.json").read_text())
    for each in short["layers"]:
        each["cells"] = [line[:-1] for line in each["cells"]]
    (tmp_path / "north-basin-0-0.cells.json").write_text(json.dumps(short))
    file.write_text(json.dumps(good))
    with pytest.raises(KnitError, match="does not go on"):
        load_shipped(path)
    with pytest.raises(PlaceError, match="take larger chunks"):
        ship(demo, [Map("Long", 5000, 2, 16, 16)], tmp_path / "b", [ShipPart("json", {"chunk": 1})])
