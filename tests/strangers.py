# ruff: noqa: PTH100, PTH115, PTH118
"""A small project that came from a stranger, and an eye on every file that is touched meanwhile."""

import json
import os
import random
import shutil
import sys
from contextlib import contextmanager
from pathlib import Path

import numpy as np

from knitground.core.edit.document import Document
from knitground.core.edit.maps import add_map
from knitground.core.files.images import png_bytes
from knitground.core.files.recipefile import write_recipe
from knitground.core.files.rulesfile import write_rules
from knitground.core.files.saving import save_project
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.recipe import NoiseStep, Recipe
from knitground.core.model.rules import RuleList
from knitground.core.model.slicing import Slicing
from knitground.core.model.terrain import SetKind, Terrain, TerrainSet
from knitground.core.model.tileset import Tileset

NIGHT = bool(os.environ.get("KNITGROUND_NIGHT"))
_FILE_EVENTS = {
    "open", "os.remove", "os.rename", "os.mkdir", "os.rmdir", "os.link", "os.symlink", "os.listdir",
    "os.scandir", "os.truncate", "os.chmod", "os.utime", "os.mkfifo",
}  # fmt: skip
_OF_LINKS = {"os.remove", "os.rename", "os.rmdir", "os.symlink"}


def times(by_day, by_night):
    """How many examples a long test takes: fewer by day, all at night (`./check --night`)."""
    return by_night if NIGHT else by_day


class _Eye:
    """Sees which files Python touches: a hook of its audits, which can not be taken out again."""

    def __init__(self):
        self.seen = None
        sys.addaudithook(self.look)

    def look(self, event, args):
        if self.seen is None or event not in _FILE_EVENTS:
            return
        for each in args[1:2] if event == "os.symlink" else args[:2]:
            if isinstance(each, str | bytes | os.PathLike):
                path = os.path.abspath(os.fsdecode(each))
                if event in _OF_LINKS:  # they take the link itself, not what it leads to
                    home, name = os.path.split(path)
                    self.seen.add(os.path.join(os.path.realpath(home), name))
                else:
                    self.seen.add(os.path.realpath(path))


_EYES = []


@contextmanager
def eye_on(*forbidden):
    """Collect every touched path that really lies in one of these places."""
    if not _EYES:
        _EYES.append(_Eye())
    eye, found = _EYES[0], []
    roots = [os.path.realpath(each) for each in forbidden]
    eye.seen = set()
    try:
        yield found
    finally:
        seen, eye.seen = eye.seen, None
        found += [p for p in seen if any(p == r or p.startswith(r + os.sep) for r in roots)]


def snapshot(folder):
    """All of a folder: links as links, contents of files, nothing followed."""
    out = {}
    for root, folders, files in os.walk(folder):
        for name in (*folders, *files):
            path = Path(root, name)
            if path.is_symlink():
                out[str(path)] = os.readlink(path)
            elif path.is_file():
                out[str(path)] = path.read_bytes()
            else:
                out[str(path)] = None
    return out


def small_project(folder):
    """A set of one sheet, one map with a recipe, and files of rules and of the recipe."""
    rng = np.random.default_rng(3)
    picture = rng.integers(0, 256, (16, 16, 4), np.uint8)
    kit = TerrainSet("pair", SetKind.CORNER, [Terrain("a", "#112233", "A")])
    sheet = Tileset("sheet", "sheet.png", 16, 16, Slicing(8, 8), sets=[kit], picture=picture)
    project = Project("Small", None, [sheet])
    map_ = Map("yard", 4, 5, 8, 8)
    map_.layers.append(map_.new_ground_layer("ground", "sheet", "pair", SetKind.CORNER))
    map_.recipe = Recipe(1, (NoiseStep(layer=map_.layers[0].number),))
    Document(project).apply(add_map(project, map_))
    save_project(project, folder)
    write_rules(folder / "own.rules.json", RuleList("own"))
    write_recipe(map_, folder / "own.recipe.json")
    return folder


def hostile_names(outside):
    """Names that lead where nothing of a project lies, or that are no names at all."""
    return [
        "../outside/kept.png", "../outside/new.png", str(outside / "kept.png"), "/dev/zero",
        "/dev/full", "/etc/passwd", "..", ".", "", "a/../../outside/kept.png", "link.png",
        "linked/kept.png", "dangling.png", "pipe.png", "PROJECT.KNIT.JSON", "Sheet.PNG", "~/x.png",
        "..\\outside\\kept.png", "sheet.png\0", "x" * 5000, ".knit-save/list.json", "sub/x.png",
        "file:///etc/passwd", "\ud800", "//etc/passwd", "made.knit.json", ".hidden", "loop",
    ]  # fmt: skip


def plant(folder, outside, rng):
    """Lay links, pipes and the like into a folder."""
    for name, to in (
        ("link.png", outside / "kept.png"), ("linked", outside), ("loop", folder / "loop"),
        ("dangling.png", outside / "new.png"),
    ):  # fmt: skip
        if rng.random() < 0.7:
            (folder / name).symlink_to(to)
    if rng.random() < 0.3:
        os.mkfifo(folder / "pipe.png")


def hostile_journal(folder, outside, rng):
    """Put a folder there that looks like a save cut off."""
    journal = folder / ".knit-save"
    kind = rng.random()
    if kind < 0.06:
        journal.symlink_to(outside)
        return
    if kind < 0.1:
        journal.write_text("no folder")
        return
    journal.mkdir()
    names = [*hostile_names(outside), "sheet.png", "yard.map.json", "project.knit.json"]
    tasks = []
    for number in range(rng.randint(1, 3)):
        tasks.append([
            rng.choice(names),
            rng.choice([number, number, number, -1, True, "0", 10**30]),
            rng.random() < 0.5, rng.random() < 0.5, rng.random() < 0.5,
        ])  # fmt: skip
        for what in ("new", "old"):
            file = journal / f"{what}{number}"
            how = rng.random()
            if how < 0.4:
                file.write_bytes(b"theirs")
            elif how < 0.55:
                file.symlink_to(rng.choice([outside / "kept.png", outside, "/dev/zero"]))
    text = json.dumps(tasks)
    wrong = rng.random()
    if wrong < 0.15:
        text = rng.choice(["[" * 100_000, "[[1,2,3,4,5]]", "[[null]]", "{}", "", "[]", "null",
                           '[["a\\u0000b",0,true,true,true]]', text[:-3]])  # fmt: skip
    name = rng.choice(["list.json", "list.json", "list.json", "back.json", "draft.json"])
    if rng.random() < 0.08:
        (journal / name).symlink_to(outside / "list.json")
    else:
        (journal / name).write_text(text)
    if rng.random() < 0.1:
        (journal / "notes.txt").write_text("a person's own")


def hostile_file(folder, outside, rng):
    """Change one name, or the kind of one file, in a project's files."""
    path = rng.choice(sorted(folder.glob("*.json")))
    how = rng.random()
    if how < 0.2:
        path.unlink()
        path.symlink_to(rng.choice([outside / "kept.png", outside, "/dev/zero", "/etc/passwd"]))
        return
    data = json.loads(path.read_text())
    texts = list(_texts(data))
    for _ in range(rng.randint(1, 3)):
        holder, key = rng.choice(texts)
        holder[key] = rng.choice(hostile_names(outside))
    path.write_bytes(json.dumps(data).encode("utf-8", "surrogatepass"))


def _texts(data):
    items = data.items() if isinstance(data, dict) else enumerate(data)
    for key, value in items:
        if isinstance(value, str):
            yield data, key
        elif isinstance(value, dict | list):
            yield from _texts(value)


class Stranger:
    """Makes one hostile project after the other, beside a folder that nobody may touch."""

    def __init__(self, root, seed):
        self.rng = random.Random(seed)
        self.good = small_project(root / "good")
        self.folder = root / "theirs"
        self.outside = root / "outside"
        self.outside.mkdir()
        (self.outside / "kept.png").write_bytes(png_bytes(np.zeros((16, 16, 4), np.uint8)))
        (self.outside / "list.json").write_text('[["sheet.png",0,true,true,false]]')
        self.before = snapshot(self.outside)

    def next(self):
        """Make another one; returns its folder."""
        shutil.rmtree(self.folder, ignore_errors=True)
        shutil.copytree(self.good, self.folder)
        plant(self.folder, self.outside, self.rng)
        which = self.rng.random()
        if which < 0.6:
            hostile_journal(self.folder, self.outside, self.rng)
        if which > 0.4:
            hostile_file(self.folder, self.outside, self.rng)
        return self.folder

    def eye(self):
        """Look for touches of what lies outside."""
        return eye_on(self.outside, "/etc/passwd", "/dev/zero", "/dev/full")

    def assert_untouched(self, found):
        """Nothing outside was read, written or removed."""
        assert not found
        assert snapshot(self.outside) == self.before
