"""Whatever a file holds: it opens, or one of our own errors says why. Never anything else."""

import json
import random
import shutil
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from knitground.core.base.errors import KnitError
from knitground.core.files.images import png_bytes, read_frames, read_picture
from knitground.core.files.jsontext import to_text
from knitground.core.files.opening import open_project
from knitground.core.files.rulesfile import read_rules, write_rules
from knitground.core.files.saving import save_project
from knitground.core.grow.rewriting import rewrite_map
from knitground.core.knit.layer import knit_map
from knitground.core.slicing.facts import grid_facts
from knitground.core.slicing.grid import lay_grid
from knitground.core.slicing.likely import likely_grids

json_values = st.recursive(
    st.none() | st.booleans() | st.integers(-(2**40), 2**40) | st.text(max_size=8)
    | st.floats(allow_nan=False, allow_infinity=False),
    lambda inner: st.lists(inner, max_size=5)
    | st.dictionaries(st.text(max_size=6), inner, max_size=5),
    max_leaves=25,
)  # fmt: skip


@given(json_values)
def test_json_is_written_so_that_it_reads_the_same(value):
    assert json.loads(to_text(value)) == value


@pytest.fixture
def folder(demo_folder, tmp_path):
    return shutil.copytree(demo_folder, tmp_path / "p")


def places(data, path=()):
    """All places in a JSON document, as paths."""
    found = [path]
    items = (
        data.items()
        if isinstance(data, dict)
        else enumerate(data)
        if isinstance(data, list)
        else ()
    )
    for key, value in items:
        if len(found) < 400:
            found += places(value, (*path, key))
    return found


ODD = (None, True, -1, 0, 2**31, 2**70, 1e308, "", "..", "x" * 400, [], {}, [[]], [1], {"a": 1})


def change(data, path, value):
    if not path:
        return value
    target = data
    for key in path[:-1]:
        target = target[key]
    target[path[-1]] = value
    return data


@pytest.mark.parametrize("name", ["project.knit.json", "pans.tiles.json", "north-basin.map.json"])
@pytest.mark.parametrize("seed", range(12))
def test_any_value_anywhere_is_opened_or_refused(folder, name, seed):
    chance = random.Random(f"{name}{seed}")
    text = (folder / name).read_text()
    for _ in range(10):
        data = json.loads(text)
        data = change(data, chance.choice(places(data)), chance.choice(ODD))
        (folder / name).write_text(json.dumps(data))
        try:
            project = open_project(folder).project
        except KnitError as error:
            assert "\n" not in str(error)
            assert len(str(error)) < 600
            continue
        for map_ in project.maps:
            knit_map(project, map_)
            rewrite_map(project, map_)
        save_project(project, folder.with_name("again"), overwrite=True)


@pytest.mark.parametrize("seed", range(12))
def test_any_value_in_a_file_of_rules_is_read_or_refused(demo_folder, tmp_path, seed):
    project = open_project(demo_folder).project
    path = tmp_path / "x.rules.json"
    write_rules(path, project.rule_lists[0])
    chance, text = random.Random(seed), path.read_text()
    for _ in range(20):
        data = change(json.loads(text), *(lambda d: (chance.choice(places(d)), chance.choice(ODD)))(
            json.loads(text)))  # fmt: skip
        path.write_text(json.dumps(data))
        try:
            rules = read_rules(path)
        except KnitError as error:
            assert "\n" not in str(error)
            continue
        project.rule_lists = [replace(rules, name="Finish dykes")]
        for map_ in project.maps:
            rewrite_map(project, map_)


@pytest.mark.parametrize("seed", range(6))
def test_any_broken_bytes_are_opened_or_refused(folder, seed):
    chance = random.Random(seed)
    for name in ("project.knit.json", "props.tiles.json", "harbour-pans.map.json", "props.png"):
        data = bytearray((folder / name).read_bytes())
        broken = bytearray(data)
        for _ in range(chance.randint(1, 6)):
            broken[chance.randrange(len(broken))] = chance.randrange(256)
        if chance.random() < 0.4:
            broken = broken[: chance.randrange(len(broken))]
        (folder / name).write_bytes(broken)
        try:
            open_project(folder)
        except KnitError as error:
            assert str(error)
        (folder / name).write_bytes(data)
    assert open_project(folder).warnings == []


@given(st.binary(max_size=300), st.integers(0, 400))
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_any_bytes_as_a_picture(tmp_path, tail, keep):
    picture = np.random.default_rng(1).integers(0, 255, (9, 9, 4), np.uint8)
    path = tmp_path / "any.png"
    path.write_bytes(png_bytes(picture)[:keep] + tail)
    for read in (read_picture, read_frames):
        try:
            read(path)
        except KnitError as error:
            assert "any.png" in str(error)


@given(
    st.integers(1, 40),
    st.integers(1, 40),
    st.integers(0, 2**20),
    st.sampled_from(["noise", "flat", "holes"]),
)
def test_any_picture_can_be_guessed_at(height, width, seed, style):
    rng = np.random.default_rng(seed)
    picture = rng.integers(0, 256, (height, width, 4), np.uint8)
    if style == "flat":
        picture[:] = picture[0, 0]
    elif style == "holes":
        picture[rng.random((height, width)) < 0.6] = 0
    for guess in likely_grids(picture):
        grid = lay_grid(guess.slicing, width, height)
        facts = grid_facts(picture, grid)
        assert facts.empty.shape == (grid.rows, grid.columns)
        assert not (facts.doubles & facts.empty).any()


def test_a_number_of_five_thousand_digits_anywhere_is_one_clear_line(folder):
    for name in ("project.knit.json", "pans.tiles.json", "north-basin.map.json"):
        text = (folder / name).read_text()
        (folder / name).write_text(text.replace('"version": ', '"version": ' + "9" * 5000, 1))
        with pytest.raises(KnitError, match="digits") as caught:
            open_project(folder)
        assert "\n" not in str(caught.value)
        (folder / name).write_text(text)


def test_a_hundred_thousand_tilesets_are_refused_before_any_is_read(folder):
    data = json.loads((folder / "project.knit.json").read_text())
    data["tilesets"] = ["pans.tiles.json"] * 100_000
    (folder / "project.knit.json").write_text(json.dumps(data))
    with pytest.raises(KnitError, match="4096"):
        open_project(folder)


def test_names_in_all_scripts_and_such_that_differ_in_case_only_come_back(folder):
    project = open_project(folder).project
    names = ["ПЛАН", "план", "地図", "خريطة", "Ⅷ", "viii", "a\u0301", "á", "nul", "..", "🙂"]
    import dataclasses

    project.maps = [dataclasses.replace(project.maps[1], name=name) for name in names]
    save_project(project, folder.with_name("scripts"))
    opened = open_project(folder.with_name("scripts")).project
    assert [each.name for each in opened.maps] == names
    files = [path.name for path in folder.with_name("scripts").glob("*.map.json")]
    assert len({name.casefold() for name in files}) == len(names)


def test_what_is_no_plain_file_is_refused_at_once(folder, tmp_path):
    import os

    os.mkfifo(tmp_path / "pipe.png")
    (tmp_path / "loop.png").symlink_to("loop.png")
    (tmp_path / "zero.png").symlink_to("/dev/zero")
    with (tmp_path / "sparse.png").open("wb") as file:
        file.truncate(3 * 2**30)
    for name in ("pipe", "loop", "zero", "sparse"):
        with pytest.raises(KnitError) as caught:
            read_picture(tmp_path / f"{name}.png")
        assert f"{name}.png" in str(caught.value)
    head = folder / "project.knit.json"
    head.unlink()
    for make in (lambda: os.mkfifo(head), lambda: head.symlink_to(head.name)):
        make()
        with pytest.raises(KnitError):
            open_project(folder)
        head.unlink()


def test_bytes_after_a_packed_block_are_not_ignored():
    import base64
    import zlib

    from knitground.core.files.cells import from_file
    from knitground.core.files.mapformats import PackedFile

    data = base64.b64encode(zlib.compress(bytes(6)) + b"more").decode()
    file = PackedFile(packed="uint8", block_rows=2, blocks=[data])
    with pytest.raises(KnitError, match="goes on after its end"):
        from_file(file, 2, 3, 0, 9, "cells")


def test_a_name_with_a_line_break_is_told_on_one_line(folder):
    with pytest.raises(KnitError) as caught:
        open_project(folder / "no\nsuch\nfolder")
    assert "\n" not in str(caught.value)
    with pytest.raises(KnitError):
        open_project(folder / ("x" * 300))
