/** The marks beside values that can change during a shot: not keyed, keyed, keyed in the frame that is shown. */

import { make } from "../shared/api.js";

const STATES = {
  none: ["Key", "Key it in this frame"],
  keyed: ["Key", "Keyed; press to key it in this frame as well, with Shift to take all its keys away"],
  here: ["Take away the key of", "Keyed in this frame; press to take the key away, with Shift all of them"],
};

export class KeyMarks {
  /**
   * @param {HTMLElement} root
   * @param {import("../studio/project.js").ProjectStore} store
   * @param {(short: string) => string} path gives the path of a control's place
   */
  constructor(root, store, path) {
    this.store = store;
    this.path = path;
    this.marks = [];
    for (const control of root.querySelectorAll("[data-number], [data-toggle], [data-colour]")) {
      const { number, toggle, colour } = control.dataset;
      const row = control.closest(".row");
      const [short, part] = (number ?? toggle ?? colour).split("#");
      if (Number(part) > 0) continue; // what consists of several numbers is keyed as one
      const name = row?.querySelector(".name")?.textContent.trim();
      if (!row || !name) continue;
      const mark = make("button", { type: "button", class: "keymark", onclick: (e) => this.#press(e, short) });
      row.append(mark);
      if (!control.hasAttribute("aria-label")) control.setAttribute("aria-label", name); // the mark lies in its label
      this.marks.push({ mark, short, name });
    }
  }

  /** Show which values are keyed. */
  show() {
    for (const { mark, short, name } of this.marks) {
      const path = this.path(short);
      const exists = this.store.value(path) !== undefined && this.store.keyable(path);
      mark.hidden = !exists;
      if (!exists) continue;
      const channel = this.store.channel(path);
      const state = !channel ? "none" : channel.frames.includes(this.store.frame) ? "here" : "keyed";
      const [verb, title] = STATES[state];
      mark.dataset.key = state;
      mark.title = title;
      mark.setAttribute("aria-label", `${verb} ${name}`);
    }
  }

  #press(e, short) {
    e.preventDefault();
    const path = this.path(short);
    const channel = this.store.channel(path);
    const { frame } = this.store;
    if (channel && e.shiftKey) return this.store.change({ kind: "unkey", path });
    if (channel?.frames.includes(frame)) return this.store.change({ kind: "unkey", path, frame });
    return this.store.change({ kind: "key", path, frame });
  }
}
