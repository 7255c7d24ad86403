"""Make the pictures in docs/screenshots from the demo data.

    .venv/bin/python tools/screenshots.py frames   one final frame of each demo project (about ten minutes)
    .venv/bin/python tools/screenshots.py takes    short takes for the wall and the log
    .venv/bin/python tools/screenshots.py screened  the screening room with the demo's takes
    .venv/bin/python tools/screenshots.py floor    the studio floor, through a headless browser
    .venv/bin/python tools/screenshots.py guide    the cards that the guide shows
    .venv/bin/python tools/screenshots.py eye      looks and materials, through a headless browser
    .venv/bin/python tools/screenshots.py night    a plan of several takes on a cluster
    .venv/bin/python tools/screenshots.py log      the shoot log
    .venv/bin/python tools/screenshots.py pages    wall, through a headless browser

Everything is kept in a scratch folder (second argument), so the steps can be run apart.
"""

import io
import re
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from urllib.error import URLError
from urllib.request import urlopen

from PIL import Image
from playwright.sync_api import Page, expect, sync_playwright

from cyclorama.cli.terminal_shoot import shoot_in_terminal
from cyclorama.core.commands.values import SetValue, apply_set
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.review.stations import STATIONS
from cyclorama.core.scene import Project
from cyclorama.demo.write import write_demo
from cyclorama.shoot.frames.files import frame_path
from cyclorama.shoot.run.take import shoot_take
from cyclorama.store import Studio

ROOT = Path(__file__).resolve().parents[1]
TARGET = ROOT / "docs" / "screenshots"
FINALS = {"storm-glass-no-4": 1, "harbour-lantern": 9}
PORT = 8977
ROOMS = {"screening": "screening-room.png", "cut": "cutting-bench.png", "stock": "stockroom.png"}
"""Rooms that the guide shows, with their screenshots."""
ROOM_SIZE = 840, 525
SMALL: dict[str, object] = {
    "shot/frames": 24,
    "shot/shoot/width": 512,
    "shot/shoot/height": 288,
    "shot/shoot/samples": 16,
}


def edited(studio: Studio, key: str, values: dict[str, object]) -> None:
    def change(project: Project) -> Project:
        for path, value in values.items():
            project = apply_set(project, SetValue(path=path, value=value))
        return project

    saved = studio.projects.get(key)
    studio.projects.edit(key, saved.version, "Small proof", change)


def frames(folder: Path) -> None:
    studio = Studio(folder)
    for key, number in FINALS.items():
        edited(studio, key, {"shot/shoot/quality": "print"})
        shoot_in_terminal(folder, key, None, str(number), None, None)
        take = studio.takes.get(studio.takes.ids(key)[0])
        shutil.copy(frame_path(take, number), TARGET / f"frame-{key}.png")
        studio.takes.remove(take.id)
        studio.projects.step(key, studio.projects.get(key).version, -1)


def takes(folder: Path) -> None:
    studio = Studio(folder)
    for key in (*FINALS, "plover"):
        edited(studio, key, SMALL)
        shoot_in_terminal(folder, key, None, None, None, None)
        saved = studio.projects.get(key)
        studio.projects.step(key, saved.version, -1)


def developed(page: Page, samples: int) -> None:
    page.wait_for_function(
        "n => Number(document.getElementById('picture').dataset.samples) >= n", arg=samples, timeout=600_000
    )


def _wait_until_open(address: str) -> None:
    for _ in range(300):
        try:
            urlopen(address).close()
            return
        except URLError:
            time.sleep(0.2)
    raise SystemExit(f"Nothing answers at {address}.")


@contextmanager
def opened(folder: Path, *more: str) -> Iterator[tuple[Page, str]]:
    """A browser page and the address of a server that shows the folder."""
    command = [
        sys.executable,
        "-m",
        "cyclorama",
        "demo",
        "--no-open",
        "--port",
        str(PORT),
        "--data",
        str(folder),
        *more,
    ]
    server = subprocess.Popen(command, cwd=ROOT)
    arguments = [
        "--no-sandbox",
        "--use-angle=swiftshader",
        "--enable-unsafe-swiftshader",
        "--ignore-gpu-blocklist",
        "--disable-gpu-compositing",
    ]
    try:
        address = f"http://127.0.0.1:{PORT}"
        _wait_until_open(address)
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=arguments)
            yield browser.new_page(viewport={"width": 1280, "height": 800}), address
            browser.close()
    finally:
        server.terminate()
        server.wait()


def floor(folder: Path) -> None:
    with opened(folder) as (page, address):
        for station in ("camera", "light"):
            key = "storm-glass-no-4" if station == "camera" else "harbour-lantern"
            page.goto(f"{address}/projects/{key}#{station}")
            if station == "light":
                page.click("#plan-side")
            developed(page, 96)
            page.screenshot(path=TARGET / f"studio-{station}.png")
        page.goto(f"{address}/projects/plover#subject")
        page.get_by_role("tab", name="Copies", exact=True).click()
        developed(page, 32)
        page.screenshot(path=TARGET / "studio-subject.png")
        page.goto(f"{address}/projects/storm-glass-no-4#subject")
        developed(page, 8)
        page.select_option("#add-item", "plinth")
        page.select_option("#add-item", "ball")
        expect(page.get_by_label("Name of the item")).to_have_value("Ball", timeout=60_000)
        page.fill("[data-number='items/{item}/placement/z_m']", "60")
        page.press("[data-number='items/{item}/placement/z_m']", "Enter")
        page.wait_for_timeout(800)
        page.click("#fit")
        page.wait_for_timeout(1500)
        developed(page, 96)
        page.screenshot(path=TARGET / "studio-items.png")
        for _ in range(4):
            page.keyboard.press("Control+z")
            page.wait_for_timeout(500)


def guide(folder: Path) -> None:
    """The cards of all stations, for the guide, and its rooms from their pictures here."""
    target = ROOT / "src" / "cyclorama" / "app" / "guide" / "pictures"
    for room, shot in ROOMS.items():
        page_picture = Image.open(TARGET / shot).convert("RGB").resize(ROOM_SIZE, Image.Resampling.LANCZOS)
        page_picture.save(target / f"{room}-page.webp", quality=82, method=6)
    with opened(folder) as (page, address):
        for station in STATIONS:
            page.goto(f"{address}/projects/harbour-lantern#{station}")
            developed(page, 8)
            if station == "light":
                expect(page.locator("#light-tabs img").last).to_be_visible(timeout=120_000)
            card = page.locator(f"[data-card={station}]").bounding_box()
            assert card
            room = 12.0
            seen = {"x": card["x"] - room, "y": card["y"] - room, "width": card["width"] + 2 * room}
            seen["height"] = min(card["height"] + 2 * room, 800 - seen["y"])
            picture = Image.open(io.BytesIO(page.screenshot(clip=seen)))  # type: ignore[arg-type]
            picture.save(target / f"{station}.webp", quality=82, method=6)


def eye(folder: Path) -> None:
    """Two looks of one project under the wipe, with the light bench; the tray of materials with a part chosen."""
    with opened(folder) as (page, address):
        page.goto(f"{address}/projects/storm-glass-no-4#light")
        developed(page, 8)
        developed(page, 96)
        expect(page.locator("#light-tabs img").first).to_be_visible(timeout=60_000)
        page.get_by_role("tab", name="Looks", exact=True).click()
        expect(page.locator("#looks img")).to_have_count(3, timeout=120_000)
        page.get_by_label("Compare with Evening window").click()
        expect(page.locator("#wipe-bar")).to_be_visible(timeout=120_000)
        developed(page, 96)
        page.wait_for_timeout(4000)
        page.screenshot(path=TARGET / "studio-looks.png")
        page.keyboard.press("Escape")
        page.goto(f"{address}/stock")
        for kind in ("set", "rig"):  # they are developed when they are first wanted
            tiles = page.locator(f"[data-stock={kind}] img")
            expect(tiles.first).to_be_visible()
            for number in range(tiles.count()):
                expect(tiles.nth(number)).not_to_have_js_property("naturalWidth", 0, timeout=120_000)
        page.wait_for_timeout(3000)
        page.screenshot(path=TARGET / "stockroom.png")
        page.goto(f"{address}/projects/plover#materials")
        page.click("#tray-presets")
        expect(page.locator("#tray img")).to_have_count(30, timeout=300_000)
        developed(page, 96)
        box = page.locator("#frame").bounding_box()
        assert box is not None
        place = box["x"] + box["width"] * 0.5, box["y"] + box["height"] * 0.55
        page.mouse.move(*place)
        page.wait_for_timeout(3000)
        page.mouse.click(*place)
        page.wait_for_timeout(1500)
        page.mouse.move(place[0], place[1] + 2)
        page.wait_for_timeout(1500)
        page.screenshot(path=TARGET / "studio-materials.png")


def moves(folder: Path) -> None:
    """A ride with keyed focus, and curves of a lamp that is switched on."""
    with opened(folder) as (page, address):
        page.goto(f"{address}/projects/plover#camera")
        page.fill("#frame-number", "25")
        page.press("#frame-number", "Enter")
        developed(page, 96)
        page.screenshot(path=TARGET / "studio-moves.png")
        page.get_by_role("tab", name="Lamp on").click()
        expect(page.locator(".lane-key")).to_have_count(6)
        page.fill("#frame-number", "44")
        page.press("#frame-number", "Enter")
        page.click("#plan-side")
        page.click("#toggle-curves")
        page.locator(".lane-name").nth(1).click()
        page.locator(".lane-key").nth(3).click()
        page.fill("#frame-number", "44")
        page.press("#frame-number", "Enter")
        developed(page, 96)
        page.screenshot(path=TARGET / "studio-curves.png")
        page.get_by_role("tab", name="Figure-eight ride").click()
        page.wait_for_timeout(2000)


def pages(folder: Path) -> None:
    with opened(folder) as (page, address):
        page.goto(address)
        page.wait_for_load_state("networkidle")
        page.screenshot(path=TARGET / "reel-wall.png")


def screened(folder: Path) -> None:
    """The demo's takes: graded with scopes, two of them wiped, cut."""
    studio = Studio(folder)
    with Tracer() as tracer:
        for take in studio.takes.ids():
            if take.startswith("storm-glass-no-4-demo") and studio.takes.state(take) != "done":
                shoot_take(studio, take, tracer)
    with opened(folder) as (page, address):
        page.goto(f"{address}/takes/storm-glass-no-4-demo-002#grade")
        page.wait_for_function("() => document.getElementById('screen').naturalWidth > 0", timeout=60_000)
        page.keyboard.press("m")
        page.locator("summary", has_text="Curves").click()
        page.wait_for_timeout(2500)
        page.screenshot(path=TARGET / "screening-room.png")
        page.keyboard.press("m")
        page.keyboard.press("3")
        page.select_option("#compare-with", "storm-glass-no-4-demo-001")
        expect(page.locator("#figures-list")).to_contain_text("FLIP", timeout=60_000)
        page.wait_for_timeout(1000)
        page.screenshot(path=TARGET / "screening-compare.png")
        page.goto(f"{address}/projects/storm-glass-no-4/cut")
        page.locator("#frame-now").fill("75")
        page.keyboard.press("Enter")
        page.locator(".tl-title").first.click()
        page.wait_for_timeout(4000)
        page.screenshot(path=TARGET / "cutting-bench.png")


@contextmanager
def cluster() -> Iterator[str]:
    """The address of a scheduler with two machines."""
    address = f"tcp://127.0.0.1:{PORT + 1}"
    words = [
        ["scheduler", "--port", str(PORT + 1)],
        *(["worker", address, "--name", name] for name in ("attic", "cellar")),
    ]
    processes = [subprocess.Popen([sys.executable, "-m", "cyclorama", *w], cwd=ROOT) for w in words]
    try:
        yield address
    finally:
        for process in reversed(processes):
            process.terminate()
            process.wait()


def night(folder: Path) -> None:
    studio = Studio(folder)
    edited(studio, "plover", SMALL | {"shot/shoot/quality": "fine"})
    with cluster() as scheduler, opened(folder, "--cluster", scheduler) as (page, address):
        page.goto(f"{address}/projects/plover#shoot")
        page.click("#plan-several")
        page.get_by_label("Figure-eight ride in Evening").check()
        page.get_by_label("Still in Day").uncheck()
        for tile in page.locator("#night-matrix img").all():
            expect(tile).not_to_have_js_property("naturalWidth", 0, timeout=180_000)
        page.click("#night-forecast")
        expect(page.locator("#night-list")).to_contain_text(re.compile("about.*about.*about"), timeout=600_000)
        page.screenshot(path=TARGET / "plan.png")


def log(folder: Path) -> None:
    """The shoot log with the demo's takes, one of them starred."""
    studio = Studio(folder)
    studio.takes.update("storm-glass-no-4-demo-002", starred=True)
    with opened(folder) as (page, address):
        page.goto(f"{address}/shoots")
        expect(page.locator("[data-take] img").nth(20)).to_be_visible(timeout=60_000)
        page.wait_for_timeout(2000)
        page.screenshot(path=TARGET / "shoot-log.png")


def main() -> None:
    wanted = sys.argv[1] if len(sys.argv) > 1 else "all"
    folder = Path(sys.argv[2]) if len(sys.argv) > 2 else Path(tempfile.gettempdir()) / "cyclorama-docs"
    write_demo(folder, print)
    for name, step in (
        ("frames", frames),
        ("floor", floor),
        ("guide", guide),
        ("moves", moves),
        ("eye", eye),
        ("takes", takes),
        ("screened", screened),
        ("night", night),
        ("log", log),
        ("pages", pages),
    ):
        if wanted in ("all", name):
            step(folder)


if __name__ == "__main__":
    main()
