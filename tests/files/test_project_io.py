import base64
import json
import shutil
import tracemalloc
import zlib
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from jsonschema import Draft202012Validator
from tests.maps import small_project, snapshot

from knitground.core.base.errors import Cancelled, Conflict, FormatError, KnitError, PlaceError
from knitground.core.base.filenames import file_names, file_stem
from knitground.core.edit.maps import put_mix
from knitground.core.files import vault
from knitground.core.files.cells import from_file, packed, to_file
from knitground.core.files.images import png_bytes, relief_name
from knitground.core.files.mapformats import PackedFile
from knitground.core.files.opening import open_project
from knitground.core.files.places import inside
from knitground.core.files.saving import save_project, settle_after_save
from knitground.core.files.schema import schema_texts
from knitground.core.knit.layer import knit_map
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.mix import Mix, MixEntry
from knitground.core.model.properties import Property
from knitground.core.model.recipe import NoiseStep, Recipe, RewriteStep
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import PLAIN, TileFacts


def write_small(folder, wrap=False, seed=0, size=(8, 10)):
    """Save a small project with a bit of everything; returns its project."""
    doc, map_, ground, tiles = small_project(size, wrap)
    rng = np.random.default_rng(seed)
    ground.terrain[:] = rng.integers(1, 4, ground.terrain.shape)
    if wrap:
        ground.terrain[-1], ground.terrain[:, -1] = ground.terrain[0], ground.terrain[:, 0]
    for _ in range(6):
        at = tuple(int(rng.integers(n)) for n in size)
        tile = TileRef("sheet", int(rng.integers(3)), int(rng.integers(4)), int(rng.integers(8)))
        tiles.cells[at] = map_.legend.place(tile)
        ground.pinned[at] = True
        ground.cells[at] = map_.legend.place(tile) if rng.random() < 0.7 else 0
    doc.project.tilesets[0].facts = {
        (0, 1): TileFacts(weight=2.5),
        (1, 1): TileFacts(weight=0.0),
    }
    doc.apply(put_mix(doc.project, Mix("m ä", (MixEntry(TileRef("sheet", 0, 1, 3), 0.5),))))
    map_.recipe = Recipe(7, (NoiseStep(ground.number, 9.5, 3, (("brine", 0.25),)),))
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "sheet.png").write_bytes(png_bytes(doc.project.tilesets[0].picture))
    settle_after_save(doc.project, save_project(doc.project, folder, overwrite=True))
    return doc.project


@given(st.integers(0, 2**20), st.booleans())
@settings(max_examples=15, deadline=None)
def test_what_is_saved_is_what_is_opened(tmp_path_factory, seed, wrap):
    folder = tmp_path_factory.mktemp("p")
    project = write_small(folder, wrap, seed)
    opened = open_project(folder)
    assert opened.warnings == []
    assert snapshot(opened.project) == snapshot(project)
    for before, after in zip(project.maps, opened.project.maps):
        knit_map(project, before)
        knit_map(opened.project, after)
        for one, two in zip(before.layers, after.layers):
            tiles = [
                [m.legend.tile(int(c)) for c in layer.cells.ravel()]
                for m, layer in ((before, one), (after, two))
            ]
            assert tiles[0] == tiles[1]
    assert (
        save_project(opened.project, folder).written == []
    )  # nothing to write: bytes are the same


def test_large_maps_are_packed_and_come_back(tmp_path):
    project = write_small(tmp_path, size=(300, 260))
    text = (tmp_path / "map.map.json").read_text()
    assert '"packed": "uint8"' in text
    assert snapshot(open_project(tmp_path).project) == snapshot(project)


def test_files_fit_their_published_schemas(tmp_path, demo_folder):
    write_small(tmp_path)
    schemas = {name: json.loads(text) for name, text in schema_texts().items()}
    for folder in (tmp_path, demo_folder):
        for ending, name in (
            (".knit.json", "project"),
            (".tiles.json", "tileset"),
            (".map.json", "map"),
        ):
            for path in folder.glob(f"*{ending}"):
                validator = Draft202012Validator(schemas[f"{name}.schema.json"])
                validator.validate(json.loads(path.read_text()))


def test_published_schemas_are_those_of_the_code():
    from pathlib import Path

    folder = Path(__file__).parents[2] / "docs" / "schema"
    for name, text in schema_texts().items():
        assert (folder / name).read_text() == text, "run tools/write_schemas.py"


def broken(text, change):
    data = json.loads(text)
    change(data)
    return json.dumps(data)


def put(*path, value):
    def change(data):
        for key in path[:-1]:
            data = data[key]
        data[path[-1]] = value

    return change


BOMB = base64.b64encode(zlib.compress(bytes(50_000_000))).decode()


@pytest.mark.parametrize(
    ("file", "change", "words"),
    [
        ("project.knit.json", None, "broken in line 1"),
        ("map.map.json", None, "broken in line 1"),
        ("project.knit.json", put("format", value="other/thing"), "its format is 'other/thing'"),
        ("map.map.json", put("version", value=7), "version 7 is newer than 6"),
        ("map.map.json", put("width", value=0), "width is 0"),
        ("map.map.json", put("width", value=11), "11 × 9 numbers stand where 12 × 9"),
        ("map.map.json", put("tile_width", value="wide"), "tile_width is 'wide'"),
        ("map.map.json", put("surprise", value=1), "surprise"),
        ("map.map.json", put("layers", 1, "cells", "rows", 0, 0, value=99), "99 is outside 0"),
        ("map.map.json", put("layers", 1, "cells", "rows", 0, 0, value=-1), "-1 is outside 0"),
        ("map.map.json", put("layers", 1, "cells", "rows", 0, 0, value=2**40), "32 bits"),
        ("map.map.json", put("layers", 0, "terrain", "rows", 0, 0, value=65), "65 is outside"),
        ("map.map.json", put("layers", 0, "pins", "pins", value=[[99, 0, 0]]), r"pin \[99, 0, 0\]"),
        ("map.map.json", put("layers", 0, "number", value=2), "the same number"),
        (
            "map.map.json",
            put("layers", 1, "cells", value={"packed": "int32", "block_rows": 8, "blocks": [BOMB]}),
            "more than 320 bytes",
        ),
        (
            "map.map.json",
            put(
                "layers", 1, "cells", value={"packed": "int32", "block_rows": 8, "blocks": ["%%%"]}
            ),
            "is broken",
        ),
        (
            "map.map.json",
            put("layers", 1, "cells", value={"packed": "int32", "block_rows": 3, "blocks": []}),
            "0 blocks of 3 rows",
        ),
        ("project.knit.json", put("maps", 0, value="../map.map.json"), "leads out"),
        ("project.knit.json", put("maps", 0, value="/etc/passwd"), "leads out"),
        ("project.knit.json", put("tilesets", 0, value="none.tiles.json"), "can not be read"),
        ("project.knit.json", put("maps", value=["map.map.json"] * 2), "two maps are called"),
        ("sheet.tiles.json", put("sheet", value="..\\sheet.png"), "leads out"),
        ("sheet.tiles.json", put("slicing", "tile_width", value=0), "tile_width is 0"),
        ("sheet.tiles.json", put("slicing", "margin_x", value=-3), "margin_x is -3"),
        ("sheet.tiles.json", put("slicing", "tile_width", value=999), "does not fit"),
        ("sheet.tiles.json", put("sets", 0, "terrains", value=[]), "marks a tile with terrain"),
    ],
)
def test_bad_files_are_refused_with_value_and_place(tmp_path, file, change, words):
    write_small(tmp_path)
    path = tmp_path / file
    path.write_text("{" if change is None else broken(path.read_text(), change))
    with pytest.raises(KnitError, match=words) as caught:
        open_project(tmp_path)
    assert "\n" not in str(caught.value)


def test_not_text_and_not_there(tmp_path):
    (tmp_path / "project.knit.json").write_bytes(b"\xff\xfe\x00")
    with pytest.raises(FormatError, match="not UTF-8"):
        open_project(tmp_path)
    with pytest.raises(PlaceError, match="no project"):
        open_project(tmp_path / "nowhere")


@pytest.mark.parametrize(
    ("head", "words"),
    [(b"\0", "line 1, column 1"), ("日本".encode(), "line 1, column 1"), (b" \xff", "not UTF-8")],
)
def test_what_does_not_begin_as_json_is_refused_without_unpacking_it(tmp_path, head, words):
    (tmp_path / "project.knit.json").write_bytes(head * (20_000_000 // len(head)))
    tracemalloc.start()
    with pytest.raises(FormatError, match=words):
        open_project(tmp_path)
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert peak < 30_000_000, "what was read, and not that again as text"


def test_a_link_out_of_the_folder_is_refused(tmp_path):
    write_small(tmp_path / "in")
    (tmp_path / "in" / "map.map.json").rename(tmp_path / "map.map.json")
    (tmp_path / "in" / "map.map.json").symlink_to(tmp_path / "map.map.json")
    with pytest.raises(PlaceError, match="link out"):
        open_project(tmp_path / "in")


def older(path, change):
    data = json.loads(path.read_text())
    change(data)
    path.write_text(json.dumps(data))


def older_map(data):
    data["version"] = 1
    data["recipe"]["steps"] = [s for s in data["recipe"]["steps"] if s["step"] != "rewrite"]
    for layer in data["layers"]:
        for marker in layer.get("markers", []):
            marker["properties"] = [[p["name"], p["value"]] for p in marker["properties"]]


def older_tileset(data):
    data["version"] = 1
    lists = {"weight": "weights", "name": "labels", "tags": "tags", "frames": "frames"}
    for fact in data.pop("facts"):
        at = {key: fact[key] for key in ("row", "col")}
        if fact.get("left_out"):
            data.setdefault("left_out", []).append(list(at.values()))
        if fact.get("inner"):
            data.setdefault("inner", []).append(list(at.values()))
        if fact.get("anchor"):
            x, y = fact["anchor"]
            data.setdefault("anchors", []).append(at | {"x": x, "y": y})
        for key, name in lists.items():
            if fact.get(key) not in (None, "", [], 1.0):
                word = "label" if key == "name" else key
                data.setdefault(name, []).append(at | {word: fact[key]})
    data.pop("defaults", None)
    for each in data["sets"]:
        each.pop("rules", None)


def test_files_of_older_versions_are_read_with_all_that_they_hold(tmp_path, demo_folder):
    folder = shutil.copytree(demo_folder, tmp_path / "old")
    for path in folder.glob("*.map.json"):
        older(path, older_map)
    for path in folder.glob("*.tiles.json"):
        older(path, older_tileset)
    older(folder / "project.knit.json",
          lambda data: data.update(version=1) or data.pop("rule_lists")
          or data.pop("shape_kinds"))  # fmt: skip
    wanted = open_project(demo_folder).project
    wanted.rule_lists = []
    for tileset in wanted.tilesets:
        for each in tileset.sets:
            each.rules = type(each.rules)()
        plain = {at: replace(fact, properties=(), shapes=()) for at, fact in tileset.facts.items()}
        tileset.facts = {at: fact for at, fact in plain.items() if fact != PLAIN}
    for map_ in wanted.maps:
        steps = tuple(s for s in map_.recipe.steps if not isinstance(s, RewriteStep))
        map_.recipe = replace(map_.recipe, steps=steps)
        for layer in map_.layers:
            if isinstance(layer, MarkerLayer):
                layer.markers = tuple(
                    replace(m, properties=tuple(Property(p.name, p.value) for p in m.properties))
                    for m in layer.markers
                )
    assert any(m.properties for m in wanted.maps[0].layers[5].markers)
    again = open_project(folder).project
    assert snapshot(again) == snapshot(wanted)


@pytest.mark.parametrize("pairs", [7, [["", "x"]], [["a"]], [3], [["a", "b", "c"]], [None]])
def test_odd_pairs_of_an_old_marker_are_kept_or_refused(tmp_path, demo_folder, pairs):
    folder = shutil.copytree(demo_folder, tmp_path / "old")

    def change(data):
        older_map(data)
        markers = next(each["markers"] for each in data["layers"] if each.get("markers"))
        markers[0]["properties"] = pairs

    older(folder / "harbour-pans.map.json", change)
    if pairs == [["", "x"]]:
        found = open_project(folder).project.maps[0].layers[5].markers[0]
        assert found.properties == (Property("property", "x"),)
    else:
        with pytest.raises(FormatError, match=r"markers.0.properties"):
            open_project(folder)


def test_a_sheet_that_is_gone_loses_nothing(tmp_path):
    project = write_small(tmp_path)
    (tmp_path / "sheet.png").unlink()
    opened = open_project(tmp_path)
    assert "sheet.png" in opened.warnings[0]
    assert opened.project.tilesets[0].picture is None
    assert save_project(opened.project, tmp_path).written == []
    project.tilesets[0].picture = None
    assert snapshot(opened.project) == snapshot(project)


def test_a_sheet_of_another_size_is_told(tmp_path):
    project = write_small(tmp_path)
    picture = np.zeros((100, 64, 4), np.uint8)
    (tmp_path / "sheet.png").write_bytes(png_bytes(picture))
    opened = open_project(tmp_path)
    assert "64 × 100 px now" in opened.warnings[0]
    assert opened.project.tilesets[0].height == 100
    assert project.tilesets[0].height != 100


def test_a_full_disk_leaves_the_old_files(tmp_path, monkeypatch):
    project = write_small(tmp_path)
    before = {path.name: path.read_bytes() for path in tmp_path.iterdir()}
    project.maps[0].name = "Another"
    project.tilesets[0].name = "renamed"
    calls = []

    def full(path, data, durable=True):
        calls.append(path)
        if len(calls) == 2:
            raise OSError(28, "No space left on device", str(path))
        return real(path, data, durable)

    real = vault.write
    monkeypatch.setattr(vault, "write", full)
    with pytest.raises(PlaceError, match="No space left"):
        save_project(project, tmp_path)
    assert {path.name: path.read_bytes() for path in tmp_path.iterdir()} == before


def test_a_folder_that_can_not_be_made_is_told(tmp_path):
    project = write_small(tmp_path / "p")
    (tmp_path / "file").write_text("x")
    with pytest.raises(PlaceError, match="can not be written"):
        save_project(project, tmp_path / "file" / "below")


def test_the_last_good_copy_is_kept(tmp_path):
    project = write_small(tmp_path)
    before = (tmp_path / "map.map.json").read_bytes()
    project.maps[0].wrap = True
    save_project(project, tmp_path)
    assert (tmp_path / "map.map.json.previous").read_bytes() == before
    assert (tmp_path / "map.map.json").read_bytes() != before


def test_a_relief_of_a_project_that_is_saved_over_is_not_taken_for_ones_own(demo, tmp_path):
    """Found by the wanderer: the sheets are the same, and one project's have no relief."""
    owner = next(each for each in demo.tilesets if each.relief is not None)
    save_project(demo, tmp_path)
    there = tmp_path / relief_name(owner.sheet)
    assert there.exists()
    other = open_project(tmp_path).project
    for each in other.tilesets:
        each.relief = each.relief_data = None
    other.folder, other.known = tmp_path / "elsewhere", {}
    with pytest.raises(Conflict):
        save_project(other, tmp_path)
    assert there.exists(), "nothing is taken away unasked"
    settle_after_save(other, save_project(other, tmp_path, overwrite=True))
    assert not there.exists()
    assert Path(f"{there}.previous").exists()
    assert all(each.relief is None for each in open_project(tmp_path).project.tilesets)
    there.write_bytes(png_bytes(owner.relief))  # laid beside the sheet by hand: it is taken
    other.mixes.clear()
    save_project(other, tmp_path, overwrite=True)
    assert there.exists()


def test_save_in_another_folder_takes_the_sheets_along(tmp_path):
    project = write_small(tmp_path / "one")
    settle_after_save(project, save_project(project, tmp_path / "two"))
    shutil.rmtree(tmp_path / "one")
    assert snapshot(open_project(tmp_path / "two").project) == snapshot(project)


def test_cancelled_saving_writes_nothing(tmp_path):
    project = write_small(tmp_path / "one")

    def cancel(_part):
        raise Cancelled("stop")

    with pytest.raises(Cancelled):
        save_project(project, tmp_path / "two", cancel)
    assert not (tmp_path / "two").exists()


@pytest.mark.parametrize("dtype", [np.uint8, np.int32])
def test_packed_and_plain_cells_are_the_same(dtype):
    cells = np.random.default_rng(1).integers(0, 9, (30, 40)).astype(dtype)
    for file in (to_file(cells), packed(cells)):
        assert (from_file(file, 30, 40, 0, 9, "cells") == cells).all()


def test_file_names_are_plain_and_never_the_same():
    assert file_stem("Über die Brücke!") == "uber-die-brucke"
    names = [
        "A b",
        "a-b",
        "A  B",
        "€",
        "東京",
        "大阪",
        "Ä",
        "A\u0308",
        "x" * 400,
        "con",
        "..",
        "x" * 401,
    ]
    made = file_names(names, ".map.json")
    assert len({each.casefold() for each in made}) == len(names)
    assert made[4:6] == ["東京.map.json", "大阪.map.json"]
    assert all("/" not in each and len(each.encode()) < 200 and each[0] != "." for each in made)
    assert sorted(file_names(names[::-1], ".map.json")) == sorted(made)


@pytest.mark.parametrize("name", ["", "..", "a/../../b", "/a", "a\\b", "a\0b"])
def test_hostile_names_are_refused(tmp_path, name):
    with pytest.raises(PlaceError):
        inside(tmp_path, name)


@pytest.mark.parametrize("size", [(2, 1), (40_000, 1), (70_000, 2)])
def test_narrow_maps_on_which_terrain_was_painted_are_packed_too(size):
    cells = (np.arange(size[0] * size[1]).reshape(size) % 2).astype(np.uint8)
    file = packed(cells)
    again = PackedFile.model_validate(file.model_dump())
    assert (from_file(again, *size, 0, 1, "painted") == cells).all()
