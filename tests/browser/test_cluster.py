"""A night on a cluster: what is planned in the browser is shot by machines that come and go."""

from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect
from tests.browser.conftest import LONG_MS, Server
from tests.clusters import Cluster

from cyclorama.core.scene import put_all
from cyclorama.store import Studio


@pytest.fixture(scope="module")
def cluster() -> Iterator[Cluster]:
    cluster = Cluster()
    for _ in range(2):
        cluster.add()
    cluster.joined()
    yield cluster
    cluster.close()


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory, cluster: Cluster) -> Iterator[Server]:
    server = Server(tmp_path_factory.mktemp("cluster"), "--cluster", cluster.address)
    yield server
    server.kill()


def planned(studio: Studio, project_id: str) -> None:
    """Two shots and two looks, quick to shoot."""
    saved = studio.projects.get(project_id)
    small = {
        "shot/shoot/width": 96,
        "shot/shoot/height": 64,
        "shot/frames": 10,
        "shot/shoot/quality": "own",
        "shot/shoot/samples": 24,
    }
    look = saved.project.look.model_copy(update={"id": "look-2", "name": "Evening"})
    project = put_all(saved.project, {**small, "looks": (*saved.project.looks, look)})
    shot = project.shot.model_copy(update={"id": "shot-2", "name": "Still life"})
    studio.projects.edit(
        project_id, saved.version, "For the night", lambda _: put_all(project, {"shots": (*project.shots, shot)})
    )


def test_a_night_is_planned_a_machine_dies_and_every_frame_is_there(
    page: Page, server: Server, cluster: Cluster, floor: str
) -> None:
    studio, key = Studio(server.folder), floor.rsplit("/", 1)[1]
    planned(studio, key)
    page.goto(f"{floor}#shoot")
    page.click("#plan-several")
    boxes = page.locator("#night-matrix input")
    expect(boxes).to_have_count(4)
    for box in boxes.all():
        box.check()
    expect(page.locator("#night-list li")).to_have_count(4)
    page.click("#night-shoot")
    expect(page.locator("#last-take")).to_contain_text("4 takes are on the shoot log")
    page.goto(f"{server.address}/shoots")
    expect(page.locator("#crew")).to_contain_text("2 machines shoot", timeout=LONG_MS)
    expect(page.locator("#crew")).to_contain_text("lamp-1")
    queued = page.locator("[data-state=queued]")
    last = queued.last.get_attribute("data-take")
    queued.last.get_by_role("button", name="Move up").click()
    expect(queued.last).not_to_have_attribute("data-take", last or "")
    expect(page.locator("[data-take] img").first).to_be_visible(timeout=LONG_MS)
    cluster.kill(cluster.machines.pop(0))
    running = page.locator("[data-state=running]").first
    running.get_by_role("button", name="Pause").click()
    paused = page.locator("[data-state=paused]")
    expect(paused).to_have_count(1)
    cluster.add()
    paused.get_by_role("button", name="Resume").click()
    expect(page.locator("[data-state=done]")).to_have_count(4, timeout=LONG_MS)
    # every frame that the strips show is drawn, and every frame is kept
    images = page.locator("[data-take] img")
    expect(images).to_have_count(40)
    images.evaluate_all("(all) => all.forEach((image) => (image.loading = 'eager'))")
    page.wait_for_function("() => [...document.querySelectorAll('[data-take] img')].every((x) => x.naturalWidth > 0)")
    takes = [studio.takes.get(take) for take in studio.takes.ids()]
    assert all(sorted(take.frames) == list(take.numbers) for take in takes)
    assert {(take.project.shot.id, take.project.look.id) for take in takes} == {
        (shot, look)
        for shot in (takes[0].project.shots[0].id, "shot-2")
        for look in (takes[0].project.looks[0].id, "look-2")
    }
