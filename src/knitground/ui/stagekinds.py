"""The stages of the work, one line each: what the rail shows of them, and where their bench is.

The benches themselves are found when the window is made: the rail is painted before that.
"""

from __future__ import annotations

from dataclasses import dataclass

from knitground.core.base.tongue import later, say


@dataclass(frozen=True)
class StageKind:
    """A stage.

    Parameters
    ----------
    key : of its folder in `stages`, and of what is remembered of it
    name, tip : on the rail, and what it is for
    bench : the class in `bench.py` of its folder, a `Stage`
    """

    key: str
    name: str
    tip: str
    bench: str

    @property
    def place(self) -> str:
        """Where the class is, in words that `pkgutil.resolve_name` takes."""
        return f"knitground.ui.stages.{self.key}.bench:{self.bench}"


STAGES = (
    StageKind("slice", later("Slice"), say("Cut a sheet into tiles"), "SliceBench"),
    StageKind(
        "tiles",
        later("Tiles"),
        say("Say what each tile is: weight, name, tags, properties, animation"),
        "TilesBench",
    ),
    StageKind(
        "terrains",
        later("Terrains"),
        say("Say what each tile shows at its sides and corners"),
        "TerrainsBench",
    ),
    StageKind(
        "rules",
        later("Rules"),
        say("Say what each tile is for, and let drafts become finished art"),
        "RulesBench",
    ),
    StageKind("draw", later("Draw"), say("Lay maps by hand"), "DrawBench"),
    StageKind("grow", later("Grow"), say("Let a recipe make a layer"), "GrowBench"),
    StageKind(
        "proof", later("Proof"), say("Find what is wrong before the game does"), "ProofBench"
    ),
    StageKind("ship", later("Ship"), say("Write what a game reads"), "ShipBench"),
)
"""In the order of the work."""
