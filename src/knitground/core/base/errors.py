"""Every error the program raises on purpose.

A message names the value that is wrong, the limit it broke and the cure, in one line.

    KnitError
    ├── PictureError    a file that should hold a picture does not
    ├── SlicingError    numbers that do not cut a sheet
    ├── FormatError     a project, tileset or map file that can not be read
    ├── PlaceError      a path that leaves the project folder or can not be written
    │   └── Conflict    files that saving would overwrite have changed meanwhile
    ├── EditError       a change that the project can not take
    ├── GrowError       a recipe step that can not run
    ├── Cancelled       somebody pressed Cancel; nothing has changed
    └── Fault           the program itself failed in long work; nothing has changed
"""

import re
from collections.abc import Sequence

from knitground.core.base.tongue import say

_BREAKS = re.compile(r"[\x00-\x1f\x7f\x85\u2028\u2029]+")


def one_line(text: str) -> str:
    r"""Put text that may hold line breaks, or what no file can hold, on one line.

    Examples
    --------
    >>> one_line("a name\nof two lines")
    'a name of two lines'
    """
    return _BREAKS.sub(" ", text).encode("utf-8", "backslashreplace").decode()


class KnitError(Exception):
    """Base of all errors with a message meant for the person at the screen: one line."""

    def __init__(self, message: str) -> None:
        super().__init__(one_line(message))


class PictureError(KnitError):
    """A file that should hold a picture does not, or its size is out of bounds."""


class SlicingError(KnitError):
    """Numbers that do not cut the sheet into tiles."""


class FormatError(KnitError):
    """A project, tileset or map file whose contents can not be read."""


class PlaceError(KnitError):
    """A path that leaves the project folder, is missing, or can not be written."""


class Conflict(PlaceError):  # noqa: N818 - reads as a state, not as a fault
    """Saving would overwrite files that changed since they were read, or that are not ours."""

    def __init__(self, message: str, names: Sequence[str]) -> None:
        super().__init__(message)
        self.names = tuple(names)


class EditError(KnitError):
    """A change that the project can not take as it stands."""


class GrowError(KnitError):
    """A recipe step that can not run as it is set."""


class Cancelled(KnitError):  # noqa: N818 - reads as a state, not as a fault
    """Long work was called off; nothing has changed."""


class Fault(KnitError):  # noqa: N818
    """A fault of the program, told in plain words; `cause` is the error itself."""

    def __init__(self, cause: BaseException) -> None:
        super().__init__(
            say(
                "something went wrong in the program ({name}: {cause}); nothing has changed",
                name=type(cause).__name__,
                cause=str(cause)[:200],
            )
        )
        self.cause = cause
