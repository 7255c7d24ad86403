/** The Light card besides its bound fields: which light, adding and removing, parts, gobo. */

import { byId } from "../shared/dom.js";
import { withId } from "../shared/lists.js";
import { showAttachment } from "./attachment.js";
import { bindAim, showAim } from "./aim_pick.js";
import { get, make, post, say, switchRow, withOrWithout } from "../shared/api.js";
import { EnvironmentEditor } from "./environment_editor.js";
import { Environments } from "./environments.js";
import { forget, keep } from "../stock/client.js";
import { GradeCard } from "../shared/grade_card.js";
import { latest } from "../shared/latest.js";
import { LightBench } from "./light_bench.js";
import { Looks } from "./looks.js";

export class LightCard {
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
    byId("add-light").addEventListener("change", (e) => {
      const shape = e.target.value;
      e.target.value = "";
      if (shape) this.#add({ kind: "add_light", shape });
    });
    this.bench = new LightBench(store, chosen, refresh, floor);
    this.looks = new Looks(store, floor);
    this.environments = new Environments(store, floor);
    this.grade = new GradeCard(byId("look-grade"), store, { attempt: (changes) => floor.attempt(changes), settle: () => floor.settle(), reset: () => store.set("look/grade", {}) });
    this.environmentEditor = new EnvironmentEditor(store, floor);
    byId("mirror-light").addEventListener("click", () => store.change({ kind: "mirror_light", light: chosen.light, frame: store.frame }));
    byId("with-light").addEventListener("change", (e) => this.#withOther(e.target));
    byId("copy-light").addEventListener("click", () => this.#add({ kind: "copy", path: this.#path() }));
    byId("remove-light").addEventListener("click", () => this.store.change({ kind: "remove", path: this.#path() }));
    byId("rig-pick").addEventListener("change", (e) => this.#lightWith(e.target));
    byId("keep-rig").addEventListener("click", () => this.#keepRig());
    byId("forget-rig").addEventListener("click", () => this.#forgetRig());
    this.rigs = [];
    this.#loadRigs();
    byId("place-highlight").addEventListener("click", () => this.#place("highlight", "Where should its reflection be seen? Drag, let go."));
    byId("place-graze").addEventListener("click", () => this.#place("graze", "What should it graze? Drag, let go."));
    byId("place-shadow").addEventListener("click", () => this.#place("shadow", "Where should the edge of its shadow lie? Drag, let go."));
    byId("gobo-toggle").addEventListener("click", () => this.store.set(`${this.#path()}/gobo`, this.#light()?.gobo ? null : {}));
    bindAim(byId("light-aim"), store, () => ({ path: this.#path(), point: withId(store.state.lens.lights, chosen.light).aim }));
    byId("light-rides").addEventListener("change", (e) => store.set(`${this.#path()}/rides`, e.target.value));
    byId("gobo-pictures").addEventListener("click", () => this.#pictures());
  }

  /** Change places with another light, or take over its strength and colour. */
  #withOther(pick) {
    const [what, id] = pick.value.split(" ");
    pick.value = "";
    const [here, there] = [this.#path(), this.store.full(`look/lights/${id}`)];
    const taken = (names, from, to) => names.map((name) => ({ kind: "set", path: `${to}/${name}`, value: this.store.value(`${from}/${name}`) }));
    const stand = ["azimuth_deg", "elevation_deg", "distance_m"];
    const light = ["power", "power_unit", "strength_stops", "temperature_k", "tint", "colour"];
    this.store.change(...(what === "swap" ? [...taken(stand, there, here), ...taken(stand, here, there)] : taken(light, there, here)));
  }

  async #loadRigs() {
    this.rigs = await get("/api/rigs").catch(() => []);
    byId("kept-rigs").hidden = byId("forget-rig").hidden = !this.rigs.length;
    byId("kept-rigs").replaceChildren(...this.rigs.map(({ id, name }) => make("option", { value: id }, name)));
  }

  #lightWith(pick) {
    const { value } = pick;
    pick.value = "";
    const rig = this.rigs.find(({ id }) => id === value);
    if (value) this.store.change(rig ? { kind: "use_rig", rig } : { kind: "rig", rig: value });
  }

  async #keepRig() {
    if (await keep("rig", this.store.look.name, `${this.store.url}/rigs`, "it stands among the rigs of every project")) await this.#loadRigs();
  }

  async #forgetRig() {
    await forget("rig", this.rigs, "/api/rigs");
    await this.#loadRigs();
  }

  /** The light goes to where its highlight, or its grazing light, is wanted: followed while the pointer is dragged. */
  #place(wanted, prompt) {
    const light = this.chosen.light;
    const asked = (place) => ({ kind: "place_light", light, wanted, ...place });
    let ended = false;
    const follow = latest(async (place) => {
      if (ended) return;
      try {
        const { changes } = await post(`${this.store.url}/placed`, asked(place));
        if (!ended) this.floor.attempt(changes);
      } catch (error) {
        if (error.status !== 422) say(error.message);
      }
    });
    this.floor.pick(prompt, async (place) => {
      ended = true;
      if ((await this.store.change(asked(place))) && this.store.state.undo?.includes("as near as")) say(`${this.store.state.undo}.`);
    }, follow);
  }

  #light() {
    return this.store.look.lights.find((l) => l.id === this.chosen.light);
  }

  #path() {
    return this.store.full(`look/lights/${this.chosen.light}`);
  }

  async #add(wanted) {
    const added = await this.store.added(wanted, () => this.store.look.lights);
    if (!added) return;
    this.chosen.light = added;
    this.refresh();
  }

  async #pictures() {
    const kept = await this.store.choosePictures(true);
    if (kept.length) await this.store.setAll(`${this.#path()}/gobo`, { pictures: kept.map((k) => k.asset), source_name: kept[0].name });
  }

  show({ project }) {
    const { look } = this.store;
    if (!look.lights.some((l) => l.id === this.chosen.light)) this.chosen.light = look.lights[0]?.id ?? null;
    this.environmentEditor.show();
    this.grade.show();
    this.environments.show(!document.querySelector("[data-card=light]").hidden);
    this.looks.show(!document.querySelector("[data-card=light]").hidden);
    this.bench.show(!document.querySelector("[data-card=light]").hidden);
    const light = this.#light();
    for (const item of document.querySelectorAll("[data-needs-light]")) item.hidden = !light;
    byId("environment-name").textContent = byId("environment-name").title = look.environment.source_name || "No picture";
    if (light) this.#showLight(light, project);
  }

  #showLight(light, project) {
    byId("gobo-toggle").textContent = light.gobo ? "Remove" : "Add gobo";
    byId("gobo-name").textContent = light.gobo?.pictures.length ? `${light.gobo.pictures.length} × ${light.gobo.source_name}` : light.gobo ? "A pattern in the beam" : "None";
    const others = this.store.look.lights.filter(({ id }) => id !== light.id);
    const group = (label, what) => make("optgroup", { label }, ...others.map(({ id, name }) => make("option", { value: `${what} ${id}` }, name)));
    byId("with-light").replaceChildren(make("option", { value: "" }, "With …"), group("Change places with", "swap"), group("As strong and coloured as", "match"));
    byId("with-light").disabled = !others.length;
    showAim(byId("light-aim"), light.aim, project.items);
    showAttachment(byId("light-rides"), light, project.items, [["rig", "the rig"]]);
    const parts = [["sweep", "Sweep"], ["disc", "Disc"], ...project.items.flatMap((item) => item.parts.map((p) => [p.id, p.name]))];
    byId("light-parts").replaceChildren(...parts.map(([id, name]) => {
      const lit = !light.excluded_parts.includes(id);
      return switchRow(name, lit, `Light ${name}`, (on) => this.store.set(`${this.#path()}/excluded_parts`, withOrWithout(light.excluded_parts, id, !on)));
    }));
  }
}
