/** The shelf of environments: tried by arrow keys at the speed of first pictures, kept by a click or Enter. */

import { byId } from "../shared/dom.js";
import { get, make } from "../shared/api.js";
import { setsOf } from "../shared/changes.js";

export class Environments {
  /**
   * @param {import("../studio/project.js").ProjectStore} store
   * @param {import("../studio/studio.js").Floor} floor
   */
  constructor(store, floor) {
    this.store = store;
    this.floor = floor;
    this.shelf = null;
    this.trying = null;
    this.loading = false;
    byId("environments").addEventListener("keydown", (e) => this.#pressed(e));
    byId("environments").addEventListener("blur", () => this.#giveUp());
  }

  /** @param {boolean} open whether the card is seen */
  show(open) {
    this.trying = null;
    this.#draw();
    if (!open || this.loading) return;
    const own = JSON.stringify(this.store.state.project.looks.map(({ environment }) => environment.asset));
    if (this.shelf && own === this.known) return;
    this.known = own;
    this.#load();
  }

  async #load() {
    this.loading = true;
    this.shelf = await get(`${this.store.url}/environments`).catch(() => this.shelf);
    this.loading = false;
    this.#draw();
  }

  #changes({ asset, name }) {
    return setsOf(this.store.full("look/environment"), { asset, source_name: name, kind: "picture", on: true, broken_pixels: 0 });
  }

  #try(one) {
    this.trying = one.asset;
    this.floor.attempt(this.#changes(one));
    this.#draw();
    byId("environments").querySelector("[data-trying]")?.scrollIntoView({ block: "nearest" });
  }

  #keep(one) {
    this.trying = null;
    this.store.change(...this.#changes(one));
  }

  #giveUp() {
    if (!this.trying) return;
    this.trying = null;
    this.floor.settle();
    this.#draw();
  }

  #pressed(e) {
    const shelf = this.shelf ?? [];
    const by = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: 3, ArrowUp: -3 }[e.key];
    const here = shelf.findIndex(({ asset }) => asset === (this.trying ?? this.store.look.environment.asset));
    if (by && shelf.length) this.#try(shelf[Math.min(shelf.length - 1, Math.max(0, here + by))]);
    else if (e.key === "Enter" && this.trying) this.#keep(shelf[here]);
    else if (e.key === "Escape" && this.trying) this.#giveUp();
    else return;
    e.preventDefault();
    e.stopPropagation();
  }

  #carried(e, one) {
    e.dataTransfer.setData("text/plain", one.name);
    e.dataTransfer.effectAllowed = "copy";
    this.floor.carry({ values: this.#changes(one) });
  }

  #draw() {
    const { asset: lit } = this.store.look.environment;
    byId("environments").replaceChildren(...(this.shelf ?? []).map((one) =>
      make("button", { type: "button", role: "option", tabindex: "-1", class: "swatch-tile", "aria-selected": one.asset === (this.trying ?? lit), "data-trying": one.asset === this.trying ? "" : null, title: one.name, draggable: "true", onclick: () => this.#keep(one), ondragstart: (e) => this.#carried(e, one), ondragend: () => this.floor.carry(null) },
        make("img", { src: `/api/environments/${one.asset}.jpg`, alt: "", class: "environment-thumb", draggable: "false" }), make("span", { class: "truncate" }, one.name))));
  }
}
