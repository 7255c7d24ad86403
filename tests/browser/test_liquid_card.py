"""Liquids on the Subject card in a real browser."""

from pathlib import Path

import pytest
from playwright.sync_api import Page, expect
from tests.browser.conftest import LONG_MS, Server
from tests.browser.test_cards import opened, project, undo
from tests.core.geometry.test_filling import tumbler
from tests.core.geometry.test_nesting import drink
from tests.web.test_liquids import model


@pytest.mark.webgl
def test_a_glass_is_filled_by_a_picture(page: Page, server: Server, tmp_path: Path) -> None:
    """One click fills it; level and stand-in follow, another liquid keeps the level, undo pours it out; the report of a
    drink that stops short of its glass has a button that grows it."""
    path = tmp_path / "drink.glb"
    path.write_bytes(model(("Glass", tumbler(), 1.52), ("Water", drink(-2e-4), 1.33)))
    page.goto(server.address)
    page.set_input_files("#model-file", str(path))
    page.wait_for_url("**/projects/**", timeout=LONG_MS)
    expect(page.locator("#stations")).to_contain_text("Drink", timeout=LONG_MS)
    opened(page, page.url, "subject", "File")
    card = page.locator("[data-card=subject]")
    card.get_by_role("button", name="Grow by").click()
    expect(card.locator("#findings")).to_contain_text("grown")
    card.get_by_role("tab", name="Liquid").click()
    tea = card.get_by_role("button", name="Tea", exact=True)
    expect(card.get_by_role("button", name="Empty", exact=True)).to_have_attribute("aria-pressed", "true")
    assert tea.locator("img").evaluate("(img) => img.naturalWidth") == 256
    with page.expect_response(lambda answer: "/liquid/" in answer.url) as held:
        tea.click()
    assert held.value.ok
    expect(tea).to_have_attribute("aria-pressed", "true")
    level = card.locator("[data-number='subject/filling/level']")
    with page.expect_response(lambda answer: "level=0.85" in answer.url):
        level.fill("85")
        level.press("Enter")
    card.get_by_role("button", name="Syrup", exact=True).click()
    expect(card.get_by_role("button", name="Syrup", exact=True)).to_have_attribute("aria-pressed", "true")
    subject = project(page, server).items[0]
    assert (subject.filling.level, subject.parts[-1].name) == (0.85, "Syrup")
    for _ in range(3):
        undo(page)
    expect(level).to_be_hidden()
    assert project(page, server).items[0].filling is None
