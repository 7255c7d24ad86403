/** Sections of cards: one is shown at a time, chosen by chips; sections and folds stay as they were left. */

import { make } from "../shared/api.js";

const KEPT = "cyclorama-sections";
const kept = JSON.parse(localStorage.getItem(KEPT) ?? "{}");
const keep = (name, value) => {
  kept[name] = value;
  localStorage.setItem(KEPT, JSON.stringify(kept));
};

export class Sections {
  constructor() {
    /** @type {Map<HTMLElement, HTMLElement>} chips by the card that they are of */
    this.chips = new Map();
    for (const card of document.querySelectorAll("[data-card]")) {
      const first = card.querySelector("[data-section]");
      if (!first) continue;
      const chips = make("div", { class: "section-chips", role: "tablist", "aria-label": `Sections of ${card.getAttribute("aria-label")}` });
      for (const name of new Set(this.#parts(card).map((part) => part.dataset.section)))
        chips.append(make("button", { type: "button", class: "chip", role: "tab", "data-section-of": name, onclick: () => this.#choose(card, name) }, name));
      chips.addEventListener("keydown", (e) => this.#step(e, card));
      first.before(chips);
      this.chips.set(card, chips);
      this.#show(card);
    }
    for (const fold of document.querySelectorAll("[data-card] details")) this.#remember(fold);
  }

  /** Sections of which nothing is there for what stands on the set have no chip. */
  refresh() {
    for (const card of this.chips.keys()) {
      for (const chip of this.#chips(card)) chip.hidden = this.#parts(card).every((part) => part.hidden || part.dataset.section !== chip.dataset.sectionOf);
      this.#show(card);
    }
  }

  /** Show the section and the folds that hold an element, and the element in the middle. @param {Element} element */
  reveal(element) {
    const part = element.closest("[data-section]");
    if (part) this.#choose(part.closest("[data-card]"), part.dataset.section);
    for (let fold = element.closest("details"); fold; fold = fold.parentElement?.closest("details") ?? null) fold.open = true;
    element.scrollIntoView({ block: "center" });
  }

  #parts(card) {
    return [...card.querySelectorAll("[data-section]")];
  }

  /** Open a section of a card. @param {string} key of the card @param {string} name */
  open(key, name) {
    this.#choose([...this.chips.keys()].find((card) => card.dataset.card === key), name);
  }

  /** @returns {HTMLButtonElement[]} */
  #chips(card) {
    return [.../** @type {any} */ (this.chips.get(card)?.children ?? [])];
  }

  #choose(card, name) {
    keep(card.dataset.card, name);
    this.#show(card);
  }

  #show(card) {
    const chips = this.#chips(card);
    const chosen = chips.find((chip) => !chip.hidden && chip.dataset.sectionOf === kept[card.dataset.card]) ?? chips.find((chip) => !chip.hidden);
    for (const chip of chips) {
      chip.setAttribute("aria-selected", String(chip === chosen));
      chip.tabIndex = chip === chosen ? 0 : -1;
    }
    for (const part of this.#parts(card)) part.toggleAttribute("data-away", part.dataset.section !== chosen?.dataset.sectionOf);
  }

  #step(e, card) {
    const by = { ArrowRight: 1, ArrowLeft: -1 }[e.key];
    if (!by) return;
    const there = this.#chips(card).filter((chip) => !chip.hidden);
    const next = there.at((there.indexOf(e.target) + by) % there.length);
    e.preventDefault();
    e.stopPropagation();
    next?.click();
    next?.focus();
  }

  #remember(fold) {
    const name = `${fold.closest("[data-card]").dataset.card}: ${fold.id || fold.querySelector("summary").textContent}`;
    if (kept[name]) fold.open = true;
    fold.addEventListener("toggle", () => keep(name, fold.open));
  }
}
