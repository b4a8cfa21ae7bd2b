"""The atlas: the pictures of a map's legend, at full size and at each smaller level."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Sequence
from math import ceil

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.window import Box
from knitground.core.model.lattice import Lattice
from knitground.core.model.layers import Cells
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.tile import TileRef
from knitground.core.model.tileset import PLAIN, At, Tileset
from knitground.core.render.pages import Big, LevelPictures, Overhang, Page, beginnings, smaller_big
from knitground.core.render.pixels import Pixels, shrunk
from knitground.core.render.single import GAP_INKS, MISSING_INKS, SinglePictures, hatch
from knitground.core.render.tiles import overhang, plain_tiles, tile_pixels, tiles_pixels

_LONG_MS = 3_600_000


class Atlas:
    """LevelPictures by place of the legend, at each level.

    Level n holds tiles of 1 / 2ⁿ the size (at least 1 px). A picture keeps its own size and stands
    with its anchor on the lower middle of its cell, or with its lower left corner on the cell's; it
    may reach beyond the cell. A picture is drawn when the cells that are asked for show it, so that
    a legend of any size costs what is seen of it.

    Of a tile whose frames begin at another one in each cell there is a picture for each beginning,
    behind those of the legend: `scattered` gives cells the places of those.
    """

    def __init__(self, project: Project, map_: Map) -> None:
        self._project = project
        self._map = map_
        self.single = SinglePictures(project, map_)
        self._size = 0
        self.turns = 0
        """How often animations have moved on."""
        self._begun: list[tuple[int, int]] = []
        self._first_of: dict[int, tuple[int, int]] = {}
        self.refresh()

    @property
    def moving(self) -> bool:
        """Whether any picture is an animation."""
        return bool(self._shown)

    @property
    def moving_places(self) -> NDArray[np.bool_]:
        """Of which places the picture is an animation; the last entry is for a gap, -1."""
        self._extend()
        out = np.zeros(self._size + len(self._begun) + 1, np.bool_)
        out[list(self._shown)] = True
        return out

    def phase(self, places: Sequence[int]) -> tuple[object, ...]:
        """Say how animations stand: which frame each of these places shows."""
        return tuple(self._shown.get(place) for place in places)

    def next_change(self, ms: int) -> int | None:
        """In how many ms of a time the first animation shows another frame; None if none moves."""
        left = [
            self._frame_at(tile, ms + self._later(place))[1]
            for place in self._shown
            if (tile := self._tile(place)) is not None
        ]
        return min(left, default=None)

    def show_time(self, ms: int) -> bool:
        """Show animations as they are at a time; returns whether any picture is another one now."""
        self._now = ms
        changed = False
        for place, shown in list(self._shown.items()):
            tile = self._tile(place)
            if tile is None or self._frame(tile, self._later(place)) == shown:
                continue
            self._forget([place])
            self._note(place, tile)
            changed = True
        self.turns += changed
        return changed

    def scattered(self, cells: Cells, box: Box) -> Cells:
        """Give cells the pictures of their own beginnings, where tiles have such.

        Parameters
        ----------
        box : where the cells lie on the map; may reach over the border of one that wraps
        """
        self._extend()
        if not self._first_of:
            return cells
        found = np.isin(cells, list(self._first_of))
        if not found.any():
            return cells
        map_, out = self._map, cells.copy()
        rows, cols = np.nonzero(found)
        on_map = rows + box.top, cols + box.left
        numbers = beginnings(*(map_.lattice.seen_at(*on_map) if map_.wrap else on_map))
        first = np.zeros(self._size, np.int64)
        count = np.ones(self._size, np.int64)
        for place, (at, frames) in self._first_of.items():
            first[place], count[place] = self._size + at, frames
        places = cells[rows, cols]
        out[rows, cols] = first[places] + numbers % count[places]
        return out

    def _tile(self, place: int) -> TileRef | None:
        """The tile of a place of the legend, or of a picture behind it."""
        if place >= self._size:
            place = self._begun[place - self._size][0]
        return self._map.legend.tile(place)

    def _later(self, place: int) -> int:
        """By how many ms a picture is ahead of the others."""
        return self._begun[place - self._size][1] if place >= self._size else 0

    def _frame(self, tile: TileRef, later: int = 0) -> TileRef:
        return self._frame_at(tile, self._now + later)[0]

    def _frame_at(self, tile: TileRef, ms: int) -> tuple[TileRef, int]:
        """Give the frame that a tile shows at a time, and for how many ms it still does."""
        owner = self._project.tileset_named(tile.tileset)
        frames = owner.fact(tile.row, tile.col).frames if owner else None
        if not frames:
            return tile, _LONG_MS
        left = ms % max(1, sum(each.ms for each in frames))
        for each in frames:
            left -= each.ms
            if left < 0:
                break
        frame = tile._replace(tileset=each.tileset or tile.tileset, row=each.row, col=each.col)
        return frame, max(1, -left)

    def lattice(self, level: int = 0) -> Lattice:
        """Give the map's lattice in the pixels of a level."""
        return self._map.lattice.at_level(level)

    @property
    def reach(self) -> Overhang:
        """How far pictures reach beyond their cells."""
        self._extend()
        return self._reach

    def reach_at(self, level: int) -> Overhang:
        """How far they reach in pixels of a level."""
        each = self.reach
        if not level or not each:
            return each
        across, down = self.lattice().scale(self.lattice(level))
        return Overhang(ceil(each.up * down), ceil(each.left * across), ceil(each.down * down),
                     ceil(each.right * across))  # fmt: skip

    def at(self, level: int = 0, cells: Sequence[Cells] | None = None) -> LevelPictures:
        """Give the pictures at a level that some cells show (by default all there are).

        Those of other cells may be blank.
        """
        self.fill(level, cells)
        if level not in self._big_levels:
            self._big_levels[level] = {}
        smaller = self._big_levels[level]
        if len(smaller) != len(self._big):
            across, down = self.lattice().scale(self.lattice(level))
            for place in self._big.keys() - smaller.keys():
                smaller[place] = smaller_big(self._big[place], down, across)
        count = self._size + len(self._begun) + 1
        page = self._page(level)
        return LevelPictures(page.pixels[:count], page.looks, smaller, self.reach_at(level))

    def fill(
        self, level: int, cells: Sequence[Cells] | None = None, most: int | None = None
    ) -> bool:
        """Draw the pictures of a level that some cells show (by default all there are).

        Parameters
        ----------
        most : pixels at full size to draw at once; by default all of them

        Returns
        -------
        whether all of them are there now
        """
        self._extend()
        page = self._page(level)
        if page.drawn[: page.count].all():
            return True
        wanted = ~page.drawn[: page.count]
        if cells is not None:
            shown = np.zeros(page.count, np.bool_)
            if cells:
                every = np.concatenate([each.ravel() for each in cells])
                shown[np.clip(every, 0, page.count - 1)] = True
            wanted &= shown
        places = np.flatnonzero(wanted)
        once = len(places)
        if most is not None:
            once = max(1, most // self.lattice().cell_area)
        self._draw(level, places[:once])
        return len(places) <= once

    def _page(self, level: int) -> Page:
        while len(self._pages) <= level:
            size = self.lattice(len(self._pages)).picture
            gap = shrunk(self._pages[-1].gap[None], *size)[0]
            self._pages.append(Page(size, self._size + len(self._begun) + 1, gap))
        return self._pages[level]

    def _draw(self, level: int, places: NDArray[np.intp]) -> None:
        """Draw some pictures of a level, and what they are made from on the levels before it."""
        page = self._page(level)
        places = places[~page.drawn[places]]
        if not places.size:
            return
        if level:
            self._draw(level - 1, places)
            before = self._pages[level - 1].pixels[places]
            page.pixels[places] = shrunk(before, *self.lattice(level).picture)
        else:
            self._cut(places)
        page.note(places)

    def _cut(self, places: NDArray[np.intp]) -> None:
        """Cut tiles that fit their cells and stand still: those of a sheet and a turn at once."""
        groups: dict[tuple[str, int], list[int]] = {}
        for place in places.tolist():
            tile = self._tile(place)
            assert tile is not None
            groups.setdefault((tile.tileset, tile.turn), []).append(place)
        for (name, turn), chosen in groups.items():
            owner = self._project.tileset_named(name)
            assert owner is not None
            tiles = [self._tile(each) for each in chosen]
            rows, cols = np.array([(tile.row, tile.col) for tile in tiles if tile]).T
            pixels = tiles_pixels(owner, rows, cols, turn)
            high, wide = pixels.shape[1:]
            down, across = self._begins(*self.lattice().begins(high, wide))
            self._pages[0].pixels[chosen, down : down + high, across : across + wide] = pixels

    def pictures(self, level: int = 0) -> Pixels:
        """Give all pictures that fit their cells: (legend + 1, h, w) premultiplied uint32."""
        return self.at(level).tiles

    def picture(self, place: int) -> Pixels:
        """Give one picture at full size, all of it."""
        tiles = self.at(0, [np.array([[place]], np.int32)]).tiles
        big = self._big.get(place)
        return big.pixels if big is not None else tiles[place]

    def dots(self, cells: Sequence[Cells] | None = None) -> Pixels:
        """Give the pictures that cells show at the smallest level, for maps drawn very small."""
        level = self.lattice().level_count - 1
        tiles = self.at(level, cells).tiles
        if not self._big:
            return self._as_cells(tiles)
        out = tiles.copy()
        size = self.lattice(level).picture
        for place in self._big.keys() - self._dots.keys():
            self._dots[place] = shrunk(self._big[place].pixels[None], *size)[0]
        for place in self._big:
            out[place] = self._dots[place]
        return self._as_cells(out)

    def _as_cells(self, dots: Pixels) -> Pixels:
        """Let what fills its cell fill its dot, where cells take up only a part of a picture."""
        share = self.lattice().mask().sum() / (
            self.lattice().picture[0] * self.lattice().picture[1]
        )
        if share >= 1:
            return dots
        channels = np.ascontiguousarray(dots)[..., None].view(np.uint8).astype(np.float64)
        alpha = channels[..., 3:4]  # the highest byte of a word, on any machine that Qt runs on
        more = np.minimum(1 / share, 255 / np.maximum(alpha, 1))
        packed = np.rint(channels * more).astype(np.uint8)
        return np.ascontiguousarray(packed).view(np.uint32)[..., 0]

    def refresh(self, tileset: Tileset | None = None, at: Collection[At] | None = None) -> None:
        """Read pictures again, after another slicing or sheet.

        Parameters
        ----------
        tileset, at : whose pictures, and of which of its tiles; by default all of them
        """
        if tileset is not None and self._size:
            legend = self._map.legend
            if at is None:
                tiles = enumerate(legend.tiles[: self._size])
                places = [n for n, each in tiles if each and each.tileset == tileset.name]
            else:
                turned = (TileRef(tileset.name, *each, n) for each in at for n in range(8))
                known = (legend.place_of(each) for each in turned)
                places = [n for n in known if n is not None and n < self._size]
                places += [n for n, frame in self._shown.items()
                           if frame.tileset == tileset.name and n not in places]  # fmt: skip
            self._drop_begun()
            self._forget([each for each in places if each < self._size])
            self.single.forget()
            self._note_all(places)
            self._note_begun()
            return
        gap = self._on_page(hatch(self.lattice(), GAP_INKS))
        self._size = self._now = 0
        self._begun, self._first_of = [], {}
        self._pages = [Page(gap.shape, 1, gap)]
        self._big: dict[int, Big] = {}
        self._big_levels: dict[int, dict[int, Big]] = {}
        self._dots: dict[int, Pixels] = {}
        self._reach = Overhang(up=self.lattice().rise)
        self._shown: dict[int, TileRef] = {}
        self.single.forget()
        self._extend()

    def _forget(self, places: Sequence[int]) -> None:
        """Let some pictures be drawn again."""
        for page in self._pages:
            drawn = np.array([each for each in places if page.drawn[each]], np.intp)
            page.drawn[drawn] = False
            page.pixels[drawn] = 0
        for place in places:
            self._shown.pop(place, None)
            self._dots.pop(place, None)
            if self._big.pop(place, None) is not None:
                for each in self._big_levels.values():
                    each.pop(place, None)
        self._reach = Overhang(up=self.lattice().rise)
        for big in self._big.values():
            self._widen(big)

    def _extend(self) -> None:
        """Take in what has come to the legend since."""
        tiles = self._map.legend.tiles
        if len(tiles) == self._size:
            return
        self._drop_begun()
        start, self._size = max(1, self._size), len(tiles)
        for page in self._pages:
            page.grow(self._size + 1)
        self._note_all(range(start, self._size))
        self._note_begun()

    def _drop_begun(self) -> None:
        """Take the pictures behind the legend's away: what lies there is to be other ones."""
        if self._begun:
            behind = range(self._size, self._size + len(self._begun))
            self._forget(behind)
            self._begun, self._first_of = [], {}
            for page in self._pages:
                page.shrink(self._size + 1)

    def _note_begun(self) -> None:
        """Draw, behind the legend's pictures, those of tiles that begin at each of their frames."""
        for place in list(self._shown):
            tile = self._map.legend.tile(place)
            owner = self._project.tileset_named(tile.tileset) if tile else None
            fact = owner.fact(tile.row, tile.col) if owner and tile else PLAIN
            if not fact.apart or len(fact.frames) < 2:
                continue
            self._first_of[place] = (len(self._begun), len(fact.frames))
            passed = 0
            for each in fact.frames:
                self._begun.append((place, passed))
                passed += each.ms
        if self._begun:
            for page in self._pages:
                page.grow(self._size + len(self._begun) + 1)
            for n in range(len(self._begun)):
                tile = self._tile(self._size + n)
                assert tile is not None
                self._note(self._size + n, tile)

    def _note_all(self, places: Iterable[int]) -> None:
        """Draw the pictures that need a look of their own; the others wait until they are seen."""
        sheets: dict[str, Callable[[TileRef], bool]] = {}
        for place in places:
            tile = self._map.legend.tile(place)
            if tile is None:
                self._pages[0].drawn[place] = True
                continue
            if tile.tileset not in sheets:
                owner = self._project.tileset_named(tile.tileset)
                sheets[tile.tileset] = plain_tiles(owner, *self.lattice().picture)
            if not sheets[tile.tileset](tile):
                self._note(place, tile)

    def _note(self, place: int, tile: TileRef) -> None:
        """Draw one picture, whatever it is."""
        for page in self._pages[1:]:
            page.drawn[place] = False
        self._pages[0].pixels[place] = self._picture(place, tile)
        self._pages[0].note([place])

    def _picture(self, place: int, tile: TileRef) -> Pixels:
        owner = self._project.tileset_named(tile.tileset)
        if owner is not None and owner.fact(tile.row, tile.col).frames:
            tile = self._shown[place] = self._frame(tile, self._later(place))
            owner = self._project.tileset_named(tile.tileset)
        pixels = tile_pixels(owner, tile) if owner else None
        if owner is None or pixels is None:
            return self._on_page(hatch(self.lattice(), MISSING_INKS))
        down, across = overhang(owner, tile, self.lattice())
        (high, wide), out = pixels.shape, self._blank()
        y, x = self._begins(down, across)
        if y >= 0 and x >= 0 and y + high <= out.shape[0] and x + wide <= out.shape[1]:
            out[y : y + high, x : x + wide] = pixels
            return out
        big = self._big[place] = Big(np.ascontiguousarray(pixels), down, across)
        self._widen(big)
        return out

    def _widen(self, big: Big) -> None:
        """Let the reach be as far as a picture goes."""
        (high, wide), cell = big.pixels.shape, self.lattice()
        more = -big.down, -big.across, big.down + high - cell.high, big.across + wide - cell.wide
        self._reach = self._reach.or_more(Overhang(*more))

    def _blank(self) -> Pixels:
        return np.zeros(self.lattice().picture, np.uint32)

    def _begins(self, down: int, across: int) -> tuple[int, int]:
        """Tell where on a page a picture begins, from where it begins beside its cell."""
        return self.lattice().rise + down, across

    def _on_page(self, pixels: Pixels) -> Pixels:
        """Put what is drawn on a cell where the cell is on a page."""
        out = self._blank()
        out[self.lattice().rise :] = pixels
        return out
