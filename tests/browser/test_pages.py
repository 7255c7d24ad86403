"""Every page and card for everybody, and for nobody else: accessibility, foreign pages, first starts, two windows."""

import json
import threading
import urllib.error
import urllib.request
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Browser, Page, expect
from tests.browser.conftest import LONG_MS, Server, deafen
from tests.browser.test_studio import field, opened
from tests.shoot.test_shoot import wait_for

CARDS = ("subject", "set", "camera", "light", "materials", "shoot")
SMALL = {
    "shot/shoot/width": 64,
    "shot/shoot/height": 48,
    "shot/shoot/samples": 4,
    "shot/frames": 3,
    "shot/shoot/passes/wanted": ["lights", "clay"],
}


def ask(server: Server, url: str, body: object = None) -> dict:
    data = None if body is None else json.dumps(body).encode()
    request = urllib.request.Request(server.address + url, data, {"content-type": "application/json"})
    with urllib.request.urlopen(request, timeout=60) as answer:
        return json.load(answer)


@pytest.fixture(scope="module")
def take(server: Server, floor: str) -> str:
    """Id of a small take of the model on the floor."""
    project = f"/api/projects/{floor.rsplit('/', 1)[1]}"
    version = ask(server, project)["version"]
    changes = [{"kind": "set", "path": path, "value": value} for path, value in SMALL.items()]
    ask(server, f"{project}/changes", {"base_version": version, "changes": changes})
    identity = ask(server, f"{project}/takes", {"version": ask(server, project)["version"]})["id"]
    wait_for(lambda: ask(server, f"/api/takes/{identity}")["state"] == "done")
    return str(identity)


def problems(page: Page) -> list[str]:
    """What axe-core finds, one line a rule."""
    found = Axe().run(page, options={"resultTypes": ["violations"], "rules": {"region": {"enabled": True}}})
    return [f"{v['id']}: {[n['target'] for n in v['nodes'][:4]]}" for v in found.response["violations"]]


def test_projects_are_found_renamed_duplicated_removed_and_brought_back(page: Page, server: Server, floor: str) -> None:
    page.goto(server.address)
    key = floor.rsplit("/", 1)[1]
    card = page.locator(f"[data-project={key}]")
    name = card.get_attribute("data-name") or ""
    card.hover()
    card.get_by_role("button", name=f"Duplicate {name}").click()
    copy = page.locator(f"[data-project]:has(h2:text-is('{name} 2'))")
    expect(copy).to_have_count(1)
    copy.hover()
    page.once("dialog", lambda dialog: dialog.accept("Understudy"))
    copy.get_by_role("button", name=f"Rename {name} 2").click()
    understudy = page.locator("[data-name=Understudy]")
    expect(understudy.locator("h2")).to_have_text("Understudy")
    page.fill("#wall-search", "under")
    expect(card).to_be_hidden()
    expect(understudy).to_be_visible()
    page.fill("#wall-search", "brass-ball.glb")
    expect(card).to_be_visible()
    page.fill("#wall-search", "nothing at all")
    expect(page.locator("#wall-nothing")).to_be_visible()
    page.fill("#wall-search", "")
    page.select_option("#wall-order", "name")
    names = [one.get_attribute("data-name") or "" for one in page.locator("[data-project]").all()]
    assert names == sorted(names, key=str.lower)
    # into the bin, and back by the offer that is made at once
    understudy.hover()
    understudy.get_by_role("button", name="Remove Understudy").click()
    expect(understudy).to_be_hidden()
    page.locator("#toast").get_by_role("button", name="Undo").click()
    expect(understudy).to_be_visible()
    # again, and from the bin: brought back, and deleted for good
    for step in ("Restore", "Delete"):
        page.goto(server.address)
        understudy.hover()
        understudy.get_by_role("button", name="Remove Understudy").click()
        expect(understudy).to_be_hidden()
        page.goto(f"{server.address}/bin")
        line = page.locator("[data-binned]").filter(has_text="Understudy")
        expect(line).to_contain_text("Project with no takes")
        expect(line).to_contain_text("30 days")
        page.once("dialog", lambda dialog: dialog.accept())
        line.get_by_role("button", name=f"{step} Understudy").click()
        expect(line).to_have_count(0)
    page.goto(server.address)
    expect(card).to_be_visible()
    expect(understudy).to_have_count(0)


def test_the_wall_shows_a_drawing_until_the_poster_is_there(page: Page, server: Server, floor: str) -> None:
    """Also when it is left while a poster develops, and comes back."""
    key = floor.rsplit("/", 1)[1]
    for poster in (server.folder / "posters").glob(f"{key}.*"):
        poster.unlink()
    release = threading.Event()
    page.route(
        "**/poster",
        lambda route: (
            route.continue_()
            if release.is_set()
            else route.fulfill(status=202, json={"sentence": "Preparing the renderer"})
        ),
    )
    page.goto(server.address)
    card = page.locator(f"[data-project={key}]")
    image = card.locator("img")
    expect(card.get_by_role("status")).to_have_text("Preparing the renderer")
    assert image.evaluate("i => i.complete && i.naturalWidth") == 480
    assert "/sketch" in (image.get_attribute("src") or "")
    page.goto("about:blank")
    release.set()
    page.goto(server.address)
    expect(card.get_by_role("status")).to_have_count(0, timeout=LONG_MS)
    assert (image.get_attribute("src") or "").startswith("blob:")


MISFITS = """() => [...document.querySelectorAll(".floor *, header *")].flatMap((element) => {
    const words = [...element.childNodes].filter((n) => n.nodeType === 3).map((n) => n.textContent.trim()).join("");
    const box = element.getBoundingClientRect();
    if (!words || !box.width || !box.height || element.closest(".sr-only, svg")) return [];
    const small = parseFloat(getComputedStyle(element).fontSize) < 11;
    const wraps = element.matches(".row > .name, .chip, .btn, .seg button") && box.height > 34;
    const whole = element.matches(".row > .name:not(.truncate), .btn, .chip");
    const clipped = whole && element.scrollWidth > element.clientWidth + 1;
    const outside = box.right > innerWidth + 1 || box.left < -1;
    return small || wraps || clipped || outside ? [`${words}: ${small} ${wraps} ${clipped} ${outside}`] : [];
})"""
"""Words on the studio floor that are too small, or do not fit where they stand."""


@pytest.mark.parametrize("card", CARDS)
def test_cards_are_accessible_and_fit_small_screens(page: Page, floor: str, card: str) -> None:
    page.set_viewport_size({"width": 1024, "height": 640})
    opened(page, floor, card)
    for more in page.locator(f"[data-card={card}] details").all():
        more.evaluate("d => (d.open = true)")
    parts = page.locator(f"[data-card={card}] [role=tab]:visible").all()
    assert len(parts) >= 2
    for part in parts:
        part.click()
        assert problems(page) == [], part.inner_text()
        assert page.evaluate(MISFITS) == [], part.inner_text()


def test_pages_are_accessible(page: Page, server: Server, take: str) -> None:
    for url, ready in (
        ("/", "[data-project]"),
        ("/shoots", "[data-take]"),
        ("/bin", "#bin-nothing:not([hidden]), [data-binned]"),
        ("/access", "#tokens-nothing:not([hidden])"),
        (f"/takes/{take}#grade", "#mix .row"),
        ("/projects/nobody", "h1"),
    ):
        page.goto(server.address + url)
        expect(page.locator(ready).first).to_be_visible(timeout=LONG_MS)
        assert problems(page) == [], url
    page.goto(server.address)
    page.route("**/api/intakes", lambda _: None)  # never answered
    page.set_input_files("#model-file", files=[{"name": "ball.glb", "mimeType": "", "buffer": b"glTF"}])
    expect(page.get_by_role("progressbar", name="Bringing in ball.glb")).to_be_visible()
    assert problems(page) == []


def test_a_token_is_made_shown_once_and_revoked(page: Page, server: Server) -> None:
    page.goto(server.address)
    page.get_by_role("link", name="Access").click()
    page.get_by_label("Program or machine").fill("Night farm")
    page.get_by_role("button", name="Make token").click()
    expect(page.get_by_role("heading", name="Token of ‘Night farm’")).to_be_visible()
    secret = page.locator("#token-secret").inner_text()
    request = urllib.request.Request(f"{server.address}/api/projects", headers={"authorization": f"Bearer {secret}"})
    with urllib.request.urlopen(request, timeout=60) as answer:
        assert answer.status == 200
    page.reload()
    expect(page.locator("[data-token]")).to_contain_text("Night farm")
    assert secret not in page.content()
    page.on("dialog", lambda dialog: dialog.accept())
    page.get_by_role("button", name="Revoke the token of Night farm").click()
    expect(page.get_by_text("No program has a token yet.")).to_be_visible()
    with pytest.raises(urllib.error.HTTPError, match="401"):
        urllib.request.urlopen(request, timeout=60)


class _Foreign(BaseHTTPRequestHandler):
    """A page of somebody else."""

    def do_GET(self) -> None:
        self.send_response(200)
        self.send_header("content-type", "text/html")
        self.end_headers()
        self.wfile.write(b"<!doctype html><title>Elsewhere</title>")

    def log_message(self, *_: object) -> None:
        pass


@pytest.fixture
def elsewhere() -> Iterator[str]:
    """The address of a page of another origin."""
    foreign = ThreadingHTTPServer(("127.0.0.1", 0), _Foreign)
    threading.Thread(target=foreign.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{foreign.server_port}/"
    foreign.shutdown()


TRIES = """async ({ studio, project, take }) => {
  const results = {};
  const attempt = async (name, what) => {
    try { results[name] = await what(); } catch { results[name] = "refused"; }
  };
  const socket = (path) => new Promise((done) => {
    const s = new WebSocket(studio.replace("http", "ws") + path);
    s.onmessage = () => done("heard");
    s.onclose = s.onerror = () => done("refused");
  });
  const plain = { method: "POST", mode: "no-cors", body: "{}", headers: { "content-type": "text/plain" } };
  const form = new FormData();
  form.append("files", new File(["x"], "a.png"));
  await attempt("log", () => socket("/live/takes"));
  await attempt("lens", () => socket(`/live/projects/${project}/lens`));
  await attempt("read", async () => (await fetch(`${studio}/api/takes`)).ok ? "read" : "refused");
  const post = { method: "POST", mode: "no-cors" };
  const sent = async (url, options) => (await fetch(studio + url, { ...post, ...options }), "sent");
  await attempt("stop", () => sent(`/api/takes/${take}/resume`, plain));
  await attempt("upload", () => sent(`/api/projects/${project}/pictures`, { body: form }));
  await attempt("create", () => sent("/api/projects", { ...plain, body: '{"name": "Foreign"}' }));
  await attempt("picture", () => new Promise((done) => {
    const image = new Image();
    image.onload = () => done("seen");
    image.onerror = () => done("refused");
    image.src = `${studio}/api/takes/${take}/frames/1`;
  }));
  await attempt("frame", () => new Promise((done) => {
    const frame = document.createElement("iframe");
    frame.onload = () => { try { done(frame.contentDocument ? "empty" : "refused"); } catch { done("refused"); } };
    frame.src = studio;
    document.body.append(frame);
  }));
  return results;
}"""


def test_a_foreign_page_in_the_same_browser_gets_nothing(
    page: Page, server: Server, floor: str, take: str, elsewhere: str
) -> None:
    project = floor.rsplit("/", 1)[1]
    before = ask(server, f"/api/projects/{project}")["version"]
    kept = sorted(p.name for p in (server.folder / "assets").rglob("*"))
    names = sorted(p.name for p in server.folder.glob("incoming/*"))
    page.goto(elsewhere)
    got = page.evaluate(TRIES, {"studio": server.address, "project": project, "take": take})
    # what was only sent without hearing an answer must not have done anything
    assert {name for name, what in got.items() if what not in ("refused", "sent")} == set(), got
    assert ask(server, f"/api/takes/{take}")["state"] == "done"
    assert ask(server, f"/api/projects/{project}")["version"] == before
    assert sorted(p.name for p in (server.folder / "assets").rglob("*")) == kept
    assert sorted(p.name for p in server.folder.glob("incoming/*")) == names
    page.goto(server.address)
    expect(page.locator("main")).not_to_contain_text("Foreign")


def test_changes_held_back_are_all_kept_in_order(page: Page, browser: Browser, floor: str) -> None:
    """Several quick edits on a stale version: none is lost, none overtakes another."""
    opened(page, floor, "camera")
    other = browser.new_page(viewport={"width": 1280, "height": 800})
    deafen(other)
    opened(other, floor, "camera")
    focal = field(page, "camera/focal_mm")
    focal.fill("61")
    focal.press("Enter")
    expect(page.locator("#undo")).to_have_attribute("title", "Undo: Set focal length (Ctrl+Z)")
    for path, value in (("camera/azimuth_deg", "21"), ("camera/focal_mm", "62"), ("camera/elevation_deg", "17")):
        box = field(other, path)
        box.fill(value)
        box.press("Enter")
    expect(other.locator("#stale")).to_contain_text("Your last 3 changes are not saved yet")
    other.click("#stale-apply")
    expect(other.locator("#undo")).to_have_attribute("title", "Undo: Set elevation (Ctrl+Z)")
    for path, value in (("camera/azimuth_deg", "21"), ("camera/focal_mm", "62"), ("camera/elevation_deg", "17")):
        expect(field(other, path)).to_have_value(value)
    for label in ("Set focal length", "Set start azimuth", "Set focal length"):
        other.keyboard.press("Escape")
        other.click("#undo")
        expect(other.locator("#undo")).to_have_attribute("title", f"Undo: {label} (Ctrl+Z)")
    other.close()
