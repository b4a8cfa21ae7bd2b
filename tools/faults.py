"""Plant a fault of each kind in the demo project, and picture what Proof says of it.

`python tools/faults.py` writes docs/proof/CHECK.png, and the table in docs/proof.md anew.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from knitground.core.base.window import Box
from knitground.core.edit.document import Document
from knitground.core.edit.laying import plan_cells
from knitground.core.files.images import png_bytes
from knitground.core.model.map import Map
from knitground.core.model.marker import Marker, Shape
from knitground.core.model.mix import MixEntry
from knitground.core.model.project import Project
from knitground.core.model.properties import Property
from knitground.core.model.rules import SAME, NeighbourRule, Result, RuleList, Spot
from knitground.core.model.shapes import ShapeForm, TileShape
from knitground.core.model.slicing import Slicing
from knitground.core.model.terrain import Slot
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import Tileset
from knitground.core.proof.finding import Finding
from knitground.core.proof.picture import place_picture, tile_picture
from knitground.core.proof.proof import CHECKS, run_check
from knitground.core.render.atlas import Atlas
from knitground.core.render.pixels import straight
from knitground.core.slicing.prints import prints_of

_SEEN = (63, 42)
_TIMES = 4
_CORNERS = [Slot.NW, Slot.NE, Slot.SE, Slot.SW]
Plant = Callable[[Project], Document | None]


def _lay(project: Project, layer: int, cells: dict[tuple[int, int], TileRef]) -> None:
    map_ = project.maps[0]
    for (row, col), tile in cells.items():
        places = np.full((1, 1), map_.legend.place(tile), np.int32)
        box = Box(row, col, row + 1, col + 1)
        plan = plan_cells(map_, map_.layers[layer], box, places, np.ones((1, 1), bool), "")
        Document(project).apply(plan.edit)


def _plain(project: Project, mark: int) -> list[TileRef]:
    marks = project.tilesets[0].sets[0].marks[..., _CORNERS]
    return [TileRef("pans", *at) for at in np.argwhere((marks == mark).all(axis=2)).tolist()]


def _paint(project: Project, tile: TileRef, colour: tuple[int, int, int], rows: slice,
           cols: slice) -> None:  # fmt: skip
    owner = project.tileset_named(tile.tileset)
    x, y, wide, high = owner.slicing.tile_area(tile.row, tile.col)
    picture = owner.picture.copy()
    picture[y : y + high, x : x + wide, :3][rows, cols] = colour
    owner.picture = picture


def _most_laid(project: Project) -> TileRef:
    """Give the plain tile that lies most often on the first map."""
    map_ = project.maps[0]
    cells = Document(project).cells(map_, map_.layers[0], Box(0, 0, map_.height, map_.width))
    counts = np.bincount(cells[cells > 0])
    plain = {map_.legend.place(each) for n in range(1, 4) for each in _plain(project, n)}
    return map_.legend.tile(
        max(plain, key=lambda place: counts[place] if place < len(counts) else 0)
    )


def seams(project: Project) -> None:
    """A dark line at the right of a tile."""
    _paint(project, _most_laid(project), (30, 24, 20), slice(None), slice(-1, None))


def cut(project: Project) -> None:
    """A margin that is three pixels too wide."""
    owner = project.tilesets[0]
    owner.slicing = replace(owner.slicing, margin_x=owner.slicing.margin_x + 5)


def runs(project: Project) -> Document:
    """One variant very often in a row, of a set without rules: as if chance had laid it so."""
    project.tilesets[0].sets[0].rules = RuleList("")
    map_, tile, doc = project.maps[0], _most_laid(project), Document(project)
    layer = map_.layers[0]
    doc.cells(map_, layer, Box(0, 0, map_.height, map_.width))
    place = map_.legend.place(tile)
    row = int((layer.cells == place).sum(axis=1).argmax())
    layer.cells[row, 20:44] = place
    return doc


def repeats(project: Project) -> None:
    """A variant with a spot that the eye finds again and again."""
    tile = _most_laid(project)
    _paint(project, tile, (190, 70, 60), slice(4, 12), slice(4, 12))


def shares(project: Project) -> None:
    """Many cells pinned to one variant, of a set without rules."""
    project.tilesets[0].sets[0].rules = RuleList("")
    map_, tile = project.maps[0], _most_laid(project)
    cells = Document(project).cells(map_, map_.layers[0], Box(0, 0, map_.height, map_.width))
    marks = project.tilesets[0].sets[0].marks[..., _CORNERS]
    alike = np.argwhere((marks == marks[tile.row, tile.col]).all(axis=2)).tolist()
    mask = np.isin(cells, [map_.legend.place(TileRef("pans", *at)) for at in alike])
    values = np.full(cells.shape, map_.legend.place(tile), np.int32)
    box = Box(0, 0, map_.height, map_.width)
    doc = Document(project)
    doc.apply(plan_cells(map_, map_.layers[0], box, values, mask, "").edit)


def fringes(project: Project) -> None:
    """A rim of nearly the colour that is see-through."""
    owner = project.tileset_named("works")
    tile = next(TileRef("works", row, col) for row, col in np.ndindex(owner.rows, owner.columns)
                if 0.2 < _clear(owner, row, col) < 0.8)  # fmt: skip
    x, y, wide, high = owner.slicing.tile_area(tile.row, tile.col)
    picture = owner.picture.copy()
    part = picture[y : y + high, x : x + wide]
    clear = (part[..., :3] == (255, 0, 255)).all(axis=2) | (part[..., 3] == 0)
    rim = np.zeros_like(clear)
    rim[:, 1:] |= clear[:, :-1]
    rim[1:] |= clear[:-1]
    part[rim & ~clear] = (236, 30, 236, 255)
    owner.picture = picture


def _clear(owner: Tileset, row: int, col: int) -> float:
    x, y, wide, high = owner.slicing.tile_area(row, col)
    part = owner.picture[y : y + high, x : x + wide]
    return float(((part[..., :3] == (255, 0, 255)).all(axis=2) | (part[..., 3] == 0)).mean())


def steps(project: Project) -> None:
    """One of several animations is slower."""
    owner = project.tilesets[0]
    at = next(at for at, fact in sorted(owner.facts.items()) if fact.frames)
    frames = owner.facts[at].frames
    owner.facts[at] = replace(
        owner.facts[at], frames=(*frames[:-1], replace(frames[-1], ms=frames[-1].ms + 90))
    )


def gaps(project: Project) -> None:
    """The tiles of one corner are left out."""
    owner = project.tilesets[0]
    marks = owner.sets[0].marks[..., _CORNERS]
    for at in np.argwhere((marks == (1, 2, 2, 2)).all(axis=2)).tolist():
        owner.facts[tuple(at)] = replace(owner.fact(*at), weight=0.0)


def uncovered(project: Project) -> None:
    """Terrain rubbed out at one vertex."""
    map_ = project.maps[0]
    map_.layers = map_.layers[:1]
    map_.layers[0].terrain[30, 40] = 0


def pins(project: Project) -> None:
    """A tile of the water, pinned ashore."""
    map_ = project.maps[0]
    marks = project.tilesets[0].sets[0].marks
    cells = Document(project).cells(map_, map_.layers[0], Box(0, 0, map_.height, map_.width))
    for row, col in np.argwhere(cells[8:, 8:] > 0).tolist():
        tile = map_.legend.tile(int(cells[row + 8, col + 8]))
        own = marks[tile.row, tile.col, _CORNERS]
        if (own == 1).all():
            _lay(project, 0, {(row + 8, col + 8): _plain(project, 3)[0]})
            return


def marks(project: Project) -> None:
    """A tile marked the wrong way round."""
    kit = project.tilesets[0].sets[0]
    at = tuple(np.argwhere((kit.marks[..., _CORNERS] == (1, 1, 2, 2)).all(axis=2))[0].tolist())
    kit.marks[at][_CORNERS] = (2, 2, 1, 1)


def strangers(project: Project) -> None:
    """A tile that claims to be plain, and has another colour."""
    _paint(project, _plain(project, 1)[-1], (196, 60, 44), slice(None), slice(None))


def layer(project: Project) -> None:
    """A thing on the layer of another kind."""
    map_ = project.maps[0]
    props = map_.layers[2].cells
    place = int(np.bincount(props[props > 0]).argmax())
    other = map_.new_tile_layer("Over")
    map_.layers.insert(3, other)
    other.cells[20, 30] = place


def rules(project: Project) -> None:
    """A rule behind one that takes all its cells."""
    kit = project.tilesets[0].sets[0]
    result = Result(tiles=(MixEntry(_plain(project, 1)[0]),))
    wide = NeighbourRule(91, (Spot(0, 0, SAME),), "all of it", result)
    narrow = NeighbourRule(92, (Spot(0, 0, SAME), Spot(0, 2, SAME)), "beside its like", result)
    kit.rules = RuleList("", (wide, narrow), first=True)


def _wall(project: Project, corner: tuple[float, float] = (0, 0)) -> TileRef:
    """Give a tile of bricks that is solid from a corner on."""
    owner = project.tileset_named("works")
    kit = next(each for each in owner.sets if each.name == "Dykes")
    tiles = [(row, col) for row, col in np.argwhere(kit.marks.any(axis=2)).tolist()]
    at = sorted(tiles, key=lambda at: _clear(owner, *at))[int(corner != (0, 0))]
    shape = TileShape("solid", ShapeForm.BOX, (corner, (16, 16)))
    owner.facts[at] = replace(owner.fact(*at), shapes=(shape,))
    return TileRef("works", *at)


def snags(project: Project) -> None:
    """Two walls side by side, one of them a little lower."""
    _lay(project, 2, {(20, 30): _wall(project), (20, 31): _wall(project, (0, 2))})


def edges(project: Project) -> None:
    """A wall of which one tile is three pixels lower."""
    whole, low = _wall(project), _wall(project, (0, 3))
    _lay(project, 2, {(20, 28 + n): low if n == 3 else whole for n in range(7)})


def tight(project: Project) -> None:
    """Two walls that end so that a figure does not fit between them."""
    left, right = _wall(project, (0, 0)), _wall(project, (6, 0))
    owner = project.tileset_named("works")
    for tile, (low, high) in ((left, (0, 10)), (right, (0, 16))):
        shape = TileShape("solid", ShapeForm.BOX, ((low, 0), (high, 16)))
        at = tile.row, tile.col
        owner.facts[at] = replace(owner.fact(*at), shapes=(shape,))
    cells = {(20 + row, 30 + col): (left if col == 0 else right)
             for row in range(3) for col in range(2)}  # fmt: skip
    _lay(project, 2, cells | {(23, 30): right, (23, 31): right})


def reach(project: Project) -> None:
    """A room without a door."""
    wall = _wall(project)
    ring = {(20 + row, 30 + col): wall for row in range(5) for col in range(5)
            if {row, col} & {0, 4}}  # fmt: skip
    _lay(project, 2, ring)
    _spawn(project, 10, 10)


def _spawn(project: Project, row: int, col: int) -> None:
    map_ = project.maps[0]
    places = next(each for each in map_.layers if hasattr(each, "markers"))
    number = max((each.number for each in places.markers), default=0) + 1
    start = Marker(number, Shape.POINT, (map_.lattice.middle(row, col),), "start", "spawn point")
    places.markers = (*places.markers, start)


def stuck(project: Project) -> None:
    """A spawn point in a wall."""
    _lay(project, 2, {(20, 30): _wall(project)})
    _spawn(project, 20, 30)


def lacking(project: Project) -> None:
    """A door without the toll that all others have."""
    map_ = project.maps[0]
    places = next(each for each in map_.layers if hasattr(each, "markers"))
    toll = Property("toll", "3")
    places.markers += tuple(
        Marker(900 + n, Shape.POINT, (map_.lattice.middle(18, 20 + 3 * n),), f"gate {n}", "door",
               (toll,) if n else ())
        for n in range(5)
    )  # fmt: skip


def missing(project: Project) -> None:
    """A sheet whose file has gone."""
    project.tileset_named("shimmer").picture = None


def gone(project: Project) -> None:
    """A sheet from which the lowest row of tiles was taken."""
    owner = project.tileset_named("props")
    owner.height -= 16
    owner.picture = owner.picture[:-16]


def unused(project: Project) -> None:
    """A sheet that nothing uses."""
    none = np.zeros((16, 16, 4), np.uint8)
    project.tilesets.append(Tileset("spare", "spare.png", 16, 16, Slicing(16, 16), picture=none))


def changed(project: Project) -> None:
    """A spot on a tile that was not there when the project was saved."""
    owner = project.tilesets[0]
    owner.prints = prints_of(owner.picture, owner.slicing)
    _paint(project, _plain(project, 1)[0], (196, 60, 44), slice(5, 11), slice(5, 11))


def names(project: Project) -> None:
    """Two maps whose names differ only in case."""
    project.maps.append(Map("HARBOUR PANS", 8, 8, 16, 16))


PLANTS: dict[str, Plant] = {
    each.__name__: each
    for each in (seams, cut, runs, repeats, shares, fringes, steps, gaps, uncovered, pins, marks,
                 strangers, layer, rules, snags, edges, tight, reach, stuck, lacking, missing,
                 changed, gone, unused, names)
}  # fmt: skip
"""What puts one fault into the demo project, by the key of the check that finds it."""


def found_in(doc: Document, key: str) -> list[Finding]:
    """Run a check on the demo's first map, or on the project."""
    check = CHECKS[key]
    return run_check(doc, check, doc.project.maps[0] if check.of_map else None)


def planted(fresh: Callable[[], Project], key: str) -> tuple[Document, list[Finding]]:
    """Plant a fault; returns the project and what the check says of it that it did not before."""
    before = {each.key for each in found_in(Document(fresh()), key)}
    project = fresh()
    doc = PLANTS[key](project) or Document(project)
    return doc, [each for each in found_in(doc, key) if each.key not in before]


def picture(doc: Document, finding: Finding) -> np.ndarray | None:
    """Picture a fault four times as large: (h, w, 4) uint8, straight alpha."""
    map_ = doc.project.map_named(finding.map)
    if map_ is not None and finding.places:
        pixels = place_picture(doc, Atlas(doc.project, map_), map_, finding, *_SEEN)
    else:
        pixels = tile_picture(doc, finding)
    return None if pixels is None else straight(pixels).repeat(_TIMES, 0).repeat(_TIMES, 1)


def main() -> None:
    """Write the pictures and the table."""
    from knitground.core.files.opening import open_project
    from knitground.demo.project import write_demo

    docs = Path(__file__).parents[1] / "docs"
    (docs / "proof").mkdir(exist_ok=True)
    rows = ["| Check | A fault | What it says | What mends it |", "| --- | --- | --- | --- |"]
    with TemporaryDirectory() as name:
        write_demo(Path(name) / "demo")
        for key, check in CHECKS.items():
            doc, told = planted(lambda: open_project(Path(name) / "demo").project, key)
            finding = max(told, key=lambda each: (each.hurt, each.count))
            pixels, shown = picture(doc, finding), ""
            if pixels is not None:
                (docs / "proof" / f"{key}.png").write_bytes(png_bytes(pixels))
                shown = f"![{check.title}](proof/{key}.png)"
            mend = check.cure_words or f"by hand, in {check.stage.capitalize()}"
            what = f"**{check.title}** (`{key}`)<br>{check.hint}"
            rows.append(f"| {what} | {shown} | {finding.words} | {mend} |")
            print(key, finding.words)
    path = docs / "proof.md"
    words = path.read_text("utf-8")
    head, rest = words.split("<!-- checks -->\n")[0], words.split("<!-- end -->\n")[1]
    table = "\n".join(rows)
    path.write_text(f"{head}<!-- checks -->\n{table}\n<!-- end -->\n{rest}", "utf-8")
    sys.stdout.flush()


if __name__ == "__main__":
    main()
