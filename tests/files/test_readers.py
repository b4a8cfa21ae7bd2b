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

from knitground.core.files.ship.ship import ship
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
