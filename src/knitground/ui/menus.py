"""Every command of the window: its menu, its name, its shortcut."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtGui import QKeySequence

from knitground import __version__
from knitground.ui import clipboard
from knitground.ui.canvas.zoom import STEPS
from knitground.ui.commands import Commands
from knitground.ui.rail import STAGES
from knitground.ui.theme import THEMES

if TYPE_CHECKING:
    from knitground.ui.window import Window


def add_commands(window: Window, commands: Commands) -> None:
    """Fill the menu bar."""
    _project(window, commands)
    _edit(window, commands)
    _view(window, commands)
    _tools(window, commands)
    _layer(window, commands)
    _map(window, commands)
    _help(window, commands)


def _project(window: Window, commands: Commands) -> None:
    add = partial(commands.add, "Project")
    add("New project", window.new_project)
    add("Open project…", window.ask_project, "Ctrl+O")
    recent = commands.menu("Project").addMenu("Lately")

    def fill() -> None:
        recent.clear()
        for folder in window.memory.recent:
            recent.addAction(str(folder), partial(window.open_project, folder))
        if not window.memory.recent:
            recent.addAction("none yet").setEnabled(False)

    recent.aboutToShow.connect(fill)
    add("Open the demo", lambda: window.open_demo(None))
    commands.line("Project")
    add("Open sheet…", window.sheets.ask_sheet, "Ctrl+Shift+O")
    commands.line("Project")
    add("Save", window.save, "Ctrl+S")
    add("Save as…", window.save_as, "Ctrl+Shift+S")
    add("Ship", window.ship.ship_now, "Ctrl+E")
    commands.line("Project")
    add("Close window", window.shell.close, "Ctrl+Q")


def _keys(*words: str) -> list[QKeySequence]:
    return [QKeySequence(each) for each in words]


def _edit(window: Window, commands: Commands) -> None:
    session = window.session
    add = partial(commands.add, "Edit")
    add("Undo", lambda: session.doc.undo(), "Ctrl+Z")
    redo = add("Redo", lambda: session.doc.redo(), "Ctrl+Y")
    redo.setShortcuts(_keys("Ctrl+Y", "Ctrl+Shift+Z"))
    commands.line("Edit")
    add("Copy", lambda: clipboard.copy(session), "Ctrl+C")
    add("Cut", lambda: clipboard.cut(session), "Ctrl+X")
    add("Paste into hand", lambda: clipboard.paste(session), "Ctrl+V")
    add("Erase selection", lambda: clipboard.delete(session), "Del")
    add("Fill selection", lambda: clipboard.fill(session), "Ctrl+Shift+F")
    add("Selection to the layer in front", lambda: clipboard.to_layer(session, 1), "Ctrl+Shift+]")
    add("Selection to the layer behind", lambda: clipboard.to_layer(session, -1), "Ctrl+Shift+[")
    add("Select all", lambda: clipboard.select_all(session), "Ctrl+A")
    add("Select nothing", lambda: clipboard.select_none(session), "Ctrl+Shift+A")
    add("Keep in the tray", window.draw.keep, "Ctrl+T")
    add("Release pins here", window.release_pins, "U")
    commands.line("Edit")
    add("Markers to the front", lambda: clipboard.restack(session, to_front=True))
    add("Markers to the back", lambda: clipboard.restack(session, to_front=False))
    commands.line("Edit")
    add("Reroll", lambda: session.set_seed(session.seed + 1), "R")
    add("Larger brush", lambda: session.set_size(session.size + 1), ".")
    add("Smaller brush", lambda: session.set_size(session.size - 1), ",")
    commands.line("Edit")
    add("Turn clockwise", lambda: clipboard.turn(session, 1), "]")
    add("Turn anticlockwise", lambda: clipboard.turn(session, 3), "[")
    add("Mirror left to right", lambda: clipboard.turn(session, 4), "X")
    add("Flip top to bottom", lambda: clipboard.turn(session, 6), "Y")
    commands.line("Edit")
    add("Use this slicing", window.slice.commit, "Ctrl+Return")
    add("Re-lay the sheet…", window.slice.ask_relay)
    add("Reskin the sheet…", window.slice.ask_reskin)


def _view(window: Window, commands: Commands) -> None:
    view = window.mapside.view
    add = partial(commands.add, "View")
    for number, stage in enumerate(STAGES, 1):
        add(f"Stage {stage.name}", partial(window.show_stage, stage.key), f"Ctrl+{number}")
    commands.line("View")
    add("Zoom in", lambda: window.mapside.active.zoom_by(1), "+").setShortcuts(_keys("+", "="))
    add("Zoom out", lambda: window.mapside.active.zoom_by(-1), "-")
    add("Zoom 100 %", lambda: window.mapside.active.zoom_to(STEPS.index(1)), "Ctrl+0")
    add("Whole map", lambda: window.mapside.active.fit(), "Home")
    commands.line("View")
    add("Second view", window.mapside.toggle_second, "Shift+V", checked=False)
    add(
        "Pins",
        lambda: window.mapside.each_view(lambda v: v.set_pins(not v.show_pins)),
        "Shift+U",
        checked=True,
    )
    add(
        "Grid lines",
        lambda: window.mapside.each_view(lambda v: v.set_grid(not v.show_grid)),
        "G",
        checked=True,
    )
    add(
        "Screen frame",
        lambda: window.mapside.each_view(lambda v: v.set_screen(not v.show_screen)),
        "Shift+S",
        checked=False,
    )
    add("Overview map", lambda: view.overview.setVisible(view.overview.isHidden()), "O",
        checked=False)  # fmt: skip
    add(
        "Play animations",
        lambda: window.mapside.each_view(lambda v: v.set_playing(not v.playing)),
        checked=True,
    )
    add("Repeat 3 × 3", lambda: window.set_repeat(not view.repeat), "Ctrl+Shift+R", checked=False)
    commands.line("View")
    for name in THEMES:
        add(f"Theme {name}", partial(window.set_theme, name))
    commands.line("View")
    add("Find a command…", window.find_command, "Ctrl+K")
    add("Find tiles, mixes, patches", window.find_in_bench, "Ctrl+F")


def _tools(window: Window, commands: Commands) -> None:
    for tool in window.mapside.tools.values():
        commands.add(
            "Tool", tool.name, partial(window.session.choose_tool, tool.key), tool.shortcut
        )


def _layer(window: Window, commands: Commands) -> None:
    strip = window.mapside.strip
    add = partial(commands.add, "Layer")

    def ask_name() -> None:
        if window.session.layer is not None:
            strip.ask_name(window.session.layer)

    def step(by: int) -> None:
        map_, layer = window.session.map, window.session.layer
        if map_ is not None and layer in map_.layers:
            to = map_.layers.index(layer) + by
            if 0 <= to < len(map_.layers):
                window.session.choose_layer(map_.layers[to])

    add("Add tile layer", strip.add_tiles)
    add("Add layer…", strip.ask_kind, "Ctrl+Shift+L")
    add("Offset and height…", strip.ask_place)
    add("Rename layer…", ask_name, "F2")
    add("Duplicate layer", strip.duplicate)
    add("Merge into the layer behind", strip.merge)
    add("Delete layer", strip.delete, "Ctrl+Delete")
    commands.line("Layer")
    add("Show or hide layer", strip.toggle_eye, "Ctrl+H")
    add("Lock or unlock layer", strip.toggle_lock, "Ctrl+L")
    add("Show only this layer, or all", strip.show_only, "Ctrl+Shift+H")
    add("Towards the back", lambda: strip.shift(-1), "Ctrl+[")
    add("Towards the front", lambda: strip.shift(1), "Ctrl+]")
    add("Next layer", lambda: step(1), "PgUp")
    add("Previous layer", lambda: step(-1), "PgDown")
    commands.line("Layer")
    add("Reroll variants", strip.reroll)
    add("Release all pins", strip.release_pins)


def _map(window: Window, commands: Commands) -> None:
    add = partial(commands.add, "Map")
    add("New map…", window.new_map, "Ctrl+N")
    add("Map from a picture…", window.ask_picture)
    add("Size of the map…", window.resize_map)
    add("Background…", window.ask_background)
    add("No background", lambda: window.set_background(None))
    add("Screen size…", window.ask_screen)
    add("Wraps at the borders, or not", window.toggle_wrap)
    add("Duplicate map", window.duplicate_map)
    add("Delete map", window.mapside.delete_map)
    add("Go to cell…", window.go_to_cell, "Ctrl+G")
    add("Another tileset…", window.mapside.ask_swap)
    add("Next map", lambda: window.step_map(1), "Ctrl+Tab")
    add("Previous map", lambda: window.step_map(-1), "Ctrl+Shift+Tab")
    commands.line("Map")
    add("Run recipe", window.grow.run_new, "Ctrl+R")


def _help(window: Window, commands: Commands) -> None:
    def about() -> None:
        window.session.note(f"Knit Ground {__version__}: from a sprite sheet to seamless maps")

    commands.add("Help", "About Knit Ground", about)
