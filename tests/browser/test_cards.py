"""The Light, Materials, Camera and Shoot cards in a real browser."""

import io
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect
from tests.browser.conftest import LONG_MS, Server

from cyclorama.core.scene import Project
from cyclorama.store import Studio


def project(server: Server, floor: str) -> Project:
    return Studio(server.folder).projects.get(floor.rsplit("/", 1)[1].split("#")[0]).project


def opened(page: Page, floor: str, station: str) -> None:
    page.goto(f"{floor.split('#')[0]}#{station}")
    expect(page.locator(f"[data-card={station}]")).to_be_visible()
    page.wait_for_function("document.getElementById('saved').textContent === 'Saved'")


def undo(page: Page) -> None:
    page.keyboard.press("Control+z")


@pytest.fixture
def picture(tmp_path: Path) -> Path:
    path = tmp_path / "mask.png"
    buffer = io.BytesIO()
    Image.fromarray(np.full((16, 16, 3), 128, np.uint8)).save(buffer, "PNG")
    path.write_bytes(buffer.getvalue())
    return path


def test_lights_are_added_shaped_and_removed(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "light")
    page.select_option("#add-light", "spot")
    expect(page.get_by_role("tab", name="Spot")).to_have_attribute("aria-selected", "true")
    card = page.locator("[data-card=light]")
    expect(card.get_by_text("Cone", exact=True)).to_be_visible()
    expect(card.locator("[data-number='lights/{light}/height_m']").first).to_be_hidden()
    card.locator("[data-select='lights/{light}/shape']").select_option("tube")
    expect(card.get_by_text("Thickness", exact=True)).to_be_visible()
    expect(card.get_by_text("Cone", exact=True)).to_be_hidden()
    assert [x.shape for x in project(server, floor).lights][-1] == "tube"
    page.click("#copy-light")
    expect(page.get_by_role("tab", name="Spot 2")).to_be_visible()
    page.click("#remove-light")
    expect(page.get_by_role("tab", name="Spot 2")).to_have_count(0)
    undo(page)
    expect(page.get_by_role("tab", name="Spot 2")).to_be_visible()
    for _ in range(2):
        undo(page)
    expect(page.get_by_role("tab", name="Spot 2")).to_have_count(0)


def test_gobo_parts_and_background(page: Page, server: Server, floor: str, picture: Path) -> None:
    opened(page, floor, "light")
    page.locator("summary", has_text="Gobo").click()
    page.click("#gobo-toggle")
    expect(page.locator("#gobo-name")).to_have_text("A pattern in the beam")
    page.locator("[data-select='lights/{light}/gobo/pattern']").select_option("leaves")
    with page.expect_file_chooser() as chooser:
        page.click("#gobo-pictures")
    chooser.value.set_files(picture)
    expect(page.locator("#gobo-name")).to_have_text("1 × mask.png")
    gobo = project(server, floor).lights[0].gobo
    assert gobo is not None
    assert gobo.pattern == "leaves"
    page.locator("summary", has_text="Lights these parts").click()
    page.get_by_role("switch", name="Light Sweep").click()
    expect(page.get_by_role("switch", name="Light Sweep")).to_have_attribute("aria-checked", "false")
    assert project(server, floor).lights[0].excluded_parts == ("sweep",)
    page.locator("[data-select='environment/background/kind']").select_option("vertical")
    expect(page.locator("[data-colour='environment/background/second']")).to_be_visible()
    page.locator("[data-choice='environment/kind'] button", has_text="Sun and sky").click()
    expect(page.locator("[data-number='environment/sky/sun_elevation_deg']")).to_be_visible()
    for _ in range(6):
        undo(page)
    expect(page.locator("#gobo-name")).to_have_text("None")


def test_presets_maps_and_conditional_rows(page: Page, server: Server, floor: str, picture: Path) -> None:
    opened(page, floor, "materials")
    expect(page.locator("[data-colour='materials/{material}/coat_color']")).to_be_hidden()
    page.select_option("#preset-pick", "Car paint")
    expect(page.locator("[data-colour='materials/{material}/coat_color']")).to_be_visible()
    assert project(server, floor).materials[0].coat_weight == 1
    page.select_option("#map-slot", "specular_roughness")
    page.select_option("#map-source", "noise")
    expect(page.locator("#material-maps")).to_contain_text("specular roughness · noise")
    page.select_option("#map-slot", "base_color")
    with page.expect_file_chooser() as chooser:
        page.select_option("#map-source", "picture")
    chooser.value.set_files(picture)
    expect(page.locator("#material-maps")).to_contain_text("base color · mask.png")
    page.get_by_role("button", name="Remove the base_color map").click()
    expect(page.locator("#material-maps")).not_to_contain_text("mask.png")
    page.wait_for_function("Number(document.getElementById('picture').dataset.samples) >= 2", timeout=LONG_MS)
    for _ in range(4):
        undo(page)
    expect(page.locator("[data-colour='materials/{material}/coat_color']")).to_be_hidden()


def test_passes_and_a_broken_picture(page: Page, server: Server, floor: str, tmp_path: Path) -> None:
    opened(page, floor, "shoot")
    page.get_by_role("switch", name="Occlusion", exact=True).click()
    expect(page.locator("[data-number='shoot/passes/occlusion_reach_m']")).to_be_visible()
    expect(page.locator("#readiness")).to_contain_text("1 pass")
    page.locator("[data-choice='shoot/bits'] button", has_text="16").click()
    expect(page.locator("[data-choice='shoot/bits'] [data-value='16']")).to_have_attribute("aria-pressed", "true")
    assert project(server, floor).shoot.bits == 16
    expect(page.locator("#readiness")).to_contain_text("about", timeout=60_000)  # the forecast comes by itself
    for _ in range(2):
        undo(page)
    expect(page.get_by_role("switch", name="Occlusion", exact=True)).to_have_attribute("aria-checked", "false")
    broken = tmp_path / "broken.png"
    broken.write_bytes(b"no picture at all")
    opened(page, floor, "materials")
    before = project(server, floor)
    with page.expect_file_chooser() as chooser:
        page.select_option("#map-source", "picture")
    chooser.value.set_files(broken)
    expect(page.locator("#toast")).to_contain_text("cannot be read")
    assert project(server, floor) == before
