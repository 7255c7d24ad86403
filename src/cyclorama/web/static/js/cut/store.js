/** The cut as the server has it: edits go there, what comes back is shown. */

import { get, post } from "../shared/api.js";
import { DocumentStore } from "../shared/document_store.js";

export const LISTS = { clip: "clips", title: "titles", sound: "sounds", marker: "markers" };

/** @extends {DocumentStore<Api["CutAnswer"]>} */
export class CutStore extends DocumentStore {
  /** @param {string} projectId */
  constructor(projectId) {
    super(`/api/projects/${projectId}/cut`, `projects/${projectId}/cut/changes`);
  }

  get cut() {
    return this.state.cut;
  }

  /** Frames a second. */
  rate() {
    return this.cut.rate_num / this.cut.rate_den;
  }

  /** Show how takes have filled since. */
  look() {
    return this.whenSaved(async () => {
      const state = await get(this.url);
      if (!this.unsaved && (state.stamp !== this.state.stamp || state.version !== this.state.version)) this.take(state);
    });
  }

  /** @param {object} edit @returns {Promise<object|null>} the state after it, null when it was not saved */
  async perform(edit) {
    return (await this.edit((version) => post(this.url, { version, edit }))) ? this.state : null;
  }

  set(path, value) {
    const plain = path.replace(/^cut\//, "");
    const speed = /^clips\/([^/]+)\/speed$/.exec(plain);
    return this.perform(speed ? { do: "pace", clip: speed[1], speed: value } : { do: "set", values: { [plain]: value } });
  }

  /** @param {"undo"|"redo"} way */
  back(way) {
    return this.step((version) => post(`${this.url}/${way}`, { version }));
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
