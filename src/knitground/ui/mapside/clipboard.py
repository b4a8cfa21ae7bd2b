"""Copying and pasting: patches between maps and projects, pictures to other programs."""

from __future__ import annotations

import atexit

from PySide6.QtWidgets import QApplication

from knitground.core.base.tongue import say
from knitground.core.base.window import Box
from knitground.core.edit.markers import (
    delete_markers,
    restack_markers,
)
from knitground.core.edit.planning import LOCK_KEYS, erase_selected, has_pins, plan_selected
from knitground.core.edit.selecting import same_cells, select_box
from knitground.core.edit.selecting import to_layer as move_to_layer
from knitground.core.model.layers import MarkerLayer
from knitground.ui.common.commands import Commands, keys_of, with_key
from knitground.ui.mapside.copypaste import copy, paste, turn
from knitground.ui.mapside.growing import once_grown
from knitground.ui.session import Session


@atexit.register
def let_go() -> None:
    """Empty the clipboard before the program ends.

    What a Python program has put there is otherwise taken down after Python itself, and the process
    dies at its very end.
    """
    app = QApplication.instance()
    if isinstance(app, QApplication):
        app.clipboard().clear()


def cut(session: Session) -> None:
    """Copy the selected cells and empty them."""
    if copy(session):
        delete(session)


def delete(session: Session) -> None:
    """Empty the selected cells of the chosen layer, or take the chosen markers away."""
    map_, layer = session.map, session.layer
    if map_ is not None and isinstance(layer, MarkerLayer):
        if layer.locked:
            session.warn(
                say(
                    "{name} is locked — {lock_keys} unlocks it",
                    name=layer.name,
                    lock_keys=LOCK_KEYS,
                )
            )
        else:
            session.apply(delete_markers(map_, layer, session.markers))
        return
    pinned = session.layer if has_pins(session.desk()) else None
    once_grown(session, map_, pinned, lambda: _delete_selected(session))


def _delete_selected(session: Session) -> None:
    plan = erase_selected(session.desk())
    if plan is None:
        session.note(say("Select cells of a layer that is not locked or hidden first"))
    else:
        session.apply(plan.edit)


def fill(session: Session) -> None:
    """Lay what is in hand on the selected cells."""
    plan = plan_selected(session.desk())
    if plan is None:
        session.note(say("Select cells, and take something in hand that fits the layer"))
    else:
        session.apply(plan.edit)


def restack(session: Session, *, to_front: bool) -> None:
    """Bring the chosen markers in front of all others of their layer, or behind them."""
    map_, layer = session.map, session.layer
    if map_ is None or not isinstance(layer, MarkerLayer) or not session.markers:
        session.note(
            say("Choose markers first: take {with_key} and click one", with_key=with_key("Select"))
        )
        return
    session.apply(restack_markers(map_, layer, session.markers, to_front=to_front))


def to_layer(session: Session, by: int) -> None:
    """Move the selected cells to the next layer in front (1) or behind (-1) that takes tiles."""
    map_, layer, chosen = session.map, session.layer, session.selection
    if map_ is None or layer is None or chosen is None:
        session.note(
            say("Select cells first: take {with_key} and drag", with_key=with_key("Select"))
        )
        return
    at = map_.layers.index(layer)
    further = map_.layers[at + 1 :] if by > 0 else map_.layers[:at][::-1]
    fitting = [each for each in further if each.holds_tiles and same_cells(map_, layer, each)]
    if not fitting:
        session.note(
            say(
                "There is no layer {words} “{name}” that takes its tiles",
                words=say("in front of") if by > 0 else say("behind"),
                name=layer.name,
            )
        )
        return
    target = fitting[0]

    def move() -> None:
        if session.do(lambda: move_to_layer(session.doc, map_, layer, target, chosen)):
            session.choose_layer(target)

    once_grown(session, map_, layer if has_pins(session.desk()) else None, move)


def select_all(session: Session) -> None:
    """Choose every cell of the map, or every marker of the layer."""
    grid = session.grid
    if isinstance(session.layer, MarkerLayer):
        session.choose_markers(each.number for each in session.layer.markers)
    elif grid is not None:
        session.select(select_box(grid, Box(0, 0, grid.height, grid.width)))


def select_none(session: Session) -> None:
    """Choose no cell and no marker."""
    session.select(None)
    session.choose_markers(())


def add_commands(session: Session, commands: Commands) -> None:
    """Add what can be done with a selection, and with what is in hand, to the menus."""
    add = commands.add
    add("Undo", session.undo, "Ctrl+Z")
    add("Redo", session.redo, "Ctrl+Y").setShortcuts(keys_of("Ctrl+Y", "Ctrl+Shift+Z"))
    add("Copy", lambda: copy(session), "Ctrl+C")
    add("Cut", lambda: cut(session), "Ctrl+X")
    add("Paste into hand", lambda: paste(session), "Ctrl+V")
    add("Erase selection", lambda: delete(session), "Del")
    add("Fill selection", lambda: fill(session), "Ctrl+Shift+F")
    add("Selection to the layer in front", lambda: to_layer(session, 1), "Ctrl+Shift+]")
    add("Selection to the layer behind", lambda: to_layer(session, -1), "Ctrl+Shift+[")
    add("Select all", lambda: select_all(session), "Ctrl+A")
    add("Select nothing", lambda: select_none(session), "Ctrl+Shift+A")
    add("Markers to the front", lambda: restack(session, to_front=True))
    add("Markers to the back", lambda: restack(session, to_front=False))
    add("Larger brush", lambda: session.set_size(session.desk().size + 1), ".")
    add("Smaller brush", lambda: session.set_size(session.desk().size - 1), ",")
    add("Turn clockwise", lambda: turn(session, 1), "]")
    add("Turn anticlockwise", lambda: turn(session, 3), "[")
    add("Mirror left to right", lambda: turn(session, 4), "M")
    add("Mirror top to bottom", lambda: turn(session, 6), "Shift+M")
