"""Every error the program raises on purpose.

A message names the value that is wrong, the limit it broke and the cure, in one line.

    KnitError
    ├── PictureError    a file that should hold a picture does not
    ├── SlicingError    numbers that do not cut a sheet
    ├── FormatError     a project, tileset or map file that can not be read
    ├── PlaceError      a path that leaves the project folder or can not be written
    ├── EditError       a change that the project can not take
    ├── GrowError       a recipe step that can not run
    └── Cancelled       somebody pressed Cancel; nothing has changed
"""


class KnitError(Exception):
    """Base of all errors with a message meant for the person at the screen."""


class PictureError(KnitError):
    """A file that should hold a picture does not, or its size is out of bounds."""


class SlicingError(KnitError):
    """Numbers that do not cut the sheet into tiles."""


class FormatError(KnitError):
    """A project, tileset or map file whose contents can not be read."""


class PlaceError(KnitError):
    """A path that leaves the project folder, is missing, or can not be written."""


class EditError(KnitError):
    """A change that the project can not take as it stands."""


class GrowError(KnitError):
    """A recipe step that can not run as it is set."""


class Cancelled(KnitError):  # noqa: N818 - reads as a state, not as a fault
    """Long work was called off; nothing has changed."""
