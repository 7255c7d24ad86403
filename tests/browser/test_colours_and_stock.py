"""Colours, surroundings, parts and the stockroom in the real interface."""

import io
from collections.abc import Callable

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, Position, expect
from tests.browser.conftest import LONG_MS, Server, resting, section
from tests.browser.test_by_eye import at, developed, touched, undone
from tests.browser.test_cards import opened, project

from cyclorama.core.textures import srgb_to_linear


def png(colours: list[tuple[int, int, int]]) -> bytes:
    """Bars of some colours."""
    bars = np.repeat(np.array(colours, np.uint8), 40, axis=0)[None].repeat(60, axis=0)
    buffer = io.BytesIO()
    Image.fromarray(bars).save(buffer, "PNG")
    return buffer.getvalue()


def until(page: Page, so: Callable[[], bool]) -> None:
    """Wait for what is saved in its own time; whoever calls this asserts it afterwards."""
    for _ in range(150):
        if so():
            return
        page.wait_for_timeout(200)


def linear(rgb: tuple[int, int, int]) -> list[float]:
    return [float(x) for x in srgb_to_linear(np.array(rgb) / 255.0)]


def test_a_colour_is_told_sampled_from_a_reference_and_dropped_on_a_part(
    page: Page, server: Server, floor: str
) -> None:
    opened(page, floor, "materials", "Surface")
    developed(page)
    box = page.locator("[data-colour='materials/{material}/base_color']")
    material = page.locator("#material-pick").input_value()

    def colour() -> list[float]:
        return list(next(m for m in project(page, server).materials if m.id == material).base_color)

    box.click()
    page.fill("#picker-told", "#1f6f8b")
    page.keyboard.press("Enter")
    expect(page.locator("#picker-numbers")).to_contain_text("OKLCH")
    told = pytest.approx(linear((0x1F, 0x6F, 0x8B)), abs=2e-3)
    until(page, lambda: colour() == told)
    assert colour() == pytest.approx(linear((0x1F, 0x6F, 0x8B)), abs=2e-3)
    page.click("#picker-keep")
    page.click("#picker-close")
    section(page, "Colours")
    expect(page.locator("#palette button")).to_have_count(1)
    with page.expect_file_chooser() as chooser:
        page.click("#add-reference")
    chooser.value.set_files(
        {"name": "bars.png", "mimeType": "image/png", "buffer": png([(200, 30, 40), (30, 160, 60)])}
    )
    expect(page.locator("#reference")).to_be_visible(timeout=LONG_MS)
    picture = page.locator("#reference-picture")
    expect(picture).to_have_js_property("complete", True)
    page.wait_for_timeout(500)
    bounds = resting(picture)
    picture.click(position={"x": bounds["width"] * 0.25, "y": bounds["height"] * 0.5})
    expect(page.locator("#palette button")).to_have_count(2)
    red = project(page, server).palette[1]
    assert list(red.colour) == pytest.approx(linear((200, 30, 40)), abs=0.02)
    page.click("#reference-close")
    touched(page, 0.5, 0.55)
    page.locator("#palette button").nth(1).drag_to(page.locator("#mat"), target_position=_in_mat(page, 0.5, 0.55))
    until(page, lambda: any(m.base_color == red.colour for m in project(page, server).materials))
    worn = [list(m.base_color) for m in project(page, server).materials]
    assert any(c == pytest.approx(list(red.colour)) for c in worn)
    undone(page, 5)


def _in_mat(page: Page, x: float, y: float) -> Position:
    """A place of the picture, told from the corner of the mat."""
    px, py = at(page, x, y)
    box = resting(page.locator("#mat"))
    return {"x": px - box["x"], "y": py - box["y"]}


def test_a_window_is_picked_out_of_the_surroundings(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "light", "Environment")
    developed(page)
    before = project(page, server).look
    page.locator("#environments button", has_text="One softbox").click()
    until(page, lambda: project(page, server).look.environment.source_name == "One softbox")
    page.click("#edit-environment")
    expect(page.locator("#unrolled-region")).to_contain_text("whites", timeout=LONG_MS)
    page.click("[data-environment-edit=pick]")
    expect(page.locator("#unrolled-says")).to_contain_text("a light picked out", timeout=LONG_MS)
    after = project(page, server).look
    assert len(after.lights) == len(before.lights) + 1
    assert after.lights[-1].shape == "rectangle"
    assert after.environment.asset != before.environment.asset
    page.keyboard.press("Escape")
    undone(page, 2)
    assert project(page, server).look == before


def test_a_set_is_kept_and_set_up_in_another_project(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "set")
    developed(page)
    before = project(page, server)
    page.select_option("#set-up", "bottle on dark gloss")
    expect(page.locator("#undo")).to_have_attribute(
        "title", "Undo: Set up: bottle on dark gloss (Ctrl+Z)", timeout=LONG_MS
    )
    gloss = project(page, server)
    assert len(gloss.looks) == len(before.looks) + 1
    assert gloss.set.sweep.roughness < 0.1
    page.on("dialog", lambda dialog: dialog.accept("Dark corner"))
    page.locator("[data-keep=set]").click()
    expect(page.locator("#toast")).to_contain_text("Dark corner", timeout=LONG_MS)
    undone(page, 1)
    page.keyboard.press("s")
    tile = page.locator("#drawer-tiles button", has_text="Dark corner")
    expect(tile).to_be_visible(timeout=LONG_MS)
    tile.click()
    expect(page.locator("#undo")).to_have_attribute("title", "Undo: Set up Dark corner (Ctrl+Z)", timeout=LONG_MS)
    assert project(page, server).set.sweep.color == gloss.set.sweep.color
    undone(page, 1)
    page.goto(f"{server.address}/stock")
    card = page.locator("article", has_text="Dark corner")
    expect(card).to_be_visible(timeout=LONG_MS)
    expect(card.locator("img")).to_be_visible()
    card.get_by_label("Favourite: Dark corner").click()
    expect(page.locator("article").first).to_contain_text("Dark corner")
    card.get_by_label("Remove Dark corner").click()
    expect(card).to_have_count(0)


def test_a_part_is_taken_apart_by_a_line_and_a_label_is_put_on(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "materials")
    developed(page)
    before = project(page, server)
    touched(page, 0.5, 0.5)
    page.mouse.click(*at(page, 0.5, 0.5))
    expect(page.locator("#chosen-bar")).to_be_visible()
    page.select_option("#chosen-more", "line")
    page.mouse.move(*at(page, 0.5, 0.3))
    page.mouse.down()
    for x, y in ((0.7, 0.3), (0.7, 0.7), (0.5, 0.7), (0.5, 0.3)):
        page.mouse.move(*at(page, x, y), steps=8)
    page.mouse.up()
    expect(page.locator("#toast")).to_contain_text("two parts now", timeout=LONG_MS)
    after = project(page, server)
    assert len(after.items[0].parts) == len(before.items[0].parts) + 1
    assert sum(p.triangles for p in after.items[0].parts) == sum(p.triangles for p in before.items[0].parts)
    undone(page, 1)
    section(page, "Maps")
    with page.expect_file_chooser() as chooser:
        page.click("#add-decal")
    chooser.value.set_files({"name": "label.png", "mimeType": "image/png", "buffer": png([(220, 20, 20)])})
    expect(page.locator("#lens-prompt")).to_be_visible(timeout=LONG_MS)
    page.mouse.click(*at(page, 0.5, 0.5))
    expect(page.locator("#decals li")).to_have_count(1, timeout=LONG_MS)
    (decal,) = project(page, server).items[0].decals
    assert decal.name == "label"
    page.get_by_label("Remove label").click()
    expect(page.locator("#decals li")).to_have_count(0)
    undone(page, 2)
    assert project(page, server).items == before.items
