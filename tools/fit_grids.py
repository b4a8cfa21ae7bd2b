"""Fit what each feature of a grid counts, on real sheets: `python tools/fit_grids.py [FOLDER]`.

The folder has `truth.json` (sheets and their grids) and `nogrid.json` (pictures without one); by
default `../shared/art` beside the project. Without it there is nothing to fit on, and the table
stays as it is. Sheets of one package are kept together: each package is judged by weights that were
fitted without it, then the weights of all are written to `core/slicing/gridweights.py` (with
`--write`). First the axes are fitted (softmax over all candidates of a sheet: minus the log of what
the true ones get), then the pairs, then the score, on sheets and pictures that were left out.
"""

from __future__ import annotations

import json
import sys
from dataclasses import dataclass, field
from multiprocessing import Pool
from pathlib import Path

import numpy as np
from PIL import Image
from scipy.optimize import minimize

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.sheets import KINDS, make

from knitground.core.slicing.evidence import backgrounds, colour_codes
from knitground.core.slicing.gridweights import AXIS, PAIR, SCORE
from knitground.core.slicing.likely import both_axes, score_features, the_best
from knitground.core.slicing.pairs import join_axes, pair_up

ROOT = Path(__file__).parents[1]
ART = ROOT.parent / "shared" / "art"
TABLE = ROOT / "src" / "knitground" / "core" / "slicing" / "gridweights.py"
FOLDS = 8
POSITIVE = {
    "runs held", "seams held", "fits", "lines clear", "repeats", "square", "square strip",
    "filled beside gutter", "margin is rest", "both fit", "same spacing", "same margin",
    "weaker axis", "stronger axis", "ground", "share", "lead", "lines in gutters",
    "gutters drawn", "lines both ways", "lone rim drawn",
}  # fmt: skip
NEGATIVE = {
    "rest", "content in rest", "gutter not clean", "gutter's worst", "rest whole tile", "under 8",
    "lines not in gutters", "lone over lines", "one spacing", "one margin", "one repeated",
    "far ratio", "line in a gap", "content in margin",
}  # fmt: skip


@dataclass
class Sample:
    """A picture with its grid (tile, margin, spacing, each across and down; none: no grid)."""

    package: str
    name: str
    weight: float
    truth: tuple[int, ...] | None
    lone: tuple[bool, bool]
    axes: list = field(default_factory=list)


def real_samples(folder: Path):
    """Real sheets, and of each a padded or cropped and a re-laid version; pictures without grid."""
    sheets = json.loads((folder / "truth.json").read_text())
    many = {s["source_package"]: 0 for s in sheets}
    for each in sheets:
        many[each["source_package"]] += 1
    rng = np.random.default_rng(5)
    for each in sheets:
        package = each["source_package"]
        weight = many[package] ** -0.5
        picture = load(folder / each["file"])
        truth = tuple(
            each[k] for k in ("tile_w", "tile_h", "margin_x", "margin_y", "spacing_x", "spacing_y")
        )
        lone = (each["columns"] == 1, each["rows"] == 1)
        yield Sample(package, each["file"], weight, truth, lone), picture
        for n, (made, grid, alone) in enumerate(versions(rng, picture, each)):
            yield Sample(package, f"{each['file']} {n}", 0.5 * weight, grid, alone), made
    for each in json.loads((folder / "nogrid.json").read_text()):
        package = each.get("source_package", each["file"])
        yield Sample(package, each["file"], 1.0, None, (False, False)), load(folder / each["file"])
    for n in range(24):  # pieces of many sheets packed at random
        yield (
            Sample(f"packed{n}", f"packed {n}", 1.0, None, (False, False)),
            packed(rng, folder, sheets),
        )


def load(path: Path) -> np.ndarray:
    """Read a picture as RGBA."""
    return np.asarray(Image.open(path).convert("RGBA"))


def cells_of(picture, each):
    """Cut a sheet by its truth: rows of columns of tiles."""
    out = []
    for r in range(each["rows"]):
        y = each["margin_y"] + r * (each["tile_h"] + each["spacing_y"])
        row = []
        for c in range(each["columns"]):
            x = each["margin_x"] + c * (each["tile_w"] + each["spacing_x"])
            row.append(picture[y : y + each["tile_h"], x : x + each["tile_w"]])
        out.append(row)
    shape = (each["tile_h"], each["tile_w"], 4)
    return [[t for t in row if t.shape == shape] for row in out]


def versions(rng, picture, each):
    """Give a part of the sheet, and one laid out with margin, spacing or both."""
    rows = cells_of(picture, each)
    tiles = [t for row in rows for t in row]
    high, wide = each["tile_h"], each["tile_w"]
    if len(tiles) < 3:
        return
    columns = int(rng.integers(2, min(len(tiles), 12) + 1))
    count = len(tiles) if rng.random() < 0.5 else int(rng.integers(columns, len(tiles) + 1))
    margin = int(rng.choice([0, 0, 1, 2, 4, 8]))
    spacing = int(rng.choice([0, 0, 1, 1, 2, 2, 3, 4]))
    if rng.random() < 0.5:
        margin = spacing
    lay = -(-count // columns)
    out = np.zeros((
        2 * margin + lay * (high + spacing) - spacing,
        2 * margin + columns * (wide + spacing) - spacing, 4,
    ), np.uint8)  # fmt: skip
    seen = any((t[..., 3] == 0).any() for t in tiles)
    if not seen and rng.random() < 0.7:
        out[:] = [*rng.choice([0, 40, 255], 3), 255]
    for n in range(count):
        y = margin + n // columns * (high + spacing)
        x = margin + n % columns * (wide + spacing)
        out[y : y + high, x : x + wide] = tiles[n]
    yield out, (wide, high, margin, margin, spacing, spacing), (columns == 1, lay == 1)
    if rng.random() < 0.5:
        yield ruled(rng, tiles[:count], columns if rng.random() < 0.5 else count)
    if len(rows) * len(rows[0]) >= 6 and not each["margin_x"]:
        extra_x, extra_y = int(rng.integers(1, wide)), int(rng.integers(1, high))
        keep_x = max(1, len(rows[0]) - int(rng.integers(0, 3)))
        keep_y = max(1, len(rows) - int(rng.integers(0, 3)))
        right = keep_x * (wide + each["spacing_x"])
        down = keep_y * (high + each["spacing_y"])
        pad = ((0, extra_y if len(rows) > 1 else 0), (0, extra_x), (0, 0))
        made = np.pad(picture[:down, :right], pad)
        truth = (wide, high, 0, each["margin_y"], each["spacing_x"], each["spacing_y"])
        yield made, truth, (keep_x == 1, keep_y == 1)


def ruled(rng, tiles, columns):
    """Lay tiles out with lines drawn between and round them; in a row too."""
    high, wide = tiles[0].shape[:2]
    thick = int(rng.choice([1, 1, 1, 2]))
    columns = min(columns, max(2, 3000 // wide))
    tiles = tiles[: columns * 12]
    lay = -(-len(tiles) // columns)
    extra = int(rng.choice([0, 0, wide // 2]))
    shape = (thick + lay * (high + thick), thick + columns * (wide + thick) + extra, 4)
    out = np.zeros(shape, np.uint8)
    line = [*rng.choice([[255, 0, 255], [0, 0, 255], [255, 255, 255], [90, 90, 90]]), 255]
    ground = [*rng.choice([[0, 0, 0], [20, 120, 20], [255, 255, 255]]), 255]
    out[:, : shape[1] - extra] = line
    for n in range(lay * columns):
        y = thick + n // columns * (high + thick)
        x = thick + n % columns * (wide + thick)
        cell = np.empty((high, wide, 4), np.uint8)
        cell[:] = ground
        if n < len(tiles):
            seen = tiles[n][..., 3] > 127
            cell[seen] = tiles[n][seen]
        out[y : y + high, x : x + wide] = cell
    return out, (wide, high, thick, thick, thick, thick), (columns == 1, lay == 1)


def packed(rng, folder, sheets):
    """Pack pieces of many sheets shelf by shelf, as packers do."""
    out = np.zeros((int(rng.integers(128, 512)), int(rng.integers(128, 640)), 4), np.uint8)
    y = 0
    while y < out.shape[0] - 8:
        x, high = 0, int(rng.integers(10, 90))
        while x < out.shape[1] - 8:
            each = sheets[int(rng.integers(len(sheets)))]
            tiles = [t for row in cells_of(load(folder / each["file"]), each) for t in row]
            tile = tiles[int(rng.integers(len(tiles)))]
            full = np.argwhere(tile[..., 3] > 0)
            if not full.size:
                continue
            (top, left), (bottom, right) = full.min(axis=0), full.max(axis=0) + 1
            part = tile[top:bottom, left:right][:high, : out.shape[1] - x][: out.shape[0] - y]
            out[y : y + part.shape[0], x : x + part.shape[1]] = part
            x += part.shape[1] + 1
        y += high + 1
    return out


def drawn_samples(count: int):
    """Sheets drawn by the tests, even seeds only."""
    for kind in KINDS:
        for n in range(count):
            sheet = make(kind, 2 * n)
            if sheet.truth is None:
                yield Sample(f"drawn {n}", f"{kind} {n}", 0.35, None, (False, False)), sheet.picture
                continue
            cut = sheet.truth
            truth = (cut.tile_width, cut.tile_height, cut.margin_x, cut.margin_y,
                     cut.spacing_x, cut.spacing_y)  # fmt: skip
            high, wide = sheet.picture.shape[:2]
            lone = (cut.columns_of(wide) == 1, cut.rows_of(high) == 1)
            yield Sample(f"drawn {n}", f"{kind} {n}", 0.2, truth, lone), sheet.picture


def prepare(job):
    """Describe all grids of a sample; in another process."""
    sample, picture = job
    codes = colour_codes(picture)
    axes = both_axes(picture, backgrounds(codes) or [codes[0, 0]])
    sample.axes = [tuple(replaced(axis) for axis in pair) for pair in axes]
    return sample


def replaced(axis):
    """Keep features as one matrix of half the size."""
    names = list(axis.features)
    matrix = np.stack([axis.features[n] for n in names], axis=1).astype(np.float32)
    axis.features.clear()
    return axis, names, matrix


def true_of(axis, sample, side):
    """Which candidates of an axis are right."""
    tile, margin, spacing = sample.truth[side], sample.truth[2 + side], sample.truth[4 + side]
    hit = (axis.tile == tile) & (axis.margin == margin)
    return hit & ((axis.count == 1) if sample.lone[side] else (axis.spacing == spacing))


def fit(groups, names, strength=0.0015, start=None):
    """Fit weights: groups are (matrix, true, weight); minus log of what the true ones get."""
    sizes = [len(m) for m, _, _ in groups]
    matrix = np.concatenate([m for m, _, _ in groups]).astype(np.float64)
    spread = matrix.std(axis=0) + 1e-6
    matrix = matrix / spread
    true = np.concatenate([t for _, t, _ in groups])
    weight = np.array([w for _, _, w in groups])
    ends = np.cumsum(sizes)
    starts = ends - sizes
    which = np.repeat(np.arange(len(sizes)), sizes)
    bounds = [
        (0, None) if n in POSITIVE else (None, 0) if n in NEGATIVE else (None, None) for n in names
    ]

    def loss(w):
        z = matrix @ w
        top = np.maximum.reduceat(z, starts)
        e = np.exp(z - top[which])
        total = np.add.reduceat(e, starts)
        good = np.add.reduceat(e * true, starts) + 1e-12
        value = (weight * (np.log(total) - np.log(good))).sum() / weight.sum()
        p = e / total[which] - e * true / good[which]
        grad = matrix.T @ (p * weight[which]) / weight.sum()
        return value + strength * (w**2).sum() / 2, grad + strength * w

    begin = np.zeros(len(names)) if start is None else start * spread
    begin = np.clip(begin, [b[0] if b[0] is not None else -np.inf for b in bounds],
                    [b[1] if b[1] is not None else np.inf for b in bounds])  # fmt: skip
    found = minimize(loss, begin, jac=True, method="L-BFGS-B", bounds=bounds,
                     options={"maxiter": 250})  # fmt: skip
    return found.x / spread


def fit_axes(samples, rng):
    """Fit the axes: all true candidates, the hardest and some random false ones."""
    names = samples[0].axes[0][0][1]
    w = None
    for _ in range(3):
        groups = []
        for sample in samples:
            if sample.truth is None:
                continue
            for side in (0, 1):
                parts = []
                for pair in sample.axes:
                    axis, _, matrix = pair[side]
                    true = true_of(axis, sample, side)
                    if w is None:
                        chosen = rng.random(len(true)) < 250 / max(len(true), 1)
                    else:
                        z = matrix @ w
                        chosen = np.zeros(len(true), bool)
                        chosen[np.argsort(-z)[:60]] = True
                        chosen |= rng.random(len(true)) < 60 / max(len(true), 1)
                    chosen |= true
                    parts.append((matrix[chosen], true[chosen]))
                m = np.concatenate([p[0] for p in parts])
                t = np.concatenate([p[1] for p in parts])
                if t.any() and not t.all():
                    groups.append((m, t, sample.weight * (0.6 if sample.lone[side] else 1.0)))
        w = fit(groups, names, start=w)
    return dict(zip(names, w))


def pairs_of(sample, axis_weights):
    """Pairs of a sample with their features and which are right."""
    parts = []
    for pair in sample.axes:
        rated = []
        for axis, names, matrix in pair:
            w = np.array([axis_weights.get(n, 0.0) for n in names])
            axis.features.update({n: matrix[:, k].astype(float) for k, n in enumerate(names)})
            rated.append(axis.rated(matrix.astype(float) @ w))
        parts.append(pair_up(*rated))
    pairs = join_axes(parts)
    if not len(pairs):
        return pairs, np.zeros(0, bool)
    true = np.array([
        sample.truth is not None and pairs.numbers(n) == full_truth(sample)
        for n in range(len(pairs))
    ])  # fmt: skip
    return pairs, true


def full_truth(sample):
    """The truth as the program would say it: a lone side takes the spacing of the other."""
    t = list(sample.truth)
    if sample.lone[0] and not sample.lone[1]:
        t[4] = t[5]
    if sample.lone[1] and not sample.lone[0]:
        t[5] = t[4]
    return tuple(t)


def fit_pairs(prepared):
    """Fit the pairs."""
    groups, names = [], None
    for sample, pairs, true in prepared:
        if sample.truth is None or not true.any() or true.all():
            continue
        names = list(pairs.features)
        matrix = np.stack([pairs.features[n] for n in names], axis=1)
        groups.append((matrix, true, sample.weight))
    return dict(zip(names, fit(groups, names)))


def rating_of(pairs, weights):
    """Rate pairs by weights."""
    return sum(weights.get(n, 0.0) * v for n, v in pairs.features.items())


def look(prepared, weights):
    """The best pairs of each sample, their ratings, and which are true."""
    out = []
    for sample, pairs, _ in prepared:
        if not len(pairs):
            out.append((sample, pairs, np.zeros(0), np.zeros(0, bool)))
            continue
        rating = rating_of(pairs, weights)
        near = the_best(pairs, rating)
        truth = full_truth(sample) if sample.truth is not None else None
        true = np.array([pairs.numbers(n) == truth for n in near])
        out.append((sample, pairs.some(near), rating[near], true))
    return out


def judge(looked):
    """Whether each sample is right at first place and within three; what the score goes by."""
    out = []
    for sample, pairs, rating, true in looked:
        if not len(pairs):
            out.append((sample, False, False, None, None))
            continue
        order = np.argsort(-rating, kind="stable").tolist()
        kept = []
        for n in order:
            if sum(pairs.numbers(k)[:2] == pairs.numbers(n)[:2] for k in kept) < 2:
                kept.append(n)
        hits = [bool(true[n]) for n in kept[:3]]
        features = score_features(pairs, rating)
        out.append((sample, hits[0], any(hits), features, [pairs.numbers(n) for n in kept[:3]]))
    return out


def fit_score(judged):
    """Logistic regression: whether the first guess is right."""
    rows = [(s, hit, f) for s, hit, _, f, _ in judged if f is not None]
    names = list(rows[0][2])
    matrix = np.array([[f[n] for n in names] for _, _, f in rows])
    spread = matrix.std(axis=0) + 1e-6
    spread[names.index("always")] = 1.0
    scaled = matrix / spread
    right = np.array([hit for _, hit, _ in rows], float)
    weight = np.array([s.weight for s, _, _ in rows])
    bounds = [(0, None) if n in POSITIVE else (None, None) for n in names]

    def loss(w):
        z = scaled @ w
        value = (weight * (np.logaddexp(0, z) - right * z)).sum() / weight.sum()
        p = 1 / (1 + np.exp(-z))
        penalty = 0.01 * w
        penalty[names.index("always")] = 0.0
        grad = scaled.T @ (weight * (p - right)) / weight.sum()
        return value + (penalty * w).sum() / 2, grad + penalty

    found = minimize(loss, np.zeros(len(names)), jac=True, method="L-BFGS-B", bounds=bounds)
    return dict(zip(names, found.x / spread))


def score_of(features, weights):
    """The score by weights."""
    return 1 / (1 + np.exp(-sum(weights[n] * v for n, v in features.items())))


def report(judged, scores=None):
    """Print figures by package and by sheet, and the misses."""
    real = [j for j in judged if j[0].name.startswith("sheets/") and " " not in j[0].name]
    drawn = [j for j in judged if j[0].package.startswith("drawn") and j[0].truth]
    for title, some in (("real", real), ("drawn", drawn)):
        if some:
            first = np.mean([j[1] for j in some])
            three = np.mean([j[2] for j in some])
            print(f"{title}: first {first:.1%}, within three {three:.1%} of {len(some)}", end="")
            packages = {j[0].package for j in some}
            own = [[j for j in some if j[0].package == each] for each in packages]
            means = [np.mean([np.mean([j[n] for j in each]) for each in own]) for n in (1, 2)]
            print(f"; mean of {len(own)} packages {means[0]:.1%}, {means[1]:.1%}")
    for sample, hit, three, _, kept in judged:
        if not hit and "--misses" in sys.argv and sample.truth:
            print("  ", "within" if three else "MISSED", sample.name, full_truth(sample), kept)
    if scores is not None:
        for title, kind in (("real", real), ("no grid, real", [
            j for j in judged if j[0].name.startswith("nogrid/")
        ]), ("packed", [j for j in judged if j[0].name.startswith("packed")]),
            ("drawn", drawn),
            ("drawn no grid", [j for j in judged if j[0].name.startswith("no grid")])):  # fmt: skip
            got = [(score_of(j[3], scores), j[1]) for j in kind if j[3] is not None]
            sure = [hit for s, hit in got if s >= 0.9]
            half = [hit for s, hit in got if s >= 0.5]
            print(f"{title}: {sum(sure)} right of {len(sure)} at ≥ 0.9, "
                  f"{sum(half)} of {len(half)} at ≥ 0.5, of {len(kind)}")  # fmt: skip


def write_table(axis, pair, score):
    """Write the weights, with the words that stand there for each."""
    text = TABLE.read_text().split("AXIS: Weights")[0]
    tables = (("AXIS", axis, AXIS), ("PAIR", pair, PAIR), ("SCORE", score, SCORE))
    for name, table, old in tables:
        text += f"{name}: Weights = {{\n"
        for feature, value in table.items():
            said = old.get(feature, (0.0, ""))[1]
            if not said:
                print(f"no words yet for {feature}")
            text += f'    "{feature}": ({value:.3f}, "{said}"),\n'
        text += "}\n"
    TABLE.write_text(text)


def train(samples, rng):
    """Fit axes and pairs on samples."""
    axis = fit_axes(samples, rng)
    prepared = [(s, *pairs_of(s, axis)) for s in samples]
    pair = fit_pairs(prepared)
    looked = look(prepared, pair)
    return axis, pair, looked


def apply(samples, axis, pair):
    """Judge samples by weights."""
    return judge(look([(s, *pairs_of(s, axis)) for s in samples], pair))


def main() -> int:
    """Fit, print figures on packages left out, and write the table."""
    given = [a for a in sys.argv[1:] if not a.startswith("--")]
    folder = Path(given[0]) if given else ART
    if not (folder / "truth.json").exists():
        print(f"{folder} has no truth.json: nothing to fit on; the table stays as it is")
        return 0
    jobs = [*real_samples(folder), *drawn_samples(14)]
    with Pool(2) as pool:
        samples = pool.map(prepare, jobs, chunksize=8)
    rng = np.random.default_rng(7)
    packages = sorted({s.package for s in samples})
    rng.shuffle(packages)
    fold = {p: n % FOLDS for n, p in enumerate(packages)}
    judged = []
    if "--quick" not in sys.argv:
        for n in range(FOLDS):
            learn = [s for s in samples if fold[s.package] != n]
            axis, pair, _ = train(learn, rng)
            judged += apply([s for s in samples if fold[s.package] == n], axis, pair)
        score = fit_score(judged)
        print("each judged by weights fitted without its package")
        report(judged, score)
    axis, pair, looked = train(samples, rng)
    every = judge(looked)
    if not judged:
        score = fit_score(every)
    print("fitted on all")
    report(every, score)
    if "--write" in sys.argv:
        write_table(axis, pair, score)
    return 0


if __name__ == "__main__":
    sys.exit(main())
