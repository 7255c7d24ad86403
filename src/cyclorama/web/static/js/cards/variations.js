/** A material varied along one or two of its numbers, as developed swatches: hovered ones are tried, one is clicked. */

import { byId } from "../shared/dom.js";
import { make, post, say } from "../shared/api.js";
import { TryOn } from "./try_on.js";

const AGAIN_MS = 700;

export class Variations {
  /**
   * @param {import("../studio/project.js").ProjectStore} store
   * @param {import("../studio/project.js").Chosen} chosen
   * @param {import("../studio/studio.js").Floor} floor
   */
  constructor(store, chosen, floor) {
    this.store = store;
    this.chosen = chosen;
    this.trying = new TryOn((changes) => floor.attempt(changes), () => floor.settle());
    this.asked = 0;
    for (const id of ["vary-across", "vary-down"]) byId(id).addEventListener("change", () => this.#load());
    byId("vary").addEventListener("toggle", () => this.#load());
    byId("variations").addEventListener("pointerleave", () => this.trying.giveUp());
  }

  /** The project, or the material that is shown, may be another. */
  show() {
    const { material } = this.chosen;
    const shows = JSON.stringify(this.store.state.project.materials.find(({ id }) => id === material));
    if (shows === this.shows) return;
    this.shows = shows;
    this.#load();
  }

  async #load() {
    const asked = ++this.asked;
    const { material } = this.chosen;
    if (!byId("vary").open || !material) return;
    try {
      for (;;) {
        const rows = await post(`${this.store.url}/tray/varied`, { material, across: byId("vary-across").value, down: byId("vary-down").value || null });
        if (asked !== this.asked) return;
        this.#draw(rows, material);
        if (rows.flat().every(({ there }) => there)) return;
        await new Promise((done) => setTimeout(done, AGAIN_MS));
        if (asked !== this.asked) return;
      }
    } catch (error) {
      say(error.message);
    }
  }

  #draw(rows, material) {
    const changes = (values) => Object.entries(values).map(([field, value]) => ({ kind: "set", path: `materials/${material}/${field}`, value }));
    const told = (values) => Object.entries(values).map(([field, value]) => `${field.replaceAll("_", " ")} ${Array.isArray(value) ? value.map((x) => x.toFixed(2)).join(" ") : value}`).join(", ");
    byId("variations").replaceChildren(...rows.flat().map(({ values, key, there }) =>
      make("button", { type: "button", class: "swatch-tile", title: told(values), "aria-label": told(values), onpointerenter: () => this.trying.soon(changes(values)), onclick: () => {
        this.trying.keep();
        this.store.change(...changes(values));
      } }, there ? make("img", { src: `/api/swatches/${key}.jpg`, alt: "", draggable: "false" }) : make("span", { class: "swatch-blank" }))));
  }
}
