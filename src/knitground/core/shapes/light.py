"""Light: lamps among the markers of a map, what they light, and what stands in their way.

Own derivation. A pixel is lit by the ambient colour and, by each lamp, with its colour times its
strength times (1 - (d / radius)²)², d its distance; that is 1 at the lamp and 0 at its radius,
without an edge at either. What is lit is multiplied by that, at most by 1. Shadows: rays go out
from a lamp in all directions to the first pixel that blocks light; what lies further along a ray is
dark, between two rays in between. Where sheets have a relief, what a lamp gives is further
multiplied by nz + (nx · dx + ny · dy) / max(height, d / 2), from 0 to 2: n which way the pixel
faces, (dx, dy) the way to the lamp. That is 1 on what lies flat.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from enum import Enum
from functools import lru_cache
from math import atan2, ceil, cos, hypot, pi, sin

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.tongue import later
from knitground.core.base.window import Box
from knitground.core.model.lattice import Rect
from knitground.core.model.layers import Cells, Holds, Layer, MarkerLayer
from knitground.core.model.map import Map
from knitground.core.model.marker import Marker
from knitground.core.model.project import Project
from knitground.core.model.properties import Property, PropertyKind, typed_values
from knitground.core.shapes.filled import stamp
from knitground.core.shapes.merge import OfTiles, laid_shapes

LAMP, AMBIENT, BLOCKS = "lamp", "ambient", "blocks light"
"""The kind of markers, the property of maps, and the kind of shapes."""
DUSK = (0.30, 0.32, 0.46)
"""What there is of light beside lamps, where a map does not say."""
_MOST_RADIUS, _MOST_STRENGTH = 2048, 4.0
_MOST_RELIEF = 512
"""Pixels of the radius of a lamp beyond which relief is left out: all in its reach is composed."""
_MOST_RAYS, _MOST_STEPS = 2048, 512
_INTO = 5
"""Pixels of what blocks light that are lit: one sees the side of a wall that faces a lamp."""
_SOFT = 3.0
"""Pixels from light to dark along a ray."""

Field = NDArray[np.float32]
Colour = tuple[float, float, float]
Blocked = Callable[[int, int, int, int], NDArray[np.bool_]]
"""Gives which pixels of a rectangle (x, y, width, height) block light: (height, width)."""
ReliefOf = Callable[[Rect], Field]
"""Gives which way the pixels of a rectangle face: (height, width, 3) right, down, and upwards."""


@dataclass(frozen=True)
class Lamp:
    """A lamp: where it is, how far it reaches in pixels, its colour, strength and flicker.

    `flicker` is by how much of it it grows weaker now and then, 0 to 1; `number` tells when.
    `height`: pixels over the ground; the lower it hangs, the more relief is seen.
    """

    x: float
    y: float
    radius: float = 96.0
    colour: Colour = (1.0, 0.85, 0.63)
    strength: float = 1.0
    flicker: float = 0.0
    number: int = 0
    height: float = 24.0

    def strength_at(self, ms: int) -> float:
        """Give how strong it is at a time: two waves that never meet in the same way."""
        if not self.flicker:
            return self.strength
        t, shift = ms / 1000, self.number * 1.7
        wave = (sin(2 * pi * 1.3 * t + shift) + sin(2 * pi * 3.1 * t + 2.3 * shift)) / 4 + 0.5
        return self.strength * (1 - self.flicker * wave)


def colour_of(text: object, usual: Colour) -> Colour:
    """Read #rrggbb; what is none gives the usual one."""
    words = str(text).strip().removeprefix("#")
    try:
        red, green, blue = bytes.fromhex(words)
    except ValueError:
        return usual
    return red / 255, green / 255, blue / 255


def lamps_of(map_: Map) -> list[Lamp]:
    """List the lamps of a map: markers of the kind “lamp” on layers that are shown.

    Their properties: radius (pixels), colour (#rrggbb), strength, flicker, height (pixels); all can
    be missing.
    """
    markers = [each for layer in map_.layers if isinstance(layer, MarkerLayer) and layer.visible
               for each in layer.markers]  # fmt: skip
    return [lamp for each in markers if (lamp := lamp_of(each)) is not None and lamp.radius > 0]


def lamp_of(marker: Marker) -> Lamp | None:
    """Read a marker as a lamp, if it is one."""
    if marker.kind != LAMP:
        return None
    said = typed_values(marker.properties)
    return Lamp(
        *marker.middle, max(0.0, min(_MOST_RADIUS, _number(said.get("radius"), Lamp.radius))),
        colour_of(said.get("colour"), Lamp.colour),
        max(0.0, min(_MOST_STRENGTH, _number(said.get("strength"), 1.0))),
        max(0.0, min(1.0, _number(said.get("flicker"), 0.0))), marker.number,
        max(1.0, min(4096.0, _number(said.get("height"), Lamp.height))),
    )  # fmt: skip


class Grip(Enum):
    """What of a lamp can be dragged on its ring."""

    RADIUS = later("radius")
    STRENGTH = later("strength")


def grips(lamp: Lamp) -> dict[Grip, tuple[float, float]]:
    """Tell where a lamp's ring can be taken hold of.

    At its left for how far it shines; its strength is how far round the ring the other is, from
    the top and clockwise: once round is the most there can be.
    """
    turn = 2 * pi * min(lamp.strength / _MOST_STRENGTH, 0.999)
    return {
        Grip.STRENGTH: (lamp.x + lamp.radius * sin(turn), lamp.y - lamp.radius * cos(turn)),
        Grip.RADIUS: (lamp.x - lamp.radius, lamp.y),
    }


def with_grip(marker: Marker, grip: Grip, x: float, y: float) -> Marker:
    """Give a lamp the radius or the strength that its ring has when it is dragged to a place."""
    lamp = lamp_of(marker)
    assert lamp is not None
    right, down = x - lamp.x, y - lamp.y
    if grip is Grip.RADIUS:
        value = str(max(1, min(_MOST_RADIUS, round(hypot(right, down)))))
    else:
        turn = atan2(right, -down) / (2 * pi) % 1
        value = f"{turn * _MOST_STRENGTH:.2f}".rstrip("0").rstrip(".")
    said = [each for each in marker.properties if each.name != grip.value]
    at = next((n for n, each in enumerate(marker.properties) if each.name == grip.value), len(said))
    kind = PropertyKind.WHOLE if grip is Grip.RADIUS else PropertyKind.NUMBER
    said.insert(at, Property(grip.value, value, kind))
    return replace(marker, properties=tuple(said))


def _number(value: object, usual: float) -> float:
    try:
        found = float(str(value).replace(",", ".")) if value is not None else usual
    except ValueError:
        return usual
    return found if np.isfinite(found) else usual


def ambient_of(map_: Map) -> Colour | None:
    """Give the map's ambient colour, dusk if it has lamps alone; None: it is as bright as it is."""
    said = typed_values(map_.properties).get(AMBIENT)
    if said is not None:
        return colour_of(said, DUSK)
    return DUSK if lamps_of(map_) else None


def ambient_layer_of(map_: Map) -> Layer | None:
    """Give the tint layer that is the ambient light: that which the map's property names."""
    said = typed_values(map_.properties).get(AMBIENT)
    return next((each for each in map_.layers if each.holds is Holds.COLOURS and each.visible
                 and each.name == said), None)  # fmt: skip


class Light:
    """Lights parts of a map; what each lamp reaches is worked out once.

    Parameters
    ----------
    step : pixels of the map to a place of the field; lamps stand on whole places
    relief : which way pixels face; None: all of them lie flat
    """

    def __init__(
        self, blocked: Blocked | None = None, step: int = 1, relief: ReliefOf | None = None
    ) -> None:
        self._blocked, self.step, self._relief = blocked, step, relief
        self._reached: dict[tuple[float, float, float, float], Field] = {}

    def forget(self, rect: Rect | None = None) -> None:
        """Work out anew what lamps reach that shine into a rectangle, or all."""
        for x, y, radius, height in list(self._reached):
            far = radius + self.step
            box = Rect(x - far, y - far, 2 * far, 2 * far)
            if rect is None or box.meets(rect):
                del self._reached[x, y, radius, height]

    def field(
        self, lamps: Iterable[Lamp], ambient: Colour | Field, rect: Rect, ms: int = 0
    ) -> Field:
        """Give how much light falls on a rectangle: (height, width, 3) of its places, 0 and more.

        Parameters
        ----------
        ambient : everywhere, or (height, width, 3) of the places
        rect : pixels of the map, on whole places
        """
        step = self.step
        high, wide = ceil(rect.height / step), ceil(rect.width / step)
        out = np.empty((high, wide, 3), np.float32)
        out[:] = ambient
        for lamp in lamps:
            far = lamp.radius + step  # it stands on the nearest whole place
            if not Rect(lamp.x - far, lamp.y - far, 2 * far, 2 * far).meets(rect):
                continue
            reached = self._of(lamp)
            side = reached.shape[0]
            top = round(lamp.y / step) - side // 2 - round(rect.y / step)
            left = round(lamp.x / step) - side // 2 - round(rect.x / step)
            y0, x0 = max(0, top), max(0, left)
            y1, x1 = min(high, top + side), min(wide, left + side)
            if y1 <= y0 or x1 <= x0:
                continue
            part = reached[y0 - top : y1 - top, x0 - left : x1 - left]
            strength = lamp.strength_at(ms)
            for n, value in enumerate(lamp.colour):
                out[y0:y1, x0:x1, n] += part * np.float32(value * strength)
        return out

    def _of(self, lamp: Lamp) -> Field:
        key = lamp.x, lamp.y, lamp.radius, lamp.height
        if key not in self._reached:
            reach = ceil(lamp.radius / self.step)
            found = _falloff(reach, lamp.radius / self.step)
            if self._blocked is not None:
                found = found * self._seen_from(lamp, reach)
            if self._relief is not None and lamp.radius <= _MOST_RELIEF:
                found = found * self._by_relief(lamp, reach)
            self._reached[key] = found
        return self._reached[key]

    def _by_relief(self, lamp: Lamp, reach: int) -> Field:
        """Tell by how much more or less each place round a lamp is lit for the way it faces."""
        assert self._relief is not None
        cx, cy = (round(each / self.step) * self.step for each in (lamp.x, lamp.y))
        far, side = reach * self.step, (2 * reach + 1) * self.step
        facing = self._relief(Rect(cx - far, cy - far, side, side))[:: self.step, :: self.step]
        across = np.arange(reach, -reach - 1, -1, dtype=np.float32) * self.step
        away = _polar(reach)[1] * self.step
        towards = facing[..., 0] * across + facing[..., 1] * across[:, None]
        by = facing[..., 2] + towards / np.maximum(lamp.height, away / 2)
        return np.asarray(np.clip(by, 0, 2), np.float32)

    def _seen_from(self, lamp: Lamp, reach: int) -> Field:
        """Tell how much of a lamp each place round it sees: (2 · reach + 1)², 0 to 1."""
        assert self._blocked is not None
        far = reach * self.step
        cx, cy = (round(each / self.step) * self.step for each in (lamp.x, lamp.y))
        mask = self._blocked(cx - far, cy - far, 2 * far + 1, 2 * far + 1)
        side = 2 * reach + 1
        if not mask.any():
            return np.ones((side, side), np.float32)
        rays = min(_MOST_RAYS, max(64, ceil(pi * far)))
        angles = np.arange(rays) * (2 * pi / rays)
        stride = -(-far // _MOST_STEPS)  # of very large lamps not every pixel is looked at
        steps = np.arange(0, far + 1, stride)
        xs = np.rint(far + np.cos(angles)[:, None] * steps).astype(np.intp)
        ys = np.rint(far + np.sin(angles)[:, None] * steps).astype(np.intp)
        hit = mask[ys, xs]
        # A lamp that stands in what blocks light shines out of it.
        hit &= np.maximum.accumulate(~hit, axis=1)
        first = np.where(hit.any(axis=1), hit.argmax(axis=1) * stride, far + 1).astype(np.float32)
        turn, away = _polar(reach)
        place = turn * np.float32(rays)
        low = place.astype(np.intp) % rays
        part = place - np.floor(place)
        ends = first[low] * (1 - part) + first[(low + 1) % rays] * part
        lit = (ends + _INTO + _SOFT - away * self.step) / np.float32(_SOFT)
        return np.asarray(np.clip(lit, 0, 1), np.float32)


def blocked_by(project: Project, map_: Map, cells_of: Callable[[Layer, Box], Cells]) -> Blocked:
    """Give what tells which pixels of a map block light: shapes of that kind on layers shown.

    Parameters
    ----------
    cells_of : gives the cells of a layer in a box of its own grid
    """
    known: OfTiles = {}
    blocks = any(each.kind == BLOCKS for owner in project.tilesets
                 for fact in owner.facts.values() for each in fact.shapes)  # fmt: skip

    def blocked(x: int, y: int, wide: int, high: int) -> NDArray[np.bool_]:
        out = np.zeros((high, wide), np.bool_)
        if not blocks:
            return out
        far = 2 * map_.lattice.longer  # shapes reach out of their cells by a picture at most
        box = map_.lattice.cells_in(Rect(x - far, y - far, wide + 2 * far, high + 2 * far))
        box = box.clipped(map_.height, map_.width)
        if not box.is_empty:
            for corners in laid_shapes(project, map_, box, None, cells_of, known).get(BLOCKS, ()):
                stamp(out, corners - (x, y))
        return out

    return blocked


@lru_cache(maxsize=32)
def _falloff(reach: int, radius: float) -> Field:
    _, away = _polar(reach)
    return np.asarray(np.clip(1 - (away / radius) ** 2, 0, 1) ** 2, np.float32)


@lru_cache(maxsize=32)
def _polar(reach: int) -> tuple[Field, Field]:
    """Give for each place round a lamp the part of a turn at which it is, and how far away."""
    ys, xs = np.mgrid[-reach : reach + 1, -reach : reach + 1].astype(np.float32)
    turn = np.arctan2(ys, xs) / np.float32(2 * pi) % 1
    return np.asarray(turn, np.float32), np.asarray(np.hypot(xs, ys), np.float32)


def lit(pixels: NDArray[np.uint32], field: Field, step: int = 1) -> NDArray[np.uint32]:
    """Light premultiplied pixels by a field with a place for each step × step of them."""
    high, wide = pixels.shape
    out = pixels & np.uint32(0xFF000000)
    for n, shift in enumerate((16, 8, 0)):
        by = np.rint(np.minimum(field[..., n], 1) * 256).astype(np.uint32)
        by = by.repeat(step, 0).repeat(step, 1)[:high, :wide] if step > 1 else by[:high, :wide]
        value = (pixels >> np.uint32(shift)) & np.uint32(255)
        out |= (value * by >> np.uint32(8)) << np.uint32(shift)
    return out


def ring(lamp: Lamp, corners: int = 48) -> list[tuple[float, float]]:
    """Give the corners of the ring that a lamp reaches."""
    return [(lamp.x + lamp.radius * cos(2 * pi * n / corners),
             lamp.y + lamp.radius * sin(2 * pi * n / corners)) for n in range(corners)]  # fmt: skip
