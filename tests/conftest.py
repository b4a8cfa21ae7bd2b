import copyreg
import gc
import json
import os
import pickle
import tempfile
from pathlib import Path
from threading import Lock

import pytest
from hypothesis import settings

from tests.strangers import times

# A busy machine is no failure; in CI the same examples are tried each time.
settings.register_profile(
    "ours", deadline=None, derandomize=bool(os.environ.get("CI")), max_examples=times(25, 200)
)
settings.load_profile("ours")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # as in the program

_HOME = Path(tempfile.mkdtemp(prefix="knitground-tests-"))
for _name in ("XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME", "XDG_STATE_HOME"):
    os.environ[_name] = str(_HOME / _name.lower())
_SCREEN = {
    "name": "s0", "x": 0, "y": 0, "width": 1280, "height": 800,
    "logicalDpi": 96, "logicalBaseDpi": 96, "dpr": 1,
}  # fmt: skip
(_HOME / "screen.json").write_text(json.dumps({"screens": [_SCREEN]}))
gc.set_threshold(20_000, 20, 20)  # else each look goes through a whole window and all modules
os.environ["QT_QPA_PLATFORM"] = f"offscreen:configfile={_HOME / 'screen.json'}"


_LONG = ("test_grow_stage", "test_tour", "test_nothing_lost", "test_wander", "test_window")


def pytest_collection_modifyitems(items):
    """Begin with what takes longest: of two at a time none is to wait for it at the end."""
    items.sort(key=lambda each: not any(name in each.nodeid for name in _LONG))


@pytest.fixture(scope="module", autouse=True)
def no_pile_of_garbage():
    """Once there is a window only its event loop looks for garbage, and most tests turn none."""
    yield
    if not gc.isenabled() and gc.get_count()[0] > 100_000:
        gc.collect()


@pytest.fixture(scope="session")
def demo_folder(tmp_path_factory):
    from knitground.demo.project import write_demo

    folder = tmp_path_factory.mktemp("demo") / "Harl Pans"
    write_demo(folder)
    return folder


@pytest.fixture(scope="session")
def copy_of_demo(demo_folder):
    """Gives the demo project as if it had been read from a folder that is a copy of the demo's.

    It is read once a process: reading all its files takes ten times as long as a copy of it.
    """
    from knitground.core.files.opening import open_project

    copyreg.pickle(type(Lock()), lambda _: (Lock, ()))
    kept = pickle.dumps(open_project(demo_folder).project)

    def read(folder):
        project = pickle.loads(kept)
        project.folder = folder
        project.known = {
            str(folder / Path(name).name): held for name, held in project.known.items()
        }
        return project

    return read


@pytest.fixture
def demo(copy_of_demo, demo_folder):
    """The demo project; tests may change it."""
    return copy_of_demo(demo_folder)
