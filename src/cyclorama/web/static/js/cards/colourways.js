/** Colourways of the subject or another item: a chip for each, new ones, and a table of what every part wears in each. */

import { byId } from "../shared/dom.js";
import { make } from "../shared/api.js";

export class Colourways {
  /**
   * @param {import("../studio/project.js").ProjectStore} store
   * @param {import("../studio/project.js").Chosen} chosen
   * @param {(material: string) => string|null} swatch address of a material's swatch, null while there is none
   */
  constructor(store, chosen, swatch) {
    this.store = store;
    this.chosen = chosen;
    this.swatch = swatch;
    /** whose colourways are shown, if not the subject's @type {string|null} */
    this.of = null;
    byId("colourways-of").addEventListener("change", (e) => {
      this.of = e.target.value;
      this.show();
    });
    byId("add-colourway").addEventListener("click", () => store.change({ kind: "add_colourway", item: this.#item()?.id }));
    byId("shot-each").addEventListener("click", () => store.change({ kind: "shot_each_colourway", item: this.#item()?.id }));
  }

  #item() {
    return this.store.state.project.items.find(({ id }) => id === this.of) ?? this.store.subject;
  }

  show() {
    const item = this.#item();
    if (!item) return;
    const { items } = this.store.state.project;
    byId("colourways-whose").hidden = items.length < 2;
    byId("colourways-of").replaceChildren(...items.map(({ id, name }) => make("option", { value: id, selected: id === item.id }, name)));
    const several = item.variants.length > 1;
    const worn = this.store.variant(item).id;
    byId("colourways").replaceChildren(...item.variants.map((variant) => this.#chip(item, variant, worn, several)));
    byId("shot-each").hidden = !several;
    const coloured = items.filter(({ variants }) => variants.length > 1);
    byId("matrix-fold").hidden = !coloured.length;
    byId("matrix").replaceChildren(...coloured.map((one) => this.#matrix(one, this.store.variant(one).id, items.length > 1)));
  }

  #chip(item, { id, name }, worn, several) {
    const rename = () => {
      const called = prompt("What is this colourway called?", name);
      if (called) this.store.set(`items/${item.id}/variants/${id}/name`, called);
    };
    const chip = make("button", { type: "button", class: "chip", "aria-pressed": id === worn, title: `${name}. Double click to rename`, onclick: () => id !== worn && this.store.change({ kind: "wear_colourway", item: item.id, variant: id }), ondblclick: rename }, name);
    if (!several || id !== worn) return chip;
    return make("span", { class: "flex" }, chip, make("button", { type: "button", class: "btn btn-bare h-6 px-1", title: `Remove ${name}`, "aria-label": `Remove ${name}`, onclick: () => this.store.change({ kind: "remove", path: `items/${item.id}/variants/${id}` }) }, "×"));
  }

  /**
   * Parts of an item down, its colourways across; a press gives a part there the material that is chosen.
   * @param {any} item @param {string} worn id of the colourway in the shot @param {boolean} named whether its name stands above
   */
  #matrix(item, worn, named) {
    const names = new Map(this.store.state.project.materials.map(({ id, name }) => [id, name]));
    const head = make("tr", {}, make("th", { class: "max-w-[110px] truncate pr-1 text-left font-semibold", title: item.name }, named ? item.name : ""), ...item.variants.map(({ id, name }) => make("th", { class: `max-w-[64px] truncate px-1 text-left font-normal ${id === worn ? "font-semibold" : "text-soft"}`, title: name }, name)));
    const rows = item.parts.slice(0, 80).map((part, i) => make("tr", {}, make("th", { class: "max-w-[110px] truncate pr-1 text-left font-normal", scope: "row", title: part.name }, part.name),
      ...item.variants.map((variant) => {
        const { material } = variant.parts[i];
        const give = () => this.chosen.material && this.store.set(`items/${item.id}/variants/${variant.id}/parts/${part.id}/material`, this.chosen.material);
        const url = this.swatch(material);
        const says = `${part.name} in ${variant.name}: ${names.get(material)}. Press to give it ${names.get(this.chosen.material ?? "") ?? "the chosen material"}`;
        return make("td", { class: "px-1 py-px" }, make("button", { type: "button", class: "block h-[26px] w-[26px] overflow-hidden rounded-[3px] border border-rule text-[9px]", title: says, "aria-label": says, onclick: give },
          url ? make("img", { src: url, alt: "", class: "h-full w-full" }) : (names.get(material) ?? "").slice(0, 2)));
      })));
    return make("table", { class: "mb-2 text-[12px]" }, make("thead", {}, head), make("tbody", {}, ...rows));
  }
}
