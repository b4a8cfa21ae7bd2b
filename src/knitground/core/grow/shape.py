"""Shape: one terrain in a large form: island, lake, band, gradient, or a picture's bright parts."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import GrowError
from knitground.core.base.hashing import mix_one
from knitground.core.base.tongue import say
from knitground.core.grow.noise import noise_on
from knitground.core.grow.shares import ordered, top_places
from knitground.core.grow.stepkind import AREAS, ON_GROUND, As, Setting, StepKind
from knitground.core.grow.work import Grown, Work
from knitground.core.model.layers import GroundLayer
from knitground.core.model.recipe import BorderStep, ShapeOf, ShapeStep

Field = NDArray[np.float64]


def run_shape(work: Work, step: ShapeStep) -> list[Grown]:
    """Lay a shape on what a ground layer has by now; its part is exact to the place."""
    ground = work.layer(step.layer, GroundLayer, "ground")
    mark = work.mark(ground, step.terrain)
    places = work.places(ground)
    field = shape_field(work, step, places.shape)
    if step.rough > 0:
        scale = max(4.0, min(places.shape) / 5)
        noise = noise_on(work.map.lattice, places.shape, scale, 5, work.seed)
        field = field + step.rough * 0.22 * noise
    free = work.on_places(ground, work.mask(step))
    keys = ordered(field)[free.ravel()]
    chosen = np.zeros(places.size, np.bool_)
    chosen[np.flatnonzero(free)] = top_places(keys, round(step.share * keys.size))
    places.ravel()[chosen] = mark
    places = work.joined(ground, places)
    shares = work.shares_laid(ground, places)
    return [Grown(ground, work.as_terrain(ground, places), shares)]


def shape_field(work: Work, step: ShapeStep, size: tuple[int, int]) -> Field:
    """Give a field that is highest where the shape is surest: about −1 to 1."""
    y, x = ((np.indices(size) + 0.5) / np.array(size)[:, None, None]) * 2 - 1
    if step.form is ShapeOf.ISLAND:
        return np.asarray(-np.hypot(y, x))
    if step.form is ShapeOf.LAKE:
        return np.asarray(np.hypot(y, x))
    if step.form is ShapeOf.BORDER:
        return np.asarray(np.maximum(np.abs(y), np.abs(x)))
    if step.form is ShapeOf.GRADIENT:
        angle = np.deg2rad(step.turn)
        along = -(np.cos(angle) * x + np.sin(angle) * y)
        # On a map that wraps it goes there and back, or its border would show.
        return np.asarray(np.cos(np.pi * along) if work.goes_round else along)
    return _picture_field(work, step.sheet, size)


def _picture_field(work: Work, name: str, size: tuple[int, int]) -> Field:
    sheet = work.project.tileset_named(name)
    if sheet is None or sheet.picture is None:
        raise GrowError(
            say(
                "{number} reads the picture of sheet “{name}”, which is not there: choose another",
                number=work.number,
                name=name,
            )
        )
    picture = sheet.picture.astype(np.float64)
    grey = (picture[..., :3] @ (0.3, 0.59, 0.11)) * picture[..., 3] / 255 / 127.5 - 1
    rows = (np.arange(size[0]) + 0.5) / size[0] * grey.shape[0]
    cols = (np.arange(size[1]) + 0.5) / size[1] * grey.shape[1]
    return np.asarray(grey[np.ix_(rows.astype(int), cols.astype(int))])


def run_border(work: Work, step: BorderStep) -> list[Grown]:
    """Lay a terrain along the map's borders.

    Raises
    ------
    GrowError
        The map wraps: it has none.
    """
    if work.map.wrap:
        raise GrowError(
            say(
                "{number} lays a border, and “{name}” wraps and has none: take the step out, "
                "or let the map end at its borders",
                number=work.number,
                name=work.map.name,
            )
        )
    ground = work.layer(step.layer, GroundLayer, "ground")
    mark = work.mark(ground, step.terrain)
    places = work.places(ground)
    far = work.from_border(ground)
    field = far.astype(np.float64)
    if step.rough > 0:
        scale = max(4.0, 4.0 * step.width)
        noise = noise_on(work.map.lattice, places.shape, scale, 4, mix_one(work.seed, 1))
        field = field + step.rough * step.width * 0.5 * noise
    laid = (field < step.width) | (far == 0)
    laid &= work.on_places(ground, work.mask(step))
    places[laid] = mark
    places = work.joined(ground, places)
    shares = work.shares_laid(ground, places)
    return [Grown(ground, work.as_terrain(ground, places), shares)]


SHAPE = StepKind(
    ShapeStep,
    say("Shape"),
    say("An island, a lake, a band, a gradient, or a grey picture"),
    ON_GROUND,
    run_shape,
    lambda at: ShapeStep(at.layer.number, at.terrain),
    (
        Setting("terrain", say("Lays"), As.TERRAIN, say("The terrain of the shape")),
        Setting("form", say("Form"), As.CHOICE, say("What it is like"), options=tuple(ShapeOf)),
        Setting("share", say("Share"), As.PART, say("Part of the places that it takes")),
        Setting("rough", say("Rough"), As.PART, say("How much noise bends its border")),
        Setting(
            "turn",
            say("From"),
            As.SLIDER,
            say("Where a gradient begins; 0 is at the left"),
            0,
            360,
            5,
            "°",
            only=("form", (ShapeOf.GRADIENT,)),
        ),
        Setting(
            "sheet",
            say("Picture"),
            As.SHEET,
            say("The sheet whose bright parts are taken"),
            only=("form", (ShapeOf.PICTURE,)),
        ),
    ),
    AREAS,
)

BORDER = StepKind(
    BorderStep, say("Border"), say("A terrain along the map's borders"), ON_GROUND, run_border,
    lambda at: BorderStep(at.layer.number, at.terrain),
    (
        Setting("terrain", say("Lays"), As.TERRAIN, say("The terrain along the borders")),
        Setting("width", say("Width"), As.SLIDER, say("Cells"), 1, 24, unit=say(" cells")),
        Setting("rough", say("Rough"), As.PART, say("How much noise bends it")),
    ),
    AREAS,
)  # fmt: skip
