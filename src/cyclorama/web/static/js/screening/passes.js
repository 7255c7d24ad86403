/** What is looked at of a take, its picture or a pass; and passes that are shot into it once its pictures are there. */

import { byId } from "../shared/dom.js";
import { make, post, say, switchRow } from "../shared/api.js";
import { schema } from "../shared/schema.js";

export class TakePasses {
  /** @param {string} url of the take @param {{take: () => object, show: () => void, changed: () => void}} room */
  constructor(url, room) {
    this.url = url;
    this.room = room;
    this.shown = "beauty";
    this.chosen = new Set();
    byId("pass-amount").addEventListener("change", () => room.show());
    byId("more-shoot").addEventListener("click", () => this.#shoot());
  }

  show() {
    const take = this.room.take();
    byId("pass-pick").hidden = !take.passes.length;
    byId("pass-picker").replaceChildren(...["beauty", ...take.passes].map((name) =>
      make("button", { type: "button", class: "btn h-[24px] px-2", "data-press": "", "aria-pressed": name === this.shown, onclick: () => this.#look(name) }, name)));
    byId("more-passes").hidden = Boolean(take.source_id);
    if (take.shot_passes.join() !== this.offered) this.#offer();
  }

  #look(name) {
    this.shown = name;
    byId("pass-amount-row").hidden = !/×|over/.test(name);
    this.show();
    this.room.show();
  }

  #offer() {
    const take = this.room.take();
    const there = new Set(take.shot_passes);
    this.offered = [...there].join();
    byId("more-list").replaceChildren(...schema.passes.map(({ name: id, title: name, says: title }) =>
      switchRow(there.has(id) ? `${name}, anew` : name, this.chosen.has(id), name, (on) => this.#choose(id, on), { title })));
    byId("more-shoot").disabled = !this.chosen.size;
    const exposes = [...this.chosen].some((id) => !take.passes_alone.includes(id));
    byId("more-says").textContent = !this.chosen.size ? "" : exposes ? "Every frame is exposed once more for that; its picture stays." : "Without exposing the frames: their pictures stay.";
  }

  #choose(id, on) {
    this.chosen[on ? "add" : "delete"](id);
    this.#offer();
  }

  async #shoot() {
    try {
      await post(`${this.url}/passes`, { names: [...this.chosen] });
      this.chosen.clear();
      say("The passes are being shot into this take; the shoot log tells how far they are.");
      this.room.changed();
    } catch (error) {
      say(error.message, 10);
    }
  }
}
