"""What speaks for and against the grids of an axis: features that a person could name."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from knitground.core.slicing.evidence import Evidence, Profile
from knitground.core.slicing.pitches import LINES, MIN_PITCH, Folded, Numbers

MAX_SPACING = 16
_HALVES = (2, 3)


@dataclass(frozen=True, eq=False)
class AxisGrids:
    """Candidates along one axis, all (n,): tile, spacing, margin in px; count of tiles.

    `repeated`: the spacing repeats the tiles' borders; `features`: (n, f), see `axis_features`.
    """

    size: int
    tile: Numbers
    spacing: Numbers
    margin: Numbers
    count: Numbers
    repeated: NDArray[np.bool_]
    features: dict[str, Profile]
    rating: Profile

    def rated(self, rating: Profile) -> AxisGrids:
        """The same with ratings: how much speaks for each."""
        return replace(self, rating=rating)

    @property
    def pitch(self) -> Numbers:
        """Pixels from one tile to the next."""
        return self.tile + self.spacing

    @property
    def rest(self) -> Numbers:
        """Pixels after the last whole tile."""
        return self.size - self.margin - self.count * self.pitch + self.spacing


def axis_features(folded: Folded, grids: AxisGrids) -> dict[str, Profile]:
    """Describe all grids of an axis: by feature, (n,)."""
    size, evidence = grids.size, folded.evidence
    lone = grids.count == 1
    pitch = np.where(folded.has(grids.pitch), grids.pitch, folded.top)
    out: dict[str, Profile] = {}
    cut = np.where(grids.repeated, grids.margin - grids.spacing // 2, grids.margin)
    starts = folded.at(pitch, cut)
    # A grid without spacing has one kind of line, else two, which must not count twice.
    ends = np.where(grids.repeated, starts, folded.at(pitch, grids.margin - grids.spacing))
    gains = (folded.gains[:, starts] + folded.gains[:, ends]) / 2
    lifts = (folded.lifts[:, starts] + folded.lifts[:, ends]) / 2
    for k, name in enumerate(LINES):
        out[f"gain {name}"] = np.where(lone, 0.0, gains[k] / 10.0)
        out[f"lift {name}"] = np.where(lone, 0.0, lifts[k])
    out.update(_explained(folded, grids, pitch, lone))
    out.update(_likeness(evidence, grids.pitch, lone))
    out.update(_others(folded, grids, pitch, lone, lifts))
    out.update(_fit(evidence, grids, lone))
    out.update(_spacing(folded, grids, pitch, lone))
    out.update(_usual(grids, lone, size))
    return out


def _explained(
    folded: Folded, grids: AxisGrids, pitch: Numbers, lone: NDArray[np.bool_]
) -> dict[str, Profile]:
    """How much of what a person sees as a border holds a line, and how many lines lie in one."""
    evidence = folded.evidence
    cut = np.where(grids.repeated, grids.margin - grids.spacing // 2, grids.margin)
    runs = evidence.runs
    out: dict[str, Profile] = {}
    held = np.zeros(pitch.size)
    if len(runs):
        weight = np.ones(len(runs)) / len(runs)
        held = _held(runs, pitch, cut, weight)
        if (grids.spacing > 0).any():
            held = np.maximum(held, _held(runs, pitch, cut - grids.spacing, weight))
    at = folded.at(pitch, cut)
    out["runs held"] = np.where(lone, 0.0, held)
    out["lines clear"] = np.where(lone, 0.0, folded.hardly[at])
    out["lone with runs"] = np.where(lone, min(1.0, len(runs) / 4), 0.0)
    peaks = np.flatnonzero(evidence.step + evidence.drop > 4.0)
    held = np.zeros(pitch.size)
    if peaks.size:
        height = (evidence.step + evidence.drop)[peaks]
        both = np.stack([peaks, peaks], axis=1)
        weight = height / height.sum()
        held = _held(both, pitch, cut, weight)
        ends = _held(both, pitch, cut - grids.spacing, weight)
        held = np.where(grids.spacing > 0, np.minimum(held + ends, 1.0), held)
    out["seams held"] = np.where(lone, 0.0, held)
    out["lone with seams"] = np.where(lone, min(1.0, peaks.size / 8), 0.0)
    return out


def _held(runs: Numbers, pitch: Numbers, cut: Numbers, weight: Profile) -> Profile:
    """Weight of the runs (first, last line) in which a line of each grid lies."""
    out = np.zeros(pitch.size)
    for (first, last), each in zip(runs.tolist(), weight.tolist()):
        out += each * ((last - cut) // pitch > (first - 1 - cut) // pitch)
    return out


def _likeness(evidence: Evidence, pitch: Numbers, lone: NDArray[np.bool_]) -> dict[str, Profile]:
    """How much more alike the sheet is to itself moved by the pitch than by a little more."""
    unlike = evidence.unlike
    known = np.isfinite(unlike)
    if known.sum() < 8:
        zero = np.zeros(pitch.size)
        return {"repeats": zero, "alike": zero, "half repeats": zero, "double repeats": zero}
    log = np.where(known, np.log(np.where(known, unlike, 1.0) + 1e-4), 0.0)
    window = [np.roll(log, n) for n in (-4, -3, -2, 2, 3, 4)]
    valid = np.all([np.roll(known, n) for n in (-4, -3, -2, 2, 3, 4)], axis=0) & known
    peak = np.where(valid, np.mean(window, axis=0) - log, 0.0)
    middle = float(np.median(unlike[known])) + 1e-4
    alike = np.where(known, 1.0 - unlike / middle, 0.0)
    spread = float(peak[valid].std()) + 0.02 if valid.any() else 1.0
    peak = np.clip(peak / spread, -3.0, 6.0)

    def take(of: Profile, at: Numbers) -> Profile:
        return np.where(lone | (at >= of.size), 0.0, of[np.minimum(at, of.size - 1)])

    half = np.where(pitch % 2 == 0, take(peak, pitch // 2), 0.0)
    return {
        "repeats": take(peak, pitch), "alike": np.clip(take(alike, pitch), -1.0, 1.0),
        "half repeats": half, "double repeats": take(peak, 2 * pitch),
    }  # fmt: skip


def _others(
    folded: Folded, grids: AxisGrids, pitch: Numbers, lone: NDArray[np.bool_], lifts: Profile
) -> dict[str, Profile]:
    """Whether every second or third line is weaker, or lines between are as good."""
    cut = np.where(grids.repeated, grids.margin - grids.spacing // 2, grids.margin)
    mean = lifts[:2].sum(axis=0) + 0.5 * lifts[2:].sum(axis=0)
    out: dict[str, Profile] = {}
    for part in _HALVES:
        many = pitch * part
        known = folded.has(many) & (grids.count > part) & ~lone
        many = np.where(known, many, MIN_PITCH)
        each = np.stack([
            _mean_lift(folded, folded.at(many, cut + n * pitch)) for n in range(part)
        ])  # fmt: skip
        weaker = each.max(axis=0) - each.min(axis=0)
        out[f"every {part} weaker"] = np.where(known, np.clip(weaker, 0.0, 4.0), 0.0)
        between = np.where(pitch % part == 0, pitch // part, 0)
        subs = np.stack([
            _mean_lift(folded, folded.at(pitch, cut + n * between)) for n in range(1, part)
        ]).min(axis=0)  # fmt: skip
        good = np.clip(subs / np.maximum(mean, 0.3), -0.5, 1.5)
        out[f"between {part} as good"] = np.where((between > 0) & ~lone, good, 0.0)
    return out


def _mean_lift(folded: Folded, at: Numbers) -> Profile:
    return np.asarray(np.array([1.0, 1.0, 0.5, 0.5]) @ folded.lifts[:, at])


def _fit(evidence: Evidence, grids: AxisGrids, lone: NDArray[np.bool_]) -> dict[str, Profile]:
    """Whether the tiles fill the sheet, and what lies in the rest if not."""
    rest = np.maximum(grids.rest, 0)
    fits = (rest == 0) | (rest == grids.margin) | ((grids.spacing > 0) & (rest == grids.spacing))
    padded = grids.size & (grids.size - 1) == 0
    filled = np.concatenate([[0.0], np.cumsum(evidence.flat < 0.985)])
    inside = filled[-1] - filled[np.clip(grids.size - rest, 0, grids.size)]
    before = filled[np.minimum(grids.margin, grids.size)]
    full = np.minimum(inside / np.maximum(rest, 1), 1.0)
    part = np.minimum(rest / np.maximum(grids.pitch, 1), 1.0)
    return {
        "fits": (fits & ~lone).astype(float),
        "lone fits": (fits & lone).astype(float),
        "rest": np.where(fits | lone, 0.0, 1.0 if not padded else 0.0),
        "padded rest": np.where(fits | lone, 0.0, 1.0 if padded else 0.0),
        "rest part": np.where(fits | lone, 0.0, part),
        "content in rest": np.where((rest > 0) & ~lone, full, 0.0),
        "lone rest": (lone & ~fits).astype(float),
        "lone rest part": np.where(lone & ~fits, rest / grids.size, 0.0),
        "lone content in rest": np.where((rest > 0) & lone, full, 0.0),
        "lone cut": (lone & (rest > 0) & (inside > 0)).astype(float),
        "content in margin": np.where(
            grids.margin > 0, np.minimum(before / np.maximum(grids.margin, 1), 1.0), 0.0
        ),
        "rest whole tile": (rest >= grids.pitch).astype(float),
    }


def _spacing(
    folded: Folded, grids: AxisGrids, pitch: Numbers, lone: NDArray[np.bool_]
) -> dict[str, Profile]:
    """What speaks for spacing and margin: clean gutters between filled columns, usual numbers."""
    spacing, margin = grids.spacing, grids.margin
    gap = (spacing > 0) & ~grids.repeated & ~lone
    clean, worst = np.ones(pitch.size), np.ones(pitch.size)
    total, lines = np.zeros(pitch.size), np.zeros(pitch.size)
    all_lines = float(folded.evidence.drawn.sum())
    for n in range(1, MAX_SPACING + 1):
        here = gap & (n <= spacing)
        flat = folded.flats[folded.at(pitch, margin - n)]
        total = total + np.where(here, flat, 0.0)
        lines = lines + np.where(here, folded.drawn[folded.at(pitch, margin - n)], 0.0)
        worst = np.where(here, np.minimum(worst, flat), worst)
    clean = np.where(gap, total / np.maximum(spacing, 1), 1.0)
    beside = 0.5 * (
        folded.flat[folded.at(pitch, margin)] + folded.flat[folded.at(pitch, margin - spacing - 1)]
    )
    contrast = np.clip((1.0 - beside) / max(folded.evidence.filled, 0.02), 0.0, 1.2)
    more = (
        folded.flats[folded.at(pitch, margin)]
        + folded.flats[folded.at(pitch, margin - spacing - 1)]
    )
    # Without spacing: a gap on both sides of the line, clean and between filled columns, is missed.
    missed = folded.flats[folded.at(pitch, margin)] * folded.flats[folded.at(pitch, margin - 1)]
    none = margin == 0
    drawn = np.concatenate([[0.0], np.cumsum(folded.evidence.drawn)]) / max(all_lines, 1.0)
    rim = drawn[np.minimum(margin, drawn.size - 1)]
    after = drawn[-1] - drawn[np.minimum(margin + grids.tile, drawn.size - 1)]
    # Of the columns of all gutters, how many are drawn lines.
    share = np.minimum(lines * all_lines / np.maximum((grids.count - 1) * spacing, 1), 1.0)
    return {
        "lines in gutters": np.where(gap, lines, 0.0),
        "gutters drawn": np.where(gap, np.minimum(lines, share), 0.0),
        "lines not in gutters": np.where(lone, 0.0, min(all_lines, 1.0) - lines),
        "lone rim drawn": np.where(lone, rim + after, 0.0),
        "lone over lines": np.where(lone, min(all_lines, 1.0) - rim - after, 0.0),
        "pitch fits": (gap & (grids.size % grids.pitch == 0)).astype(float),
        "pitch of 16": (gap & (grids.pitch % 16 == 0)).astype(float),
        "spacing": gap.astype(float),
        "spacing 1": (gap & (spacing == 1)).astype(float),
        "spacing 2": (gap & (spacing == 2)).astype(float),
        "spacing 3 or 4": (gap & ((spacing == 3) | (spacing == 4))).astype(float),
        "spacing over 8": (gap & (spacing > 8)).astype(float),
        "gutter not clean": np.where(gap, 1.0 - clean, 0.0),
        "gutter's worst": np.where(gap, 1.0 - worst, 0.0),
        "filled beside gutter": np.where(gap, contrast, 0.0),
        "gutter wider": np.where(gap, more / 2, 0.0),
        "filled beside, 1 px": np.where(gap & (spacing <= 2), contrast, 0.0),
        "line in a gap": np.where(~gap & ~lone, missed, 0.0),
        "repeated": grids.repeated.astype(float),
        "margin": (~none & ~lone).astype(float),
        "margin is spacing": (gap & ~none & (margin == spacing)).astype(float),
        "margin is half": (gap & ~none & (2 * margin == spacing)).astype(float),
        "margin is double": (gap & ~none & (margin == 2 * spacing)).astype(float),
        "no margin, spacing": (gap & none).astype(float),
        "margin is rest": (~none & ~lone & (grids.rest == margin)).astype(float),
        "repeated margin": (grids.repeated & ~none & (2 * margin == spacing)).astype(float),
        "lone margin": (lone & ~none).astype(float),
    }


def _usual(grids: AxisGrids, lone: NDArray[np.bool_], size: int) -> dict[str, Profile]:
    """How usual the numbers are, apart from the pixels."""
    tile = grids.tile
    log = np.log(np.maximum(tile, 1) / 32.0)
    many = np.log(np.maximum(grids.count, 1))
    power = (tile & (tile - 1)) == 0
    return {
        "lone": lone.astype(float),
        "lone long": np.where(lone, np.log(size / 32.0), 0.0),
        "of 16": (tile % 16 == 0).astype(float),
        "of 8": (tile % 8 == 0).astype(float),
        "of 10": (tile % 10 == 0).astype(float),
        "of 12": (tile % 12 == 0).astype(float),
        "of 2": (tile % 2 == 0).astype(float),
        "16, 32, 64": (power & (tile >= 16) & (tile <= 64)).astype(float),
        "under 8": (tile < 8).astype(float),
        "under 12": (tile < 12).astype(float),
        "large": np.maximum(log, 0.0),
        "small": np.maximum(-log, 0.0),
        "many": np.where(lone, 0.0, many),
        "only two": (grids.count == 2).astype(float),
    }
