"""The worked examples of readers: each draws shipped maps as they were shipped as pictures."""

import base64
import functools
import io
import json
import os
import re
import shutil
import subprocess
import threading
from http.server import SimpleHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import numpy as np
import pytest
from examples import pillow_reader
from PIL import Image
from tests.core.test_diamond import yard
from tests.core.test_staggered import shifted_yard

from knitground.core.files.ship.ship import ship
from knitground.core.model.lattice import SQUARE, Stagger
from knitground.core.model.tile import TileRef

EXAMPLES = Path(pillow_reader.__file__).parent
MAPS = ("harbour-pans", "loading-quay", "store-yard")


@pytest.fixture(scope="module")
def shipped(demo_folder, tmp_path_factory):
    from knitground.core.files.opening import open_project

    demo = open_project(demo_folder).project
    map_ = demo.map_named("Harbour pans")
    map_.layers[2].cells[0, 0] = map_.legend.place(TileRef("props", 0, 5, 6))
    map_.layers[2].cells[3, 9] = map_.legend.place(TileRef("props", 0, 5, 3))
    for each in demo.maps:
        each.background = None
        each.layers[0].opacity = 0.8
        tint = each.new_tint_layer("Dusk")
        tint.cells[2:5, 1:6] = 90 << 24 | 0x304060
        each.layers.append(tint)
    folder = tmp_path_factory.mktemp("shipped")
    ship(demo, [demo.map_named(name) for name in ("Harbour pans", "Loading quay", "Store yard")],
         folder)  # fmt: skip
    return folder


def is_alike(drawn, folder, name):
    """Compare with the picture that was shipped, but for free pictures' rims."""
    picture = np.array(Image.open(folder / f"{name}.png").convert("RGBA")).astype(int)
    drawn = np.asarray(drawn).astype(int)
    assert drawn.shape == picture.shape
    seen = np.minimum(picture[..., 3:], drawn[..., 3:]) / 255
    off = np.abs(picture - drawn)
    off[..., :3] = off[..., :3] * seen
    assert (off.max(axis=2) <= 3).mean() > 0.998
    for layer in json.loads((folder / f"{name}.json").read_text())["layers"]:
        for marker in layer["markers"]:  # a turned picture's rim may fall on either side
            x, y = (int(each) for each in marker["points"][0])
            if marker["tile"]:
                off[max(0, y - 64) : y + 8, max(0, x - 40) : x + 40] = 0
    assert (off.max(axis=2) <= 3).mean() > 0.998
    assert off.max() <= 12  # what is half seen through is rounded in many ways


@pytest.mark.parametrize("form", ["square", "diamond", "rows", "columns"])
def test_copies_of_a_map_that_wraps_lie_where_the_readme_says(form, tmp_path):
    """So many row steps down and column steps right as there are rows and columns."""
    if form in ("square", "diamond"):
        doc, map_ = yard((8, 6))
        map_.grid = SQUARE if form == "square" else map_.grid
    else:
        doc, map_ = shifted_yard(Stagger(8, 6, form == "columns", form == "columns"))
    map_.wrap = True
    ship(doc.project, [map_], tmp_path)
    name = tmp_path / f"{map_.name.lower()}.json"
    data = json.loads(name.read_text())
    columns, rows = data["grid"]
    for layer in data["layers"]:
        layer["cells"] = np.tile(layer["cells"], (3, 3)).tolist()
        layer["first"] = [begins - rows * down - columns * right for begins, down, right in
                          zip(layer["first"], layer["row_step"], layer["column_step"])]  # fmt: skip
    data["grid"] = [3 * columns, 3 * rows]
    name.write_text(json.dumps(data))
    found = np.asarray(pillow_reader.drawn(name)).astype(int)
    picture = np.array(Image.open(name.with_suffix(".png")).convert("RGBA")).astype(int)
    ys, xs = np.indices(picture.shape[:2]) + 0.5
    within = map_.lattice.there(*map_.lattice.cells_at(xs, ys))
    assert (picture[~within] == 0).all()
    off = np.abs(found - picture)[within]
    assert off.max() <= 6
    assert (picture[within][:, 3] > 0).mean() > 0.5


@pytest.mark.parametrize("name", MAPS)
def test_the_reader_draws_what_was_shipped(shipped, name):
    is_alike(pillow_reader.drawn(shipped / f"{name}.json"), shipped, name)


@pytest.mark.parametrize("name", MAPS)
def test_the_viewer_draws_what_was_shipped(shipped, monkeypatch, name):
    monkeypatch.setenv("SDL_VIDEODRIVER", "dummy")
    pygame = pytest.importorskip("pygame")
    from examples.pygame_viewer import ShippedMap

    pygame.display.init()
    pygame.display.set_mode((8, 8))
    try:
        drawn = ShippedMap(shipped / f"{name}.json").drawn()
        pixels = np.frombuffer(pygame.image.tobytes(drawn, "RGBA"), np.uint8)
        is_alike(pixels.reshape(*drawn.get_size()[::-1], 4), shipped, name)
    finally:
        pygame.display.quit()


@pytest.fixture(scope="module")
def served(shipped):
    """Serve the page and the shipped files from one folder, as its first lines say."""
    shutil.copy(EXAMPLES / "map.html", shipped)

    class Quiet(SimpleHTTPRequestHandler):
        def log_message(self, *_):
            pass

    server = ThreadingHTTPServer(("127.0.0.1", 0), functools.partial(Quiet, directory=shipped))
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{server.server_port}"
    server.shutdown()
    server.server_close()


def page(address, tmp_path):
    """Open an address in a browser without a window; returns the page as it is then."""
    browser = shutil.which("chromium") or shutil.which("chromium-browser")
    assert browser, "there is no chromium: ./check installs it"
    run = subprocess.run(
        [browser, "--headless", "--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage",
         f"--user-data-dir={tmp_path / 'browser'}", "--virtual-time-budget=20000", "--dump-dom",
         address],
        capture_output=True, text=True, timeout=120, check=True,
        env={**os.environ, "HOME": str(tmp_path)},
    )  # fmt: skip
    return run.stdout


@pytest.mark.parametrize("name", MAPS)
def test_the_page_draws_what_was_shipped(shipped, served, tmp_path, name):
    found = page(f"{served}/map.html?map={name}.json", tmp_path)
    data = re.search(r'href="data:image/png;base64,([^"]+)"', found)
    assert data, found[:2000]
    is_alike(Image.open(io.BytesIO(base64.b64decode(data[1]))), shipped, name)


def test_the_page_says_what_is_wrong(served, tmp_path):
    for name, said in (("made.knit.json", "made.knit.json is no shipped map"), ("no.json", "JSON")):
        found = page(f"{served}/map.html?map={name}", tmp_path)
        told = re.search(r'<p id="told">([^<]*)</p>', found)
        assert told, found[:2000]
        assert said in told[1]
        assert "reading" not in told[1]


def test_each_example_is_short_and_stands_alone():
    for path in [*EXAMPLES.glob("*.py"), *EXAMPLES.glob("*.html")]:
        text = path.read_text()
        assert sum(bool(line.strip()) for line in text.splitlines()) < 150
        assert "import knitground" not in text
        assert "from knitground" not in text
