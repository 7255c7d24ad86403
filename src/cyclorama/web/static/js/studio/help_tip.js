/** The sentence of help beside a row of the cards: on hover after a moment, on focus by keyboard, on a touch of its name. */

import { byId } from "../shared/dom.js";
import { make } from "../shared/api.js";

const PAUSE_MS = 450;

export class HelpTip {
  #timer = 0;
  /** @type {HTMLElement|null} */
  #row = null;

  constructor() {
    this.tip = make("div", { id: "help-tip", class: "help-tip", role: "tooltip", hidden: true });
    document.body.append(this.tip);
    const cards = byId("cards");
    const rowOf = (e) => e.target.closest(".row");
    cards.addEventListener("pointerover", (e) => e.pointerType === "mouse" && this.#soon(rowOf(e)));
    cards.addEventListener("pointerleave", () => this.#soon(null));
    cards.addEventListener("pointerdown", (e) => (e.pointerType === "mouse" ? this.#show(null) : this.#show(e.target.closest(".name") && rowOf(e))));
    cards.addEventListener("focusin", (e) => this.#show(e.target.matches(":focus-visible") ? rowOf(e) : null));
    cards.addEventListener("focusout", () => this.#show(null));
    cards.addEventListener("scroll", () => this.#row && this.#show(this.#row));
    document.addEventListener("keydown", (e) => e.key === "Escape" && this.#show(null));
  }

  #soon(row) {
    if (row === this.#row) return;
    clearTimeout(this.#timer);
    this.#show(null);
    if (row) this.#timer = setTimeout(() => this.#show(row), PAUSE_MS);
  }

  #show(row) {
    clearTimeout(this.#timer);
    const sentence = row && helpOf(row);
    this.#row = sentence ? row : null;
    this.tip.hidden = !sentence;
    if (!sentence) return;
    this.tip.replaceChildren(make("b", {}, nameOf(row)), make("p", {}, sentence), ...rangeOf(row).map((words) => make("p", { class: "num text-soft" }, words)));
    const [at, card] = [row.getBoundingClientRect(), byId("cards").getBoundingClientRect()];
    this.tip.style.right = `${innerWidth - card.left + 8}px`;
    this.tip.style.top = `${Math.max(8, Math.min(at.top, innerHeight - this.tip.offsetHeight - 8))}px`;
  }
}

/** The sentence of a row; it moves from the title, which browsers show on hover alone. @param {HTMLElement} row */
export function helpOf(row) {
  if (row.title) {
    row.dataset.help = row.title;
    row.removeAttribute("title");
    row.querySelector("input, select, button")?.setAttribute("aria-description", row.dataset.help);
  }
  return row.dataset.help;
}

/** @param {Element} row */
export const nameOf = (row) => row.querySelector(".name")?.textContent.trim() || row.querySelector("[aria-label]")?.getAttribute("aria-label") || row.textContent.trim();

/** The range of a number, in words; nothing of other rows. */
function rangeOf(row) {
  const number = /** @type {HTMLElement|null} */ (row.querySelector("[data-number]"));
  if (!number) return [];
  const { least, greatest, unit, scale } = number.dataset;
  const shown = (value) => Number((Number(value) * Number(scale)).toPrecision(6));
  const ends = [least && `from ${shown(least)}`, greatest && `to ${shown(greatest)}`].filter(Boolean);
  return ends.length ? [`${ends.join(" ")} ${unit}`.trim()] : [];
}
