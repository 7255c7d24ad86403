/** The project's palette, and reference pictures that colours are taken from. */

import { byId } from "../shared/dom.js";
import { get, make, query, say, upload } from "../shared/api.js";
import { toHex } from "../shared/colour.js";
import { PICTURES, pickFiles } from "../shared/files.js";

export class Palette {
  /**
   * @param {import("./project.js").ProjectStore} store
   * @param {import("./project.js").Chosen} chosen
   * @param {import("./studio.js").Floor} floor
   * @param {import("./colour_picker.js").ColourPicker} picker
   */
  constructor(store, chosen, floor, picker) {
    this.store = store;
    this.chosen = chosen;
    this.floor = floor;
    this.picker = picker;
    this.seen = null;
    byId("add-reference").addEventListener("click", async () => {
      for (const file of await pickFiles(PICTURES, true)) await this.keepReference(file);
    });
    byId("reference").addEventListener("pointerdown", (e) => e.stopPropagation()); // it lies on the mat, which is dragged
    byId("reference-picture").addEventListener("click", (e) => this.#sample(e));
    byId("reference-close").addEventListener("click", () => this.#look(null));
    byId("reference-colours").addEventListener("click", () => this.#mainColours());
    byId("reference-remove").addEventListener("click", () => {
      const path = `references/${this.seen}`;
      this.#look(null);
      this.store.change({ kind: "remove", path });
    });
  }

  /** Keep a picture beside the project. @param {File} file */
  async keepReference(file) {
    try {
      const [kept] = await upload(`${this.store.url}/pictures`, [file]);
      if (await this.store.change({ kind: "add_reference", asset: kept.asset, name: kept.name })) this.#look(this.store.state.project.references.at(-1)?.id);
    } catch (error) {
      say(error.message, 10);
    }
  }

  show({ project }) {
    byId("palette").replaceChildren(...project.palette.map((one) => this.#chip(one)));
    byId("palette-none").hidden = project.palette.length > 0;
    byId("references").replaceChildren(...project.references.map(({ id, name, asset }) =>
      make("button", { type: "button", class: "reference-thumb", "aria-pressed": id === this.seen, title: `${name}: look at it, take colours from it`, onclick: () => this.#look(id === this.seen ? null : id) },
        make("img", { src: `/api/pictures/${asset}.jpg`, alt: name, draggable: "false" }))));
    if (this.seen && !project.references.some(({ id }) => id === this.seen)) this.#look(null);
    this.picker.showPalette();
  }

  #chip({ id, name, colour }) {
    const path = `palette/${id}`;
    return make("button", {
      type: "button", class: "paint-chip", draggable: "true", style: `background:${toHex(colour)}`, "data-palette": id, "aria-label": name,
      title: `${name}. Drag it onto something in the picture; click gives it to this material; double click renames, Delete takes it out`,
      onclick: () => this.picker.take(colour) || this.store.set(`materials/${this.chosen.material}/base_color`, colour),
      ondblclick: () => {
        const called = prompt("What is this colour called?", name);
        if (called) this.store.set(`${path}/name`, called);
      },
      onkeydown: (e) => ["Delete", "Backspace"].includes(e.key) && (e.stopPropagation(), this.store.change({ kind: "remove", path })),
      ondragstart: (e) => {
        e.dataTransfer.setData("text/plain", name);
        e.dataTransfer.effectAllowed = "copy";
        this.floor.carry({ colour });
      },
      ondragend: () => this.floor.carry(null),
    });
  }

  #reference() {
    return this.store.state.project.references.find(({ id }) => id === this.seen);
  }

  /** Lay a reference beside the picture, or none. */
  #look(id) {
    this.seen = id;
    const one = this.#reference();
    byId("reference").hidden = !one;
    for (const thumb of byId("references").children) thumb.setAttribute("aria-pressed", false);
    if (!one) return;
    byId("references").children[this.store.state.project.references.indexOf(one)]?.setAttribute("aria-pressed", true);
    byId("reference-picture").src = `/api/pictures/${one.asset}.jpg`;
    byId("reference-name").textContent = one.name;
  }

  async #sample(e) {
    const { left, top, width, height } = e.target.getBoundingClientRect();
    const place = query({ x: (e.clientX - left) / width, y: (e.clientY - top) / height });
    try {
      const { linear } = await get(`/api/pictures/${this.#reference()?.asset}/colour?${place}`);
      if (!this.picker.take(linear)) this.store.change({ kind: "add_colours", colours: [linear] });
    } catch (error) {
      say(error.message);
    }
  }

  async #mainColours() {
    try {
      const found = await get(`/api/pictures/${this.#reference()?.asset}/colours`);
      this.store.change({ kind: "add_colours", colours: found.map(({ linear }) => linear) });
    } catch (error) {
      say(error.message);
    }
  }
}
