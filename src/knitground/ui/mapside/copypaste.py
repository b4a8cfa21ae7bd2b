"""Copy, paste and turn: what is chosen as a patch, as markers, and as a picture for others."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
from pydantic_core import to_json
from PySide6.QtCore import QMimeData
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QApplication

from knitground.core.base.errors import KnitError
from knitground.core.base.tongue import say
from knitground.core.edit.hand import PatchInHand
from knitground.core.edit.markers import (
    add_markers,
    change_markers,
    moved,
    turned,
)
from knitground.core.edit.planning import LOCK_KEYS
from knitground.core.edit.selecting import chosen_cells, plan_turn
from knitground.core.files.layer_io import marker_from_file, marker_to_file
from knitground.core.files.mapformats import MarkerFile
from knitground.core.model.layers import Cells, MarkerLayer
from knitground.core.model.map import Legend
from knitground.core.model.marker import Marker
from knitground.core.model.patch import Patch, turn_tile
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Picture
from knitground.core.model.turns import is_mirrored
from knitground.core.render.compose import lay_out
from knitground.core.render.pixels import Pixels
from knitground.core.slicing.mapgrid import MapGrid
from knitground.core.slicing.mockup import lay_with, read_mockup
from knitground.ui.common.commands import with_key
from knitground.ui.common.painting import image_of
from knitground.ui.mapside.tools.markers import chosen_markers
from knitground.ui.session import Session

KIND = "application/x-knitground-patch+json"


MARKERS_KIND = "application/x-knitground-markers+json"


_MOST_CELLS = 65_536

_PICTURE_PIXELS = 4_000_000
"""Of a picture of copied cells; of more cells only the patch goes on the clipboard."""


def copy(session: Session) -> bool:
    """Put the selected cells of the chosen layer on the clipboard; returns whether it did."""
    if isinstance(session.layer, MarkerLayer):
        return _copy_markers(session)
    map_, layer, chosen = session.grid, session.layer, session.selection
    if map_ is None or layer is None or chosen is None:
        session.note(
            say("Select cells first: take {with_key} and drag", with_key=with_key("Select"))
        )
        return False
    if not layer.holds_tiles:
        session.note(
            say(
                "“{name}” holds {kind}, no tiles: choose another layer to copy",
                name=layer.name,
                kind=say(layer.kind),
            )
        )
        return False
    if chosen.box.height * chosen.box.width > _MOST_CELLS:
        session.warn(
            say(
                "{count} cells are too many to copy: select at most {most_cells}",
                count=chosen.count,
                most_cells=_MOST_CELLS,
            )
        )
        return False
    cells = chosen_cells(session.doc, map_, layer, chosen)
    if not cells.any():
        session.note(say("Nothing to copy: “{name}” is empty there", name=layer.name))
        return False
    data = QMimeData()
    data.setData(KIND, _written(layer.name, cells, map_.legend))
    pixels = _cells_picture(session, cells)
    if pixels is not None:
        data.setImageData(image_of(pixels).copy())
    QApplication.clipboard().setMimeData(data)
    session.note(
        say(
            "{count} cells of “{name}” copied: paste takes them in hand",
            count=chosen.count,
            name=layer.name,
        )
    )
    return True


def paste(session: Session) -> None:
    """Take what the clipboard holds in hand; markers are laid beside where they were."""
    data = QApplication.clipboard().mimeData()
    if data is not None and data.hasFormat(MARKERS_KIND):
        _paste_markers(session, bytes(data.data(MARKERS_KIND).data()))
        return
    if data is not None and not data.hasFormat(KIND) and data.hasImage():
        _paste_picture(session, picture_of(QApplication.clipboard().image()))
        return
    if data is None or not data.hasFormat(KIND):
        session.warn(_strange(data))
        return
    patch = _read(bytes(data.data(KIND).data()))
    if patch is None:
        session.warn(say("The patch on the clipboard is broken: copy it once more"))
        return
    known = {each.name for each in session.project.tilesets}
    missing = {tile.tileset for row in patch.rows for tile in row if tile} - known
    if missing:
        session.warn(
            say(
                "The patch uses “{sorted}”, which this project does not have: add that sheet "
                "under the same name first",
                sorted=sorted(missing)[0],
            )
        )
        return
    session.hold(PatchInHand(patch))


def _copy_markers(session: Session) -> bool:
    chosen = chosen_markers(session)
    if not chosen:
        session.note(
            say(
                "Choose markers first: take {with_key} and click one, or draw a frame",
                with_key=with_key("Select"),
            )
        )
        return False
    data = QMimeData()
    files = [marker_to_file(each).model_dump(mode="json") for each in chosen]
    data.setData(MARKERS_KIND, json.dumps(files).encode())
    QApplication.clipboard().setMimeData(data)
    session.note(say("{count} markers copied", count=len(chosen)))
    return True


def _paste_markers(session: Session, raw: bytes) -> None:
    map_, layer = session.map, session.layer
    if map_ is None or not isinstance(layer, MarkerLayer) or layer.locked:
        session.warn(say("Markers go on a marker layer that is not locked: choose one below"))
        return
    try:
        files = [MarkerFile.model_validate(each) for each in json.loads(raw)]
        found = [marker_from_file(each, say("the clipboard")) for each in files]
    except (ValueError, TypeError, KnitError):
        session.warn(say("The markers on the clipboard are broken: copy them once more"))
        return
    shifted = [moved(each, *map_.lattice.stride) for each in found]

    def do() -> None:
        edit, numbers = add_markers(map_, layer, shifted)
        if session.apply(edit):
            session.choose_markers(numbers)

    if shifted:
        session.attempt(do)


def turn(session: Session, by: int) -> None:
    """Turn or mirror the chosen markers, with Select the selected cells, else what is in hand.

    `by`: quarter turns clockwise, with 4 mirrored first. Markers turn by 15 degrees at a time;
    mirroring turns over the tile of free pictures.
    """
    map_, layer = session.map, session.layer
    if session.tool == "select" and session.selection is not None and map_ is not None:
        _turn_selection(session, by)
        return
    if map_ is None or not isinstance(layer, MarkerLayer) or not session.markers:
        session.turn_hand(by)
        return
    if layer.locked:
        session.warn(
            say("{name} is locked — {lock_keys} unlocks it", name=layer.name, lock_keys=LOCK_KEYS)
        )
        return

    def change(each: Marker) -> Marker:
        if is_mirrored(by):
            return replace(each, tile=turn_tile(each.tile, by)) if each.tile else each
        return turned(each, 15.0 if by == 1 else -15.0)

    name = say("Mirror markers") if is_mirrored(by) else say("Turn markers")
    session.apply(change_markers(map_, layer, session.markers, change, name))


def _turn_selection(session: Session, by: int) -> None:
    grid, layer, chosen = session.grid, session.layer, session.selection
    if grid is None or layer is None or chosen is None or isinstance(layer, MarkerLayer):
        return
    if layer.locked or not layer.visible:
        session.warn(
            say(
                "Nothing turned: {name} is {words}",
                name=layer.name,
                words=say("locked") if layer.locked else say("hidden"),
            )
        )
        return
    if chosen.box.height * chosen.box.width > _MOST_CELLS:
        session.warn(
            say(
                "{count} cells are too many to turn: select at most {most_cells}",
                count=chosen.count,
                most_cells=_MOST_CELLS,
            )
        )
        return
    plan, turned_cells = plan_turn(session.doc, grid, layer, chosen, by)
    if session.apply(plan.edit):
        session.select(turned_cells)


_MOST_PIXELS = 16_384 * 16_384

_NAME = "pasted"


def picture_of(image: QImage) -> Picture:
    """Copy an image into straight RGBA pixels (h, w, 4)."""
    plain = image.convertToFormat(QImage.Format.Format_RGBA8888)
    raw = np.frombuffer(plain.constBits(), np.uint8)
    lines = raw.reshape(plain.height(), plain.bytesPerLine())[:, : plain.width() * 4]
    return lines.reshape(plain.height(), plain.width(), 4).copy()


def _paste_picture(session: Session, picture: Picture) -> None:
    """Take a picture of another program in hand if it is made of known tiles, else offer ways."""
    high, wide = picture.shape[:2]
    if not 0 < high * wide <= _MOST_PIXELS:
        session.warn(
            say(
                "The picture on the clipboard has {wide} × {high} px: copy a smaller one",
                wide=wide,
                high=high,
            )
        )
        return
    session.run_long(
        say("Looking at the picture…"),
        lambda _: _patch_in(session, picture),
        lambda patch: _take_or_offer(session, picture, patch),
    )


def _take_or_offer(session: Session, picture: Picture, patch: Patch | None) -> None:
    high, wide = picture.shape[:2]
    if patch is not None:
        session.hold(PatchInHand(patch))
        session.note(
            say(
                "The picture is {width} × {height} tiles that the project has",
                width=patch.width,
                height=patch.height,
            )
        )
        return
    session.offer(
        say(
            "The clipboard holds a picture of {wide} × {high} px that is not made of "
            "this project's tiles",
            wide=wide,
            high=high,
        ),
        {
            say("Make it a sheet"): lambda: session.sheet_wanted.emit(picture, _NAME),
            say("Make it a map…"): lambda: session.map_wanted.emit(picture, _NAME),
        },
    )


def _patch_in(session: Session, picture: Picture) -> Patch | None:
    """Read a picture as a patch; None if it is not made of tiles of the chosen layer's cells."""
    grid = session.grid
    high, wide = picture.shape[:2]
    if grid is None or not grid.lattice.divides(wide, high):
        return None
    if high * wide > _MOST_CELLS * grid.lattice.cell_area:
        return None
    found = read_mockup(picture, MapGrid(*grid.lattice.cell_size), turns=False)
    known = lay_with(found, session.project.tilesets)
    if not known or len(known) < len(found.tiles):
        return None
    rows = tuple(tuple(known.get(n) for n in line) for line in found.tile_of_cell.tolist())
    return Patch(_NAME, rows)


def _strange(data: QMimeData | None) -> str:
    if data is not None and data.hasText() and data.text().strip():
        return say("The clipboard holds text, no tiles: copy selected cells first")
    return say("The clipboard is empty: copy selected cells first")


def _read(raw: bytes) -> Patch | None:
    try:
        found = json.loads(raw)
        tiles = {0: None, **{n: _tile(each) for n, each in enumerate(found["tiles"], 1)}}
        rows = tuple(tuple(map(tiles.__getitem__, row)) for row in found["rows"])
        name = str(found["name"])[:200]
    except (ValueError, KeyError, TypeError):
        return None
    even = rows and rows[0] and all(len(row) == len(rows[0]) for row in rows)
    small = even and len(rows) * len(rows[0]) <= _MOST_CELLS
    return Patch(name, rows) if small else None


def _tile(value: list[object]) -> TileRef:
    name, row, col, turn = value
    if not (isinstance(row, int) and isinstance(col, int) and isinstance(turn, int)):
        raise TypeError
    if min(row, col) < 0 or not 0 <= turn <= 7:
        raise ValueError
    return TileRef(str(name), row, col, turn)


def _written(name: str, cells: Cells, legend: Legend) -> bytes:
    """Write cells as a patch in JSON: its tiles once, and rows of numbers, 0 where it is empty."""
    shown = np.maximum(cells, 0)
    there = np.zeros(int(shown.max(initial=0)) + 1, np.bool_)
    there[shown] = True
    there[0] = False
    numbers = (np.cumsum(there) * there)[shown]
    tiles = [legend.tile(place) for place in np.flatnonzero(there).tolist()]
    return to_json({"name": name, "tiles": tiles, "rows": numbers.tolist()})


def _cells_picture(session: Session, cells: Cells) -> Pixels | None:
    """Draw cells of the chosen layer, for other programs; None if it were very large.

    Pictures that reach beyond their cells are left out.
    """
    map_, layer, grid = session.map, session.layer, session.grid
    if map_ is None or layer is None or grid is None or grid is not map_:
        return None
    if cells.size * map_.lattice.cell_area > _PICTURE_PIXELS:
        return None
    return lay_out(session.atlases.of(map_).at(0, [cells]).tiles, cells)
