/** Height of the plan: dragged by its lower edge, folded away, kept for the next time. */

import { byId } from "../shared/dom.js";
import { drag } from "../shared/drag.js";

const KEPT = "cyclorama-plan-height";
const DOUBLE_MS = 500;
const [USUAL, LEAST, STEP] = [288, 120, 24];

export class PlanHeight {
  /** @param {() => void} changed */
  constructor(changed) {
    this.changed = changed;
    this.opened = false;
    this.height = USUAL;
    this.edge = byId("plan-edge");
    this.set(Number(localStorage.getItem(KEPT) ?? USUAL));
    drag(this.edge, (e) => {
      const before = this.height;
      const from = e.clientY - before;
      return { move: (at) => this.set(at.clientY - from), click: () => this.#clicked(before), cancel: () => this.set(before) };
    });
    this.edge.addEventListener("dblclick", () => this.opened || this.set(0));
    this.edge.addEventListener("keydown", (e) => {
      const next = { ArrowUp: this.height - STEP, ArrowDown: Math.max(this.height, LEAST - STEP) + STEP, Enter: this.height ? 0 : USUAL }[e.key];
      if (next === undefined) return;
      e.preventDefault();
      e.stopPropagation();
      this.set(next);
    });
  }

  /** A click opens what is folded; the second of a double click then folds nothing. */
  #clicked(before) {
    if (!before) {
      this.opened = true;
      setTimeout(() => (this.opened = false), DOUBLE_MS);
      this.set(USUAL);
    }
  }

  /** @param {number} wanted px; what is too low to read folds */
  set(wanted) {
    const most = Math.max(LEAST, innerHeight - 320);
    this.height = wanted < LEAST / 2 ? 0 : Math.round(Math.min(most, Math.max(LEAST, wanted)));
    byId("plan").style.height = `${this.height}px`;
    this.edge.parentElement.classList.toggle("folded", !this.height);
    for (const [name, value] of [["valuenow", this.height], ["valuemin", 0], ["valuemax", most]]) this.edge.setAttribute(`aria-${name}`, String(value));
    localStorage.setItem(KEPT, String(this.height));
    this.changed();
  }
}
