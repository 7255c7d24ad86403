"""The studio floor with much on it, with nothing on it, and in a window of another size."""

from playwright.sync_api import Page, expect
from tests.browser.conftest import LONG_MS, Server
from tests.browser.test_cards import opened, project, saved
from tests.browser.test_moves_on_the_floor import go

LONG_NAME = "Evening over the harbour, with the lantern lit"
LAST_KEY = "[...document.querySelectorAll('.lane-key')].at(-1).getBoundingClientRect().right"


def change(page: Page, floor: str, *changes: dict[str, object]) -> None:
    """Changes made in another window, then this one anew."""
    url = f"/api/projects/{floor.rsplit('/', 1)[1].split('#')[0]}"
    done = page.evaluate(
        """async ([url, changes]) => {
          const { version } = await (await fetch(url)).json();
          const body = JSON.stringify({ base_version: version, changes });
          const headers = { "content-type": "application/json" };
          return (await fetch(`${url}/changes`, { method: "POST", headers, body })).status;
        }""",
        [url, list(changes)],
    )
    assert done == 200
    page.reload()
    saved(page)


def test_lanes_and_names_keep_to_their_places(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "light")
    here = project(page, server)
    item, look = here.items[0].id, here.look.id
    change(
        page,
        floor,
        {"kind": "key", "path": "camera/focal_mm", "frame": 1, "value": 50},
        {"kind": "key", "path": "camera/focal_mm", "frame": 201, "value": 60},
        {"kind": "set", "path": f"looks/{look}/name", "value": LONG_NAME},
        {"kind": "add_look"},
        {"kind": "add_colourway", "item": item},
    )
    # lanes go on to where the strip ends now, whatever the window was when they were drawn
    before = page.evaluate(LAST_KEY)
    page.set_viewport_size({"width": 1500, "height": 800})
    page.wait_for_function(f"x => {LAST_KEY} > x", arg=before + 60)
    page.set_viewport_size({"width": 1280, "height": 800})
    page.wait_for_function(f"x => {LAST_KEY} < x", arg=before + 2)
    # what a format leaves of the picture stays marked from frame to frame
    page.select_option("#guide-format", "1:1")
    go(page, 20)
    expect(page.locator("#guides .cut")).to_have_count(1)
    expect(page.locator("#guide-format")).to_have_value("1:1")
    # those of a camera that the shot does not look through go; one line tells of them, and shows them faint
    keys = page.locator(".lane-key").count()
    change(page, floor, {"kind": "add_camera", "frame": 1})
    expect(page.locator(".lane-key")).to_have_count(keys - 2)
    page.locator(".lane-idle").press("Enter")
    expect(page.locator(".lane-key[opacity]")).to_have_count(2)
    expect(page.locator(".lane-name title").first).to_contain_text("not used")
    page.locator(".lane-idle").click()
    expect(page.locator(".lane-key")).to_have_count(keys - 2)
    # names that are too long end in their tile; a colourway's chip says all of its name
    tile = page.locator(f"#looks :text('{LONG_NAME}')").first
    right = "e => e.getBoundingClientRect().right"
    assert tile.evaluate(right) <= page.locator("#looks").evaluate(right) + 1
    page.goto(f"{floor.split('#')[0]}#materials")
    for chip in page.locator("#colourways .chip").all():
        assert chip.evaluate("e => e.scrollWidth <= e.clientWidth + 1 && e.textContent.length > 1")


def test_an_empty_studio_offers_nothing_that_needs_an_item(page: Page, server: Server) -> None:
    page.goto(server.address)
    page.click("#new-empty")
    page.wait_for_url("**/projects/**", timeout=LONG_MS)
    saved(page)
    page.evaluate("location.hash = 'subject'")
    for name in ("copy-item", "remove-item"):
        button = page.locator(f"#{name}")
        assert not button.is_visible() or button.is_disabled()
