"""Ship PNG: a map as a picture, whole or each layer alone, in one piece or in chunks."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from hashlib import blake2b
from math import ceil, floor
from pathlib import Path
from typing import Annotated, Literal, NamedTuple

import numpy as np
from annotated_types import Ge, Le, MaxLen
from PIL import Image

from knitground.core.base.errors import PlaceError
from knitground.core.base.filenames import file_names, key_of
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say
from knitground.core.base.window import Box
from knitground.core.files.images import PngBands, png_bytes
from knitground.core.files.made import write_asked
from knitground.core.files.ship.kinds import ShipFormat, ShipJob, option
from knitground.core.model.lattice import Rect
from knitground.core.model.layers import Layer
from knitground.core.model.map import Map, as_laid
from knitground.core.model.project import Project
from knitground.core.model.tileset import Picture
from knitground.core.render.atlas import Atlas
from knitground.core.render.pixels import over, straight
from knitground.core.render.stack import draw_map, needed, stack_of
from knitground.core.shapes.light import ambient_of
from knitground.core.shapes.maplight import MapLight, drawn_layers

MAX_PIXELS = 16_384 * 16_384
_MOST_FILES = 65_536
_BAND_PIXELS = 4 * 1024 * 1024
_MOST_AT_ONCE = 16 * 1024 * 1024
"""Pixels up to which a picture is all in memory; a larger one is written band by band."""
_CUT = 176, 58, 46, 255
"""The colour of lines where chunks are cut, in samples."""
_FIELD = re.compile(r"\{(map|layer|row|col)\}")
_FORBIDDEN = set('/\\:*?"<>|') | {chr(n) for n in range(32)}
SCALES = {"1/8": (3, 1), "1/4": (2, 1), "1/2": (1, 1), "1": (0, 1), "2": (0, 2), "3": (0, 3),
          "4": (0, 4)}  # fmt: skip
"""By their words: the level of the map, and how often each of its pixels stands side by side."""
Scale = Literal["1/8", "1/4", "1/2", "1", "2", "3", "4"]


@dataclass(frozen=True)
class PngOptions:
    """What is drawn, how large, and what the files are called."""

    of: Literal["map", "layers"] = option(
        "map", say("shows"), say("One picture of all visible layers, or one of each of them")
    )
    scale: Scale = option("1", say("scale"), say("Whole numbers stay sharp, parts are averaged"))
    chunk: Annotated[int, Ge(0), Le(4096)] = option(
        0, say("chunks of"), say("Cells across and down of a picture; 0 is the whole map")
    )
    background: bool = option(
        True, say("background"), say("Fill it with the map's colour, if it has one")
    )
    area: Annotated[str, MaxLen(60)] = option(
        "",
        say("area"),
        say("Column, row, columns, rows of cells; empty is all of it"),
        say("all of it, or 10, 4, 20, 12"),
    )
    light: bool = option(False, say("lit"), say("As its lamps and its ambient colour light it"))
    names: Annotated[str, MaxLen(200)] = option(
        "",
        say("names"),
        say("Of {map}, {layer}, {row} and {col}; empty: as many of these as are needed"),
        "{map}-{layer}-{row}-{col}",
    )


class MapPicture(NamedTuple):
    """A picture of a map; a notebook shows it. `pixels` (h, w, 4) uint8, straight RGBA."""

    pixels: Picture

    def _repr_png_(self) -> bytes:
        return png_bytes(self.pixels)

    def save(self, path: str | Path) -> None:
        """Write it as a PNG; raises a PlaceError where a file of a project lies."""
        write_asked(Path(path), png_bytes(self.pixels))


def map_picture(
    project: Project,
    map_: Map,
    level: int = 0,
    progress: Progress = no_progress,
    atlas: Atlas | None = None,
    layers: Sequence[Layer] | None = None,
    part: Rect | None = None,
    *,
    background: bool = True,
) -> Picture:
    """Draw layers of a knitted map: (height, width, 4) uint8, straight alpha.

    Parameters
    ----------
    level : 0 for full size, n for 1 / 2ⁿ of it
    layers : by default the visible ones
    part : whole pixels of the level, by default all of it

    Raises
    ------
    PlaceError
        The picture would have more than 16 384 × 16 384 pixels.
    """
    level = min(level, map_.lattice.level_count - 1)
    whole = Rect(0, 0, *map_.lattice.at_level(level).extent)
    part = whole if part is None else part
    width, height = int(part.width), int(part.height)
    if width * height > MAX_PIXELS:
        raise PlaceError(
            say(
                "“{name}” would be {width} × {height} px, more than {max_pixels} pixels: "
                "ship it at a smaller scale",
                name=map_.name,
                width=width,
                height=height,
                max_pixels=MAX_PIXELS,
            )
        )
    out = np.empty((height, width, 4), np.uint8)
    atlas = atlas or Atlas(project, map_)
    for band, pixels in _bands(map_, level, progress, atlas, layers, part, background=background):
        top = int(band.y - part.y)
        out[top : top + len(pixels)] = pixels
    return out


def _bands(
    map_: Map,
    level: int,
    progress: Progress,
    atlas: Atlas,
    layers: Sequence[Layer] | None,
    part: Rect,
    *,
    background: bool,
) -> Iterator[tuple[Rect, Picture]]:
    """Draw a part of a map from above to below: where each band lies, and its pixels."""
    width, height = int(part.width), int(part.height)
    colour = map_.background if background else None
    step = max(1, _BAND_PIXELS // width)
    for top in range(0, height, step):
        progress(top / height)
        band = Rect(part.x, part.y + top, width, min(step, height - top))
        stack = stack_of(map_, atlas, band, level, as_laid(map_), layers)
        pixels = draw_map(map_, atlas, stack)
        if colour is not None:
            paper = np.uint32(0xFF000000 | int(colour[1:], 16))
            pixels = over(pixels, np.full_like(pixels, paper))
        yield band, straight(pixels)


class _Part(NamedTuple):
    """A picture that is shipped: its name, the layers that it shows, and where it lies."""

    name: str
    layers: list[Layer] | None
    rect: Rect


def _parts(job: ShipJob, map_: Map, options: PngOptions) -> Iterator[_Part]:
    level = min(SCALES[options.scale][0], map_.lattice.level_count - 1)
    small = map_.lattice.at_level(level)
    whole = area_of(map_, options.area, level)
    wide, high = int(whole.width), int(whole.height)
    down, across = high, wide
    if options.chunk:
        down, across = (options.chunk * side for side in small.cell_size)
    rows, cols = -(-high // down), -(-wide // across)
    shown = [each for each in map_.layers if each.visible]
    layers: list[tuple[str, list[Layer] | None]] = [("", None)]
    if options.of == "layers":
        layers = [(name, [each]) for each, name in
                  zip(shown, file_names([each.name for each in shown], ""))]  # fmt: skip
    if rows * cols * len(layers) > _MOST_FILES:
        raise PlaceError(
            say(
                "“{name}” would be {rows} pictures, more than {most_files}: take larger chunks",
                name=map_.name,
                rows=rows * cols * len(layers),
                most_files=_MOST_FILES,
            )
        )
    pattern = _pattern(options)
    seen: dict[str, str] = {}
    for layer, some in layers:
        for row, col in np.ndindex(rows, cols):
            name = _filled_in(pattern, map=job.stem(map_), layer=layer, row=row, col=col) + ".png"
            if key_of(name) in seen:
                raise PlaceError(
                    say(
                        "png.names “{names}” makes {name} twice: add {{layer}}, {{row}} or {{col}}",
                        names=options.names,
                        name=name,
                    )
                )
            seen[key_of(name)] = name
            rect = Rect(whole.x + col * across, whole.y + row * down,
                        min(across, wide - col * across), min(down, high - row * down))  # fmt: skip
            yield _Part(name, some, rect)


def area_of(map_: Map, words: str, level: int) -> Rect:
    """Read “column, row, columns, rows”; gives whole pixels of a level of the map.

    Raises
    ------
    PlaceError
        These are no four numbers, or nothing of them is on the map.
    """
    everything = Rect(0, 0, *map_.lattice.at_level(level).extent)
    if not words.strip():
        return everything
    try:
        col, row, columns, rows = (int(each) for each in words.replace(";", ",").split(","))
    except ValueError as error:
        raise PlaceError(
            say(
                "png.area is “{words}”: give column, row, columns, rows, as in 10, 4, 20, 12",
                words=words[:60],
            )
        ) from error
    corners = [map_.lattice.cell_named(row + down, col + right)
               for down in (0, max(0, rows - 1)) for right in (0, max(0, columns - 1))]  # fmt: skip
    box = Box(min(r for r, _ in corners), min(c for _, c in corners),
              max(r for r, _ in corners) + 1, max(c for _, c in corners) + 1)  # fmt: skip
    shrink = map_.lattice.scale(map_.lattice.at_level(level))
    rect = map_.lattice.bounds(box).scaled(*shrink)
    left, top = floor(rect.x), floor(rect.y)
    whole = Rect(left, top, ceil(rect.right) - left, ceil(rect.bottom) - top).shared(everything)
    if whole.is_empty or rows < 1 or columns < 1:
        raise PlaceError(
            say(
                "png.area is “{words}”, and nothing of that is on “{name}”",
                words=words[:60],
                name=map_.name,
            )
        )
    return whole


def _pattern(options: PngOptions) -> str:
    usual = "{map}" + "-{layer}" * (options.of == "layers") + "-{row}-{col}" * bool(options.chunk)
    pattern = options.names.removesuffix(".png") or usual
    bare = _FIELD.sub("", pattern)
    if set(bare) & set("{}"):
        raise PlaceError(
            say(
                "png.names is “{pattern}”: only {{map}}, {{layer}}, {{row}} and {{col}} "
                "stand in braces",
                pattern=pattern[:60],
            )
        )
    if "{map}" not in pattern or set(bare) & _FORBIDDEN or pattern.startswith("."):
        raise PlaceError(
            say(
                "png.names is “{pattern}”: it has to hold {{map}}, and nothing that names of "
                "files can not",
                pattern=pattern[:60],
            )
        )
    return pattern


def _filled_in(pattern: str, **values: object) -> str:
    return _FIELD.sub(lambda found: str(values[found[1]]), pattern)


def _names(job: ShipJob, map_: Map, options: PngOptions) -> list[str]:
    return [each.name for each in _parts(job, map_, options)]


def _lit(picture: Picture, light: MapLight, part: Rect) -> Picture:
    """Light a picture of a part of the map, in pixels of its level."""
    field = light.field(part.scaled(light.step, light.step))
    out = picture.copy()
    by = np.minimum(field[: out.shape[0], : out.shape[1]], 1)
    out[..., :3] = np.rint(out[..., :3] * by).astype(np.uint8)
    return out


def _looks(job: ShipJob, map_: Map) -> bytes:
    """Give a print of what tiles look like and of what is true of whole layers."""
    out = blake2b(repr((map_.lattice, map_.background)).encode())
    for owner in job.project.tilesets:
        drawn = {at: (each.anchor, each.frames, each.apart) for at, each in owner.facts.items()}
        out.update(repr((owner.name, owner.slicing, sorted(drawn.items()))).encode())
        if owner.picture is not None:
            out.update(repr(owner.picture.shape).encode())
            out.update(np.ascontiguousarray(owner.picture).data)
    for layer in map_.layers:
        out.update(repr((layer.number, layer.visible, layer.opacity, layer.shift, layer.kind,
                         layer.own_cell, layer.interleaved, getattr(layer, "markers", ())))
                   .encode())  # fmt: skip
        if layer.own_cell is not None:
            out.update(layer.cells.tobytes())
    out.update(repr(map_.legend.tiles).encode())
    return out.digest()


def _print(
    looks: bytes, atlas: Atlas, map_: Map, part: _Part, level: int, times: int, options: PngOptions
) -> bytes:
    """Give a print of all that a picture is made of."""
    out = blake2b(looks + repr((part.rect, level, times, options.background)).encode())
    layers = [each for each in map_.layers if each.visible] if part.layers is None else part.layers
    small = min(level, map_.lattice.level_count - 1)
    for layer in layers:
        if layer.cells.size and layer.own_cell is None:
            box = needed(map_, atlas, layer, part.rect, small)
            if not box.is_empty:
                out.update(repr((layer.number, box)).encode() + as_laid(map_)(layer, box).tobytes())
    return out.digest()


def _files(
    job: ShipJob, map_: Map, options: PngOptions, progress: Progress = no_progress
) -> dict[str, bytes]:
    level, times = SCALES[options.scale]
    parts = list(_parts(job, map_, options))
    looks = _looks(job, map_) if options.chunk else b""
    light = None
    if options.light and options.of == "map" and ambient_of(map_) is not None:
        light = MapLight(job.project, map_, as_laid(map_),
                         1 << min(level, map_.lattice.level_count - 1))  # fmt: skip
    out = {}
    for n, each in enumerate(parts):
        wide, high = (int(side) * times for side in each.rect[2:])
        if wide * high > MAX_PIXELS:
            raise PlaceError(
                say(
                    "{name} would be {wide} × {high} px, more than {max_pixels} pixels: ship it "
                    "in chunks, or at a smaller scale",
                    name=each.name,
                    wide=wide,
                    high=high,
                    max_pixels=MAX_PIXELS,
                )
            )

        def part(done: float, n: int = n) -> None:
            progress((n + done) / len(parts))

        def drawn(each: _Part = each, part: Progress = part) -> bytes:
            layers = each.layers if light is None else drawn_layers(map_)
            small = min(level, map_.lattice.level_count - 1)
            bands = _bands(map_, small, part, job.atlas(map_), layers, each.rect,
                           background=options.background)  # fmt: skip
            wide, high = (int(side) * times for side in each.rect[2:])
            out = PngBands(wide, high) if wide * high > _MOST_AT_ONCE else None
            whole = []
            for at, pixels in bands:
                picture = pixels if light is None else _lit(pixels, light, at)
                picture = picture.repeat(times, 0).repeat(times, 1)
                if out is not None:
                    out.add(picture)
                else:
                    whole.append(picture)
            return png_bytes(np.concatenate(whole)) if out is None else out.done()

        if options.chunk and light is None:
            key = _print(looks, job.atlas(map_), map_, each, level, times, options)
            out[each.name] = job.kept.once(key, drawn)
        else:
            out[each.name] = drawn()
    return out


def small_picture(
    job: ShipJob, map_: Map, area: str, side: int, *, background: bool = True, light: bool = False
) -> Picture:
    """Draw a map, or an area of it, at most so many pixels across and down."""
    level = 0
    while level < map_.lattice.level_count - 1 and max(area_of(map_, area, level)[2:]) > 4 * side:
        level += 1
    part = area_of(map_, area, level)
    shown = MapLight(job.project, map_, as_laid(map_), 1 << level) \
        if light and ambient_of(map_) is not None else None  # fmt: skip
    drawn = map_picture(job.project, map_, level, no_progress, job.atlas(map_),
                        None if shown is None else drawn_layers(map_), part,
                        background=background)  # fmt: skip
    if shown is not None:
        drawn = _lit(drawn, shown, part)
    return shrunk_to(drawn, side)


def shrunk_to(picture: Picture, side: int) -> Picture:
    """Make a picture smaller, if it is larger than so many pixels across or down."""
    image = Image.fromarray(np.ascontiguousarray(picture))
    image.thumbnail((side, side), Image.Resampling.BOX)
    return np.asarray(image).copy()


def _sample(job: ShipJob, map_: Map, options: PngOptions, side: int) -> Picture:
    """Draw what comes out, with lines where the chunks are cut."""
    out = small_picture(job, map_, options.area, side, background=options.background,
                        light=options.light and options.of == "map")  # fmt: skip
    if options.chunk:
        whole = area_of(map_, options.area, 0)
        for axis, cell in enumerate(map_.lattice.cell_size):
            far, pixels = whole[3 - axis], out.shape[axis]
            for at in range(1, ceil(far / (cell * options.chunk))):
                place = min(pixels - 1, round(at * cell * options.chunk / far * pixels))
                out[(place, slice(None)) if axis == 0 else (slice(None), place)] = _CUT
    return out


PNG = ShipFormat(
    "png",
    say("PNG — the map as a picture"),
    say("All visible layers, or each alone; whole or in chunks"),
    _names,
    _files,
    usual=True,
    options=PngOptions,
    sample=_sample,
)
