"""Moves, keys, shots and cameras in the real interface."""

import io

import av
import pytest
from playwright.sync_api import Page, expect
from tests.browser.conftest import DEVELOPED, LONG_MS, Server, drag, point_in, pull, resting, section
from tests.browser.test_cards import opened, project, undo
from tests.browser.test_studio import BRIGHTNESS, field


def go(page: Page, frame: int) -> None:
    page.fill("#frame-number", str(frame))
    page.press("#frame-number", "Enter")


def mark(page: Page, path: str):  # type: ignore[no-untyped-def]
    return page.locator("section:not([hidden]) .row", has=page.locator(f'[data-number="{path}"]')).locator(".keymark")


def saved_step(page: Page, words: str) -> None:
    page.wait_for_function("words => document.getElementById('undo').title.includes(words)", arg=words)


def test_a_light_is_keyed_and_seen_in_two_developed_frames(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "light")
    before = project(page, server)
    strength = "look/lights/{light}/strength_stops"
    go(page, 1)
    expect(mark(page, strength)).to_have_attribute("data-key", "none")
    mark(page, strength).click()
    expect(mark(page, strength)).to_have_attribute("data-key", "here")
    go(page, 31)
    expect(mark(page, strength)).to_have_attribute("data-key", "keyed")
    field(page, strength).fill("4")
    field(page, strength).press("Enter")
    saved_step(page, "Key strength in frame 31")
    go(page, 16)
    expect(field(page, strength)).to_have_value("2")  # halfway from 0 to 4, from rest to rest
    bright = []
    for frame in (1, 31):
        go(page, frame)
        page.wait_for_function(DEVELOPED, timeout=LONG_MS)
        bright.append(page.evaluate(BRIGHTNESS))
    assert bright[1] > 1.15 * bright[0]
    # a key is dragged along its lane, and taken away with the keyboard
    key = page.locator(".lane-key").last
    pull(page, key, 60, 0)
    saved_step(page, "Move keys")
    (channel,) = project(page, server).shot.channels
    assert channel.keys[1].frame > 31
    page.locator(".lane-key").last.focus()
    page.keyboard.press("Delete")
    expect(page.locator(".lane-key")).to_have_count(1)
    for _ in range(4):
        undo(page)
    expect(page.locator("#lanes")).to_be_hidden()
    assert project(page, server) == before


def test_two_poses_of_the_camera_are_keyed_in_the_lens(page: Page, server: Server, floor: str) -> None:
    """Every change is keyed while that is switched on, which is shown, and is off after a reload."""
    opened(page, floor, "camera")
    page.click('[data-move="hold"]')
    saved_step(page, "Set move")
    go(page, 1)
    page.locator("#mat").click(position={"x": 300, "y": 200})
    page.keyboard.press("k")
    saved_step(page, "in frame 1")
    page.keyboard.press("a")
    expect(page.locator("#keying-badge")).to_be_visible()
    go(page, 49)
    pull(page, page.locator("#mat"), 100, 0)
    saved_step(page, "in frame 49")
    after = project(page, server)
    keyed = {c.path.rpartition("/")[2]: [k.frame for k in c.keys] for c in after.shot.channels}
    assert keyed["azimuth_deg"] == keyed["elevation_deg"] == [0, 48]
    assert keyed["distance_m"] == [0]
    azimuth = next(c for c in after.shot.channels if c.path.endswith("azimuth_deg"))
    assert azimuth.keys[1].value[0] - azimuth.keys[0].value[0] == -35.0
    # what is keyed for the first time, and late, was as it is now in no frame before: that can be kept
    focal = after.camera.focal_mm
    field(page, "camera/focal_mm").fill("85")
    page.keyboard.press("Enter")
    saved_step(page, "in frame 49")
    page.locator("#toast .offer").click()
    saved_step(page, "in frame 1")
    keyed_focal = next(c for c in project(page, server).shot.channels if c.path.endswith("focal_mm"))
    assert [(k.frame, k.value) for k in keyed_focal.keys] == [(0, (focal,)), (48, (85.0,))]
    page.reload()
    expect(page.locator("#keying-badge")).to_be_hidden()
    page.wait_for_function("() => document.getElementById('saved').textContent === 'Saved'")
    for _ in range(5):
        undo(page)
    expect(page.locator("#lanes")).to_be_hidden()


def test_a_path_is_drawn_by_hand_and_a_loop_is_closed(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "camera")
    page.select_option("#add-path", "straight track")
    saved_step(page, "straight track")
    page.select_option("#add-segment", "ride")
    expect(page.locator("#segments li")).to_have_count(2)
    (path,) = project(page, server).paths
    pull(page, page.locator("#plan [data-point]").first, 40, -30)
    page.wait_for_function("() => document.getElementById('undo').title.startsWith('Undo: Set')")
    (moved,) = project(page, server).paths
    assert moved.points[0].x_m > path.points[0].x_m
    assert moved.points[0].z_m < path.points[0].z_m
    assert moved.points[1] == path.points[1]
    page.get_by_role("button", name="Remove Ride").click()
    expect(page.locator("#segments li")).to_have_count(1)
    page.locator("[data-number$='/turns']").fill("1.25")
    page.keyboard.press("Enter")
    expect(page.locator("#gaps")).to_contain_text("90 ° off")
    expect(page.locator('[data-station="camera"]')).to_contain_text("does not close")
    page.select_option("#lane-choice", "camera")
    page.click("#lane-worst")
    page.get_by_role("button", name="Make whole turns").click()
    expect(page.locator("#gaps li")).to_have_count(0)
    expect(page.locator('[data-station="camera"]')).to_contain_text("closes exactly")
    for _ in range(6):
        undo(page)
    expect(page.locator("#paths li")).to_have_count(0)


def test_segments_change_places_by_their_grips(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "camera")
    before = project(page, server)
    page.select_option("#add-segment", "push")
    rows, grips = page.locator("#segments li"), page.locator("#segments .grip")
    expect(grips).to_have_count(2)
    first, second = (row.kind for row in project(page, server).shot.rows[0].segments)
    drag(page, point_in(grips.nth(1)), point_in(rows.first, 0.5, 0.3))
    saved_step(page, "Move")
    assert [s.kind for s in project(page, server).shot.rows[0].segments] == [second, first]
    grips.first.press("ArrowDown")
    expect(rows.nth(1)).to_contain_text("Push")
    assert [s.kind for s in project(page, server).shot.rows[0].segments] == [first, second]
    expect(grips.nth(1)).to_be_focused()
    for _ in range(3):
        undo(page)
    expect(grips).to_have_count(0)
    assert project(page, server) == before


def test_a_path_is_drawn_on_the_plan_and_bent_by_its_handles(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "camera")
    page.select_option("#add-path", "drawn")
    plan = resting(page.locator("#plan"))
    for across, down in ((0.25, 0.7), (0.5, 0.85)):
        page.mouse.click(plan["x"] + plan["width"] * across, plan["y"] + plan["height"] * down)
        page.wait_for_timeout(400)  # two clicks at once are a double one
    page.mouse.dblclick(plan["x"] + plan["width"] * 0.75, plan["y"] + plan["height"] * 0.7)
    expect(page.locator("#paths li")).to_contain_text("Drawn path")
    (drawn,) = project(page, server).paths
    assert len(drawn.points) == 3
    assert drawn.points[0].x_m < drawn.points[1].x_m < drawn.points[2].x_m

    page.mouse.dblclick(*point_in(page.locator(f"#plan [data-grab=point][data-point={drawn.points[1].id}]")))
    expect(page.locator("#plan [data-grab=handle]")).to_have_count(2)
    pull(page, page.locator("#plan [data-side=out]"), 0, 30)
    saved_step(page, "Undo: Set")
    (bent,) = project(page, server).paths
    assert bent.points[1].bends == "even"
    assert bent.points[1].out_z_m > 0.05
    page.select_option("#add-segment", "ride")
    expect(page.locator("#segments li")).to_have_count(2)
    page.click("#speed-curve")
    saved_step(page, "Speed curve")
    assert [c.path.rpartition("/")[2] for c in project(page, server).shot.channels] == ["along_pct"]
    for _ in range(5):
        undo(page)
    expect(page.locator("#paths li")).to_have_count(0)


def test_another_shot_through_another_camera(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "camera")
    before = project(page, server)
    page.click("#add-shot")
    expect(page.locator("#shots").get_by_role("tab")).to_have_count(2)
    page.select_option("#shot-camera", "new")
    expect(page.locator("#shot-camera option")).to_have_count(3)
    assert project(page, server).shot.camera_id != before.shot.camera_id
    field(page, "camera/focal_mm").fill("35")
    page.keyboard.press("Enter")
    section(page, "Move")
    page.click("#ready-move")
    page.locator("#ready-moves-list button", has_text="Hero push").click()
    expect(page.locator("#segments li")).to_have_count(2)
    after = project(page, server)
    assert [c.focal_mm for c in after.cameras] == [before.camera.focal_mm, 35.0]
    assert after.shots[0] == before.shot
    page.locator("#shots").get_by_role("tab").first.click()
    expect(field(page, "camera/focal_mm")).to_have_value(f"{before.camera.focal_mm:g}")
    page.locator("#shots").get_by_role("tab").nth(1).click()
    expect(field(page, "camera/focal_mm")).to_have_value("35")
    page.get_by_role("button", name="Remove Hero push").click()
    expect(page.locator("#shots").get_by_role("tab")).to_have_count(1)
    assert project(page, server).shots == before.shots


def test_a_curve_is_bent_and_keys_are_copied_together(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "light")
    strength = "look/lights/{light}/strength_stops"
    for frame, value in ((1, None), (61, "2")):
        go(page, frame)
        if value is None:
            mark(page, strength).click()
            saved_step(page, "in frame 1")
        else:
            field(page, strength).fill(value)
            field(page, strength).press("Enter")
            saved_step(page, "in frame 61")
    page.locator("#mat").focus()
    page.keyboard.press("v")
    expect(page.locator(".curve-key")).to_have_count(2)
    pull(page, page.locator(".curve-key").nth(1), 0, 25)
    expect(field(page, strength)).not_to_have_value("2")
    (channel,) = project(page, server).shot.channels
    assert channel.keys[1].frame == 60
    assert 0 < channel.keys[1].value[0] < 2
    pull(page, page.locator(".curve-handle").first, 30, -40)
    saved_step(page, "Set")
    expect(page.locator(".curve-handle[fill='var(--color-ink)']")).to_have_count(2)
    (channel,) = project(page, server).shot.channels
    assert channel.keys[0].goes == "custom"
    assert channel.keys[0].leaves[0] > 1 / 3
    assert channel.keys[0].leaves[1] > 0
    # both keys in a rectangle, laid down once more from frame 101 on
    x, y = point_in(page.locator(".lane-key").first)
    far_x, _ = point_in(page.locator(".lane-key").nth(1))
    page.keyboard.down("Shift")
    drag(page, (far_x + 12, y - 7), (x - 6, y + 6))
    page.keyboard.up("Shift")
    expect(page.locator(".lane-key[stroke='var(--color-camera)']")).to_have_count(2)
    page.locator("#mat").focus()
    page.keyboard.press("Control+c")
    go(page, 101)
    page.keyboard.press("Control+v")
    saved_step(page, "Copy keys")
    (channel,) = project(page, server).shot.channels
    assert [k.frame for k in channel.keys] == [0, 60, 100, 160]
    assert channel.keys[2].leaves == channel.keys[0].leaves


def test_a_proof_is_played_metered_and_goes_with_what_it_shows(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "camera")
    page.locator("[data-number='shot/frames']").fill("00:00:00:06")
    page.locator("[data-number='shot/frames']").press("Enter")
    saved_step(page, "Set frames")
    assert project(page, server).shot.frames == 6
    page.click("#proof")
    expect(page.locator("#proof")).to_have_text("Proofed", timeout=LONG_MS)
    page.click("#play")
    expect(page.locator("#proof-frame")).to_be_visible()
    page.click("#play")
    page.select_option("#lane-choice", "light")
    expect(page.locator(".lane-worst")).to_contain_text("stops in frame")
    for link, magic in (("#proof-sheet", b"\x89PNG"), ("#proof-clip", b"ftyp")):
        answer = page.request.get(f"{server.address}{page.get_attribute(link, 'href')}")
        assert answer.ok
        assert magic in answer.body()[:12]
    with av.open(io.BytesIO(answer.body())) as clip:
        assert sum(1 for _ in clip.decode(video=0)) == 6
    page.click("[data-station=light]")
    strength = field(page, "look/lights/{light}/strength_stops")
    strength.fill("1")
    strength.press("Enter")
    saved_step(page, "trength")
    expect(page.locator("#proof")).to_have_text("Proof")
    undo(page)
    expect(page.locator("#proof")).to_have_text("Proofed")  # it shows the same as before


def test_a_lamp_is_sized_and_aimed_on_the_drawings(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "light")
    before = project(page, server)
    key = before.look.lights[0]
    size = page.locator("#plan [data-grab=size]")
    at, lamp = point_in(size), point_in(page.locator(f"#plan [data-grab=light][data-light={key.id}]"))
    pull(page, size, at[0] - lamp[0], at[1] - lamp[1])  # twice as far from the middle, about
    saved_step(page, "Set width")
    wider = project(page, server).look.lights[0]
    assert wider.width_m > 1.4 * key.width_m
    assert (wider.azimuth_deg, wider.distance_m) == (key.azimuth_deg, key.distance_m)
    pull(page, page.locator("#plan [data-grab=aim]"), 30, 0)
    saved_step(page, "Set aim")
    aimed = project(page, server).look.lights[0].aim
    assert aimed.x_m > key.aim.x_m + 0.05
    assert aimed.z_m == pytest.approx(key.aim.z_m, abs=0.02)
    page.click("#plan-side")
    pull(page, page.locator("#plan [data-grab=aim]"), 0, -20)
    saved_step(page, "Set aim height")
    assert project(page, server).look.lights[0].aim.y_m > key.aim.y_m + 0.05
    for _ in range(3):
        undo(page)
    assert project(page, server) == before
    page.click("#plan-top")
