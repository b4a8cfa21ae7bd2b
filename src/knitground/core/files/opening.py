"""Opening projects and tilesets."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field
from hashlib import blake2b
from math import floor
from pathlib import Path

from knitground.core.base.errors import FormatError, KnitError, PictureError, PlaceError
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say
from knitground.core.files.formats import (
    PROJECT_FORMAT,
    PROJECT_VERSION,
    TILESET_FORMAT,
    TILESET_VERSION,
    ProjectFile,
    TilesetFile,
)
from knitground.core.files.images import picture_of, relief_name
from knitground.core.files.jsontext import read_model
from knitground.core.files.map_io import map_from_file, map_lattice, part_from_file
from knitground.core.files.mapformats import MAP_FORMAT, MAP_VERSION, MapFile
from knitground.core.files.mix_io import mix_from_file, patch_from_file
from knitground.core.files.places import PROJECT_NAME, inside
from knitground.core.files.reading import MAX_BYTES, read_file
from knitground.core.files.tileset_io import tileset_from_file
from knitground.core.files.vault import lock, settle, waiting
from knitground.core.model.lattice import Rect
from knitground.core.model.limits import MAX_PROJECT_CELLS, MAX_SHEETS_BYTES
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.tileset import Picture, Tileset

LOOK_CELLS = 1 << 22
"""Cells of all layers of a map above which a first look at it is worth its while."""
_MORE_ROWS = 16
"""Rows round those in view: what is knitted and what reaches into view depends on them."""


@dataclass
class Opened:
    """A project as it was read, and what could not be found, in words."""

    project: Project
    warnings: list[str] = field(default_factory=list)


class Source:
    """The files of a folder as they count, also when a save there was cut off.

    Made before the folder is locked for reading, for it may have to finish that save.
    `seen` has what each file held when it was read (`digest`), by its path; `words` says what lies
    there that looks like a save cut off and is none.
    """

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.seen: dict[str, str] = {}
        self.words = ""
        self._instead: dict[str, Path | None] = {}
        with suppress(OSError, PlaceError):
            settle(folder)
        self.look_again()

    def look_again(self) -> None:
        """Look which files count; asked again once nobody else can save there."""
        found = waiting(self.folder)
        self.words = found.words
        self._instead = found.instead

    def read(self, name: str, error: type[KnitError] = PlaceError) -> bytes:
        """Read a file that must lie inside the folder."""
        path = inside(self.folder, name)
        counts = self._instead.get(name, path)
        if counts is None:
            raise error(say("{name} is not there", name=name))
        data = read_file(counts, MAX_BYTES, error)
        self.seen[str(path.absolute())] = digest(data)
        return data

    def has(self, name: str) -> bool:
        """Whether a file of that name counts there."""
        try:
            path = inside(self.folder, name)
        except PlaceError:
            return False
        counts = self._instead.get(name, path)
        return counts is not None and counts.exists()

    def forget(self, name: str) -> None:
        """Leave a file to whoever made it: it is no part of the project."""
        self.seen.pop(str(inside(self.folder, name).absolute()), None)


def digest(data: bytes) -> str:
    """Give a few letters that stand for the contents of a file."""
    return blake2b(data, digest_size=16).hexdigest()


def project_file(path: Path) -> Path:
    """Find the project file that a path means: itself, or the one in a folder."""
    try:
        found = path / PROJECT_NAME if path.is_dir() else path
        there = found.exists() or found.name in waiting(found.parent).instead
    except (OSError, ValueError) as error:
        raise PlaceError(
            say("{path} can not be looked at: choose another place", path=str(path)[:80])
        ) from error
    if not there:
        raise PlaceError(
            say(
                "there is no project at {path}: choose a folder with {project_name}",
                path=path,
                project_name=PROJECT_NAME,
            )
        )
    return found


@dataclass(frozen=True)
class FirstLook:
    """Somebody who wants to see the middle of a large map before all of it is read.

    `seen` takes the project with its sheets, the first map with the rows that are in view (the
    others are empty) and the rectangle of so many pixels, in whichever thread the reading is done.
    """

    width: int
    height: int
    seen: Callable[[Project, Map, Rect], object]


def open_project(
    path: Path, progress: Progress = no_progress, look: FirstLook | None = None
) -> Opened:
    """Read a project from its folder or its file.

    A sheet that is gone or broken does not stop it: its tiles are drawn as missing, and a warning
    says so. `look` is shown what is in view of the first map, if that is a large one.

    Raises
    ------
    PlaceError, FormatError
        A file is missing, broken, of another kind or version, or names a place outside the folder;
        or all maps together are too large.
    """
    file = project_file(path)
    folder = file.parent
    try:
        source = Source(folder)
        with lock(folder, shared=True):
            source.look_again()
            return _read_project(source, file.name, progress, look)
    except OSError as error:
        raise PlaceError(
            say("{folder} can not be read ({strerror})", folder=folder, strerror=error.strerror)
        ) from error


def _read_project(source: Source, name: str, progress: Progress, look: FirstLook | None) -> Opened:
    head = read_model(source.read(name), name, ProjectFile, PROJECT_FORMAT, PROJECT_VERSION)
    opened = Opened(Project(head.name, source.folder), [source.words] if source.words else [])
    project = opened.project
    sheets = _Sheets(source, opened.warnings)
    steps = max(1, len(head.tilesets) + len(head.maps))
    for place, each in enumerate(head.tilesets):
        progress(place / steps)
        project.tilesets.append(_read_tileset(source, each, sheets))
    project.rule_lists = list(head.rule_lists)
    project.mixes = [mix_from_file(mix) for mix in head.mixes]
    cells = 0
    for place, each in enumerate(head.maps):
        progress((place + len(head.tilesets)) / steps)
        model = read_model(source.read(each), each, MapFile, MAP_FORMAT, MAP_VERSION)
        cells += model.height * model.width * max(1, len(model.layers))
        if cells > MAX_PROJECT_CELLS:
            raise FormatError(
                say(
                    "{each}: with this map the project's layers have {cells} cells, more than "
                    "{max_project_cells}: open it with fewer maps",
                    each=each,
                    cells=cells,
                    max_project_cells=MAX_PROJECT_CELLS,
                )
            )
        if look is not None and place == 0 and cells > LOOK_CELLS:
            _show(project, model, each, look)
        project.maps.append(map_from_file(model, each))
    project.shape_kinds = head.shape_kinds
    _check_names(name, project)
    project.tray = [patch_from_file(patch) for patch in head.tray]
    project.excused = head.excused
    project.profiles = head.profiles
    project.known = source.seen
    return opened


def _show(project: Project, model: MapFile, name: str, look: FirstLook) -> None:
    """Show what of a map is in view before all of it is read; what is wrong is told later."""
    lattice = map_lattice(model)
    wide, high = lattice.extent
    rect = Rect(
        floor(wide / 2 - look.width / 2), floor(high / 2 - look.height / 2),
        look.width, look.height,
    )  # fmt: skip
    corners = [(x, y) for x in (rect.x, rect.right) for y in (rect.y, rect.bottom)]
    rows = [lattice.name_of(*lattice.cell_at(*each))[0] for each in corners]
    part = range(min(rows) - _MORE_ROWS, max(rows) + _MORE_ROWS)
    with suppress(Exception):  # a look is never why a project is not opened
        look.seen(project, part_from_file(model, name, part), rect)


def _check_names(where: str, project: Project) -> None:
    for what, names in (
        ("tilesets", [each.name for each in project.tilesets]),
        ("maps", [each.name for each in project.maps]),
        (say("rule lists"), [each.name for each in project.rule_lists]),
        (say("kinds of shapes"), [each.name for each in project.shape_kinds]),
    ):
        seen: set[str] = set()
        for name in names:
            if name in seen:
                raise FormatError(
                    say(
                        "{where}: two {what} are called “{name}”: rename one",
                        where=where,
                        what=what,
                        name=name,
                    )
                )
            seen.add(name)


class _Sheets:
    """The pictures that were read so far, each file once, all of them within bounds."""

    def __init__(self, source: Source, warnings: list[str]) -> None:
        self.source = source
        self.warnings = warnings
        self.read: dict[str, tuple[bytes, Picture]] = {}
        self.room = MAX_SHEETS_BYTES

    def give(self, tileset: Tileset) -> None:
        """Give a tileset its picture; a warning tells what is wrong with it."""
        try:
            if tileset.sheet not in self.read:
                self.read[tileset.sheet] = self._picture(tileset.sheet)
        except PictureError as error:
            self.warnings.append(
                say(
                    "Sheet of “{name}”: {error}. Its tiles are drawn as missing",
                    name=tileset.name,
                    error=error,
                )
            )
            return
        tileset.data, tileset.picture = self.read[tileset.sheet]
        height, width = tileset.picture.shape[:2]
        if (width, height) != (tileset.width, tileset.height):
            self.warnings.append(
                say(
                    "{sheet} is {width} × {height} px now, it was {width2} × {height2}: look at "
                    "its slicing",
                    sheet=tileset.sheet,
                    width=width,
                    height=height,
                    width2=tileset.width,
                    height2=tileset.height,
                )
            )
            tileset.width, tileset.height = width, height
        self._give_relief(tileset, tileset.picture)

    def _give_relief(self, tileset: Tileset, picture: Picture) -> None:
        """Give a tileset the relief that lies beside its sheet; what is wrong leaves it flat."""
        name = relief_name(tileset.sheet)
        if not self.source.has(name):
            return
        try:
            if name not in self.read:
                self.read[name] = self._picture(name)
        except PictureError as error:
            self.warnings.append(
                say(
                    "Relief of “{name}”: {error}. It is lit as if flat",
                    name=tileset.name,
                    error=error,
                )
            )
            self.source.forget(name)
            return
        data, relief = self.read[name]
        if relief.shape != picture.shape:
            high, wide = relief.shape[:2]
            self.warnings.append(
                say(
                    "{name} is {wide} × {high} px, its sheet {shape} × {shape2}: it is left out "
                    "until both are of one size",
                    name=name,
                    wide=wide,
                    high=high,
                    shape=picture.shape[1],
                    shape2=picture.shape[0],
                )
            )
            self.source.forget(name)
            return
        tileset.relief, tileset.relief_data = relief, data

    def _picture(self, sheet: str) -> tuple[bytes, Picture]:
        data = self.source.read(sheet, PictureError)
        picture = picture_of(data, sheet, self.room)
        self.room -= picture.nbytes + len(data)
        return data, picture


def _read_tileset(source: Source, name: str, sheets: _Sheets) -> Tileset:
    model = read_model(source.read(name), name, TilesetFile, TILESET_FORMAT, TILESET_VERSION)
    tileset = tileset_from_file(model, name)
    inside(source.folder, tileset.sheet)
    sheets.give(tileset)
    return tileset


def open_tileset(path: Path) -> tuple[Opened, Tileset]:
    """Read a tileset from its file, with the project that lists it if that lies beside it.

    Without one, the project returned holds nothing else and has no folder.

    Raises
    ------
    PlaceError, FormatError
        The file is missing, broken, of another kind or version.
    """
    try:
        there = path.exists()
        head = path.parent / PROJECT_NAME
        listed = head.exists()
    except (OSError, ValueError) as error:
        raise PlaceError(
            say("{path} can not be looked at: choose another", path=str(path)[:80])
        ) from error
    if not there:
        raise PlaceError(say("there is no tileset at {path}: give a NAME.tiles.json", path=path))
    source = Source(path.parent)
    if listed:
        raw = source.read(PROJECT_NAME)
        names = read_model(raw, PROJECT_NAME, ProjectFile, PROJECT_FORMAT, PROJECT_VERSION).tilesets
        if path.name in names:
            opened = open_project(path.parent)
            return opened, opened.project.tilesets[names.index(path.name)]
    told = [source.words] if source.words else []
    tileset = _read_tileset(source, path.name, _Sheets(source, told))
    return Opened(Project(tileset.name, None, [tileset]), told), tileset
