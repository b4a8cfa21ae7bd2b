"""Each format is read back by something that we did not write, and compared with the map."""

import csv
import io
import json
import zipfile
from xml.etree import ElementTree

import networkx
import numpy as np
import pytest
from examples.pillow_reader import drawn
from hypothesis import given
from hypothesis import strategies as st
from jsonschema import Draft202012Validator
from PIL import Image, ImageChops
from tests.core.test_diamond import yard
from tests.core.test_staggered import shifted_yard
from tests.maps import small_project

from knitground.core.base.errors import EditError, PlaceError
from knitground.core.edit.document import Document
from knitground.core.edit.maps import rename_map
from knitground.core.edit.profiles import put_profile, remove_profile
from knitground.core.edit.shapes import add_shape
from knitground.core.files.jsontext import rows_text, to_text
from knitground.core.files.made import MADE
from knitground.core.files.opening import open_project
from knitground.core.files.saving import save_project
from knitground.core.files.schema import schema_texts
from knitground.core.files.ship import png
from knitground.core.files.ship.kinds import Kept
from knitground.core.files.ship.loading import load_shipped
from knitground.core.files.ship.packing import Cut, packed
from knitground.core.files.ship.png import map_picture
from knitground.core.files.ship.ship import FORMATS, check, maps_of, profile_folder, ship
from knitground.core.files.ship.ways import borders, rectangles
from knitground.core.model.lattice import Stagger
from knitground.core.model.map import Map
from knitground.core.model.marker import Marker, Shape
from knitground.core.model.profile import Profile, ShipPart
from knitground.core.model.properties import Property
from knitground.core.model.shapes import ShapeForm, TileShape
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Frame, TileFacts


def part(key, **options):
    return [ShipPart(key, options)]


def picture(path):
    with Image.open(path) as found:
        return np.asarray(found.convert("RGBA"))


# PNG


def test_chunks_put_together_are_the_map_and_enlarged_ones_stay_sharp(demo, tmp_path):
    map_ = demo.map_named("North basin")
    whole = ship(demo, [map_], tmp_path / "a", part("png"))
    shipped = ship(demo, [map_], tmp_path / "b", part("png", chunk=20, scale="2"))
    assert len(shipped.files) == 9
    rows = []
    for row in range(3):
        cols = [picture(tmp_path / "b" / f"north-basin-{row}-{col}.png") for col in range(3)]
        rows.append(np.concatenate(cols, axis=1))
    put = np.concatenate(rows)
    assert (put[::2, ::2] == picture(whole.files[0])).all()
    assert (put[::2] == put[1::2]).all()


@pytest.mark.parametrize("make", [yard, lambda: shifted_yard(Stagger(7, 5))])
def test_chunks_of_diamonds_put_together_are_the_map(make, tmp_path):
    doc, map_ = make()
    doc.ensure_all(map_)
    whole = map_picture(doc.project, map_)
    ship(doc.project, [map_], tmp_path, part("png", chunk=2), knit=doc.ensure_all)
    put = np.zeros_like(whole)
    step = 2 * map_.cell_height, 2 * map_.cell_width
    for path in tmp_path.glob("*.png"):
        row, col = (int(each) for each in path.stem.split("-")[-2:])
        found = picture(path)
        y, x = row * step[0], col * step[1]
        put[y : y + found.shape[0], x : x + found.shape[1]] = found
    assert (put == whole).all()


def test_each_layer_alone_and_see_through(demo, tmp_path):
    map_ = demo.map_named("Harbour pans")
    map_.background = "#204060"
    map_.layers[3].visible = False
    ship(demo, [map_], tmp_path, part("png", of="layers", background=False))
    names = {path.name for path in tmp_path.glob("*.png")}
    assert "harbour-pans-causeway.png" in names
    assert "harbour-pans-dykes.png" not in names, "hidden ones are not shipped"
    alone = picture(tmp_path / "harbour-pans-causeway.png")
    assert (alone[..., 3] == 0).mean() > 0.5


def test_names_follow_the_pattern_and_wrong_ones_are_refused(demo, tmp_path):
    map_ = [demo.map_named("North basin")]
    ship(demo, map_, tmp_path, part("png", chunk=24, names="y{row}x{col} of {map}.png"))
    assert (tmp_path / "y1x0 of north-basin.png").is_file()
    wrong = {
        "{map}": "makes north-basin.png twice", "fixed": "has to hold",
        "{map}{nonsense}": "stand in braces", "{map.__class__}": "stand in braces",
        "../{map}": "names of files", ".{map}": "names of files",
    }  # fmt: skip
    for names, said in wrong.items():
        with pytest.raises(PlaceError, match=said):
            ship(demo, map_, tmp_path / "no", part("png", chunk=24, names=names))
    for key, options, said in (("png", {"chunk": -1}, "chunk is “-1”"),
                               ("png", {"scale": "7"}, "scale is “7”"),
                               ("csv", {"x": 1}, "no option “x”"),
                               ("png", {"chunk": "many"}, "chunk is “many”")):  # fmt: skip
        with pytest.raises(PlaceError, match=said):
            ship(demo, map_, tmp_path / "no", part(key, **options))
    assert not (tmp_path / "no").exists()


# CSV, OpenRaster, moving pictures


def test_csv_and_its_legend_tell_every_tile(demo, tmp_path):
    map_ = demo.map_named("North basin")
    ship(demo, [map_], tmp_path, part("csv"))
    with (tmp_path / "north-basin.legend.csv").open(encoding="utf-8") as file:
        legend = {int(each["number"]): each for each in csv.DictReader(file)}
    layer = map_.layers[0]
    with (tmp_path / "north-basin-basin.csv").open(encoding="utf-8") as file:
        rows = [[int(each) for each in line] for line in csv.reader(file)]
    assert np.array(rows).shape == (map_.height, map_.width)
    for row, col in [(0, 0), (11, 30), (47, 47)]:
        tile = map_.legend.tile(int(layer.cells[row, col]))
        said = legend[rows[row][col]]
        assert (said["tileset"], int(said["row"]), int(said["column"])) == (
            tile.tileset, tile.row, tile.col)  # fmt: skip


def test_an_open_raster_is_what_pillow_makes_of_its_layers(demo, tmp_path):
    map_ = demo.map_named("Harbour pans")
    map_.background = "#204060"
    map_.layers[1].opacity = 0.5
    map_.layers[3].visible = False
    [path] = ship(demo, [map_], tmp_path, part("ora")).files
    with zipfile.ZipFile(path) as file:
        first = file.infolist()[0]
        assert (first.filename, first.compress_type) == ("mimetype", zipfile.ZIP_STORED)
        assert file.read("mimetype") == b"image/openraster"
        stack = ElementTree.fromstring(file.read("stack.xml"))
        layers = list(stack.find("stack"))
        assert [each.get("name") for each in layers[:-1]] == [
            each.name for each in reversed(map_.layers)]  # fmt: skip
        out = Image.new("RGBA", (int(stack.get("w")), int(stack.get("h"))))
        for each in reversed(layers):
            if each.get("visibility") == "hidden":
                continue
            top = Image.open(io.BytesIO(file.read(each.get("src")))).convert("RGBA")
            if each.get("composite-op") == "svg:multiply":
                product = ImageChops.multiply(out.convert("RGB"), top.convert("RGB"))
                product.putalpha(out.getchannel("A"))
                out = product
                continue
            strength = float(each.get("opacity") or 1)
            top.putalpha(top.getchannel("A").point(lambda a, s=strength: round(a * s)))
            out = Image.alpha_composite(out, top)
        merged = np.asarray(Image.open(io.BytesIO(file.read("mergedimage.png"))).convert("RGBA"))
        assert max(Image.open(io.BytesIO(file.read("Thumbnails/thumbnail.png"))).size) <= 256
    off = np.abs(np.asarray(out).astype(int) - merged.astype(int))
    assert off.max() <= 3
    assert off.mean() < 0.5


def test_moving_pictures_show_every_frame_for_its_time(tmp_path):
    doc, map_, _, tiles = small_project()
    owner = doc.project.tilesets[0]
    frames = (Frame(0, 0, 100), Frame(0, 1, 300))
    owner.facts[0, 0] = TileFacts(frames=frames)
    tiles.cells[2, 2] = map_.legend.place(TileRef("sheet", 0, 0))
    map_.layers = [tiles]
    paths = {}
    for form in ("gif", "apng"):
        [paths[form]] = ship(doc.project, [map_], tmp_path / form, part("motion", form=form)).files
        with Image.open(paths[form]) as found:
            assert found.n_frames == 2
            lasts = []
            for n in range(2):
                found.seek(n)
                lasts.append(round(found.info["duration"]))
            assert lasts == [100, 300]
    with Image.open(paths["apng"]) as found:
        found.seek(1)
        shown = np.asarray(found.convert("RGBA"))[16:24, 16:24]
    assert (shown == owner.picture[:8, 8:16]).all()
    [of_area] = ship(doc.project, [map_], tmp_path / "area",
                     part("motion", form="apng", area="2, 2, 3, 2", scale="2")).files  # fmt: skip
    with Image.open(of_area) as found:
        assert found.size == (48, 32)
        found.seek(1)
        corner = np.asarray(found.convert("RGBA"))[:16, :16]
    assert (corner == owner.picture[:8, 8:16].repeat(2, 0).repeat(2, 1)).all()


# Ways and markers


def test_ways_are_what_a_flood_finds(demo, tmp_path):
    map_ = demo.map_named("Harbour pans")
    owner = demo.tileset_named("pans")
    whole = TileShape("solid", ShapeForm.BOX, ((0, 0), (16, 16)))
    doc = Document(demo)
    doc.apply(add_shape(owner, [(0, n) for n in range(4)], whole))
    owner.facts[0, 4] = TileFacts(properties=(Property("cost", "3", "number"),))
    places = next(each for each in map_.layers if hasattr(each, "markers"))
    doc.ensure_all(map_)
    water = {map_.legend.place(TileRef("pans", 0, n)) for n in range(4)}
    bare = ~np.isin(map_.layers[0].cells, list(water))
    for layer in map_.layers[1:]:
        if layer.holds_tiles:
            bare &= layer.cells <= 0  # nothing stands there
    spot = np.argwhere(bare)[40].tolist()
    door = Marker(70, Shape.POINT, (map_.lattice.middle(*spot),), "gate", "door",
                  (Property("map", "North basin"),))  # fmt: skip
    places.markers += (door,)
    ship(demo, [map_], tmp_path, part("ways"), knit=doc.ensure_all)
    graph = networkx.read_graphml(tmp_path / "harbour-pans.ways.graphml")
    data = json.loads((tmp_path / "harbour-pans.ways.json").read_text())
    assert graph.number_of_nodes() == len(data["places"])
    free = np.zeros((map_.height, map_.width), bool)
    for each in data["places"]:
        area = np.s_[each["row"] : each["row"] + each["rows"],
                     each["column"] : each["column"] + each["columns"]]  # fmt: skip
        assert not free[area].any(), "no cell is in two places"
        free[area] = True
    from scipy.ndimage import label

    _, count = label(free)
    assert networkx.number_connected_components(graph) == count
    water = {map_.legend.place(TileRef("pans", 0, n)) for n in range(4)}
    assert not free[np.isin(map_.layers[0].cells, list(water))].any()
    sizes = sum(each["rows"] * each["columns"] for each in data["places"])
    assert sizes == free.sum() > len(data["places"])
    [told] = data["doors"]
    assert (told["name"], told["map"]) == ("gate", "North basin")
    place = data["places"][told["place"]]
    assert place["row"] <= spot[0] < place["row"] + place["rows"]
    assert place["column"] <= spot[1] < place["column"] + place["columns"]


def test_rectangles_hold_each_cell_once_and_only_cells_of_one_cost():
    rng = np.random.default_rng(3)
    costs = rng.integers(0, 3, (20, 24)).astype(float)
    for merged in (True, False):
        found = np.zeros_like(costs)
        for each in rectangles(costs, merged=merged):
            area = np.s_[each.row : each.row + each.rows, each.column : each.column + each.columns]
            assert (costs[area] == each.cost).all()
            assert not found[area].any()
            found[area] = each.cost
        assert (found == costs).all()


def test_ways_go_round_a_map_that_wraps_and_along_the_sides_of_staggered_cells():
    _, map_, *_ = small_project(wrap=True)
    costs = np.zeros((map_.height, map_.width))
    costs[3, 0] = costs[3, -1] = 1
    places = rectangles(costs, merged=False)
    assert borders(map_, places, costs.shape) == [(0, 1, 1)]
    _, slanted = shifted_yard(Stagger(9, 7))
    high, wide = slanted.lattice.counted
    every = rectangles(np.ones((high, wide)), merged=False)
    found = borders(slanted, every, (high, wide))
    inner = [n for n, each in enumerate(every)
             if 1 < each.row < high - 2 and 1 < each.column < wide - 2]  # fmt: skip
    for n in inner:
        assert sum(n in pair[:2] for pair in found) == 4


def test_what_is_shipped_fits_its_schemas(demo, tmp_path):
    map_ = demo.map_named("Harbour pans")
    ship(demo, [map_], tmp_path, ["ways", "markers"])
    for kind in ("ways", "markers"):
        data = json.loads((tmp_path / f"harbour-pans.{kind}.json").read_text())
        schema = json.loads(schema_texts()[f"{kind}.schema.json"])
        Draft202012Validator(schema).validate(data)


def test_markers_alone(demo, tmp_path):
    map_ = demo.map_named("Harbour pans")
    ship(demo, [map_], tmp_path, part("markers", kind="spawn point"))
    data = json.loads((tmp_path / "harbour-pans.markers.json").read_text())
    assert [each["kind"] for each in data["markers"]] == ["spawn point"]
    assert data["markers"][0]["name"] == "Landing"


@pytest.mark.parametrize("key", list(FORMATS))
def test_two_runs_give_the_same_bytes_and_nothing_is_written_twice(demo, tmp_path, key):
    map_ = [demo.map_named("Loading quay")]
    first = ship(demo, map_, tmp_path / "a", part(key))
    assert set(first.fresh) == {path.name for path in first.files}
    ship(demo, map_, tmp_path / "b", part(key))
    for path in first.files:
        assert path.read_bytes() == (tmp_path / "b" / path.name).read_bytes()
    before = {path.name: path.stat().st_mtime_ns for path in (tmp_path / "a").iterdir()}
    again = ship(demo, map_, tmp_path / "a", part(key))
    assert again.fresh == ()
    assert {p.name: p.stat().st_mtime_ns for p in (tmp_path / "a").iterdir()} == before
    assert check(demo, map_, tmp_path / "a", part(key)).fresh == ()
    first.files[0].write_bytes(b"x")
    assert check(demo, map_, tmp_path / "a", part(key)).fresh == (first.files[0].name,)


# Profiles


def test_a_profile_knows_what_only_it_wrote_before(demo, tmp_path):
    map_ = [demo.map_named("Loading quay")]
    ship(demo, map_, tmp_path, part("csv"), profile="other")
    ship(demo, map_, tmp_path, ["csv", "svg", "markers"], profile="game")
    (tmp_path / "mine.txt").write_text("mine")
    later = ship(demo, map_, tmp_path, ["markers"], profile="game")
    assert later.left_over == ("loading-quay.shapes.svg",), "what another one writes too stays"
    assert (tmp_path / "loading-quay.shapes.svg").exists()
    found = check(demo, map_, tmp_path, ["markers"], profile="game")
    assert found.left_over == later.left_over
    dropped = ship(demo, map_, tmp_path, ["markers"], profile="game", drop=True)
    assert dropped.left_over == ()
    names = {path.name for path in tmp_path.iterdir()}
    assert "loading-quay.shapes.svg" not in names
    assert {"mine.txt", "loading-quay.legend.csv", MADE} <= names


def test_what_was_changed_since_is_never_taken_away(demo, tmp_path):
    map_ = [demo.map_named("Loading quay")]
    ship(demo, map_, tmp_path, ["svg", "markers"], profile="game")
    (tmp_path / "loading-quay.shapes.svg").write_text("mine now")
    ship(demo, map_, tmp_path, ["markers"], profile="game", drop=True)
    assert (tmp_path / "loading-quay.shapes.svg").read_text() == "mine now"


def test_profiles_are_kept_with_the_project_and_lead_nowhere_else(tmp_path):
    doc, map_, *_ = small_project()
    game = Profile("game", (map_.name,), tuple(part("png", scale="2", chunk=4)), "shipped/game")
    doc.apply(put_profile(doc.project, game))
    with pytest.raises(EditError, match="already"):
        put_profile(doc.project, game)
    for folder in ("../out", "/tmp/out", "", "a/../../b", "C:\\out"):
        with pytest.raises(EditError, match="not inside"):
            put_profile(doc.project, Profile("print", folder=folder))
    save_project(doc.project, tmp_path / "p")
    again = open_project(tmp_path / "p").project
    assert again.profiles == (game,)
    assert maps_of(again, game) == again.maps
    with pytest.raises(PlaceError, match="is not there"):
        maps_of(again, Profile("x", ("Nowhere",)))
    doc.apply(remove_profile(doc.project, "game"))
    assert doc.project.profiles == ()
    doc.undo()
    assert doc.project.profiles == (game,)


def test_a_profile_follows_a_map_that_is_renamed(demo):
    doc = Document(demo)
    print_ = next(each for each in demo.profiles if each.name == "print")
    doc.apply(rename_map(demo, demo.map_named("Harbour pans"), "Pans by the harbour"))
    [now] = [each for each in demo.profiles if each.name == "print"]
    assert now.maps == ("Pans by the harbour",)
    doc.undo()
    assert demo.profiles[1] == print_


def test_a_link_in_a_strangers_project_leads_no_shipment_out(tmp_path):
    home, outside = tmp_path / "p", tmp_path / "outside"
    home.mkdir()
    outside.mkdir()
    (home / "shipped").symlink_to(outside)
    for folder in ("shipped", "shipped/game", "../outside", "/tmp"):
        with pytest.raises(PlaceError):
            profile_folder(home, Profile("game", folder=folder))
    assert profile_folder(home, Profile("game", folder="a/b")) == home / "a" / "b"


def test_what_would_be_too_large_says_so_before_it_is_drawn(demo, tmp_path):
    huge = Map("Huge", 2000, 2000, 16, 16)
    huge.layers.append(huge.new_tile_layer("Tiles"))
    demo.maps.append(huge)
    for key, options in (("motion", {}), ("ora", {}), ("png", {"scale": "4"})):
        with pytest.raises(PlaceError, match=r"Huge|huge"):
            ship(demo, [huge], tmp_path, part(key, **options))
    assert not list(tmp_path.iterdir())


def test_rows_are_written_as_any_other_json_is():
    rng = np.random.default_rng(2)
    for shape in ((3, 4), (1, 1), (0, 0)):
        rows = rng.integers(-5, 999, shape)
        want = to_text({"a": [{"rows": rows.tolist(), "b": 1}]})
        assert to_text({"a": [{"rows": rows_text(rows, 4), "b": 1}]}) == want


def test_what_is_kept_from_the_shipment_before_gives_the_same_files(demo, tmp_path):
    """Whatever was changed: what is made anew and what is kept are the same bytes together."""
    map_ = demo.map_named("Harbour pans")
    doc, kept, parts = Document(demo), Kept(), [ShipPart("png", {"chunk": 16}), ShipPart("json")]
    props, owner = map_.layers[2], demo.tileset_named("props")
    changes = [
        lambda: None,
        lambda: props.cells.__setitem__((5, 7), map_.legend.place(TileRef("props", 0, 4))),
        lambda: setattr(props, "opacity", 0.5),
        lambda: setattr(props, "offset", (3, -2)),
        lambda: setattr(owner, "picture", 255 - owner.picture),
        lambda: owner.facts.__setitem__((0, 4), TileFacts(anchor=(3, 9))),
        lambda: setattr(map_, "background", "#123456"),
        lambda: setattr(props, "visible", False),
        lambda: setattr(map_.layers[0], "terrain", np.roll(map_.layers[0].terrain, 1, 0)),
        lambda: setattr(map_.layers[5], "markers", ()),
        lambda: map_.layers[6].cells.__setitem__((slice(3, 9), slice(3, 9)), 0),
    ]
    for n, change in enumerate(changes):
        change()
        doc = Document(demo)
        ship(demo, [map_], tmp_path / "kept", parts, knit=doc.ensure_all, kept=kept)
        ship(demo, [map_], tmp_path / f"new {n}", parts, knit=doc.ensure_all)
        for path in (tmp_path / f"new {n}").iterdir():
            if path.name != MADE:
                assert path.read_bytes() == (tmp_path / "kept" / path.name).read_bytes(), (n, path)


@pytest.mark.parametrize("name", ["Harbour pans", "Store yard"])
def test_one_sheet_holds_what_is_shown_alone_and_draws_the_same(demo, tmp_path, name):
    map_ = demo.map_named(name)
    ship(demo, [map_], tmp_path / "a", ["json"])
    shipped = ship(demo, [map_], tmp_path / "b",
                   part("json", sheets="one", border=2, powers=True)).files  # fmt: skip
    stem = name.lower().replace(" ", "-")
    *faces, at, about = shipped
    assert [at.name, about.name] == [f"{stem}.atlas.png", f"{stem}.json"]
    assert [each.name for each in faces] == [f"{stem}.atlas-normal.png"] * (stem[0] == "h")
    one, other = (np.asarray(drawn(tmp_path / each / f"{stem}.json")) for each in "ab")
    assert (one == other).all()
    sheet, data = picture(at), json.loads(about.read_text())
    assert data["tilesets"][0]["size"] == list(sheet.shape[1::-1])
    assert all(picture(each).shape == sheet.shape for each in faces)
    assert all(side & (side - 1) == 0 for side in sheet.shape[:2])
    loaded = load_shipped(about)
    whole = map_picture(loaded.project, loaded.map).astype(int)
    assert np.abs(whole - map_picture(demo, map_).astype(int)).max() <= 2
    taken = np.zeros(sheet.shape[:2], bool)
    for x, y, wide, high in {(t["x"], t["y"], t["width"], t["height"]) for t in data["legend"]}:
        area = np.s_[y - 2 : y + high + 2, x - 2 : x + wide + 2]
        assert not taken[area].any(), "no two lie over one another, nor do their borders"
        taken[area] = True
        for row, inner in ((y - 1, y), (y + high, y + high - 1)):
            assert (sheet[row, x : x + wide] == sheet[inner, x : x + wide]).all()
        for col, inner in ((x - 1, x), (x + wide, x + wide - 1)):
            assert (sheet[y : y + high, col] == sheet[y : y + high, inner]).all()


def test_an_area_is_cut_out_of_the_whole(demo, tmp_path):
    map_ = [demo.map_named("North basin")]
    [whole] = ship(demo, map_, tmp_path / "a", part("png")).files
    [some] = ship(demo, map_, tmp_path / "b", part("png", area="10, 4, 20, 12")).files
    assert (picture(some) == picture(whole)[4 * 16 : 16 * 16, 10 * 16 : 30 * 16]).all()
    cut = ship(demo, map_, tmp_path / "c", part("png", area="40, 40, 99, 99", chunk=5)).files
    assert len(cut) == 4, "as far as there is a map"
    assert (picture(cut[0]) == picture(whole)[640:720, 640:720]).all()
    for words in ("1, 2, 3", "all", "500, 1, 2, 2", "1, 1, 0, 4"):
        with pytest.raises(PlaceError, match=r"png\.area"):
            ship(demo, map_, tmp_path / "d", part("png", area=words))


@pytest.mark.parametrize("options", [{}, {"scale": "2"}, {"scale": "1/2", "light": True},
                                     {"background": False}])  # fmt: skip
def test_a_large_picture_is_written_in_bands_with_the_same_pixels(
    demo, tmp_path, monkeypatch, options
):
    map_ = demo.map_named("Harbour pans")
    map_.background = "#203040"
    ship(demo, [map_], tmp_path / "whole", [ShipPart("png", options)])
    monkeypatch.setattr(png, "_MOST_AT_ONCE", 1)
    monkeypatch.setattr(png, "_BAND_PIXELS", 70_000)
    ship(demo, [map_], tmp_path / "bands", [ShipPart("png", options)])
    one, other = (Image.open(tmp_path / each / "harbour-pans.png") for each in ("whole", "bands"))
    assert one.mode == other.mode == "RGBA"
    assert (np.asarray(one) == np.asarray(other)).all()
    Image.open(tmp_path / "bands" / "harbour-pans.png").verify()


@given(st.lists(st.tuples(st.integers(1, 30), st.integers(1, 30)), max_size=25, unique=True),
       st.integers(0, 3), st.integers(0, 9), st.integers(0, 9), st.booleans())  # fmt: skip
def test_packed_tiles_keep_their_borders_spacing_and_margin(sizes, border, margin, spacing, powers):
    sheet = np.random.default_rng(2).integers(1, 255, (30, 30, 4), np.uint8)
    cuts = [Cut(0, 0, 0, wide, high) for wide, high in sizes]
    out, places = packed([sheet], cuts, border, margin=margin, spacing=spacing, powers=powers)
    assert len(places) == len(sizes)
    free = np.zeros(out.shape[:2], int)
    for cut, (x, y) in places.items():
        assert (
            out[y : y + cut.height, x : x + cut.width] == sheet[: cut.height, : cut.width]
        ).all()
        left, top = x - border, y - border
        right, bottom = x + cut.width + border, y + cut.height + border
        assert min(left, top) >= margin
        assert right <= out.shape[1] - margin
        assert bottom <= out.shape[0] - margin
        free[top : bottom + spacing, left : right + spacing] += 1
    assert free.max(initial=0) <= 1
    assert not powers or all(side & (side - 1) == 0 for side in out.shape[:2])
