"""Rows of a bench beside those of another commit, in turn on the same machine.

    .venv/bin/python bench/against.py COMMIT [BENCH] [ROUNDS]     (by default drawing, 3 rounds)

The other commit is laid out in a folder of its own and run with the same Python and packages, now
one, now the other. Prints each row's median here and there and their ratio; exits 1 if a row takes
over 1.1 times as long as there.
"""

from __future__ import annotations

import os
import re
import subprocess
import sys
import tempfile
from pathlib import Path
from statistics import median

ROOT = Path(__file__).parents[1]
_ROW = re.compile(r"^(.{38})\s*([\d.]+) of [\d.]+\s+(?:ok|BROKEN)")
_MOST = 1.1


def rows_of(tree: Path, bench: str) -> dict[str, float]:
    """Run a bench of a checkout; returns its rows' values by their names."""
    env = os.environ | {"PYTHONPATH": str(tree / "src"), "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run(
        [sys.executable, str(tree / "bench" / f"{bench}.py")],
        cwd=tree, env=env, capture_output=True, text=True, check=False,
    )  # fmt: skip
    found = (_ROW.match(line) for line in done.stdout.splitlines())
    rows = {each[1].strip(): float(each[2]) for each in found if each}
    if not rows:
        raise SystemExit(f"{bench} in {tree} gave no rows:\n{done.stderr[-2000:]}")
    return rows


def compare(other: Path, bench: str, rounds: int) -> int:
    """Run both in turn and print what comes of it; returns the exit code."""
    here: dict[str, list[float]] = {}
    there: dict[str, list[float]] = {}
    for turn in range(rounds):
        pair = [(ROOT, here), (other, there)]
        for tree, values in pair if turn % 2 == 0 else pair[::-1]:
            for name, value in rows_of(tree, bench).items():
                values.setdefault(name, []).append(value)
    worse = 0
    print(f"{'row':40}{'there':>10}{'here':>10}{'here / there':>14}")
    for name, found in here.items():
        if name not in there:
            print(f"{name:40}{'–':>10}{median(found):10.2f}{'new':>14}")
            continue
        before, now = median(there[name]), median(found)
        ratio = now / before if before else 1.0
        worse += ratio > _MOST
        print(f"{name:40}{before:10.2f}{now:10.2f}{ratio:14.2f}{'  slower' * (ratio > _MOST)}")
    return 1 if worse else 0


def main() -> int:
    """Lay the other commit out and compare."""
    if len(sys.argv) < 2:
        raise SystemExit(__doc__)
    commit, bench = sys.argv[1], sys.argv[2] if len(sys.argv) > 2 else "drawing"
    rounds = int(sys.argv[3]) if len(sys.argv) > 3 else 3
    with tempfile.TemporaryDirectory() as folder:
        other = Path(folder) / "other"
        git = ["git", "-C", str(ROOT), "worktree"]
        subprocess.run([*git, "add", "--detach", str(other), commit], check=True,
                       capture_output=True)  # fmt: skip
        try:
            return compare(other, bench, rounds)
        finally:
            subprocess.run([*git, "remove", "--force", str(other)], check=True)


if __name__ == "__main__":
    sys.exit(main())
