"""Opening and saving projects."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from knitground.core.base.errors import FormatError, PictureError, PlaceError
from knitground.core.base.progress import Progress, no_progress
from knitground.core.files.atomic import write_all
from knitground.core.files.formats import (
    MAP_FORMAT,
    PROJECT_FORMAT,
    TILESET_FORMAT,
    VERSION,
    MapFile,
    ProjectFile,
    TilesetFile,
)
from knitground.core.files.images import png_bytes, read_picture
from knitground.core.files.jsontext import model_bytes, read_model
from knitground.core.files.map_io import map_from_file, map_to_file
from knitground.core.files.mix_io import (
    mix_from_file,
    mix_to_file,
    patch_from_file,
    patch_to_file,
)
from knitground.core.files.places import PROJECT_NAME, file_names, file_stem, inside
from knitground.core.files.tileset_io import tileset_from_file, tileset_to_file
from knitground.core.model.project import Project
from knitground.core.model.slicing import Slicing
from knitground.core.model.tileset import Frame, Picture, Tileset
from knitground.core.slicing.grid import MAX_SIDE_PX
from knitground.core.slicing.pieces import foot, pack


@dataclass
class Opened:
    """A project as it was read, and what could not be found, in words."""

    project: Project
    warnings: list[str] = field(default_factory=list)


def project_file(path: Path) -> Path:
    """Find the project file that a path means: itself, or the one in a folder."""
    found = path / PROJECT_NAME if path.is_dir() else path
    if not found.exists():
        raise PlaceError(f"there is no project at {path}: choose a folder with {PROJECT_NAME}")
    return found


def open_project(path: Path, progress: Progress = no_progress) -> Opened:
    """Read a project from its folder or its file.

    A sheet that is gone or broken does not stop it: its tiles are drawn as missing, and a warning
    says so.

    Raises
    ------
    PlaceError, FormatError
        A file is missing, broken, of another kind or version, or names a place outside the folder.
    """
    file = project_file(path)
    folder = file.parent
    head = read_model(file, ProjectFile, PROJECT_FORMAT, VERSION)
    opened = Opened(Project(head.name, folder))
    project = opened.project
    pictures: dict[Path, Picture] = {}
    steps = max(1, len(head.tilesets) + len(head.maps))
    for place, name in enumerate(head.tilesets):
        progress(place / steps)
        project.tilesets.append(_read_tileset(folder, name, opened.warnings, pictures))
    for place, name in enumerate(head.maps):
        progress((place + len(head.tilesets)) / steps)
        model = read_model(inside(folder, name), MapFile, MAP_FORMAT, VERSION)
        project.maps.append(map_from_file(model, name))
    _check_names(file.name, project)
    project.mixes = [mix_from_file(mix) for mix in head.mixes]
    project.tray = [patch_from_file(patch) for patch in head.tray]
    return opened


def _check_names(where: str, project: Project) -> None:
    for what, names in (
        ("tilesets", [each.name for each in project.tilesets]),
        ("maps", [each.name for each in project.maps]),
    ):
        twice = next((name for name in names if names.count(name) > 1), None)
        if twice is not None:
            raise FormatError(f"{where}: two {what} are called “{twice}”: rename one")


def _read_tileset(
    folder: Path, name: str, warnings: list[str], pictures: dict[Path, Picture]
) -> Tileset:
    model = read_model(inside(folder, name), TilesetFile, TILESET_FORMAT, VERSION)
    tileset = tileset_from_file(model, name)
    sheet = inside(folder, tileset.sheet)
    try:
        picture = pictures[sheet] if sheet in pictures else read_picture(sheet)
    except PictureError as error:
        warnings.append(f"Sheet of “{tileset.name}”: {error}. Its tiles are drawn as missing")
        return tileset
    tileset.picture = pictures[sheet] = picture
    height, width = picture.shape[:2]
    if (width, height) != (tileset.width, tileset.height):
        warnings.append(
            f"{tileset.sheet} is {width} × {height} px now, it was "
            f"{tileset.width} × {tileset.height}: look at its slicing"
        )
        tileset.width, tileset.height = width, height
    return tileset


def open_tileset(path: Path) -> tuple[Project, Tileset]:
    """Read a tileset from its file, with the project that it belongs to if that lies beside it.

    Raises
    ------
    PlaceError, FormatError
        The file is missing, broken, of another kind or version.
    """
    if not path.exists():
        raise PlaceError(f"there is no tileset at {path}: give a NAME.tiles.json")
    head = path.parent / PROJECT_NAME
    if head.exists():
        names = read_model(head, ProjectFile, PROJECT_FORMAT, VERSION).tilesets
        if path.name in names:
            project = open_project(path.parent).project
            return project, project.tilesets[names.index(path.name)]
    tileset = _read_tileset(path.parent, path.name, [], {})
    return Project(tileset.name, path.parent, [tileset]), tileset


def save_project(project: Project, folder: Path, progress: Progress = no_progress) -> list[Path]:
    """Write a project into a folder; every file is the old one or the new one, never half.

    Sheets that lie elsewhere are copied into the folder. The project itself is not changed, except
    that `Tileset.sheet` names the copies; the caller sets `folder` once it knows it worked.

    Returns
    -------
    the files that were written (those whose contents changed)

    Raises
    ------
    PlaceError
        The folder can not be written; its files are as before.
    """
    folder = folder.absolute()
    files: dict[Path, bytes] = {}
    steps = max(1, len(project.tilesets) + len(project.maps))
    _name_sheets(project)
    tileset_files = file_names([each.name for each in project.tilesets], ".tiles.json")
    map_files = file_names([each.name for each in project.maps], ".map.json")
    for place, (tileset, name) in enumerate(zip(project.tilesets, tileset_files)):
        progress(place / steps)
        files.update(_sheet_copy(project, tileset, folder))
        files[folder / name] = model_bytes(tileset_to_file(tileset))
    for place, (map_, name) in enumerate(zip(project.maps, map_files)):
        progress((place + len(project.tilesets)) / steps)
        files[folder / name] = model_bytes(map_to_file(map_))
    head = ProjectFile(
        name=project.name,
        tilesets=tileset_files,
        maps=map_files,
        mixes=[mix_to_file(mix) for mix in project.mixes],
        tray=[patch_to_file(patch) for patch in project.tray],
    )
    files[folder / PROJECT_NAME] = model_bytes(head)
    written = write_all(files, keep_previous=True)
    progress(1.0)
    return written


def _name_sheets(project: Project) -> None:
    """Give sheets that are new to the project names inside its folder."""
    taken = {each.sheet for each in project.tilesets if each.origin is None}
    named: dict[Path, str] = {}
    for tileset in project.tilesets:
        if tileset.origin is None:
            continue
        if tileset.origin in named:  # regions of one sheet share its file
            tileset.sheet = named[tileset.origin]
            continue
        suffix = tileset.origin.suffix.lower()
        stem, number = file_stem(tileset.origin.stem), 1
        while (name := f"{stem}{'' if number == 1 else f'-{number}'}{suffix}") in taken:
            number += 1
        taken.add(name)
        tileset.sheet = named[tileset.origin] = name


def _sheet_copy(project: Project, tileset: Tileset, folder: Path) -> dict[Path, bytes]:
    if tileset.unsaved and tileset.picture is not None:
        return {folder / tileset.sheet: png_bytes(tileset.picture)}
    source = tileset.origin
    if source is None and project.folder is not None:
        source = project.folder / tileset.sheet
    target = folder / tileset.sheet
    if source is None or not source.exists() or source.absolute() == target:
        return {}
    try:
        return {target: source.read_bytes()}
    except OSError as error:
        raise PlaceError(f"{source} can not be read ({error.strerror}): nothing saved") from error


def settle_after_save(project: Project, folder: Path) -> None:
    """Note that a save to this folder worked: the sheets lie there now."""
    project.folder = folder.absolute()
    for tileset in project.tilesets:
        tileset.origin = None
        tileset.unsaved = False


def frames_tileset(
    path: Path, frames: list[Picture], name: str, times_ms: list[int] | None = None
) -> Tileset:
    """Lay the frames of an animation out as the tiles of a new sheet, row by row.

    With times, the first tile shows all of them in turn.
    """
    height, width = frames[0].shape[:2]
    columns = max(1, min(len(frames), MAX_SIDE_PX // width, round(len(frames) ** 0.5 * 1.5)))
    rows = -(-len(frames) // columns)
    sheet = np.zeros((rows * height, columns * width, 4), np.uint8)
    for number, frame in enumerate(frames):
        row, col = divmod(number, columns)
        sheet[row * height : (row + 1) * height, col * width : (col + 1) * width] = frame
    made = Tileset(
        name,
        f"{file_stem(path.stem)}-frames.png",
        sheet.shape[1],
        sheet.shape[0],
        Slicing(width, height),
        picture=sheet,
        unsaved=True,
    )
    if times_ms:
        shown = zip(range(len(frames)), times_ms)
        made.frames = {(0, 0): tuple(Frame(n // columns, n % columns, ms) for n, ms in shown)}
    return made


def loose_tileset(name: str, pictures: list[tuple[str, Picture]], cell: tuple[int, int]) -> Tileset:
    """Pack pictures of different sizes on a new sheet: a tileset of loose pieces.

    Parameters
    ----------
    pictures : each with the name that its tile gets
    cell : height and width of the cells that they are meant for

    Raises
    ------
    SlicingError
        There are none, or they do not fit one sheet.
    """
    sheet, places = pack([picture for _, picture in pictures])
    made = Tileset(
        name,
        f"{file_stem(name)}-loose.png",
        sheet.shape[1],
        sheet.shape[0],
        Slicing(cell[1], cell[0], pieces=places),
        picture=sheet,
        unsaved=True,
    )
    made.anchors = {(0, number): foot(area) for number, area in enumerate(places)}
    made.labels = {(0, number): label for number, (label, _) in enumerate(pictures)}
    return made


def new_tileset(path: Path, name: str) -> Tileset:
    """Read a picture as a new tileset with a slicing that is only a first guess.

    Raises
    ------
    PictureError
        It is not a picture that can be read.
    """
    picture = read_picture(path)
    height, width = picture.shape[:2]
    size = next((s for s in (16, 32, 8) if width >= s and height >= s), min(width, height))
    side = Slicing(size, size)
    return Tileset(name, path.name, width, height, side, picture=picture, origin=path.absolute())
