"""Whatever a file holds: it opens, or one of our own errors says why. Never anything else."""

import json
import random
import shutil

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from knitground.core.base.errors import KnitError
from knitground.core.files.images import png_bytes, read_frames, read_picture
from knitground.core.files.jsontext import to_text
from knitground.core.files.opening import open_project
from knitground.core.files.saving import save_project
from knitground.core.knit.layer import knit_map
from knitground.core.slicing.facts import tile_facts
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
        save_project(project, folder.with_name("again"), overwrite=True)


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
@settings(max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])
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
@settings(max_examples=50, deadline=None)
def test_any_picture_can_be_guessed_at(height, width, seed, style):
    rng = np.random.default_rng(seed)
    picture = rng.integers(0, 256, (height, width, 4), np.uint8)
    if style == "flat":
        picture[:] = picture[0, 0]
    elif style == "holes":
        picture[rng.random((height, width)) < 0.6] = 0
    for guess in likely_grids(picture):
        grid = lay_grid(guess.slicing, width, height)
        facts = tile_facts(picture, grid)
        assert facts.empty.shape == (grid.rows, grid.columns)
        assert not (facts.doubles & facts.empty).any()
