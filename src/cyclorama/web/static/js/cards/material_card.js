/** The Materials card besides its bound fields: which material, presets, maps. */

import { byId } from "../shared/dom.js";
import { make, post, switchRow } from "../shared/api.js";
import { mapTitle } from "../shared/schema.js";

export class MaterialCard {
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
    byId("material-pick").addEventListener("change", (e) => ((this.chosen.material = e.target.value), this.refresh()));
    byId("preset-pick").addEventListener("change", (e) => {
      const preset = e.target.value;
      e.target.value = "";
      if (preset) this.store.change({ kind: "preset", material: this.chosen.material, preset });
    });
    byId("fit-relief").addEventListener("click", () => store.change({ kind: "fit_relief", material: chosen.material }));
    byId("match-colour").addEventListener("click", () => this.#match());
    byId("told-colour").addEventListener("keydown", (e) => e.key === "Enter" && this.#match());
    byId("map-source").addEventListener("change", (e) => {
      const source = e.target.value;
      e.target.value = "";
      if (source) this.#add(byId("map-slot").value, source);
    });
  }

  /** Give the material the colour that was told, and tell how it is seen under this light and view. */
  async #match() {
    const { material } = this.chosen;
    const colour = byId("told-colour").value.trim();
    if (!colour || !(await this.store.change({ kind: "match_colour", material, colour }))) return;
    const seen = byId("colour-seen");
    seen.hidden = false;
    seen.replaceChildren("Looking at it …");
    try {
      const { lab, shown, difference, beyond } = await post(`${this.store.url}/colour`, { material, colour, frame: this.floor.frame() });
      const [l, a, b] = lab.map((x) => String(x).replace("-", "−"));
      seen.replaceChildren(make("span", { class: "inline-block h-[18px] w-[18px] rounded-[3px] border border-rule", style: `background:${shown}` }),
        make("span", {}, "Seen as ", make("span", { class: "num" }, `L ${l} a ${a} b ${b}`), ", ΔE00 ", make("span", { class: "num" }, String(difference)), beyond ? "; no display can show the colour that was told" : ""));
    } catch (error) {
      seen.replaceChildren(error.message);
    }
  }

  /** Put a map in a slot, and open it. */
  async #add(slot, source) {
    const map = source === "picture" ? await this.#picture() : { pattern: source, name: source, projection: "triplanar", size_m: 0.05 };
    if (!map || !(await this.store.set(`materials/${this.chosen.material}/maps/${slot}`, map))) return;
    this.chosen.slot = slot;
    this.refresh();
  }

  async #picture() {
    const [kept] = await this.store.choosePictures();
    return kept && { asset: kept.asset, name: kept.name };
  }

  show({ project }) {
    if (!project.materials.some((m) => m.id === this.chosen.material)) this.chosen.material = project.materials[0]?.id ?? null;
    const pick = byId("material-pick");
    pick.replaceChildren(...project.materials.map((m) => make("option", { value: m.id, selected: m.id === this.chosen.material }, m.name)));
    if (this.shown !== this.chosen.material) byId("colour-seen").hidden = true;
    this.shown = this.chosen.material;
    const material = project.materials.find((m) => m.id === this.chosen.material);
    if (!material) return;
    const parts = project.items.flatMap((item) => {
      const worn = this.store.variant(item).parts;
      return item.parts.filter((_, i) => worn[i].material === material.id).map((p) => p.name);
    });
    byId("material-parts").textContent = parts.length ? `On ${parts.join(", ")}` : "On no part";
    if (!material.maps[this.chosen.slot ?? ""]) this.chosen.slot = null;
    byId("true-relief").hidden = !material.maps.height;
    byId("map-settings").hidden = !this.chosen.slot;
    byId("map-of").textContent = this.chosen.slot ? `How the ${mapTitle(this.chosen.slot).toLowerCase()} map lies` : "";
    byId("map-cut").replaceChildren(...this.#cut(material));
    const used = Object.entries(material.maps).filter(([, ref]) => ref);
    byId("material-maps").replaceChildren(...used.map(([slot, ref]) => this.#row(material.id, slot, ref)));
    if (!used.length) byId("material-maps").append(make("li", { class: "text-soft" }, "No maps."));
  }

  /** A switch by which the alpha of a picture of colours cuts the part out. */
  #cut({ id, maps }) {
    const { base_color: colour, opacity } = maps;
    if (this.chosen.slot !== "base_color" || !colour.asset) return [];
    const on = opacity?.asset === colour.asset && opacity.channel === "a";
    const path = `materials/${id}/maps/opacity`;
    return [switchRow("Cut out by its alpha", on, "Cut out by its alpha", (wanted) => this.store.set(path, wanted ? { ...colour, channel: "a" } : null), { title: "Where the picture is transparent, so is the part: the same picture is laid on as its opacity map" })];
  }

  #row(material, slot, ref) {
    const path = `materials/${material}/maps/${slot}`;
    const open = slot === this.chosen.slot;
    const choose = () => ((this.chosen.slot = open ? null : slot), this.refresh());
    return make("li", { class: "row" },
      make("button", { type: "button", class: `name truncate text-left underline underline-offset-2 ${open ? "font-semibold decoration-ink" : "decoration-rule"}`, "aria-expanded": open, title: `${ref.name}: how it lies on the surface`, onclick: choose },
        mapTitle(slot), make("span", { class: "text-soft/70" }, ` · ${ref.name || "picture"}`)),
      make("button", { type: "button", class: "btn btn-bare h-[22px] px-1.5", "aria-label": `Remove the ${mapTitle(slot).toLowerCase()} map`, title: "Remove", onclick: () => this.store.set(path, null) }, "×"));
  }
}
