"""Haze on the Set card in a real browser."""

import pytest
from playwright.sync_api import Page, expect
from tests.browser.conftest import Server
from tests.browser.test_cards import opened, project, undo


@pytest.mark.webgl
def test_haze_by_a_picture_in_lens_stand_in_and_call_sheet(page: Page, floor: str, server: Server) -> None:
    """One click fills the air; values show, the call sheet names it, undo clears it; keyed, it offers a key."""
    opened(page, floor, "set", "Haze")
    card = page.locator("[data-card=set]")
    expect(card.get_by_role("button", name="Off", exact=True)).to_have_attribute("aria-pressed", "true")
    expect(card.get_by_text("Mean free path")).to_be_hidden()
    card.get_by_role("button", name="Studio", exact=True).click()
    expect(card.get_by_role("button", name="Studio", exact=True)).to_have_attribute("aria-pressed", "true")
    expect(card.get_by_text("Mean free path")).to_be_visible()
    expect(page.locator('[data-station="set"]')).to_contain_text("studio haze")
    assert card.get_by_role("button", name="Thick").locator("img").evaluate("(img) => img.naturalWidth") == 256
    haze = project(page, server).set.haze
    assert haze.path_m == pytest.approx(4 * project(page, server).camera.distance_m, rel=0.01)
    card.get_by_role("group", name="Where").get_by_role("button", name="On the floor").click()
    expect(card.get_by_text("Thins within")).to_be_visible()
    card.locator("[data-number='set/haze/path_m']").fill("0.01")
    card.locator("[data-number='set/haze/path_m']").press("Enter")
    expect(card.get_by_role("button", name="Thick", exact=True)).to_have_attribute("aria-pressed", "true")
    for _ in range(3):
        undo(page)
    expect(card.get_by_text("Mean free path")).to_be_hidden()
    assert not project(page, server).set.haze.on
