"""All kinds of recipe steps. Another one is its module and its line here."""

from __future__ import annotations

from knitground.core.grow.mixfill import MIX_FILL
from knitground.core.grow.noisestep import NOISE
from knitground.core.grow.points import MARKERS
from knitground.core.grow.regions import REGIONS
from knitground.core.grow.rewriting import REWRITE
from knitground.core.grow.route import ROUTE
from knitground.core.grow.scatter import SCATTER
from knitground.core.grow.shape import BORDER, SHAPE
from knitground.core.grow.smooth import SMOOTH
from knitground.core.grow.solve import SOLVE
from knitground.core.grow.stepkind import StepKind
from knitground.core.grow.tintnoise import TINT

STEP_KINDS: dict[type, StepKind] = {
    each.model: each
    for each in (
        NOISE, SMOOTH, REGIONS, SHAPE, BORDER, ROUTE, SCATTER, MIX_FILL, SOLVE, REWRITE, TINT,
        MARKERS,
    )
}  # fmt: skip
"""By the class of their settings, in the order in which they are offered."""
