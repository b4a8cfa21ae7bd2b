"""Whether a project still fits into memory: the same bounds as when it is opened."""

from __future__ import annotations

from collections.abc import Iterable

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.edit.atoms import Atom
from knitground.core.edit.changed import What
from knitground.core.model.limits import MAX_PROJECT_CELLS, MAX_SHEETS_BYTES, sheet_words
from knitground.core.model.project import Project

_GROWS = {What.LAYERS, What.MAPS, What.SIZE, What.TILESETS, What.SLICING}


def check_room(project: Project, atoms: Iterable[Atom]) -> None:
    """Refuse what makes a project larger than one that can be opened.

    Raises
    ------
    EditError
        All layers of all maps have more cells, or all sheets take more memory, than a project may
        have, or a sheet is too large.
    """
    if not any(atom.changed.what in _GROWS for atom in atoms):
        return
    cells = sum(each.height * each.width * max(1, len(each.layers)) for each in project.maps)
    if cells > MAX_PROJECT_CELLS:
        raise EditError(
            say(
                "the project's layers would have {cells} cells, more than "
                "{max_project_cells}: delete layers or maps first, or begin another project",
                cells=cells,
                max_project_cells=MAX_PROJECT_CELLS,
            )
        )
    for each in project.tilesets:
        why = sheet_words(each.width, each.height) if each.picture is not None else ""
        if why:
            raise EditError(
                say(
                    "“{name}”: a sheet of {why}; cut it into smaller sheets",
                    name=each.name,
                    why=why,
                )
            )
    if project.sheets_room < 0:
        raise EditError(
            say(
                "the project's sheets would take more than {max_sheets_bytes} MB of memory: "
                "remove sheets first, or begin another project",
                max_sheets_bytes=MAX_SHEETS_BYTES >> 20,
            )
        )
