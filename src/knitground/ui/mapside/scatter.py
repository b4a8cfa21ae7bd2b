"""Chance on the map: seeds, tiles thinned out, and mixes of what lies there."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QInputDialog, QWidget

from knitground.core.base.tongue import say, say_many
from knitground.core.base.window import Box
from knitground.core.edit.desk import Pointer
from knitground.core.edit.flood import Region
from knitground.core.edit.hand import MixInHand
from knitground.core.edit.laidmix import laid_at, laid_in, plan_again, plan_replace, with_laid
from knitground.core.edit.laying import Plan
from knitground.core.edit.maps import put_mix
from knitground.core.edit.planning import LOCK_KEYS
from knitground.core.edit.scatter import KNITTED, mix_of_cells, plan_thin
from knitground.core.edit.selecting import Selection, select_box
from knitground.core.model.layers import GroundLayer, Layer, TileLayer
from knitground.core.model.map import Map
from knitground.core.model.mix import Mix
from knitground.core.model.project import free_name
from knitground.ui.common.commands import Commands
from knitground.ui.session import Session

MOST_SEED = 9999
"""Of what is painted: as many as can be noted, and read in the ribbon."""


def reroll(session: Session, by: int) -> None:
    """Go to the next seed (1) or back to the one before (-1), round at the ends."""
    session.set_options(seed=(session.options.seed + by) % (MOST_SEED + 1))


def _there(session: Session) -> tuple[Map, Layer, Selection] | None:
    """Give the map, the layer and the selected cells, all of the map if none are selected."""
    map_, layer = session.grid, session.layer
    if map_ is None or layer is None or not layer.holds_tiles:
        session.note(say("Choose a layer of tiles first, in the strip under the map"))
        return None
    every = Box(0, 0, map_.height, map_.width)
    chosen = session.selection or select_box(map_, every)
    return (map_, layer, chosen) if chosen else None


def mix_from_map(session: Session) -> None:
    """Make a mix of what lies in the selection, as many of each, and take it in hand."""
    there = _there(session)
    if there is None:
        return
    map_, layer, chosen = there
    name = free_name(
        say("Mix of {name}", name=layer.name), [each.name for each in session.project.mixes]
    )

    def done(found: tuple[Mix, int]) -> None:
        mix, count = found
        if session.apply(put_mix(session.project, mix)):
            session.take(MixInHand(mix.name, mix))
            if session.tool in ("erase", "pick"):
                session.choose_tool("paint")
            kinds = len(mix.entries)
            session.note(
                say_many(
                    "“{name}” holds {count} tile by {count} cells",
                    "“{name}” holds {count} tiles by {count} cells",
                    kinds,
                    name=mix.name,
                    count=count,
                )
            )

    work = partial(mix_of_cells, session.doc, map_, layer, chosen, name)
    session.run_long(say("Counting tiles…"), lambda _: work(), done)


def ask_thin(session: Session, parent: QWidget) -> None:
    """Ask how many of the tiles in the selection go, and take them away."""
    there = _there(session)
    if there is None:
        return
    map_, layer, chosen = there
    if layer.locked or not layer.visible:
        state = (
            say("hidden")
            if not layer.visible
            else say("locked — {lock_keys} unlocks it", lock_keys=LOCK_KEYS)
        )
        session.warn(say("Nothing thinned out: {name} is {state}", name=layer.name, state=state))
        return
    if isinstance(layer, GroundLayer):
        session.warn(KNITTED.format(layer.name))
        return
    what = say("selection") if session.selection else say("whole map")
    share, ok = QInputDialog.getDouble(
        parent,
        say("Thin out"),
        say("Per cent of the tiles of “{name}” to take away, {what}", name=layer.name, what=what),
        30.0,
        0.1,
        100.0,
        1,
    )
    if not ok:
        return

    def done(found: tuple[Plan, int]) -> None:
        plan, count = found
        if session.apply(plan.edit):
            session.note(
                say("{count} tiles taken away from “{name}”", count=count, name=layer.name)
            )

    seed = session.options.seed
    work = partial(plan_thin, session.doc, map_, layer, chosen, share / 100, seed)
    session.run_long(say("Thinning out…"), lambda _: work(), done)


def lay_again(session: Session, at: Pointer | None, *, reroll: bool = False) -> None:
    """Lay the fill under the pointer, or in the selection, anew with its mix as it is now."""
    desk = session.desk()
    map_, layer = desk.grid, desk.layer
    if map_ is None or not isinstance(layer, TileLayer):
        session.note(say("Choose a layer of tiles that was filled with a mix"))
        return
    if layer.locked or not layer.visible:
        state = (
            say("hidden")
            if not layer.visible
            else say("locked — {lock_keys} unlocks it", lock_keys=LOCK_KEYS)
        )
        session.warn(say("Nothing laid anew: {name} is {state}", name=layer.name, state=state))
        return
    chosen, found = session.selection, None
    if chosen is not None:
        found = laid_in(layer, Region(chosen.box, chosen.mask))
    elif at is not None:
        found = laid_at(layer, *at.cell(map_))
    if found is None and chosen is None and layer.laid:
        found = layer.laid[-1]
    if found is None:
        session.note(say("No fill with a mix is known there: fill with a mix first"))
        return
    again, seed = found, (found.seed + 1) % (MOST_SEED + 1) if reroll else found.seed
    session.run_long(
        say("Laying anew…"),
        lambda _: plan_again(desk, again, seed),
        lambda plan: session.apply(plan.edit),
    )


def replace_tile(session: Session, at: Pointer | None) -> None:
    """Lay what is in hand on all cells that hold the tile under the pointer."""
    if at is None:
        session.note(say("Point at the tile that is to be replaced"))
        return
    desk, where = session.desk(), at
    kind = say("in the selection") if session.selection else say("on the map")

    def done(found: tuple[Plan, Region]) -> None:
        if session.apply(with_laid(desk, *found)):
            count = int(found[1].mask.sum())
            session.note(
                say_many(
                    "{count} cell replaced {kind}",
                    "{count} cells replaced {kind}",
                    count,
                    kind=kind,
                )
            )

    session.run_long(say("Replacing…"), lambda _: plan_replace(desk, where), done)


def add_commands(
    session: Session, commands: Commands, parent: QWidget, at: Callable[[], Pointer | None]
) -> None:
    """Add what goes by chance to the menus."""
    add = commands.add
    add("Reroll", lambda: reroll(session, 1), "R")
    add("Reroll back", lambda: reroll(session, -1), "Shift+R")
    commands.add("Thin out…", lambda: ask_thin(session, parent))
    commands.add("Mix of what lies here", lambda: mix_from_map(session))
    commands.add("Replace this tile by what is in hand",
        lambda: replace_tile(session, at()), "Ctrl+Alt+F",
    )  # fmt: skip
    commands.add("Lay the mix here anew", lambda: lay_again(session, at()), "Shift+F")
    commands.add("Lay the mix here with another seed",
        lambda: lay_again(session, at(), reroll=True), "Alt+Shift+F",
    )  # fmt: skip
