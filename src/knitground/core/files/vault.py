"""Changing several files of a folder together: all of them or none, whenever the program stops.

The new files are written beside the old ones, into a folder `.knit-save`, and the old ones are
linked there too. Renaming one file, the list of what is to be done, is the switch: before it the
old files count, after it the new ones. What is left is putting each file into its place, which can
be done again by anybody who finds the list (`settle`): the next save, or the next reader. A fault
after the switch turns it back in the same way. (Own derivation of a redo log.)
"""

from __future__ import annotations

import fcntl
import json
import os
import shutil
from collections.abc import Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from time import monotonic, sleep

from knitground.core.base.errors import PlaceError

JOURNAL = ".knit-save"
_LIST, _BACK = "list.json", "back.json"
_PATIENCE_SECONDS = 20.0


@dataclass(frozen=True)
class _Task:
    """One file: its name in the folder, its number in the journal, and what is to happen."""

    name: str
    number: int
    existed: bool
    gone: bool
    keep: bool


def write_together(
    folder: Path,
    files: Mapping[str, bytes | None],
    *,
    keep_previous: bool = False,
    durable: bool = True,
) -> list[str]:
    """Write files of a folder together; one whose contents would not change is left alone.

    Parameters
    ----------
    files : contents by name inside the folder; None takes a file away
    keep_previous : leave what was there as `NAME.previous`
    durable : wait until the disk has everything; False for what can be made again

    Returns
    -------
    names of the files that are different now

    Raises
    ------
    PlaceError
        The folder can not be made or written, or the disk is full: all files are as before.
    """
    at: Path = folder
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with lock(folder):
            settle(folder)
            fresh = {n: data for n, data in files.items() if not _holds(folder / n, data)}
            if not fresh:
                return []
            journal = folder / JOURNAL
            try:
                tasks = []
                _make(journal)
                for number, (name, data) in enumerate(fresh.items()):
                    at = folder / name
                    tasks.append(_prepare(folder, name, data, number, keep_previous, durable))
                at = folder
                _switch(journal, tasks, durable)
            except BaseException:
                shutil.rmtree(journal, ignore_errors=True)
                raise
            try:
                for task in tasks:
                    at = folder / task.name
                    _put(folder, task)
            except BaseException:
                _turn_back(folder, tasks)
                raise
            with suppress(OSError):  # everything counts by now; the next one tidies up
                _tidy(folder, tasks)
            if durable:
                for parent in {(folder / name).parent for name in fresh}:
                    _sync_folder(parent)
    except OSError as error:
        where = at.name if at != folder else str(folder)
        raise PlaceError(
            f"{where} can not be written ({error.strerror or error}): all files there are as "
            "before; make room or choose another folder"
        ) from error
    return list(fresh)


def settle(folder: Path) -> None:
    """Finish, or turn back, what a program left undone that stopped while saving.

    Raises
    ------
    OSError
        The folder can not be written; `waiting` tells what counts then.
    """
    journal = folder / JOURNAL
    if not journal.is_dir():
        return
    back, tasks = _tasks_in(journal)
    if back:
        _turn_back(folder, tasks)
    elif tasks:
        for task in tasks:
            _put(folder, task)
        _tidy(folder, tasks)
    else:
        shutil.rmtree(journal)


def waiting(folder: Path) -> dict[str, Path | None]:
    """Tell which files of a folder count instead of those in their places.

    None if nothing is left undone, as always when the folder could be written. A file that is to
    be gone has no path.
    """
    journal = folder / JOURNAL
    back, tasks = _tasks_in(journal)
    out: dict[str, Path | None] = {}
    for task in tasks:
        new, old = journal / f"new{task.number}", journal / f"old{task.number}"
        if back:
            if old.exists():
                out[task.name] = old
            elif not task.existed:
                out[task.name] = None
        elif task.gone:
            out[task.name] = None
        elif new.exists():
            out[task.name] = new
    return out


@contextmanager
def lock(folder: Path, *, shared: bool = False) -> Iterator[None]:
    """Keep other programs from saving in a folder, or (shared) from saving while it is read.

    Raises
    ------
    PlaceError
        Another program has been saving there for 20 seconds.
    """
    handle = os.open(folder, os.O_RDONLY)
    try:
        until = monotonic() + _PATIENCE_SECONDS
        how = fcntl.LOCK_SH if shared else fcntl.LOCK_EX
        while True:
            try:
                fcntl.flock(handle, how | fcntl.LOCK_NB)
                break
            except BlockingIOError:
                if monotonic() > until:
                    raise PlaceError(
                        f"{folder} is being saved by another program: try again in a moment"
                    ) from None
                sleep(0.02)
            except OSError:
                break  # a file system without locks: better to go on than to refuse
        yield
    finally:
        os.close(handle)


def _make(journal: Path) -> None:
    with suppress(FileNotFoundError):
        shutil.rmtree(journal)
    journal.mkdir()


def _prepare(
    folder: Path, name: str, data: bytes | None, number: int, keep: bool, durable: bool
) -> _Task:
    """Write a file's new contents into the journal, and put its old ones there too."""
    path, journal = _place(folder, name), folder / JOURNAL
    path.parent.mkdir(parents=True, exist_ok=True)
    if path.is_dir():
        raise IsADirectoryError(21, "a folder lies there")
    if data is not None:
        write(journal / f"new{number}", data, durable)
    existed = path.exists()
    if existed:
        if not os.access(path.parent, os.W_OK):
            raise PermissionError(13, "Permission denied")
        _link(path, journal / f"old{number}")
    return _Task(name, number, existed, data is None, keep)


def _link(path: Path, target: Path) -> None:
    try:
        os.link(path, target)
    except OSError:  # a file system without links
        write(target, path.read_bytes(), durable=True)


def _place(folder: Path, name: str) -> Path:
    """Where a file is written: a link stays a link, and what it leads to is replaced."""
    path = folder / name
    return path.resolve() if path.is_symlink() else path


def _switch(journal: Path, tasks: list[_Task], durable: bool) -> None:
    """Make the new files count: one renaming."""
    draft = journal / "draft.json"
    write(draft, json.dumps([list(vars(task).values()) for task in tasks]).encode(), durable)
    if durable:
        _sync_folder(journal)
    rename(draft, journal / _LIST)
    if durable:
        _sync_folder(journal)


def _tasks_in(journal: Path) -> tuple[bool, list[_Task]]:
    """Read what is to be done; returns whether it is to be turned back, and the tasks."""
    for name in (_BACK, _LIST):
        with suppress(OSError, ValueError, TypeError):
            found = json.loads((journal / name).read_bytes())
            return name == _BACK, [_Task(*each) for each in found]
    return False, []


def _put(folder: Path, task: _Task) -> None:
    """Put a new file into its place; nothing to do if that has been done."""
    path, new = _place(folder, task.name), folder / JOURNAL / f"new{task.number}"
    if task.gone:
        path.unlink(missing_ok=True)
    elif new.exists():
        rename(new, path)


def _tidy(folder: Path, tasks: list[_Task]) -> None:
    """Keep the old files under another name, and take the journal away; its list last."""
    journal = folder / JOURNAL
    for task in tasks:
        old = journal / f"old{task.number}"
        if task.keep and old.exists():
            path = _place(folder, task.name)
            rename(old, path.with_name(path.name + ".previous"))
        old.unlink(missing_ok=True)
    (journal / _LIST).unlink(missing_ok=True)
    shutil.rmtree(journal, ignore_errors=True)


def _turn_back(folder: Path, tasks: list[_Task]) -> None:
    """Put the old files back."""
    journal = folder / JOURNAL
    with suppress(FileNotFoundError):
        rename(journal / _LIST, journal / _BACK)
    for task in tasks:
        path, old = _place(folder, task.name), journal / f"old{task.number}"
        if old.exists():
            rename(old, path)
        elif not task.existed:
            path.unlink(missing_ok=True)
    (journal / _BACK).unlink(missing_ok=True)
    shutil.rmtree(journal, ignore_errors=True)


def write(path: Path, data: bytes, durable: bool = True) -> None:
    """Write a file that is not there yet, or overwrite it in place."""
    with path.open("wb") as file:
        file.write(data)
        if durable:
            file.flush()
            os.fsync(file.fileno())


def rename(old: Path, new: Path) -> None:
    """Put a file in another one's place, in one act."""
    old.replace(new)


def _holds(path: Path, data: bytes | None) -> bool:
    if data is None:
        return not path.exists()
    try:
        return path.stat().st_size == len(data) and path.read_bytes() == data
    except OSError:
        return False


def _sync_folder(folder: Path) -> None:
    with suppress(OSError):
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)
