"""A figure and how it goes: in whole pixels, so that it is never in a wall, at any speed.

Own derivation: the way of a tick is gone pixel by pixel, first across, then down; what is left of a
pixel is kept for the next tick. A pixel that is stopped is tried beside: that is what slides
along walls, climbs slopes and rounds corners. The same keys give the same way on any machine.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import Enum
from math import floor, hypot

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import later, say
from knitground.core.walk.solids import Solids

TICK = 1 / 60
"""Seconds of a tick."""
MOST_PX = 512
SLIDES_PX = 2
"""Pixels that one goes aside with each pixel on: along slopes of up to 60 degrees."""
_FASTEST = 1800.0
"""Pixels a second that one falls at most."""
_APEX = 0.36
"""Seconds from a jump to its highest point."""
_LATE = 6
"""Ticks for which one can still jump after the ground has ended, and a key counts before it."""
CAUGHT_PX = 4
"""A figure that slides along a wall is caught if it would go on so many pixels further from it."""


class View(Enum):
    """From where the map is seen."""

    ABOVE = later("from above")
    SIDE = later("from the side")


@dataclass(frozen=True)
class Figure:
    """Who walks.

    Parameters
    ----------
    wide, high : pixels; from above only the lower half of it stands on the ground
    speed : pixels a second
    jump : pixels that it jumps up, seen from the side
    """

    wide: int = 12
    high: int = 20
    speed: float = 96.0
    jump: float = 40.0
    view: View = View.ABOVE

    def __post_init__(self) -> None:
        for name, value in (("width", self.wide), ("height", self.high)):
            if not 1 <= value <= MOST_PX:
                raise EditError(
                    say(
                        "the figure's {name} is {value} px: give 1 to {most_px}",
                        name=name,
                        value=value,
                        most_px=MOST_PX,
                    )
                )
        if not 1 <= self.speed <= 4000:
            raise EditError(
                say("the figure's speed is {speed:g} px a second: give 1 to 4000", speed=self.speed)
            )
        if not 0 <= self.jump <= 4000:
            raise EditError(say("the figure jumps {jump:g} px: give 0 to 4000", jump=self.jump))

    @property
    def stands(self) -> int:
        """Pixels of its height that walls stop, from its feet up."""
        return self.high if self.view is View.SIDE else max(1, self.high // 2)


@dataclass(frozen=True)
class Keys:
    """What is held: -1 to 1 across and down, and whether it jumps."""

    across: int = 0
    down: int = 0
    jump: bool = False


@dataclass(frozen=True)
class Stand:
    """Where a figure is, and how it goes.

    Parameters
    ----------
    x, y : pixel to the right of the middle of its feet, and the one below them
    rest_x, rest_y : parts of a pixel that are still to be gone
    fall : pixels a second downwards
    since : ticks since it stood on the ground, and since jump was pressed
    caught : whether an edge has stopped it along a wall, that sticks out by `CAUGHT_PX` at most
    faces : the way that it went last: across, down
    """

    x: int
    y: int
    rest_x: float = 0.0
    rest_y: float = 0.0
    fall: float = 0.0
    since_ground: int = _LATE
    since_jump: int = _LATE
    held: bool = False
    caught: bool = False
    faces: tuple[int, int] = (0, 1)

    @property
    def is_grounded(self) -> bool:
        """Whether it stands on something, seen from the side."""
        return self.since_ground == 0


class Walk:
    """A figure on a map."""

    def __init__(self, solids: Solids, figure: Figure) -> None:
        if figure.wide > solids.wide or figure.high > solids.high:
            raise EditError(
                say(
                    "the figure has {wide} × {high} px and the map {wide2} × {high2}: make the "
                    "figure smaller",
                    wide=figure.wide,
                    high=figure.high,
                    wide2=solids.wide,
                    high2=solids.high,
                )
            )
        self.solids, self.figure = solids, figure

    def is_free(self, x: int, y: int) -> bool:
        """Whether the figure can stand there."""
        wide, high = self.figure.wide, self.figure.stands
        return not self.solids.seen(x - wide // 2, y - high, wide, high).any()

    def begin(self, x: float, y: float, within: int = 64) -> Stand:
        """Stand at a place, or as near to it as there is room.

        Raises
        ------
        EditError
            There is none within so many pixels.
        """
        at = floor(x), floor(y)
        for ring in range(within + 1):
            edge = range(-ring, ring + 1)
            places = {(dx, dy) for dx in edge for dy in (-ring, ring)}
            places |= {(dx, dy) for dy in edge for dx in (-ring, ring)}
            for dx, dy in sorted(places, key=lambda each: (hypot(*each), each)):
                if self.is_free(at[0] + dx, at[1] + dy):
                    return Stand(at[0] + dx, at[1] + dy)
        raise EditError(
            say(
                "the figure, {wide} × {high} px, has no room within {within} px of there: "
                "begin elsewhere, or make it smaller",
                wide=self.figure.wide,
                high=self.figure.high,
                within=within,
            )
        )

    def step(self, at: Stand, keys: Keys) -> Stand:
        """Go on by a tick."""
        if self.figure.view is View.SIDE:
            return self._side(at, keys)
        across, down = float(keys.across), float(keys.down)
        length = hypot(across, down) or 1.0
        way = self.figure.speed * TICK / length
        rest_x, rest_y = at.rest_x + across * way, at.rest_y + down * way
        if not across:
            rest_x = 0.0
        if not down:
            rest_y = 0.0
        here, caught = (at.x, at.y), False
        for _ in range(max(abs(int(rest_x)), abs(int(rest_y)))):
            stops = 0
            if abs(rest_x) >= 1:
                here, on = self._go(here, (1 if rest_x > 0 else -1, 0), slides=not keys.down)
                rest_x -= 1 if rest_x > 0 else -1
                stops += not on
            if abs(rest_y) >= 1:
                here, on = self._go(here, (0, 1 if rest_y > 0 else -1), slides=not keys.across)
                rest_y -= 1 if rest_y > 0 else -1
                stops += not on
            if stops == 2:
                here, stuck = self._past(here, keys)
                caught |= stuck
        faces = (keys.across, keys.down) if keys.across or keys.down else at.faces
        return self._wrapped(
            replace(at, x=here[0], y=here[1], rest_x=rest_x, rest_y=rest_y, caught=caught,
                    faces=faces)
        )  # fmt: skip

    def _go(
        self, here: tuple[int, int], way: tuple[int, int], *, slides: bool
    ) -> tuple[tuple[int, int], bool]:
        """Go a pixel; along a wall that leans, if asked to. Tells whether it went on."""
        x, y = here
        if self.is_free(x + way[0], y + way[1]):
            return (x + way[0], y + way[1]), True
        for off in range(1, SLIDES_PX + 1 if slides else 1):
            for aside in ((way[1] * off, way[0] * off), (-way[1] * off, -way[0] * off)):
                beside = (x + aside[0], y + aside[1])
                on = (beside[0] + way[0], beside[1] + way[1])
                if self.is_free(*beside) and self.is_free(*on):
                    return on, True
        return here, False

    def _past(self, here: tuple[int, int], keys: Keys) -> tuple[tuple[int, int], bool]:
        """Go past what sticks out a little of the wall it slides along; or tell that it caught it.

        Both ways are stopped: a little further from one wall, the way along it may be free.
        """
        x, y = here
        for off in range(1, CAUGHT_PX + 1):
            for beside, on in (
                ((x, y - off * keys.down), (x + keys.across, y - off * keys.down)),
                ((x - off * keys.across, y), (x - off * keys.across, y + keys.down)),
            ):
                if self.is_free(*beside) and self.is_free(*on):
                    return (on, False) if off <= SLIDES_PX else (here, True)
        return here, False

    def _side(self, at: Stand, keys: Keys) -> Stand:
        x, y, caught = at.x, at.y, False
        grounded = self._bears(x, y)
        since_ground = 0 if grounded and at.fall >= 0 else min(_LATE, at.since_ground + 1)
        since_jump = 0 if keys.jump and not at.held else min(_LATE, at.since_jump + 1)
        pull = 2 * self.figure.jump / _APEX**2
        fall = 0.0 if since_ground == 0 else min(_FASTEST, at.fall + pull * TICK)
        if since_jump < _LATE and since_ground < _LATE and self.figure.jump and keys.down <= 0:
            fall, since_ground, since_jump = -2 * self.figure.jump / _APEX, _LATE, _LATE
        drops = keys.down > 0 and grounded and self.is_free(x, y + 1)
        if drops:
            y, since_ground, fall = y + 1, _LATE, 60.0  # through a floor that only bears
        rest_x = at.rest_x + keys.across * self.figure.speed * TICK if keys.across else 0.0
        while abs(rest_x) >= 1:
            way = 1 if rest_x > 0 else -1
            rest_x -= way
            moved = self._along(x, y, way, since_ground == 0)
            if moved is None:
                rest_x = 0.0
                caught |= self._trips(x, y, way, since_ground == 0)
                break
            x, y = moved
        rest_y = at.rest_y + fall * TICK if fall else 0.0
        while abs(rest_y) >= 1:
            way = 1 if rest_y > 0 else -1
            rest_y -= way
            if (way > 0 and self._bears(x, y)) or (way < 0 and not self.is_free(x, y - 1)):
                rest_y, fall = 0.0, 0.0
                break
            y += way
        faces = (keys.across, 0) if keys.across else at.faces
        return self._wrapped(
            replace(at, x=x, y=y, rest_x=rest_x, rest_y=rest_y, fall=fall, caught=caught,
                    since_ground=0 if self._bears(x, y) and fall >= 0 else since_ground,
                    since_jump=since_jump, held=keys.jump, faces=faces)
        )  # fmt: skip

    def _bears(self, x: int, y: int) -> bool:
        """Whether it stands on something: solid, or a floor that only bears, not in it already."""
        if not self.is_free(x, y + 1):
            return True
        left, wide = x - self.figure.wide // 2, self.figure.wide
        two = self.solids.seen(left, y - 1, wide, 2, one_way=True)
        return bool((two[1] & ~two[0]).any())

    def _along(self, x: int, y: int, way: int, grounded: bool) -> tuple[int, int] | None:
        """Go a pixel across: up a slope, or down one as long as it was on the ground."""
        up = 0
        for up in range(SLIDES_PX + 1 if grounded else 1):
            if self.is_free(x + way, y - up) and (not up or self.is_free(x, y - up)):
                break
        else:
            return None
        if grounded and not up:
            for down in range(SLIDES_PX + 1):
                if self._bears(x + way, y + down):
                    return x + way, y + down
        return x + way, y - up

    def _trips(self, x: int, y: int, way: int, grounded: bool) -> bool:
        return grounded and any(
            self.is_free(x + way, y - up) for up in range(SLIDES_PX + 1, CAUGHT_PX + 1)
        )

    def _wrapped(self, at: Stand) -> Stand:
        if not self.solids.goes_round:
            return at
        return replace(at, x=at.x % self.solids.wide, y=at.y % self.solids.high)
