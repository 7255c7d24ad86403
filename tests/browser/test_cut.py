"""The cutting bench as an artist uses it: two takes, a hold, a title, fades, sound, a checked file; a spin page."""

import io
import re
import zipfile
from pathlib import Path

import av
import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect
from tests.browser.conftest import LONG_MS, PATIENT_MS, Server, point_in, pull, resting, slow
from tests.browser.test_pages import problems
from tests.browser.test_screening import takes  # noqa: F401  (a fixture)

from cyclorama.core.cut.document import Marker
from cyclorama.core.scene.writing import put_all
from cyclorama.store import Studio

FRAMES = 6
PIXELS = """() => {
    const canvas = document.getElementById('picture');
    if (!canvas) return 0; // the page is only just coming
    const { data } = canvas.getContext('2d').getImageData(0, 0, canvas.width, canvas.height);
    return data.reduce((a, b) => a + b, 0);
}"""


@pytest.fixture(scope="module")
def project(takes: tuple[Studio, list[str]]) -> str:  # noqa: F811
    studio, made = takes
    return studio.takes.get(made[0]).project_id


def bench(page: Page, server: Server, project: str) -> None:
    page.goto(f"{server.address}/projects/{project}/cut")
    expect(page.locator("#says")).not_to_be_empty()
    expect(page.locator("#takes img")).to_have_count(2)


def total(page: Page) -> int:
    found = re.search(r"(\d+) frames", page.locator("#says").inner_text())
    assert found
    return int(found[1])


def shown(page: Page) -> np.ndarray:
    page.wait_for_function(
        "() => document.getElementById('screen').complete && document.getElementById('screen').naturalWidth > 0"
    )
    return np.asarray(Image.open(io.BytesIO(page.locator("#frame").screenshot())).convert("RGB"), float)


def go(page: Page, frame: int) -> None:
    page.locator("#frame-now").fill(str(frame))
    page.keyboard.press("Enter")
    page.wait_for_function(f"() => document.getElementById('screen').src.includes('/frames/{frame}?')")


def test_two_takes_become_a_checked_file(page: Page, server: Server, project: str, tmp_path: Path) -> None:
    bench(page, server, project)
    page.locator("#takes button").nth(1).click()
    expect(page.locator(".tl-clip")).to_have_count(1)
    page.locator("#takes button").nth(0).click()
    expect(page.locator(".tl-clip")).to_have_count(2)
    assert total(page) == 2 * FRAMES
    # the end is dragged out: the last picture is held
    pull(page, page.locator(".tl-clip").nth(1).locator(".tl-hold"), 115, 0)
    expect(page.locator(".tl-held")).to_have_count(1)
    assert total(page) > 2 * FRAMES + 2
    page.locator(".tl-clip").nth(1).click()
    page.locator("#panel-chosen label", has_text="After").locator("input").fill("12*2")
    page.keyboard.press("Enter")
    expect(page.locator("#chosen-says")).to_contain_text("held 1 s at the end")
    go(page, 0)
    bright = shown(page)
    page.keyboard.press("o")  # fades in here
    expect(page.locator(".tl-slope")).to_have_count(1)
    go(page, 1)
    go(page, 0)
    assert shown(page).mean() < bright.mean() - 20
    dot = page.locator(".tl-clip").first.locator(".tl-fade").first
    sloped = resting(page.locator(".tl-slope"))
    pull(page, dot, -40, 0)
    page.wait_for_function(
        f"() => document.querySelector('.tl-slope').getBoundingClientRect().width < {sloped['width'] - 10}"
    )
    page.keyboard.press("x")
    expect(page.locator(".tl-cross")).to_have_count(1)
    frames = total(page)
    go(page, frames - 20)
    before = shown(page)
    page.keyboard.press("t")
    box = page.locator("#panel-chosen textarea")
    expect(box).to_be_visible()
    box.fill("Harbour Lantern")
    box.blur()
    expect(page.locator(".tl-title")).to_contain_text("Harbour Lantern")
    go(page, frames - 8)
    after = shown(page)
    rows = np.nonzero(np.abs(after - before).max(axis=(1, 2)) > 60)[0] / after.shape[0]
    assert rows.min() > 0.7  # nothing but the letters at the lower edge is new
    page.keyboard.press("1")
    page.get_by_role("button", name="Quiet room").click()
    expect(page.locator(".tl-sound polygon")).to_have_count(1)
    page.keyboard.press("4")
    page.get_by_role("button", name="Deliver", exact=True).click()
    line = page.locator("#deliveries li").first
    expect(line).to_have_attribute("data-state", "done", timeout=LONG_MS)
    expect(line.locator("summary")).to_contain_text("things are right")
    with page.expect_download() as download:
        line.get_by_role("link", name="Fetch").click()
    path = tmp_path / "cut.mp4"
    download.value.save_as(path)
    with av.open(str(path)) as container:
        pictures = [f.to_ndarray(format="rgb24") for f in container.decode(video=0)]
        assert len(pictures) == frames
        assert len(container.streams.audio) == 1
    assert np.abs(pictures[-1].astype(int) - pictures[-3].astype(int)).mean() < 2  # held
    page.keyboard.press("Control+z")
    expect(page.locator(".tl-sound")).to_have_count(0)
    page.reload()
    expect(page.locator(".tl-clip")).to_have_count(2)
    page.click("#redo")
    expect(page.locator(".tl-sound")).to_have_count(1)


def test_it_plays_and_is_edited_by_keys(page: Page, server: Server, project: str) -> None:
    bench(page, server, project)
    if page.locator(".tl-clip").count() == 0:
        page.locator("#takes button").nth(0).click()
    expect(page.locator(".tl-clip").first).to_be_visible()
    before = page.locator(".tl-clip").count()
    go(page, 3)
    page.locator("#timeline").focus()
    page.keyboard.press("/")
    expect(page.locator(".tl-clip")).to_have_count(before + 1)
    page.locator(".tl-clip").nth(1).click()
    page.keyboard.press("Control+ArrowLeft")
    expect(page.locator("#undo")).to_have_attribute("title", re.compile("Move"))
    page.keyboard.press("Delete")
    expect(page.locator(".tl-clip")).to_have_count(before)
    page.keyboard.press("Control+z")
    expect(page.locator(".tl-clip")).to_have_count(before + 1)
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    expect(page.locator(".tl-clip")).to_have_count(before)
    go(page, 0)
    page.locator("#timeline").focus()
    page.keyboard.press("Space")
    page.wait_for_function("() => Number(document.getElementById('frame-now').value) > 2")
    page.click("#play")
    expect(page.locator("#play")).to_have_text("Play")
    page.keyboard.press("?")
    expect(page.locator("#keys")).to_contain_text("Split the clip here")
    page.keyboard.press("Escape")
    assert problems(page) == []


def test_a_take_is_replaced_in_one_clip_and_in_all(page: Page, server: Server, project: str) -> None:
    bench(page, server, project)
    before = page.locator(".tl-clip").count()
    for _ in range(2):
        page.locator("#takes button").nth(0).click()
    expect(page.locator(".tl-clip")).to_have_count(before + 2)
    names = [one.get_attribute("title") or "" for one in page.locator("#takes button").all()]
    first, second = (name.removeprefix("Put ").removesuffix(" into the cut") for name in names[:2])
    page.locator(".tl-clip").nth(before + 1).click()
    page.select_option("#clip-take", label=second)
    expect(page.locator("#undo")).to_have_attribute("title", re.compile("Replace take"))
    expect(page.locator(".tl-clip").nth(before + 1)).to_contain_text(second)
    expect(page.locator(".tl-clip").nth(before)).to_contain_text(first)
    page.locator("#toast").get_by_role("button", name="Replace there too").click()
    expect(page.locator(".tl-clip").nth(before)).to_contain_text(second)
    for _ in range(4):
        page.keyboard.press("Control+z")
    expect(page.locator(".tl-clip")).to_have_count(before)


def test_a_delivery_starts_from_where_it_goes(page: Page, server: Server, project: str) -> None:
    bench(page, server, project)
    if page.locator(".tl-clip").count() == 0:
        page.locator("#takes button").nth(0).click()
    expect(page.locator(".tl-clip").first).to_be_visible()
    page.get_by_role("tab", name="Deliver").click()
    feed = page.get_by_role("button", name="Square for a feed")
    expect(feed).to_have_attribute("aria-pressed", "false")
    feed.click()
    expect(feed).to_have_attribute("aria-pressed", "true")
    expect(page.locator("#fits")).to_have_value("8")
    expect(page.locator("#screens [aria-pressed=true]")).to_have_text(["Square, 1:1"])
    with page.expect_response(lambda answer: answer.url.endswith("/deliveries") and answer.request.method == "POST"):
        page.get_by_role("button", name="Deliver", exact=True).click()
    line = page.locator("#deliveries li").filter(has_text="1080x1080").first
    expect(line).to_have_attribute("data-state", "done", timeout=LONG_MS)
    data = page.request.get(f"{server.address}{line.get_by_role('link', name='Fetch').get_attribute('href')}").body()
    assert len(data) <= 8e6
    with av.open(io.BytesIO(data)) as file:
        pictures = file.streams.video[0]
        assert (pictures.width, pictures.height, pictures.codec_context.name) == (1080, 1080, "h264")
    page.get_by_role("button", name="Loop with alpha for a page").click()
    expect(feed).to_have_attribute("aria-pressed", "false")
    expect(page.locator("#with-sound")).to_have_attribute("aria-checked", "false")
    expect(page.locator("#fits")).to_have_value("")
    line.get_by_role("button", name="Remove").click()
    expect(page.locator("#toast")).to_contain_text("in the bin for 30 days")
    # a place of one's own: typed, kept, chosen with all that was set, removed and brought back
    page.locator("#screens [aria-pressed=true]").click()
    page.fill("#own-size", "600 x 20*15")
    page.keyboard.press("Enter")
    page.select_option("#own-rate", "12/1")
    page.get_by_text("Keep as a destination").click()
    page.fill("#destination-name", "Shop mail")
    page.keyboard.press("Enter")
    own = page.locator("#destinations").get_by_role("button", name="Shop mail 600×300")
    expect(own).to_have_attribute("aria-pressed", "true")
    feed.click()
    expect(page.locator("#own-rate")).to_have_value("")
    own.click()
    expect(page.locator("#own-rate")).to_have_value("12/1")
    expect(page.locator("#screens [aria-pressed=true]")).to_have_text(["600 × 300"])
    page.get_by_role("button", name="Remove ‘Shop mail’").click()
    expect(own).to_have_count(0)
    page.locator("#toast").get_by_role("button", name="Undo").click()
    expect(own).to_be_visible()


def test_few_clicks_lead_from_a_take_to_its_files(page: Page, server: Server, takes: tuple[Studio, list[str]]) -> None:  # noqa: F811
    """Four to a square loop of at most 8 MB, six to a film with two seconds' hold and a title, begun from a take."""
    studio, (take, *_) = takes
    project = studio.takes.get(take).project_id
    while (state := studio.cuts.get(project)).cut.clips:  # nothing is cut yet
        studio.cuts.edit(project, state.version, lambda cut: (put_all(cut, {"clips": [], "titles": []}), "Clear"))
    clicks = 0

    def click(name: str, role: str = "button") -> None:
        nonlocal clicks
        page.get_by_role(role, name=name, exact=name == "Deliver").first.click()  # type: ignore[arg-type]
        clicks += 1

    page.goto(f"{server.address}/takes/{take}")
    click("Deliver to …", "link")
    expect(page.locator(".tl-clip")).to_have_count(1)
    click("Square for a feed")
    with page.expect_response(lambda answer: answer.url.endswith("/deliveries") and answer.request.method == "POST"):
        click("Deliver")
    assert clicks <= 4
    page.locator("#deliveries").get_by_role("button", name="Stop").first.click()
    while (state := studio.cuts.get(project)).cut.clips:
        studio.cuts.edit(project, state.version, lambda cut: (put_all(cut, {"clips": [], "titles": []}), "Clear"))
    clicks = 0
    page.goto(f"{server.address}/takes/{take}")
    click("Cut", "link")
    expect(page.locator(".tl-clip")).to_have_count(1)
    page.keyboard.press("End")
    before = total(page)
    for held in (24, 48):
        page.keyboard.press("h")
        expect(page.locator("#says")).to_contain_text(f"{before + held} frames")
    click("Title")
    expect(page.locator("#panel-chosen")).to_be_visible()
    click("Deliver", "tab")
    click("Film for a page")
    with page.expect_response(lambda answer: answer.url.endswith("/deliveries") and answer.request.method == "POST"):
        click("Deliver")
    assert clicks <= 6
    page.locator("#deliveries").get_by_role("button", name="Stop").first.click()


def test_a_project_is_exported_with_its_takes(page: Page, server: Server, project: str) -> None:
    page.goto(server.address)
    card = page.locator(f'[data-project="{project}"]')
    card.hover()
    card.get_by_role("button", name="Export").click()
    dialog = page.locator("#export")
    expect(dialog.get_by_label("No takes")).to_be_checked()
    dialog.get_by_label("All takes").check()
    with page.expect_download(timeout=PATIENT_MS) as download:
        dialog.get_by_role("button", name="Export").click()
    with zipfile.ZipFile(download.value.path()) as box:
        assert sum(name.endswith("/slate.json") for name in box.namelist()) >= 2
    card.hover()
    card.get_by_role("button", name="Export").click()
    dialog.get_by_role("button", name="Cancel").click()
    expect(dialog).to_be_hidden()


def test_a_spin_page_turns_by_hand_without_a_server(page: Page, server: Server, project: str, tmp_path: Path) -> None:
    bench(page, server, project)
    if page.locator(".tl-clip").count() == 0:
        page.locator("#takes button").nth(0).click()
    page.keyboard.press("4")
    page.locator("#presets button", has_text="Web clip").click()
    page.locator("#presets button", has_text="Spin page").click()
    page.fill("#pictures", "6")
    page.get_by_role("button", name="Deliver", exact=True).click()
    line = page.locator("#deliveries li").first
    expect(line).to_contain_text("_spin.html")
    expect(line).to_have_attribute("data-state", "done", timeout=LONG_MS)
    with page.expect_download() as download:
        line.get_by_role("link", name="Fetch").click()
    path = tmp_path / "spin.html"
    download.value.save_as(path)
    with page.context.expect_page() as opened:  # in the program it runs as well, closed off from everything else
        line.get_by_role("link", name="Look").click()
    opened.value.wait_for_function(f"() => ({PIXELS})() > 0")
    opened.value.close()
    script = re.findall(r"<script>(.*?)</script>", path.read_text(), re.S)
    assert len(script) == 1
    assert len(script[0]) < 30_000
    page.goto(path.as_uri())
    turn = page.locator("#turn")
    turn.focus()
    page.wait_for_function(f"() => ({PIXELS})() > 0")
    first = page.evaluate(PIXELS)
    page.keyboard.press("ArrowRight")
    expect(turn).to_have_attribute("aria-valuenow", "2")
    page.wait_for_function(f"() => ({PIXELS})() !== {first}")
    box = resting(turn)
    page.mouse.move(box["width"] / 2, box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["width"] / 2 - box["width"] * 0.35, box["height"] / 2, steps=6)
    at = int(turn.get_attribute("aria-valuenow") or 0)
    page.mouse.up()
    assert at != 2
    for _ in range(4):
        page.keyboard.press("+")
    assert page.evaluate(PIXELS) > 0
    expect(page.locator("#hint")).to_be_hidden()
    assert problems(page) == []


def test_a_title_is_dragged_and_a_still_is_posted(page: Page, server: Server, project: str) -> None:
    bench(page, server, project)
    if page.locator(".tl-clip").count() == 0:
        page.locator("#takes button").nth(0).click()
    expect(page.locator(".tl-clip").first).to_be_visible()
    go(page, 1)
    page.keyboard.press("t")
    text = page.locator("#panel-chosen textarea")
    text.fill("Glass")
    text.blur()
    down = page.locator("[data-number='cut/titles/{title}/down']")
    expect(down).to_have_value("82")
    box = page.locator("#title-box")
    (across, low), frame = point_in(box), resting(page.locator("#frame"))
    _, centre = point_in(page.locator("#frame"))
    with slow(page, "**/cut"):
        page.mouse.move(across, low)
        page.mouse.down()
        page.mouse.move(across, centre + 0.005 * frame["height"], steps=5)
        expect(page.locator("#guide-down")).to_be_visible()
        page.mouse.up()
        page.keyboard.press("ArrowRight")  # the box stays where it was put, also while its place is being saved
        assert point_in(box)[1] == pytest.approx(centre, abs=3)  # it snapped
        expect(down).not_to_have_value("82")
    assert point_in(box)[1] == pytest.approx(centre, abs=3)
    # in another shape it gets a place of its own, and keeps the one it has here
    here = down.input_value()
    page.select_option("#shape", "1:1")
    page.locator("#own-layout").click()
    page.locator("#layout label", has_text="Down").locator("input").fill("90")
    page.keyboard.press("Enter")
    expect(page.locator("#undo")).to_have_attribute("title", re.compile("Undo"))
    expect(page.locator("#layout label", has_text="Down").locator("input")).to_have_value("90")
    expect(down).to_have_value(here)
    page.select_option("#shape", "")
    page.keyboard.press("4")
    page.locator("#presets button", has_text="Web clip").click()
    page.locator("#presets button", has_text=re.compile("^Still")).click()
    page.click("#foretell")
    expect(page.locator("#foretold")).to_contain_text("Its size shows when it is made")
    page.get_by_role("button", name="Deliver", exact=True).click()
    expect(page.locator("#deliveries li").first).to_have_attribute("data-state", "done", timeout=LONG_MS)
    page.goto(f"{server.address}/gallery/")
    page.select_option("select[name=trouble]", "broken off")
    page.get_by_role("button", name="Switch").click()
    expect(page.locator("select[name=trouble]")).to_have_value("broken off")
    key = page.locator("footer code").first.inner_text()
    assert problems(page) == []
    page.goto(f"{server.address}/projects/{project}/cut#post")
    page.locator("#post-files button").first.click()
    page.fill("#post-key", key)
    page.fill("#post-title", "A brass ball")
    page.fill("#post-tags", "brass, ball")
    page.click("#post-send")
    line = page.locator("#posts li").first
    expect(line).to_have_attribute("data-state", "done", timeout=LONG_MS)
    assert problems(page) == []
    with page.context.expect_page() as opened:
        line.get_by_role("link", name="See it").click()
    expect(opened.value.locator("h1").last).to_have_text("A brass ball")
    picture = opened.value.locator("article img")
    opened.value.wait_for_function("() => document.querySelector('article img').naturalWidth > 0")
    expect(picture).to_be_visible()
    opened.value.close()


def test_edits_of_a_cut_that_another_window_changed_are_applied_on_top(
    page: Page,
    server: Server,
    project: str,
    takes: tuple[Studio, list[str]],  # noqa: F811
) -> None:
    """Both edits are there in the end, and nothing is tried again without being asked for."""
    bench(page, server, project)
    page.route("**/cut", lambda route: route.abort() if route.request.method == "GET" else route.continue_())
    cuts = takes[0].cuts
    before = cuts.get(project)
    marker = Marker(id="marker-9", name="From elsewhere", frame=1)
    cuts.edit(project, before.version, lambda cut: (put_all(cut, {"markers": (marker,)}), "Marker"))
    for _ in range(2):
        page.click("#do-marker")
    expect(page.locator("#stale")).to_contain_text("This cut was changed in another window")
    expect(page.locator("#stale")).to_contain_text("Your last 2 changes are not saved yet")
    assert [m.name for m in cuts.get(project).cut.markers] == ["From elsewhere"]
    page.unroute("**/cut")
    page.click("#stale-apply")
    expect(page.locator("#stale")).to_be_hidden()
    page.wait_for_function("() => document.querySelectorAll('.tl-marker').length === 3")
    assert len(cuts.get(project).cut.markers) == 3
