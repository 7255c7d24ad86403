"""Light, materials and looks chosen by seeing, in the real interface."""

import re

from playwright.sync_api import Page, expect
from tests.browser.conftest import DEVELOPED, LONG_MS, Server, drag, point_in, resting, section
from tests.browser.test_cards import opened, project, undo
from tests.browser.test_moves_on_the_floor import saved_step

BRIGHTEST = """() => {
  const canvas = document.getElementById('picture');
  const { width, height } = canvas;
  const data = canvas.getContext('2d').getImageData(0, 0, width, height).data;
  let [most, x, y, n] = [0, 0, 0, 0];
  for (let i = 0; i < width * height; i += 1) most = Math.max(most, data[4 * i] + data[4 * i + 1] + data[4 * i + 2]);
  for (let i = 0; i < width * height; i += 1)
    if (data[4 * i] + data[4 * i + 1] + data[4 * i + 2] > 0.85 * most)
      [x, y, n] = [x + (i % width), y + Math.floor(i / width), n + 1];
  return [x / n / width, y / n / height];
}"""


def developed(page: Page) -> None:
    page.wait_for_timeout(300)
    page.wait_for_function(DEVELOPED, timeout=LONG_MS)


def at(page: Page, x: float, y: float) -> tuple[float, float]:
    """A place of the picture, on the screen."""
    return point_in(page.locator("#frame"), x, y)


def undone(page: Page, steps: int) -> None:
    """So many steps back, each saved before the next."""
    for _ in range(steps):
        was = page.locator("#redo").get_attribute("title")
        undo(page)
        page.wait_for_function("was => document.getElementById('redo').title !== was", arg=was)


def touched(page: Page, x: float, y: float) -> str:
    """What the picture says is at a place."""
    page.mouse.move(*at(page, x, y))
    label = page.locator("#touch-label")
    for _ in range(60):
        page.wait_for_timeout(250)
        page.mouse.move(*at(page, x, y + 0.002 * (_ % 2)))
        if label.is_visible():
            return label.inner_text()
    raise AssertionError("Nothing is named there")


def test_a_part_is_chosen_in_the_lens_and_dressed_from_the_tray(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "light")
    developed(page)
    before = project(page, server)
    assert before.subject is not None
    part = before.subject.parts[0]
    assert part.name in touched(page, 0.5, 0.5)
    page.mouse.click(*at(page, 0.5, 0.5))
    expect(page.locator("#chosen-name")).to_have_text(part.name)
    expect(page.locator("[data-card=materials]")).to_be_visible()
    page.click("#tray-presets")
    tile = page.get_by_role("button", name=re.compile("Polished copper"))
    expect(tile.locator("img")).to_be_visible(timeout=LONG_MS)
    page.keyboard.press("Escape")
    expect(page.locator("#chosen-bar")).to_be_hidden()
    touched(page, 0.5, 0.5)
    tile.drag_to(page.locator("#mat"), target_position={"x": 361, "y": 300})
    saved_step(page, "Wear polished copper")
    worn = project(page, server)
    assert worn.subject is not None
    names = {m.id: m.name for m in worn.materials}
    assert names[worn.subject.variant.parts[0].material] == "Polished copper"
    page.click("#tray-own")
    unworn = page.locator("#remove-unworn")
    expect(unworn).to_be_visible()
    unworn.click()
    saved_step(page, "not worn")
    undone(page, 2)
    assert project(page, server).materials == before.materials


def test_a_highlight_is_put_where_it_is_wanted_and_seen_there(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "materials")
    page.click("#tray-presets")
    touched(page, 0.5, 0.5)
    page.mouse.click(*at(page, 0.5, 0.5))
    page.get_by_role("button", name=re.compile("Polished silver")).click()
    saved_step(page, "Wear polished silver")
    page.keyboard.press("3")
    page.keyboard.press("4")
    key = page.get_by_role("button", name="Key alone")
    key.click()
    saved_step(page, "solo")
    for name, value in (("width_m", "0.06"), ("height_m", "0.06"), ("strength_stops", "-9")):
        page.locator(f"[data-number='look/lights/{{light}}/{name}']").first.fill(value)
        page.keyboard.press("Enter")
    saved_step(page, "Set strength")
    page.click("#place-highlight")
    drag(page, at(page, 0.45, 0.45), at(page, 0.47, 0.4))
    saved_step(page, "Highlight of Key")
    developed(page)
    x, y = page.evaluate(BRIGHTEST)
    assert abs(x - 0.47) < 0.03
    assert abs(y - 0.4) < 0.04
    undone(page, 6)


def test_environments_are_flipped_and_looks_compared(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "light", "Looks")
    before = project(page, server)
    page.click("#add-look")
    saved_step(page, "New look")
    expect(page.locator("#looks .light-tile")).to_have_count(2)
    section(page, "Environment")
    shelf = page.locator("#environments")
    expect(shelf.locator("[role=option]")).not_to_have_count(0, timeout=LONG_MS)
    shelf.focus()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowRight")
    tried = shelf.locator("[data-trying]").get_attribute("title")
    assert project(page, server).look.environment == before.look.environment  # nothing is kept yet
    page.keyboard.press("Enter")
    page.wait_for_function("() => document.getElementById('undo').title.includes('Set environment')")
    after = project(page, server)
    assert after.look.environment.source_name == tried
    assert after.looks[0] == before.look
    section(page, "Lights")
    expect(page.locator("#light-tabs img").first).to_be_visible(timeout=LONG_MS)
    expect(page.locator("#light-totals")).to_contain_text("Key : fill", timeout=LONG_MS)
    section(page, "Looks")
    page.get_by_role("button", name=re.compile("^Compare with")).click()
    bar = page.locator("#wipe-bar")
    expect(bar).to_be_visible(timeout=LONG_MS)
    box = resting(bar)
    drag(page, (box["x"] + 7, box["y"] + 60), (box["x"] - 120, box["y"] + 60))
    assert int(bar.get_attribute("aria-valuenow") or 50) < 40
    page.keyboard.press("Escape")
    expect(bar).to_be_hidden()
    undone(page, 2)


def test_a_rig_is_kept_and_used_in_another_project(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "light")
    page.select_option("#rig-pick", "two strips")
    saved_step(page, "two strips")
    page.once("dialog", lambda dialog: dialog.accept("Bottle strips"))
    page.click("#keep-rig")
    expect(page.locator("#toast")).to_contain_text("is saved")
    undo(page)
    page.goto(server.address)
    page.get_by_role("button", name=re.compile("New project|Empty", re.IGNORECASE)).first.click()
    page.wait_for_url("**/projects/**")
    page.keyboard.press("4")
    page.select_option("#rig-pick", label="Bottle strips")
    saved_step(page, "Bottle strips")
    assert [x.name for x in project(page, server).look.lights] == ["Left strip", "Right strip", "Top"]
    page.once("dialog", lambda dialog: dialog.accept("Bottle strips"))
    page.click("#forget-rig")
    expect(page.locator("#forget-rig")).to_be_hidden()
