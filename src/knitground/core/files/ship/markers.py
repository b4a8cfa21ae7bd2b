"""Ship markers alone: spawn points, doors and areas, without the map."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from annotated_types import MaxLen

from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say
from knitground.core.files.jsontext import to_text
from knitground.core.files.ship.formats import MarkerAlone, MarkersFile
from knitground.core.files.ship.kinds import ShipFormat, ShipJob, option
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.map import Map
from knitground.core.model.properties import typed_values


@dataclass(frozen=True)
class MarkerOptions:
    """Which of them."""

    kind: Annotated[str, MaxLen(200)] = option(
        "", say("of kind"), say("Only markers of this kind; empty: all"), say("all, or spawn point")
    )


def _names(job: ShipJob, map_: Map, options: MarkerOptions) -> list[str]:
    return [f"{job.stem(map_)}.markers.json"]


def _files(
    job: ShipJob, map_: Map, options: MarkerOptions, progress: Progress = no_progress
) -> dict[str, bytes]:
    """Make `MAP.markers.json`: what each is called, of what kind, and where it is, in pixels."""
    found = [
        MarkerAlone(layer=layer.name, name=each.name, kind=each.kind, shape=each.shape.value,
                    points=list(each.points), turn=each.turn,
                    properties=typed_values(each.properties))
        for layer in map_.layers if isinstance(layer, MarkerLayer)
        for each in layer.markers if options.kind in ("", each.kind)
    ]  # fmt: skip
    text = to_text(MarkersFile(map=map_.name, markers=found).model_dump(mode="json"))
    return {name: text.encode() for name in _names(job, map_, options)}


MARKERS = ShipFormat(
    "markers",
    say("Markers — spawn points, doors, areas"),
    say("Their list alone, without the map"),
    _names,
    _files,
    options=MarkerOptions,
)
