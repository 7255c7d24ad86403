/** The shoot log in groups that fold: what is shot and waits, then the takes of each shot; and what of it is shown. */

import { byId } from "../shared/dom.js";
import { make } from "../shared/api.js";
import { hasWords } from "../shared/lists.js";

const FOLDED = "shoot log folded";
const NOW = "now";
/** Kinds of takes that can be shown alone: what belongs to them. @type {Record<string, (take: Api["TakeLine"]) => boolean>} */
const KINDS = {
  all: () => true,
  takes: (take) => take.total > 1 && !take.source_id,
  stills: (take) => take.total === 1,
  derived: (take) => Boolean(take.source_id),
  starred: (take) => take.starred,
};

/** Key and title of the group that a take belongs to. @param {Api["TakeLine"]} take */
export function groupOf({ state, project_id, slate }) {
  if (state === "running" || state === "queued") return { key: NOW, title: "Now" };
  if (!slate) return { key: "damaged", title: "Damaged" };
  return { key: `${project_id} ${slate.shot}`, title: `${slate.project_name} · ${slate.shot}` };
}

/** Whether a take is of a kind and has all words. @param {Api["TakeLine"]} take */
export function isShown(take, kind, search) {
  return KINDS[kind](take) && hasWords(`${take.name} ${take.slate?.project_name ?? ""} ${take.slate?.shot ?? ""} ${take.state}`, search);
}

export class Groups {
  /** @param {HTMLElement} log */
  constructor(log) {
    this.log = log;
    this.kind = "all";
    this.takes = /** @type {Api["TakeLine"][]} */ ([]);
    this.elementOf = (/** @type {string} */ id) => /** @type {HTMLElement} */ (byId(id));
    /** @type {Map<string, {fold: HTMLDetailsElement, list: HTMLElement, title: HTMLElement, count: HTMLElement}>} */
    this.groups = new Map();
    this.folded = new Set(JSON.parse(localStorage.getItem(FOLDED) ?? "[]"));
    byId("log-search").addEventListener("input", () => this.#filter());
    for (const chip of byId("log-kinds").children)
      chip.addEventListener("click", () => {
        this.kind = chip.dataset.kind;
        for (const other of byId("log-kinds").children) other.setAttribute("aria-pressed", String(other === chip));
        this.#filter();
      });
  }

  /** @param {Api["TakeLine"][]} takes in their order @param {(id: string) => HTMLElement} elementOf */
  show(takes, elementOf) {
    Object.assign(this, { takes, elementOf });
    byId("log-tools").hidden = takes.length < 2;
    const there = new Map();
    for (const take of takes) {
      const { key, title } = groupOf(take);
      if (!there.has(key)) there.set(key, { title, takes: [] });
      there.get(key).takes.push(take);
    }
    for (const [key, { fold }] of this.groups)
      if (!there.has(key)) {
        fold.remove();
        this.groups.delete(key);
      }
    [...there].forEach(([key, { title, takes: own }], i) => {
      const group = this.#group(key);
      group.title.textContent = title;
      if (this.log.children[i] !== group.fold) this.log.insertBefore(group.fold, this.log.children[i] ?? null);
      own.forEach((take, k) => {
        const element = elementOf(take.id);
        if (group.list.children[k] !== element) group.list.insertBefore(element, group.list.children[k] ?? null);
      });
    });
    this.#filter();
  }

  #group(key) {
    const known = this.groups.get(key);
    if (known) return known;
    const [title, count, list] = [make("span"), make("span", { class: "num text-soft" }), make("div")];
    const fold = /** @type {HTMLDetailsElement} */ (make("details", { class: "log-group", open: !this.folded.has(key) }, make("summary", { class: "flex items-baseline gap-2 py-2 text-[15px] font-semibold" }, title, count), list));
    fold.addEventListener("toggle", () => {
      if (fold.open) this.folded.delete(key);
      else this.folded.add(key);
      localStorage.setItem(FOLDED, JSON.stringify([...this.folded].slice(-500)));
    });
    const group = { fold, list, title, count };
    this.groups.set(key, group);
    return group;
  }

  #filter() {
    const search = byId("log-search").value;
    const counts = new Map();
    for (const take of this.takes) {
      const shown = isShown(take, this.kind, search);
      this.elementOf(take.id).hidden = !shown;
      const { key } = groupOf(take);
      counts.set(key, (counts.get(key) ?? 0) + Number(shown));
    }
    for (const [key, { fold, count }] of this.groups) {
      fold.hidden = !counts.get(key);
      count.textContent = String(counts.get(key) ?? 0);
    }
    byId("log-nothing").hidden = !this.takes.length || [...counts.values()].some(Boolean);
  }
}
