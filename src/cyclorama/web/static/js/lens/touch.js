/** Touching the picture: what is under the pointer is named and outlined, a click chooses it. */

import { byId } from "../shared/dom.js";
import { get, make, say } from "../shared/api.js";

/** So long the pointer rests before what the picture shows is asked for. */
const REST_MS = 120;
const HOVER = [255, 255, 255, 235];
const CHOSEN = [255, 176, 46, 255];

export class Touch {
  /**
   * @param {import("./lens.js").Lens} lens
   * @param {import("../studio/studio.js").Floor} floor
   * @param {import("../studio/project.js").Chosen} taken what the cards show
   */
  constructor(lens, floor, taken) {
    this.lens = lens;
    this.floor = floor;
    this.taken = taken;
    this.store = lens.store;
    this.clock = lens.clock;
    this.map = null;
    this.wanted = "";
    this.over = 0;
    this.chosen = new Set();
    this.canvas = byId("outline");
    this.context = this.canvas.getContext("2d");
    this.label = byId("touch-label");
    const { mat } = lens;
    mat.addEventListener("pointermove", (e) => this.#moved(e));
    mat.addEventListener("pointerleave", () => this.leave());
    lens.onclick = (e) => this.#clicked(e);
    lens.onrectangle = (from, to) => this.#rectangle(from, to);
    byId("chosen-material").addEventListener("change", (e) => e.target.value && this.#give(e.target.value));
    byId("chosen-hide").addEventListener("click", () => this.#setVisible((part) => (this.has(part) ? false : null)));
    byId("chosen-alone").addEventListener("click", () => this.#setVisible((part) => this.has(part)));
    byId("chosen-all").addEventListener("click", () => this.#setVisible(() => true));
    byId("chosen-none").addEventListener("click", () => this.#choose([]));
    addEventListener("keydown", (e) => e.key === "Escape" && this.chosen.size && this.#choose([]));
  }

  /** The project or the frame changed: what the picture shows has to be asked for anew. */
  forget() {
    this.map = null;
    this.wanted = "";
    this.leave();
  }

  /** The project changed: what is chosen may be gone, or made of something else. */
  show({ project }) {
    this.forget();
    const parts = new Set(project.items.flatMap((item) => item.parts.map((part) => `${item.id} ${part.id}`)));
    for (const key of this.chosen) if (!parts.has(key)) this.chosen.delete(key);
    this.#showChosen();
    if (this.chosen.size) this.ask();
  }

  #idle() {
    return !this.lens.picking && !this.lens.standin.outside.on && !this.clock.playing && this.store.state;
  }

  #key() {
    return `${this.store.state.version} ${this.clock.frame}`;
  }

  /** Have told what is where in the frame that is shown. */
  async ask() {
    const key = this.#key();
    if (this.wanted === key) return;
    this.wanted = key;
    try {
      const { numbers, ...map } = await get(`${this.store.url}/touch?frame=${this.clock.frame}`);
      if (this.wanted !== key) return;
      const bytes = Uint8Array.from(atob(numbers), (c) => c.charCodeAt(0));
      this.map = { ...map, numbers: new Uint16Array(bytes.buffer) };
      this.#draw();
    } catch (error) {
      this.wanted = "";
      if (error.status !== 422) say(error.message);
    }
  }

  /** Shares of the picture from the top left, or null outside. */
  #place(e) {
    const box = this.lens.frame.getBoundingClientRect();
    const [x, y] = [(e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height];
    return x < 0 || x >= 1 || y < 0 || y >= 1 ? null : [x, y];
  }

  /** Number of what is at a place, 0 nothing. */
  #at(place) {
    const { map } = this;
    return place && map ? map.numbers[Math.floor(place[1] * map.height) * map.width + Math.floor(place[0] * map.width)] : 0;
  }

  #moved(e) {
    clearTimeout(this.timer);
    const place = this.#place(e);
    if (e.buttons || !place || !this.#idle()) return this.leave();
    if (!this.map) {
      this.timer = setTimeout(() => this.#idle() && this.ask(), REST_MS);
      return;
    }
    const number = this.#at(place);
    this.#name(number, e);
    if (number === this.over) return;
    this.over = number;
    this.#draw();
  }

  #name(number, e) {
    const thing = this.map.things[number - 1];
    this.label.hidden = !thing;
    if (!thing) return;
    this.label.replaceChildren(make("span", { class: "font-medium" }, thing.name), make("span", { class: "opacity-70" }, thing.kind === "set" ? "" : ` ${thing.of}`));
    const box = this.lens.mat.getBoundingClientRect();
    Object.assign(this.label.style, { left: `${Math.min(e.clientX - box.left + 14, box.width - this.label.offsetWidth - 8)}px`, top: `${Math.max(8, e.clientY - box.top - 30)}px` });
  }

  /** Nothing is under the pointer any more. */
  leave() {
    clearTimeout(this.timer);
    this.label.hidden = true;
    this.over = 0;
    this.#draw();
  }

  /** Outlines of what is under the pointer and of what is chosen. */
  #draw() {
    const { map, context, canvas } = this;
    if (!map) return context.clearRect(0, 0, canvas.width, canvas.height);
    const { width, height, numbers, things } = map;
    Object.assign(canvas, { width, height });
    const colour = things.map((thing, i) => (i + 1 === this.over ? HOVER : this.chosen.has(`${thing.item} ${thing.part}`) ? CHOSEN : null));
    if (!colour.some(Boolean)) return;
    const picture = context.createImageData(width, height);
    for (let y = 0, i = 0; y < height; y += 1)
      for (let x = 0; x < width; x += 1, i += 1) {
        const ink = colour[numbers[i] - 1];
        if (!ink) continue;
        const edge = (x > 0 && numbers[i - 1] !== numbers[i]) || (x + 1 < width && numbers[i + 1] !== numbers[i]) || (y > 0 && numbers[i - width] !== numbers[i]) || (y + 1 < height && numbers[i + width] !== numbers[i]);
        if (edge) picture.data.set(ink, 4 * i);
      }
    context.putImageData(picture, 0, 0);
  }

  #clicked(e) {
    if (!this.map || !this.#idle()) return;
    const thing = this.map.things[this.#at(this.#place(e)) - 1];
    if (!thing) return this.#choose([]);
    if (thing.kind === "set") {
      this.#choose([]);
      return this.floor.choose("set");
    }
    const key = `${thing.item} ${thing.part}`;
    if (e.shiftKey) return this.#choose(this.chosen.has(key) ? [...this.chosen].filter((k) => k !== key) : [...this.chosen, key]);
    this.#choose([key]);
    this.taken.item = thing.item;
    if (thing.material) this.taken.material = thing.material;
    this.floor.choose("materials");
  }

  /** All parts that are seen in a rectangle are chosen. */
  #rectangle(from, to) {
    const [a, b] = [this.#place(from), this.#place(to)];
    const { map } = this;
    if (!a || !b || !map) return;
    const found = new Set();
    const span = (i, size) => [Math.floor(Math.min(a[i], b[i]) * size), Math.floor(Math.max(a[i], b[i]) * size)];
    const [[x0, x1], [y0, y1]] = [span(0, map.width), span(1, map.height)];
    for (let y = y0; y <= y1; y += 1) for (let x = x0; x <= x1; x += 1) found.add(map.numbers[y * map.width + x]);
    this.#choose([...found].map((n) => map.things[n - 1]).filter((thing) => thing?.kind === "part").map(({ item, part }) => `${item} ${part}`));
  }

  /** Choose some parts. @param {{item: string, part: string}[]} parts */
  choose(parts) {
    this.#choose(parts.map(({ item, part }) => `${item} ${part}`));
  }

  #choose(keys) {
    this.chosen = new Set(keys);
    this.#showChosen();
    this.#draw();
  }

  /** Whether a part is chosen. */
  has({ item, part }) {
    return this.chosen.has(`${item} ${part}`);
  }

  /** Every part that the items wear: its item, id, name, what it is made of, whether it is seen, and where that is told. */
  parts() {
    return this.store.state.project.items.flatMap((item) => {
      const variant = this.store.variant(item);
      return item.parts.map(({ id, name, group }, i) => ({ item: item.id, part: id, name, group, ...variant.parts[i], path: `items/${item.id}/variants/${variant.id}/parts/${id}` }));
    });
  }

  /** The list of parts tells which are chosen, too. */
  markList() {
    for (const row of document.querySelectorAll("#parts [data-part]")) row.querySelector(".name").classList.toggle("chosen-part", this.chosen.has(row.dataset.part));
  }

  #showChosen() {
    this.markList();
    const chosen = this.chosen.size ? this.parts().filter((part) => this.has(part)) : [];
    byId("chosen-bar").hidden = !chosen.length;
    if (!chosen.length) return;
    byId("chosen-name").textContent = chosen.length === 1 ? chosen[0].name : `${chosen.length} parts`;
    byId("chosen-name").title = chosen.map(({ name }) => name).join(", ");
    const worn = new Set(chosen.map(({ material }) => material));
    byId("chosen-material").replaceChildren(...(worn.size > 1 ? [make("option", { value: "" }, "several materials")] : []), ...this.store.state.project.materials.map(({ id, name }) => make("option", { value: id }, name)));
    byId("chosen-material").value = worn.size > 1 ? "" : chosen[0].material;
    byId("chosen-all").hidden = this.parts().every(({ visible }) => visible);
  }

  #give(material) {
    return this.store.change(...this.parts().filter((part) => this.has(part)).map(({ path }) => ({ kind: "set", path: `${path}/material`, value: material })));
  }

  /** Parts are shown or hidden; null leaves one as it is. */
  #setVisible(wanted) {
    const changes = this.parts().flatMap((part) => {
      const value = wanted(part);
      return value === null || value === part.visible ? [] : [{ kind: "set", path: `${part.path}/visible`, value }];
    });
    if (changes.length) this.store.change(...changes);
  }

  /** What is under the pointer is outlined and named, if it is `taken`. @returns {object|null} it, null where nothing is */
  pointAt(e, taken) {
    const number = this.#at(this.#place(e));
    const thing = this.map?.things[number - 1] ?? null;
    const over = taken(thing) ? number : 0;
    if (this.map) this.#name(over, e);
    if (over !== this.over) {
      this.over = over;
      this.#draw();
    }
    return thing;
  }

  /** The parts that are meant by one of them: all that are chosen where it is among them. */
  meant({ item, part }) {
    const all = this.chosen.has(`${item} ${part}`);
    return this.parts().filter((p) => (all ? this.has(p) : p.item === item && p.part === part));
  }

  /** What lets the chosen parts wear a material: one of the project's, one to start from, or a kept one; null: none chosen. */
  wearing({ material, ...what }) {
    const parts = this.parts().filter((part) => this.has(part));
    if (!parts.length) return null;
    if (material) return parts.map(({ path }) => ({ kind: "set", path: `${path}/material`, value: material }));
    return [{ kind: "dress", ...what, parts: parts.map(({ item, part }) => ({ item, part })) }];
  }

  /** Let the chosen parts wear a material; false when none is chosen. */
  wear(what) {
    const changes = this.wearing(what);
    if (changes) this.store.change(...changes);
    return Boolean(changes);
  }
}
