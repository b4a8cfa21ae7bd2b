"""The pages of the help, and which of them tells about a part of the window."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from knitground.core.base.tongue import ENGLISH, say
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
    """A page, in Markdown.

    Parameters
    ----------
    anchors : its headings as they are written in `ABOUT`: in every language the English ones
    """

    key: str
    title: str
    text: str
    anchors: tuple[str, ...] = ()

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


def anchors_of(text: str) -> tuple[str, ...]:
    """Give the headings of a page that can be gone to, in their order."""
    return tuple(anchor_of(each) for each in re.findall(r"^## (.*)$", text, re.MULTILINE))


def folder_of(language: str) -> Path:
    """Give the folder in which the pages lie in a language, the English ones if it has none."""
    return FOLDER / language if (FOLDER / language).is_dir() else FOLDER


@lru_cache
def written_pages(language: str = ENGLISH) -> tuple[Page, ...]:
    """Read the pages that lie here, in their order."""
    out = []
    for key in PAGES:
        if key != KEYS:
            english = (FOLDER / f"{key}.md").read_text(encoding="utf-8")
            text = (folder_of(language) / f"{key}.md").read_text(encoding="utf-8")
            title = text.splitlines()[0].removeprefix("# ")
            out.append(Page(key, title, text, anchors_of(english)))
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
    text = "\n".join([*lines, ""])
    return Page(KEYS, say("Keys and mouse"), text, anchors_of(text))
