"""The real interface in a real browser, from a dropped model to a downloaded clip."""

import base64
import io
import os
import re
import signal
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from playwright.sync_api import Browser, Page, Route, expect
from tests.browser.conftest import DEVELOPED, LONG_MS, Server, deafen, drag, point_in, resting, section

from cyclorama.store import Studio


def opened(page: Page, floor: str, station: str = "subject") -> None:
    page.goto(f"{floor}#{station}")
    expect(page.locator(".station")).to_have_count(6)


BRIGHTNESS = """(() => {
    const canvas = document.getElementById("picture");
    const { data } = canvas.getContext("2d").getImageData(0, 0, canvas.width, canvas.height);
    return data.reduce((sum, value) => sum + value, 0) / data.length;
})()"""


STANDIN = "document.getElementById('standin').toDataURL()"
PRINT = "document.getElementById('picture').toDataURL()"


def field(page: Page, path: str):  # type: ignore[no-untyped-def]
    """The box of a number on the open card, its section shown."""
    box = page.locator(f'section:not([hidden]) [data-number="{path}"]')
    away = box.first.evaluate("e => e.closest('[data-away]')?.dataset.section ?? null")
    if away:
        section(page, away)
    return box


@pytest.mark.webgl
def test_lens_develops_and_an_edit_starts_it_again(page: Page, floor: str) -> None:
    opened(page, floor, "light")
    page.wait_for_function(DEVELOPED, timeout=LONG_MS)
    expect(page.locator("#picture")).to_have_css("opacity", "1")
    before = page.evaluate(BRIGHTNESS)
    field(page, "look/lights/{light}/strength_stops").fill("2+1")
    field(page, "look/lights/{light}/strength_stops").press("Enter")
    expect(page.locator("#undo")).to_be_enabled()
    page.wait_for_function(f"before => {BRIGHTNESS} > 1.1 * before", arg=before, timeout=LONG_MS)
    expect(field(page, "look/lights/{light}/strength_stops")).to_have_value("3")
    page.keyboard.press("Control+z")
    expect(field(page, "look/lights/{light}/strength_stops")).to_have_value("0")


def test_a_light_is_seen_while_it_is_dragged(page: Page, floor: str) -> None:
    """From the film that is there, before anything is saved; back where it was, nothing is saved at all."""
    opened(page, floor, "light")
    page.wait_for_function(DEVELOPED, timeout=LONG_MS)
    before = page.evaluate(BRIGHTNESS)
    undo = page.locator("#undo")
    last_step = undo.get_attribute("title") or ""
    strength = field(page, "look/lights/{light}/strength_stops")
    strength.scroll_into_view_if_needed()
    name = resting(strength.locator("xpath=ancestor::*[contains(@class, 'row')]").locator("[data-drag]"))
    x, y = name["x"] + 10, name["y"] + name["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 20, y, steps=8)
    page.wait_for_function(f"before => {BRIGHTNESS} > 1.1 * before", arg=before, timeout=LONG_MS)
    assert page.evaluate("document.getElementById('picture').width") == 640
    expect(page.locator("#picture")).to_have_css("opacity", "1")
    expect(undo).to_have_attribute("title", last_step)
    page.mouse.move(x, y, steps=2)
    page.mouse.up()
    page.wait_for_function(f"before => {BRIGHTNESS} < 1.05 * before", arg=before, timeout=LONG_MS)
    expect(undo).to_have_attribute("title", last_step)
    drag(page, (x, y), (x + 20, y))
    expect(undo).to_have_attribute("title", "Undo: Set strength (Ctrl+Z)")
    page.wait_for_function(f"before => {BRIGHTNESS} > 1.1 * before", arg=before, timeout=LONG_MS)
    undo.click()
    page.wait_for_function(f"before => {BRIGHTNESS} < 1.05 * before", arg=before, timeout=LONG_MS)
    # a hand that never rests sees it as well
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 20, y, steps=2)
    page.evaluate(
        """([x, y]) => {
        const name = document.elementFromPoint(x, y);
        let moves = 0;
        window.restless = setInterval(() => name.dispatchEvent(new PointerEvent("pointermove", {
            bubbles: true, clientX: x + 20 + (moves++ % 2), clientY: y })), 5);
    }""",
        [x, y],
    )
    page.wait_for_function(f"before => {BRIGHTNESS} > 1.1 * before", arg=before, timeout=LONG_MS)
    page.evaluate("clearInterval(window.restless)")
    page.mouse.move(x, y)
    page.mouse.up()
    page.wait_for_function(f"before => {BRIGHTNESS} < 1.05 * before", arg=before, timeout=LONG_MS)
    # who drags stops where the document does
    drag(page, (x, y), (x - 400, y))
    expect(strength).to_have_value("-12")
    expect(undo).to_have_attribute("title", "Undo: Set strength (Ctrl+Z)")


def test_arithmetic_units_and_wrong_numbers(page: Page, floor: str) -> None:
    opened(page, floor, "camera")
    frames = field(page, "shot/frames")
    for typed, shown in (("10*24", "240"), ("2s", "48"), ("(3+1)*12", "48"), ("240", "240")):
        frames.fill(typed)
        frames.press("Enter")
        expect(frames).to_have_value(shown)
    distance = field(page, "camera/distance_m")
    distance.fill("80cm")
    distance.press("Enter")
    expect(distance).to_have_value("0.8")
    page.locator("#mat").hover()
    page.mouse.wheel(0, -50)
    expect(distance).to_have_value("0.724")  # 0.8 m · e^(−50 · 0.002)
    before = field(page, "camera/focal_mm").input_value()
    field(page, "camera/focal_mm").fill("3")
    field(page, "camera/focal_mm").press("Enter")
    expect(page.locator("#toast")).to_have_text("Focal length must be at least 8 mm; it was 3.")
    expect(field(page, "camera/focal_mm")).to_have_value(before)


def test_fit_and_the_call_sheet(page: Page, floor: str) -> None:
    opened(page, floor, "camera")
    distance = field(page, "camera/distance_m")
    distance.fill("0.25")
    distance.press("Enter")
    station = page.locator('[data-station="camera"]')
    expect(station).to_contain_text("cut off in frames 1 to 240")
    page.locator("#mat").focus()
    page.keyboard.press("b")
    expect(station).to_contain_text("Margin 8.0%")
    expect(page.locator("#fit-report")).to_contain_text("Margin 8.0 %")


def test_a_key_is_changed_and_stays_changed(page: Page, floor: str) -> None:
    opened(page, floor)
    shown = page.locator("#toggle-guides")
    expect(shown).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("?")
    page.get_by_role("button", name="l, Guide lines on or off").click()
    page.keyboard.press("Escape")  # gives up, and closes nothing
    page.get_by_role("button", name="l, Guide lines on or off").click()
    page.keyboard.press("m")
    expect(page.locator("#toast")).to_have_text("‘Meter the subject’ has l now.")
    page.keyboard.press("Escape")
    expect(page.locator("#keys")).to_be_hidden()
    page.keyboard.press("m")
    expect(shown).to_have_attribute("aria-pressed", "false")
    page.reload()
    expect(page.locator(".station")).to_have_count(6)
    was = shown.get_attribute("aria-pressed")
    page.keyboard.press("m")
    expect(shown).not_to_have_attribute("aria-pressed", was or "")
    page.keyboard.press("?")
    page.get_by_role("button", name="All as they were").click()
    expect(page.get_by_role("button", name="l, Guide lines on or off")).to_be_visible()


def test_scrubbing_by_ring_strip_and_keys(page: Page, floor: str) -> None:
    opened(page, floor)
    number = page.locator("#frame-number")
    expect(number).to_have_value("1")
    plan = resting(page.locator("#plan"))
    middle = (plan["x"] + plan["width"] / 2, plan["y"] + plan["height"] / 2 + 6)
    start = point_in(page.locator('#plan [data-grab="camera"]'))
    radius = ((start[0] - middle[0]) ** 2 + (start[1] - middle[1]) ** 2) ** 0.5
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move(middle[0] + radius * 0.7, middle[1] + radius * 0.7)
    page.mouse.move(middle[0] + radius, middle[1])
    page.mouse.up()
    assert abs(int(number.input_value()) - 61) <= 2  # a quarter of the way round
    strip = resting(page.locator("#strip"))
    page.mouse.click(strip["x"] + 92 + (strip["width"] - 106) * 0.5, strip["y"] + 40)
    assert abs(int(number.input_value()) - 121) <= 1
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Shift+ArrowLeft")
    assert abs(int(number.input_value()) - 112) <= 1
    page.keyboard.press("End")
    page.keyboard.press("ArrowRight")
    expect(number).to_have_value("1")


def test_dragging_in_the_lens_and_on_the_plan_can_be_undone(page: Page, floor: str) -> None:
    opened(page, floor, "camera")
    azimuth = field(page, "camera/azimuth_deg")
    before = azimuth.input_value()
    mat = resting(page.locator("#mat"))
    drag(page, (mat["x"] + 300, mat["y"] + 200), (mat["x"] + 340, mat["y"] + 210))
    expect(azimuth).not_to_have_value(before)
    page.click("#undo")
    expect(azimuth).to_have_value(before)
    lamp = resting(page.locator('#plan [data-light="key"]'))
    drag(page, (lamp["x"] + lamp["width"] / 2, lamp["y"] + lamp["height"] / 2), (lamp["x"] - 30, lamp["y"] + 40))
    expect(page.locator('[data-card="light"]')).to_be_visible()
    expect(page.locator("#undo")).to_have_attribute("title", "Undo: Set azimuth (Ctrl+Z)")
    page.click("#undo")


@pytest.mark.webgl
def test_the_stand_in_follows_a_drag_and_is_seen_from_outside(page: Page, floor: str) -> None:
    opened(page, floor, "camera")
    shown = page.evaluate(STANDIN)
    mat = resting(page.locator("#mat"))
    page.mouse.move(mat["x"] + 300, mat["y"] + 200)
    page.mouse.down()
    page.mouse.move(mat["x"] + 400, mat["y"] + 260, steps=4)
    page.wait_for_function(f"shown => {STANDIN} !== shown", arg=shown)
    expect(page.locator("#picture")).to_have_css("opacity", "0")
    page.mouse.up()
    page.click("#undo")
    shown = page.evaluate(STANDIN)
    page.click("#walk-out")
    page.wait_for_function(f"shown => {STANDIN} !== shown", arg=shown)
    expect(page.locator("#walk-out")).to_have_attribute("aria-pressed", "true")
    lamp = seen_from_outside(page, page.request.get(f"{floor.replace('/projects/', '/api/projects/')}").json(), "key")
    drag(page, lamp, (lamp[0] - 40, lamp[1] - 20))
    expect(page.locator('[data-card="light"]')).to_be_visible()
    expect(page.locator("#undo")).to_have_attribute("title", "Undo: Set azimuth (Ctrl+Z)")
    moved = page.request.get(f"{floor.replace('/projects/', '/api/projects/')}").json()
    again = seen_from_outside(page, moved, "key")
    assert again == pytest.approx((lamp[0] - 40, lamp[1] - 20), abs=2)
    page.click("#undo")


def seen_from_outside(page: Page, state: dict, light: str) -> tuple[float, float]:
    """Place of a lamp on the page in the first look from outside: 40° round, 30° up, three camera distances away."""
    lens = state["lens"]
    aim = np.array(lens["aim"])
    at = np.array(next(one["centre"] for one in lens["lights"] if one["id"] == light))
    rows = np.frombuffer(base64.b64decode(state["shot"]["cameras"]), "<f4")[:12].reshape(3, 4)
    away = 3 * np.linalg.norm(rows[:, 3] - aim)
    round_, up = np.radians((40, 30))
    back = np.array([np.sin(round_) * np.cos(up), np.sin(up), np.cos(round_) * np.cos(up)])
    right = np.array([np.cos(round_), 0, -np.sin(round_)])
    from_eye = at - aim - away * back
    depth = -from_eye @ back
    frame = resting(page.locator("#frame"))
    scale = frame["height"] / 2 / np.tan(np.radians(20)) / depth
    x, y = from_eye @ right * scale, from_eye @ np.cross(back, right) * scale
    return frame["x"] + frame["width"] / 2 + x, frame["y"] + frame["height"] / 2 - y


def test_without_webgl_a_drag_shows_rendered_pictures(page: Page, floor: str) -> None:
    opened(page, floor, "camera")
    expect(page.locator("#lens-facts")).to_contain_text("WebGL 2 is off")
    expect(page.locator("#walk-out")).to_be_disabled()
    page.wait_for_function(DEVELOPED, timeout=LONG_MS)
    before = page.evaluate(PRINT)
    mat = resting(page.locator("#mat"))
    page.mouse.move(mat["x"] + 300, mat["y"] + 200)
    page.mouse.down()
    page.mouse.move(mat["x"] + 400, mat["y"] + 260, steps=4)
    page.wait_for_function(f"before => {PRINT} !== before", arg=before, timeout=LONG_MS)
    expect(page.locator("#picture")).to_have_css("opacity", "1")
    page.mouse.up()
    expect(page.locator("#undo")).to_be_enabled()
    page.click("#undo")


def test_two_windows(page: Page, browser: Browser, floor: str) -> None:
    other = browser.new_page()
    deafen(other)
    opened(page, floor, "camera")
    opened(other, floor, "camera")
    focal = field(page, "camera/focal_mm")
    focal.fill("65")
    focal.press("Enter")
    expect(focal).to_have_value("65")
    start = field(other, "camera/azimuth_deg")
    start.fill("33")
    start.press("Enter")
    expect(other.locator("#stale")).to_be_visible()
    other.click("#stale-apply")
    expect(start).to_have_value("33")
    expect(field(other, "camera/focal_mm")).to_have_value("65")
    other.close()


def test_a_broken_model_is_told_and_changes_nothing(page: Page, floor: str, tmp_path: Path) -> None:
    opened(page, floor)
    bad = tmp_path / "bad.glb"
    bad.write_bytes(b"this is only text, whatever its name says")
    page.set_input_files("#model-file", str(bad))
    expect(page.locator("#toast")).to_contain_text("is not a GLB file", timeout=LONG_MS)
    expect(page.locator("#stations")).to_contain_text("Brass ball")


def test_shoot_kill_resume_screen_and_download(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "camera")
    for station, path, value in (
        ("2", "", ""),
        ("3", "shot/frames", "6"),
        ("6", "shot/shoot/width", "192"),
        ("6", "shot/shoot/height", "108"),
        ("6", "shot/shoot/samples", "96"),
    ):
        page.locator("#mat").focus()
        page.keyboard.press(station)
        if path == "shot/shoot/samples":
            expect(page.locator("#readiness")).to_contain_text("192×108")  # what is above it has come to rest
            own = page.locator("[data-choice='shot/shoot/quality'] [data-value=own]")
            own.click()
            expect(own).to_have_attribute("aria-pressed", "true")
            page.get_by_role("switch", name="Use neighbouring frames").click()
        if path:
            field(page, path).fill(value)
            field(page, path).press("Enter")
            expect(field(page, path)).to_have_value(value)
    expect(page.locator("#readiness")).to_contain_text(
        "Will shoot 6 frames of ‘Orbit’ through ‘Camera 1’, 192×108, PNG"
    )
    page.click("#shoot")
    page.click("#last-take a")
    take = page.locator("[data-take]").first
    expect(take.locator("img").first).to_be_visible(timeout=LONG_MS)

    studio = Studio(server.folder)
    record = studio.takes.get(studio.takes.ids()[0])
    assert record.worker_pid
    os.kill(record.worker_pid, signal.SIGKILL)
    server.kill()
    done = set(studio.takes.get(record.id).frames)
    assert 0 < len(done) < 6
    server.start()

    page.reload()
    expect(take).to_have_attribute("data-state", "interrupted", timeout=LONG_MS)
    take.get_by_role("button", name="Resume").click()
    expect(take).to_have_attribute("data-state", "done", timeout=LONG_MS)
    assert len(studio.takes.get(record.id).frames) == 6

    take.get_by_role("link", name="Screen").click()
    expect(page.locator("#seam")).to_contain_text("the loop closes", timeout=LONG_MS)
    page.keyboard.press("ArrowRight")
    expect(page.locator("#frame-now")).to_have_value("2")
    page.click("#play")
    page.wait_for_function("() => document.getElementById('frame-now').value === '5'")
    page.click("#play")
    with page.expect_download() as download:
        page.click("#get-mp4")
    with av.open(io.BytesIO(Path(download.value.path()).read_bytes())) as container:
        video = container.streams.video[0]
        assert (video.frames, video.average_rate, video.width, video.height) == (6, Fraction(24), 192, 108)


def test_keyboard_help_and_accessibility_basics(page: Page, floor: str) -> None:
    opened(page, floor)
    page.locator("#mat").focus()
    page.keyboard.press("?")
    expect(page.locator("#keys")).to_be_visible()
    expect(page.locator("#keys-list")).to_contain_text("Bring the subject inside the margin")
    page.keyboard.press("Escape")
    unnamed = page.evaluate(
        """() => {
          const named = (e) => e.textContent.trim() || e.getAttribute("aria-label") || e.labels?.length || e.title;
          const controls = [...document.querySelectorAll("button, input:not([type=file]), select")];
          return controls.filter((e) => e.offsetParent && !named(e)).map((e) => e.outerHTML);
        }"""
    )
    assert unnamed == []


def test_a_studio_that_is_not_answered_at_once_comes_when_it_is(page: Page, floor: str) -> None:
    """Nothing is left standing empty: it is asked for again, and what is wrong is said meanwhile."""
    asked: list[str] = []

    def answer(route: Route) -> None:
        asked.append(route.request.url)
        if len(asked) == 1:
            route.abort()
        elif len(asked) == 2:
            route.fulfill(status=503, json={"error": "Another program holds the studio's database."})
        else:
            route.continue_()

    page.route(re.compile(rf"/api/projects/{floor.rsplit('/', 1)[1]}$"), answer)
    page.goto(floor)
    expect(page.locator("body")).to_contain_text("Another program holds the studio's database.")
    expect(page.locator("#project-name")).to_be_disabled()
    expect(page.locator("#stations")).to_contain_text("Brass ball", timeout=LONG_MS)
    expect(page.locator("#floor")).not_to_have_attribute("inert", "")
    expect(page.locator("#project-name")).to_have_value("Brass ball")
    expect(page.locator("#project-name")).to_be_enabled()
    assert len(asked) == 3


def test_finished_frames_of_a_take_play_in_its_own_time(page: Page, floor: str) -> None:
    opened(page, floor)
    shown = page.evaluate(
        """async () => {
          const { held } = await import("/static/js/shared/player.js");
          return [held([1, 9, 17], 0, 20), held([1, 9, 17], 1, 17), held([5, 6, 7], 0, 7), held([3], 0, 3)];
        }"""
    )
    assert shown == [[0] * 8 + [1] * 8 + [2] * 4, [1] * 8 + [2], [0, 1, 2], [0]]


def test_arithmetic_is_no_code(page: Page, floor: str) -> None:
    opened(page, floor)
    cases = [
        ["30*10", "", None],
        ["2/3", "", None],
        ["1+2*3", "", None],
        ["-(2+3)", "", None],
        ["1,5", "", None],
        ["12s", "", 24],
        ["25mm", "m", None],
        ["2in", "mm", None],
        ["10%", "%", None],
        ["1e-3", "", None],
        ["alert(1)", "", None],
        ["1+", "", None],
        ["", "", None],
        ["1/0", "", None],
        ["2 m", "m", None],
    ]
    results = page.evaluate(
        """async (cases) => {
          const { calculate } = await import("/static/js/shared/arithmetic.js");
          return cases.map(([text, unit, rate]) => calculate(text, unit, rate));
        }""",
        cases,
    )
    assert results == pytest.approx(
        [300, 2 / 3, 7, -5, 1.5, 288, 0.025, 50.8, 10, 0.001, None, None, None, None, 2], nan_ok=True
    )


def test_colours_and_the_clock_count_as_the_core_does(page: Page, floor: str) -> None:
    """sRGB by IEC 61966-2-1, and frames of a loop that go on at their other end."""
    opened(page, floor)
    colours, frames, poses = page.evaluate(
        """async () => {
          const { fromHex, toHex } = await import("/static/js/shared/colour.js");
          const { Clock } = await import("/static/js/studio/clock.js");
          const hexes = ["#000000", "#0a0a0a", "#808080", "#ff8040", "#ffffff"];
          const all = (n, value = () => 0) => Float32Array.from({ length: n }, (_, i) => value(i));
          const shot = { first: 101, frames: 24, step: 2, count: 12, cameras: all(144, (i) => Math.floor(i / 12)),
            disc_deg: all(12), lights_deg: all(12), focal_mm: all(12), acting: {}, carried: {} };
          const store = { state: { shot } };
          const clock = new Clock(store);
          const frames = [100, 101, 124, 125, 149, 77.6].map((n) => (clock.go(n), clock.frame));
          const poses = [101, 102, 123, 124].map((n) => clock.pose(n).camera[0]);
          return [hexes.map((hex) => [fromHex(hex), toHex(fromHex(hex))]), frames, poses];
        }"""
    )
    assert [hex_ for _, hex_ in colours] == ["#000000", "#0a0a0a", "#808080", "#ff8040", "#ffffff"]
    assert colours[2][0] == pytest.approx([((128 / 255 + 0.055) / 1.055) ** 2.4] * 3, abs=1e-5)
    assert colours[1][0] == pytest.approx([10 / 255 / 12.92] * 3, abs=1e-5)
    assert frames == [124, 101, 124, 101, 101, 102]
    assert poses == [0, 1, 11, 11]  # of a long move, the nearest that is looked at


def test_anything_is_found_and_explained(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "subject")
    page.keyboard.press("/")
    box = page.get_by_role("combobox", name="Find anything")
    box.fill("quux")
    expect(page.locator("#find-list li")).to_have_count(0)
    expect(page.locator("#find-none")).to_be_visible()
    box.fill("aperture f")
    first = page.locator("#find-list li").first
    expect(first).to_contain_text("Camera · Lens")
    box.press("Enter")
    aperture = page.locator("[data-number='camera/f_number']")
    expect(aperture).to_be_focused()  # its card, its section and its fold are open
    expect(page.locator("#help-tip")).to_contain_text("Aperture")
    expect(page.locator("#help-tip")).to_contain_text("from 0.7 to 128")
    page.keyboard.press("Escape")
    expect(page.locator("#help-tip")).to_be_hidden()
    page.click("#open-find")
    for wanted, where in (("brass", "Item"), ("key", "Light"), ("loop doctor", "Guide"), ("undo", "key Ctrl+z")):
        box.fill(wanted)
        expect(page.locator("#find-list li", has_text=where).first).to_be_visible()
    box.fill("fill")
    page.locator("#find-list li", has_text="Light").first.click()
    expect(page.locator("[data-card=light]")).to_be_visible()
    expect(page.locator(".light-pick[aria-pressed=true]")).to_contain_text("Fill")


def test_sections_folds_and_the_height_of_the_plan_stay_as_they_were_left(page: Page, floor: str) -> None:
    opened(page, floor, "camera")
    section(page, "Lens")
    page.locator("summary", has_text="Sensor and shift").click()
    plan = page.locator("#plan")
    page.get_by_role("separator", name="Height of the plan").dblclick()
    expect(plan).to_have_css("height", "0px")
    page.reload()
    expect(page.get_by_role("tab", name="Lens", exact=True)).to_have_attribute("aria-selected", "true")
    expect(page.locator("[data-number='camera/sensor_mm']")).to_be_visible()
    expect(plan).to_have_css("height", "0px")
    page.get_by_role("separator", name="Height of the plan").click()
    expect(plan).to_have_css("height", "288px")
    page.get_by_role("tab", name="Lens", exact=True).press("ArrowRight")
    expect(page.get_by_role("tab", name="Formats", exact=True)).to_be_focused()


def test_exposure_is_set_in_the_corner_of_the_lens(page: Page, floor: str) -> None:
    opened(page, floor, "camera")
    corner = page.locator("#exposure-open")
    before = corner.inner_text()
    page.get_by_role("button", name="Brighter by a third of a stop").click()
    ev = float(before.removeprefix("EV "))
    expect(corner).to_have_text(re.compile(rf"EV ({ev - 0.3:.1f}|{ev - 0.4:.1f})$"))
    corner.click()
    offset = page.locator("[data-number='look/tone/offset_stops']")
    expect(offset).to_be_visible()
    expect(offset).to_have_value("0.33")
    page.get_by_role("button", name="Darker by a third of a stop").click()
    expect(corner).to_have_text(before)
