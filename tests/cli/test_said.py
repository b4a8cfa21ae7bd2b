"""What verbs print with `--json` is what the published schemas say."""

import json
import shutil
from pathlib import Path

import numpy as np
import pytest
from click.testing import CliRunner
from jsonschema import Draft202012Validator
from tests.core.test_guess import corner_art

from knitground.cli.main import commands, run
from knitground.cli.said import SAID, said_texts
from knitground.core.files.images import png_bytes


@pytest.fixture(scope="module")
def place(demo_folder, tmp_path_factory):
    """A copy of the demo, one with a change, and a sheet of a whole set."""
    folder = tmp_path_factory.mktemp("said")
    shutil.copytree(demo_folder, folder / "demo")
    shutil.copytree(demo_folder, folder / "other")
    file = folder / "other" / "project.knit.json"
    file.write_text(file.read_text().replace('"Harl Pans"', '"Other"', 1))
    tiles, _, _ = corner_art(16, 1)
    rows = tiles[: len(tiles) // 8 * 8].reshape(-1, 8, 16, 16, 4)
    (folder / "sheet.png").write_bytes(
        png_bytes(np.ascontiguousarray(rows.transpose(0, 2, 1, 3, 4).reshape(-1, 128, 4)))
    )
    return folder


def words_for(verb, place):
    """Words of the command line that each verb is called with, one list or several."""
    demo, sheet = str(place / "demo"), str(place / "sheet.png")
    pans, works = (str(place / "demo" / f"{name}.tiles.json") for name in ("pans", "works"))
    return {
        "coverage": [[pans, "--set", "Pans"]],
        "cut": [[sheet, "--tile", "16x16", "--to", str(place / "cut")]],
        "desktop": [["--to", str(place / "home")]],
        "diff": [[demo, str(place / "other")], [demo, demo]],
        "grids": [[sheet], [sheet, "--areas"]],
        "grow": [
            [demo, "--map", "North basin"],
            [demo, "--map", "North basin", "--count", "2", "--to", str(place / "many"),
             "--overwrite"],
        ],
        "knit": [[demo, "--map", "Harbour pans"]],
        "list": [[demo]],
        "marks": [[works, "--set", "Causeways"]],
        "new": [[str(place / "begun"), sheet, "--sets"]],
        "proof": [[demo, "--only", "snags", "--only", "gaps"]],
        "relief": [[pans, "--overwrite"]],
        "rules": [[pans, "--set", "Pans"]],
        "sets": [[sheet, "--tile", "16"]],
        "ship": [[demo, "--map", "North basin", "--to", str(place / "shipped")]],
    }[verb]  # fmt: skip


@pytest.mark.parametrize("verb", [verb for verb in SAID if verb != "refusal"])
def test_each_verb_prints_what_its_schema_says(verb, place):
    schema = json.loads(said_texts()[f"{verb}.schema.json"])
    Draft202012Validator.check_schema(schema)
    for words in words_for(verb, place):
        done = CliRunner().invoke(commands, [verb, *words, "--json"], standalone_mode=False)
        assert done.exception is None, done.exception
        found = json.loads(done.stdout)
        Draft202012Validator(schema).validate(found)
        if isinstance(found, dict):
            first = next(iter(found))
            less = {key: value for key, value in found.items() if key != first}
            for odd in ({**found, "more": 1}, {**found, first: None}, less):
                assert not Draft202012Validator(schema).is_valid(odd)


def test_a_refusal_is_what_its_schema_says(monkeypatch, capsys, tmp_path):
    monkeypatch.setattr("sys.argv", ["knitground", "list", str(tmp_path / "none"), "--json"])
    assert run() == 2
    schema = json.loads(said_texts()["refusal.schema.json"])
    Draft202012Validator(schema).validate(json.loads(capsys.readouterr().out))


def test_each_verb_that_prints_json_has_a_schema():
    ctx = commands.make_context("knitground", ["list", "."])
    printing = {
        name for name in commands.list_commands(ctx)
        if any("--json" in each.opts for each in commands.get_command(ctx, name).params)
    }  # fmt: skip
    assert printing - {"demo"} == set(SAID) - {"refusal"}


def test_published_schemas_of_what_verbs_print_are_those_of_the_code():
    folder = Path(__file__).parents[2] / "docs" / "schema" / "said"
    texts = said_texts()
    assert {each.name for each in folder.iterdir()} == set(texts)
    for name, text in texts.items():
        assert (folder / name).read_text() == text, "run tools/write_schemas.py"
