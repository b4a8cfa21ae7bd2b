"""Edits of profiles: what a project ships, how and where."""

from __future__ import annotations

from pathlib import PurePosixPath

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.edit.atoms import SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.model.profile import Profile
from knitground.core.model.project import Project

_MOST = 256


def put_profile(project: Project, profile: Profile, instead_of: str = "") -> Edit:
    """Add a profile, or put it in the place of the one of another name.

    Raises
    ------
    EditError
        Another one has its name, there are too many, or its folder leads out of the project's.
    """
    name = profile.name.strip()
    others = [each.name for each in project.profiles if each.name != instead_of]
    if not name:
        raise EditError(say("a profile needs a name"))
    if name in others:
        raise EditError(say("there is a profile “{name}” already: give another name", name=name))
    if len(others) >= _MOST:
        raise EditError(say("a project has at most {most} profiles: delete one", most=_MOST))
    check_folder(profile.folder)
    there = list(project.profiles)
    place = next((n for n, each in enumerate(there) if each.name == instead_of), len(there))
    there[place : place + 1] = [profile]
    return _edit(project, tuple(there), say("Change profile “{name}”", name=name))


def remove_profile(project: Project, name: str) -> Edit:
    """Take a profile away; what it shipped stays where it is."""
    left = tuple(each for each in project.profiles if each.name != name)
    return _edit(project, left, say("Delete profile “{name}”", name=name))


def check_folder(folder: str) -> None:
    """Refuse folders that lead out of the project's own.

    Raises
    ------
    EditError
        It is one of them.
    """
    path = PurePosixPath(folder.strip().replace("\\", "/"))
    if path.is_absolute() or ".." in path.parts or not path.parts or ":" in folder:
        raise EditError(
            say(
                "“{folder}” is not inside the project's folder: a profile names a folder in "
                "it, such as shipped/game; ship elsewhere with a folder typed here or with "
                "--to",
                folder=folder[:60],
            )
        )


def _edit(project: Project, new: tuple[Profile, ...], name: str) -> Edit:
    if new == project.profiles:
        return Edit(name, ())
    return Edit(name, (SetField(project, "profiles", new, Changed(What.SHIPPING)),))
