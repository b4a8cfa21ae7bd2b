"""Markers: points where conditions hold, so far apart, each within reach of others."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from knitground.core.base.hashing import cell_numbers
from knitground.core.base.tongue import say
from knitground.core.grow.distance import parts_of
from knitground.core.grow.stepkind import As, Setting, StepKind
from knitground.core.grow.work import Grown, Mask, Work
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.marker import Marker, Shape
from knitground.core.model.properties import Property, PropertyKind
from knitground.core.model.recipe import MarkersStep

GROWN = "grown by"
"""The property by which a step knows the markers that it made: its salt."""


def run_markers(work: Work, step: MarkersStep) -> list[Grown]:
    """Set markers; those that the step set before go, all others stay."""
    layer = work.layer(step.layer, MarkerLayer, "marker")
    free = work.mask(step)
    if step.reach:
        free &= _reachable(work, free, step.reach)
    chosen = apart_places(free, step.count, step.apart, work.seed, wrap=work.goes_round)
    own = Property(GROWN, str(work.map.recipe.salt_of(work.place)), PropertyKind.WHOLE)
    made_before = next((e.made for e in reversed(work.before) if e.layer is layer), layer.markers)
    kept = [each for each in made_before if own not in each.properties]
    number = max([0, *(each.number for each in layer.markers), *(m.number for m in kept)]) + 1
    made = []
    for n, (row, col) in enumerate(chosen):
        at = work.map.lattice.middle(row, col)
        name = f"{step.called} {n + 1}" if step.called and len(chosen) > 1 else step.called
        new = Marker(number + n, Shape.POINT, (at,), name, step.kind, (own,))
        made.append(_as_before(layer, new, own))
    words = say("{count} of {count2} set", count=len(chosen), count2=step.count)
    return [Grown(layer, (*kept, *made), words=words)]


def _as_before(layer: MarkerLayer, new: Marker, own: Property) -> Marker:
    """Keep the number of a marker that stands where it stood: nothing changes then."""
    for each in layer.markers:
        if own in each.properties and replace(each, number=new.number) == new:
            return each
    return new


def apart_places(
    free: Mask, count: int, apart: float, seed: int, *, wrap: bool
) -> list[tuple[int, int]]:
    """Choose cells in counted order, no two nearer than `apart`; fewer if there is no room."""
    high, wide = free.shape
    numbers = cell_numbers(np.arange(high), np.arange(wide), seed)
    rows, cols = np.nonzero(free)
    order = np.argsort(numbers[rows, cols], kind="stable")
    out: list[tuple[int, int]] = []
    open_ = free.copy()
    reach = int(np.ceil(apart))
    for n in order.tolist():
        row, col = int(rows[n]), int(cols[n])
        if not open_[row, col]:
            continue
        out.append((row, col))
        if len(out) == count:
            break
        down = np.arange(row - reach, row + reach + 1)
        across = np.arange(col - reach, col + reach + 1)
        near = np.hypot(down[:, None] - row, across[None] - col) < max(apart, 0.5)
        if wrap and (len(down) > high or len(across) > wide):
            # Round the whole map: the shorter way counts.
            down, across = np.arange(high), np.arange(wide)
            y = np.minimum((down - row) % high, (row - down) % high)
            x = np.minimum((across - col) % wide, (col - across) % wide)
            near = np.hypot(y[:, None], x[None]) < max(apart, 0.5)
            at = np.ix_(down, across)
        elif wrap:
            at = np.ix_(down % high, across % wide)
        else:
            inside_r, inside_c = (down >= 0) & (down < high), (across >= 0) & (across < wide)
            near = near[np.ix_(inside_r, inside_c)]
            at = np.ix_(down[inside_r], across[inside_c])
        open_[at] &= ~near
    return out


def _reachable(work: Work, free: Mask, kind: str) -> Mask:
    """Tell which cells can be reached, side by side, from the markers of a kind."""
    numbers, _ = parts_of(free, wrap=work.goes_round, corners=False)
    high, wide = work.size
    found: set[int] = set()
    for marker in work.markers(kind):
        x, y = marker.middle
        row, col = work.map.lattice.cell_at(x, y)
        for r, c in ((row, col), (row - 1, col), (row + 1, col), (row, col - 1), (row, col + 1)):
            if 0 <= r < high and 0 <= c < wide and numbers[r, c]:
                found.add(int(numbers[r, c]))
    return np.isin(numbers, sorted(found)) & free


MARKERS = StepKind(
    MarkersStep,
    say("Markers"),
    say("Points where conditions hold, so far apart"),
    (MarkerLayer,),
    run_markers,
    lambda at: MarkersStep(at.layer.number),
    (
        Setting("kind", say("Kind"), As.TEXT, say("What a game takes them for")),
        Setting("called", say("Name"), As.TEXT, say("Several get a number each")),
        Setting("count", say("Count"), As.SLIDER, say("Asked for"), 1, 60),
        Setting(
            "apart", say("Apart"), As.SLIDER, say("Cells between two"), 0, 64, unit=say(" cells")
        ),
        Setting(
            "reach",
            say("Reached from"),
            As.MARKER,
            say("Kind of marker from which each can be reached"),
        ),
    ),
)
