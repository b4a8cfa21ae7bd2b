"""The pages of the help, and which of them tells about a part of the window."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from knitground.core.base.tongue import say
from knitground.ui.common.commands import Command

FOLDER = Path(__file__).parent / "text"
KEYS = "keys"
PAGES = (
    "begin", "slice", "tiles", "terrains", "sets", "rules", "draw", "map", "grow", "proof", "ship",
    "gaps", "limits", KEYS,
)  # fmt: skip
"""In the order in which they are listed: those of stages have the stage's key."""
ABOUT: dict[str, str] = {
    "CheckBars": "proof#checks",
    "CoveragePanel": "terrains#coverage",
    "FigureBar": "map#walk",
    "GapButton": "gaps",
    "GuessList": "slice#likely-grids",
    "LikelyCards": "terrains#it-looks-like",
    "MakeDialog": "terrains#a-set-from-two-tiles",
    "MapPicture": "map#looking",
    "MapSide": "map",
    "MapView": "map#looking",
    "MarkerPage": "draw#markers",
    "MarksSheet": "terrains#marks",
    "NeighbourEditor": "rules#neighbour-rules",
    "NewMapDialog": "map#isometric-maps",
    "NineDialog": "grow#nine-seeds",
    "ReliefDialog": "ship#light",
    "RewriteEditor": "rules#rewrite-rules",
    "Ribbon": "map#tools",
    "SetCards": "sets",
    "ShapesPage": "tiles#shapes",
    "SituationsPage": "rules#situations",
    "Slip": "proof#slips",
    "StarterBox": "grow#begin-with",
    "StartPage": "begin",
    "StepCard": "grow#steps",
    "Strip": "map#layers",
    "TintPage": "draw#tint",
    "VariantsPanel": "terrains#variants",
}
"""Page and heading by the class of a part of the window."""


@dataclass(frozen=True)
class Page:
    """A page: its key, its title and its text, in Markdown."""

    key: str
    title: str
    text: str

    @property
    def anchors(self) -> list[str]:
        """Headings that can be gone to, as they are written in `ABOUT`."""
        return [anchor_of(each) for each in re.findall(r"^## (.*)$", self.text, re.MULTILINE)]

    def hits(self, words: str) -> int:
        """Tell how much it is about words, its title counting most; 0 if one stands nowhere."""
        text, title = self.text.casefold(), self.title.casefold()
        counts = [text.count(each) + 9 * title.count(each) for each in words.casefold().split()]
        return sum(counts) if counts and all(counts) else 0


def anchor_of(heading: str) -> str:
    """Give a heading as links name it.

    Examples
    --------
    >>> anchor_of("Corner sets: ground that blends"), anchor_of("It looks like")
    ('corner-sets-ground-that-blends', 'it-looks-like')
    """
    return "-".join(re.findall(r"\w+", heading.casefold()))


@lru_cache(maxsize=1)
def written_pages() -> tuple[Page, ...]:
    """Read the pages that lie here, in their order."""
    out = []
    for key in PAGES:
        if key != KEYS:
            text = (FOLDER / f"{key}.md").read_text(encoding="utf-8")
            out.append(Page(key, text.splitlines()[0].removeprefix("# "), text))
    return tuple(out)


def keys_page(commands: Iterable[Command]) -> Page:
    """Make the page of keys and mouse, from the commands as they are."""
    lines = [
        say("# Keys and mouse"), "", say("## Mouse on the map"), "",
        say("| with | on the map |"), "|---|---|",
        say("| left | lays what is in hand |"),
        say("| right | takes in hand what lies there |"),
        say("| middle, or space and left | moves the map |"),
        say("| wheel | zooms at the pointer |"),
        say("| Ctrl + wheel | size of the brush |"),
        say("| Shift, Ctrl, Alt | as the ribbon says for the tool that is chosen |"),
    ]  # fmt: skip
    menus: dict[str, list[Command]] = {}
    for each in commands:
        menus.setdefault(each.menu, []).append(each)
    for menu, found in menus.items():
        if any(each.keys for each in found):
            lines += ["", f"## {menu}", "", say("| command | keys |"), "|---|---|"]
            lines += [f"| {each.text.replace('|', '/')} | `{each.keys}` |" for each in found
                      if each.keys]  # fmt: skip
    return Page(KEYS, say("Keys and mouse"), "\n".join([*lines, ""]))
