"""Writing files so that each is either the old one or the new one, never half of it."""

from __future__ import annotations

import os
import shutil
from collections.abc import Mapping
from pathlib import Path
from tempfile import NamedTemporaryFile

from knitground.core.base.errors import PlaceError


def write_all(files: Mapping[Path, bytes], *, keep_previous: bool = False) -> list[Path]:
    """Write several files together.

    All are written and synced under temporary names first; only if that worked for every one are
    they renamed. A file whose contents would not change is left alone.

    Parameters
    ----------
    files : contents by path
    keep_previous : leave what was there as `NAME.previous`

    Returns
    -------
    the paths that were written

    Raises
    ------
    PlaceError
        A folder can not be made, or a disk is full or read-only; the old files are intact.
    """
    waiting: dict[Path, Path] = {}
    try:
        for path, data in files.items():
            path.parent.mkdir(parents=True, exist_ok=True)
            if not _holds(path, data):
                waiting[path] = _temporary(path, data)
        for path, temporary in list(waiting.items()):
            if keep_previous and path.exists():
                shutil.copy2(path, path.with_name(path.name + ".previous"))
            temporary.replace(path)
    except OSError as error:
        where = error.filename or "the folder"
        raise PlaceError(
            f"{where} can not be written ({error.strerror}): nothing was changed there; "
            "make room or choose another folder"
        ) from error
    finally:
        for temporary in waiting.values():
            temporary.unlink(missing_ok=True)
    for folder in {path.parent for path in waiting}:
        _sync_folder(folder)
    return list(waiting)


def _holds(path: Path, data: bytes) -> bool:
    try:
        return path.stat().st_size == len(data) and path.read_bytes() == data
    except OSError:
        return False


def _temporary(path: Path, data: bytes) -> Path:
    with NamedTemporaryFile(dir=path.parent, prefix=f".{path.name}.", delete=False) as file:
        temporary = Path(file.name)
        try:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        except BaseException:
            temporary.unlink(missing_ok=True)
            raise
    temporary.chmod(0o666 & ~_umask())
    return temporary


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def _sync_folder(folder: Path) -> None:
    try:
        handle = os.open(folder, os.O_RDONLY)
    except OSError:
        return
    try:
        os.fsync(handle)
    except OSError:
        return
    finally:
        os.close(handle)
