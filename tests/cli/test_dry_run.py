"""What would be written is what is written, and nothing is while it is only asked."""

import re
import shutil
from pathlib import Path

import pytest
from click.testing import CliRunner

from knitground.cli.main import commands
from knitground.core.files.made import MADE
from knitground.core.files.vault import is_rehearsed, rehearsed, write_together


def call(*words):
    return CliRunner().invoke(commands, [str(word) for word in words], standalone_mode=False)


def contents(folder):
    return {path: path.read_bytes() for path in folder.rglob("*") if path.is_file()}


@pytest.fixture
def room(demo_folder, tmp_path):
    shutil.copytree(demo_folder, tmp_path / "demo")
    return tmp_path


TIME = re.compile(r"\d+ ms")
VERBS = [
    ("new", "made/New", "demo/pans.png", "demo/yard.png", "--tile", "16"),
    ("cut", "demo/pans.png", "--tile", "16", "--margin", "4", "--spacing", "2", "--to", "tiles"),
    ("cut", "demo/pans.png", "--relay", "--extrude", "1", "--new-margin", "1",
     "--new-spacing", "2", "--to", "again"),
    ("relief", "demo/pans.tiles.json", "--by", "outline", "--overwrite"),
    ("grow", "demo", "--map", "Harbour pans", "--seed", "5", "--step", "2"),
    ("grow", "demo", "--map", "North basin", "--count", "2", "--to", "grown"),
    ("marks", "demo/works.tiles.json", "--set", "Dykes", "--save"),
    ("ship", "demo", "--map", "Loading quay", "--to", "out", "--format", "json", "--format", "csv"),
]  # fmt: skip


@pytest.mark.parametrize("words", VERBS, ids=lambda words: " ".join(words[:2]))
def test_a_dry_run_names_what_a_run_writes(room, monkeypatch, words):
    monkeypatch.chdir(room)
    before = contents(room)
    told = call(*words, "--dry-run")
    assert told.exception is None
    assert contents(room) == before
    assert {each.name for each in room.iterdir()} == {"demo"}  # no folder is made either
    named = [line.removeprefix("knitground: would write ") for line in told.stderr.splitlines()
             if "would write" in line and not line.endswith("nothing")]  # fmt: skip
    done = call(*words)
    assert done.exception is None
    after = contents(room)
    fresh = {path for path, data in after.items() if before.get(path) != data}
    fresh = {path for path in fresh if path.name != MADE and not path.name.endswith(".previous")}
    assert {(room / name).resolve() for name in named} == {path.resolve() for path in fresh}
    assert fresh or "would write nothing" in told.stderr
    assert TIME.sub("", told.stdout) == TIME.sub("", done.stdout)


def test_what_is_there_already_is_not_named(room, monkeypatch):
    monkeypatch.chdir(room)
    words = ("ship", "demo", "--map", "Loading quay", "--to", "out", "--format", "json")
    call(*words)
    assert call(*words, "--dry-run").stderr == "knitground: would write nothing\n"
    (changed,) = (room / "out").glob("loading*.json")
    changed.write_bytes(b"{}")
    refused = call(*words, "--dry-run")
    assert "was not made here, or was changed since" in str(refused.exception)
    told = call(*words, "--dry-run", "--overwrite")
    assert told.stderr == f"knitground: would write {Path('out') / changed.name}\n"
    assert changed.read_bytes() == b"{}"


def test_what_a_profile_leaves_is_named_and_not_taken_away(room, monkeypatch):
    monkeypatch.chdir(room)
    call("ship", "demo", "--profile", "game", "--to", "out")
    words = ("ship", "demo", "--profile", "game", "--map", "Loading quay", "--to", "out", "--drop")
    before = contents(room)
    told = call(*words, "--dry-run")
    assert contents(room) == before
    call(*words)
    gone = {path for path in before if not path.exists()}
    assert gone
    for path in gone:
        assert f"would write {path.relative_to(room)}" in told.stderr


def test_what_goes_on_or_into_a_pipe_has_no_dry_run(room, monkeypatch):
    monkeypatch.chdir(room)
    for more in (("--watch",), ("--to", "-")):
        refused = call("ship", "demo", "--map", "Loading quay", "--dry-run", *more)
        assert type(refused.exception).__name__ == "UsageError"
    assert not is_rehearsed()  # nothing is left of it


def test_a_rehearsal_ends_whatever_happens(tmp_path):
    def broken_off():
        with rehearsed() as told:
            assert write_together(tmp_path / "new", {"a": b"1", "b": b"2"}) == ["a", "b"]
            assert write_together(tmp_path / "new", {"a": b"1"}) == ["a"]
            yield told
            raise ZeroDivisionError

    going = broken_off()
    told = next(going)
    with pytest.raises(ZeroDivisionError):
        next(going)
    assert told == [tmp_path / "new" / "a", tmp_path / "new" / "b"]
    assert not (tmp_path / "new").exists()
    assert write_together(tmp_path / "new", {"a": b"1"}) == ["a"]
    assert (tmp_path / "new" / "a").read_bytes() == b"1"
