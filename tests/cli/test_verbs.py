import json
import os
import shlex
import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from click.testing import CliRunner
from PIL import Image
from tests.core.test_areas import two_grids

from knitground.__main__ import THREADS
from knitground.cli.main import commands, run
from knitground.core.base.errors import KnitError
from knitground.core.base.window import Box
from knitground.core.edit.document import Document
from knitground.core.edit.laying import plan_terrain
from knitground.core.files.images import png_bytes
from knitground.core.files.opening import open_project
from knitground.core.files.saving import save_project
from knitground.core.knit.layer import knit_map
from knitground.core.model.marker import Marker, Shape
from knitground.core.model.mix import MixEntry
from knitground.core.model.rules import NeighbourRule, Result, RuleList
from knitground.core.model.tile import TileRef
from knitground.core.render.relief import By, made_relief


def call(*words):
    return CliRunner().invoke(commands, [str(word) for word in words], standalone_mode=False)


def failing(monkeypatch, capsys, *words):
    """Run as the program does; returns exit code and the one line on stderr."""
    monkeypatch.setattr(sys, "argv", ["knitground", *map(str, words)])
    code = run()
    return code, capsys.readouterr().err.strip()


@pytest.fixture
def project(demo_folder, tmp_path):
    return shutil.copytree(demo_folder, tmp_path / "demo")


@pytest.fixture
def sheet(tmp_path):
    pixels = np.random.default_rng(1).integers(0, 256, (30, 40, 4), np.uint8)
    path = tmp_path / "my sheet.png"
    path.write_bytes(png_bytes(pixels))
    return path, pixels


def test_cut_writes_each_tile(sheet, tmp_path):
    path, pixels = sheet
    words = (
        "cut",
        path,
        "--tile",
        "8x6",
        "--margin",
        "2,1",
        "--spacing",
        "1",
        "--to",
        tmp_path / "t",
    )
    result = call(*words, "--json")
    files = json.loads(result.output)
    assert len(files) == 4 * 4
    assert files[0].endswith("my-sheet-r000-c000.png")
    with Image.open(files[5]) as one:
        assert (np.array(one) == pixels[8:14, 11:19]).all()
    assert "4 × 4 = 16 tiles" in call(*words).output


def test_knit_reports_gaps_by_name_and_exits_with_one(project):
    clean = call("knit", project, "--map", "North basin", "--json")
    assert clean.return_value == 0
    value = json.loads(clean.output)
    assert value.pop("rules")
    assert value == {"cells": 2304, "gaps": 0, "bridged": 0, "missing": []}
    model = open_project(project).project
    model.maps[1].layers[0].terrain[7, 7] = 1
    model.maps[1].layers[0].terrain[7, 8] = 3
    save_project(model, project)
    found = call("knit", project, "--map", "North basin", "--json")
    data = json.loads(found.output)
    assert found.return_value == 1
    assert data["gaps"] == sum(each["cells"] for each in data["missing"]) > 0
    assert "missing on Basin" in call("knit", project, "--map", "North basin").output


def test_knit_can_bridge_and_save(project):
    model = open_project(project).project
    model.maps[1].layers[0].terrain[7, 7] = 1
    model.maps[1].layers[0].terrain[7, 8] = 3
    save_project(model, project)
    result = call("knit", project, "--map", "North basin", "--bridge", "--json")
    data = json.loads(result.output)
    assert result.exit_code == 0
    assert data["gaps"] == 0
    assert data["bridged"] > 0
    again = json.loads(call("knit", project, "--map", "North basin", "--json").output)
    assert again["gaps"] == again["bridged"] == 0


def test_grow_saves_and_tells_shares(project):
    before = (project / "north-basin.map.json").read_bytes()
    result = call("grow", project, "--map", "North basin", "--seed", "99", "--json")
    data = json.loads(result.output)
    assert data["seed"] == 99
    shares = {each["terrain"]: each for each in data["steps"][0]["shares"]}
    assert shares["brine"]["asked"] == 0.45
    assert abs(shares["brine"]["laid"] - 0.45) < 0.02
    after = (project / "north-basin.map.json").read_bytes()
    assert after != before
    call("grow", project, "--map", "North basin")
    assert (project / "north-basin.map.json").read_bytes() == after
    call("grow", project, "--map", "North basin", "--seed", "7")
    assert (project / "north-basin.map.json").read_bytes() == before


def test_grow_replaces_nothing_painted_unsaid(project):
    model = open_project(project).project
    map_ = model.maps[1]
    layer = map_.layers[0]
    doc = Document(model)
    value = 1 if (layer.terrain[6, 6:8] != 1).all() else 3
    box, every = Box(6, 6, 7, 8), np.ones((1, 2), bool)
    doc.apply(plan_terrain(doc, map_, layer, box, every, value, "Paint").edit)
    save_project(model, project)
    path = project / "north-basin.map.json"
    before = path.read_bytes()
    for more in ((), ("--count", "2", "--to", project.parent / "many")):
        error = call("grow", project, "--map", "North basin", *more).exception
        assert isinstance(error, KnitError)
        assert "cells since it was grown" in str(error)
        assert "--over round, --over own or --over instead" in str(error)
        assert path.read_bytes() == before
    assert call("grow", project, "--map", "North basin", "--over", "own").exit_code == 0
    grown = open_project(project).project.maps[1]
    assert (grown.layers[0].terrain == layer.terrain).all()
    assert grown.layers[1].name == f"{layer.name}, grown"
    path.write_bytes(before)
    assert call("grow", project, "--map", "North basin", "--over", "round").exit_code == 0
    grown = open_project(project).project.maps[1]
    assert (grown.layers[0].terrain[6, 6:8] == value).all()
    again = path.read_bytes()
    assert call("grow", project, "--map", "North basin").exit_code == 0, "it is kept by now"
    assert path.read_bytes() == again
    path.write_bytes(before)
    assert call("grow", project, "--map", "North basin", "--over", "instead").exit_code == 0
    assert not open_project(project).project.maps[1].layers[0].painted.any()


def test_ship_lists_its_files(project, tmp_path):
    result = call(
        "ship",
        project,
        "--map",
        "North basin",
        "--to",
        tmp_path / "out",
        "--json",
        "--format",
        "png",
        "--half",
    )
    files = json.loads(result.output)["files"]
    assert [name.rsplit("/", 1)[1] for name in files] == ["north-basin.png"]
    with Image.open(tmp_path / "out" / "north-basin.png") as picture:
        assert picture.size == (384, 384)


def test_a_profile_is_shipped_checked_and_what_is_left_over_dropped(project, tmp_path):
    words = ("ship", project, "--profile", "game", "--map", "Loading quay")
    assert call(*words, "--check").return_value == 1
    first = call(*words)
    assert first.return_value == 0
    there = project / "shipped" / "game"
    assert (there / "loading-quay.ways.graphml").is_file()
    assert "of" in first.output.splitlines()[-1]
    assert call(*words, "--check").return_value == 0
    assert "\n0 of " in call(*words).output
    fewer = call(*words, "--format", "json")
    assert "left over" in fewer.output
    assert call(*words, "--format", "json", "--drop").return_value == 0
    assert not (there / "loading-quay.ways.graphml").exists()
    larger = call("ship", project, "--map", "Loading quay", "--to", tmp_path / "x", "--format",
                  "png", "--with", "png.scale=3", "--json")  # fmt: skip
    assert json.loads(larger.output)["fresh"] == ["loading-quay.png"]


def test_watching_ships_again_when_the_project_is_saved(project, tmp_path):
    command = [sys.executable, "-m", "knitground", "ship", str(project), "--map", "Loading quay",
               "--to", str(tmp_path / "out"), "--format", "markers", "--watch"]  # fmt: skip
    with subprocess.Popen(
        command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
    ) as run:
        try:
            assert "watching" in run.stderr.readline()
            model = open_project(project).project
            map_ = model.map_named("Loading quay")
            layer = map_.new_marker_layer("Later")
            layer.markers = (Marker(1, Shape.POINT, ((9.0, 9.0),), "a late one"),)
            map_.layers.append(layer)
            save_project(model, project)
            for line in run.stdout:
                if line.startswith("1 of 1 written:"):
                    break
        finally:
            run.terminate()
    assert "a late one" in (tmp_path / "out" / "loading-quay.markers.json").read_text()


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("ship", "{p}", "--profile", "nonsense"), "there is no profile “nonsense”"),
        (("ship", "{p}", "--to", "{p}/out", "--with", "png.scale=9"), "png.scale is “9”"),
        (("ship", "{p}", "--to", "{p}/out", "--with", "scale"), "write it as png.scale=2"),
        (("ship", "{p}", "--to", "{p}/out", "--with", "csv.x=1"), "is not shipped"),
        (
            ("knit", "{p}", "--map", "Nowhere"),
            "there is no map “Nowhere”; the project has: “Harbour",
        ),
        (("knit", "/none", "--map", "x"), "there is no project at /none"),
        (("cut", "{p}/pans.png", "--tile", "0", "--to", "t"), "tile width 0 px"),
        (("cut", "{p}/pans.png", "--tile", "500", "--to", "t"), "does not fit"),
        (("cut", "{p}/pans.png", "--tile", "wide", "--to", "t"), "“wide” is not a number"),
        (("cut", "{p}/project.knit.json", "--tile", "8", "--to", "t"), "is not a picture"),
        (("cut", "{p}/pans.png", "--tile", "8", "--see-through", "pink", "--to", "t"), "#rrggbb"),
        (("ship", "{p}", "--to", "{p}/pans.png/below"), "can not be written"),
        (("nothing",), "No such command"),
        (("cut",), "Missing"),
    ],
)
def test_errors_are_one_line_with_value_and_exit_two(monkeypatch, capsys, project, words, said):
    filled = [word.replace("{p}", str(project)) for word in words]
    code, line = failing(monkeypatch, capsys, *filled)
    assert code == 2
    assert said in line
    assert line.startswith("knitground: ")
    assert "\n" not in line


def test_rules_tells_what_each_takes_and_knit_counts_them(project):
    done = call("rules", project / "pans.tiles.json", "--set", "Pans", "--json")
    found = json.loads(done.output)
    assert done.return_value == 0
    assert [each["name"] for each in found["rules"]] == ["Open brine", "Wide clay"]
    assert all(each["takes"] == 1 and each["cells"] > 50 for each in found["rules"])
    assert (found["had"], found["wanted"], len(found["untaken"])) == (45, 46, 1)
    knitted = json.loads(call("knit", project, "--map", "North basin", "--json").output)
    counts = {each["name"]: each["cells"] for each in knitted["rules"]}
    assert counts["Gate north–south"] == 3
    assert counts["Open brine"] > 50
    assert knitted["gaps"] == 0


def test_rules_exits_with_one_if_a_rule_never_fires(project):
    model = open_project(project).project
    kit = model.tilesets[2].sets[1]
    tile = MixEntry(TileRef("works", 0, 0))
    every = NeighbourRule(1, (), "All", Result(tiles=(tile,)))
    kit.rules = RuleList("", (every, NeighbourRule(2, (), "Hidden", Result(tiles=(tile,)))))
    save_project(model, project)
    done = call("rules", project / "works.tiles.json", "--set", "Dykes", "--json")
    hidden = json.loads(done.output)["rules"][1]
    assert done.return_value == 1
    assert hidden["never_fires"]
    assert hidden["hidden_by"] == [1]
    assert (
        "never fires, hidden by rule 1"
        in call("rules", project / "works.tiles.json", "--set", "Dykes").output
    )


def test_a_missing_sheet_is_told_on_stderr(project):
    (project / "props.png").unlink()
    result = call("knit", project, "--map", "Harbour pans", "--json")
    assert result.exit_code == 0
    assert "props.png" in result.stderr


def test_a_sheet_that_was_cut_short_is_named_when_it_is_to_be_shipped(
    project, tmp_path, monkeypatch, capsys
):
    sheet = project / "props.png"
    sheet.write_bytes(sheet.read_bytes()[:200])
    code, said = failing(monkeypatch, capsys, "ship", project, "--to", tmp_path / "out")
    assert code == 2
    assert "props.png, is missing or can not be read" in said.splitlines()[-1]
    assert not (tmp_path / "out").exists()


def test_the_program_itself_runs(project):
    command = [sys.executable, "-m", "knitground", "knit", str(project), "--map", "North basin"]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert done.returncode == 0
    assert "0 gaps" in done.stdout
    bad = subprocess.run(
        [*command[:3], "open", "--wrong"], capture_output=True, text=True, check=False
    )
    assert bad.returncode == 2
    assert "knitground: open takes" in bad.stderr


def test_small_products_are_not_shared_among_threads_unless_that_is_asked_for():
    """It must be said before NumPy comes in: each such product would wait for other threads."""
    words = "import os, sys, knitground.__main__ as m; print(os.environ[m.THREADS], *sys.modules)"
    env = {name: value for name, value in os.environ.items() if name != THREADS}
    for more, count in (({}, "1"), ({THREADS: "3"}, "3")):
        done = subprocess.run(
            [sys.executable, "-c", words], env=env | more, capture_output=True, check=True
        )
        said = done.stdout.decode().split()
        assert said[0] == count
        assert "numpy" not in said


def test_grids_prints_guesses_best_first(project, tmp_path):
    found = json.loads(call("grids", project / "pans.png", "--json").output)
    assert list(found[0]) == ["tile_width", "tile_height", "margin_x", "margin_y", "spacing_x",
                              "spacing_y", "columns", "rows", "score", "reasons"]  # fmt: skip
    assert list(found[0].values())[:8] == [16, 16, 4, 4, 2, 2, 12, 6]
    assert len(json.loads(call("grids", project / "pans.png", "--top", "2", "--json").output)) == 2
    assert "16 × 16, margin 4, spacing 2" in call("grids", project / "pans.png").output
    (tmp_path / "flat.png").write_bytes(png_bytes(np.full((61, 67, 4), 9, np.uint8)))
    assert json.loads(call("grids", tmp_path / "flat.png", "--json").output) == []
    assert "nothing regular" in call("grids", tmp_path / "flat.png").output
    (tmp_path / "both.png").write_bytes(png_bytes(two_grids()))
    both = json.loads(call("grids", tmp_path / "both.png", "--areas", "--json").output)
    assert [each["guess"]["tile_width"] for each in both["areas"]] == [24, 48]
    assert both["areas"][1]["area"] == [0, 105, 249, 128]
    assert "area 249 × 99 px from 0, 0" in call("grids", tmp_path / "both.png", "--areas").output


def test_cut_relays_a_sheet_with_its_slicing(sheet, tmp_path):
    path, pixels = sheet
    words = (
        "cut",
        path,
        "--tile",
        "8x6",
        "--margin",
        "2,1",
        "--spacing",
        "1",
        "--relay",
        "--columns",
        "3",
        "--new-margin",
        "2",
        "--new-spacing",
        "4",
        "--extrude",
        "2",
        "--to",
        tmp_path / "t",
    )
    files = json.loads(call(*words, "--json").output)
    assert [name.rsplit("/", 1)[1] for name in files] == ["my-sheet.png", "my-sheet.tiles.json"]
    slicing = json.loads((tmp_path / "t" / "my-sheet.tiles.json").read_text())["slicing"]
    assert (slicing["tile_width"], slicing["margin_x"], slicing["spacing_y"]) == (8, 2, 4)
    with Image.open(files[0]) as made:
        assert (np.array(made)[2:8, 2:10] == pixels[1:7, 2:10]).all()


# Terrain sets


def test_coverage_counts_names_what_is_missing_and_exits_with_one(project):
    result = call("coverage", project / "pans.tiles.json", "--set", "Pans", "--json")
    found = json.loads(result.output)
    assert result.return_value == 1
    assert (found["wanted"], found["had"]) == (46, 45)
    assert found["missing"][0]["terrains"] == ["crust", "blush"]
    assert len(found["doubled"]) == 10
    assert {"between": ["brine", "clay"], "by": ["brine", "crust", "clay"]} in found["bridges"]
    whole = call("coverage", project / "works.tiles.json", "--set", "Dykes")
    assert whole.return_value == 0
    assert "47 of 47" in whole.output


def test_marks_are_guessed_from_those_that_are_there_and_saved_if_asked(project):
    file = project / "pans.tiles.json"
    data = json.loads(file.read_text())
    every = data["sets"][0]["marks"]
    plain = [each for each in every if (each["row"], each["col"]) in
             {(0, 0), (0, 4), (0, 8), (1, 0)}]  # fmt: skip
    data["sets"][0]["marks"] = plain
    file.write_text(json.dumps(data))
    result = call("marks", file, "--set", "Pans", "--json")
    found = json.loads(result.output)
    assert len(found) == len(every) - 4
    assert set(found[0]["marks"]) == {"NW", "NE", "SW", "SE"}
    assert all(0 <= each["confidence"] <= 1 for each in found)
    assert json.loads(file.read_text())["sets"][0]["marks"] == plain
    assert call("marks", file, "--set", "Pans", "--save").return_value == 0
    again = open_project(project).project.tilesets[0].sets[0]
    true = {(each["row"], each["col"]): each["marks"] for each in every}
    right = [again.marks[at][:8].tolist() == marks for at, marks in true.items()]
    assert np.mean(right) > 0.97


def test_likely_sets_are_told_of_a_tileset_and_of_a_picture(project, tmp_path, monkeypatch, capsys):
    file = project / "works.tiles.json"
    data = json.loads(file.read_text())
    data["sets"] = []
    file.write_text(json.dumps(data))
    found = json.loads(call("sets", file, "--json").output)
    assert [each["kind"] for each in found] == ["ring", "edge"]
    assert len(found[0]["tiles"]) == len(set(found[0]["tiles"])) == len(found[0]["marks"]) == 47
    assert found[0]["score"] > 0.9
    assert set(found[1]["marks"][0]) <= {"N", "E", "S", "W"}
    said = call("sets", project / "pans.png").output  # the likeliest grid is taken
    assert "corner set · 4 terrains" in said
    cut = call("sets", project / "props.png", "--tile", "16x16")
    assert cut.return_value == 1
    assert "no likely set" in cut.output
    plain = tmp_path / "plain.png"
    Image.new("RGB", (40, 40), (9, 9, 9)).save(plain)
    code, line = failing(monkeypatch, capsys, "sets", plain)
    assert code == 2
    assert "no likely grid: give its tile size" in line
    code, line = failing(monkeypatch, capsys, "sets", plain, "--tile", "wide")
    assert code == 2
    assert "tile size “wide” is not a number" in line


def test_a_set_or_tileset_that_is_not_there_is_named(project, monkeypatch, capsys):
    code, line = failing(
        monkeypatch, capsys, "coverage", project / "pans.tiles.json", "--set", "No"
    )
    assert code == 2
    assert "there is no terrain set “No”; pans.tiles.json has: “Pans”" in line
    code, line = failing(monkeypatch, capsys, "marks", project / "x.tiles.json", "--set", "P")
    assert code == 2
    assert "there is no tileset" in line


def test_a_tileset_alone_is_covered_without_its_project(project, tmp_path):
    for name in ("works.tiles.json", "works.png"):
        shutil.copy(project / name, tmp_path / name)
    result = call("coverage", tmp_path / "works.tiles.json", "--set", "Causeways", "--json")
    assert json.loads(result.output)["had"] == 15


def test_marks_of_a_tileset_that_no_project_lists_leave_the_project_alone(demo_folder, tmp_path):
    import json
    import shutil

    from click.testing import CliRunner

    from knitground.cli.main import commands

    folder = shutil.copytree(demo_folder, tmp_path / "p")
    data = json.loads((folder / "pans.tiles.json").read_text())
    data["sets"][0]["marks"] = data["sets"][0]["marks"][:-6]
    (folder / "loose.tiles.json").write_text(json.dumps(data))
    before = {path.name: path.read_bytes() for path in folder.iterdir()}
    words = ["marks", str(folder / "loose.tiles.json"), "--set", "Pans", "--save", "--json"]
    result = CliRunner().invoke(commands, words, standalone_mode=False)
    assert result.exception is None
    after = {path.name: path.read_bytes() for path in folder.iterdir()}
    changed = {name for name in after if before.get(name) != after[name]}
    assert changed == {"loose.tiles.json", "loose.tiles.json.previous"}


def test_proof_tells_what_is_wrong_and_where_and_fails_with_it(project, monkeypatch, capsys):
    monkeypatch.setattr(sys, "argv", ["knitground", "proof", str(project), "--map", "Loading quay"])
    assert run() == 0
    assert capsys.readouterr().out.strip() == "0 findings"
    model = open_project(project).project
    map_ = model.map_named("Loading quay")
    map_.name = "HARBOUR PANS"
    save_project(model, project)
    monkeypatch.setattr(sys, "argv", ["knitground", "proof", str(project), "--only", "names"])
    assert run() == 1
    first, last = capsys.readouterr().out.strip().splitlines()
    assert first.startswith("Names alike · project: ")
    assert "“HARBOUR PANS”" in first
    assert last == "1 finding"
    code, error = failing(monkeypatch, capsys, "proof", project, "--only", "ghosts")
    assert code == 2
    assert "no check “ghosts”: give one of seams, cut" in error
    code, error = failing(monkeypatch, capsys, "proof", project, "--map", "Moon")
    assert (code, "Moon" in error) == (2, True)


def test_proof_is_read_by_machines(project):
    done = call("proof", project, "--only", "snags", "--json")
    facts = json.loads(done.output)
    assert done.return_value == 1
    assert {each["check"] for each in facts} == {"snags"}
    assert all(each["cells"] and each["tile"][0] == "props" for each in facts)
    row, col = facts[0]["cells"][0]
    lines = call("proof", project, "--only", "snags").output
    assert f"column {col}, row {row}" in lines, "both tell the same cell"
    some = ("--only", "snags", "--only", "marks")
    log = json.loads(call("proof", project, *some, "--sarif").output)
    [told] = log["runs"]
    ids = {rule["id"] for rule in told["tool"]["driver"]["rules"]}
    assert log["version"] == "2.1.0"
    assert len(told["results"]) == len(json.loads(call("proof", project, *some, "--json").output))
    for each in told["results"]:
        assert each["ruleId"] in ids
        assert each["message"]["text"]
        [place] = each["locations"]
        assert (project / place["physicalLocation"]["artifactLocation"]["uri"]).is_file()


def test_diff_tells_what_changed_and_draws_it(project, tmp_path, monkeypatch, capsys):
    other = shutil.copytree(project, tmp_path / "other")
    model = open_project(other).project
    map_ = model.maps[0]
    map_.layers[2].cells[4, 5:8] = map_.legend.place(TileRef("props", 0, 4))
    save_project(model, other)
    assert call("diff", project, project).return_value == 0
    done = call("diff", project, other, "--pictures", tmp_path / "drawn")
    assert done.return_value == 1
    assert "map “Harbour pans”: 3 cells of “Props” show something else" in done.output
    with Image.open(tmp_path / "drawn" / "harbour-pans.png") as picture:
        assert picture.width > picture.height
    [fact] = json.loads(call("diff", project, other, "--json").output)
    assert (fact["cells"], fact["count"]) == ([[4, 5], [4, 6], [4, 7]], 3)
    code, error = failing(monkeypatch, capsys, "diff", project)
    assert (code, "--revision" in error) == (2, True)
    code, error = failing(monkeypatch, capsys, "diff", project, "--revision", "HEAD")
    assert code == 2
    assert "git" in error


def test_relief_is_written_beside_the_sheet_and_over_nothing_unasked(project, monkeypatch, capsys):
    path = project / "pans.tiles.json"
    said = json.loads(call("relief", path, "--by", "brightness", "--strength", "1.5",
                           "--json").stdout)  # fmt: skip
    assert Path(said["file"]).name == "pans-normal.png"
    owner = open_project(project).project.tileset_named("pans")
    want = made_relief(owner.picture, owner.slicing, By.BRIGHTNESS, 1.5)
    assert (owner.relief == want).all()
    code, line = failing(monkeypatch, capsys, "relief", path)
    assert code == 2
    assert "--overwrite" in line
    assert failing(monkeypatch, capsys, "relief", path, "--overwrite")[0] == 0
    assert (open_project(project).project.tileset_named("pans").relief != want).any()
    (project / "pans.png").unlink()
    code, line = failing(monkeypatch, capsys, "relief", path, "--overwrite")
    assert code == 2
    assert "is missing" in line


# A project begun


def begun(tmp_path, demo_folder, *more):
    sheets = [str(next(demo_folder.rglob(name))) for name in ("pans.png", "works.png")]
    folder = tmp_path / "Wide flats"
    done = CliRunner().invoke(commands, ["new", str(folder), *sheets, *more])
    return folder, done


def test_a_project_is_begun_from_sheets_with_sets_and_a_grown_map(tmp_path, demo_folder):
    folder, done = begun(tmp_path, demo_folder, "--sets", "--map", "40x30", "--seed", "5", "--json")
    assert done.exit_code == 0, done.output
    facts = json.loads(done.output)
    pans, works = facts["sheets"]
    assert (pans["tile"], pans["margin"], pans["spacing"]) == ([16, 16], [4, 4], [2, 2])
    assert {each["kind"] for each in (*pans["sets"], *works["sets"])} == {"corner", "ring", "edge"}
    (map_,) = facts["maps"]
    assert (map_["size"], map_["seed"], map_["form"]) == ([40, 30], 5, "square")
    assert map_["steps"] > 0
    project = open_project(folder).project
    assert project.name == "Wide flats"
    knit_map(project, project.maps[0])
    assert (project.maps[0].layers[0].cells > 0).all()
    told = CliRunner().invoke(commands, ["list", str(folder)])
    assert told.exit_code == 0
    assert "map Map: 40 × 30 cells, a recipe of" in told.output
    assert json.loads(CliRunner().invoke(commands, ["list", str(folder), "--json"]).output) == facts


def test_a_grid_can_be_said_and_a_project_that_is_there_is_left_alone(tmp_path, demo_folder):
    folder, done = begun(
        tmp_path, demo_folder, "--tile", "18x18", "--margin", "3", "--spacing", "1,2"
    )
    assert done.exit_code == 0
    cut = open_project(folder).project.tilesets[0].slicing
    assert (cut.tile_width, cut.margin_x, cut.spacing_x, cut.spacing_y) == (18, 3, 1, 2)
    before = {each.name: each.read_bytes() for each in folder.iterdir()}
    _, again = begun(tmp_path, demo_folder)
    assert again.exit_code != 0
    assert "holds a project already" in str(again.exception)
    assert {each.name: each.read_bytes() for each in folder.iterdir()} == before


@pytest.mark.parametrize(("more", "words"), [
    (["--map", "0x5"], "0"), (["--map", "wide"], "wide"), (["--tile", "x"], "x"),
    (["--map", "99999x99999"], "99999"),
])  # fmt: skip
def test_nothing_is_written_where_a_number_is_wrong(tmp_path, demo_folder, more, words):
    folder, done = begun(tmp_path, demo_folder, *more)
    assert isinstance(done.exception, KnitError)
    assert words in str(done.exception)
    assert not folder.exists()


# Pipes, machines, quiet


def test_a_sheet_comes_in_by_a_pipe(demo_folder, tmp_path):
    art = (demo_folder / "pans.png").read_bytes()
    for words in (("grids", "-"), ("sets", "-"), ("cut", "-", "--to", tmp_path / "tiles")):
        result = CliRunner().invoke(
            commands, [*map(str, words), "--json"], standalone_mode=False, input=art
        )
        assert result.exception is None
        found = json.loads(result.output)
        assert found
    assert len(list((tmp_path / "tiles").glob("sheet-r*.png"))) == 72, "cut by its likeliest grid"
    wrong = CliRunner().invoke(commands, ["grids", "-"], standalone_mode=False, input=b"no picture")
    assert "what came in" in str(wrong.exception)


def test_one_picture_goes_out_by_a_pipe(project, tmp_path):
    call("ship", project, "--map", "Loading quay", "--format", "png", "--to", tmp_path / "out")
    words = ["ship", str(project), "--map", "Loading quay", "--format", "png", "--to", "-"]
    result = CliRunner().invoke(commands, words, standalone_mode=False)
    assert result.stdout_bytes == (tmp_path / "out" / "loading-quay.png").read_bytes()
    many = CliRunner().invoke(commands, [*words[:4], "--to", "-"], standalone_mode=False)
    assert "files would go to stdout" in str(many.exception)
    assert not many.stdout_bytes
    assert not (project / "-").exists()


def test_machines_are_told_what_is_wrong_in_json_too(monkeypatch, capsys, project):
    for words, kind in (
        (("knit", project, "--map", "Nowhere", "--json"), "PlaceError"),
        (("grids", "none.png", "--json"), "PictureError"),
        (("ship", project, "--json"), "UsageError"),
    ):
        monkeypatch.setattr(sys, "argv", ["knitground", *map(str, words)])
        assert run() == 2
        said = capsys.readouterr()
        told = json.loads(said.out)["error"]
        assert told["kind"] == kind
        assert said.err == f"knitground: {told['words']}\n"
    code, line = failing(monkeypatch, capsys, "knit", project, "--map", "Nowhere")
    assert (code, line.count("\n")) == (2, 0)


def test_quiet_says_nothing_where_nothing_is_wrong_and_what_is_wrong_all_the_same(project):
    loud = call("knit", project, "--map", "North basin")
    quiet = call("knit", project, "--map", "North basin", "-q")
    assert (bool(loud.output), quiet.output) == (True, "")
    found = call("proof", project, "--quiet")
    assert (found.return_value, found.output) == (1, "")
    assert json.loads(call("knit", project, "--map", "North basin", "-q", "--json").output)


def test_who_looks_on_sees_how_far_long_work_is(project, tmp_path):
    words = f"import sys; from knitground.cli.main import run; sys.argv = {['knitground', 'grow', str(project), '--map', 'Salt coast']!r}; sys.exit(run())"  # noqa: E501
    seen = tmp_path / "seen"
    script = ["script", "-qec", shlex.join([sys.executable, "-c", words]), str(seen)]
    if shutil.which("script") is None:
        pytest.skip("no program here gives a terminal")
    done = subprocess.run(script, capture_output=True, check=False)
    assert done.returncode == 0
    assert b"Growing" in seen.read_bytes()
    assert b"100%" in seen.read_bytes()
    plain = subprocess.run([sys.executable, "-c", words], capture_output=True, check=True)
    assert b"Growing" not in plain.stderr + plain.stdout


def test_the_examples_that_help_gives_are_understood():
    seen = 0
    ctx = commands.make_context("knitground", ["list", "."])
    for name in commands.list_commands(ctx):
        verb = commands.get_command(ctx, name)
        for line in (verb.epilog or "").split("\n")[2:]:
            words = shlex.split(line.split("| ")[-1].split(" > ")[0])
            assert words[:2] == ["knitground", name]
            verb.make_context(name, words[2:])
            seen += 1
    assert seen > 15
