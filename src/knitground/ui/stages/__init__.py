"""The stages of the work, one folder each."""

from __future__ import annotations

from knitground.ui.session import Session
from knitground.ui.stages.draw.bench import DrawBench
from knitground.ui.stages.grow.bench import GrowBench
from knitground.ui.stages.rules.bench import RulesBench
from knitground.ui.stages.ship.bench import ShipBench
from knitground.ui.stages.slice.bench import SliceBench
from knitground.ui.stages.stage import Stage
from knitground.ui.stages.terrains.bench import TerrainsBench
from knitground.ui.stages.tiles.bench import TilesBench

_KINDS: tuple[type[Stage], ...] = (
    SliceBench, TilesBench, TerrainsBench, RulesBench, DrawBench, GrowBench, ShipBench,
)  # fmt: skip
"""In the order of the work; `ui/rail.py` names them on the rail."""


def make_stages(session: Session) -> dict[str, Stage]:
    """Make every stage, by its key."""
    return {kind.key: kind(session) for kind in _KINDS}
