/** Copies of the chosen item: scattered, in order, lined up, and made items of their own. */

import { make, say, upload } from "../shared/api.js";
import { byId } from "../shared/dom.js";
import { PICTURES, pickFiles } from "../shared/files.js";

const counted = new Intl.NumberFormat("en-GB");

export class CopiesCard {
  /**
   * @param {import("../studio/project.js").ProjectStore} store
   * @param {import("../studio/project.js").Chosen} chosen
   * @param {() => void} refresh called when another item was chosen
   */
  constructor(store, chosen, refresh) {
    this.store = store;
    this.chosen = chosen;
    this.refresh = refresh;
    /** How many copies find room, by item. @type {Map<string, number>} */
    this.found = new Map();
    document.addEventListener("copies-shown", (e) => {
      const { id, count } = /** @type {CustomEvent} */ (e).detail;
      this.found.set(id, count);
      this.#showCount();
    });
    for (const tile of document.querySelectorAll("[data-scatter]")) tile.addEventListener("click", () => this.#scatter(tile.dataset.scatter));
    for (const button of document.querySelectorAll("[data-arrange]"))
      button.addEventListener("click", () => button.ariaPressed === "true" || store.change({ kind: "arrange", item: chosen.item, arrangement: button.dataset.arrange }));
    byId("line-up").addEventListener("click", () => store.change({ kind: "line_up", item: chosen.item }));
    byId("freeze-copies").addEventListener("click", () => store.change({ kind: "freeze_copies", item: chosen.item }));
    byId("copies-picture").addEventListener("click", async () => {
      const files = await pickFiles(PICTURES);
      if (files.length) this.#bring(files);
    });
    byId("copies-part").addEventListener("change", (e) => store.set(`items/${chosen.item}/copies/part`, e.target.value || null));
    byId("copies-path").addEventListener("change", (e) => store.set(`items/${chosen.item}/copies/path`, e.target.value));
  }

  /** Scatter something, and choose it. */
  async #scatter(ready) {
    const added = await this.store.added({ kind: "scatter", ready }, () => this.store.state.project.items);
    if (!added) return;
    this.chosen.item = added;
    this.refresh();
    byId("item-fold").open = false; // what was scattered is set below
  }

  /** Let a picture say where copies are dense. @param {File[]} files */
  async #bring(files) {
    try {
      const [kept] = await upload(`${this.store.url}/pictures`, files);
      const at = `items/${this.chosen.item}/copies`;
      await this.store.change({ kind: "set", path: `${at}/picture`, value: kept.asset }, { kind: "set", path: `${at}/picture_name`, value: kept.name });
    } catch (error) {
      say(error.message, 10);
    }
  }

  show({ project }) {
    const item = this.store.item(this.chosen.item);
    byId("copies").hidden = !item;
    if (!item) return;
    byId("copies-title").textContent = `Copies of ${item.name}`;
    const now = item.copies?.arrangement ?? "alone";
    for (const button of document.querySelectorAll("[data-arrange]")) button.setAttribute("aria-pressed", String(button.dataset.arrange === now));
    byId("copies-path").replaceChildren(...project.paths.map(({ id, name }) => make("option", { value: id }, name)));
    byId("copies-path").value = item.copies?.path ?? "";
    const parts = this.store.item(item.rides)?.parts ?? [];
    byId("copies-only").hidden = parts.length < 2 || !["scatter", "drops"].includes(now);
    byId("copies-part").replaceChildren(make("option", { value: "" }, "all of it"), ...parts.map(({ id, name }) => make("option", { value: id }, name)));
    byId("copies-part").value = item.copies?.part ?? "";
    byId("copies-picture-name").textContent = item.copies?.picture_name || "none";
    this.#showCount();
  }

  /** How many there are, where fewer find room than were asked for. */
  #showCount() {
    const item = this.store.item(this.chosen.item);
    const [asked, found] = [item?.copies?.count ?? 0, this.found.get(item?.id ?? "")];
    const text = found === undefined || found >= asked ? "" : `${counted.format(found)} of ${counted.format(asked)} find room. A smaller spacing or a larger radius makes room for more.`;
    byId("copies-count").textContent = text;
  }
}
