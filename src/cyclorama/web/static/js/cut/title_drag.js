/** The chosen title in the picture: a box around it that is dragged, and snaps to safe edges, thirds and the middle. */

import { byId } from "../shared/dom.js";
import { drag } from "../shared/drag.js";
import { get, query } from "../shared/api.js";

/** Places in % of the picture that a box's beginning, middle and end snap to. */
const SNAPS = { low: [5], middle: [100 / 3, 50, 200 / 3], high: [95] };
const REACH = 1;

export class TitleDrag {
  /**
   * @param {import("./store.js").CutStore} store
   * @param {{chosen: () => object, shape: () => string, frame: () => number, placeTitle: (title: object, place: object) => Promise<void>}} bench
   */
  constructor(store, bench) {
    this.store = store;
    this.bench = bench;
    /** box of the title, % of the picture, and what it is of */
    this.box = null;
    /** from the moment it is taken until the server has its new place: the box stays where the hand left it */
    this.held = false;
    drag(byId("title-box"), (e) => this.#take(e));
  }

  /** Shows the box where the chosen title is seen in the frame that is looked at. */
  async show() {
    if (this.held) return;
    const { kind, id } = this.bench.chosen();
    const title = kind === "title" ? this.store.thing({ kind, id }) : null;
    const start = title ? this.store.state.title_starts[id] : 0;
    const seen = title && start <= this.bench.frame() && this.bench.frame() < start + title.length;
    if (!seen) return this.#lay(null);
    const key = `${this.store.state.stamp} ${id} ${this.bench.shape()} ${title.kind === "text" || title.kind === "picture" ? "" : this.bench.frame()}`;
    if (this.key === key) return this.#lay(this.box);
    this.key = key;
    const asked = query({ shape: byId("shape").value, frame: this.bench.frame() });
    const box = await get(`${this.store.url}/titles/${id}/box?${asked}`).catch(() => null);
    if (this.key === key && !this.held) this.#lay((this.box = box));
  }

  #lay(box) {
    byId("title-box").hidden = !box || box.width === 0;
    if (!box) return (this.key = null);
    Object.assign(byId("title-box").style, { left: `${box.left}%`, top: `${box.top}%`, width: `${box.width}%`, height: `${box.height}%` });
  }

  #take(e) {
    const title = this.store.thing(this.bench.chosen());
    if (!title || !this.box) return null;
    e.preventDefault();
    const frame = byId("frame").getBoundingClientRect();
    const from = this.box;
    let by = [0, 0];
    const move = (m) => {
      this.held = true;
      by = [snapped(from.left, from.width, (100 * (m.clientX - e.clientX)) / frame.width, m.altKey, "across"), snapped(from.top, from.height, (100 * (m.clientY - e.clientY)) / frame.height, m.altKey, "down")];
      this.#lay({ ...from, left: from.left + by[0], top: from.top + by[1] });
    };
    const settle = () => {
      this.held = false;
      this.key = null;
      this.show();
    };
    const end = () => {
      for (const axis of ["across", "down"]) byId(`guide-${axis}`).hidden = true;
    };
    const cancel = () => (end(), settle());
    const drop = async () => {
      end();
      if (by[0] || by[1]) await this.bench.placeTitle(title, { across: by[0], down: by[1] });
      settle();
    };
    return { move, drop, cancel };
  }
}

/** How far a box is moved so that it snaps; with Alt it does not. Shows the line it snaps to. */
function snapped(begin, size, by, free, axis) {
  const guide = byId(`guide-${axis}`);
  guide.hidden = true;
  if (free) return by;
  const places = { low: begin + by, middle: begin + by + size / 2, high: begin + by + size };
  for (const [edge, lines] of Object.entries(SNAPS)) {
    const line = lines.find((at) => Math.abs(at - places[edge]) < REACH);
    if (line === undefined) continue;
    guide.hidden = false;
    guide.style[axis === "across" ? "left" : "top"] = `${line}%`;
    return by + line - places[edge];
  }
  return by;
}
