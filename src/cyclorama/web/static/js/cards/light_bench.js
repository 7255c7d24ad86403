/** The light bench: a tile for every light with what it gives by itself, its strength, solo and off. */

import { byId } from "../shared/dom.js";
import { get, make, say, turningButton } from "../shared/api.js";

/** So long nothing changes before what the lights give is asked for. */
const [REST_MS, AGAIN_MS] = [900, 4000];
const DIAL = { least: -8, most: 6, step: 0.25 };

export class LightBench {
  /**
   * @param {import("../studio/project.js").ProjectStore} store
   * @param {import("../studio/project.js").Chosen} chosen
   * @param {() => void} refresh called when another light was chosen
   * @param {import("../studio/studio.js").Floor} floor
   */
  constructor(store, chosen, refresh, floor) {
    this.store = store;
    this.chosen = chosen;
    this.refresh = refresh;
    this.floor = floor;
    this.known = new Map();
    this.asked = "";
    byId("even-lights").addEventListener("click", () => this.#even());
    for (const [id, by] of /** @type {[string, number][]} */ ([["lights-down", -1 / 3], ["lights-up", 1 / 3]])) byId(id).addEventListener("click", () => this.#dimAll(by));
  }

  /** @param {boolean} open whether the card is seen */
  show(open) {
    this.#draw();
    clearTimeout(this.timer);
    if (open) this.timer = setTimeout(() => this.#ask(), REST_MS);
  }

  async #ask() {
    const { state } = this.store;
    const asked = `${state.version} ${this.floor.frame()}`;
    if (asked === this.asked || !this.store.look.lights.length) return;
    this.asked = asked;
    try {
      const { tiles, totals } = await get(`${this.store.url}/bench?frame=${this.floor.frame()}`);
      if (asked !== this.asked) return;
      this.known = new Map(tiles.map((tile) => [tile.id, tile]));
      byId("light-totals").textContent = totals.join(" · ");
      this.#draw();
    } catch {
      this.asked = ""; // the renderer is being prepared
      this.timer = setTimeout(() => (document.hidden ? this.show(true) : this.#ask()), AGAIN_MS);
    }
  }

  #draw() {
    const { look } = this.store;
    byId("light-tabs").replaceChildren(...look.lights.map((light) => this.#tile(light)));
    const around = this.known.get("environment");
    byId("bench-around").replaceChildren(...(around ? [make("img", { src: `data:image/jpeg;base64,${around.picture}`, alt: "", class: "h-[30px] rounded-[3px]" }), make("span", {}, "Environment"), make("span", { class: "num text-soft" }, around.gives)] : [make("span", { class: "text-soft" }, this.known.size ? "The environment gives nothing" : "")]));
    byId("bench-all").hidden = !look.lights.length;
  }

  #tile(light) {
    const known = this.known.get(light.id);
    const at = this.store.full(`look/lights/${light.id}`);
    const set = (name, value) => ({ kind: "set", path: `${at}/${name}`, value });
    const solo = this.store.look.lights.some((l) => l.solo);
    const dark = solo ? !light.solo : !light.on;
    const choose = () => ((this.chosen.light = light.id), this.refresh());
    const strength = this.store.value(`look/lights/${light.id}/strength_stops`);
    const dial = make("input", { type: "range", min: Math.min(DIAL.least, strength), max: Math.max(DIAL.most, strength), step: DIAL.step, value: strength, class: "dial", "aria-label": `Strength of ${light.name}`, title: `${strength.toFixed(2)} stops` });
    dial.addEventListener("input", () => this.floor.attempt([set("strength_stops", Number(dial.value))]));
    dial.addEventListener("change", () => this.store.change(set("strength_stops", Number(dial.value))));
    dial.addEventListener("dblclick", () => this.store.change(set("strength_stops", 0)));
    return make("div", { class: `light-tile ${dark ? "opacity-60" : ""}`, "data-chosen": light.id === this.chosen.light ? "" : null },
      make("button", { type: "button", class: "light-pick block w-full text-left", "aria-pressed": light.id === this.chosen.light, onclick: choose },
        known ? make("img", { src: `data:image/jpeg;base64,${known.picture}`, alt: "", class: "block w-full rounded-[3px]" }) : make("span", { class: "light-blank" }),
        make("span", { class: "flex justify-between gap-1" }, make("span", { class: "truncate" }, light.name), make("span", { class: "num text-soft", title: "Stops on the subject above middle grey" }, known?.gives ?? ""))),
      dial,
      make("span", { class: "flex gap-1" },
        turningButton("aria-pressed", light.solo, { class: "light-key", title: `Only ${light.name}`, "aria-label": `${light.name} alone` }, (on) => this.store.change(set("solo", on)), "S"),
        turningButton("aria-pressed", light.on, { class: "light-key", title: light.on ? `Turn ${light.name} off` : `Turn ${light.name} on`, "aria-label": `${light.name} on` }, (on) => this.store.change(set("on", on)), light.on ? "on" : "off")));
  }

  async #even() {
    say("The move is being looked at …", 3);
    if (await this.store.change({ kind: "even_lights" })) say(`${this.store.state.undo}.`, 8);
  }

  /** Every light by a third of a stop. */
  #dimAll(by) {
    const { least, greatest } = /** @type {HTMLElement} */ (document.querySelector("[data-number$='/strength_stops']")).dataset;
    this.store.change(...this.store.look.lights.map((light) => {
      const path = this.store.full(`look/lights/${light.id}/strength_stops`);
      return { kind: "set", path, value: Number(Math.min(Number(greatest), Math.max(Number(least), this.store.value(path) + by)).toFixed(3)) };
    }));
  }
}
