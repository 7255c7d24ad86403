/** The Background section of the Set card, besides its bound fields: its picture, and whether it can be seen. */

import { say, upload } from "../shared/api.js";
import { byId } from "../shared/dom.js";
import { PICTURES, pickFiles } from "../shared/files.js";
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
    const files = await pickFiles(PICTURES);
    if (!files.length) return;
    try {
      const [{ asset, name }] = await upload(`${this.store.url}/pictures`, files);
      const at = this.store.full("look/background");
      const values = { kind: "picture", picture: asset, source_name: name };
      await this.store.change(...Object.entries(values).map(([field, value]) => ({ kind: "set", path: `${at}/${field}`, value })));
    } catch (error) {
      say(error.message, 10);
    }
  }

  show(state) {
    const name = this.store.look.background.source_name || "No picture chosen";
    byId("background-name").textContent = byId("background-name").title = name;
    byId("background-hints").replaceChildren(...state.background_hints.map(({ text, fix }) => hint(text, fix, this.floor)));
  }
}
