"""Tiles of another size than the map's cells: said when they are taken, with what can be done."""

from __future__ import annotations

from knitground.core.base.tongue import say
from knitground.core.edit.hand import TileInHand
from knitground.core.edit.layers import add_layer
from knitground.core.edit.sheets import scaled_tileset
from knitground.core.model.layers import TileLayer
from knitground.core.model.project import free_name
from knitground.core.model.tileset import Tileset
from knitground.ui.session import Session


def offer_for_size(session: Session, tileset: Tileset) -> None:
    """Say that tiles are of another size than the chosen layer's cells, and offer what can be done.

    They can be scaled, or laid on a layer with cells of their size; laid as they are, they stand on
    their cell's lower left. Loose pieces are meant to be of any size: nothing is said of them.
    """
    grid, layer, cut = session.grid, session.layer, tileset.slicing
    if grid is None or not isinstance(layer, TileLayer) or cut.pieces:
        return
    cell, tile = grid.lattice.cell_size, (cut.tile_height, cut.tile_width)
    if grid.lattice.slanted:
        _offer_for_base(session, tileset, cell, tile)
        return
    if cell == tile:
        return
    fitting = [
        each
        for each in (session.map.layers if session.map else [])
        if isinstance(each, TileLayer) and each.cell == tile
    ]
    there = bool(fitting)
    session.offer(
        say(
            "Tiles of “{name}” are {tile} × {tile2} px, cells of “{name2}” {cell} × "
            "{cell2} px: as they are they stand on their cell's lower left",
            name=tileset.name,
            tile=tile[1],
            tile2=tile[0],
            name2=layer.name,
            cell=cell[1],
            cell2=cell[0],
        ),
        {
            say("Scale them"): lambda: scale(session, tileset, *cell),
            say("Lay on {name}", name=fitting[0].name)
            if there
            else say("Layer with such cells"): lambda: (
                session.choose_layer(fitting[0]) if there else add_fitting_layer(session, *tile)
            ),
        },
    )


def _offer_for_base(
    session: Session, tileset: Tileset, base: tuple[int, int], tile: tuple[int, int]
) -> None:
    """Say that pictures are wider or narrower than the diamonds that they are to stand on."""
    if tile[1] != base[1]:
        high = round(tile[0] * base[1] / tile[1])
        session.offer(
            say(
                "Tiles of “{name}” are {tile} px wide, the diamonds of this map {base}: as "
                "they are they stand in the middle",
                name=tileset.name,
                tile=tile[1],
                base=base[1],
            ),
            {say("Scale them"): lambda: scale(session, tileset, high, base[1])},
        )


def scale(session: Session, tileset: Tileset, height: int, width: int) -> None:
    """Add a copy of a sheet scaled to the cells, and take the same tile of it in hand."""
    project, hand = session.project, session.hand

    def done(found: tuple[object, Tileset]) -> None:
        edit, made = found
        session.doc.apply(edit)  # type: ignore[arg-type]
        session.choose_tileset(made)
        if isinstance(hand, TileInHand):
            session.take(TileInHand(hand.tile._replace(tileset=made.name), hand.number))

    session.run_long(
        say("Scaling {name}…", name=tileset.name),
        lambda _: scaled_tileset(project, tileset, height, width),
        lambda found: session.attempt(lambda: done(found)),
    )


def add_fitting_layer(session: Session, height: int, width: int) -> None:
    """Add a tile layer with cells of its own in front of the chosen one, and choose it."""
    map_ = session.map
    if map_ is None:
        return
    name = free_name(
        say("Tiles {width} × {height}", width=width, height=height),
        [each.name for each in map_.layers],
    )
    made = map_.new_tile_layer(name, (height, width))
    at = map_.layers.index(session.layer) + 1 if session.layer in map_.layers else None
    if session.do(lambda: add_layer(map_, made, at)):
        session.choose_layer(made)
