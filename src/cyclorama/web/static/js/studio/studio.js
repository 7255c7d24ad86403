/** The studio floor: brings the lens, the strip, the plan, the call sheet and the cards together. */

import { byId } from "../shared/dom.js";
import { make, mark, say, upload } from "../shared/api.js";
import { Cards } from "../cards/cards.js";
import { ColourPicker } from "./colour_picker.js";
import { Clock } from "./clock.js";
import { Curves } from "../strip/curves.js";
import { Dropping } from "./drag_and_drop.js";
import { Fields } from "../shared/fields.js";
import { isDrawing } from "../cards/marks.js";
import { acceptFiles, bringIn } from "../shared/intake.js";
import { floorKeys } from "./floor_keys.js";
import { KeyMarks } from "../strip/key_marks.js";
import { bindKeys } from "../shared/keys.js";
import { Lanes } from "../strip/lanes.js";
import { Lens } from "../lens/lens.js";
import { Palette } from "./palette.js";
import { PartTools } from "./part_tools.js";
import { Plan } from "../plan/plan.js";
import { bindExposure } from "./exposure_corner.js";
import { Find } from "./find.js";
import { HelpTip } from "./help_tip.js";
import { PlanHeight } from "./plan_height.js";
import { ProjectStore } from "./project.js";
import { Proof } from "./proof.js";
import { ShotTabs } from "./shot_tabs.js";
import { StockDrawer } from "./stock_drawer.js";
import { Strip } from "../strip/strip.js";
import { Touch } from "../lens/touch.js";
import { schema } from "../shared/schema.js";

const told = (id) => JSON.parse(byId(id).textContent);
const AGAIN_MS = 2000;
/** What is judged better by the stand-in while it is dragged, because it is there at once: all that moves. */
const MOVES = new Set(["camera", "motion", "transform"]);
const TAPES = { materials: "var(--color-soft)", shoot: "var(--color-ink)" };
/** Sections of cards that show what was taken hold of. */
const SECTIONS = { light: "Lights", subject: "Place", set: "Set" };
const stationInAddress = () => (schema.stations.includes(location.hash.slice(1)) ? location.hash.slice(1) : null);

export class Floor {
  constructor() {
    this.store = new ProjectStore(told("project-id"), told("affects"), told("keyable"));
    this.clock = new Clock(this.store);
    this.chosen = { light: null, material: null, slot: null, layer: null, decal: null, item: null, row: null, segment: null, piece: null };
    this.station = stationInAddress() ?? "subject";
    /** Whether the files that are picked next come beside what is on the set. */
    this.beside = false;
    const { store, clock, chosen } = this;
    this.lens = new Lens(store, clock);
    this.strip = new Strip(byId("strip"), store, clock);
    this.lanes = new Lanes(byId("lanes"), store, clock, this.strip);
    this.curves = new Curves(byId("curves"), store, clock, this.strip);
    this.lanes.onchoose = (path, beside) => this.curves.choose(path, beside);
    this.shots = new ShotTabs(store);
    this.proof = new Proof(store, clock);
    this.plan = new Plan(byId("plan"), store, clock, this);
    this.fields = new Fields(document.body, store, chosen, this);
    this.marks = new KeyMarks(document.body, store, (short) => store.resolve(short, chosen));
    this.cards = new Cards(store, chosen, () => this.refresh(), this);
    this.picker = new ColourPicker(store, this);
    this.palette = new Palette(store, chosen, this, this.picker);
    this.touch = new Touch(this.lens, this, chosen);
    this.stock = new StockDrawer(store, chosen, this);
    this.partTools = new PartTools(store, this.touch, this, chosen);
    this.dropping = new Dropping(this.lens, this, this.touch, chosen, this.palette, this.cards.surfaceLayers);
    this.lens.onpreview = (pose) => this.preview(pose);
    this.lens.onsettle = () => this.settle();
    this.lens.ongrip = ({ light }) => light && this.choose("light", light);
    store.subscribe((state) => this.#show(state));
    store.onasked = () => store.state && this.#showValues();
    clock.subscribe(() => this.#showTime());
    store.beforeSending(() => (this.lens.pause(), this.lens.forgetPoses())); // what is changed is saved sooner when nothing is traced meanwhile
    this.#bindHistory();
    this.#bindTransport();
    this.#bindPicking();
    this.#bindFiles();
    const keys = floorKeys(this);
    bindKeys("floor", keys);
    this.find = new Find(this, keys);
    new HelpTip();
    new PlanHeight(() => store.state && this.plan.show());
    bindExposure(this);
    window.addEventListener("hashchange", () => stationInAddress() && stationInAddress() !== this.station && this.open(stationInAddress()));
    window.addEventListener("resize", () => store.state && this.plan.show());
    window.addEventListener("pagehide", (e) => e.persisted || this.dispose());
  }

  begin() {
    this.open(this.station);
    this.store.there.then(() => (byId("floor").inert = byId("project-name").disabled = false)); // nothing can be touched before it is shown
    return this.#load();
  }

  /** Load the project; a server that does not answer or is busy is asked again until it does. */
  async #load() {
    try {
      await this.store.load();
    } catch (error) {
      say(error.message, 30);
      if (error.status === 0 || error.status >= 500) setTimeout(() => this.#load(), AGAIN_MS);
    }
  }

  /** Let go of what outlives the page's elements. */
  dispose() {
    for (const view of [this.lens, this.strip]) view.dispose();
  }

  /** Let a path be drawn on the plan. @param {(points: number[][]|null, closed: boolean) => void} done */
  sketchPath(done) {
    byId("plan-top").click();
    this.plan.paths.sketchOne(done);
  }

  /** Draw a pose that is not saved yet. */
  preview(pose) {
    this.proof.place(false);
    this.lens.preview(pose);
    this.plan.show(pose);
    this.cards.lensCard.figures(pose.lens);
  }

  /** Show changes that are not saved yet: in the picture, or where the camera or the subject goes in the stand-in. */
  attempt(changes) {
    const { store, lens, plan } = this;
    if (lens.draws && changes.some(({ path }) => path && MOVES.has(store.affects(path)))) {
      lens.handle();
      lens.pose(changes, (pose) => this.preview(pose));
    } else lens.attempt(changes, changes.some(({ path }) => path?.includes("/lights/")) ? (pose) => plan.show(pose) : null);
  }

  /** Open the card of what was taken hold of. */
  choose(what, id) {
    if (what === "light" && id) this.chosen.light = id;
    if (what === "subject" && id) this.chosen.item = id;
    this.open(what);
    if (SECTIONS[what]) this.cards.sections.open(what, SECTIONS[what]);
  }

  /** The frame that is shown, and the pose in it. */
  frame() {
    return this.clock.frame;
  }

  pose() {
    return this.clock.pose();
  }

  /** Something is dragged out of a card, or no more. @param {object|null} what */
  carry(what) {
    this.dropping.carry(what);
  }

  /** Let the chosen parts wear a material to start from or a kept one; false when none is chosen. @param {object} what */
  wear(what) {
    return this.touch.wear(what);
  }

  /** Let a colour be chosen; see `ColourPicker.choose`. */
  chooseColour(beside, value, taker) {
    this.picker.choose(beside, value, taker);
  }

  /** Compare a material on the chosen parts with what they wear, by a wipe; false when none is chosen. */
  compareWorn(what, name) {
    const changes = this.touch.wearing(what);
    if (changes) this.cards.lightCard.looks.compareTried(changes, name);
    return Boolean(changes);
  }

  /** Ask for a place of the picture; see `Lens.pick`. @param {((place: any) => void)|null} tryOn */
  pick(prompt, then, tryOn = null) {
    this.lens.pick(prompt, then, tryOn);
  }

  /** What is measured of every frame, as it is chosen on the strip. */
  lane() {
    return this.strip.lane();
  }

  /** Show which part is meant: its number, or none. */
  point(part) {
    if (part !== null) this.lens.handle();
    else if (!this.clock.playing) this.lens.develop(300);
    this.lens.standin.point(part);
  }

  /** Handling ended without a change. */
  settle() {
    this.lens.forgetPoses();
    this.plan.show();
    this.lens.place();
    this.lens.develop();
  }

  #showValues() {
    this.fields.show();
    this.marks.show();
  }

  refresh() {
    this.cards.show(this.store.state);
    this.#showValues();
    this.touch.markList();
    this.lens.standin.chooseLight(this.chosen.light);
    if (!this.plan.inHand) this.plan.show(); // the chosen lamp has handles on it
  }

  /** Open a station's card. */
  open(key) {
    this.station = key;
    history.replaceState(null, "", `#${key}`);
    for (const card of document.querySelectorAll("[data-card]")) card.hidden = card.dataset.card !== key;
    byId("open-guide").href = `/guide#${key}`;
    for (const line of byId("stations").children) line.setAttribute("aria-current", line.dataset.station === key);
    byId("cards").scrollTop = 0;
    if (this.store.state) this.refresh();
  }

  async #show(state) {
    this.clock.settle();
    document.title = `${state.project.name} · Cyclorama`;
    byId("undo").disabled = !state.undo;
    byId("redo").disabled = !state.redo;
    byId("undo").title = state.undo ? `Undo: ${state.undo} (Ctrl+Z)` : "Nothing to undo";
    byId("redo").title = state.redo ? `Redo: ${state.redo} (Ctrl+Shift+Z)` : "Nothing to redo";
    this.store.onsaving();
    byId("drop").hidden = Boolean(state.project.items.length);
    this.#showStations(state);
    this.#showNext(state);
    this.#showFrame();
    this.strip.show();
    this.lanes.show();
    this.curves.show();
    byId("toggle-curves").hidden = !Object.keys(state.shot.keyed).length;
    this.shots.show(state);
    this.proof.show(state);
    this.touch.show(state);
    this.palette.show(state);
    this.stock.show(state);
    this.refresh();
    this.lens.develop();
    await this.lens.show(state);
    this.#showKeyed();
  }

  #showTime() {
    this.touch.forget();
    this.lens.handle();
    this.lens.place();
    this.proof.place(!this.lens.standin.outside.on);
    this.strip.place();
    this.lanes.place();
    this.curves.place();
    this.#showFrame();
    this.plan.show();
    this.#showKeyed();
    if (!this.clock.playing) this.lens.develop(60);
  }

  /** What is keyed in the frame that is shown: numbers, lights on the plan and in the stand-in. */
  #showKeyed() {
    const { store, clock, plan } = this;
    if (!Object.keys(store.state.shot.keyed).length) return;
    this.#showValues();
    const { frame } = clock;
    this.lens.pose([], (pose) => {
      if (frame !== clock.frame || plan.inHand) return;
      this.lens.hold(pose.lens);
      this.cards.lensCard.figures(pose.lens);
      plan.show(pose);
    });
  }

  #showStations(state) {
    byId("stations").replaceChildren(...state.stations.map((s, i) =>
      make("button", { class: "station", "data-station": s.key, style: `--tape: ${TAPES[s.key] ?? `var(--color-${s.key})`}`, "aria-current": s.key === this.station, title: `${s.title} (${i + 1})`, onclick: () => this.open(s.key) },
        make("span", { class: "mb-0.5 flex items-center justify-between" }, make("span", { class: "text-[14px] font-semibold" }, s.title), mark(s.mark)),
        make("span", { class: "block text-soft" }, s.sentence),
        ...s.hints.slice(0, 2).map((text) => make("span", { class: "mt-1 block text-look" }, text)))));
  }

  /** What to do next, until something was delivered. */
  #showNext({ next }) {
    byId("next").hidden = !next;
    if (!next) return;
    byId("next-sentence").textContent = next.sentence;
    byId("next-step").textContent = next.title;
    const press = (id) => () => byId(id).click();
    const go = (address) => () => location.assign(address);
    byId("next-step").onclick = {
      bring: press("model-file"), change: () => this.store.change(...next.changes), open: () => this.open(next.target), proof: press("proof"),
      test: press("test-frame"), shoot: press("shoot"), log: go("/shoots"), screen: go(`/takes/${next.target}`), cut: go(`/projects/${this.store.id}/cut`),
    }[next.action];
  }

  #showFrame() {
    const { first, frames, rate } = this.store.state.shot;
    const box = byId("frame-number");
    if (document.activeElement !== box) box.value = this.clock.frame;
    byId("time").textContent = `of ${first}–${first + frames - 1} · ${(((this.clock.frame - first) * rate[1]) / rate[0]).toFixed(2)} s`;
    byId("play").textContent = this.clock.playing ? "Pause" : "Play";
  }

  #bindHistory() {
    const { store } = this;
    store.bindBar();
    store.onsaving = () => (byId("saved").textContent = store.told);
    byId("undo").addEventListener("click", () => store.back("undo"));
    byId("redo").addEventListener("click", () => store.back("redo"));
  }

  #bindTransport() {
    const { clock, plan } = this;
    byId("play").addEventListener("click", () => clock.toggle());
    byId("fit").addEventListener("click", () => this.cards.lensCard.fit());
    for (const button of document.querySelectorAll("[data-step-frame]")) button.addEventListener("click", () => clock.go(clock.frame + Number(button.dataset.stepFrame)));
    byId("frame-number").addEventListener("keydown", (e) => e.key === "Enter" && e.target.blur());
    byId("frame-number").addEventListener("change", (e) => {
      const frame = Number.parseInt(e.target.value, 10);
      e.target.blur();
      if (Number.isFinite(frame)) clock.go(frame);
      this.#showFrame();
    });
    for (const [id, side] of /** @type {[string, boolean][]} */ ([["plan-top", false], ["plan-side", true]]))
      byId(id).addEventListener("click", () => {
        plan.side = side;
        byId("plan-top").setAttribute("aria-pressed", !side);
        byId("plan-side").setAttribute("aria-pressed", side);
        plan.show();
      });
    byId("lane-choice").addEventListener("change", () => plan.show());
    byId("to-and-fro").addEventListener("click", () => this.toggleToAndFro());
    byId("toggle-curves").addEventListener("click", (e) => e.currentTarget.setAttribute("aria-pressed", this.curves.toggle()));
    byId("keying").addEventListener("click", () => this.toggleKeying());
  }

  toggleToAndFro() {
    this.clock.toAndFro = !this.clock.toAndFro;
    byId("to-and-fro").setAttribute("aria-pressed", this.clock.toAndFro);
  }

  /** Every change of a value that can be keyed becomes a key, or no longer: it is shown all around the lens. */
  toggleKeying() {
    const on = (this.store.keying = !this.store.keying);
    byId("keying").setAttribute("aria-pressed", on);
    byId("mat").classList.toggle("keying", on);
    byId("keying-badge").hidden = !on;
  }

  #bindPicking() {
    const { store, lens } = this;
    byId("pick-focus").addEventListener("click", () => lens.pick("Click on what should stay in focus.", (place) => store.change({ kind: "focus_on", ...place })));
    byId("clear-focus").addEventListener("click", () => store.set("camera/focus_point_m", null));
    byId("pick-grey").addEventListener("click", () => lens.pick("Click on something that should be grey.", (place) => store.change({ kind: "grey_at", ...place })));
    byId("walk-out").addEventListener("click", () => this.walkOut());
    byId("walk-out").disabled = !this.lens.draws;
    byId("fold").addEventListener("click", () => this.fold());
    byId("toggle-guides").addEventListener("click", () => this.toggleGuides());
    byId("show-keys").addEventListener("click", () => byId("keys").showModal());
  }

  fold() {
    byId("fold").setAttribute("aria-pressed", byId("floor").classList.toggle("folded"));
    this.plan.show();
    this.strip.show();
    this.lanes.show();
    this.curves.show();
  }

  walkOut() {
    if (!this.lens.draws) return;
    byId("walk-out").setAttribute("aria-pressed", this.lens.walkOut());
    this.proof.place(false);
  }

  toggleGuides() {
    byId("toggle-guides").setAttribute("aria-pressed", !byId("guides").classList.toggle("hidden"));
  }

  #bindFiles() {
    for (const [id, beside] of /** @type {[string, boolean][]} */ ([["pick-model", false], ["pick-model-empty", false], ["pick-model-beside", true]]))
      byId(id).addEventListener("click", () => {
        this.beside = beside;
        byId("model-file").click();
      });
    byId("model-file").addEventListener("change", async (e) => {
      await this.#takeModel([...e.target.files], this.beside);
      e.target.value = "";
    });
    acceptFiles(document.body, (files) => {
      if (files.length === 1 && /\.(hdr|exr)$/i.test(files[0].name)) return this.#takeEnvironment(files[0]);
      if (files.length === 1 && isDrawing(files[0])) return this.cards.marks.bring(files[0]).then(() => this.open("subject"));
      if (files.length && files.every(({ type }) => type.startsWith("image/"))) return Promise.all(files.map((file) => this.palette.keepReference(file)));
      return this.#takeModel(files);
    });
    byId("pick-environment").addEventListener("click", () => byId("environment-file").click());
    byId("environment-file").addEventListener("change", (e) => {
      if (e.target.files[0]) this.#takeEnvironment(e.target.files[0]);
      e.target.value = "";
    });
  }

  /** Bring a model in: in place of the subject, or beside what is on the set. */
  async #takeModel(files, beside = false) {
    const result = await this.store.during(() => bringIn(`${this.store.url}/${beside ? "items" : "subject"}`, files));
    if (!result) return;
    this.open("subject");
    if (result.kept) say(`${result.kept === 1 ? "One part keeps its" : `${result.kept} parts keep their`} material, by name. The placement is kept too.`);
  }

  async #takeEnvironment(file) {
    if (await this.store.edit((version) => upload(`${this.store.url}/environment?base_version=${version}`, [file], "file"))) this.open("light");
  }
}

new Floor().begin();
