/** The list of what stands on the set besides the subject: models and made shapes, each with where it stands. */

import { byId } from "../shared/dom.js";
import { withId } from "../shared/lists.js";
import { showAttachment } from "./attachment.js";
import { make, switchButton } from "../shared/api.js";

export class ItemList {
  /**
   * @param {import("../studio/project.js").ProjectStore} store
   * @param {import("../studio/project.js").Chosen} chosen
   * @param {() => void} refresh called when another item was chosen
   * @param {import("./marks.js").Marks} marks
   */
  constructor(store, chosen, refresh, marks) {
    this.store = store;
    this.chosen = chosen;
    this.refresh = refresh;
    byId("add-item").addEventListener("change", (e) => {
      const form = e.target.value;
      e.target.value = "";
      if (form === "model") byId("pick-model-beside").click();
      else if (form === "mark") marks.ask();
      else if (form) this.#add({ kind: "add_item", form });
    });
    byId("copy-item").addEventListener("click", () => this.#add({ kind: "copy", path: `items/${chosen.item}` }));
    byId("remove-item").addEventListener("click", () => store.change({ kind: "remove", path: `items/${chosen.item}` }));
    byId("present-item").addEventListener("click", () => store.set("subject_id", chosen.item));
    byId("stand-item").addEventListener("click", () => store.change({ kind: "stand", item: chosen.item }));
    byId("item-rides").addEventListener("change", (e) => store.set(`items/${chosen.item}/rides`, e.target.value));
    byId("item-material").addEventListener("change", (e) => this.#wear(e.target.value));
  }

  /** Add one, and open it. */
  async #add(change) {
    const added = await this.store.added(change, () => this.store.state.project.items);
    if (!added) return;
    this.chosen.item = added;
    this.refresh();
  }

  /** All parts of the item wear one material. */
  #wear(material) {
    const item = withId(this.store.state.project.items, this.chosen.item);
    const variant = this.store.variant(item);
    const changes = variant.parts.map(({ id }) => ({ kind: "set", path: `items/${item.id}/variants/${variant.id}/parts/${id}/material`, value: material }));
    return this.store.change(...changes);
  }

  show({ project, items }) {
    if (!project.items.some((item) => item.id === this.chosen.item)) this.chosen.item = project.subject_id ?? project.items[0]?.id ?? null;
    byId("items").replaceChildren(...items.map((item) => this.#row(item, project)));
    const item = this.store.item(this.chosen.item);
    byId("item-settings").hidden = !item;
    for (const id of ["copy-item", "remove-item"]) byId(id).disabled = !item;
    if (!item) return;
    if (this.shown !== item.id) byId("item-fold").open = item.id !== project.subject_id;
    this.shown = item.id;
    const presented = item.id === project.subject_id;
    byId("present-item").hidden = presented;
    byId("item-made").hidden = !item.made;
    byId("item-wide").hidden = Boolean(item.made?.letters || item.made?.mark);
    byId("item-round").hidden = !["plinth", "box", "letters", "mark"].includes(item.made?.form ?? "");
    byId("item-deep").hidden = item.made?.form === "card";
    this.#showRides(item, project);
    this.#showMaterial(item, project);
  }

  #row(item, project) {
    const chosen = item.id === this.chosen.item;
    const what = item.id === project.subject_id ? "subject" : `on ${item.stands_on}`;
    return make("li", { class: "row" },
      make("button", { type: "button", class: `name flex min-w-0 items-center gap-2 text-left ${chosen ? "font-semibold" : ""}`, "aria-pressed": chosen, title: `${item.name}: where it stands`, onclick: () => ((this.chosen.item = item.id), this.refresh()) },
        make("span", { class: `h-2.5 w-2.5 flex-none rounded-full ${item.id === project.subject_id ? "bg-subject" : "bg-set"}` }), make("span", { class: "truncate" }, item.name)),
      make("span", { class: "truncate text-soft" }, what),
      switchButton(item.on, `${item.name} on the set`, (on) => this.store.set(`items/${item.id}/on`, on)));
  }

  /** An item may be attached to all items that are not attached to it. */
  #showRides(item, project) {
    const rides = (other) => {
      for (let at = other; at; at = this.store.item(at.rides)) if (at.id === item.id) return true;
      return false;
    };
    const others = project.items.filter((other) => !rides(other));
    showAttachment(byId("item-rides"), item, others);
  }

  #showMaterial(item, project) {
    const worn = new Set(this.store.variant(item).parts.map((p) => p.material));
    const pick = byId("item-material");
    pick.replaceChildren(...(worn.size > 1 ? [make("option", { value: "" }, `${worn.size} materials`)] : []), ...project.materials.map(({ id, name }) => make("option", { value: id }, name)));
    pick.value = worn.size > 1 ? "" : [...worn][0];
  }
}
