/** The card of what is chosen in the cut, and of the cut as a whole. */

import { byId } from "../shared/dom.js";
import { withId } from "../shared/lists.js";
import { get, make, say } from "../shared/api.js";
import { calculate } from "../shared/arithmetic.js";
import { fromHex, toHex } from "../shared/colour.js";
import { Fields } from "../shared/fields.js";
import { LISTS } from "./store.js";

const NINE = ["top left", "top", "top right", "left", "middle", "right", "bottom left", "bottom", "bottom right"];
const SAFE = 8;

export class CutCard {
  /**
   * @param {import("./store.js").CutStore} store
   * @param {{chosen: () => object, shape: () => string, takes: () => any[], keepPicture: Function, keepFont: Function, useFont: Function}} bench
   */
  constructor(store, bench) {
    /** @type {Promise<void>|null} installed fonts on offer */
    this.fonts = null;
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
    byId("own-layout").addEventListener("click", () => this.#layOutApart());
    byId("own-grade").addEventListener("click", () => this.#gradeApart());
    byId("clip-take").addEventListener("change", (e) => this.#replaceTake(e.target.value));
    byId("behind-kind").addEventListener("change", (e) => this.#layBehind(e.target.value));
    byId("title-with").addEventListener("change", (e) => this.#alongWith(e.target.value));
    byId("title-font").addEventListener("change", (e) => this.#chooseFont(e.target.value));
    byId("title-picture").addEventListener("click", () => this.#askPicture((kept) => this.#set("titles", { picture: kept.asset, text: kept.name })));
    byId("file-picture").addEventListener("cancel", () => this.show());
    byId("file-picture").addEventListener("change", (e) => this.#broughtPicture(e), { capture: true });
    byId("file-font").addEventListener("change", (e) => this.#broughtFont(e.target));
    byId("sound-fill").addEventListener("click", () => this.#set("sounds", { start: 0, length: Math.max(1, store.state.total), loop: true }));
    const rates = JSON.parse(byId("rates").textContent);
    byId("rate").replaceChildren(...rates.map(([name, num, den]) => make("option", { value: `${num}/${den}` }, `${name}/s`)));
    byId("rate").addEventListener("change", (e) => {
      const [rate_num, rate_den] = e.target.value.split("/").map(Number);
      this.#setRate({ do: "rate", rate_num, rate_den });
    });
  }

  /** Everything keeps its seconds; that it keeps its frames instead is offered. */
  async #setRate(edit) {
    if (!(await this.store.perform(edit)) || !this.store.cut.clips.length) return;
    const frames = async () => {
      await this.store.back("undo");
      await this.store.perform({ ...edit, keep: "frames" });
    };
    say("Everything lasts as many seconds as before.", 10, { title: "Keep the frames instead", run: frames });
  }

  #set(list, values) {
    const { id } = this.bench.chosen();
    return this.store.perform({ do: "set", values: Object.fromEntries(Object.entries(values).map(([name, value]) => [`${list}/${id}/${name}`, value])) });
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
    if (kind === "clip") this.#showFinish(thing);
    if (kind === "clip") this.#showClip(thing);
    if (kind === "title") this.#showTitle(thing);
    byId("whole-says").textContent = store.state.sentence;
    byId("rate").value = `${store.cut.rate_num}/${store.cut.rate_den}`;
  }

  /** Another take in place of a clip's; then in all others that show the same, if that is wanted. */
  async #replaceTake(takeId) {
    const clip = this.store.thing(this.bench.chosen());
    const nameOf = (id) => (this.bench.takes().find((take) => take.id === id)?.name ?? "").slice(0, 80);
    const edit = { do: "replace take", take_id: takeId, name: nameOf(takeId), old_name: nameOf(clip.take_id) };
    const others = this.store.cut.clips.filter((other) => other.id !== clip.id && other.take_id === clip.take_id);
    if (!(await this.store.perform({ ...edit, clip: clip.id })) || !others.length) return;
    const all = () => this.store.perform({ ...edit, clip: others[0].id, every: true });
    say(`${others.length === 1 ? "Another clip shows" : `${others.length} other clips show`} ‘${edit.old_name || "the old take"}’.`, 10, { title: "Replace there too", run: all });
  }

  #showTakes(clip) {
    byId("clip-take-row").hidden = !clip.take_id;
    const takes = this.bench.takes().filter((take) => take.finished > 0 || take.id === clip.take_id);
    const gone = takes.some((take) => take.id === clip.take_id) ? [] : [make("option", { value: clip.take_id }, "a take that is gone")];
    byId("clip-take").replaceChildren(...gone, ...takes.map(({ id, name }) => make("option", { value: id }, name)));
    byId("clip-take").value = clip.take_id;
  }

  #showClip(clip) {
    this.#showTakes(clip);
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

  #showFinish(clip) {
    byId("clip-grade").hidden = !clip.take_id;
    byId("own-grade").setAttribute("aria-checked", String(Boolean(clip.grade)));
    byId("own-grade-values").hidden = !clip.grade;
    byId("clip-behind").hidden = !this.store.state.clips.find((c) => c.id === clip.id)?.clear;
    byId("behind-kind").value = clip.behind?.kind ?? "";
    byId("behind-colours").hidden = !clip.behind || clip.behind.kind === "picture";
    byId("behind-second").hidden = clip.behind?.kind === "colour";
  }

  /** The clip gets a grade of its own that begins as the take's, or gives it up. */
  async #gradeApart() {
    const clip = this.store.thing(this.bench.chosen());
    try {
      const grade = clip.grade ? null : (await get(`/api/takes/${clip.take_id}/finish`)).finishing.grade;
      await this.#set("clips", { grade });
    } catch (error) {
      say(error.message, 10);
    }
  }

  #layBehind(kind) {
    const { behind } = this.store.thing(this.bench.chosen());
    if (kind === "picture") return this.#askPicture((kept) => this.#set("clips", { behind: { kind, picture: kept.asset, source_name: kept.name } }));
    return this.#set("clips", { behind: kind ? { ...behind, kind } : null });
  }

  #showTitle(title) {
    const odd = this.store.state.title_says[title.id];
    byId("title-odd").hidden = !odd;
    byId("title-odd").textContent = odd ?? "";
    this.fonts ??= this.#offerFonts();
    byId("own-font").hidden = title.font !== "file";
    byId("own-font").textContent = title.font_name || "a font file";
    byId("title-font").value = title.font === "file" ? "own" : title.font;
    this.#showLayout(title);
    byId("title-with").replaceChildren(make("option", { value: "" }, "the cut"), ...this.store.cut.clips.slice(0, 400).map((c) => make("option", { value: c.id, selected: c.id === title.clip_id }, c.name)));
  }

  /** What a title has of its own in the shape that is looked at. */
  #layout(title) {
    return title.layouts.find((x) => x.id === this.bench.shape());
  }

  #showLayout(title) {
    const own = this.#layout(title);
    byId("layout-for").textContent = this.bench.shape();
    byId("own-layout").setAttribute("aria-checked", String(Boolean(own)));
    if (byId("layout").contains(document.activeElement)) return;
    const row = (name, text, unit) => make("label", { class: "row" }, make("span", { class: "name" }, text), make("span", { class: "numbox" }, make("input", { inputmode: "decimal", value: String(+own[name].toFixed(1)), onchange: (e) => {
      const value = calculate(e.target.value);
      e.target.blur();
      return value === null ? say(`‘${e.target.value}’ is not a number.`) : this.#keepLayout(title, { [name]: value });
    } }), make("span", { class: "unit" }, unit)));
    byId("layout").replaceChildren(...(own ? [row("size", "Size", "% of height"), row("across", "Across", "%"), row("down", "Down", "%")] : []));
  }

  #keepLayout(title, values) {
    const own = this.#layout(title);
    return this.store.set(`titles/${title.id}/layouts`, [...title.layouts.filter((x) => x !== own), { ...own, ...values }]);
  }

  #layOutApart() {
    const title = this.store.thing(this.bench.chosen());
    const own = this.#layout(title);
    const { size, across, down } = title;
    return this.store.set(`titles/${title.id}/layouts`, own ? title.layouts.filter((x) => x !== own) : [...title.layouts, { id: this.bench.shape(), size, across, down }]);
  }

  /** Moves a title by so many % of the picture, in the shape that is looked at where it is laid out apart there. */
  moveTitle(title, by) {
    const own = this.#layout(title);
    const from = own ?? title;
    const place = { across: +(from.across + by.across).toFixed(2), down: +(from.down + by.down).toFixed(2) };
    return own ? this.#keepLayout(title, place) : this.#set("titles", place);
  }

  /** The same moment, counted from the beginning of a clip or of the cut. */
  #alongWith(clipId) {
    const { id } = this.bench.chosen();
    const at = this.store.state.title_starts[id];
    const from = clipId ? withId(this.store.state.clips, clipId).start : 0;
    return this.#set("titles", { clip_id: clipId, start: Math.max(0, at - from) });
  }

  /** One of nine places within the safe area. */
  #placeAt(i) {
    const [column, row] = [i % 3, Math.floor(i / 3)];
    const title = this.store.thing(this.bench.chosen());
    const place = { across: [SAFE, 50, 100 - SAFE][column], down: [SAFE + 4, 50, 100 - SAFE - 4][row] };
    if (this.#layout(title)) return this.#keepLayout(title, place);
    return this.#set("titles", { ...place, align: ["left", "centre", "right"][column] });
  }

  #askPicture(use) {
    this.usePicture = use;
    byId("file-picture").click();
  }

  /** The picture file is for what asked for it; else it becomes a clip. */
  async #broughtPicture(e) {
    const use = this.usePicture;
    if (!use) return;
    this.usePicture = null;
    e.stopImmediatePropagation();
    try {
      const [kept] = await this.bench.keepPicture(e.target.files);
      await use(kept);
    } catch (error) {
      say(error.message, 10);
    }
    e.target.value = "";
  }

  async #offerFonts() {
    const fonts = await get("/api/fonts").catch(() => []);
    byId("machine-fonts").hidden = !fonts.length;
    byId("machine-fonts").replaceChildren(...fonts.map(({ id, name }) => make("option", { value: `machine ${id}` }, name)));
  }

  /** @param {string} value a family, “file” for one to be brought, or “machine <id>” for one that is installed */
  async #chooseFont(value) {
    if (value === "file") return byId("file-font").click();
    if (value === "own") return;
    if (!value.startsWith("machine ")) return this.#set("titles", { font: value });
    try {
      const { asset, name } = await this.bench.useFont(value.split(" ")[1]);
      await this.#set("titles", { font: "file", font_file: asset, font_name: name });
    } catch (error) {
      say(error.message, 10);
    }
  }

  async #broughtFont(input) {
    try {
      if (input.files.length) {
        const { asset, name } = await this.bench.keepFont(input.files);
        await this.#set("titles", { font: "file", font_file: asset, font_name: name });
      }
    } catch (error) {
      say(error.message, 10);
    }
    input.value = "";
  }
}
