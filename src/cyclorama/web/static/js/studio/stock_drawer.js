/** The stockroom as a drawer in the studio: things are dragged or clicked into the project, and put in from its cards. */

import { byId } from "../shared/dom.js";
import { get, make, post, request, say } from "../shared/api.js";
import { schema } from "../shared/schema.js";
import { found, pictureOf } from "../stock/tiles.js";

export class StockDrawer {
  /**
   * @param {import("./project.js").ProjectStore} store
   * @param {import("./project.js").Chosen} chosen
   * @param {import("./studio.js").Floor} floor
   */
  constructor(store, chosen, floor) {
    this.store = store;
    this.chosen = chosen;
    this.floor = floor;
    this.stock = [];
    byId("open-stock").addEventListener("click", () => this.toggle());
    byId("drawer-close").addEventListener("click", () => this.toggle());
    byId("drawer-search").addEventListener("input", () => this.#draw());
    byId("drawer-kind").addEventListener("change", () => this.#draw());
    byId("set-up").addEventListener("change", (e) => {
      const { value } = e.target;
      e.target.value = "";
      if (value) store.change({ kind: "set_up", ready: value });
    });
    byId("sweep-finish").addEventListener("change", (e) => {
      const [red, green, blue, roughness] = e.target.value.split(" ").map(Number);
      e.target.value = "";
      store.change({ kind: "set", path: "set/sweep/color", value: [red, green, blue] }, { kind: "set", path: "set/sweep/roughness", value: roughness });
    });
    byId("sweep-picture").addEventListener("click", () => this.#print());
    for (const button of document.querySelectorAll("[data-keep]")) button.addEventListener("click", () => this.#keep(button.dataset.keep));
  }

  /** Print a picture on the sweep, or take it off. */
  async #print() {
    if (this.store.state.project.set.sweep.picture) return this.store.setAll("set/sweep", { picture: null, picture_name: "" });
    const [kept] = await this.store.choosePictures();
    return kept && this.store.setAll("set/sweep", { picture: kept.asset, picture_name: kept.name, color: [0.9, 0.9, 0.9] });
  }

  /** What the Set card shows of it. */
  show({ project }) {
    const { picture, picture_name: name } = project.set.sweep;
    byId("sweep-picture-name").textContent = picture ? name || "A picture" : "No picture on it";
    byId("sweep-picture").textContent = picture ? "Take off" : "Picture …";
  }

  /** Pull it out, or push it back. */
  toggle() {
    const drawer = byId("stock-drawer");
    drawer.hidden = !drawer.hidden;
    byId("open-stock").setAttribute("aria-pressed", !drawer.hidden);
    if (!drawer.hidden) this.#load();
  }

  async #load() {
    try {
      this.stock = await get("/api/stock");
    } catch (error) {
      say(error.message);
    }
    this.#draw();
  }

  async #keep(kind) {
    const { store, chosen } = this;
    const names = { model: store.item(chosen.item ?? store.state.project.subject_id)?.name, environment: store.look.environment.source_name, look: store.look.name };
    const name = prompt(`What is it called in the stockroom? What is there under that name becomes its earlier version.`, names[kind] || store.state.project.name)?.trim();
    if (!name) return;
    say("Keeping it …", 60);
    try {
      await post(`${store.url}/stock`, { kind, name, which: { gobo: chosen.light, model: chosen.item }[kind] ?? null, frame: this.floor.frame() });
      say(`‘${name}’ lies in the stockroom, among the ${schema.stock[kind].toLowerCase()}.`);
      if (!byId("stock-drawer").hidden) await this.#load();
    } catch (error) {
      say(error.message, 8);
    }
  }

  #draw() {
    const words = byId("drawer-search").value.trim();
    const kind = byId("drawer-kind").value;
    const shown = this.stock.filter((one) => (!kind || one.kind === kind) && found(one, words));
    byId("drawer-tiles").replaceChildren(...shown.map((one) => this.#tile(one)));
    byId("drawer-none").hidden = shown.length > 0;
  }

  /** What brings it in, with what is chosen here. */
  #change(one) {
    return one.kind === "gobo" ? { ...one.change, light: this.chosen.light } : one.change;
  }

  #tile(one) {
    const { name, kind, favourite, shelf, id } = one;
    const what = kind === "material" ? { kept: one.change.kept } : { values: [this.#change(one)] };
    const use = () => {
      if (kind !== "material") this.store.change(this.#change(one));
      else if (!this.floor.wear(what)) say("Drag it onto a part in the picture, or choose parts there first.");
    };
    const star = async (e) => {
      e.stopPropagation();
      await request("PATCH", `/api/stock/${shelf}/${id}`, { favourite: !favourite }).catch((error) => say(error.message));
      await this.#load();
    };
    const ondragstart = (e) => {
      e.dataTransfer.setData("text/plain", name);
      e.dataTransfer.effectAllowed = "copy";
      this.floor.carry(what);
    };
    return make("div", { class: "relative" },
      make("button", { type: "button", class: "swatch-tile w-full", draggable: "true", title: `${name} (${schema.stock[kind].toLowerCase()}). Drag it onto the picture, or click`, onclick: use, ondragstart, ondragend: () => this.floor.carry(null) },
        pictureOf(one), make("span", { class: "truncate" }, name)),
      shelf === "ready" ? "" : make("button", { type: "button", class: "absolute top-1 right-1 rounded-full bg-paper/80 px-1 leading-5", "aria-pressed": favourite, "aria-label": `Favourite: ${name}`, title: "Favourite", onclick: star }, favourite ? "★" : "☆"));
  }
}
