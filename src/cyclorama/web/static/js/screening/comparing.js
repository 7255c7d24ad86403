/** Two pictures of the same frame: which one, how, and what differs; and all takes of the shot at once. */

import { byId } from "../shared/dom.js";
import { get, make, post, say, upload } from "../shared/api.js";
import { latest } from "../shared/latest.js";

export class Comparing {
  /**
   * @param {string} url of the take
   * @param {import("./stage.js").Stage} stage
   * @param {{take: () => object, number: () => number|null, shown: () => void, match: (reference: {file: File}) => void, version: (n: number) => string, graded: () => string, pictures: () => string, view: (name: string, n: number) => string, address: (n: number, take?: string, width?: number|null) => string}} room
   */
  constructor(url, stage, room) {
    this.url = url;
    this.stage = stage;
    this.room = room;
    /** @type {object[]} */
    this.all = [];
    this.takes = [];
    this.states = [];
    this.with = "";
    this.as = "wipe";
    this.walled = false;
    /** @type {any} */
    this.reference = null;
    this.measure = latest(async () => this.#measure());
    byId("compare-with").addEventListener("change", (e) => (e.target.value === "file" && !this.reference ? this.#pick() : this.choose(e.target.value)));
    byId("file-reference").addEventListener("change", (e) => e.target.files[0] && this.refer(e.target.files[0]));
    byId("file-reference").addEventListener("cancel", () => (byId("compare-with").value = this.with));
    byId("match").addEventListener("click", () => this.room.match(this.reference));
    byId("reference-keep").addEventListener("click", () => this.#keep());
    byId("reference-pick").addEventListener("click", () => this.#pick());
    document.addEventListener("paste", (e) => {
      const file = [...(e.clipboardData?.files ?? [])].find((f) => f.type.startsWith("image/"));
      if (file) this.refer(file);
    });
    for (const button of byId("compare-as").children) button.addEventListener("click", () => this.#how(button.dataset.value));
    byId("gain").addEventListener("input", (e) => {
      byId("gain-says").textContent = `${e.target.value}×`;
      this.room.shown();
    });
    byId("wall-open").addEventListener("click", () => this.wall(!this.walled));
  }

  /** @param {object[]} takes of the project */
  offer(takes) {
    this.all = takes;
    const here = this.room.take();
    this.takes = takes.filter((t) => t.id !== here.id && t.finished > 0);
    const same = this.takes.filter((t) => t.slate?.shot === here.shot);
    const group = (label, list) => list.length && make("optgroup", { label }, ...list.map((t) => make("option", { value: t.id }, t.name)));
    byId("compare-with").replaceChildren(
      ...[make("option", { value: "" }, "nothing"), make("option", { value: "state-0" }, "itself, as it was shot"), make("option", { value: "file" }, this.reference ? this.reference.name : "a reference picture …"),
        group("Itself, as it was before", this.states.map(({ number, label }) => ({ id: `state-${number}`, name: `${number} · ${label}` }))),
        here.passes.length && make("optgroup", { label: "Its passes" }, ...here.passes.map((name) => make("option", { value: `pass ${name}` }, name))),
        group("Takes of the shot", same), group("Other takes", this.takes.filter((t) => !same.includes(t)))].filter(Boolean));
    byId("compare-with").value = this.with;
  }

  /** What it was before each change of its grade can be chosen as well. */
  async #recall() {
    const states = await get(`${this.url}/finishes`).catch((error) => (say(error.message, 10), null));
    if (!states) return;
    this.states = states;
    this.offer(this.all);
  }

  #pick() {
    byId("file-reference").value = "";
    byId("file-reference").click();
  }

  /** Hold a picture beside the frames. @param {File} file */
  refer(file) {
    if (this.reference) URL.revokeObjectURL(this.reference.url);
    this.reference = { name: file.name || "pasted picture", url: URL.createObjectURL(file), file };
    this.offer(this.all);
    this.choose("file");
    this.#colours();
  }

  /** What colours it is made of, to be kept in the project. */
  async #colours() {
    const { reference } = this;
    byId("reference-colours").replaceChildren();
    byId("reference-keep").disabled = true;
    try {
      [reference.kept] = await upload(this.room.pictures(), [new File([reference.file], reference.name, { type: reference.file.type })]);
      reference.colours = await get(`/api/pictures/${reference.kept.asset}/colours`);
    } catch (error) {
      return say(error.message, 10);
    }
    if (reference !== this.reference) return null;
    byId("reference-colours").replaceChildren(...reference.colours.map(({ digits }) => make("span", { class: "h-[20px] flex-1", style: `background: ${digits}`, title: digits })));
    byId("reference-keep").disabled = false;
    return null;
  }

  /** The picture and its colours into the project. */
  async #keep() {
    const { name, kept, colours } = this.reference;
    const project = `/api/projects/${this.room.take().project_id}`;
    try {
      const { version } = await get(project);
      const changes = [{ kind: "add_reference", asset: kept.asset, name: name.slice(0, 80) }, { kind: "add_colours", colours: colours.map(({ linear }) => linear) }];
      await post(`${project}/changes`, { base_version: version, changes });
      byId("reference-keep").disabled = true;
      say("The picture lies beside the project now, its colours are in the palette.");
    } catch (error) {
      say(error.message, 10);
    }
  }

  get on() {
    return this.with !== "";
  }

  choose(what) {
    this.with = what;
    byId("compare-with").value = what;
    this.stage.compare(this.on ? this.as : null);
    this.room.shown();
  }

  #how(as) {
    this.as = as;
    for (const button of byId("compare-as").children) button.setAttribute("aria-pressed", String(button.dataset.value === as));
    byId("gain-row").hidden = as !== "difference";
    if (!this.on) return this.choose("state-0");
    this.stage.compare(as);
    return this.room.shown();
  }

  /** Address of the difference, where that is what is shown instead of the picture; null otherwise. */
  difference(n, width) {
    if (!this.on || this.as !== "difference" || !this.#measurable) return null;
    return `${this.url}/against/${this.with}/${n}?${new URLSearchParams({ gain: byId("gain").value, ...(width ? { width } : {}) })}&v=${this.room.version(n)}`;
  }

  /** Show the other picture of a frame. */
  show(n, width) {
    if (this.recalled !== this.room.graded()) {
      this.recalled = this.room.graded();
      this.#recall();
    }
    const [left, right] = [byId("stage-left"), byId("stage-right")];
    left.hidden = right.hidden = !this.on || (this.as === "difference" && this.#measurable);
    byId("figures").hidden = !this.on || !this.#measurable;
    byId("reference").hidden = this.with !== "file";
    if (!this.on) return;
    left.textContent = this.room.take().name;
    right.textContent = byId("compare-with").selectedOptions[0]?.textContent ?? "";
    if (this.as !== "difference") byId("other").src = this.#address(n, width);
    if (!byId("figures").hidden) this.measure();
  }

  /** Whether it is a finished picture of the same frame. */
  get #measurable() {
    return this.with !== "file" && !this.with.startsWith("pass ");
  }

  #address(n, width) {
    if (this.with === "file") return this.reference.url;
    if (this.with.startsWith("pass ")) return this.room.view(this.with.slice(5), n);
    const [, state] = this.with.match(/^state-(\d+)$/) ?? [];
    return state ? `${this.room.address(n, undefined, width)}&state=${state}` : this.room.address(n, this.with, width);
  }

  async #measure() {
    const n = this.room.number();
    if (n === null || !this.on) return;
    byId("figures-says").textContent = "Measuring …";
    const found = await get(`${this.url}/against/${this.with}/${n}/figures`).catch((error) => ({ sentence: error.message }));
    byId("figures-says").textContent = found.sentence;
    const facts = found.mean === undefined ? [] : [["SSIM", found.ssim.toFixed(4)], ["FLIP", found.flip.toFixed(4)], ["Mean difference", `${(100 * found.mean).toFixed(2)} %`], ["99 in 100 below", `${(100 * found.p99).toFixed(1)} %`]];
    byId("figures-list").replaceChildren(...facts.map(([name, value]) => make("div", { class: "fact" }, make("span", {}, name), make("span", { class: "num" }, value))));
  }

  /** All takes of the shot in this frame, to choose from. */
  wall(open) {
    this.walled = open;
    byId("wall").hidden = !open;
    byId("wall-open").setAttribute("aria-pressed", String(open));
    const n = this.room.number();
    if (!open || n === null) return;
    const here = this.room.take();
    const takes = [here, ...this.takes.filter((t) => t.slate?.shot === here.shot && t.first <= n && n <= t.last)];
    byId("wall").replaceChildren(...takes.map((t) =>
      make("button", { type: "button", "aria-pressed": t.id === here.id, title: t.id === here.id ? "This take" : `Compare with ${t.name}`, onclick: () => (this.wall(false), t.id !== here.id && this.choose(t.id)) },
        make("img", { src: this.room.address(n, t.id, 320), alt: t.name, loading: "lazy", class: "w-full" }), make("span", {}, t.name))));
  }
}
