"""What the program remembers between runs: recent projects, theme, widths of benches."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from platformdirs import user_config_path, user_data_path

from knitground.core.base.errors import KnitError
from knitground.core.files.atomic import write_all

_NAME = "Knit Ground"


class Memory:
    """A small JSON file in the person's configuration folder; a broken one counts as none."""

    def __init__(self, folder: Path | None = None) -> None:
        self._file = (folder or user_config_path(_NAME, appauthor=False)) / "memory.json"
        self._facts: dict[str, Any] = {}
        try:
            loaded = json.loads(self._file.read_text(encoding="utf-8"))
            self._facts = loaded if isinstance(loaded, dict) else {}
        except (OSError, ValueError):
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
        try:
            write_all({self._file: json.dumps(self._facts, indent=1).encode()})
        except KnitError:
            return

    @property
    def recent(self) -> list[Path]:
        """Projects that were open lately and are still there, the last one first."""
        names = [Path(each) for each in self.get("recent", []) if isinstance(each, str)]
        return [path for path in names if path.exists()]

    def add_recent(self, folder: Path) -> None:
        """Put a project at the head of the recent ones."""
        names = [str(folder), *(str(each) for each in self.recent if each != folder)]
        self.keep("recent", names[:10])


def recovery_folder() -> Path:
    """Where a project is saved when the program comes to a bad end."""
    return user_data_path(_NAME, appauthor=False) / "recovery"


def demo_folder() -> Path:
    """Where the demo project is written when it is opened from the window."""
    return user_data_path(_NAME, appauthor=False) / "demo" / "Harl Pans"
