"""Shared by the browser tests: the program as a person starts it, a browser, a studio floor with a model on it."""

import re
import shutil
import signal
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
from playwright.sync_api import Browser, FloatRect, Locator, Page, Playwright, Route, expect, sync_playwright
from tests.clusters import free_port
from tests.core.geometry.test_intake import glb

ARGUMENTS = [
    "--no-sandbox",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--no-first-run",
    "--disable-gpu-compositing",
]
WITHOUT_WEBGL = ["--disable-gpu", "--disable-3d-apis"]
WITH_WEBGL = ["--use-angle=swiftshader", "--enable-unsafe-swiftshader", "--ignore-gpu-blocklist"]
"""Drawn by the processor, which takes a quarter of the machine: for tests that are marked `webgl`, as they look at the
stand-in."""
LENS_SAMPLES = 2
"""Enough to see by; more would take the machine from the tests."""
DEVELOPED = f"() => Number(document.getElementById('picture').dataset.samples) >= {LENS_SAMPLES}"
"""The picture in the lens is done."""
LONG_MS = 420_000
PATIENT_MS = 120_000
"""On a machine that compiles kernels and traces for another test meanwhile, what is quick takes its time."""
SLOW_NETWORK = {"offline": False, "latency": 120, "downloadThroughput": 1.5e6, "uploadThroughput": 1.5e6}
"""ms, and bytes a second."""
expect.set_options(timeout=PATIENT_MS)


class Server:
    """The program as a person starts it."""

    def __init__(self, folder: Path, *more: str):
        self.folder, self.port, self.more = folder, free_port(), more
        self.process: subprocess.Popen[bytes] | None = None
        self.start()

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def start(self) -> None:
        command = [
            sys.executable,
            "-m",
            "cyclorama",
            "run",
            "--no-open",
            "--gallery",
            "--lens-samples",
            str(LENS_SAMPLES),
            "--port",
            str(self.port),
            "--data",
            str(self.folder),
            *self.more,
        ]
        self.process = subprocess.Popen(command, stdout=subprocess.DEVNULL)
        end = time.monotonic() + 240
        while True:
            try:
                urllib.request.urlopen(f"{self.address}/api/renderer").read()
                return
            except OSError:
                assert time.monotonic() < end
                time.sleep(0.1)

    def kill(self) -> None:
        assert self.process
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()


@pytest.fixture(scope="session")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    server = Server(tmp_path_factory.mktemp("browser"))
    yield server
    server.kill()


@pytest.fixture(scope="session")
def playwright() -> Iterator[Playwright]:
    with sync_playwright() as playwright:
        yield playwright


def _launched(playwright: Playwright, more: list[str]) -> Browser:
    path = next(p for p in map(shutil.which, ("chromium", "chromium-browser")) if p)
    return playwright.chromium.launch(executable_path=path, args=ARGUMENTS + more)


@pytest.fixture(scope="session")
def browser(playwright: Playwright) -> Iterator[Browser]:
    browser = _launched(playwright, WITHOUT_WEBGL)
    yield browser
    browser.close()


@pytest.fixture(scope="session")
def webgl_browser(playwright: Playwright) -> Iterator[Browser]:
    browser = _launched(playwright, WITH_WEBGL)
    yield browser
    browser.close()


@pytest.fixture
def page(request: pytest.FixtureRequest) -> Iterator[Page]:
    marked = request.node.get_closest_marker("webgl") is not None
    browser: Browser = request.getfixturevalue("webgl_browser" if marked else "browser")
    page = browser.new_page(viewport={"width": 1280, "height": 800})
    page.set_default_timeout(PATIENT_MS)
    if request.config.getoption("--slow-network"):
        page.context.new_cdp_session(page).send("Network.emulateNetworkConditions", SLOW_NETWORK)
    problems: list[str] = []
    page.on("pageerror", lambda error: problems.append(str(error)))
    yield page
    page.close()
    assert problems == []


def deafen(page: Page) -> None:
    """Let a page hear nothing of what other windows change, as when two change a document at the same time."""
    page.route_web_socket(re.compile(r"/changes\?window="), lambda socket: None)


@contextmanager
def slow(page: Page, address: str = "**/changes", seconds: float = 0.8) -> Iterator[None]:
    """Let every change of a document, the project if no address is given, be answered late."""

    held = []

    def later(route: Route) -> None:
        if route.request.method == "GET":
            return route.continue_()
        held.append(route)
        page.wait_for_timeout(1000 * seconds)
        route.continue_()
        held.remove(route)

    page.route(address, later)
    yield
    while held:
        page.wait_for_timeout(50)
    page.unroute(address)


def resting(thing: Locator) -> FloatRect:
    """Where a thing stands, px, once it does: drawings are drawn anew with every answer."""
    expect(thing).to_be_visible()
    was = None
    while True:
        box = thing.bounding_box()
        if box and box == was:
            return box
        was = box
        thing.page.wait_for_timeout(40)


def point_in(thing: Locator, across: float = 0.5, down: float = 0.5) -> tuple[float, float]:
    """A place in a thing, in shares of its size; px in the window. Its middle if nothing else is said."""
    box = resting(thing)
    return box["x"] + across * box["width"], box["y"] + down * box["height"]


def section(page: Page, name: str) -> None:
    """Show a section of the open card."""
    page.locator("[data-card]:visible").get_by_role("tab", name=name, exact=True).click()


def drag(page: Page, start: tuple[float, float], end: tuple[float, float]) -> None:
    """From one place of the window to another, px, with the button held."""
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move(*end, steps=5)
    page.mouse.up()


def pull(page: Page, thing: Locator, right: float, down: float) -> None:
    """Drag a thing by its middle, px."""
    x, y = point_in(thing)
    drag(page, (x, y), (x + right, y + down))


@pytest.fixture(scope="session")
def model(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("models") / "brass-ball.glb"
    path.write_bytes(glb(base=(0.9, 0.7, 0.4), metal=1.0, rough=0.3))
    return path


@pytest.fixture(scope="module")
def floor(server: Server, browser: Browser, model: Path) -> str:
    """Address of a studio floor made by bringing a model to the reel wall."""
    page = browser.new_page(viewport={"width": 1280, "height": 800})
    told: list[str] = []
    page.on("pageerror", lambda error: told.append(str(error)))
    page.on("console", lambda message: told.append(message.text))
    page.on("requestfailed", lambda request: told.append(f"{request.url}: {request.failure}"))
    page.goto(server.address)
    page.set_input_files("#model-file", str(model))
    page.wait_for_url("**/projects/**", timeout=LONG_MS)
    try:
        expect(page.locator("#stations")).to_contain_text("Brass ball", timeout=LONG_MS)
    except AssertionError as error:
        raise AssertionError(f"{told}, {page.locator('body').inner_text()}") from error
    address = page.url.split("#")[0]
    page.close()
    return address
