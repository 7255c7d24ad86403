/** The cut as the server has it: edits go there, what comes back is shown. */

import { get, post, say } from "./api.js";
import { HeldChanges } from "./held_changes.js";

export const LISTS = { clip: "clips", title: "titles", sound: "sounds", marker: "markers" };

export class CutStore {
  /** @param {string} projectId */
  constructor(projectId) {
    this.url = `/api/projects/${projectId}/cut`;
    this.state = null;
    this.held = new HeldChanges(() => this.load(), () => this.#took(this.state));
    this.listeners = [];
  }

  subscribe(listener) {
    this.listeners.push(listener);
  }

  get cut() {
    return this.state.cut;
  }

  /** Frames a second. */
  rate() {
    return this.cut.rate_num / this.cut.rate_den;
  }

  async load() {
    this.#took(await get(this.url));
  }

  #took(state) {
    this.state = state;
    for (const listener of this.listeners) listener(state);
    return state;
  }

  /** Whether something has changed elsewhere: takes that fill, another window. */
  look() {
    return this.held.turns.take(async () => {
      const state = await get(this.url).catch(() => null);
      if (state && (state.stamp !== this.state.stamp || state.version !== this.state.version)) this.#took(state);
    });
  }

  /** One edit after the other. @returns {Promise<object|null>} the state after it, null when it was not saved */
  async edit(edit) {
    const saved = await this.held.send(async () => this.#took(await post(this.url, { version: this.state.version, edit })));
    return saved ? this.state : null;
  }

  set(path, value) {
    const plain = path.replace(/^cut\//, "");
    const speed = /^clips\/([^/]+)\/speed$/.exec(plain);
    return this.edit(speed ? { do: "pace", clip: speed[1], speed: value } : { do: "set", values: { [plain]: value } });
  }

  step(way) {
    return this.held.turns.take(async () => {
      try {
        this.#took(await post(`${this.url}/${way}`, { version: this.state.version }));
      } catch (error) {
        say(error.message, 8);
        if (error.status === 409) await this.load();
        else this.#took(this.state);
      }
    });
  }

  /** Paths with `{clip}` and the like are those of what is chosen. */
  resolve(path, chosen) {
    return path.replace(/\{(\w+)\}/, (whole, kind) => (chosen.kind === kind ? chosen.id : whole));
  }

  value(path) {
    return path.replace(/^cut\//, "").split("/").reduce((at, step) => (Array.isArray(at) ? at.find((x) => x.id === step) : at?.[step]), this.cut);
  }

  thing({ kind, id }) {
    return kind ? this.cut[LISTS[kind]].find((x) => x.id === id) : undefined;
  }
}
