"""What of a map is in view, drawn before all of its project has been read."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from knitground.core.edit.document import Document
from knitground.core.model.lattice import Rect
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.render.atlas import Atlas
from knitground.core.render.pixels import Pixels
from knitground.core.render.stack import draw_map, stack_of


def first_picture(project: Project, map_: Map, rect: Rect) -> Pixels:
    """Draw a rectangle of a map of which no more is read than what lies in it.

    Parameters
    ----------
    project : with its sheets; it is still being read, and stays as it is
    """
    doc = Document(replace(project, maps=[map_]))
    atlas = Atlas(doc.project, map_)
    return draw_map(map_, atlas, stack_of(map_, atlas, rect, 0, partial(doc.cells, map_)))
