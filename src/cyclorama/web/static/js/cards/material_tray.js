/** The tray of materials: swatches of the project's own and of those to start from, chosen by a click, worn by a drop. */

import { byId } from "../shared/dom.js";
import { ended, get, make, post, say } from "../shared/api.js";
import { keep } from "../stock/client.js";

const KINDS = ["own", "presets", "kept"];

export class MaterialTray {
  /**
   * @param {import("../studio/project.js").ProjectStore} store
   * @param {import("../studio/project.js").Chosen} chosen
   * @param {() => void} refresh called when another material was chosen
   * @param {import("../studio/studio.js").Floor} floor
   */
  constructor(store, chosen, refresh, floor) {
    /** Called when another swatch was developed. */
    this.onchange = () => {};
    this.store = store;
    this.chosen = chosen;
    this.refresh = refresh;
    this.floor = floor;
    this.version = null;
    /** @type {Object<string, any[]>} */
    this.tray = { own: [], presets: [], kept: [] };
    this.job = null;
    this.kind = "own";
    this.here = "";
    for (const kind of KINDS)
      byId(`tray-${kind}`).addEventListener("click", () => {
        this.kind = kind;
        this.#draw();
      });
    byId("tray-here").addEventListener("click", (e) => {
      this.here = this.here ? "" : "?here=true";
      e.currentTarget.setAttribute("aria-pressed", Boolean(this.here));
      this.#load();
    });
    byId("tray-compare").addEventListener("click", (e) => e.currentTarget.setAttribute("aria-pressed", e.currentTarget.getAttribute("aria-pressed") !== "true"));
    byId("tray-search").addEventListener("input", () => this.#draw());
    byId("keep-material").addEventListener("click", () => this.#keep());
    byId("remove-unworn").addEventListener("click", () => store.change({ kind: "remove_unworn" }));
  }

  /** Address of the swatch of one of the project's materials, null while there is none. */
  url(material) {
    const one = this.tray.own.find((own) => own.material === material);
    return one?.there ? `/api/swatches/${one.key}.jpg` : null;
  }

  /** @param {boolean} open whether the card is seen */
  show(open) {
    this.#draw();
    if (!open || this.version === this.store.state.version) return;
    this.version = this.store.state.version;
    this.#load();
  }

  async #load() {
    try {
      await this.#fetch();
      if ([...this.tray.own, ...(this.here ? [] : [...this.tray.presets, ...this.tray.kept])].some(({ there }) => !there)) await this.#develop();
    } catch (error) {
      say(error.message);
    }
  }

  async #fetch() {
    this.tray = await get(`${this.store.url}/tray${this.here}`);
    this.#draw();
    this.onchange();
  }

  /** Have those developed that are not there, and show each when it is. */
  async #develop() {
    const job = await post(`${this.store.url}/tray${this.here}`);
    if (!job || this.job === job.id) return;
    this.job = job.id;
    let shown = 0;
    const done = await ended(job, (now) => {
      if (now.share - shown < 0.04) return;
      shown = now.share;
      this.#fetch();
    });
    this.job = null;
    if (done.state === "failed") say(done.message, 10);
    await this.#fetch();
  }

  async #keep() {
    const { material } = this.chosen;
    const named = this.store.state.project.materials.find(({ id }) => id === material);
    if (named && (await keep("material", named.name, `${this.store.url}/stock/materials`, "it lies on the tray of every project", { material }))) await this.#fetch();
  }

  #draw() {
    for (const kind of KINDS) byId(`tray-${kind}`).setAttribute("aria-pressed", kind === this.kind);
    const words = byId("tray-search").value.trim().toLowerCase();
    const own = new Map(this.tray.own.map((one) => [one.material, one]));
    // what the project holds by now, with what is known of its swatches
    const project = this.store.state.project.materials.map(({ id, name }) => ({ key: "", there: false, parts: 0, ...own.get(id), material: id, name }));
    const shown = (this.kind === "own" ? project : this.tray[this.kind]).filter(({ name }) => name.toLowerCase().includes(words));
    byId("tray").replaceChildren(...shown.map((one) => this.#tile(one)));
    byId("tray-none").hidden = shown.length > 0;
    const unworn = this.tray.own.filter(({ parts }) => !parts).length;
    byId("remove-unworn").hidden = this.kind !== "own" || !unworn;
    byId("remove-unworn").textContent = unworn === 1 ? "Remove the one that is not worn" : `Remove ${unworn} that are not worn`;
  }

  #tile({ name, material, parts, key, there, document: kept }) {
    const own = material !== null;
    const what = own ? { material } : kept ? { kept } : { preset: name };
    const worn = parts === 1 ? "on one part" : parts ? `on ${parts} parts` : "on no part";
    const pick = (e) => {
      if (e.altKey || byId("tray-compare").getAttribute("aria-pressed") === "true") {
        if (!this.floor.compareWorn(what, name)) say("Choose parts in the picture first: it is compared on them.");
      } else if (own) {
        this.chosen.material = material;
        this.refresh();
      } else if (!this.floor.wear(what)) say("Drag it onto a part in the picture, or choose parts there first.");
    };
    const ondragstart = (e) => {
      e.dataTransfer.setData("text/plain", name);
      e.dataTransfer.effectAllowed = "copy";
      this.floor.carry(what);
    };
    return make("button", { type: "button", class: "swatch-tile", draggable: "true", "aria-pressed": own && material === this.chosen.material, title: `${name}${own ? `, ${worn}` : ""}. Drag it onto a part in the picture; Alt and a click compare it on the chosen parts`, onclick: pick, ondragstart, ondragend: () => this.floor.carry(null) },
      there ? make("img", { src: `/api/swatches/${key}.jpg`, alt: "", width: 68, height: 68, draggable: "false" }) : make("span", { class: "swatch-blank" }),
      make("span", { class: "truncate" }, name));
  }
}
