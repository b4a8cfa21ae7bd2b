"""Ship SVG: the shapes of all that lies on a map, merged, a group for each kind."""

from __future__ import annotations

from xml.sax.saxutils import escape, quoteattr

from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say
from knitground.core.files.ship.kinds import ShipFormat, ShipJob
from knitground.core.model.map import Map
from knitground.core.shapes.kinds import kind_named
from knitground.core.shapes.merge import laid_shapes, merge, rings_of


def _names(job: ShipJob, map_: Map, options: object = None) -> list[str]:
    return [f"{job.stem(map_)}.shapes.svg"]


def _files(
    job: ShipJob, map_: Map, options: object, progress: Progress = no_progress
) -> dict[str, bytes]:
    """Make the file `NAME.shapes.svg` of a knitted map: its size in pixels, a path for each part.

    Holes are wound the other way round and cut out by the even-odd rule.
    """
    wide, high = map_.lattice.extent
    lines = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide}" height="{high}" '
        f'viewBox="0 0 {wide} {high}">',
        f"<title>{escape(map_.name)}</title>",
    ]
    for kind, area in merge(laid_shapes(job.project, map_)).items():
        look = kind_named(job.project, kind)
        lines.append(
            f'<g id={quoteattr(kind)} fill="{look.colour}" fill-opacity="0.5" fill-rule="evenodd">'
        )
        for rings in rings_of(area):
            path = " ".join(
                "M" + " L".join(f"{_number(x)} {_number(y)}" for x, y in ring) + " Z"
                for ring in rings
            )
            lines.append(f'<path d="{path}"/>')
        lines.append("</g>")
    text = "\n".join([*lines, "</svg>", ""]).encode()
    return dict.fromkeys(_names(job, map_), text)


def _number(value: float) -> str:
    return f"{round(value, 3):g}" if abs(value) < 1e5 else f"{round(value, 3)}"


SVG = ShipFormat(
    "svg", say("SVG — collision shapes and other areas, merged"),
    say("A path for each part of each kind of shape, for editors and engines"), _names, _files,
)  # fmt: skip
