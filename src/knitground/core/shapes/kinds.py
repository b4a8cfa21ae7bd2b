"""The kinds of a project's shapes."""

from __future__ import annotations

from knitground.core.model.project import Project
from knitground.core.model.shapes import ShapeKind

_INK = "#2B2A33"


def kind_named(project: Project, name: str) -> ShapeKind:
    """Give a kind by its name; one that is gone is drawn in ink, with its first letter."""
    known = next((each for each in project.shape_kinds if each.name == name), None)
    return known or ShapeKind(name, name[:1] or "?", _INK)


def kind_names(project: Project) -> list[str]:
    """Name the kinds of a project, then those that are gone but still on tiles."""
    names = [each.name for each in project.shape_kinds]
    gone = {
        shape.kind
        for tileset in project.tilesets
        for fact in tileset.facts.values()
        for shape in fact.shapes
    }
    return names + sorted(gone - set(names))
