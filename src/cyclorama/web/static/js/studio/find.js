/** One box to find anything in: commands, values, sections, lights, materials, parts, takes, pages of the guide. */

import { byId } from "../shared/dom.js";
import { get, make } from "../shared/api.js";
import { keyName } from "../shared/keys.js";
import { helpOf, nameOf } from "./help_tip.js";

const MOST = 12;

/**
 * Something that can be found.
 * @typedef {{name: string, where: string, more?: string, go: () => void}} Findable
 */

export class Find {
  /** @type {Findable[]} */
  #all = [];
  /** @type {Findable[]} */
  #found = [];
  #at = 0;

  /** @param {import("./studio.js").Floor} floor @param {import("../shared/keys.js").Binding[]} bindings */
  constructor(floor, bindings) {
    this.floor = floor;
    this.bindings = bindings;
    this.dialog = /** @type {HTMLDialogElement} */ (byId("find"));
    this.input = byId("find-input");
    this.input.addEventListener("input", () => this.#search());
    this.input.addEventListener("keydown", (e) => this.#key(e));
    byId("open-find").addEventListener("click", () => this.open());
  }

  async open() {
    this.#all = [...this.#commands(), ...this.#values(), ...this.#things()];
    this.input.value = "";
    this.#search();
    this.dialog.showModal();
    this.#all.push(...(await this.#elsewhere()));
    this.#search();
  }

  #commands() {
    const once = this.bindings.filter(({ keys }) => keys.length === 1);
    const keyed = once.map(({ keys: [key], label, run }) => ({ name: label, where: `key ${keyName(key)}`, go: () => run(0, null) }));
    const buttons = [...document.querySelectorAll("#cards [data-section] button.btn, #cards .group button.btn")]
      .filter((button) => button.textContent.trim().length > 2)
      .map((button) => ({ name: button.textContent.trim(), where: this.#where(button), more: button.getAttribute("title") ?? "", go: () => this.#show(button) }));
    return [...keyed, ...buttons];
  }

  #values() {
    const rows = [...document.querySelectorAll("#cards .row")].filter((row) => row.querySelector(".name")?.textContent.trim());
    return rows.map((row) => ({ name: nameOf(row), where: this.#where(row), more: helpOf(/** @type {HTMLElement} */ (row)) ?? "", go: () => this.#show(row) }));
  }

  #things() {
    const { floor, floor: { store, chosen, cards, touch } } = this;
    const { project } = store.state;
    const pick = (what, value, card, section) => () => {
      chosen[what] = value;
      floor.open(card);
      cards.sections.open(card, section);
    };
    return [
      ...project.items.map(({ id, name }) => ({ name, where: "Item", go: pick("item", id, "subject", "Place") })),
      ...store.look.lights.map(({ id, name }) => ({ name, where: "Light", go: pick("light", id, "light", "Lights") })),
      ...project.materials.map(({ id, name }) => ({ name, where: "Material", go: pick("material", id, "materials", "Surface") })),
      ...touch.parts().map((part) => ({ name: part.name, where: "Part", go: () => (floor.open("materials"), touch.choose([part])) })),
      ...project.shots.map(({ id, name }) => ({ name, where: "Shot", go: () => store.change({ kind: "set", path: "shot_id", value: id }) })),
    ];
  }

  /** What is asked for: takes of the project, and pages of the guide. @returns {Promise<Findable[]>} */
  async #elsewhere() {
    const [takes, guide] = await Promise.all([get("/api/takes").catch(() => []), fetch("/guide").then((answer) => answer.text()).catch(() => "")]);
    const pages = [...new DOMParser().parseFromString(guide, "text/html").querySelectorAll("section.guide :is(.how, li)")];
    return [
      ...takes.filter((take) => take.project_id === this.floor.store.id).map(({ id, name, state }) => ({ name, where: "Take", more: state, go: () => location.assign(`/takes/${id}`) })),
      ...pages.map((item) => ({ name: item.querySelector("h3, strong").textContent, where: "Guide", more: item.textContent, go: () => window.open(`/guide#${item.closest("section").id}`) })),
    ];
  }

  #where(element) {
    const card = element.closest("[data-card]").getAttribute("aria-label");
    const section = element.closest("[data-section]")?.dataset.section;
    return section && section !== card ? `${card} · ${section}` : card;
  }

  #show(element) {
    this.floor.open(element.closest("[data-card]").dataset.card);
    this.floor.cards.sections.reveal(element);
    (element.matches("button") ? element : element.querySelector("input, select, button"))?.focus({ focusVisible: true });
  }

  #search() {
    this.#found = ranked(this.#all, this.input.value).slice(0, MOST);
    this.#at = 0;
    byId("find-list").replaceChildren(...this.#found.map((one, i) =>
      make("li", { id: `found-${i}`, role: "option", class: "found", onclick: () => this.#go(i) }, make("span", { class: "min-w-0 flex-1 truncate" }, one.name), make("span", {}, one.where))));
    byId("find-none").hidden = this.#found.length > 0;
    this.#mark();
  }

  #mark() {
    for (const [i, line] of [...byId("find-list").children].entries()) {
      line.setAttribute("aria-selected", String(i === this.#at));
      if (i === this.#at) line.scrollIntoView({ block: "nearest" });
    }
    this.input.setAttribute("aria-activedescendant", this.#found.length ? `found-${this.#at}` : "");
  }

  #key(e) {
    const by = { ArrowDown: 1, ArrowUp: -1 }[e.key];
    if (by) this.#at = (this.#at + by + this.#found.length) % Math.max(1, this.#found.length);
    else if (e.key === "Enter") this.#go(this.#at);
    else return;
    e.preventDefault();
    this.#mark();
  }

  #go(i) {
    if (!this.#found[i]) return;
    this.dialog.close();
    this.#found[i].go();
  }
}

/**
 * Those that have all words that are looked for, names that begin with them first, then names that hold them.
 * @template {{name: string, where: string, more?: string}} T @param {T[]} all @param {string} wanted @returns {T[]}
 */
export function ranked(all, wanted) {
  const words = wanted.toLowerCase().split(/\s+/).filter(Boolean);
  const seen = new Set();
  const rank = ({ name, where, more = "" }) => {
    const [title, rest] = [name.toLowerCase(), `${where} ${more}`.toLowerCase()];
    if (!words.every((word) => title.includes(word) || rest.includes(word))) return null;
    if (!words.length) return 0;
    return title.startsWith(words[0]) ? 0 : title.includes(` ${words[0]}`) ? 1 : title.includes(words[0]) ? 2 : 3;
  };
  return all
    .map((one) => ({ one, rank: rank(one) }))
    .filter(({ one, rank: found }) => found !== null && !seen.has(`${one.name} ${one.where}`) && seen.add(`${one.name} ${one.where}`))
    .toSorted((a, b) => Number(a.rank) - Number(b.rank))
    .map(({ one }) => one);
}
