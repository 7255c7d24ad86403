/** What lies on surfaces: layers of the material that is shown, and pictures that are put onto items. */

import { byId } from "../shared/dom.js";
import { make, say, switchButton, upload } from "../shared/api.js";
import { PICTURES, pickFiles } from "../shared/files.js";
import { latest } from "../shared/latest.js";
import { grip } from "../shared/reorder.js";

export class SurfaceLayers {
  /**
   * @param {import("../studio/project.js").ProjectStore} store
   * @param {import("../studio/project.js").Chosen} chosen
   * @param {() => void} refresh
   * @param {import("../studio/studio.js").Floor} floor
   */
  constructor(store, chosen, refresh, floor) {
    this.store = store;
    this.chosen = chosen;
    this.refresh = refresh;
    this.floor = floor;
    byId("add-layer").addEventListener("change", (e) => {
      const { value } = e.target;
      e.target.value = "";
      if (value) this.#addLayer(value);
    });
    byId("add-decal").addEventListener("click", async () => {
      const [file] = await pickFiles(PICTURES);
      if (file) this.putOn([file]);
    });
    byId("move-decal").addEventListener("click", () => this.#move());
  }

  async #addLayer(layer) {
    const { material } = this.chosen;
    const added = await this.store.added({ kind: "add_layer", material, layer }, () => this.#material()?.layers ?? []);
    if (added) this.chosen.layer = added;
    this.refresh();
  }

  /** Put a picture onto what is touched next, or at once where a place is known. @param {File[]} files @param {object} [place] */
  async putOn(files, place = null) {
    let kept;
    try {
      [kept] = await upload(`${this.store.url}/pictures`, files);
    } catch (error) {
      return say(error.message, 10);
    }
    const put = async (at) => {
      const decals = () => this.store.state.project.items.flatMap((item) => item.decals);
      const name = (kept.name || "Picture").replace(/\.[a-z]+$/i, "").slice(0, 80);
      const added = await this.store.added({ kind: "add_decal", asset: kept.asset, name, ...at }, decals);
      if (!added) return;
      this.#choose(added);
      say("Move it in the picture, or set its size on the Materials card.");
    };
    if (place) return put(place);
    this.floor.pick("Click on where the picture goes.", put);
  }

  /** The decal goes along under the pointer, and stays where it is let go. */
  #move() {
    const { decal } = this.chosen;
    const asked = (place) => ({ kind: "move_decal", decal, ...place });
    let ended = false;
    const follow = latest(async (place) => {
      if (ended) return;
      this.floor.attempt([asked(place)]);
      await new Promise((done) => setTimeout(done, 40));
    });
    this.floor.pick("Drag the picture over the surface, let go.", (place) => {
      ended = true;
      this.store.change(asked(place));
    }, follow);
  }

  #material() {
    return this.store.state.project.materials.find(({ id }) => id === this.chosen.material);
  }

  #choose(decal) {
    const item = this.store.state.project.items.find((one) => one.decals.some(({ id }) => id === decal));
    Object.assign(this.chosen, { decal, item: item?.id ?? this.chosen.item });
    this.refresh();
  }

  show({ project }) {
    const layers = this.#material()?.layers ?? [];
    if (!layers.some(({ id }) => id === this.chosen.layer)) this.chosen.layer = null;
    byId("layers").replaceChildren(...layers.map((layer) => this.#row(layer.kind, layer.id === this.chosen.layer, layer.on, `materials/${this.chosen.material}/layers/${layer.id}`,
      () => ((this.chosen.layer = this.chosen.layer === layer.id ? null : layer.id), this.refresh()), layers.length === 1)));
    byId("layer-settings").hidden = !this.chosen.layer;
    const decals = project.items.flatMap((item) => item.decals.map((decal) => ({ item, decal })));
    const shown = decals.find(({ decal }) => decal.id === this.chosen.decal);
    if (!shown) this.chosen.decal = null;
    else this.chosen.item = shown.item.id;
    byId("decals").replaceChildren(...decals.map(({ item, decal }) => this.#row(project.items.length > 1 ? `${decal.name}, ${item.name}` : decal.name, decal.id === this.chosen.decal, decal.on, `items/${item.id}/decals/${decal.id}`,
      () => this.#choose(this.chosen.decal === decal.id ? null : decal.id), item.decals.length === 1)));
    byId("decal-settings").hidden = !this.chosen.decal;
  }

  #row(name, open, on, path, choose, alone) {
    const list = path.slice(0, path.lastIndexOf("/"));
    return make("li", { class: "row" },
      alone ? null : grip(name, list, (to) => this.store.change({ kind: "move_to", path, to })),
      make("button", { type: "button", class: `name truncate text-left underline underline-offset-2 ${open ? "font-semibold decoration-ink" : "decoration-rule"}`, "aria-expanded": open, onclick: choose }, name[0].toUpperCase() + name.slice(1)),
      switchButton(on, `${name} on`, (next) => this.store.set(`${path}/on`, next)),
      make("button", { type: "button", class: "btn btn-bare h-[22px] px-1.5", "aria-label": `Remove ${name}`, title: "Remove", onclick: () => this.store.change({ kind: "remove", path }) }, "×"));
  }
}
