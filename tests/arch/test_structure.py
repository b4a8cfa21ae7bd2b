"""The structure is what the documents say it is."""

import ast
import re
import subprocess
import sys
from functools import cache
from graphlib import TopologicalSorter
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]

_BLOCKED = """
import sys, pkgutil, importlib
class No:
    def find_spec(self, name, path=None, target=None):
        if name.split(".")[0] in ("PySide6", "shiboken6", "qtawesome"):
            raise ImportError("no Qt here: " + name)
sys.meta_path.insert(0, No())
import knitground
count = 0
for package in ("core", "cli", "demo"):
    top = importlib.import_module("knitground." + package)
    for info in pkgutil.walk_packages(top.__path__, top.__name__ + "."):
        importlib.import_module(info.name)
        count += 1
print(count)
"""


def test_core_command_line_and_demo_run_without_qt():
    done = subprocess.run(
        [sys.executable, "-c", _BLOCKED], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr
    assert int(done.stdout) > 50


def test_the_first_paint_does_not_wait_for_numbers():
    heavy = ("numpy", "scipy", "pydantic", "psygnal")
    code = f"import sys, knitground.ui.start; print([m for m in {heavy} if m in sys.modules])"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    assert done.stdout.strip() == "[]", done.stderr


@pytest.mark.parametrize("name", ["ARCHITECTURE.md", "README.md", "CONTRIBUTING.md"])
def test_paths_in_documents_exist(name):
    text = (ROOT / name).read_text(encoding="utf-8")
    paths = set(re.findall(r"`((?:src|tests|docs|tools|bench|core|ui|cli|demo)/[\w./-]+)`", text))
    paths |= set(re.findall(r"\]\((?!http|#)([\w./-]+)\)", text))
    assert paths, "the document names no path at all"
    inside = ROOT / "src" / "knitground"
    missing = [
        path for path in paths if not (ROOT / path).exists() and not (inside / path).exists()
    ]
    assert missing == []


def test_names_in_the_architecture_exist():
    text = (ROOT / "ARCHITECTURE.md").read_text(encoding="utf-8")
    names = set(re.findall(r"`(\w+)\(\)`", text)) | set(re.findall(r"`([A-Z]\w+)`", text))
    code = "\n".join(path.read_text(encoding="utf-8") for path in (ROOT / "src").rglob("*.py"))
    defined = set(re.findall(r"(?:def|class) (\w+)|^(\w+)", code, re.M))
    assert len(names) > 15
    assert names - {name for pair in defined for name in pair} == set()


@cache
def trees():
    """Each module of ours with its syntax tree; read once."""
    return {
        path: ast.parse(path.read_text(encoding="utf-8")) for path in (ROOT / "src").rglob("*.py")
    }


def imports_of(tree):
    """The modules of ours that a module imports: when it is loaded, for its types, or later."""
    for node in ast.walk(tree):
        if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("knitground"):
            yield node.module
        elif isinstance(node, ast.Import):
            yield from (each.name for each in node.names if each.name.startswith("knitground"))


def test_no_modules_import_each_other_in_a_circle():
    graph = {}
    for path, tree in trees().items():
        name = ".".join(path.relative_to(ROOT / "src").with_suffix("").parts)
        name = name.removesuffix(".__init__")
        graph[name] = set(imports_of(tree)) - {name}
    order = list(TopologicalSorter(graph).static_order())  # raises and names a circle
    assert len(order) > 300


def test_no_module_takes_what_another_keeps_for_itself():
    taken = [
        (path.name, each.name)
        for path, tree in trees().items()
        for node in ast.walk(tree)
        if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("knitground.")
        for each in node.names
        if each.name.startswith("_")
    ]
    assert taken == []


def test_only_the_lattice_knows_how_large_cells_are():
    """Another kind of grid is to be another lattice: all else asks it where cells lie."""
    inside = ROOT / "src" / "knitground"
    allowed = {"core/model/map.py", "core/files/map_io.py", "core/files/ship/json.py"}
    size = re.compile(r"\.cell_(height|width)\b")
    found = {
        path.relative_to(inside).as_posix()
        for path in inside.rglob("*.py")
        if size.search(path.read_text(encoding="utf-8"))
    }
    assert found == allowed


def test_tooltips_with_names_in_them_are_no_markup():
    """Whatever is filled into a tooltip goes through `tip` or `tip_of`."""
    tells = {"setToolTip", "setTabToolTip", "showText"}
    calls = [
        (path.name, node.lineno, argument)
        for path, tree in trees().items()
        for node in ast.walk(tree)
        if isinstance(node, ast.Call) and getattr(node.func, "attr", "") in tells
        for argument in node.args
    ]
    filled_in = (ast.JoinedStr, ast.BinOp)
    assert len(calls) > 100
    assert [each[:2] for each in calls if isinstance(each[2], filled_in)] == []


def test_numbers_are_typed_in_our_own_fields_only():
    """Qt's own read a number by the country's habits: 1.5 is 15 under some."""
    own = "ui/common/numbers.py"
    for name, tree in trees().items():
        if own in str(name):
            continue
        used = {node.id for node in ast.walk(tree) if isinstance(node, ast.Name)}
        assert not used & {"QSpinBox", "QDoubleSpinBox"}, name


def test_nine_functions_in_ten_are_short():
    lengths = [
        node.end_lineno - node.lineno + 1
        for tree in trees().values()
        for node in ast.walk(tree)
        if isinstance(node, ast.FunctionDef)
    ]
    assert len(lengths) > 2000
    assert sum(each <= 25 for each in lengths) / len(lengths) >= 0.9


def test_tests_are_dense_enough():
    def lines(folder):
        return sum(
            1 for path in (ROOT / folder).rglob("*.py")
            for line in path.read_text(encoding="utf-8").splitlines() if line.strip()
        )  # fmt: skip

    tests, code = lines("tests"), lines("src") + lines("bench") + lines("tools")
    assert 0.2 <= tests / (tests + code) <= 0.4
