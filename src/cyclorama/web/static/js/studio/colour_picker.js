/** Choosing a colour: by hue, lightness and chroma, by what somebody tells, from the palette, the picture or a reference. */

import { byId } from "../shared/dom.js";
import { drag } from "../shared/drag.js";
import { get, make, post, say, query } from "../shared/api.js";
import { toHex } from "../shared/colour.js";
import { latest } from "../shared/latest.js";

/** Chroma at the right edge of the plane; see `core/colour_spaces.py`. */
const MOST_CHROMA = 0.33;
const round = (values, digits) => values.map((x) => x.toFixed(digits)).join(" ");

export class ColourPicker {
  /**
   * @param {import("./project.js").ProjectStore} store
   * @param {import("./studio.js").Floor} floor
   */
  constructor(store, floor) {
    this.store = store;
    this.floor = floor;
    this.open = null;
    this.told = null;
    this.following = 0;
    this.keeping = false;
    this.follow = latest(async (wanted) => {
      if (this.open && (await this.#ask(`/api/colours/seen?${new URLSearchParams(wanted)}`, wanted))) this.open?.taker.attempt(this.told.linear);
    });
    this.box = byId("colour-picker");
    const plane = byId("picker-plane");
    const move = (e) => {
      const { left, top, width, height } = plane.getBoundingClientRect();
      const share = (x) => Math.min(1, Math.max(0, x));
      this.#seen(1 - share((e.clientY - top) / height), MOST_CHROMA * share((e.clientX - left) / width), this.hue);
    };
    drag(plane, () => {
      const [lightness, chroma] = this.told.oklch;
      return { atOnce: true, move, drop: () => this.#keepWhenTold(), cancel: () => this.#seen(lightness, chroma, this.hue) };
    });
    plane.addEventListener("keydown", (e) => this.#nudge(e));
    byId("picker-hue").addEventListener("input", (e) => this.#seen(this.told.oklch[0], this.told.oklch[1], Number(e.target.value)));
    byId("picker-hue").addEventListener("change", () => this.#keepWhenTold());
    byId("picker-told").addEventListener("change", (e) => this.#tell(e.target.value));
    byId("picker-told").addEventListener("keydown", (e) => e.key === "Enter" && e.target.blur());
    byId("picker-before").addEventListener("click", () => this.open && this.#use(this.open.before));
    byId("picker-keep").addEventListener("click", () => this.told && this.store.change({ kind: "add_colours", colours: [this.told.linear] }));
    byId("picker-lens").addEventListener("click", () => this.#fromPicture());
    byId("picker-close").addEventListener("click", () => this.close());
    addEventListener("pointerdown", (e) => this.open && !e.target?.closest("#colour-picker, #reference, #mat, [data-colour], [data-palette]") && this.close());
    addEventListener("keydown", (e) => e.key === "Escape" && this.open && !byId("mat").classList.contains("picking") && this.close());
  }

  /**
   * Let a colour be chosen.
   * @param {HTMLElement} beside @param {number[]} value linear
   * @param {{attempt: (linear: number[]) => void, set: (linear: number[]) => Promise<boolean>}} taker
   */
  async choose(beside, value, taker) {
    if (this.open?.beside === beside) return this.close();
    this.open = { beside, before: value, taker };
    this.box.hidden = false;
    byId("picker-before").style.background = toHex(value);
    this.showPalette();
    this.#place(beside);
    await this.#ask(`/api/colours/linear?${this.#query(value)}`);
    this.#place(beside);
    byId("picker-told").focus();
  }

  /** Stand beside what is chosen, all of it in the window. */
  #place(beside) {
    const { top, left } = beside.getBoundingClientRect();
    Object.assign(this.box.style, { top: `${Math.max(8, Math.min(top - 40, innerHeight - this.box.offsetHeight - 8))}px`, left: `${Math.max(8, left - this.box.offsetWidth - 12)}px` });
  }

  close() {
    if (!this.open) return;
    this.open = null;
    this.box.hidden = true;
    this.floor.settle();
  }

  /** Use a colour for what is being chosen. @param {number[]} linear @returns {boolean} false when nothing is */
  take(linear) {
    if (!this.open) return false;
    this.#use(linear);
    return true;
  }

  /** The palette within the picker. */
  showPalette() {
    byId("picker-palette").replaceChildren(...this.store.state.project.palette.map(({ name, colour }) =>
      make("button", { type: "button", class: "paint-chip", style: `background:${toHex(colour)}`, title: name, "aria-label": name, onclick: () => this.#use(colour) })));
  }

  #query(/** @type {number[]} */ [r, g, b]) {
    return query({ r, g, b });
  }

  async #use(linear) {
    await this.#ask(`/api/colours/linear?${this.#query(linear)}`);
    this.#keep();
  }

  async #tell(text) {
    if (text.trim() && (await this.#ask(`/api/colours/told?${new URLSearchParams({ colour: text })}`))) this.#keep();
  }

  /** Lightness, chroma and hue are followed while they are dragged: the next is asked when the last was answered. */
  async #seen(lightness, chroma, hue) {
    this.#mark(lightness, chroma, hue);
    this.following += 1;
    await this.follow({ lightness, chroma, hue });
    this.following -= 1;
    if (this.keeping && !this.following) this.#keep();
  }

  /** What was dragged to is kept once its colour is known. */
  #keepWhenTold() {
    if (this.following) this.keeping = true;
    else this.#keep();
  }

  #keep() {
    this.keeping = false;
    if (this.open && this.told) this.open.taker.set(this.told.linear);
  }

  async #ask(url, at = null) {
    try {
      this.told = await get(url);
    } catch (error) {
      say(error.message);
      return false;
    }
    this.#show(at);
    return true;
  }

  #show(at) {
    const { linear, digits, lab, oklch, beyond } = this.told;
    // a grey has no hue of its own: the one that was chosen stays
    const hue = at?.hue ?? (oklch[1] < 0.002 ? (this.hue ?? 0) : oklch[2]);
    if (this.following < 2) this.#mark(at?.lightness ?? oklch[0], at?.chroma ?? oklch[1], hue);
    byId("picker-now").style.background = digits;
    if (document.activeElement !== byId("picker-told")) byId("picker-told").value = digits; // or what is being typed is lost
    byId("picker-numbers").replaceChildren(...[["OKLCH", round(oklch.slice(0, 2), 3) + ` ${oklch[2].toFixed(0)}°`], ["CIELAB", round(lab, 1)], ["linear", round(linear, 3)]].flatMap(([name, text]) => [make("dt", { class: "text-soft" }, name), make("dd", { class: "num" }, text)]));
    byId("picker-beyond").classList.toggle("invisible", !beyond);
  }

  #mark(lightness, chroma, hue) {
    const plane = `/api/colours/plane/${Math.round(((hue % 360) + 360) % 360) % 360}.png`;
    if (this.hue !== hue || !byId("picker-plane").style.backgroundImage) byId("picker-plane").style.backgroundImage = `url(${plane})`;
    this.hue = hue;
    byId("picker-hue").value = hue;
    Object.assign(byId("picker-mark").style, { left: `${(100 * chroma) / MOST_CHROMA}%`, top: `${100 * (1 - lightness)}%` });
    byId("picker-plane").setAttribute("aria-valuetext", `lightness ${lightness.toFixed(2)}, chroma ${chroma.toFixed(2)}`);
  }

  #nudge(e) {
    const [by, up] = { ArrowLeft: [-0.005, 0], ArrowRight: [0.005, 0], ArrowUp: [0, 0.01], ArrowDown: [0, -0.01] }[e.key] ?? [0, 0];
    if (!by && !up) return;
    e.preventDefault();
    e.stopPropagation();
    const [lightness, chroma] = this.told.oklch;
    this.#seen(Math.min(1, Math.max(0, lightness + up)), Math.max(0, chroma + by), this.hue);
    this.#keepWhenTold();
  }

  #fromPicture() {
    this.floor.pick("Click on the colour to take.", async (place) => {
      try {
        const { linear } = await post(`${this.store.url}/colours/seen`, place);
        if (this.open) this.#use(linear);
      } catch (error) {
        say(error.message);
      }
    });
  }
}
