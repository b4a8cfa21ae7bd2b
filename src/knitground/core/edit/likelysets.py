"""From likely sets to terrain sets: found on a sheet, named by colour, added in one step."""

from __future__ import annotations

import colorsys
from collections.abc import Callable, Iterable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import EditError, SlicingError
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import later, say
from knitground.core.edit.artcolour import art_colour
from knitground.core.edit.document import Edit
from knitground.core.edit.terrainlist import free_colour, free_letter
from knitground.core.edit.terrains import add_set
from knitground.core.knit.faces import square_faces
from knitground.core.knit.guess import guess_all
from knitground.core.knit.likelysets import SetGuess, find_sets
from knitground.core.model.project import Project, free_name
from knitground.core.model.terrain import (
    NOTHING,
    UNKNOWN,
    SetKind,
    Slot,
    Terrain,
    TerrainSet,
    no_marks,
)
from knitground.core.model.tileset import At, Picture, Tileset
from knitground.core.slicing.grid import cut_tile

_HUES = (
    (0.03, later("red")),
    (0.1, later("orange")),
    (0.18, later("yellow")),
    (0.42, later("green")),
    (0.55, later("teal")),
    (0.7, later("blue")),
    (0.8, later("violet")),
    (0.94, later("pink")),
    (1.01, later("red")),
)
_WHOLE = {SetKind.CORNER: 16, SetKind.EDGE: 16, SetKind.RING: 47}
MAX_TILES = 4096
_SMOOTH, _ROUGH, _STRIPED = 4.0, 10.0, 2.5
"""Levels from one pixel to the next below which a tile is smooth, above which it is rough; how
often as large they are one way as the other where it is striped."""
_TOP, _BOTTOM = (Slot.NW, Slot.N, Slot.NE), (Slot.SW, Slot.S, Slot.SE)
_LEFT, _RIGHT = (Slot.NW, Slot.W, Slot.SW), (Slot.NE, Slot.E, Slot.SE)


def sheet_sets(
    tileset: Tileset,
    progress: Progress = no_progress,
    found: Callable[[SetGuess], object] = lambda _: None,
) -> list[SetGuess]:
    """Find the likely sets of a sheet, the best first; tiles of its sets and left-out ones apart.

    Parameters
    ----------
    found : is told each as soon as it is found

    Raises
    ------
    SlicingError
        The sheet is missing, or has too many tiles.
    """
    if tileset.picture is None:
        raise SlicingError(
            say("the sheet of “{name}” is missing: find it first", name=tileset.name)
        )
    if tileset.count > MAX_TILES:
        raise SlicingError(
            say(
                "“{name}” has {count} tiles; likely sets are looked for among {max_tiles} at "
                "most: take an area of it as a sheet of its own",
                name=tileset.name,
                count=tileset.count,
                max_tiles=MAX_TILES,
            )
        )
    taken = marked_places(tileset)
    places, tiles = [], []
    for at in np.ndindex(tileset.rows, tileset.columns):
        if not taken[at] and at not in tileset.left_out:
            places.append((int(at[0]), int(at[1])))
            tiles.append(cut_tile(tileset.picture, tileset.slicing, *at))
    if not tiles or len({each.shape for each in tiles}) > 1:
        return []  # pieces of different sizes are no set
    return find_sets(np.stack(tiles), places, progress, found)


def marked_places(tileset: Tileset) -> NDArray[np.bool_]:
    """Tell which tiles of a sheet any of its sets has marked: (rows, columns)."""
    out = np.zeros((tileset.rows, tileset.columns), np.bool_)
    for kit in tileset.sets:
        out |= kit.marks_within(tileset.rows, tileset.columns).any(axis=2)
    return out


def still_likely(tileset: Tileset, guess: SetGuess) -> bool:
    """Whether most tiles of a likely set are in no set of the sheet yet."""
    marked = marked_places(tileset)
    inside = [at for at in guess.places if at[0] < marked.shape[0] and at[1] < marked.shape[1]]
    return 2 * sum(bool(marked[at]) for at in inside) < len(guess.places) <= 2 * len(inside)


def guess_words(guess: SetGuess) -> str:
    """Say what a likely set is, in a line."""
    terrains = (
        say("1 terrain")
        if guess.terrains == 1
        else say("{terrains} terrains", terrains=guess.terrains)
    )
    whole = _WHOLE[guess.kind] - (guess.terrains == 1 and guess.kind is not SetKind.RING)
    shown = say("{number} of {whole}", number=min(guess.combinations, whole), whole=whole)
    if guess.terrains > 2:  # not all terrains need to meet
        shown = str(guess.combinations)
    shown += say(" combinations")
    turned = _combinations_turned(guess)
    if turned > guess.combinations:
        shown += say(" ({number} with the tiles turned)", number=min(turned, whole))
    return say(
        "{value} set · {terrains} · {shown} · {count} tiles",
        value=say(guess.kind.value),
        terrains=terrains,
        shown=shown,
        count=len(guess.places),
    )


def _combinations_turned(guess: SetGuess) -> int:
    """Count the combinations of an edge set whose tiles may be turned: ways are often drawn once.

    Where nothing else is known 0, so that it is not told.
    """
    if guess.kind is not SetKind.EDGE:
        return 0
    shown = guess.marks[:, list(SetKind.EDGE.slots)]
    north, west, south, east = shown.T
    turns = [np.roll(np.stack([north, east, south, west], axis=1), n, axis=1) for n in range(4)]
    return len(np.unique(np.concatenate(turns), axis=0))


def kit_of_guess(tileset: Tileset, guess: SetGuess) -> TerrainSet:
    """Make a terrain set of a likely one, its terrains named and coloured after their art."""
    terrains: list[Terrain] = []
    seen: list[Picture] = []
    for number in range(guess.terrains):
        pixels = _art_of(tileset, guess, number)
        given = guess.names[number] if number < len(guess.names) else ""
        name = given or _name_for(pixels, [each.name for each in terrains], seen)
        seen.append(pixels)
        taken = [each.colour for each in terrains]
        colour = art_colour(pixels, taken) or free_colour(taken)
        letter = free_letter(name, [each.letter for each in terrains])
        terrains.append(Terrain(name, colour, letter, guess.plain[number]))
    marks = no_marks(tileset.rows, tileset.columns)
    for at, own in zip(guess.places, guess.marks):
        marks[at] = own
    title, others = ", ".join(each.name for each in terrains), [each.name for each in tileset.sets]
    if title in others:  # two words tell more than a number
        named = zip(terrains, map(texture_word, seen))
        words = [f"{look} {each.name}" if look not in each.name else each.name
                 for each, look in named]  # fmt: skip
        title = ", ".join(words)
    name = free_name(title, others)
    return TerrainSet(name, guess.kind, tuple(terrains), marks)


def _art_of(tileset: Tileset, guess: SetGuess, number: int) -> Picture:
    """Give pixels that show a terrain: its plain tile, or else what tiles show at its slots."""
    assert tileset.picture is not None
    at = guess.plain[number]
    if at is not None:
        return cut_tile(tileset.picture, tileset.slicing, *at)
    own = [(place, marks) for place, marks in zip(guess.places, guess.marks)
           if (marks == number + 1).any()] or [(guess.places[0], guess.marks[0])]  # fmt: skip
    tiles = np.stack([cut_tile(tileset.picture, tileset.slicing, *at) for at, _ in own])
    faces = square_faces(tiles)
    parts = [_at_slot(face, Slot(slot)) for face, (_, marks) in zip(faces, own)
             for slot in np.flatnonzero(marks == number + 1).tolist()]  # fmt: skip
    found = np.concatenate(parts) if parts else tiles[0]
    return found if (found[..., 3] > 0).any() else tiles[0]


def _at_slot(face: Picture, slot: Slot) -> Picture:
    """Give a quarter of a tile's height and width, where a slot is."""
    high, wide = (max(1, side // 4) for side in face.shape[:2])
    down = 0 if slot in _TOP else 1 if slot in _BOTTOM else 0.5
    across = 0 if slot in _LEFT else 1 if slot in _RIGHT else 0.5
    top, left = int(down * (face.shape[0] - high)), int(across * (face.shape[1] - wide))
    return face[top : top + high, left : left + wide]


def named_guess(tileset: Tileset, guess: SetGuess, number: int, name: str) -> SetGuess:
    """Give a likely set with another name for a terrain, counted from 0; "": named by its art.

    Raises
    ------
    EditError
        Another one is called so.
    """
    names = [each.name for each in kit_of_guess(tileset, guess).terrains]
    if name and name in names[:number] + names[number + 1 :]:
        raise EditError(say("two terrains are called “{name}”: give each its own name", name=name))
    own = [*guess.names, *[""] * (guess.terrains - len(guess.names))]
    own[number] = name
    return replace(guess, names=tuple(own))


def without_tiles(guess: SetGuess, places: Iterable[At]) -> SetGuess:
    """Give a likely set that leaves tiles out.

    Raises
    ------
    EditError
        Nothing would be left.
    """
    gone = set(places)
    keep = [n for n, at in enumerate(guess.places) if at not in gone]
    if not keep:
        raise EditError(say("a set needs a tile: leave one in"))
    return _of_tiles(guess, [guess.places[n] for n in keep], guess.marks[keep])


def with_tiles(tileset: Tileset, guess: SetGuess, places: Iterable[At]) -> SetGuess:
    """Give a likely set that takes tiles in; their marks are guessed from those that it has.

    Raises
    ------
    EditError
        A tile is in another set, shows nothing, or looks like none of them.
    """
    taken = marked_places(tileset)
    fresh = [at for at in places if at not in guess.places]
    for at in fresh:
        if taken[at]:
            raise EditError(
                say(
                    "tile {number} is in a set already: take it out there",
                    number=tileset.number(*at),
                )
            )
    if not fresh or tileset.picture is None:
        return guess
    slots = list(guess.kind.slots)
    given = np.full((len(fresh), guess.marks.shape[1]), NOTHING, np.uint8)
    given[:, slots] = UNKNOWN
    pictures = [cut_tile(tileset.picture, tileset.slicing, *at) for at in (*guess.places, *fresh)]
    known = guess.marks.copy()
    if guess.kind is SetKind.RING:
        known[:, Slot.MIDDLE] = 1
    found, _ = guess_all(np.stack(pictures), guess.kind, np.concatenate([known, given]))
    new = found[len(guess.places) :]
    strange = [at for at, own in zip(fresh, new) if not own[slots].any()]
    if strange:
        raise EditError(
            say(
                "tile {number} looks like none of the set's: make the set, then mark it by hand",
                number=tileset.number(*strange[0]),
            )
        )
    return _of_tiles(guess, [*guess.places, *fresh], np.concatenate([guess.marks, new]))


def _of_tiles(guess: SetGuess, places: list[At], marks: NDArray[np.uint8]) -> SetGuess:
    shown = marks[:, list(guess.kind.slots)]
    plain: list[At | None] = []
    for value in range(1, guess.terrains + 1):
        found = np.flatnonzero((shown == value).all(axis=1))
        plain.append(places[int(found[0])] if found.size else None)
    return replace(guess, places=places, marks=marks, plain=tuple(plain),
                   combinations=len(np.unique(shown, axis=0)))  # fmt: skip


def add_likely_set(tileset: Tileset, guess: SetGuess) -> Edit:
    """Add a likely set to its sheet, marks included, as one step."""
    return add_set(tileset, kit_of_guess(tileset, guess))


def with_guess(
    project: Project, tileset: Tileset, guess: SetGuess
) -> tuple[Project, Tileset, TerrainSet]:
    """Give a stand-in of a project that has the set already: to look at what it would knit."""
    kit = kit_of_guess(tileset, guess)
    copy = Tileset(
        tileset.name, tileset.sheet, tileset.width, tileset.height, tileset.slicing,
        tileset.facts, [kit], picture=tileset.picture,
    )  # fmt: skip
    out = Project(project.name, project.folder)
    out.tilesets = [copy]
    return out, copy, kit


def colour_word(pixels: np.ndarray) -> str:
    """Name the colour that a tile (h, w, 4) shows on the average.

    Examples
    --------
    >>> colour_word(np.full((2, 2, 4), (40, 130, 150, 255), np.uint8))
    'teal'
    >>> colour_word(np.full((2, 2, 4), (120, 80, 40, 255), np.uint8))
    'brown'
    """
    seen = pixels[pixels[..., 3] > 0]
    if not len(seen):
        return say("clear")
    red, green, blue = (float(each) / 255 for each in seen[:, :3].mean(axis=0))
    hue, light, _ = colorsys.rgb_to_hls(red, green, blue)
    if max(red, green, blue) - min(red, green, blue) < 0.09 or light < 0.08:
        return _of_lightness(
            light,
            (
                say("black"),
                say("dark {word}", word=say("grey")),
                say("grey"),
                say("light {word}", word=say("grey")),
                say("white"),
            ),
        )
    word = next(name for end, name in _HUES if hue < end)
    if word == "orange" and light < 0.5:
        word = later("brown")
    if word == "red" and light > 0.52:
        word = later("pink")
    if light < 0.22:
        return say("dark {word}", word=say(word))
    return say("light {word}", word=say(word)) if light > 0.78 else say(word)


def _name_for(pixels: Picture, taken: list[str], others: list[Picture]) -> str:
    """Name a terrain by its colour; if another has that name by how rough or how light it is."""
    word = colour_word(pixels)
    if word not in taken:
        return word
    mean = [float(each[each[..., 3] > 0][:, :3].mean()) for each in (pixels, *others)]
    plain = word.removeprefix(say("light {word}", word="")).removeprefix(
        say("dark {word}", word="")
    )
    lighter = mean[0] > mean[1 + taken.index(word)]
    shaded = say("light {word}", word=plain) if lighter else say("dark {word}", word=plain)
    texture = texture_word(pixels)
    for name in (f"{texture} {word}".strip(), shaded, f"{texture} {shaded}".strip()):
        if name not in taken:
            return name
    return free_name(word, taken)


def texture_word(pixels: Picture) -> str:
    """Say how rough a tile (h, w, 4) looks: smooth, rough, striped, or nothing in particular.

    Examples
    --------
    >>> texture_word(np.full((8, 8, 4), 255, np.uint8))
    'smooth'
    """
    light = pixels[..., :3].astype(np.float32).mean(axis=-1)
    if min(light.shape) < 2:
        return ""
    down, across = (float(np.abs(np.diff(light, axis=axis)).mean()) for axis in (0, 1))
    if max(down, across) < _SMOOTH:
        return say("smooth")
    if max(down, across) > _STRIPED * min(down, across):
        return say("striped")
    return say("rough") if down + across > 2 * _ROUGH else ""


def _of_lightness(light: float, words: Iterable[str]) -> str:
    every = list(words)
    return every[min(len(every) - 1, int(light * len(every)))]
