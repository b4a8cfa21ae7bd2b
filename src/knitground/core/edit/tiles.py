"""Edits of many tiles at once: weights, names, tags, properties, animations; and choosing tiles."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import replace
from functools import partial
from typing import NamedTuple

import numpy as np

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import later, say, say_many
from knitground.core.edit.atoms import SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.edit.properties import check_property, with_property, without_property
from knitground.core.edit.sheets import change_facts
from knitground.core.edit.uses import count_uses
from knitground.core.knit.layer import set_table
from knitground.core.model.layers import GroundLayer
from knitground.core.model.limits import MAX_WEIGHT
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.properties import Properties, Property, TagDefault
from knitground.core.model.tileset import PLAIN, At, TileFacts, Tileset
from knitground.core.slicing.facts import grid_facts
from knitground.core.slicing.grid import lay_grid

Places = Collection[At]


def count_words(places: Places) -> str:
    """Count tiles in words."""
    return say_many("{count} tile", "{count} tiles", len(places))


# Weights


def set_weights(tileset: Tileset, places: Places, weight: float) -> Edit:
    """Give tiles one weight; 0 is never."""
    _check_weight(weight)
    change = partial(replace, weight=float(weight))
    return change_facts(
        tileset,
        places,
        change,
        What.MARKS,
        say("Weight of {count_words}", count_words=count_words(places)),
    )


def scale_weights(tileset: Tileset, places: Places, factor: float) -> Edit:
    """Multiply the weights of tiles; their shares among each other stay."""
    if not 0 < factor <= MAX_WEIGHT:
        raise EditError(say("factor {factor:g} is out of bounds: give more than 0", factor=factor))

    def change(fact: TileFacts) -> TileFacts:
        return replace(fact, weight=min(MAX_WEIGHT, fact.weight * factor))

    return change_facts(
        tileset,
        places,
        change,
        What.MARKS,
        say("Weight of {count_words}", count_words=count_words(places)),
    )


def share_together(project: Project, tileset: Tileset, places: Places, part: float) -> Edit:
    """Give tiles weights so that together they take a part of each group of variants they are in.

    Parameters
    ----------
    part : 0 to 1; groups of which all tiles are chosen keep their weights

    Raises
    ------
    EditError
        The part is out of bounds, or no chosen tile has variants that are not chosen.
    """
    if not 0 <= part < 1:
        raise EditError(
            say("a share of {part:.0%} leaves nothing to the others: give 0 to 99 %", part=part)
        )
    chosen = set(places)
    new: dict[At, float] = {}
    for group in variant_groups(project, tileset):
        own = [at for at in group if at in chosen]
        rest = sum(weight for at, weight in group.items() if at not in chosen)
        if not own or rest <= 0:
            continue
        wanted = rest * part / (1 - part)
        have = sum(group[at] for at in own)
        for at in own:
            new[at] = wanted * group[at] / have if have > 0 else wanted / len(own)
    if not new:
        raise EditError(
            say(
                "these tiles have no variants beside them: mark others in the same way "
                "first, or make "
                "a mix"
            )
        )
    over = max(new.values())
    if over > MAX_WEIGHT:
        raise EditError(
            say("that asks for a weight of {over:g}: lower the weights of the others", over=over)
        )
    facts = {at: replace(tileset.fact(*at), weight=weight) for at, weight in new.items()}
    return put_facts(
        tileset,
        facts,
        What.MARKS,
        say("{count_words} together {part:.0%}", count_words=count_words(places), part=part),
    )


def put_facts(tileset: Tileset, facts: Mapping[At, TileFacts], what: What, name: str) -> Edit:
    """Give tiles facts of their own each."""
    new = {at: fact for at, fact in {**tileset.facts, **facts}.items() if fact != PLAIN}
    if new == tileset.facts:
        return Edit(name, ())
    told = Changed(what, tileset=tileset, tiles=frozenset(facts))
    return Edit(name, (SetField(tileset, "facts", new, told),))


def _check_weight(weight: float) -> None:
    if not 0 <= weight <= MAX_WEIGHT:
        raise EditError(
            say(
                "weight {weight:g} is out of bounds: give 0 to 1 000 000; 0 is never", weight=weight
            )
        )


def variant_groups(project: Project, tileset: Tileset) -> list[dict[At, float]]:
    """List the groups of a tileset's tiles that have the same marks, with their weights.

    A tile is in one group for each terrain set that it is marked in.
    """
    groups: list[dict[At, float]] = []
    for owner in project.tilesets:
        for kit in owner.sets:
            if owner is not tileset and tileset.name not in kit.guests:
                continue
            table, map_ = set_table(project, owner, kit)
            for key, variants in table.variants.items():
                both = (*variants, *table.inner.get(key, ()))
                tiles = [(map_.legend.tile(place), weight) for place, weight in both]
                group = {(t.row, t.col): weight for t, weight in tiles
                         if t is not None and t.tileset == tileset.name}  # fmt: skip
                if group:
                    groups.append(group)
    return groups


class Share(NamedTuple):
    """What a tile's weight means: its share among its variants, and on how many cells of a map."""

    share: float
    variants: int
    cells: int
    of: int


def tile_shares(project: Project, tileset: Tileset, map_: Map | None) -> dict[At, Share]:
    """Tell what the weights of tiles mean, those without variants apart.

    `of` counts the cells of the map that show any tile of the group, `cells` those that the tile's
    weight gives it of them.
    """
    laid = _laid(map_, tileset) if map_ is not None else {}
    out: dict[At, Share] = {}
    for group in variant_groups(project, tileset):
        total = sum(group.values())
        cells = sum(laid.get(at, 0) for at in group)
        for at, weight in group.items():
            part = weight / total if total > 0 else 0.0
            if at not in out or out[at].of < cells:
                out[at] = Share(part, len(group), round(part * cells), cells)
    return out


def _laid(map_: Map, tileset: Tileset) -> dict[At, int]:
    """Count the cells of ground layers that show each tile, as far as they are knitted."""
    tiles = map_.legend.tiles  # it may grow while this goes on beside the window
    counts = np.zeros(len(tiles), np.int64)
    for layer in map_.layers:
        if isinstance(layer, GroundLayer):
            found = np.bincount(np.maximum(layer.cells, 0).ravel(), minlength=len(counts))
            counts += found[: len(counts)]
    out: dict[At, int] = {}
    for place, tile in enumerate(tiles):
        if tile is not None and tile.tileset == tileset.name and counts[place]:
            at = (tile.row, tile.col)
            out[at] = out.get(at, 0) + int(counts[place])
    return out


# Names, tags, properties


def name_tiles(tileset: Tileset, places: Places, name: str) -> Edit:
    """Name tiles; several get the name with a number each."""
    order = sorted(places)
    words = name.strip()
    facts = {}
    for n, at in enumerate(order, 1):
        own = words if len(order) == 1 or not words else f"{words} {n}"
        facts[at] = replace(tileset.fact(*at), name=own)
    return put_facts(
        tileset, facts, What.ORDER, say("Name {count_words}", count_words=count_words(places))
    )


def add_tag(tileset: Tileset, places: Places, tag: str) -> Edit:
    """Give tiles a tag more."""
    word = tag.strip()
    if not word:
        raise EditError(say("a tag needs a word: type one"))

    def change(fact: TileFacts) -> TileFacts:
        return fact if word in fact.tags else replace(fact, tags=(*fact.tags, word))

    return change_facts(
        tileset,
        places,
        change,
        What.ORDER,
        say("Tag {count_words} “{word}”", count_words=count_words(places), word=word),
    )


def remove_tag(tileset: Tileset, places: Places, tag: str) -> Edit:
    """Take a tag away from tiles."""

    def change(fact: TileFacts) -> TileFacts:
        return replace(fact, tags=tuple(each for each in fact.tags if each != tag))

    name = say("Take tag “{tag}” from {count_words}", tag=tag, count_words=count_words(places))
    return change_facts(tileset, places, change, What.ORDER, name)


def put_property(
    tileset: Tileset, places: Places, new: Property, old: str = "", *, keep: bool = False
) -> Edit:
    """Give tiles a property, in place of one with the same name or of the one called `old`.

    Parameters
    ----------
    keep : whether each keeps its own value

    Raises
    ------
    EditError
        It has no name or one that is taken, or its value is not of its kind.
    """
    check_property(new, old, (p.name for at in places for p in tileset.fact(*at).properties))

    def change(fact: TileFacts) -> TileFacts:
        return replace(fact, properties=with_property(fact.properties, new, old, keep=keep))

    name = say("Property “{name}” of {count_words}", name=new.name, count_words=count_words(places))
    return change_facts(tileset, places, change, What.ORDER, name)


def put_default(tileset: Tileset, tag: str, new: Property, old: str = "") -> Edit:
    """Give all tiles with a tag a property, or all tiles of the sheet if there is no tag.

    A tile's own property of that name goes before it.

    Raises
    ------
    EditError
        It has no name or one that is taken, or its value is not of its kind.
    """
    known = {each.tag: each.properties for each in tileset.defaults}
    own = known.get(tag, ())
    check_property(new, old, (each.name for each in own))
    return _set_defaults(tileset, {**known, tag: with_property(own, new, old)}, new.name, tag)


def remove_default(tileset: Tileset, tag: str, name: str) -> Edit:
    """Take a default away again."""
    known = {each.tag: each.properties for each in tileset.defaults}
    own = without_property(known.get(tag, ()), name)
    return _set_defaults(tileset, {**known, tag: own}, name, tag)


def _set_defaults(tileset: Tileset, known: Mapping[str, Properties], name: str, tag: str) -> Edit:
    new = tuple(TagDefault(tag, own) for tag, own in sorted(known.items()) if own)
    whose = (
        say("all with tag “{tag}”", tag=tag)
        if tag
        else say("all tiles of “{name}”", name=tileset.name)
    )
    told = Changed(What.ORDER, tileset=tileset)
    return Edit(
        say("“{name}” of {whose}", name=name, whose=whose),
        (SetField(tileset, "defaults", new, told),),
    )


def remove_property(tileset: Tileset, places: Places, name: str) -> Edit:
    """Take a property away from tiles."""

    def change(fact: TileFacts) -> TileFacts:
        return replace(fact, properties=without_property(fact.properties, name))

    what = say(
        "Take property “{name}” from {count_words}", name=name, count_words=count_words(places)
    )
    return change_facts(tileset, places, change, What.ORDER, what)


# Choosing

CHOICES = tuple(map(later, (
    "all", "with the same marks", "with the same tags", "empty", "double", "not on any map",
    "that move", "without a name or tag", "without a shape",
)))  # fmt: skip


def choose_tiles(project: Project, tileset: Tileset, what: str, now: Iterable[At] = ()) -> list[At]:
    """List the tiles of a kind, row by row.

    Parameters
    ----------
    what : one of `CHOICES`
    now : the tiles that are chosen, whose marks or tags are meant
    """
    every = [(row, col) for row in range(tileset.rows) for col in range(tileset.columns)]
    chosen = set(now)
    facts = tileset.facts
    if what == "with the same marks":
        like = [set(group) for group in variant_groups(project, tileset) if chosen & set(group)]
        found = set().union(*like) if like else set()
        return [at for at in every if at in found]
    if what == "with the same tags":
        tags = {tag for at in chosen for tag in tileset.fact(*at).tags}
        return [at for at in every if tags & set(tileset.fact(*at).tags)]
    if what in ("empty", "double") and tileset.picture is not None:
        seen = grid_facts(tileset.picture, lay_grid(tileset.slicing, tileset.width, tileset.height))
        mask = seen.empty if what == "empty" else seen.doubles
        return [at for at in every if mask[at]]
    if what == "not on any map":
        uses = count_uses(project, tileset.name)
        return [at for at in every if at not in uses]
    if what == "that move":
        return [at for at in every if at in facts and facts[at].frames]
    if what == "without a shape":
        return [at for at in every if not tileset.fact(*at).shapes]
    if what == "without a name or tag":
        return [at for at in every if not (tileset.fact(*at).name or tileset.fact(*at).tags)]
    return every if what == "all" else []
