"""Properties that others of the kind have and a marker lacks."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import replace
from functools import partial

from knitground.core.base.tongue import say
from knitground.core.edit.atoms import Atom
from knitground.core.edit.document import Edit
from knitground.core.edit.markers import change_markers
from knitground.core.model.layers import MarkerLayer
from knitground.core.model.marker import Marker
from knitground.core.model.properties import Property
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.proving import Proving

_LEAST, _MOST_HAVE = 4, 0.75


def _kinds(at: Proving) -> dict[str, list[tuple[MarkerLayer, Marker]]]:
    out: dict[str, list[tuple[MarkerLayer, Marker]]] = defaultdict(list)
    for layer in at.map.layers:
        if isinstance(layer, MarkerLayer):
            for marker in layer.markers:
                if marker.kind:
                    out[marker.kind].append((layer, marker))
    return out


def _usual(markers: list[tuple[MarkerLayer, Marker]]) -> dict[str, Property]:
    """Give the properties that nearly all of them have, with the value that comes most often."""
    named: dict[str, list[Property]] = defaultdict(list)
    for _, marker in markers:
        for each in marker.properties:
            named[each.name].append(each)
    return {
        name: Counter(all_of).most_common(1)[0][0]
        for name, all_of in named.items()
        if len(markers) >= _LEAST and _MOST_HAVE * len(markers) <= len(all_of) < len(markers)
    }


def _find(at: Proving) -> Iterator[Finding]:
    for kind, markers in _kinds(at).items():
        for name in _usual(markers):
            for layer, marker in markers:
                if all(each.name != name for each in marker.properties):
                    cell = at.map.lattice.nearest(*at.map.lattice.cell_at(*marker.middle))
                    yield Finding(
                        "lacking",
                        say(
                            "{kind} “{title}” has no “{name}”, as nearly all others have",
                            kind=kind,
                            title=marker.title,
                            name=name,
                        ),
                        f"{marker.number} {name}",
                        at.map.name,
                        layer.number,
                        (cell,),
                        hurt=0.5,
                    )


def _with(more: dict[int, list[Property]], marker: Marker) -> Marker:
    return replace(marker, properties=(*marker.properties, *more[marker.number]))


def _cure(at: Proving, findings: Sequence[Finding]) -> Edit:
    """Give them the value that most of the others have."""
    atoms: list[Atom] = []
    kinds = _kinds(at)
    for layer in at.map.layers:
        if not isinstance(layer, MarkerLayer):
            continue
        added: dict[int, list[Property]] = defaultdict(list)
        for each in findings:
            if each.layer == layer.number:
                number, name = each.what.split(" ", 1)
                kind = next((m.kind for m in layer.markers if m.number == int(number)), "")
                usual = _usual(kinds.get(kind, [])).get(name)
                if usual is not None:
                    added[int(number)].append(usual)
        if added:
            edit = change_markers(at.map, layer, list(added), partial(_with, added), "")
            atoms += edit.atoms
    return Edit(say("Add what the others have"), tuple(atoms))


CHECK = Check(
    "lacking", Group.PLAY, say("Lacking properties"),
    say("Markers without a property that nearly all others of their kind have"), _find,
    say("Add the usual value"), _cure,
)  # fmt: skip
