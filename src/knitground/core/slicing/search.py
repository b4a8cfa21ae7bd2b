"""Finding tiles by words: names, tags, properties, numbers, terrains that they show."""

from __future__ import annotations

import numpy as np

from knitground.core.model.project import Project
from knitground.core.model.properties import Properties
from knitground.core.model.tileset import Tileset


def matching_tiles(project: Project, tileset: Tileset, words: str) -> frozenset[tuple[int, int]]:
    """Find the tiles that all of some words fit, by row and column.

    A word fits a tile if it is part of its name, of one of its tags or of a property (its name, its
    value, or name=value), if it is its number, or if it is the beginning of the name of a terrain
    that it shows. Case does not matter.

    Examples
    --------
    >>> from knitground.core.model.slicing import Slicing
    >>> from knitground.core.model.tileset import TileFacts
    >>> facts = {(0, 1): TileFacts(name="Tall reeds")}
    >>> sheet = Tileset("s", "s.png", 32, 16, Slicing(16, 16), facts)
    >>> [sorted(matching_tiles(Project(), sheet, words)) for words in ("REED", "0", "tall 0")]
    [[(0, 1)], [(0, 0)], []]
    """
    found: frozenset[tuple[int, int]] | None = None
    for word in words.lower().split():
        hit = frozenset(_matching(project, tileset, word))
        found = hit if found is None else found & hit
    return found if found is not None else frozenset()


def _told(own: Properties) -> list[str]:
    """Give what of properties can be searched for: names, values, and both together."""
    return [text for each in own for text in (each.name, each.value, f"{each.name}={each.value}")]


def _having(tileset: Tileset, tag: str) -> set[tuple[int, int]]:
    if tag:
        return {at for at, fact in tileset.facts.items() if tag in fact.tags}
    return {(row, col) for row in range(tileset.rows) for col in range(tileset.columns)}


def _matching(project: Project, tileset: Tileset, word: str) -> set[tuple[int, int]]:
    hit = {
        at
        for at, fact in tileset.facts.items()
        if any(word in each.lower() for each in (fact.name, *fact.tags, *_told(fact.properties)))
    }
    for default in tileset.defaults:
        if any(word in each.lower() for each in _told(default.properties)):
            hit |= _having(tileset, default.tag)
    if word.isdecimal() and int(word) < tileset.count:
        hit.add(divmod(int(word), tileset.columns))
    for owner in project.tilesets:
        for kit in owner.sets:
            guest = None if owner is tileset else tileset.name
            if guest is not None and guest not in kit.guests:
                continue
            marks = kit.marks_within(tileset.rows, tileset.columns, guest)
            for number, terrain in enumerate(kit.terrains, 1):
                if terrain.name.lower().startswith(word):
                    rows, cols = np.nonzero((marks == number).any(axis=2))
                    hit |= set(zip(rows.tolist(), cols.tolist()))
    return hit
