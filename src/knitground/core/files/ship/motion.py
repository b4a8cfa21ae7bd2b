"""Ship moving pictures: a map whose tiles move, as GIF or animated PNG."""

from __future__ import annotations

import io
from dataclasses import dataclass
from math import lcm
from typing import Annotated, Literal

from annotated_types import MaxLen
from PIL import Image

from knitground.core.base.errors import PlaceError
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say
from knitground.core.files.ship.kinds import ShipFormat, ShipJob, option
from knitground.core.files.ship.png import SCALES, Scale, area_of, map_picture, small_picture
from knitground.core.model.map import Map
from knitground.core.model.tileset import Picture

_LONGEST_MS = 10_000
_LEAST_MS = 20
"""What programs that show a GIF take for a frame's time at least."""
_MOST_PIXELS = 64_000_000


@dataclass(frozen=True)
class MotionOptions:
    """Of which kind, and how large."""

    form: Literal["gif", "apng"] = option(
        "gif", say("as"), say("A GIF has 255 colours, an APNG has all")
    )
    scale: Scale = option("1", say("scale"), say("Whole numbers stay sharp, parts are averaged"))
    area: Annotated[str, MaxLen(60)] = option(
        "", say("area"), say("Column, row, columns, rows of cells; empty is all of it"),
        say("all of it, or 10, 4, 20, 12"),
    )  # fmt: skip


def _names(job: ShipJob, map_: Map, options: MotionOptions) -> list[str]:
    return [f"{job.stem(map_)}.motion.{'gif' if options.form == 'gif' else 'png'}"]


def _period(job: ShipJob, map_: Map) -> int:
    """Tell after how many milliseconds all that moves is as it was, or as much as is shown."""
    out = 1
    for tile in map_.legend.tiles:
        owner = job.project.tileset_named(tile.tileset) if tile is not None else None
        frames = owner.fact(tile.row, tile.col).frames if owner is not None and tile else ()
        if frames:
            out = min(_LONGEST_MS, lcm(out, sum(each.ms for each in frames)))
    return out


def _files(
    job: ShipJob, map_: Map, options: MotionOptions, progress: Progress = no_progress
) -> dict[str, bytes]:
    """Make `MAP.motion.gif` or `MAP.motion.png`: a frame for each change, over and over.

    It shows as long as it takes until all is as it was, ten seconds at most.
    """
    atlas, period = job.atlas(map_), _period(job, map_)
    level, times = SCALES[options.scale]
    part = area_of(map_, options.area, min(level, map_.lattice.level_count - 1))
    small = int(part.width), int(part.height)
    if small[0] * small[1] * times * times > _MOST_PIXELS:
        raise PlaceError(
            say(
                "“{name}” would be {small} × {small2} px a frame: ship it at a smaller scale",
                name=map_.name,
                small=small[0] * times,
                small2=small[1] * times,
            )
        )
    at, frames, lasts = 0, [], []
    try:
        while at < period:
            atlas.show_time(at)
            picture = map_picture(job.project, map_, level, atlas=atlas, part=part)
            frames.append(Image.fromarray(picture.repeat(times, 0).repeat(times, 1)))
            if len(frames) * frames[0].width * frames[0].height > _MOST_PIXELS:
                raise PlaceError(
                    say(
                        "“{name}” would move through more than {most_pixels} pixels: ship it at a "
                        "smaller scale",
                        name=map_.name,
                        most_pixels=_MOST_PIXELS,
                    )
                )
            wait = atlas.next_change(at)
            wait = period if wait is None else max(_LEAST_MS, wait)
            lasts.append(min(wait, period - at))
            at += wait
            progress(min(1.0, at / period))
    finally:
        atlas.show_time(0)
    packed = io.BytesIO()
    more = {"save_all": True, "append_images": frames[1:], "loop": 0}
    if options.form == "gif":
        frames[0].save(packed, "GIF", duration=lasts, disposal=2, **more)
    else:
        frames[0].save(packed, "PNG", duration=lasts, default_image=False, **more)
    return {name: packed.getvalue() for name in _names(job, map_, options)}


def _sample(job: ShipJob, map_: Map, options: MotionOptions, side: int) -> Picture:
    return small_picture(job, map_, options.area, side)


MOTION = ShipFormat(
    "motion", say("GIF or APNG — the map as it moves"), say("A frame for each change of its tiles"),
    _names, _files, options=MotionOptions, sample=_sample,
)  # fmt: skip
