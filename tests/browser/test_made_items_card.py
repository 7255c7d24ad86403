"""Copies, letters and marks on the Subject card in a real browser."""

import pytest
from playwright.sync_api import Page, expect
from tests.browser.conftest import Server
from tests.browser.test_cards import opened, project, undo

from cyclorama.core.lettering import FONTS
from cyclorama.core.scene import Material


@pytest.mark.webgl
def test_pebbles_are_scattered_by_a_picture_and_set_in_order(page: Page, server: Server, floor: str) -> None:
    """One click scatters and chooses them; numbers follow; a row of three becomes items; undo takes all back."""
    opened(page, floor, "subject", "Copies")
    card = page.locator("[data-card=subject]")
    before = project(page, server)
    pebbles = card.get_by_role("button", name="Pebbles", exact=True)
    assert pebbles.locator("img").evaluate("(img) => img.naturalWidth") == 256
    with page.expect_response(lambda answer: "/copies/" in answer.url) as poses:
        pebbles.click()
    assert poses.value.ok
    expect(card.locator("#copies-title")).to_have_text("Copies of Pebbles")
    expect(card.get_by_role("button", name="Scattered", exact=True)).to_have_attribute("aria-pressed", "true")
    count = card.locator("[data-number='items/{item}/copies/count']")
    count.fill("5000")
    count.press("Enter")
    expect(card.locator("#copies-count")).to_contain_text("of 5,000 find room")
    card.get_by_role("button", name="Row", exact=True).click()
    expect(card.get_by_role("button", name="Row", exact=True)).to_have_attribute("aria-pressed", "true")
    count.fill("3")
    count.press("Enter")
    card.get_by_role("button", name="Make items of them").click()
    expect(card.locator("#items > li")).to_have_count(len(before.items) + 3)
    expect(card.get_by_role("button", name="Alone", exact=True)).to_have_attribute("aria-pressed", "true")
    row = sorted(item.placement.x_m for item in project(page, server).items[-3:])
    assert row[1] - row[0] == pytest.approx(row[2] - row[1])
    for _ in range(5):
        undo(page)
    expect(card.locator("#items > li")).to_have_count(len(before.items))
    assert project(page, server).items == before.items


@pytest.mark.webgl
def test_letters_are_typed_and_laid(page: Page, server: Server, floor: str) -> None:
    """They come with the name of the project; text and way to lie are asked of the server as they are set."""
    opened(page, floor, "subject")
    before = project(page, server)
    card = page.locator("[data-card=subject]")
    page.select_option("#add-item", "letters")
    text = card.get_by_role("textbox", name="Text of the letters")
    expect(text).to_have_value(before.name)
    text.fill("Two\nlines")
    with page.expect_response(lambda answer: "/api/made" in answer.url and "Two" in answer.url) as shape:
        text.blur()
    assert shape.value.ok
    with page.expect_response(lambda answer: "/api/made" in answer.url and "lying" in answer.url) as shape:
        card.get_by_role("button", name="Flat").click()
    assert shape.value.ok
    made = project(page, server).items[-1]
    assert made.made is not None
    assert made.made.letters is not None
    assert (made.made.letters.text, [part.name for part in made.parts]) == ("Two\nlines", ["Face", "Bevel", "Side"])
    for _ in range(3):
        undo(page)
    assert project(page, server).items == before.items


@pytest.mark.webgl
def test_a_drawing_becomes_a_mark_and_letters_take_a_font(page: Page, server: Server, floor: str) -> None:
    """What is left out of the drawing is said; a bad one leaves the set as it was; a font file sets letters anew."""
    opened(page, floor, "subject")
    before = project(page, server)

    def bring(drawing: str) -> None:
        with page.expect_file_chooser() as chooser:
            page.select_option("#add-item", "mark")
        chooser.value.set_files({"name": "crest.svg", "mimeType": "image/svg+xml", "buffer": drawing.encode()})

    head = '<svg xmlns="http://www.w3.org/2000/svg">'
    bring(f"{head}<script/></svg>")
    expect(page.get_by_text("‘crest.svg’ contains a script")).to_be_visible(timeout=30_000)
    bring(f'{head}<filter id="f"/><circle r="9" fill="#c00"/></svg>')
    expect(page.get_by_text("Filters in it are left out")).to_be_visible(timeout=30_000)
    card = page.locator("[data-card=subject]")
    with page.expect_response(lambda answer: "/api/made" in answer.url and "round" in answer.url) as shape:
        card.locator("#item-mark").get_by_role("button", name="Round").click()
    assert shape.value.ok
    mark = project(page, server).items[-1]
    assert [part.name for part in mark.parts] == ["Mark face", "Mark bevel", "Mark side"]
    page.select_option("#add-item", "letters")
    card.locator("#item-letters").get_by_role("button", name="Own", exact=True).click()
    with page.expect_file_chooser() as chooser:
        card.locator("#letters-font").click()
    chooser.value.set_files(FONTS / "spline-sans-mono-latin.ttf")
    expect(card.locator("#letters-font")).to_have_text("spline-sans-mono-latin.ttf", timeout=30_000)
    letters = project(page, server).items[-1]
    assert letters.made is not None
    assert letters.made.letters is not None
    assert letters.made.letters.font_file
    for _ in range(5):
        undo(page)
    assert project(page, server).items == before.items


@pytest.mark.webgl
def test_a_relief_is_made_true_and_fitted_and_a_material_hair(page: Page, server: Server, floor: str) -> None:
    """The switch is there with a relief map only; a click fits its triangles to the camera."""
    opened(page, floor, "materials", "Surface")
    card = page.locator("[data-card=materials]")
    material = card.locator("#material-pick").input_value()

    def worn() -> Material:
        return next(m for m in project(page, server).materials if m.id == material)

    expect(card.locator("#true-relief")).to_be_hidden()
    page.select_option("#preset-pick", label="Cast iron")
    expect(card.locator("#true-relief")).to_be_visible()
    expect(card.locator("#fit-relief")).to_be_hidden()
    card.get_by_role("switch", name="True relief").click()
    card.locator("#fit-relief").click()
    expect(card.locator("[data-number='materials/{material}/relief_step_m']")).not_to_have_value("0")
    card.get_by_role("switch", name="Hair").click()
    expect(card.get_by_role("switch", name="Hair")).to_have_attribute("aria-checked", "true")
    assert (worn().displaced, worn().strand) == (True, True)
    assert 1e-6 < worn().relief_step_m < 0.01
    for _ in range(4):
        undo(page)
    assert (worn().displaced, worn().strand, worn().maps.height) == (False, False, None)
