"""Edits of the tray: patches kept for later."""

from __future__ import annotations

from dataclasses import replace

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.edit.atoms import SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.model.limits import MAX_TRAY
from knitground.core.model.patch import Patch
from knitground.core.model.project import Project, free_name


def keep_patch(project: Project, patch: Patch) -> tuple[Edit, Patch]:
    """Put a patch into the tray, under a name that no other one has."""
    if len(project.tray) >= MAX_TRAY:
        raise EditError(
            say("the tray holds at most {max_tray} patches: take some out first", max_tray=MAX_TRAY)
        )
    name = free_name(patch.name, [each.name for each in project.tray])
    kept = replace(patch, name=name)
    return _tray_edit(project, [*project.tray, kept], say("Keep patch “{name}”", name=name)), kept


def rename_patch(project: Project, patch: Patch, name: str) -> Edit:
    """Give a patch of the tray another name."""
    name = name.strip()
    if not name:
        raise EditError(say("a patch needs a name: type one"))
    if any(each.name == name and each is not patch for each in project.tray):
        raise EditError(say("there is a patch “{name}” already: give another name", name=name))
    tray = [replace(patch, name=name) if each is patch else each for each in project.tray]
    return _tray_edit(project, tray, say("Rename patch “{name}”", name=patch.name))


def drop_patch(project: Project, patch: Patch) -> Edit:
    """Take a patch out of the tray."""
    tray = [each for each in project.tray if each is not patch]
    return _tray_edit(project, tray, say("Take patch “{name}” out of the tray", name=patch.name))


def _tray_edit(project: Project, tray: list[Patch], name: str) -> Edit:
    return Edit(name, (SetField(project, "tray", tray, Changed(What.TRAY)),))
