"""Reading files that may be anything: pipes, devices, files of many gigabytes."""

from __future__ import annotations

import os
import stat
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO

from knitground.core.base.errors import KnitError, PlaceError
from knitground.core.base.tongue import say

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
                raise error(
                    say(
                        "{name} is no plain file{cure}",
                        name=path.name,
                        cure=end or say(": choose one"),
                    )
                )
            if facts.st_size > most:
                why = end or say(": not one of our files")
                raise error(
                    say(
                        "{name} has {st_size} bytes, more than {most}{why}",
                        name=path.name,
                        st_size=facts.st_size,
                        most=most,
                        why=why,
                    )
                )
            with os.fdopen(handle, "rb", closefd=False) as file:
                yield file
        finally:
            os.close(handle)
    except OSError as fault:
        raise error(
            say(
                "{name} can not be read ({strerror}){end}",
                name=path.name,
                strerror=fault.strerror,
                end=end,
            )
        ) from fault
    except ValueError as fault:  # a zero byte in the name
        raise error(
            say("{name!r} is not the name of a file{end}", name=path.name, end=end)
        ) from fault
    except MemoryError as fault:
        raise error(
            say("{name} needs more memory than there is{end}", name=path.name, end=end)
        ) from fault
