"""All checks of a project. Another one is its module and its line here."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, field

from knitground.core.base.errors import Cancelled, EditError, KnitError
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say
from knitground.core.edit.atoms import Atom
from knitground.core.edit.document import Document, Edit
from knitground.core.model.map import Map
from knitground.core.proof import (
    doubtful,
    edges,
    fringes,
    gaps,
    gone,
    idlerules,
    lacking,
    names,
    pins,
    reach,
    repeats,
    runs,
    seams,
    shares,
    sheets,
    snags,
    steps,
    strangers,
    stuck,
    tight,
    uncovered,
    wrongcut,
    wronglayer,
)
from knitground.core.proof.finding import Check, Finding
from knitground.core.proof.proving import Proving

CHECKS: dict[str, Check] = {
    each.key: each
    for each in (
        seams.CHECK, wrongcut.CHECK, runs.CHECK, repeats.CHECK, fringes.CHECK, steps.CHECK,
        gaps.CHECK, uncovered.CHECK, pins.CHECK, doubtful.CHECK, strangers.CHECK,
        wronglayer.CHECK, idlerules.CHECK, shares.CHECK,
        snags.CHECK, edges.CHECK, tight.CHECK, reach.CHECK, stuck.CHECK, lacking.CHECK,
        sheets.MISSING, sheets.CHANGED, gone.CHECK, sheets.UNUSED, names.CHECK,
    )
}  # fmt: skip
"""By their keys, in the order in which they are shown."""
MOST = 2000
"""Findings that a check tells of one map; beyond, it says that there are more."""


@dataclass(frozen=True)
class Proof:
    """What checks found.

    Parameters
    ----------
    findings : the worst ones first; those that were said to be no fault apart
    excused : those that were
    failed : why checks could not be made, by their keys
    """

    findings: tuple[Finding, ...] = ()
    excused: tuple[Finding, ...] = ()
    failed: dict[str, str] = field(default_factory=dict)


def run_check(
    doc: Document, check: Check, map_: Map | None, progress: Progress = no_progress
) -> list[Finding]:
    """Run one check; `map_` is None for those of the whole project.

    Raises
    ------
    EditError
        It failed inside, by an error of its own.
    Cancelled
        From `progress`.
    """
    out: list[Finding] = []
    try:
        for each in check.find(Proving(doc, map_, progress)):
            out.append(each)
            if len(out) >= MOST:
                words = say("there are more: the first {most} are told", most=MOST)
                out.append(Finding(check.key, words, "more", each.map, hurt=0))
                break
    except KnitError:
        raise
    except Exception as error:  # one that fails inside leaves the others be
        raise EditError(
            say("it failed ({name}: {error})", name=type(error).__name__, error=error)
        ) from error
    return sorted(out, key=_rank)


def _rank(finding: Finding) -> tuple[float, int, str]:
    return -finding.hurt, -finding.count, finding.key


def prove(
    doc: Document,
    maps: Sequence[Map] | None = None,
    only: Collection[str] | None = None,
    progress: Progress = no_progress,
) -> Proof:
    """Check a project.

    Parameters
    ----------
    maps : to look at, by default all
    only : keys of the checks to make, by default all; those of the whole project are made if no
        maps are named, or if they are named here

    Raises
    ------
    EditError
        There is no such check.
    Cancelled
        From `progress`.
    """
    strange = [each for each in only or () if each not in CHECKS]
    if strange:
        raise EditError(
            say(
                "there is no check “{strange}”: give one of {words}",
                strange=strange[0][:60],
                words=", ".join(CHECKS),
            )
        )
    chosen = [each for key, each in CHECKS.items() if only is None or key in only]
    looked = list(doc.project.maps if maps is None else maps)
    jobs: list[tuple[Check, Map | None]]
    jobs = [(check, map_) for map_ in looked for check in chosen if check.of_map]
    jobs += [(check, None) for check in chosen
             if not check.of_map and (maps is None or only is not None)]  # fmt: skip
    found: list[Finding] = []
    failed: dict[str, str] = {}
    for n, (check, at) in enumerate(jobs):
        progress(n / max(1, len(jobs)))
        try:
            found += run_check(doc, check, at)
        except Cancelled:
            raise
        except KnitError as error:
            failed[check.key] = str(error)
    progress(1.0)
    return sorted_out(doc, found, failed)


def sorted_out(doc: Document, found: Iterable[Finding], failed: dict[str, str]) -> Proof:
    """Put the worst findings first, and apart what was said to be no fault."""
    excused = {each.key for each in doc.project.excused}
    order = sorted(found, key=_rank)
    return Proof(
        tuple(each for each in order if each.key not in excused),
        tuple(each for each in order if each.key in excused),
        failed,
    )


def cure(doc: Document, findings: Sequence[Finding], progress: Progress = no_progress) -> Edit:
    """Mend findings as one step.

    They are looked for once more: what was mended meanwhile is left alone, and all of their places
    are known, not only the first ones.

    Raises
    ------
    EditError
        None of them can be mended without a person, or they are not there any more.
    Cancelled
        From `progress`.
    """
    atoms: list[Atom] = []
    parts: dict[tuple[str, str], set[str]] = defaultdict(set)
    for each in findings:
        parts[each.check, each.map].add(each.key)
    if not any(CHECKS[key].cure for key, _ in parts):
        raise EditError(say("this can not be mended by itself: go there and see"))
    name = ""
    for (key, map_name), wanted in parts.items():
        check = CHECKS[key]
        if check.cure is None:
            continue
        at = Proving(doc, doc.project.map_named(map_name), progress, every_place=True)
        there = [each for each in check.find(at) if each.key in wanted]
        if there:
            edit = check.cure(at, there)
            atoms += edit.atoms
            name = edit.name
    if not atoms:
        raise EditError(say("what was found is not there any more: nothing is to be mended"))
    return Edit(
        name if len(parts) == 1 else say("Mend {count} findings", count=len(findings)), tuple(atoms)
    )
