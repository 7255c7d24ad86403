/** The unrolled picture of the surroundings: what shines in it is found, picked out, painted over; blur, size, turn. */

import { byId } from "../shared/dom.js";
import { draw, get, post, query, say } from "../shared/api.js";

export class EnvironmentEditor {
  /**
   * @param {import("../studio/project.js").ProjectStore} store
   * @param {import("../studio/studio.js").Floor} floor
   */
  constructor(store, floor) {
    this.store = store;
    this.floor = floor;
    this.region = null;
    this.stops = 0;
    this.busy = false;
    byId("edit-environment").addEventListener("click", () => this.#open());
    byId("turn-environment").addEventListener("click", () => this.#turnInLens());
    const picture = byId("unrolled");
    picture.addEventListener("click", (e) => this.#point(e));
    byId("unrolled-stops").addEventListener("input", (e) => {
      this.stops = Number(e.target.value);
      this.#showPicture();
    });
    for (const button of document.querySelectorAll("[data-environment-edit]")) button.addEventListener("click", () => this.#edit(this.#wanted(button.dataset.environmentEdit)));
    byId("environment-size").addEventListener("change", (e) => e.target.value && this.#edit({ kind: "resize", height: Number(e.target.value) }));
  }

  /** The project changed: so may have what is looked at. */
  show() {
    if (byId("environment-editor").open && !this.busy && this.shown !== this.#environment().asset) this.#look();
  }

  #environment() {
    return this.store.look.environment;
  }

  #number(id) {
    return Number(byId(id).value.replace(",", "."));
  }

  #wanted(kind) {
    const place = this.region && { x: this.region.x, y: this.region.y };
    const numbers = { size: this.#number("made-size"), softness: this.#number("made-softness"), fill_stops: this.#number("made-fill"), temperature_k: this.#number("made-temperature") };
    return { blur: { kind, degrees: this.#number("environment-blur") }, hold: { kind, most: this.#number("environment-most") }, pick: { kind, ...place }, paint: { kind, ...place }, make: { kind, studio: byId("made-studio").value, numbers } }[kind];
  }

  async #open() {
    await this.store.whenSaved(async () => null); // an environment that was chosen just now
    if (!this.#environment().asset) return say("Choose an environment first.");
    byId("environment-editor").showModal();
    await this.#look();
  }

  /** What there is to know of the picture that is there by now. */
  async #look() {
    this.shown = this.#environment().asset;
    this.region = null;
    if (!this.shown) return byId("environment-editor").close();
    this.#showPicture();
    try {
      const { width, height, brightest } = await get(`/api/environments/${this.#environment().asset}/seen`);
      byId("unrolled-says").textContent = `${this.#environment().source_name || "Picture"}, ${width}×${height}`;
      byId("environment-size").value = "";
      if (!byId("environment-most").value && brightest) byId("environment-most").value = (brightest.whites / 2).toPrecision(2);
      this.#choose(brightest);
    } catch (error) {
      say(error.message);
    }
  }

  #showPicture() {
    byId("unrolled-picture").src = `/api/environments/${this.#environment().asset}.jpg?width=1024&stops=${this.stops}`;
  }

  async #point(e) {
    const { left, top, width, height } = byId("unrolled").getBoundingClientRect();
    const place = query({ x: (e.clientX - left) / width, y: (e.clientY - top) / height });
    try {
      this.#choose(await get(`/api/environments/${this.#environment().asset}/region?${place}`));
    } catch (error) {
      this.#choose(null);
      say(error.message);
    }
  }

  #choose(region) {
    this.region = region;
    for (const kind of ["pick", "paint"]) document.querySelector(`[data-environment-edit=${kind}]`).disabled = !region;
    byId("unrolled-region").textContent = region ? `${region.across_deg.toFixed(0)}° × ${region.down_deg.toFixed(0)}°, ${region.whites.toPrecision(2)} whites, ${(100 * region.share).toFixed(0)} % of the light` : "Nothing is pointed at";
    const marks = byId("unrolled-marks");
    marks.replaceChildren();
    if (!region) return;
    const stretch = 1 / Math.max(0.05, Math.sin(Math.PI * region.y));
    const [x, y, rx, ry] = [region.x * 360, region.y * 180, (region.across_deg / 2 + 2) * stretch, region.down_deg / 2 + 2];
    for (const shift of [-360, 0, 360]) marks.append(draw("ellipse", { cx: x + shift, cy: y, rx, ry, class: "unrolled-mark" }));
  }

  async #edit(edit) {
    if (this.busy || !edit) return;
    this.busy = true;
    byId("unrolled-says").textContent = "Working on it …";
    const saved = await this.store.edit((version) => post(`${this.store.url}/environment/edited`, { base_version: version, edit }));
    if (saved) say(`${this.store.state.undo}. Ctrl+Z takes it back.`);
    this.busy = false;
    await this.#look();
  }

  /** The surroundings are turned by dragging across the picture. */
  #turnInLens() {
    const path = this.store.full("look/environment/rotation_deg");
    const before = this.store.value(path);
    let from = null;
    const turned = ({ x }) => {
      from ??= x;
      return { kind: "set", path, value: Number((((before + (x - from) * 360 + 540) % 360) - 180).toFixed(1)) };
    };
    this.floor.pick("Drag across the picture to turn the surroundings, let go.", (place) => (from === null ? this.floor.settle() : this.store.change(turned(place))), (place) => this.floor.attempt([turned(place)]));
  }
}
