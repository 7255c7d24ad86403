/** What the cards show besides their bound fields: facts, reports, lists. */

import { byId } from "../shared/dom.js";
import { schema, segmentKind } from "../shared/schema.js";
import { get, make, post, say, switchRow, withOrWithout } from "../shared/api.js";
import { hint } from "./hints.js";
import { CopiesCard } from "./copies_card.js";
import { Marks } from "./marks.js";
import { ItemList } from "./item_list.js";
import { SurfaceLayers } from "./surface_layers.js";
import { LensCard } from "./lens_card.js";
import { BackgroundSection } from "./background.js";
import { Colourways } from "./colourways.js";
import { LightCard } from "./light_card.js";
import { MaterialTray } from "./material_tray.js";
import { MaterialCard } from "./material_card.js";
import { MoveCard } from "./move_card.js";
import { Variations } from "./variations.js";
import { PlanTakes } from "./plan_takes.js";
import { Sections } from "./sections.js";
import { bindSpeeds } from "./speed.js";
import { SubjectCard } from "./subject_card.js";

export class Cards {
  /**
   * @param {import("../studio/project.js").ProjectStore} store
   * @param {import("../studio/project.js").Chosen} chosen
   * @param {() => void} refresh called when another light or material was chosen
   * @param {import("../studio/studio.js").Floor} floor
   */
  constructor(store, chosen, refresh, floor) {
    this.store = store;
    this.chosen = chosen;
    this.refresh = refresh;
    this.floor = floor;
    this.forecast = null;
    this.lightCard = new LightCard(store, chosen, refresh, floor);
    this.background = new BackgroundSection(store, floor);
    this.showSpeeds = bindSpeeds(store);
    this.materialCard = new MaterialCard(store, chosen, refresh, floor);
    this.variations = new Variations(store, chosen, floor);
    this.surfaceLayers = new SurfaceLayers(store, chosen, refresh, floor);
    this.tray = new MaterialTray(store, chosen, refresh, floor);
    this.colourways = new Colourways(store, chosen, (material) => this.tray.url(material));
    this.tray.onchange = () => this.colourways.show();
    this.subjectCard = new SubjectCard(store, chosen, refresh, floor);
    this.marks = new Marks(store, chosen, refresh);
    this.itemList = new ItemList(store, chosen, refresh, this.marks);
    this.copiesCard = new CopiesCard(store, chosen, refresh);
    this.lensCard = new LensCard(store);
    this.moveCard = new MoveCard(store, chosen, refresh, floor);
    byId("move-choice").addEventListener("click", (e) => e.target.dataset.move && store.change({ kind: "travel", move: e.target.dataset.move }));
    for (const button of document.querySelectorAll("[data-action]")) button.addEventListener("click", () => this.act(button.dataset.action, button));
    for (const tile of document.querySelectorAll("[data-haze]")) tile.addEventListener("click", () => this.#setHaze(tile.dataset.haze));
    byId("size-preset").addEventListener("change", (e) => this.#presetSize(e.target.value));
    this.planTakes = new PlanTakes(store);
    this.sections = new Sections();
    byId("plan-several").addEventListener("click", () => this.planTakes.open());
    byId("forecast").addEventListener("click", () => this.askForecast());
    byId("shoot").addEventListener("click", () => this.shoot({ forecast_s: this.forecast?.seconds ?? null }));
    byId("test-frame").addEventListener("click", () => this.shoot({ only: floor.frame() }));
    byId("test-part").addEventListener("click", () => floor.lens.pickPart("Drag over the part that is to be shot.", (region) => this.shoot({ only: floor.frame(), region })));
  }

  /** One of the actions that stations offer. @param {string} kind @param {HTMLButtonElement|null} button */
  async act(kind, button = null) {
    if (button) button.disabled = true;
    await this.store.change({ kind });
    if (button) button.disabled = false;
  }

  #setHaze(thickness) {
    if (thickness !== "off" || this.store.state.project.set.haze.on) this.store.change({ kind: "set_haze", thickness });
  }

  #presetSize(value) {
    if (!value) return;
    const [width, height] = value.split("x").map(Number);
    this.store.change({ kind: "set", path: this.store.full("shot/shoot/width"), value: width }, { kind: "set", path: this.store.full("shot/shoot/height"), value: height });
  }

  show(state) {
    for (const item of document.querySelectorAll("[data-when]")) item.hidden = !this.#has(item.dataset.when);
    for (const item of document.querySelectorAll("[data-unless]")) item.hidden = this.#has(item.dataset.unless);
    for (const tile of document.querySelectorAll("[data-haze]")) tile.setAttribute("aria-pressed", String(tile.dataset.haze === state.haze));
    this.sections.refresh();
    for (const list of document.querySelectorAll("[data-hints]")) {
      const { hints, fixes } = state.stations.find((s) => s.key === list.dataset.hints);
      list.replaceChildren(...hints.map((text) => hint(text, fixes[text], this.floor)));
    }
    this.itemList.show(state);
    this.marks.show();
    this.copiesCard.show(state);
    if (state.subject) this.subjectCard.show(state);
    for (const b of byId("move-choice").children) b.setAttribute("aria-pressed", state.shot.plain && b.dataset.move === state.shot.kind);
    byId("move-explained").textContent = state.shot.plain ? segmentKind(state.shot.kind).says : "Several segments, one after the other.";
    this.moveCard.show(state);
    byId("fit-report").textContent = state.margins ? `Margin ${(state.margins.worst * 100).toFixed(1)} %, tightest in frame ${state.margins.worst_frame}.` : "";
    this.lensCard.show(state);
    this.lightCard.show(state);
    this.background.show(state);
    this.showSpeeds();
    this.materialCard.show(state);
    this.surfaceLayers.show(state);
    this.variations.show();
    this.colourways.show();
    this.tray.show(!document.querySelector("[data-card=materials]").hidden);
    this.#shootCard(state);
    this.#passes(this.store.shot.shoot.passes);
  }

  #has(what) {
    const { subject, state: { project: { materials } } } = this.store;
    const chosen = this.store.item(this.chosen.item);
    return { "several-colourways": (chosen?.variants.length ?? 0) > 1, subject: Boolean(subject), model: Boolean(subject?.asset), colourways: (subject?.variants.length ?? 0) > 1, animated: Boolean(subject?.animations.length), materials: materials.length > 0 }[what];
  }

  #passes({ wanted, clay_spares: spared }) {
    const parts = this.store.state.project.items.flatMap((item) => item.parts);
    byId("clay-parts").replaceChildren(...parts.map(({ id, name }) =>
      switchRow(name, !spared.includes(id), `${name} in clay`, (on) => this.store.set("shot/shoot/passes/clay_spares", withOrWithout(spared, id, !on)))));
    byId("passes").replaceChildren(...schema.passes.map(({ name: key, title: name, says: title }) =>
      switchRow(name, wanted.includes(key), name, (on) => this.store.set("shot/shoot/passes/wanted", withOrWithout(wanted, key, on)), { title })));
  }

  #shootCard({ stations, version }) {
    const { width, height } = this.store.shot.shoot;
    const preset = byId("size-preset");
    preset.value = `${width}x${height}`;
    if (preset.selectedIndex < 0) preset.value = "";
    if (this.forecast?.version !== version) this.forecast = null;
    if (this.reused !== version) byId("reuse").textContent = "";
    const station = stations.find((s) => s.key === "shoot");
    byId("file-names").textContent = this.store.state.file_names;
    byId("readiness").textContent = this.forecast ? station.sentence.replace(/\.$/, `, ${this.forecast.sentence}.`) : station.sentence;
    byId("odd").replaceChildren(...station.hints.map((text) => make("li", {}, hint(text, station.fixes[text], this.floor))));
    for (const id of ["shoot", "test-frame", "test-part"]) byId(id).disabled = station.mark === "missing";
    byId("plan-several").hidden = !this.planTakes.several;
    this.#forecastSoon(version);
  }

  /** Once the Shoot card is open and nothing was changed for a moment, probe by itself. */
  #forecastSoon(version) {
    clearTimeout(this.soon);
    this.#tellReuse(version);
    if (this.forecast || byId("shoot").disabled || document.querySelector("[data-card=shoot]").hidden) return;
    this.soon = setTimeout(() => this.store.state.version === version && !this.forecast && !byId("forecast").disabled && this.askForecast(), 2500);
  }

  /** Say which frames need not be shot, once a version, while the card is open. */
  async #tellReuse(version) {
    if (this.reused === version || document.querySelector("[data-card=shoot]").hidden) return;
    this.reused = version;
    const { sentence } = await get(`${this.store.url}/reuse`).catch((error) => (say(error.message), { sentence: "" }));
    if (this.reused === version && this.store.state.version === version) byId("reuse").textContent = sentence;
  }

  async askForecast() {
    const button = byId("forecast");
    button.disabled = true;
    button.textContent = "Probing …";
    try {
      const { version } = this.store.state;
      this.forecast = { ...(await get(`${this.store.url}/forecast`)), version };
      this.show(this.store.state);
    } catch (error) {
      if (error.status !== 409) say(error.message); // of a project that was changed it is asked anew
    }
    button.disabled = false;
    button.textContent = "Forecast";
  }

  async shoot(wanted) {
    try {
      const take = await this.store.whenSaved((version) => post(`${this.store.url}/takes`, { version, ...wanted }));
      this.reused = null; // soon there are more
      byId("last-take").replaceChildren(`‘${take.name}’ is on the `, make("a", { href: "/shoots", class: "underline" }, "shoot log"), ". You can close the browser meanwhile.");
    } catch (error) {
      say(error.message, 10);
      if (error.status === 409) await this.store.load(); // so that it is seen what would be shot
    }
  }
}
