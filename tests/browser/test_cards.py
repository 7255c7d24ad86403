"""The Light, Materials, Camera and Shoot cards in a real browser."""

import dataclasses
import re
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page, expect
from tests.browser.conftest import DEVELOPED, LONG_MS, Server, point_in, pull, resting, section
from tests.browser.test_studio import PRINT
from tests.conftest import png_of, sphere
from tests.glb_files import document_of, packed
from tests.moving_models import bending_bar
from tests.shoot.test_shoot import wait_for

from cyclorama.app import takes as take_service
from cyclorama.core.commands.values import SetValue, apply_set
from cyclorama.core.scene import Project, put_all
from cyclorama.demo.glb import GlbWriter
from cyclorama.store import Studio


def project(page: Page, server: Server) -> Project:
    """What a page shows, as it is saved: it shows changes before they are."""
    saved(page)
    return Studio(server.folder).projects.get(page.url.rsplit("/", 1)[1].split("#")[0]).project


def opened(page: Page, floor: str, station: str, part: str | None = None) -> None:
    """Open the card of a station, at a section of it."""
    page.goto(f"{floor.split('#')[0]}#{station}")
    expect(page.locator(f"[data-card={station}]")).to_be_visible()
    saved(page)
    if part:
        section(page, part)


def saved(page: Page) -> None:
    page.wait_for_function("() => document.getElementById('saved').textContent === 'Saved'")


def undo(page: Page) -> None:
    page.keyboard.press("Control+z")


@pytest.fixture
def picture(tmp_path: Path) -> Path:
    path = tmp_path / "mask.png"
    path.write_bytes(png_of(np.full((16, 16, 3), 128)))
    return path


@pytest.mark.webgl
def test_animation_bends_the_stand_in_and_is_set_on_the_card(page: Page, server: Server, tmp_path: Path) -> None:
    model = tmp_path / "bar.glb"
    model.write_bytes(bending_bar()[0].to_bytes())
    page.goto(server.address)
    page.set_input_files("#model-file", str(model))
    page.wait_for_url("**/projects/**", timeout=LONG_MS)
    expect(page.locator("#animation-explained")).to_contain_text("10 times", timeout=LONG_MS)
    with page.expect_response(re.compile(r"/pose\?acting=0:0\.50000:1\.0000$")) as answer:
        page.fill("#frame-number", "13")
        page.press("#frame-number", "Enter")
    assert answer.value.ok
    section(page, "Animation")
    card = page.locator("[data-card=subject]")
    card.get_by_role("button", name="Once").click()
    expect(page.locator("#animation-explained")).to_contain_text("then stands")
    card.locator("#animation").select_option("")
    expect(card.get_by_text("Repeat", exact=True)).to_be_hidden()
    undo(page)
    expect(card.get_by_text("Repeat", exact=True)).to_be_visible()
    play = project(page, server).subject.play  # type: ignore[union-attr]
    assert (play.animation, play.repeat) == ("animation-1", "once")


@pytest.mark.webgl
def test_parts_are_seen_left_out_and_lightened_and_files_pasted(page: Page, server: Server, tmp_path: Path) -> None:
    """Pasted onto the reel wall; the tree of its parts; pointing at one shows it; made again, and back."""
    model = tmp_path / "pair.glb"
    writer = GlbWriter()
    for i in (0, 1):
        ball = sphere(0.1, 64)
        moved = dataclasses.replace(ball, vertices=ball.vertices + np.float32([i * 0.3, 0, 0]))
        writer.part(f"Ball {i + 1}", moved, writer.material(f"clay {i}", (0.5, 0.4, 0.3)))
    document, chunk = document_of(writer.to_bytes())
    document["nodes"].append({"name": "Pair", "children": [0, 1]})
    document["scenes"][0]["nodes"] = [2]
    model.write_bytes(packed(document, chunk))
    page.goto(server.address)
    page.evaluate(
        """(bytes) => {
            const data = new DataTransfer();
            data.items.add(new File([new Uint8Array(bytes)], "pair.glb"));
            document.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true }));
        }""",
        list(model.read_bytes()),
    )
    page.wait_for_url("**/projects/**", timeout=LONG_MS)
    card = page.locator("[data-card=subject]")
    expect(card.locator("#parts summary")).to_contain_text("Pair", timeout=LONG_MS)
    section(page, "Parts")
    before = page.locator("#standin").screenshot()
    card.locator("#parts").get_by_text("Ball 2").hover()
    wait_for(lambda: page.locator("#standin").screenshot() != before)
    card.get_by_role("switch", name="Show Ball 2").click()
    card.get_by_role("button", name="Leave the hidden part out").click()
    expect(card.get_by_role("button", name="Bring the left-out part back")).to_be_visible(timeout=LONG_MS)
    assert [p.name for p in project(page, server).subject.parts] == ["Ball 1"]  # type: ignore[union-attr]
    section(page, "File")
    card.get_by_role("switch", name="Lighten").click()
    expect(card.locator("#detail-sentence")).to_contain_text("Off its source by up to 0.2", timeout=LONG_MS)
    undo(page)
    expect(card.locator("#detail-sentence")).to_have_text("As in its source.", timeout=LONG_MS)


def test_lights_are_added_shaped_and_removed(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "light")
    page.select_option("#add-light", "spot")
    expect(page.locator(".light-pick", has_text="Spot")).to_have_attribute("aria-pressed", "true")
    card = page.locator("[data-card=light]")
    expect(card.get_by_text("Cone", exact=True)).to_be_visible()
    expect(card.locator("[data-number='look/lights/{light}/height_m']").first).to_be_hidden()
    card.locator("[data-select='look/lights/{light}/shape']").select_option("tube")
    expect(card.get_by_text("Thickness", exact=True)).to_be_visible()
    expect(card.get_by_text("Cone", exact=True)).to_be_hidden()
    assert [x.shape for x in project(page, server).look.lights][-1] == "tube"
    page.click("#copy-light")
    expect(page.locator(".light-pick", has_text="Spot 2")).to_be_visible()
    page.click("#remove-light")
    expect(page.locator(".light-pick", has_text="Spot 2")).to_have_count(0)
    undo(page)
    expect(page.locator(".light-pick", has_text="Spot 2")).to_be_visible()
    for _ in range(2):
        undo(page)
    expect(page.locator(".light-pick", has_text="Spot 2")).to_have_count(0)


def test_gobo_parts_and_background(page: Page, server: Server, floor: str, picture: Path) -> None:
    opened(page, floor, "light")
    page.locator("summary", has_text="Gobo").click()
    page.click("#gobo-toggle")
    expect(page.locator("#gobo-name")).to_have_text("A pattern in the beam")
    page.locator("[data-select='look/lights/{light}/gobo/pattern']").select_option("leaves")
    with page.expect_file_chooser() as chooser:
        page.click("#gobo-pictures")
    chooser.value.set_files(picture)
    expect(page.locator("#gobo-name")).to_have_text("1 × mask.png")
    gobo = project(page, server).look.lights[0].gobo
    assert gobo is not None
    assert gobo.pattern == "leaves"
    page.locator("summary", has_text="Lights these parts").click()
    page.get_by_role("switch", name="Light Sweep").click()
    expect(page.get_by_role("switch", name="Light Sweep")).to_have_attribute("aria-checked", "false")
    saved(page)
    assert project(page, server).look.lights[0].excluded_parts == ("sweep",)
    opened(page, floor, "set", "Background")
    page.locator("[data-select='look/background/kind']").select_option("vertical")
    expect(page.locator("[data-colour='look/background/second']")).to_be_visible()
    opened(page, floor, "light", "Environment")
    page.locator("[data-choice='look/environment/kind'] button", has_text="Sun and sky").click()
    expect(page.locator("[data-number='look/environment/sky/sun_elevation_deg']")).to_be_visible()
    for _ in range(6):
        undo(page)
    expect(page.locator("#gobo-name")).to_have_text("None")


def test_presets_maps_and_conditional_rows(page: Page, server: Server, floor: str, picture: Path) -> None:
    opened(page, floor, "materials", "Surface")
    expect(page.locator("[data-colour='materials/{material}/coat_color']")).to_be_hidden()
    page.select_option("#preset-pick", "Car paint")
    expect(page.locator("[data-colour='materials/{material}/coat_color']")).to_be_visible()
    assert project(page, server).materials[0].coat_weight == 1
    section(page, "Maps")
    page.select_option("#map-slot", "specular_roughness")
    page.select_option("#map-source", "noise")
    expect(page.locator("#material-maps")).to_contain_text("Roughness · noise")
    page.select_option("#map-slot", "base_color")
    with page.expect_file_chooser() as chooser:
        page.select_option("#map-source", "picture")
    chooser.value.set_files(picture)
    expect(page.locator("#material-maps")).to_contain_text("Colour · mask.png")
    expect(page.locator("#map-of")).to_have_text("How the colour map lies")
    page.get_by_role("switch", name="Cut out by its alpha").click()
    expect(page.locator("#material-maps")).to_contain_text("Opacity · mask.png")
    maps = project(page, server).materials[0].maps
    assert maps.opacity
    assert maps.base_color
    assert (maps.opacity.asset, maps.opacity.channel) == (maps.base_color.asset, "a")
    page.get_by_role("button", name="Remove the colour map").click()
    expect(page.locator("#material-maps")).not_to_contain_text("Colour · mask.png")
    page.wait_for_function(DEVELOPED, timeout=LONG_MS)
    section(page, "Surface")
    expect(page.locator("[data-colour='materials/{material}/coat_color']")).to_be_visible()
    for _ in range(5):
        undo(page)
    expect(page.locator("[data-colour='materials/{material}/coat_color']")).to_be_hidden()


def test_passes_and_a_broken_picture(page: Page, server: Server, floor: str, tmp_path: Path) -> None:
    opened(page, floor, "shoot", "Passes")
    page.get_by_role("switch", name="Occlusion", exact=True).click()
    expect(page.locator("[data-number='shot/shoot/passes/occlusion_reach_m']")).to_be_visible()
    expect(page.locator("#readiness")).to_contain_text("1 pass")
    section(page, "Picture")
    page.locator("[data-choice='shot/shoot/bits'] button", has_text="16").click()
    expect(page.locator("[data-choice='shot/shoot/bits'] [data-value='16']")).to_have_attribute("aria-pressed", "true")
    assert project(page, server).shot.shoot.bits == 16
    expect(page.locator("#readiness")).to_contain_text("about", timeout=60_000)  # the forecast comes by itself
    section(page, "Passes")
    for _ in range(2):
        undo(page)
    expect(page.get_by_role("switch", name="Occlusion", exact=True)).to_have_attribute("aria-checked", "false")
    broken = tmp_path / "broken.png"
    broken.write_bytes(b"no picture at all")
    opened(page, floor, "materials", "Maps")
    before = project(page, server)
    with page.expect_file_chooser() as chooser:
        page.select_option("#map-source", "picture")
    chooser.value.set_files(broken)
    expect(page.locator("#toast")).to_contain_text("cannot be read", timeout=30_000)  # a first picture may be compiling
    assert project(page, server) == before


def test_several_takes_are_planned_and_a_frame_is_tried(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "shoot")
    expect(page.locator("#plan-several")).to_be_hidden()  # one shot, one look
    studio = Studio(server.folder)
    saved = studio.projects.get(floor.rsplit("/", 1)[1].split("#")[0])
    small = {"shot/shoot/width": 64, "shot/shoot/height": 36, "shot/frames": 3}
    other = saved.project.look.model_copy(update={"id": "look-2", "name": "Evening"})
    studio.projects.edit(
        saved.project.id,
        saved.version,
        "Smaller, another look",
        lambda p: put_all(p, {**small, "looks": (*p.looks, other)}),
    )
    page.reload()
    page.click("#plan-several")
    boxes = page.locator("#night-matrix input")
    expect(boxes).to_have_count(2)
    expect(page.locator("#night-total")).to_contain_text("1 take, 3 frames")
    for box in boxes.all():
        box.check()
    expect(page.locator("#night-list li")).to_have_count(2)
    page.click("#night-shoot")
    expect(page.locator("#last-take")).to_contain_text("2 takes are on the shoot log")
    page.click("#test-frame")
    expect(page.locator("#last-take")).to_contain_text("frame 1", timeout=LONG_MS)
    page.click("#last-take a")
    expect(page.locator("[data-take]")).to_have_count(3)
    expect(page.locator("[data-take]", has_text="done")).to_have_count(3, timeout=LONG_MS)
    looks = {studio.takes.get(take).project.look.id for take in studio.takes.ids()}
    assert len(looks) == 2
    # the log is grouped by shot, filtered, and takes get stars
    shown = page.locator("[data-take]:visible")
    expect(page.locator(".log-group:visible summary")).to_contain_text(["Brass ball · Orbit3"])
    page.get_by_role("button", name="Stills and tests").click()
    expect(shown).to_have_count(1)
    expect(shown).to_contain_text("frame 1")
    page.get_by_role("button", name="All", exact=True).click()
    best = shown.last.get_attribute("data-take")
    shown.last.get_by_role("button", name="Star:").click()
    page.get_by_role("button", name="★ Starred").click()
    expect(shown).to_have_count(1)
    expect(shown).to_have_attribute("data-take", best or "")
    page.get_by_role("button", name="All", exact=True).click()
    page.fill("#log-search", "no such take")
    expect(page.locator("#log-nothing")).to_be_visible()
    page.fill("#log-search", "")
    page.locator(".log-group summary").click()
    expect(shown).to_have_count(0)
    page.reload()
    expect(page.locator(".log-group summary")).to_be_visible()
    expect(shown).to_have_count(0)
    page.locator(".log-group summary").click()
    expect(shown).to_have_count(3)
    opened(page, floor, "shoot")
    page.click("#test-part")
    box = resting(page.locator("#frame"))
    page.mouse.move(box["x"] + box["width"] / 4, box["y"] + box["height"] / 4)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.75, box["y"] + box["height"] + 30)
    expect(page.locator("#rectangle")).to_be_visible()
    page.mouse.up()
    expect(page.locator("#rectangle")).to_be_hidden()
    expect(page.locator("#last-take")).to_contain_text("frame 1, a part", timeout=LONG_MS)
    part = studio.takes.get(studio.takes.ids()[0])
    region = part.again[1].region
    assert region is not None
    assert (region.left, region.right, region.bottom) == pytest.approx((0.25, 0.75, 1.0), abs=0.01)
    wait_for(lambda: studio.takes.state(part.id) == "done")


def test_focus_and_grey_are_picked_in_the_picture(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "camera", "Lens")
    before, at_first = project(page, server), page.get_attribute("#undo", "title")
    page.locator("[data-card=camera] summary", has_text="Aperture and shutter").click()
    page.click("#pick-focus")
    expect(page.locator("#lens-prompt")).to_contain_text("stay in focus")
    page.keyboard.press("Escape")
    expect(page.locator("#lens-prompt")).to_be_hidden()
    page.click("#pick-focus")
    page.mouse.click(*point_in(page.locator("#frame")))
    expect(page.locator("#clear-focus")).to_be_visible(timeout=LONG_MS)
    point = project(page, server).camera.focus_point_m
    assert point is not None
    assert point[1] == pytest.approx(before.camera.aim.y_m, abs=0.1)
    # a click in the corner of the frame focuses on the floor or the sweep, by distance
    page.click("#pick-focus")
    page.mouse.click(*point_in(page.locator("#frame"), 0.02, 0.98))
    expect(page.locator("#focus-point")).to_have_text("by distance", timeout=LONG_MS)
    opened(page, floor, "light", "Exposure")
    page.click("#pick-grey")
    page.mouse.click(*point_in(page.locator("#frame"), 0.02, 0.98))
    page.wait_for_function(
        "() => document.getElementById('undo').title.startsWith('Undo: White balance')", timeout=LONG_MS
    )
    for _ in range(3):
        undo(page)
    page.wait_for_function("t => document.getElementById('undo').title === t", arg=at_first)
    after = project(page, server)
    assert (after.camera, after.looks) == (before.camera, before.looks)


def test_burnt_light_is_told_in_the_corner_and_metered(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "light")
    page.wait_for_function(DEVELOPED, timeout=LONG_MS)
    burnt = page.locator("#exposure-burnt")
    before = project(page, server)
    for _ in range(9):
        page.click("#exposure-up")
    expect(burnt).to_contain_text("burnt", timeout=LONG_MS)
    assert project(page, server).look.tone.offset_stops == pytest.approx(before.look.tone.offset_stops + 3)
    burnt.click()
    expect(burnt).to_be_hidden(timeout=LONG_MS)
    metered = project(page, server)
    assert metered.look.tone.offset_stops == 0
    for _ in range(10):
        undo(page)
    assert project(page, server).look.tone == before.look.tone


def test_a_map_says_how_it_lies(page: Page, server: Server, floor: str) -> None:
    opened(page, floor, "materials", "Maps")
    page.select_option("#map-slot", "coat_normal")
    page.select_option("#map-source", "noise")
    expect(page.locator("#map-of")).to_have_text("How the coat normal map lies")
    expect(page.locator("[data-number$='maps/{slot}/size_m']")).to_be_visible()
    expect(page.locator("[data-number$='maps/{slot}/scale_u']")).to_be_hidden()
    page.locator("[data-select$='maps/{slot}/projection']").select_option("uv")
    expect(page.locator("[data-number$='maps/{slot}/scale_u']")).to_be_visible()
    expect(page.locator("[data-number$='maps/{slot}/at_x_m']")).to_be_hidden()
    page.locator("[data-number$='maps/{slot}/scale_u']").fill("2*3")
    page.keyboard.press("Enter")
    page.locator("[data-select$='maps/{slot}/wrap']").select_option("mirror")
    page.wait_for_function("() => document.getElementById('undo').title.includes('wrap')")
    ref = project(page, server).materials[0].maps.coat_normal
    assert ref is not None
    assert (ref.projection, ref.scale_u, ref.wrap) == ("uv", 6.0, "mirror")
    for _ in range(4):
        undo(page)
    expect(page.locator("#map-settings")).to_be_hidden()


def test_lights_are_rebalanced_into_a_take(page: Page, server: Server, floor: str) -> None:
    studio = Studio(server.folder)
    saved = studio.projects.get(floor.rsplit("/", 1)[1].split("#")[0])
    small = {
        "shot/shoot/width": 64,
        "shot/shoot/height": 36,
        "shot/shoot/samples": 2,
        "shot/shoot/to_frame": 2,
        "shot/shoot/passes/wanted": ["lights"],
    }
    shot = saved.project
    for path, value in small.items():
        shot = apply_set(shot, SetValue(path=path, value=value))
    take = take_service.call_take(studio, dataclasses.replace(saved, project=shot))
    page.goto(f"{server.address}/shoots")
    expect(page.locator(f"[data-take='{take.id}']")).to_have_attribute("data-state", "done", timeout=LONG_MS)
    page.goto(f"{server.address}/takes/{take.id}#grade")
    expect(page.locator("#mix-take")).to_be_disabled()
    before = page.locator("#screen").get_attribute("src")
    key = page.get_by_role("slider", name="light Key, stops")
    key.fill("-2")
    expect(page.locator("#mix-take")).to_be_enabled()
    expect(page.locator("#screen")).not_to_have_attribute("src", before or "")
    page.get_by_label("light Fill, filter").fill("#ff8040")
    wait_for(lambda: "light Fill" in studio.screening.finish(take).finishing.lights)
    page.click("#mix-take")
    expect(page.locator("#mix-made")).to_contain_text("is being mixed")
    page.goto(f"{server.address}/shoots")
    mixed = page.locator("[data-take]").filter(has_text="lights re-balanced").first
    expect(mixed).to_have_attribute("data-state", "done", timeout=LONG_MS)
    identity = mixed.get_attribute("data-take")
    made = studio.takes.get(identity or "")
    assert made.source_id == take.id
    assert made.balance["light Key"].stops == -2
    assert made.balance["light Fill"].colour[2] < 0.1
    for one in (made.id, take.id):
        take_service.remove(studio, one)


def test_things_are_put_on_the_set_dragged_and_taken_away(page: Page, server: Server, floor: str) -> None:
    """A plinth comes under the subject; a box is dragged on the plan; the lamp is aimed at it; all of it is undone."""
    opened(page, floor, "subject")
    before, at_first = project(page, server), page.get_attribute("#undo", "title")
    rows = page.locator("#items li")
    expect(rows).to_have_count(1)
    page.select_option("#add-item", "plinth")
    expect(rows).to_have_count(2)
    expect(page.locator('[data-station="subject"]')).to_contain_text("stands on ‘Plinth’")
    page.select_option("#add-item", "box")
    expect(rows).to_have_count(3)
    # it has colourways of its own
    page.evaluate("location.hash = 'materials'")
    section(page, "Colours")
    page.select_option("#colourways-of", label="Box")
    page.click("#add-colourway")
    expect(page.locator("#colourways .chip")).to_have_count(2)
    assert len(project(page, server).items[2].variants) == 2
    undo(page)
    expect(page.locator("#colourways .chip")).to_have_count(1)
    page.evaluate("location.hash = 'subject'")
    box = page.locator("#plan [data-item]", has=page.locator("title", has_text="Box"))
    pull(page, box, 30, 20)
    expect(page.locator("#undo")).to_have_attribute("title", re.compile("Undo: Set to the right"))
    at = project(page, server).items[2].placement
    assert at.x_m > 0
    assert at.z_m > -0.05
    opened(page, floor, "light")
    page.locator("summary", has_text="Power, colour, reach").click()
    page.select_option("#light-aim", label="Box")
    expect(page.locator("#undo")).to_have_attribute("title", re.compile("Undo: Set aim"))
    assert project(page, server).look.lights[0].aim.item == project(page, server).items[2].id
    opened(page, floor, "subject")
    rows.filter(has_text="Plinth").get_by_role("button").first.click()
    page.click("#remove-item")
    expect(rows).to_have_count(2)
    expect(page.locator('[data-station="subject"]')).to_contain_text("stands on the disc")
    for _ in range(5):
        undo(page)
    expect(page.locator("#undo")).to_have_attribute("title", at_first or "")
    assert project(page, server) == before


def test_a_hint_is_mended_by_its_button_and_the_call_sheet_says_what_is_next(page: Page, floor: str) -> None:
    opened(page, floor, "camera", "Lens")
    before = page.locator("#next-sentence").inner_text()
    page.fill("[data-number='camera/distance_m']", "0.2")
    page.press("[data-number='camera/distance_m']", "Enter")
    hint = page.locator("[data-hints=camera] .hint", has_text="is cut off")
    expect(hint).to_be_visible()
    expect(page.locator("#next-sentence")).to_contain_text("is cut off")
    expect(page.locator("#next-step")).to_have_text("Fit subject")
    page.wait_for_function(DEVELOPED, timeout=LONG_MS)
    cut_off = page.evaluate(PRINT)
    mends = hint.get_by_role("button", name="Fit subject")
    mends.hover()  # the lens shows what it would do
    page.wait_for_function(f"before => {PRINT} !== before", arg=cut_off)
    page.mouse.move(5, 5)
    expect(page.locator("[data-number='camera/distance_m']")).to_have_value("0.2")
    mends.click()
    expect(hint).to_have_count(0)
    expect(page.locator("#next-sentence")).to_have_text(before)
    undo(page)
    expect(hint).to_be_visible()
    page.locator("#next-step").click()
    expect(hint).to_have_count(0)


def test_a_ring_and_a_sway_are_added_and_drawn(page: Page, floor: str) -> None:
    """Its card has the ring's own fields, the plan draws its hole, and the list of segments says how far it sways."""
    opened(page, floor, "light")
    drawn = page.locator("#plan g[data-light] line[stroke-width='3']")
    expect(drawn.first).to_be_attached()
    before = drawn.count()
    page.select_option("#add-light", "ring")
    expect(page.locator("[data-number$='/opening']")).to_be_visible()
    expect(drawn).to_have_count(before + 2)
    page.locator("#remove-light").click()
    expect(drawn).to_have_count(before)
    opened(page, floor, "camera")
    segments = page.locator("#segments li")
    expect(segments.first).to_be_visible()
    before = segments.count()
    page.select_option("#add-segment", "sway")
    expect(segments.last).to_contain_text("±20°, 1 ×")
    page.fill("[data-number='shot/rows/{row}/segments/{segment}/times']", "3")
    page.press("[data-number='shot/rows/{row}/segments/{segment}/times']", "Enter")
    expect(segments.last).to_contain_text("±20°, 3 ×")
    saved(page)
    undo(page)
    undo(page)
    expect(segments).to_have_count(before)
