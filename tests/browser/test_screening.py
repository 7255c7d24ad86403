"""The screening room as an artist uses it: two takes wiped, graded with numbers to see, a note, a bad frame mended."""

import io
import re
from collections.abc import Iterator

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, Route, expect
from tests.browser.conftest import LONG_MS, Server, drag, point_in, resting, section
from tests.browser.test_pages import problems
from tests.shoot.test_shoot import wait_for

from cyclorama.app import takes as take_service
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import put_all
from cyclorama.shoot.frames.files import frame_path
from cyclorama.shoot.run.take import shoot_take
from cyclorama.store import Studio

SMALL = {
    "shot/shoot/width": 160,
    "shot/shoot/height": 90,
    "shot/frames": 6,
    "shot/shoot/quality": "own",
    "shot/shoot/samples": 8,
    "shot/shoot/denoise_neighbours": False,
    "shot/shoot/passes/wanted": ("objects", "depth"),
}


@pytest.fixture(scope="module")
def takes(server: Server, floor: str) -> Iterator[tuple[Studio, list[str]]]:
    """Two takes of one shot, the second a stop darker."""
    studio, made = Studio(server.folder), []
    project = floor.rsplit("/", 1)[1]
    with Tracer() as tracer:
        for stops in (0.0, -1.0):
            saved = studio.projects.get(project)
            values = SMALL | {"look/tone/offset_stops": stops}
            saved = studio.projects.edit(project, saved.version, "Small", lambda p, v=values: put_all(p, v))
            take = take_service.call_take(studio, saved, start=False)
            assert shoot_take(studio, take.id, tracer) == "done"
            made.append(take.id)
    yield studio, made
    studio.close()


def screened(page: Page, server: Server, take: str, tab: str = "") -> None:
    page.goto(f"{server.address}/takes/{take}{tab}")
    expect(page.locator("#screen")).to_have_js_property("complete", True, timeout=LONG_MS)
    page.wait_for_function("() => document.getElementById('screen').naturalWidth > 0")


def pixels(page: Page) -> np.ndarray:
    """What the picture in the middle of the page shows."""
    return np.asarray(Image.open(io.BytesIO(page.locator("#frame").screenshot())).convert("RGB"), float)


def test_two_takes_are_wiped_and_measured(page: Page, server: Server, takes: tuple[Studio, list[str]]) -> None:
    bright, dark = takes[1]
    screened(page, server, bright)
    alone = pixels(page)
    page.keyboard.press("3")
    page.select_option("#compare-with", dark)
    expect(page.locator("#edge")).to_be_visible()
    expect(page.locator("#figures-list")).to_contain_text("SSIM", timeout=LONG_MS)
    assert "plainly seen" in page.locator("#figures-says").inner_text()
    page.wait_for_function("() => document.getElementById('other').naturalWidth > 0")
    both = pixels(page)
    h, w = both.shape[:2]
    assert np.abs(both[:, : w // 2 - 20] - alone[:, : w // 2 - 20]).mean() < 1
    assert both[: h // 4, w // 2 + 20 :].mean() < alone[: h // 4, w // 2 + 20 :].mean() - 15
    box = resting(page.locator("#edge"))
    drag(page, (box["x"] + 9, box["y"] + 30), (box["x"] - 150, box["y"] + 30))
    assert int(page.locator("#edge").get_attribute("aria-valuenow") or 50) < 40
    page.locator("#compare-as button", has_text="Difference").click()
    page.wait_for_function("() => document.getElementById('screen').src.includes('/against/')")
    page.click("#wall-open")
    expect(page.locator("#wall button")).to_have_count(2)
    page.keyboard.press("Escape")
    expect(page.locator("#edge")).to_be_hidden()
    page.wait_for_function("() => document.getElementById('screen').src.includes('/shown/')")


def test_exposure_and_a_curve_are_pulled_and_numbers_change(
    page: Page, server: Server, takes: tuple[Studio, list[str]]
) -> None:
    studio, (take, _) = takes
    screened(page, server, take, "#grade")
    page.keyboard.press("m")
    says = page.locator("#scope-says")
    expect(says).to_contain_text("burnt", timeout=LONG_MS)
    before, shown = float(says.get_attribute("data-middle") or 0), pixels(page)
    field = page.locator("[data-number='look/grade/exposure_stops']")
    field.fill("-1.5")
    field.press("Enter")
    page.wait_for_function(f"() => Number(document.getElementById('scope-says').dataset.middle) < {before - 0.1}")
    expect(page.locator("#grade-undo")).to_be_enabled()
    assert studio.screening.finish(studio.takes.get(take)).finishing.grade.exposure_stops == -1.5
    darker = float(says.get_attribute("data-middle") or 0)
    page.locator("summary", has_text="Curves").click()
    curve = page.locator("[data-curve]")
    curve.scroll_into_view_if_needed()
    box = resting(curve)
    x, y = box["x"] + box["width"] * 6 / 14, box["y"] + box["height"] * 8 / 14  # two stops below grey
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y - box["height"] * 3 / 14, steps=4)  # three stops up
    page.mouse.up()
    page.wait_for_function(f"() => Number(document.getElementById('scope-says').dataset.middle) > {darker + 0.1}")
    wait_for(lambda: bool(studio.screening.finish(studio.takes.get(take)).finishing.grade.curves.luma.points))
    points = studio.screening.finish(studio.takes.get(take)).finishing.grade.curves.luma.points
    assert points[0] == pytest.approx((-2.0, 1.0), abs=0.15)
    page.keyboard.press("Escape")
    page.locator("#stage").focus()
    page.keyboard.press("3")  # beside what it was before the curve
    expect(page.locator("#compare-with option[value='state-1']")).to_have_count(1)
    page.select_option("#compare-with", "state-1")
    expect(page.locator("#figures-says")).to_contain_text("Differs", timeout=LONG_MS)
    page.wait_for_function("() => document.getElementById('other').src.includes('state=1')")
    page.locator("#stage").focus()
    page.keyboard.press("Escape")
    page.keyboard.press("2")
    for _ in range(2):
        page.keyboard.press("Control+z")
        page.wait_for_timeout(150)
    expect(page.locator("#grade-undo")).to_be_disabled()
    expect(field).to_have_value("0")
    page.wait_for_function(
        f"() => Math.abs(Number(document.getElementById('scope-says').dataset.middle) - {before}) < 0.01"
    )
    assert np.abs(pixels(page) - shown).mean() < 1
    page.locator("#grade-of").select_option(index=1)
    field.fill("-4")
    field.press("Enter")
    expect(page.locator("#grade-undo")).to_be_enabled()
    wait_for(lambda: bool(studio.screening.finish(studio.takes.get(take)).finishing.parts))
    assert studio.screening.finish(studio.takes.get(take)).finishing.parts[0].grade.exposure_stops == -4
    page.click("[data-reset-grade]")
    page.wait_for_function(
        "() => document.getElementById('grade-of').selectedOptions[0].textContent.includes('·') === false"
    )


def test_a_note_is_pinned_and_a_bad_frame_is_mended(
    page: Page, server: Server, takes: tuple[Studio, list[str]]
) -> None:
    studio, (take, _) = takes
    screened(page, server, take)
    page.keyboard.press("ArrowRight")
    expect(page.locator("#frame-now")).to_have_value("2")
    page.keyboard.press("n")
    page.keyboard.type("Softer, please")
    page.click("#note-draw")
    frame = page.locator("#frame")
    drag(page, point_in(frame), point_in(frame, 0.75))
    page.click("#note-pin")
    expect(page.locator("#notes .note")).to_have_count(1)
    expect(page.locator("#marks polyline")).to_have_count(1)
    (note,) = studio.screening.notes(take)
    assert (note.frame, note.text) == (2, "Softer, please")
    assert note.mark[0][-1] == pytest.approx((0.75, 0.5), abs=0.02)
    page.locator("#stage").focus()
    page.keyboard.press("ArrowRight")
    expect(page.locator("#marks polyline")).to_have_count(0)

    record = studio.takes.get(take)
    good = frame_path(record, 4).read_bytes()
    frame_path(record, 4).write_bytes(good[:200])
    page.keyboard.press("4")
    page.click("#check")
    finding = page.locator("#findings li", has_text="Cannot be read")
    expect(finding).to_contain_text("frame 4", timeout=LONG_MS)
    finding.get_by_role("button", name="Shoot again").click()
    wait_for(lambda: frame_path(record, 4).read_bytes() == good and studio.takes.state(take) == "done")
    page.click("#check")
    expect(page.locator("#checks-says")).to_contain_text("All 6 frames looked at", timeout=LONG_MS)
    expect(page.locator("#findings li", has_text="Cannot be read")).to_have_count(0)


def test_undo_pressed_twice_is_done_in_turn(page: Page, server: Server, takes: tuple[Studio, list[str]]) -> None:
    """Also when the first is answered late: what is shown in the end is what is kept."""
    studio, (_, take) = takes
    screened(page, server, take, "#grade")
    field = page.locator("[data-number='look/grade/exposure_stops']")
    for value in ("1", "2"):
        field.fill(value)
        field.press("Enter")
        wait_for(
            lambda v=value: studio.screening.finish(studio.takes.get(take)).finishing.grade.exposure_stops == float(v)
        )  # type: ignore[misc]
    answered: list[str] = []

    def late(route: Route) -> None:
        answer = route.fetch()
        if not answered:
            page.wait_for_timeout(700)
        answered.append(route.request.url)
        route.fulfill(response=answer)

    page.route("**/finish/undo*", late)
    page.locator("#stage").focus()
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    expect(page.locator("#grade-undo")).to_be_disabled()
    expect(field).to_have_value("0")
    expect(page.locator("#grade-redo")).to_be_enabled()
    assert len(answered) == 2
    assert studio.screening.finish(studio.takes.get(take)).finishing.grade.exposure_stops == 0


def test_a_part_of_a_frame_is_dragged_out_and_shot_again(
    page: Page, server: Server, takes: tuple[Studio, list[str]]
) -> None:
    studio, (take, _) = takes
    record = studio.takes.get(take)
    before = {n: np.asarray(Image.open(frame_path(record, n)), float) for n in (2, 5)}
    screened(page, server, take, "#checks")
    choose = page.locator("#again-part")
    choose.click()
    page.keyboard.press("Escape")
    expect(choose).to_have_text("The whole picture")
    choose.click()
    page.locator("#frame").click()  # no more than a click
    expect(choose).to_have_text("The whole picture")
    expect(page.locator("#marks rect")).to_have_count(0)
    choose.click()
    frame = page.locator("#frame")
    drag(page, point_in(frame, 0.75, 0.25), point_in(frame, 0.25, 0.75))
    expect(choose).to_have_text("A part: 50 × 50 %")
    page.keyboard.press("ArrowRight")
    expect(page.locator("#marks rect")).to_have_count(1)  # in every frame
    page.click("#tab-grade")
    expect(page.locator("#marks rect")).to_have_count(0)  # nothing lies over what is graded
    page.click("#tab-checks")
    expect(page.locator("#marks rect")).to_have_count(1)
    page.fill("#again-frames", "5")
    page.select_option("#again-how", "4")
    page.click("#again")
    expect(page.locator("#again-says")).to_contain_text("frame 5 with 4× the samples in a part", timeout=LONG_MS)
    wait_for(lambda: studio.takes.state(take) == "done")
    after = {n: np.asarray(Image.open(frame_path(record, n)), float) for n in (2, 5)}
    assert np.array_equal(after[2], before[2])
    changed = (np.abs(after[5] - before[5]) > 1).any(axis=2)  # masters have the bits of halves
    h, w = changed.shape
    assert changed[h // 4 : -h // 4, w // 4 : -w // 4].any()
    assert not changed[: h // 4 - 1].any()
    assert not changed[:, : w // 4 - 1].any()
    choose.click()
    expect(choose).to_have_text("The whole picture")
    expect(page.locator("#marks rect")).to_have_count(0)


def test_a_pass_that_was_forgotten_is_shot_into_the_take(
    page: Page, server: Server, takes: tuple[Studio, list[str]]
) -> None:
    studio, (_, take) = takes
    screened(page, server, take)
    pictures = {n: frame.files["beauty"] for n, frame in studio.takes.get(take).frames.items()}
    page.locator("#more-passes summary").click()
    expect(page.locator("#more-shoot")).to_be_disabled()
    page.get_by_role("switch", name="Occlusion").click()
    expect(page.locator("#more-says")).to_contain_text("Without exposing the frames")
    page.click("#more-shoot")
    page.get_by_role("button", name="occlusion", exact=True).click()
    wait_for(lambda: not studio.takes.get(take).waiting)
    record = studio.takes.get(take)
    assert {n: frame.files["beauty"] for n, frame in record.frames.items()} == pictures
    page.goto(page.url)
    page.get_by_role("button", name="occlusion", exact=True).click()
    page.wait_for_function("() => document.getElementById('screen').src.includes('/views/occlusion/')")
    page.wait_for_function("() => document.getElementById('screen').naturalWidth > 0")
    assert problems(page) == []


def test_the_room_is_operable_and_named(page: Page, server: Server, takes: tuple[Studio, list[str]]) -> None:
    screened(page, server, takes[1][0])
    page.locator("#stage").focus()
    page.keyboard.press("?")
    expect(page.locator("#keys-list")).to_contain_text("Actual pixels")
    page.keyboard.press("Escape")
    page.keyboard.press("x")
    expect(page.locator("#frame")).to_have_attribute("style", re.compile("width: 160px"))
    page.keyboard.press("x")
    for tab in "12345":
        page.keyboard.press(tab)
        assert problems(page) == [], tab
    page.keyboard.press("b")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("e")
    expect(page.locator("#range")).to_be_visible()
    page.keyboard.press(" ")
    page.wait_for_timeout(700)
    page.keyboard.press(" ")
    assert int(page.locator("#frame-now").input_value()) <= 3


def test_the_grade_of_the_look_shows_in_the_lens(
    page: Page, server: Server, floor: str, takes: tuple[Studio, list[str]]
) -> None:
    studio, _ = takes
    page.goto(f"{floor}#light")
    section(page, "Exposure")
    page.locator("#look-grade > summary").click()
    field = page.locator("#look-grade [data-number='look/grade/saturation']")
    field.fill("0")
    field.press("Enter")
    page.wait_for_function("() => document.getElementById('undo').title.includes('saturation')")
    project = studio.projects.get(floor.rsplit("/", 1)[1]).project
    assert project.look.grade.saturation == 0

    def grey() -> bool:
        if page.evaluate("() => getComputedStyle(document.getElementById('picture')).opacity") != "1":
            return False
        shown = np.asarray(Image.open(io.BytesIO(page.locator("#picture").screenshot())).convert("RGB"), float)
        return bool(np.quantile(np.ptp(shown, axis=2), 0.9) < 8)

    for _ in range(600):
        if grey():
            break
        page.wait_for_timeout(200)
    assert grey()
    page.keyboard.press("Control+z")


def test_a_grade_that_another_window_changed_is_not_overwritten(
    page: Page, server: Server, takes: tuple[Studio, list[str]]
) -> None:
    """Contrast from elsewhere stays, exposure from here is applied on top of it."""
    studio, made = takes
    screened(page, server, made[0], "#grade")
    record = studio.takes.get(made[0])
    there = studio.screening.finish(record)
    values = {"contrast": 1.25, "exposure_stops": 0.0}
    elsewhere = there.finishing.model_copy(update={"grade": there.finishing.grade.model_copy(update=values)})
    studio.screening.set_finish(record, elsewhere, "Elsewhere", there.revision)
    box = page.locator("[data-number='look/grade/exposure_stops']")
    box.fill("0.5")
    box.press("Enter")
    expect(page.locator("#stale")).to_contain_text("This grade was changed in another window")
    assert studio.screening.finish(record).finishing == elsewhere
    page.click("#stale-apply")
    expect(page.locator("#stale")).to_be_hidden()
    expect(box).to_have_value("0.5")
    wait_for(lambda: studio.screening.finish(record).finishing.grade.exposure_stops == 0.5)
    assert studio.screening.finish(record).finishing.grade.contrast == 1.25
