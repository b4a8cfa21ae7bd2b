"""Which command stands in which menu: in that of what it changes, 16 lines a menu at most."""

from __future__ import annotations

from knitground.ui.common.commands import Menus

MENUS: Menus = (
    ("Project", (
        ("New project", "Open project…", "Lately", "Open the demo"),
        ("Open sheet…",),
        ("Save", "Save as…", "What changed…"),
        ("Ship", "Check again"),
    )),
    ("Edit", (
        ("Undo", "Redo"),
        ("Copy", "Cut", "Paste into hand", "Keep in the tray"),
        ("Erase selection", "Fill selection", "Select all", "Select nothing"),
        ("Selection to the layer in front", "Selection to the layer behind"),
        ("Markers to the front", "Markers to the back"),
    )),
    ("View", (
        ("Zoom in", "Zoom out", "Zoom 100 %", "Whole map"),
        ("Grid lines", "Pins", "Shapes", "Light", "Play animations", "Repeat 3 × 3"),
        ("Look into: cut away round the pointer", "Look into: fade what is in front"),
    )),
    ("Go", (
        ("Stage Slice", "Stage Tiles", "Stage Terrains", "Stage Rules", "Stage Draw",
         "Stage Grow", "Stage Proof", "Stage Ship"),
        ("Find a command…", "Find tiles, mixes, patches"),
        ("Next map", "Previous map", "Go to cell…"),
        ("Next finding", "The finding before"),
    )),
    ("Tool", (
        ("Paint", "Line", "Box", "Fill", "Erase", "Pick", "Select"),
        ("Larger brush", "Smaller brush"),
        ("Turn clockwise", "Turn anticlockwise", "Mirror left to right", "Mirror top to bottom"),
        ("Piece that fits here", "The piece before"),
    )),
    ("Sheet", (
        ("Use this slicing", "Re-lay the sheet…", "Reskin the sheet…", "Relief of the sheet…"),
        ("Choose all tiles",),
    )),
    ("Layer", (
        ("Add layer…", "Add tile layer", "Add a storey above"),
        ("Rename layer…", "Duplicate layer", "Merge into the layer behind", "Delete layer"),
        ("Show or hide layer", "Lock or unlock layer", "Show only this layer, or all"),
        ("Towards the back", "Towards the front", "Next layer", "Previous layer"),
        ("Offset and height…", "Sort by depth with neighbours, or not"),
    )),
    ("Cells", (
        ("Replace this tile by what is in hand", "Mix of what lies here", "Thin out…"),
        ("Lay the mix here anew", "Lay the mix here with another seed"),
        ("Reroll", "Reroll back", "Reroll variants"),
        ("Release pins here", "Release all pins", "Make the grown layer plain"),
    )),
    ("Map", (
        ("New map…", "Map from a picture…", "Duplicate map", "Delete map"),
        ("Size of the map…", "Wraps at the borders, or not", "Order of drawing…",
         "Another tileset…"),
        ("Background…", "No background", "Properties of the map…"),
        ("Screen size…", "Screen frame", "Walk"),
    )),
    ("Rules", (
        ("Teach a rule from the map", "Duplicate rule"),
        ("Rewrite the map once", "Rewrite the selection once",
         "Rewrite the map until nothing changes", "Rewrite the selection until nothing changes"),
        ("Run recipe", "Keep the selection from the recipe"),
    )),
    ("Window", (
        ("Second view", "Overview map"),
        ("Theme Linen", "Theme Loom", "Theme of the desktop"),
        ("Text larger", "Text smaller", "Text as at first"),
        ("Language of the desktop", "Language English", "Language Deutsch"),
        ("Close window",),
    )),
    ("Help", (
        ("Help for what is here", "All pages of the help", "Keys and mouse"),
        ("First map in seven steps",),
        ("About Knit Ground",),
    )),
)  # fmt: skip
