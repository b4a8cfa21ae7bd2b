"""Facts of many tiles at once: changed, and following tiles that stand elsewhere now."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace

from knitground.core.model.tileset import PLAIN, At, FactsOf, Frame, TileFacts

Change = Callable[[TileFacts], TileFacts]


def with_facts(facts: FactsOf, places: Iterable[At], change: Change) -> FactsOf:
    """Change what is known of some tiles; returns a new dictionary.

    Examples
    --------
    >>> from dataclasses import replace
    >>> named = with_facts({}, [(0, 1)], lambda each: replace(each, name="reed"))
    >>> named[0, 1].name, with_facts(named, [(0, 1)], lambda _: TileFacts())
    ('reed', {})
    """
    new = dict(facts)
    made: dict[int, TileFacts | None] = {}  # thousands of tiles often share the same facts
    for at in places:
        old = facts.get(at, PLAIN)
        if id(old) not in made:
            fact = change(old)
            made[id(old)] = None if fact == PLAIN else fact
        changed = made[id(old)]
        if changed is None:
            new.pop(at, None)
        else:
            new[at] = changed
    return new


def moved_facts(facts: FactsOf, follow: Callable[[At], At | None]) -> tuple[FactsOf, int]:
    """Let facts follow their tiles; frames of the same tileset follow too.

    Returns
    -------
    the new facts, and how many tiles' facts had nowhere to go
    """
    out: FactsOf = {}
    lost = 0
    for old, fact in facts.items():
        new = follow(old)
        if new is None:
            lost += 1
        else:
            moved = moved_frames(fact.frames, "", follow)
            out[new] = fact if moved == fact.frames else replace(fact, frames=moved)
    return {at: fact for at, fact in out.items() if fact != PLAIN}, lost


def moved_frames(
    frames: tuple[Frame, ...], tileset: str, follow: Callable[[At], At | None]
) -> tuple[Frame, ...]:
    """Let frames of one tileset ("" for their own) follow their tiles; the others stay."""
    out = []
    for each in frames:
        if each.tileset != tileset:
            out.append(each)
        elif (place := follow((each.row, each.col))) is not None:
            out.append(replace(each, row=place[0], col=place[1]))
    return tuple(out)
