/** The lanes under the strip: segments of the move and the keys of every value that is keyed, all of it dragged. */

import { drag } from "../shared/drag.js";
import { draw } from "../shared/api.js";

export const LANE = 17;
const MOST = 6;

export class Lanes {
  /**
   * @param {HTMLElement} box that holds the drawing and scrolls
   * @param {import("../studio/project.js").ProjectStore} store
   * @param {import("../studio/clock.js").Clock} clock
   * @param {import("./strip.js").Strip} strip whose frames stand above these
   */
  constructor(box, store, clock, strip) {
    this.box = box;
    this.store = store;
    this.clock = clock;
    this.strip = strip;
    this.drag = null;
    this.svg = draw("svg", { class: "block w-full touch-none", role: "group", "aria-label": "Keys" });
    box.append(this.svg);
    strip.onwidth = () => this.drag || this.show();
    drag(this.svg, (e) => this.#take(e));
    this.svg.addEventListener("keydown", (e) => this.#key(e));
    /** @type {{path: string, frame: number}|null} */
    this.picked = null;
    /** Keys that are moved, stretched, copied and removed together: path and frame of each. */
    this.several = new Map();
    this.copied = null;
    this.showIdle = false;
    this.onchoose = null;
    this.tools = Object.fromEntries(["tools", "name", "goes", "outside"].map((name) => [name, document.getElementById(`key-${name}`)]));
    this.tools.goes.addEventListener("change", (e) => this.#set((channel, i) => `keys/${channel.ids[i]}/goes`, e.target.value));
    this.tools.outside.addEventListener("change", (e) => this.#set(() => "outside", e.target.value));
  }

  /** Set something of the key that was picked, or of its channel. */
  #set(what, value) {
    if (!this.picked) return;
    const channel = this.store.state.shot.keyed[this.picked.path];
    const i = channel.frames.indexOf(this.picked.frame);
    this.store.set(`shots/${this.store.shot.id}/channels/${channel.id}/${what(channel, i)}`, value);
  }

  /** Show how the picked key goes on, while there is one in the frame that is shown. */
  #showPicked() {
    const { picked } = this;
    const channel = picked && this.store.state.shot.keyed[picked.path];
    const i = channel ? channel.frames.indexOf(picked.frame) : -1;
    this.tools.tools.hidden = i < 0 || picked?.frame !== this.clock.frame;
    if (!channel || this.tools.tools.hidden) return;
    this.tools.name.textContent = `${channel.owner}: ${channel.title}`;
    this.tools.goes.value = channel.goes[i];
    this.tools.outside.value = channel.outside;
  }

  show() {
    const { shot } = this.store.state;
    const rows = this.store.shot.rows.filter((row) => !shot.plain || row.segments.length > 1);
    const all = Object.entries(shot.keyed).toSorted(([, a], [, b]) => a.owner.localeCompare(b.owner)); // grouped by what they belong to
    const idle = all.filter(([, channel]) => !channel.in_use).length;
    const keyed = this.showIdle ? all : all.filter(([, channel]) => channel.in_use);
    const count = rows.length + keyed.length + (idle ? 1 : 0);
    this.box.hidden = count === 0;
    this.box.style.maxHeight = `${MOST * LANE + 4}px`;
    this.svg.setAttribute("height", count * LANE + 2);
    this.svg.replaceChildren(...rows.flatMap((row, i) => this.#row(row, i * LANE)), ...keyed.flatMap(([path, channel], i) => this.#channel(path, channel, (rows.length + i) * LANE, keyed[i - 1]?.[1].owner !== channel.owner)), ...(idle ? [this.#idleLine(idle, (count - 1) * LANE)] : []));
    this.playhead = draw("line", { y1: 0, y2: count * LANE, stroke: "var(--color-ink)", "stroke-width": 1, "pointer-events": "none" });
    this.svg.append(this.playhead);
    this.place();
  }

  /** Put the playhead at the clock's frame. */
  place() {
    if (!this.playhead || this.clock.frame === null) return;
    this.#showPicked();
    const x = this.strip.x(this.clock.frame);
    for (const name of ["x1", "x2"]) this.playhead.setAttribute(name, x);
    for (const key of this.svg.querySelectorAll(".lane-key")) {
      key.setAttribute("fill", Number(key.dataset.frame) === this.clock.frame ? "var(--color-light)" : "var(--color-ink)");
      key.setAttribute("stroke", this.several.has(`${key.dataset.path} ${key.dataset.frame}`) ? "var(--color-camera)" : "none");
      key.setAttribute("stroke-width", 3);
    }
  }

  /** How many lanes this shot does not use, of another camera or look; a press shows or hides them. */
  #idleLine(idle, y) {
    const says = this.showIdle ? "Hide keys of a camera or look that this shot does not use" : "Show keys of a camera or look that this shot does not use";
    return this.#label(y, `${this.showIdle ? "−" : "+"} ${idle} not used`, says, { class: "lane-idle", role: "button", tabindex: 0, "aria-pressed": this.showIdle, style: "cursor: pointer" });
  }

  #turnIdle() {
    this.showIdle = !this.showIdle;
    this.show();
    /** @type {SVGElement} */ (this.svg.querySelector(".lane-idle")).focus();
  }

  #label(y, text, title, more = {}) {
    const short = text.length > 15 ? `${text.slice(0, 14)}…` : text;
    return draw("text", { ...more, x: this.strip.left - 8, y: y + 12, "text-anchor": "end", "font-size": 10.5, fill: "var(--color-soft)" }, short, draw("title", {}, title));
  }

  /** The segments of a traveller, as long as they last. */
  #row(row, y) {
    const { first, frames, lengths } = this.store.state.shot;
    const name = row.id === "camera" ? "Camera" : row.id === "disc" ? "Disc" : (this.store.item(row.id)?.name ?? row.id);
    let from = first;
    const items = [this.#label(y, name, name)];
    for (const [i, segment] of row.segments.entries()) {
      const length = lengths[row.id][i];
      const [x, end] = [this.strip.x(from - 0.5), this.strip.x(Math.min(from + length, first + frames) - 0.5)];
      from += length;
      if (end <= x) continue;
      const ramp = (ease) => Math.min(ease, 1) * (end - x);
      const [a, b] = [x + ramp(segment.ease_in), end - ramp(segment.ease_out)];
      items.push(draw("rect", { x, y: y + 2, width: Math.max(end - x - 1, 1), height: LANE - 4, rx: 2, fill: "var(--color-camera)", "fill-opacity": 0.14, stroke: "var(--color-camera)", "stroke-opacity": 0.5 }),
        draw("path", { d: `M${x} ${y + LANE - 3}L${a} ${y + 5}L${b} ${y + 5}L${end - 1} ${y + LANE - 3}`, fill: "none", stroke: "var(--color-camera)", "stroke-width": segment.ease_in || segment.ease_out ? 1 : 0 }),
        draw("text", { x: x + 5, y: y + 12, "font-size": 10, fill: "var(--color-ink)" }, end - x > 40 ? segment.kind.replace("_", " ") : ""),
        draw("rect", { class: "lane-edge", "data-row": row.id, "data-segment": segment.id, "data-from": from - length, x: end - 4, y, width: 8, height: LANE, fill: "transparent", style: "cursor: ew-resize" }, draw("title", {}, "Drag to make it longer or shorter")));
    }
    return items;
  }

  /** @param {boolean} first whether it is the first of what it belongs to, which is named then */
  #channel(path, channel, y, first) {
    const title = `${channel.owner}: ${channel.title}${channel.in_use ? "" : " (not used: this shot has another)"}`;
    const faint = channel.in_use ? {} : { opacity: 0.35 };
    const line = draw("line", { x1: this.strip.x(channel.frames[0]), x2: this.strip.x(channel.frames.at(-1)), y1: y + LANE / 2, y2: y + LANE / 2, stroke: "var(--color-rule)" });
    const keys = channel.frames.map((frame) => {
      const x = this.strip.x(frame);
      return draw("path", { ...faint, class: "lane-key", "data-path": path, "data-frame": frame, d: keyShape(channel.goes[channel.frames.indexOf(frame)], x, y + LANE / 2), tabindex: 0, role: "button", "aria-label": `${title}, key in frame ${frame}`, style: "cursor: grab" },
        draw("title", {}, `${title}, frame ${frame}. Drag to move it; Delete takes it away`));
    });
    return [this.#label(y, first ? `${channel.owner} ${channel.title.toLowerCase()}` : channel.title, `${title}. Press to see its curve, with Shift beside others`, { ...faint, class: "lane-name", "data-path": path, style: "cursor: pointer" }), line, ...keys];
  }

  /** What a press takes hold of: keys, the edge of a segment, or a corner of a rectangle that chooses keys. */
  #take(e) {
    const key = e.target.closest(".lane-key");
    const edge = e.target.closest(".lane-edge");
    const name = e.target.closest(".lane-name");
    if (e.target.closest(".lane-idle")) return void this.#turnIdle();
    if (name) return void this.onchoose?.(name.dataset.path, e.shiftKey);
    if (key && e.shiftKey) return void this.#chooseKeys([...this.several.values(), { path: key.dataset.path, frame: Number(key.dataset.frame) }]);
    if (key) return this.#takeKey(key);
    if (edge) return this.#takeEdge(edge);
    if (e.shiftKey) return this.#takeCorner(e);
    this.#chooseKeys([]);
    this.clock.go(this.strip.frameAt(e.clientX));
    return null;
  }

  #takeKey(key) {
    const path = key.dataset.path, frame = Number(key.dataset.frame);
    if (!this.several.has(`${path} ${frame}`)) this.#chooseKeys([]);
    let [to, stretches] = [frame, false];
    const move = (e) => {
      stretches = e.altKey && this.several.size > 1;
      to = this.strip.frameAt(e.clientX);
      const by = this.strip.x(to) - this.strip.x(frame);
      for (const other of this.svg.querySelectorAll(".lane-key"))
        if (other === key || (!stretches && this.several.has(`${other.dataset.path} ${other.dataset.frame}`))) other.setAttribute("transform", `translate(${by} 0)`);
    };
    const drop = () => {
      if (to === frame) return this.show();
      if (this.several.size > 1) return this.#moveSeveral({ frame, to, stretches });
      return this.store.change({ kind: "shift_keys", path, frames: [frame], by: to - frame });
    };
    return { move, drop, click: () => this.#pick(path, frame), cancel: () => this.show() };
  }

  #takeEdge(edge) {
    const { row, segment } = edge.dataset, from = Number(edge.dataset.from);
    let length = null;
    const move = (e) => {
      length = Math.max(1, Math.round(this.strip.frameAt(e.clientX) + 1 - from));
      edge.setAttribute("fill", "var(--color-camera)");
      edge.setAttribute("x", this.strip.x(from + length - 0.5) - 1);
      edge.setAttribute("width", 2);
    };
    const drop = () => this.store.set(`shots/${this.store.shot.id}/rows/${row}/segments/${segment}/frames`, length);
    return { move, drop, cancel: () => this.show() };
  }

  #takeCorner({ clientX: x, clientY: y }) {
    const box = draw("rect", { fill: "var(--color-camera)", "fill-opacity": 0.15, stroke: "var(--color-camera)" });
    return { move: (e) => this.#drawBox(box, x, y, e), drop: () => this.#endBox(box), cancel: () => box.remove() };
  }

  #chooseKeys(keys) {
    this.several = new Map(keys.map((key) => [`${key.path} ${key.frame}`, key]));
    this.place();
  }

  /** Chosen keys by the path of their value. */
  #byPath(keys = [...this.several.values()]) {
    const paths = [...new Set(keys.map(({ path }) => path))];
    return paths.map((path) => ({ path, frames: keys.filter((key) => key.path === path).map(({ frame }) => frame).toSorted((a, b) => a - b) }));
  }

  /** All of them so many frames on; with Alt so many times as far from the chosen key that is farthest away. */
  async #moveSeveral({ frame, to, stretches }) {
    const all = [...this.several.values()];
    const frames = all.map((key) => key.frame);
    const about = Math.abs(frame - Math.min(...frames)) > Math.abs(frame - Math.max(...frames)) ? Math.min(...frames) : Math.max(...frames);
    const factor = (to - about) / (frame - about);
    if (stretches && !(factor > 0 && Number.isFinite(factor))) return this.show();
    const kind = stretches ? { kind: "stretch_keys", about, factor } : { kind: "shift_keys", by: to - frame };
    const moved = (n) => (stretches ? Math.round(about + (n - about) * factor) : n + to - frame);
    if (await this.store.change(...this.#byPath().map((one) => ({ ...one, ...kind })))) this.#chooseKeys(all.map((key) => ({ ...key, frame: moved(key.frame) })));
    return this.show();
  }

  #moveSeveralOr(path, frame, by) {
    if (this.several.size > 1) return this.#moveSeveral({ frame, to: frame + by, stretches: false });
    return this.store.change({ kind: "shift_keys", path, frames: [frame], by });
  }

  #drawBox(box, x, y, e) {
    const { left, top } = this.svg.getBoundingClientRect();
    if (!box.parentNode) this.svg.append(box);
    const corner = { x: Math.min(x, e.clientX) - left, y: Math.min(y, e.clientY) - top, width: Math.abs(e.clientX - x), height: Math.abs(e.clientY - y) };
    for (const [name, value] of Object.entries(corner)) box.setAttribute(name, value);
  }

  /** The keys in the rectangle that was drawn are chosen. */
  #endBox(box) {
    const r = box.getBoundingClientRect();
    const inside = [...this.svg.querySelectorAll(".lane-key")].filter((key) => {
      const k = key.getBoundingClientRect();
      return k.left < r.right && k.right > r.left && k.top < r.bottom && k.bottom > r.top;
    });
    box.remove();
    this.#chooseKeys(inside.map(({ dataset }) => ({ path: dataset.path, frame: Number(dataset.frame) })));
  }

  /** Remember the chosen keys, or lay those remembered down from the frame that is shown on. */
  copy() {
    this.copied = this.several.size ? [...this.several.values()] : null;
    return Boolean(this.copied);
  }

  paste() {
    if (!this.copied) return;
    const by = this.clock.frame - Math.min(...this.copied.map(({ frame }) => frame));
    if (by) this.store.change(...this.#byPath(this.copied).map((one) => ({ ...one, kind: "copy_keys", by })));
  }

  #pick(path, frame) {
    this.picked = { path, frame };
    this.clock.go(frame);
  }

  #key(e) {
    if (e.target.closest(".lane-idle") && (e.key === "Enter" || e.key === " ")) {
      e.preventDefault();
      e.stopPropagation();
      return this.#turnIdle();
    }
    const key = e.target.closest(".lane-key");
    if (!key) return;
    const [path, frame] = [key.dataset.path, Number(key.dataset.frame)];
    const chosen = this.several.has(`${path} ${frame}`) ? [...this.several.values()] : [{ path, frame }];
    if (e.key === "Delete" || e.key === "Backspace") this.store.change(...chosen.map((one) => ({ kind: "unkey", ...one })));
    else if (e.key === "Enter") this.#pick(path, frame);
    else if ((e.key === "ArrowLeft" || e.key === "ArrowRight") && e.altKey) this.#moveSeveralOr(path, frame, e.key === "ArrowLeft" ? -1 : 1);
    else return;
    e.preventDefault();
    e.stopPropagation();
  }
}

/** What a key looks like by how it goes on: square where it stands, pointed where it goes straight, round else. */
function keyShape(goes, x, y) {
  if (goes === "hold") return `M${x - 4} ${y - 4}h8v8h-8z`;
  if (goes === "linear") return `M${x} ${y - 5}l5 5l-5 5l-5 -5z`;
  return `M${x - 4.5} ${y}a4.5 4.5 0 1 0 9 0a4.5 4.5 0 1 0 -9 0z`;
}
