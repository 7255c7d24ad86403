/** Controls bound to places in the document: number boxes, choices, switches, colours, texts. */

import { drag } from "./drag.js";
import { say } from "./api.js";
import { calculate } from "./arithmetic.js";
import { toHex } from "./colour.js";

const FRAME_BOXES = new Set(["shot/frames", "shot/rows/{row}/segments/{segment}/frames", "shot/shoot/from_frame", "shot/shoot/to_frame"]);

/**
 * What fields ask of a document.
 * @typedef {object} Valued
 * @property {(path: string, chosen: object) => string} resolve
 * @property {(path: string) => any} value
 * @property {(path: string, value: any, frame?: number) => Promise<any>} set
 * @property {(...changes: object[]) => Promise<any>} [change]
 * @property {number} [frame] that is shown
 * @property {any} state
 */

export class Fields {
  /**
   * @param {HTMLElement} root
   * @param {Valued} store
   * @param {object} chosen
   * @param {{attempt: (changes: object[]) => void, settle: () => void, chooseColour: Function}} floor while a value is dragged, and when nothing came of it
   */
  constructor(root, store, chosen, floor) {
    this.root = root;
    this.store = store;
    this.chosen = chosen;
    this.floor = floor;
    for (const box of root.querySelectorAll("[data-number]")) this.#bindNumber(box);
    for (const group of root.querySelectorAll("[data-choice]"))
      group.addEventListener("click", (e) => e.target.dataset.value !== undefined && this.#set(group.dataset.choice, typed(group, e.target.dataset.value)));
    for (const box of root.querySelectorAll("[data-select]")) box.addEventListener("change", () => this.#set(box.dataset.select, typed(box, box.value)));
    for (const button of root.querySelectorAll("[data-toggle]"))
      button.addEventListener("click", () => this.#turn(button, "aria-checked", button.dataset.toggle));
    for (const button of root.querySelectorAll('[data-press]:not([data-press=""])'))
      button.addEventListener("click", () => this.#turn(button, "aria-pressed", button.dataset.press));
    for (const box of root.querySelectorAll("[data-colour]")) {
      const path = box.dataset.colour;
      const taker = { attempt: (linear) => this.#attempt(path, linear), set: (linear) => this.#set(path, linear) };
      box.addEventListener("click", () => this.floor.chooseColour(box, this.store.value(this.#path(path)), taker));
    }
    for (const box of root.querySelectorAll("[data-text]")) {
      box.addEventListener("change", () => this.#set(box.dataset.text, box.value));
      if (box.tagName !== "TEXTAREA") box.addEventListener("keydown", (e) => e.key === "Enter" && box.blur());
    }
  }

  #path(short) {
    return this.store.resolve(short.split("#")[0], this.chosen);
  }

  /** The value of a place, or with `#2` at its end one of the numbers it consists of. */
  #value(short) {
    const value = this.store.value(this.#path(short));
    const part = short.split("#")[1];
    return part === undefined ? value : value?.[part];
  }

  /** What a place holds when one of its numbers, or all of it, is another. */
  #whole(short, value) {
    const part = short.split("#")[1];
    return part === undefined ? value : this.store.value(this.#path(short)).map((x, i) => (i === Number(part) ? value : x));
  }

  #set(short, value, frame = this.store.frame) {
    return this.store.set(this.#path(short), this.#whole(short, value), frame);
  }

  /** Turn a switch at once, before the server has answered: whoever presses it again turns it back. */
  #turn(button, attribute, path) {
    const on = button.getAttribute(attribute) !== "true";
    button.setAttribute(attribute, String(on));
    this.#set(path, on);
  }

  #attempt(short, value) {
    this.floor.attempt([{ kind: "set", path: this.#path(short), value: this.#whole(short, value) }]);
  }

  /** Show the document's values. */
  show() {
    const all = (selector) => this.root.querySelectorAll(selector);
    const value = (short) => this.#value(short);
    for (const box of all("[data-number]")) if (document.activeElement !== box) this.#showNumber(box);
    for (const group of all("[data-choice]"))
      for (const button of group.children) button.setAttribute("aria-pressed", button.dataset.value === String(value(group.dataset.choice)));
    for (const box of all("[data-select]")) box.value = String(value(box.dataset.select) ?? "");
    for (const item of all("[data-if]")) item.hidden = !this.#holds(item.dataset.if);
    for (const button of all("[data-toggle]")) button.setAttribute("aria-checked", value(button.dataset.toggle) === true);
    for (const button of all('[data-press]:not([data-press=""])')) button.setAttribute("aria-pressed", value(button.dataset.press) === true);
    for (const box of all("[data-colour]")) {
      const colour = value(box.dataset.colour);
      if (colour) box.firstElementChild.style.background = toHex(colour);
    }
    for (const box of all("[data-text]")) if (document.activeElement !== box) box.value = value(box.dataset.text) ?? "";
  }

  /** Whether a condition holds: `path` is neither empty nor zero, `path=a|b` is one of these, `path~a` lists it. */
  #holds(condition) {
    const [path, sign, wanted] = condition.split(/([=~])/);
    const value = this.store.value(this.#path(path));
    if (sign === "=") return wanted.split("|").includes(String(value));
    if (sign === "~") return value?.includes(wanted) ?? false;
    return Boolean(value);
  }

  #showNumber(box) {
    const value = this.#value(box.dataset.number);
    box.value = value === null || value === undefined ? "" : shown(value * Number(box.dataset.scale), Number(box.dataset.decimals), box.dataset.unit);
    box.parentElement.classList.remove("wrong");
  }

  #bindNumber(box) {
    const { number: short, scale, unit } = box.dataset;
    let typedIn; // the frame that was shown when typing began: who clicks into the strip next leaves it
    box.addEventListener("input", () => (typedIn ??= this.store.frame));
    const commit = (value) => {
      const stored = value === null ? null : tidy(value / Number(scale));
      const frame = typedIn ?? this.store.frame;
      typedIn = undefined;
      if (stored !== this.#value(short) || frame !== this.store.frame) return this.#set(short, stored, frame);
      this.#showNumber(box);
      return null;
    };
    const whole = FRAME_BOXES.has(short) || unit === "frames";
    const rate = () => (whole ? this.store.state.shot.rate[0] / this.store.state.shot.rate[1] : null);
    const read = () => {
      if (box.value.trim() === "" && "optional" in box.dataset) return null;
      const value = calculate(box.value, unit, rate());
      return value === null ? undefined : whole ? Math.round(value) : value;
    };
    box.addEventListener("change", () => {
      if (FRAME_BOXES.has(short) && /[:;]/.test(box.value)) return this.store.change?.({ kind: "length", path: this.#path(short), timecode: box.value });
      const value = read();
      box.parentElement.classList.toggle("wrong", value === undefined);
      if (value === undefined) say(`‘${box.value}’ is not a number.`);
      else commit(value);
    });
    box.addEventListener("focus", () => box.select());
    box.addEventListener("blur", () => !/[:;]/.test(box.value) && read() === undefined && this.#showNumber(box));
    box.addEventListener("keydown", (e) => {
      if (e.key === "Enter") return box.blur();
      if (e.key === "Escape") return this.#showNumber(box), box.blur();
      if (e.key !== "ArrowUp" && e.key !== "ArrowDown") return;
      e.preventDefault();
      const by = stepOf(box, read() ?? 0) * (e.key === "ArrowUp" ? 1 : -1) * (e.shiftKey ? 10 : 1);
      box.value = shown(within(box, (read() ?? 0) + by), 6, unit);
      commit(read());
    });
    const name = box.closest(".row").querySelector("[data-drag]");
    name.addEventListener("dblclick", () => box.dataset.default !== undefined && commit(Number(box.dataset.default) * Number(scale)));
    name.title ||= box.dataset.default !== undefined ? "Drag to change, double click to reset" : "Drag to change";
    this.#bindDrag(name, box, read, commit);
  }

  #bindDrag(name, box, read, commit) {
    drag(name, (e) => {
      const from = read();
      if (from === null || from === undefined) return null;
      e.preventDefault();
      const x = e.clientX;
      const move = (at) => {
        const steps = Math.trunc((at.clientX - x) / 5);
        const value = within(box, from + steps * stepOf(box, from) * (at.shiftKey ? 0.1 : 1));
        box.value = shown(value, Number(box.dataset.decimals) + (at.shiftKey ? 1 : 0), box.dataset.unit);
        this.#attempt(box.dataset.number, tidy(Number(box.value) / Number(box.dataset.scale)));
      };
      return { move, drop: () => commit(read()) || this.floor.settle(), cancel: () => (this.#showNumber(box), this.floor.settle()) };
    });
  }
}

/** What one step is worth: lengths of small and large subjects go by steps of their own size. */
function stepOf({ dataset: { step, unit } }, value) {
  const [usual, size] = [Number(step), Math.abs(value)];
  if ((unit !== "mm" && unit !== "m") || size === 0 || (size >= 10 * usual && size <= 5000 * usual)) return usual;
  return 10 ** Math.floor(Math.log10(size / 20));
}

/** The value of a control as the document holds it. */
function typed(control, text) {
  return "numeric" in control.dataset ? Number(text) : text;
}

/** A number as people write it: no trailing zeros beyond `decimals`. */
export function shown(value, decimals, unit = "") {
  // small subjects have small lengths: two digits at least, whatever the decimals
  const short = Math.abs(value);
  if ((unit === "mm" || unit === "m") && short > 1e-6 && short < 5 * 10 ** -decimals) return String(Number(value.toPrecision(2)));
  const text = value.toFixed(decimals);
  return decimals ? text.replace(/\.?0+$/, "") : text;
}

/** The nearest number that the document allows in a box: who drags or steps stops there, only who types is told. */
function within({ dataset: { least = -Infinity, greatest = Infinity, scale } }, value) {
  return Math.min(Number(greatest) * Number(scale), Math.max(Number(least) * Number(scale), value));
}

/** Free of the last binary digits that scaling leaves behind. */
function tidy(value) {
  return Number(value.toPrecision(12));
}
