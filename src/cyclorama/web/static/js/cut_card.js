/** The card of what is chosen in the cut, and of the cut as a whole. */

import { make, say } from "./api.js";
import { fromHex, toHex } from "./colour.js";
import { Fields } from "./fields.js";
import { LISTS } from "./cut_store.js";

const byId = (id) => document.getElementById(id);
const NINE = ["top left", "top", "top right", "left", "middle", "right", "bottom left", "bottom", "bottom right"];
const SAFE = 8;

export class CutCard {
  /**
   * @param {import("./cut_store.js").CutStore} store
   * @param {{chosen: () => object, shape: () => string, keepPicture: Function, keepFont: Function}} bench
   */
  constructor(store, bench) {
    this.store = store;
    this.bench = bench;
    /** what paths with {clip} and the like stand for */
    const chosen = { get kind() { return bench.chosen().kind; }, get id() { return bench.chosen().id; } };
    const view = {
      resolve: (path) => store.resolve(path, chosen), value: (path) => store.value(path), set: (path, value) => store.set(path, value),
      get state() { return { shot: { rate: [store.cut.rate_num, store.cut.rate_den] } }; },
    };
    this.chosen = chosen;
    this.fields = new Fields(byId("panels"), view, chosen, { attempt: () => {}, settle: () => this.show(), chooseColour: () => {} });
    for (const box of document.querySelectorAll("[data-plain]")) box.addEventListener("change", () => store.set(store.resolve(box.dataset.plain, chosen), fromHex(box.value)));
    byId("nine").replaceChildren(...NINE.map((name, i) => make("button", { type: "button", "aria-label": name, title: name, onclick: () => this.#placeAt(i) })));
    byId("title-with").addEventListener("change", (e) => this.#alongWith(e.target.value));
    byId("title-font").addEventListener("change", (e) => (e.target.value === "file" ? byId("file-font").click() : this.#set("titles", { font: e.target.value })));
    byId("title-picture").addEventListener("click", () => {
      this.forTitle = true;
      byId("file-picture").click();
    });
    byId("file-picture").addEventListener("change", (e) => this.#broughtPicture(e), { capture: true });
    byId("file-font").addEventListener("change", (e) => this.#broughtFont(e.target));
    byId("sound-fill").addEventListener("click", () => this.#set("sounds", { start: 0, length: Math.max(1, store.state.total), loop: true }));
    const rates = JSON.parse(byId("rates").textContent);
    byId("rate").replaceChildren(...rates.map(([name, num, den]) => make("option", { value: `${num}/${den}` }, `${name}/s`)));
    byId("rate").addEventListener("change", (e) => {
      const [rate_num, rate_den] = e.target.value.split("/").map(Number);
      store.edit({ do: "set", values: { rate_num, rate_den } });
    });
  }

  #set(list, values) {
    const { id } = this.bench.chosen();
    return this.store.edit({ do: "set", values: Object.fromEntries(Object.entries(values).map(([name, value]) => [`${list}/${id}/${name}`, value])) });
  }

  show() {
    const { store } = this;
    const { kind, id } = this.bench.chosen();
    const thing = store.thing(this.bench.chosen());
    for (const part of document.querySelectorAll("[data-for]")) part.hidden = part.dataset.for !== LISTS[kind];
    byId("take-out").hidden = !thing;
    byId("chosen-says").textContent = { clip: store.state.clips.find((c) => c.id === id)?.sentence, sound: store.state.sounds[id], title: "", marker: "" }[kind] ?? "Nothing is chosen. Click a clip, a title or a sound.";
    byId("chosen-says").hidden = kind === "title" || kind === "marker";
    this.fields.show();
    for (const box of document.querySelectorAll("[data-plain]")) {
      const value = store.value(store.resolve(box.dataset.plain, this.chosen));
      if (value) box.value = toHex(value);
    }
    if (kind === "clip") this.#showClip(thing);
    if (kind === "title") this.#showTitle(thing);
    byId("whole-says").textContent = store.state.sentence;
    byId("rate").value = `${store.cut.rate_num}/${store.cut.rate_den}`;
  }

  #showClip(clip) {
    const shape = this.bench.shape();
    document.querySelector("[data-take-only]").hidden = !clip.take_id && !clip.picture;
    document.querySelector("[data-card-only]").hidden = Boolean(clip.take_id || clip.picture);
    byId("framed-for").textContent = `in ${shape}`;
    if (byId("framing").contains(document.activeElement)) return;
    const own = clip.framings.find((f) => f.id === shape) ?? { id: shape, zoom: 1, across: 0, up: 0 };
    const keep = (name, value) => this.store.set(`clips/${clip.id}/framings`, [...clip.framings.filter((f) => f.id !== shape), { ...own, [name]: value }]);
    const slider = (name, text, min, max, step) => make("label", { class: "row" }, make("span", { class: "name" }, text),
      make("input", { type: "range", min, max, step, value: own[name], class: "min-w-0 flex-1 accent-ink", onchange: (e) => keep(name, Number(e.target.value)) }), make("span", { class: "num w-[38px] text-right" }, String(+own[name].toFixed(2))));
    byId("framing").replaceChildren(slider("zoom", "Zoom", 0.2, 4, 0.05), slider("across", "Across", -1, 1, 0.02), slider("up", "Up", -1, 1, 0.02));
  }

  #showTitle(title) {
    const odd = this.store.state.title_says[title.id];
    byId("title-odd").hidden = !odd;
    byId("title-odd").textContent = odd ?? "";
    byId("title-font").value = title.font;
    byId("title-with").replaceChildren(make("option", { value: "" }, "the cut"), ...this.store.cut.clips.slice(0, 400).map((c) => make("option", { value: c.id, selected: c.id === title.clip_id }, c.name)));
  }

  /** The same moment, counted from the beginning of a clip or of the cut. */
  #alongWith(clipId) {
    const { id } = this.bench.chosen();
    const at = this.store.state.title_starts[id];
    const from = clipId ? this.store.state.clips.find((c) => c.id === clipId).start : 0;
    return this.#set("titles", { clip_id: clipId, start: Math.max(0, at - from) });
  }

  /** One of nine places within the safe area. */
  #placeAt(i) {
    const [column, row] = [i % 3, Math.floor(i / 3)];
    return this.#set("titles", { across: [SAFE, 50, 100 - SAFE][column], down: [SAFE + 4, 50, 100 - SAFE - 4][row], align: ["left", "centre", "right"][column] });
  }

  /** The picture file is for a title when its button asked for it; else it becomes a clip. */
  async #broughtPicture(e) {
    if (!this.forTitle) return;
    this.forTitle = false;
    e.stopImmediatePropagation();
    try {
      const [kept] = await this.bench.keepPicture(e.target.files);
      await this.#set("titles", { picture: kept.asset, text: kept.name });
    } catch (error) {
      say(error.message, 10);
    }
    e.target.value = "";
  }

  async #broughtFont(input) {
    try {
      if (input.files.length) await this.#set("titles", { font: "file", font_file: (await this.bench.keepFont(input.files)).asset });
    } catch (error) {
      say(error.message, 10);
    }
    input.value = "";
  }
}
