/** The shelf of the bench: takes and sounds that can be put into the cut. */

import { byId } from "../shared/dom.js";
import { get, make } from "../shared/api.js";

export class CutShelf {
  /**
   * @param {string} projectId
   * @param {{addClip: (what: object) => Promise<void>, putSound: (sound: object) => Promise<void>, changed: () => void}} act `changed` is called when there are other takes
   */
  constructor(projectId, act) {
    this.projectId = projectId;
    this.act = act;
    /** takes of the project @type {any[]} */
    this.takes = [];
    this.shown = "";
  }

  async begin() {
    const [, sounds] = await Promise.all([this.look(), get("/api/made-sounds")]);
    byId("made-sounds").replaceChildren(...sounds.map((s) => make("button", { type: "button", class: "btn justify-start", onclick: () => this.act.putSound(s) }, s.name, make("span", { class: "num ml-auto text-soft" }, `${+s.seconds.toFixed(1)} s`))));
  }

  /** Show the takes that there are by now. */
  async look() {
    const takes = await get(`/api/takes?project=${this.projectId}`);
    const shown = JSON.stringify(takes.map((take) => [take.id, take.name, take.finished > 0]));
    if (shown === this.shown) return;
    this.shown = shown;
    this.takes = takes;
    this.act.changed();
    byId("takes").replaceChildren(...takes.map((take) =>
      make("button", { type: "button", title: `Put ${take.name} into the cut`, onclick: () => this.#add(take) },
        make("img", { src: `/api/takes/${take.id}/thumbs/${take.first}`, alt: "", loading: "lazy", onerror: (e) => e.target.remove() }), make("span", {}, take.name))));
    if (!takes.length) byId("takes").replaceChildren(make("p", { class: "text-soft" }, "No take has been shot of this project. Studio floor, Shoot."));
  }

  /** A cut that is empty begins with the take that one comes from. @param {string} id */
  async beginWith(id) {
    const take = this.takes.find((t) => t.id === id);
    if (take) await this.#add(take);
  }

  #add({ id, name }) {
    return this.act.addClip({ take_id: id, name: name.slice(0, 80) });
  }
}
