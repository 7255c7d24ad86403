"""Quick hands, slow answers and several windows: what was asked for is what comes of it."""

from pathlib import Path

from playwright.sync_api import Browser, Page, expect
from tests.browser.conftest import Server, resting, slow
from tests.browser.test_cards import opened, project, saved
from tests.browser.test_studio import field
from tests.shoot.test_shoot import wait_for


def test_a_switch_that_is_pressed_twice_is_as_it_was(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "set")
    switch = page.locator("[data-card=set]").get_by_role("switch", name="On the set").first
    before = switch.get_attribute("aria-checked")
    with slow(page, seconds=0.2):
        for _ in range(4):
            switch.click()
        expect(switch).to_have_attribute("aria-checked", before)
        switch.click()
        expect(switch).not_to_have_attribute("aria-checked", before)
        saved(page)
    expect(switch).not_to_have_attribute("aria-checked", before)
    assert str(project(page, server).set.sweep.on).lower() != before
    switch.click()
    saved(page)


def test_a_value_is_keyed_in_the_frame_in_which_it_was_typed(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "camera")
    page.click("#keying")
    focal = field(page, "camera/focal_mm")
    with slow(page):
        focal.fill("71")
        focal.press("Enter")
        page.keyboard.press("End")  # long before the answer
        saved(page)
    page.click("#keying")
    channel = project(page, server).shot.channels[-1]
    assert [(key.frame, key.value) for key in channel.keys] == [(0, (71.0,))]
    page.click("#undo")
    saved(page)


def test_the_next_hand_takes_hold_of_values_on_their_way(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "camera")
    azimuth = field(page, "camera/azimuth_deg")
    before = float(azimuth.input_value())
    with slow(page, seconds=0.4):
        for _ in range(3):
            page.locator("#mat").focus()
            page.keyboard.press(".")
        expect(azimuth).to_have_value(f"{before + 15:g}")
        saved(page)
    expect(azimuth).to_have_value(f"{before + 15:g}")
    assert project(page, server).camera.azimuth_deg == before + 15
    for _ in range(3):
        page.click("#undo")
    expect(azimuth).to_have_value(f"{before:g}")


def test_an_own_upload_is_no_other_window(page: Page, server: Server, floor: str, model: Path) -> None:
    """Changes that are made while a model comes in are kept, and nobody is asked."""
    opened(page, floor, "subject")
    items = len(project(page, server).items)
    with page.expect_file_chooser() as chooser:
        page.select_option("#add-item", "model")
    chooser.value.set_files(str(model))
    name = page.locator("#project-name")
    for value in ("One", "Two", "Three"):
        name.fill(value)
        name.press("Enter")
        page.wait_for_timeout(150)
    wait_for(lambda: len(project(page, server).items) > items)
    name.fill("Four")
    name.press("Enter")
    saved(page)
    expect(page.locator("#stale")).to_be_hidden()
    assert project(page, server).name == "Four"
    page.wait_for_function("n => document.querySelectorAll('#items li').length >= n", arg=items)


def test_another_window_follows_and_keeps_what_is_being_typed(page: Page, browser: Browser, floor: str) -> None:
    opened(page, floor, "camera")
    other = browser.new_page()
    opened(other, floor, "camera")
    typed = field(other, "camera/azimuth_deg")
    typed.fill("4")
    focal = field(page, "camera/focal_mm")
    focal.fill("68")
    focal.press("Enter")
    expect(other.locator("[data-number='camera/focal_mm']")).to_have_value("68")
    expect(typed).to_have_value("4")
    typed.press_sequentially("1")
    typed.press("Enter")
    expect(field(page, "camera/azimuth_deg")).to_have_value("41")
    for window in (page, other):
        expect(window.locator("#stale")).to_be_hidden()
    other.close()


def test_a_drag_is_given_back_with_escape(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "camera")
    before = project(page, server)
    mat = resting(page.locator("#mat"))
    azimuth = field(page, "camera/azimuth_deg")
    shown = azimuth.input_value()
    page.mouse.move(mat["x"] + 300, mat["y"] + 200)
    page.mouse.down()
    page.mouse.move(mat["x"] + 360, mat["y"] + 200, steps=4)
    page.keyboard.press("Escape")
    page.mouse.up()
    focal = field(page, "camera/focal_mm")
    name = page.locator("[data-card=camera]").get_by_text("Focal length", exact=True)
    name.scroll_into_view_if_needed()
    label = resting(name)
    page.mouse.move(label["x"] + 4, label["y"] + 4)
    page.mouse.down()
    page.mouse.move(label["x"] + 90, label["y"] + 4, steps=4)
    expect(focal).not_to_have_value(f"{before.camera.focal_mm:g}")
    page.keyboard.press("Escape")
    page.mouse.up()
    expect(focal).to_have_value(f"{before.camera.focal_mm:g}")
    expect(azimuth).to_have_value(shown)
    saved(page)
    assert project(page, server) == before
