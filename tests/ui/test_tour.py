import json
import subprocess
import sys
from pathlib import Path

import pytest
from click.testing import CliRunner
from PIL import Image
from tests.strangers import NIGHT, times

from knitground.cli.main import commands


@pytest.fixture(scope="module")
def runs(tmp_path_factory):
    """Run the example, at night twice at the same time; gives the files that each lists."""
    started = []
    for name in times("a", "ab"):
        folder = tmp_path_factory.mktemp(name) / "out"
        command = [sys.executable, "-m", "knitground", "demo", str(folder), "--headless", "--json"]
        pipe = subprocess.PIPE
        started.append(subprocess.Popen(command, stdout=pipe, stderr=pipe, text=True))
    out = []
    for each in started:
        said, errors = each.communicate()
        assert each.returncode == 0, errors
        out.append([Path(name) for name in json.loads(said)])
    return out


def test_the_full_example_makes_project_shipped_files_and_pictures(runs):
    names = {path.name for path in runs[0]}
    assert {"project.knit.json", "pans.png", "harbour-pans.map.json", "north-basin.json"} <= names
    assert {
        "1-slice.png",
        "3-terrains.png",
        "4-rules.png",
        "5-draw.png",
        "6-grow.png",
        "7-proof.png",
        "8-ship.png",
    } <= names
    assert all(path.exists() for path in runs[0])


@pytest.mark.skipif(not NIGHT, reason="a second run takes a minute: at night")
def test_two_runs_give_the_same_bytes(runs):
    assert [path.name for path in runs[0]] == [path.name for path in runs[1]]
    for one, two in zip(*runs):
        assert one.read_bytes() == two.read_bytes(), one.name


def test_each_picture_shows_a_window_full_of_things(runs):
    for path in runs[0]:
        if path.parent.name != "pictures":
            continue
        with Image.open(path) as picture:
            assert picture.size == (1280, 800)
            part = picture.convert("RGB").resize((320, 200), Image.Resampling.NEAREST)
        assert len(part.getcolors(1 << 16)) > 60, path.name


@pytest.mark.parametrize("words", [("--wrong",), ("a", "b"), ("--headless", "--nonsense")])
def test_wrong_words_are_refused_in_a_line(words):
    done = CliRunner().invoke(commands, ["demo", *words])
    assert done.exit_code == 2
    assert done.stderr.strip()


@pytest.mark.parametrize("verb", ["open", "demo", "cut", "grids", "knit", "rules", "grow", "ship"])
def test_every_verb_explains_itself(verb):
    done = CliRunner().invoke(commands, [verb, "--help"])
    assert done.exit_code == 0
    assert "usage" in done.stdout.lower()
