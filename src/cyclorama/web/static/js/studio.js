/** The studio floor: brings the lens, the strip, the plan, the call sheet and the cards together. */

import { make, mark, say, upload } from "./api.js";
import { Cards } from "./cards.js";
import { Clock } from "./clock.js";
import { Fields } from "./fields.js";
import { acceptFiles, bringIn } from "./intake.js";
import { bindKeys } from "./keys.js";
import { Lens } from "./lens.js";
import { Plan } from "./plan.js";
import { ProjectStore } from "./project.js";
import { Strip } from "./strip.js";

const byId = (id) => document.getElementById(id);
const STATIONS = ["subject", "set", "camera", "light", "materials", "shoot"];
/** What is judged better by the stand-in while it is dragged, because it is there at once: all that moves. */
const MOVES = new Set(["camera", "motion", "transform"]);
const TAPES = { materials: "var(--color-soft)", shoot: "var(--color-ink)" };

const store = new ProjectStore(JSON.parse(byId("project-id").textContent), JSON.parse(byId("affects").textContent));
const clock = new Clock(store);
const chosen = { light: null, material: null, slot: null, item: null };
const lens = new Lens(store, clock);
const strip = new Strip(byId("strip"), store, clock);
let station = STATIONS.includes(location.hash.slice(1)) ? location.hash.slice(1) : "subject";

const floor = {
  /** Draw a pose that is not saved yet. */
  preview: (pose) => {
    lens.preview(pose);
    plan.show(pose);
  },
  /** Show changes that are not saved yet: in the picture, or where the camera or the subject goes in the stand-in. */
  attempt: (changes) => {
    if (!changes.some(({ path }) => MOVES.has(store.affects(path)))) {
      lens.attempt(changes);
      if (changes.some(({ path }) => path.includes("/lights/"))) store.preview(changes, clock.frame, (pose) => plan.show(pose));
    } else {
      lens.handle();
      store.preview(changes, clock.frame, floor.preview);
    }
  },
  /** Open the card of what was taken hold of. */
  choose: (what, id) => {
    if (what === "light" && id) chosen.light = id;
    if (what === "subject" && id) chosen.item = id;
    open(what);
  },
  /** Show which part is meant: its number, or none. */
  point: (part) => {
    if (part !== null) lens.handle();
    else if (!clock.playing) lens.develop(300);
    lens.standin.point(part);
  },
  /** Handling ended without a change. */
  settle: () => {
    store.cancelPreview();
    plan.show();
    lens.place();
    lens.develop();
  },
};
const plan = new Plan(byId("plan"), store, clock, floor);
lens.onpreview = (pose) => floor.preview(pose);
const fields = new Fields(document.body, store, chosen, floor);
const cards = new Cards(store, chosen, () => refresh(), floor);

function refresh() {
  cards.show(store.state);
  fields.show();
}

/** Open a station's card. */
function open(key) {
  station = key;
  history.replaceState(null, "", `#${key}`);
  for (const card of document.querySelectorAll("[data-card]")) card.hidden = card.dataset.card !== key;
  for (const line of byId("stations").children) line.setAttribute("aria-current", line.dataset.station === key);
  byId("cards").scrollTop = 0;
  if (store.state) refresh();
}

function showStations(state) {
  byId("stations").replaceChildren(...state.stations.map((s, i) =>
    make("button", { class: "station", "data-station": s.key, style: `--tape: ${TAPES[s.key] ?? `var(--color-${s.key})`}`, "aria-current": s.key === station, title: `${s.title} (${i + 1})`, onclick: () => open(s.key) },
      make("span", { class: "mb-0.5 flex items-center justify-between" }, make("span", { class: "text-[14px] font-semibold" }, s.title), mark(s.mark)),
      make("span", { class: "block text-soft" }, s.sentence),
      ...s.hints.slice(0, 2).map((text) => make("span", { class: "mt-1 block text-look" }, text)))));
}

function showFrame() {
  const { first, frames, rate } = store.state.shot;
  const box = byId("frame-number");
  if (document.activeElement !== box) box.value = clock.frame;
  byId("time").textContent = `of ${first}–${first + frames - 1} · ${(((clock.frame - first) * rate[1]) / rate[0]).toFixed(2)} s`;
  byId("play").textContent = clock.playing ? "Pause" : "Play";
}

store.subscribe(async (state) => {
  clock.settle();
  document.title = `${state.project.name} · Cyclorama`;
  byId("undo").disabled = !state.undo;
  byId("redo").disabled = !state.redo;
  byId("undo").title = state.undo ? `Undo: ${state.undo} (Ctrl+Z)` : "Nothing to undo";
  byId("redo").title = state.redo ? `Redo: ${state.redo} (Ctrl+Shift+Z)` : "Nothing to redo";
  byId("saved").textContent = "Saved";
  byId("drop").hidden = Boolean(state.project.items.length);
  showStations(state);
  showFrame();
  strip.show();
  plan.show();
  refresh();
  lens.develop();
  await lens.show(state);
});
clock.subscribe(() => {
  lens.handle();
  lens.place();
  strip.place();
  showFrame();
  plan.show();
  if (!clock.playing) lens.develop(60);
});

store.onsend = () => lens.pause(); // what is changed is saved sooner when nothing is traced meanwhile
store.staleListeners.push((count) => {
  byId("stale").hidden = false;
  byId("stale-words").textContent = count === 1 ? "Your last change is not saved yet." : `Your last ${count} changes are not saved yet.`;
});
for (const [id, again] of [["stale-apply", true], ["stale-drop", false]])
  byId(id).addEventListener("click", () => {
    byId("stale").hidden = true;
    store.settle(again);
  });

byId("undo").addEventListener("click", () => store.undo());
byId("redo").addEventListener("click", () => store.redo());
byId("play").addEventListener("click", () => clock.toggle());
byId("fit").addEventListener("click", () => cards.act("fit"));
for (const button of document.querySelectorAll("[data-step-frame]")) button.addEventListener("click", () => clock.go(clock.frame + Number(button.dataset.stepFrame)));
byId("frame-number").addEventListener("change", (e) => {
  const frame = Number.parseInt(e.target.value, 10);
  e.target.blur();
  if (Number.isFinite(frame)) clock.go(frame);
  showFrame();
});
for (const [id, side] of [["plan-top", false], ["plan-side", true]])
  byId(id).addEventListener("click", () => {
    plan.side = side;
    byId("plan-top").setAttribute("aria-pressed", !side);
    byId("plan-side").setAttribute("aria-pressed", side);
    plan.show();
  });
byId("pick-focus").addEventListener("click", () => lens.pick("Click on what should stay in focus.", (place) => store.change({ kind: "focus_on", ...place })));
byId("clear-focus").addEventListener("click", () => store.set("camera/focus_point_m", null));
byId("pick-grey").addEventListener("click", () => lens.pick("Click on something that should be grey.", (place) => store.change({ kind: "grey_at", ...place })));
const toggleGuides = () => {
  const on = byId("guides").classList.toggle("hidden");
  byId("toggle-guides").setAttribute("aria-pressed", !on);
};
byId("toggle-guides").addEventListener("click", toggleGuides);
byId("show-keys").addEventListener("click", () => byId("keys").showModal());

/** Bring a model in: in place of the subject, or beside what is on the set. */
async function takeModel(files, beside = false) {
  const result = await bringIn(`${store.url}/${beside ? "items" : "subject"}`, files);
  if (result) {
    await store.load();
    open("subject");
    if (result.kept) say(`${result.kept === 1 ? "One part keeps its" : `${result.kept} parts keep their`} material, by name. The placement is kept too.`);
  }
}
let beside = false;
for (const [id, is] of [["pick-model", false], ["pick-model-empty", false], ["pick-model-beside", true]])
  byId(id).addEventListener("click", () => ((beside = is), byId("model-file").click()));
byId("model-file").addEventListener("change", async (e) => {
  await takeModel([...e.target.files], beside);
  e.target.value = "";
});
acceptFiles(document.body, (files) =>
  files.length === 1 && /\.(hdr|exr)$/i.test(files[0].name) ? takeEnvironment(files[0]) : takeModel(files));
byId("pick-environment").addEventListener("click", () => byId("environment-file").click());
async function takeEnvironment(file) {
  try {
    store.take(await upload(`${store.url}/environment?base_version=${store.state.version}`, [file], "file"));
    open("light");
  } catch (error) {
    say(error.message, 10);
  }
}
byId("environment-file").addEventListener("change", (e) => {
  if (e.target.files[0]) takeEnvironment(e.target.files[0]);
  e.target.value = "";
});

const travel = (path, by) => {
  const place = `camera/${path}_deg`;
  store.set(place, Math.round((store.value(place) + by) * 10) / 10);
};
bindKeys([
  { keys: [" "], label: "Play or pause the move", run: () => clock.toggle() },
  { keys: ["ArrowLeft", "ArrowRight"], label: "One frame back, on", run: (e) => clock.go(clock.frame + (e.key === "ArrowLeft" ? -1 : 1)) },
  { keys: ["Shift+ArrowLeft", "Shift+ArrowRight"], label: "Ten frames back, on", run: (e) => clock.go(clock.frame + (e.key === "ArrowLeft" ? -10 : 10)) },
  { keys: ["Home", "End"], label: "First frame, last frame", run: (e) => clock.go(store.state.shot.first + (e.key === "Home" ? 0 : store.state.shot.frames - 1)) },
  { keys: ["1", "2", "3", "4", "5", "6"], label: "Open a station", run: (e) => open(STATIONS[Number(e.key) - 1]) },
  { keys: ["b"], label: "Bring the subject inside the margin", run: () => cards.act("fit") },
  { keys: ["m"], label: "Meter the subject", run: () => cards.act("meter") },
  { keys: ["p"], label: "Plan or elevation", run: () => byId(plan.side ? "plan-top" : "plan-side").click() },
  { keys: ["l"], label: "Guide lines on or off", run: toggleGuides },
  { keys: ["+", "-"], label: "Closer, farther", run: (e) => lens.dolly(e.key === "+" ? 0.95 : 1 / 0.95) },
  { keys: [",", "."], label: "Travel round", run: (e) => travel("azimuth", e.key === "," ? -5 : 5) },
  { keys: ["PageUp", "PageDown"], label: "Camera up, down", run: (e) => travel("elevation", e.key === "PageUp" ? 2 : -2) },
  { keys: ["Ctrl+z"], label: "Undo", run: () => store.undo() },
  { keys: ["Ctrl+y", "Ctrl+Z"], label: "Redo", run: () => store.redo() },
  { keys: ["Escape"], label: "Stop picking in the lens", run: () => lens.stopPicking() },
  { keys: ["?"], label: "This list", run: () => byId("keys").showModal() },
]);

window.addEventListener("hashchange", () => STATIONS.includes(location.hash.slice(1)) && location.hash.slice(1) !== station && open(location.hash.slice(1)));
window.addEventListener("resize", () => store.state && plan.show());
open(station);
store.load().catch((error) => say(error.message, 30));
