/** The Background section of the Set card, besides its bound fields: its picture, and whether it can be seen. */

import { byId } from "../shared/dom.js";
import { hint } from "./hints.js";

export class BackgroundSection {
  /**
   * @param {import("../studio/project.js").ProjectStore} store
   * @param {import("../studio/studio.js").Floor} floor
   */
  constructor(store, floor) {
    this.store = store;
    this.floor = floor;
    byId("pick-background").addEventListener("click", () => this.#choose());
  }

  async #choose() {
    const [kept] = await this.store.choosePictures();
    if (kept) await this.store.setAll("look/background", { kind: "picture", picture: kept.asset, source_name: kept.name });
  }

  show(state) {
    const name = this.store.look.background.source_name || "No picture chosen";
    byId("background-name").textContent = byId("background-name").title = name;
    byId("background-hints").replaceChildren(...state.background_hints.map(({ text, fix }) => hint(text, fix, this.floor)));
  }
}
