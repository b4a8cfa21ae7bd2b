"""Edits of what is said to be no fault."""

from __future__ import annotations

from collections.abc import Collection

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.edit.atoms import SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.model.excuse import Excuse
from knitground.core.model.project import Project

_MOST, _LONGEST = 10_000, 1000


def excuse(project: Project, keys: Collection[str], why: str = "") -> Edit:
    """Say that findings are no fault; those that were said so already take the new reason.

    Raises
    ------
    EditError
        There would be more than 10 000.
    """
    kept = [each for each in project.excused if each.key not in keys]
    new = (*kept, *(Excuse(key[:_LONGEST], why.strip()) for key in dict.fromkeys(keys)))
    if len(new) > _MOST:
        raise EditError(
            say("more than {most} findings would be no fault: take some back", most=_MOST)
        )
    count = len(dict.fromkeys(keys))
    words = say("Not a fault") if count == 1 else say("{count} findings are no fault", count=count)
    return Edit(words, (SetField(project, "excused", new, Changed(What.PROOF)),))


def accuse(project: Project, keys: Collection[str]) -> Edit:
    """Take back that findings are no fault."""
    new = tuple(each for each in project.excused if each.key not in keys)
    return Edit(say("A fault after all"), (SetField(project, "excused", new, Changed(What.PROOF)),))
