/** Several takes planned at once: shots down, looks across, colourways, cameras and passes beside; what that comes to. */

import { byId } from "../shared/dom.js";
import { make, mark, post, say } from "../shared/api.js";
import { schema } from "../shared/schema.js";

export class PlanTakes {
  /** @param {import("../studio/project.js").ProjectStore} store */
  constructor(store) {
    this.store = store;
    /** @type {any[]} */
    this.plan = [];
    this.ticked = new Set();
    this.colourways = new Set();
    this.cameras = new Set();
    this.passes = new Set();
    /** Seconds of takes that were forecast, by cell. */
    this.forecasts = new Map();
    byId("night-shoot").addEventListener("click", () => this.#shoot());
    byId("night-forecast").addEventListener("click", () => this.#forecast());
    byId("night-start").addEventListener("change", () => (byId("night-time").hidden = byId("night-start").value === "now"));
  }

  /** Whether there is anything to choose from. */
  get several() {
    const { shots, looks } = this.store.state.project;
    return shots.length > 1 || looks.length > 1 || this.store.state.project.cameras.length > 1 || (this.store.subject?.variants.length ?? 0) > 1;
  }

  open() {
    const { shots } = this.store.state.project;
    this.ticked = new Set(shots.map((shot) => `${shot.id} ${shot.look_id}`));
    for (const set of [this.colourways, this.cameras, this.passes, this.forecasts]) set.clear();
    this.version = this.store.state.version; // what is planned is what is seen here
    byId("night").showModal();
    this.#show();
  }

  #show() {
    const { shots, looks } = this.store.state.project;
    const head = make("tr", {}, make("th", { class: "p-2" }), ...looks.map((look) => make("th", { class: "p-2 text-left font-medium", scope: "col" }, look.name)));
    const rows = shots.map((shot) => make("tr", { class: "border-t border-rule" },
      make("th", { class: "p-2 text-left font-medium", scope: "row" }, shot.name, make("span", { class: "num ml-2 text-soft" }, shot.frames === 1 ? "still" : `${shot.frames}`)),
      ...looks.map((look) => make("td", { class: "p-2" }, this.#box(shot, look)))));
    byId("night-matrix").replaceChildren(make("table", { class: "w-full" }, make("thead", {}, head), make("tbody", {}, ...rows)));
    this.#develop();
    this.#choice("night-colourways", "Each in", this.colourways, this.store.subject?.variants ?? [], "or, where none is ticked, as the shots wear them");
    this.#choice("night-cameras", "Each through", this.cameras, this.store.state.project.cameras, "or, where none is ticked, the shots' own");
    byId("night-passes").replaceChildren(...schema.passes.map(({ name: id, title: name }) => this.#tick(this.passes, id, name, name)));
    this.#list();
  }

  /** A row of things of which each take is shot in every one that is ticked; not there where there is no choice. */
  #choice(id, words, set, things, otherwise) {
    byId(id).hidden = things.length < 2;
    const ticks = things.map((thing) => this.#tick(set, thing.id, thing.name, thing.name));
    byId(id).replaceChildren(make("span", { class: "text-soft" }, words), ...ticks, make("span", { class: "text-soft" }, otherwise));
  }

  /** Small pictures come one after the other, so that requests that matter never wait behind them. */
  async #develop() {
    const tiles = [...byId("night-matrix").querySelectorAll("img")];
    while (tiles.length && tiles[0].isConnected && byId("night").open) {
      const [tile] = tiles;
      const came = await new Promise((done) => {
        Object.assign(tile, { onload: () => done(true), onerror: () => done(false) });
        tile.src = tile.dataset.src;
      });
      if (came) tiles.shift();
      else {
        tile.removeAttribute("src");
        await new Promise((done) => setTimeout(done, 2500)); // the lens is busy with something else
      }
    }
  }

  #box(shot, look) {
    const { width, height } = shot.shoot;
    const src = `${this.store.url}/looks/${look.id}/tile.jpg?shot=${shot.id}&v=${this.store.state.version}`;
    const tile = make("img", { "data-src": src, alt: "", class: "w-[104px] rounded-[3px] bg-shade object-cover", style: `aspect-ratio: ${width} / ${height}` });
    const label = this.#tick(this.ticked, `${shot.id} ${look.id}`, `${shot.name} in ${look.name}`, shot.look_id === look.id ? "its own" : "");
    label.prepend(tile);
    return label;
  }

  /** A box that puts a key into a set, or takes it out. */
  #tick(set, key, label, text) {
    const turn = () => { if (!set.delete(key)) set.add(key); this.#list(); };
    const box = make("input", { type: "checkbox", class: "size-[15px] accent-ink", "aria-label": label, onchange: turn });
    box.checked = set.has(key);
    return make("label", { class: "flex items-center gap-2" }, box, text);
  }

  get #cells() {
    const { shots, looks } = this.store.state.project;
    const ticked = shots.flatMap((shot) => looks.filter((look) => this.ticked.has(`${shot.id} ${look.id}`)).map((look) => ({ shot: shot.id, look: look.id })));
    const or = (set) => (set.size ? [...set] : [null]);
    const passes = this.passes.size ? schema.passes.map(({ name: id }) => id).filter((id) => this.passes.has(id)) : null;
    return ticked.flatMap((cell) => or(this.cameras).flatMap((camera) => or(this.colourways).map((colourway) => ({ ...cell, colourway, camera, passes }))));
  }

  /** What the plan comes to, asked anew after each tick; an answer that comes late is not shown. */
  async #list() {
    const cells = this.#cells;
    const asked = (this.asked = Symbol("asked"));
    byId("night-shoot").disabled = byId("night-forecast").disabled = true;
    let plan = { takes: /** @type {any[]} */ ([]), sentence: "Nothing is ticked." };
    if (cells.length) {
      try {
        plan = await post(`${this.store.url}/plan`, { cells, forecasts_s: this.#seconds(cells) });
      } catch (error) {
        say(error.message);
        return;
      }
    }
    if (asked !== this.asked) return;
    const { takes, sentence } = plan;
    const forecasts = takes.map(({ cell }) => this.forecasts.get(JSON.stringify(cell)));
    byId("night-list").replaceChildren(...takes.map((take, i) => line(take, forecasts[i])));
    byId("night-total").textContent = sentence;
    this.plan = takes;
    byId("night-forecast").disabled = forecasts.every(Boolean);
    byId("night-shoot").textContent = takes.length > 1 ? `Shoot ${takes.length} takes` : "Shoot";
    byId("night-shoot").disabled = !takes.length || takes.some((take) => take.blocking.length > 0);
  }

  #seconds(cells) {
    return cells.map((cell) => this.forecasts.get(JSON.stringify(cell))?.seconds ?? null);
  }

  /** How long each take will take, one after the other; a plan that is changed meanwhile keeps what is known. */
  async #forecast() {
    const button = byId("night-forecast");
    button.textContent = "Forecasting …";
    try {
      let next;
      while (byId("night").open && (next = this.plan.find(({ cell }) => !this.forecasts.has(JSON.stringify(cell))))) {
        this.forecasts.set(JSON.stringify(next.cell), await post(`${this.store.url}/plan/forecast`, next.cell));
        await this.#list();
      }
    } catch (error) {
      say(error.message);
    }
    button.textContent = "Forecast";
  }

  /** The next time a clock shows what was asked for; null: now. */
  get #notBefore() {
    const [hours, minutes] = byId("night-time").value.split(":").map(Number);
    if (byId("night-start").value === "now" || Number.isNaN(minutes)) return null;
    const when = new Date();
    when.setHours(hours, minutes, 0, 0);
    if (when < new Date()) when.setDate(when.getDate() + 1);
    return when.toISOString();
  }

  async #shoot() {
    const cells = this.plan.map(({ cell }) => cell);
    try {
      const more = { cells, not_before: this.#notBefore, forecasts_s: this.#seconds(cells) };
      const names = await post(`${this.store.url}/plan/takes`, { version: this.version, ...more });
      byId("night").close();
      byId("last-take").replaceChildren(`${names.length} takes are on the `, make("a", { href: "/shoots", class: "underline" }, "shoot log"), ". You can close the browser meanwhile.");
    } catch (error) {
      say(error.message, 10);
      if (error.status !== 409) return;
      byId("night").close();
      await this.store.load();
    }
  }
}

function line({ name, frames, disk, files, odd, blocking }, forecast) {
  const [first, ...more] = [...blocking, ...odd];
  const hint = first ? make("span", { class: "flex min-w-0 flex-1 items-center justify-end gap-1 text-look", title: [first, ...more].join("\n") }, mark(blocking.length ? "missing" : "look"), make("span", { class: "truncate" }, first)) : mark("ready");
  return make("li", { class: "flex items-center gap-3" }, make("span", { class: "max-w-[280px] flex-none truncate font-medium", title: files }, name), make("span", { class: "num flex-none text-soft" }, `${frames} frame${frames === 1 ? "" : "s"}, ${disk}${forecast ? `, ${forecast.sentence}` : ""}`), first ? "" : make("span", { class: "flex-1" }), hint);
}
