"""Properties of one or many things at once: put, renamed, taken away, and what all share."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.model.properties import Properties, Property, PropertyKind, checked_value


def check_property(new: Property, old: str, taken: Iterable[str]) -> None:
    """See to it that a property may be put in place of the one called `old`, "" if it is new.

    Parameters
    ----------
    taken : names of all properties of those that get it

    Raises
    ------
    EditError
        It has no name or one that is taken, or its value is not of its kind.
    """
    if not new.name.strip():
        raise EditError(say("a property needs a name: type one"))
    checked_value(new)
    if old and old != new.name and new.name in set(taken):
        raise EditError(
            say("there is a property “{name}” already: give another name", name=new.name)
        )


def with_property(
    own: Properties, new: Property, old: str = "", *, keep: bool = False
) -> Properties:
    """Put a property in place of the one called `old` or of the same name, else behind the others.

    Parameters
    ----------
    keep : whether a thing keeps its own value as far as it is of the kind; one without the property
        then gets none

    Examples
    --------
    >>> own = (Property("a", "1"), Property("b", "2"))
    >>> [(each.name, each.value) for each in with_property(own, Property("c", "3"), "a")]
    [('c', '3'), ('b', '2')]
    >>> [(each.name, each.value) for each in with_property(own, Property("c"), "a", keep=True)]
    [('c', '1'), ('b', '2')]
    """
    names = [each.name for each in own]
    key = old if old in names else new.name
    if key in names:
        return tuple(
            (_kept(new, each) if keep else new) if each.name == key else each for each in own
        )
    return own if keep else (*own, new)


def _kept(new: Property, old: Property) -> Property:
    """Give a property as it is to be with the value that it had, if that is of its kind."""
    choices = new.choices
    if new.kind is PropertyKind.CHOICE and old.value not in choices:
        choices = (*choices, old.value)
    kept = replace(new, value=old.value, choices=choices)
    try:
        checked_value(kept)
    except EditError:
        return new
    return kept


def without_property(own: Properties, name: str) -> Properties:
    """Take a property away."""
    return tuple(each for each in own if each.name != name)


def shared_properties(things: Iterable[Properties]) -> list[tuple[Property, bool]]:
    """List the properties that any of some things has, and whether all have the same one."""
    every = list({id(each): each for each in things}.values())  # many have the same ones
    found: dict[str, Property] = {}
    same: dict[str, bool] = {}
    for each in (each for own in every for each in own):
        first = found.setdefault(each.name, each)
        same[each.name] = same.get(each.name, True) and first == each
    for own in every:
        names = {each.name for each in own}
        for name in found:
            same[name] &= name in names
    return [(found[name], same[name]) for name in found]
