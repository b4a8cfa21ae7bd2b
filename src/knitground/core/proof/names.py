"""Names that differ only in how they are written: some folders can not tell them apart."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import quoted, say
from knitground.core.edit.atoms import Atom
from knitground.core.edit.document import Edit
from knitground.core.edit.maps import rename_map
from knitground.core.model.project import free_name
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.proving import Proving


def _alike(names: Sequence[str]) -> list[list[str]]:
    found: dict[str, list[str]] = defaultdict(list)
    for name in names:
        found[name.strip().casefold()].append(name)
    return [each for each in found.values() if len(each) > 1]


def _find(at: Proving) -> Iterator[Finding]:
    project = at.project
    kinds = [
        ("map", say("map"), [each.name for each in project.maps]),
        ("sheet", say("sheet"), [each.name for each in project.tilesets]),
        ("mix", say("mix"), [each.name for each in project.mixes]),
    ]
    for map_ in project.maps:
        words = say("layer of “{name}”", name=map_.name)
        kinds.append((f"layer of “{map_.name}”", words, [each.name for each in map_.layers]))
    for kind, words, names in kinds:
        for same in _alike(names):
            shown = ", ".join(quoted(each) for each in same)
            yield Finding(
                "names",
                say(
                    "{shown}: names of a {kind} that differ only in capitals or blanks",
                    shown=shown,
                    kind=words,
                ),
                f"{kind} {same[0].casefold()}",
                hurt=0.3,
            )


def _cure(at: Proving, findings: Sequence[Finding]) -> Edit:
    """Give maps names that differ."""
    project = at.project
    atoms: list[Atom] = []
    wanted = {each.what for each in findings}
    for same in _alike([each.name for each in project.maps]):
        if f"map {same[0].casefold()}" not in wanted:
            continue
        taken = [each.name.casefold() for each in project.maps]
        for map_ in [each for each in project.maps if each.name in same][1:]:
            name = free_name(f"{map_.name} 2", taken)
            atoms += rename_map(project, map_, name).atoms
            taken.append(name.casefold())
    if not atoms:
        raise EditError(say("rename one of them: only maps are renamed by themselves"))
    return Edit(say("Rename maps that are called alike"), tuple(atoms))


CHECK = Check(
    "names",
    Group.FILES,
    say("Names alike"),
    say("Names that differ only in capitals or blanks"),
    _find,
    say("Rename"),
    _cure,
    "draw",
    of_map=False,
    of_cells=False,
)
