"""What the program remembers between runs: recent projects, theme, widths of benches."""

from __future__ import annotations

import json
from contextlib import suppress
from hashlib import blake2b
from pathlib import Path
from typing import Any

from platformdirs import (
    user_data_path,
    user_documents_path,
    user_log_path,
    user_state_path,
)

from knitground.core.base.errors import KnitError
from knitground.core.files.images import png_bytes
from knitground.core.files.places import PROJECT_NAME
from knitground.core.files.vault import write_together
from knitground.core.model.project import Project
from knitground.core.render.atlas import Atlas
from knitground.core.render.pixels import straight
from knitground.core.render.small import small_picture
from knitground.ui.common.language import memory_file
from knitground.ui.project.recentfiles import note_recent

_NAME = "Knit Ground"
_RECENT = 10


class Memory:
    """A small JSON file in the person's configuration folder; a broken one counts as none.

    Parameters
    ----------
    folder : where all of it lies, instead of in the person's own folders

    `recovery`, `presence`, `log` and `recipes` are the folders of kept copies, of what is open in
    which window, of faults, and of recipes that are kept to begin other maps with.
    """

    def __init__(self, folder: Path | None = None) -> None:
        self._file = memory_file(folder)
        self._pictures = self._file.parent / "pictures"
        self.recovery = (folder or user_data_path(_NAME, appauthor=False)) / "recovery"
        self.presence = (folder or user_state_path(_NAME, appauthor=False)) / "open"
        self.log = folder / "log" if folder else user_log_path(_NAME, appauthor=False)
        self.recipes = (folder or user_data_path(_NAME, appauthor=False)) / "recipes"
        self._desktop = (folder or user_data_path()) / "recently-used.xbel"
        self._facts: dict[str, Any] = {}
        try:
            loaded = json.loads(self._file.read_text(encoding="utf-8"))
            self._facts = loaded if isinstance(loaded, dict) else {}
        except (OSError, ValueError, RecursionError):
            self._facts = {}

    def get(self, key: str, default: Any) -> Any:
        """Return what was kept under a key, if it is of the default's type."""
        value = self._facts.get(key, default)
        return value if isinstance(value, type(default)) else default

    def keep(self, key: str, value: Any) -> None:
        """Keep a value; a folder that can not be written is no reason to stop."""
        if self._facts.get(key) == value:
            return
        self._facts[key] = value
        text = json.dumps(self._facts, indent=1)
        with suppress(KnitError, UnicodeEncodeError):
            write_together(self._file.parent, {self._file.name: text.encode()}, durable=False)

    @property
    def recent(self) -> list[Path]:
        """Projects that were open lately and are still there, the last one first."""
        names = [Path(each) for each in self.get("recent", []) if isinstance(each, str)]
        return [path for path in names if _exists(path)]

    def add_recent(self, folder: Path) -> None:
        """Put a project at the head of the recent ones."""
        note_recent(folder / PROJECT_NAME, self._desktop)
        names = [str(folder), *(str(each) for each in self.recent if each != folder)]
        self.keep("recent", names[:_RECENT])

    def keep_picture(self, folder: Path, project: Project) -> None:
        """Keep a small picture of a project's first map, for the start page."""
        if not project.maps:
            return
        map_ = project.maps[0]
        data = png_bytes(straight(small_picture(map_, Atlas(project, map_))))
        with suppress(KnitError):
            write_together(self._pictures, {_picture_name(folder): data}, durable=False)

    def picture(self, folder: Path) -> Path | None:
        """Where the small picture of a project is; None if there is none."""
        path = self._pictures / _picture_name(folder)
        return path if _exists(path) else None


def _picture_name(folder: Path) -> str:
    key = str(folder).encode("utf-8", "surrogatepass")
    return f"{blake2b(key, digest_size=12).hexdigest()}.png"


def _exists(path: Path) -> bool:
    try:
        return path.exists()
    except (OSError, ValueError):
        return False


def projects_folder() -> Path:
    """Where people keep what they make: their documents, or their home."""
    documents = user_documents_path()
    return documents if documents.is_dir() else Path.home()


def demo_folder() -> Path:
    """Where the demo project is written when it is opened from the window."""
    return user_data_path(_NAME, appauthor=False) / "demo" / "Harl Pans"
