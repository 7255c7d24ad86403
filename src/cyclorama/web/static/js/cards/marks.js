/** Drawings as solid bodies, and font files for letters. */

import { say, upload } from "../shared/api.js";
import { byId } from "../shared/dom.js";
import { pickFiles } from "../shared/files.js";

/** What drawings come in. */
export const isDrawing = ({ name }) => /\.svg$/i.test(name);
const FONTS = ".ttf,.otf,.woff2,.woff";

export class Marks {
  /**
   * @param {import("../studio/project.js").ProjectStore} store
   * @param {import("../studio/project.js").Chosen} chosen
   * @param {() => void} refresh called when another item was chosen
   */
  constructor(store, chosen, refresh) {
    this.store = store;
    this.chosen = chosen;
    this.refresh = refresh;
    byId("letters-font").addEventListener("click", async () => this.#bringFont(await pickFiles(FONTS)));
  }

  /** Ask for a drawing, and put it on the set. */
  async ask() {
    const [file] = await pickFiles(".svg");
    if (file) await this.bring(file);
  }

  /** Put a drawing on the set, and choose it. @param {File} file */
  async bring(file) {
    try {
      const { notes, ...drawn } = await upload(`${this.store.url}/marks`, [file]);
      const added = await this.store.added({ kind: "add_mark", ...drawn }, () => this.store.state.project.items);
      if (!added) return;
      this.chosen.item = added;
      this.refresh();
      if (notes.length) say(notes.join(" "), 10);
    } catch (error) {
      say(error.message, 10);
    }
  }

  /** Set the letters in a font file. @param {File[]} files */
  async #bringFont(files) {
    if (!files.length) return;
    try {
      const { asset, name } = await upload(`${this.store.url}/fonts`, files);
      const at = `items/${this.chosen.item}/made/letters`;
      await this.store.change({ kind: "set", path: `${at}/font_file`, value: asset }, { kind: "set", path: `${at}/font_name`, value: name }, { kind: "set", path: `${at}/family`, value: "file" });
    } catch (error) {
      say(error.message, 10);
    }
  }

  show() {
    const made = this.store.item(this.chosen.item)?.made;
    byId("item-letters").hidden = !made?.letters;
    byId("item-mark").hidden = !made?.mark;
    byId("letters-font").textContent = made?.letters?.font_name || "Choose a font file …";
  }
}
