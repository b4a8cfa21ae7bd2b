"""Reading files that may be anything: pipes, devices, files of many gigabytes."""

from __future__ import annotations

import os
import stat
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO

from knitground.core.base.errors import KnitError, PlaceError

MAX_BYTES = 1024 * 1024 * 1024


def read_file(
    path: Path, most: int = MAX_BYTES, error: type[KnitError] = PlaceError, cure: str = ""
) -> bytes:
    """Read a plain file of at most so many bytes.

    Raises
    ------
    error
        It is missing, can not be read, is no plain file (a folder, a pipe, a device), or larger.
    """
    with plain_file(path, most, error, cure) as file:
        # Room is made for as much as is asked for: not for `most` each time.
        return file.read(os.fstat(file.fileno()).st_size + 1)


@contextmanager
def plain_file(
    path: Path, most: int = MAX_BYTES, error: type[KnitError] = PlaceError, cure: str = ""
) -> Iterator[IO[bytes]]:
    """Open a plain file of at most so many bytes; raises as `read_file`."""
    end = f": {cure}" if cure else ""
    try:
        # Without waiting: a pipe that nobody writes to would never open.
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK)
        try:
            facts = os.fstat(handle)
            if not stat.S_ISREG(facts.st_mode):
                raise error(f"{path.name} is no plain file{end or ': choose one'}")
            if facts.st_size > most:
                why = end or ": not one of our files"
                raise error(f"{path.name} has {facts.st_size} bytes, more than {most}{why}")
            with os.fdopen(handle, "rb", closefd=False) as file:
                yield file
        finally:
            os.close(handle)
    except OSError as fault:
        raise error(f"{path.name} can not be read ({fault.strerror}){end}") from fault
    except ValueError as fault:  # a zero byte in the name
        raise error(f"{path.name!r} is not the name of a file{end}") from fault
    except MemoryError as fault:
        raise error(f"{path.name} needs more memory than there is{end}") from fault
