/** The curves of keyed values: time across, the value's own unit upwards; keys and handles are dragged. */

import { drag } from "../shared/drag.js";
import { draw } from "../shared/api.js";

const HEIGHT = 168;
const [TOP, BOTTOM] = [12, 16];
const COLOURS = ["var(--color-light)", "var(--color-camera)", "var(--color-subject)", "var(--color-set)", "var(--color-ink)"];
const PARTS = ["#b3261e", "#2f7d32", "#1f5fa8"];

/** About `most` round values that lie within a range. */
function roundValues(least, most, count) {
  const raw = (most - least) / count;
  const power = 10 ** Math.floor(Math.log10(raw));
  const step = ([1, 2, 5].find((k) => k * power >= raw) ?? 10) * power;
  const first = Math.ceil(least / step - 1e-9);
  return Array.from({ length: Math.max(0, Math.floor(most / step + 1e-9) - first + 1) }, (_, i) => (first + i) * step);
}

export class Curves {
  /**
   * @param {SVGSVGElement} svg
   * @param {import("../studio/project.js").ProjectStore} store
   * @param {import("../studio/clock.js").Clock} clock
   * @param {import("./strip.js").Strip} strip whose frames stand above these
   */
  constructor(svg, store, clock, strip) {
    this.svg = svg;
    this.store = store;
    this.clock = clock;
    this.range = [0, 1];
    /** @type {[string, any][]} */
    this.shown = [];
    this.strip = strip;
    this.open = false;
    this.drag = null;
    /** Paths of the values that are drawn. */
    this.chosen = new Set();
    drag(svg, (e) => this.#take(e));
    svg.addEventListener("dblclick", (e) => this.#add(e));
    svg.addEventListener("keydown", (e) => this.#key(e));
    svg.setAttribute("height", String(HEIGHT));
  }

  toggle() {
    this.open = !this.open;
    this.show();
    return this.open;
  }

  /** Draw a value's curve alone, or beside the others. */
  choose(path, beside) {
    if (!beside) this.chosen = new Set([path]);
    else if (!this.chosen.delete(path)) this.chosen.add(path);
    this.show();
  }

  show() {
    const keyed = Object.entries(this.store.state.shot.keyed).filter(([, c]) => c.kind !== "switch");
    this.svg.classList.toggle("hidden", !this.open || !keyed.length);
    if (!this.open || !keyed.length) return;
    let shown = keyed.filter(([path]) => this.chosen.has(path));
    if (!shown.length) shown = keyed.slice(0, 1);
    this.shown = shown;
    this.#fit(shown);
    this.svg.replaceChildren(...this.#grid(), ...shown.flatMap(([path, channel], i) => this.#curve(path, channel, COLOURS[i % COLOURS.length])));
    this.playhead = draw("line", { y1: 0, y2: HEIGHT, stroke: "var(--color-ink)", "pointer-events": "none" });
    this.svg.append(this.playhead);
    this.place();
  }

  /** Put the playhead at the clock's frame. */
  place() {
    if (!this.playhead || this.svg.classList.contains("hidden")) return;
    for (const name of ["x1", "x2"]) this.playhead.setAttribute(name, this.strip.x(this.clock.frame));
  }

  /** The range of values in which all that is drawn lies, a little more. */
  #fit(shown) {
    const all = shown.flatMap(([, c]) => [...c.values, ...c.keys.flat(), ...c.handles.flatMap((pair, i) => (c.goes[i] === "custom" ? pair.map(([, v]) => v) : []))]);
    const [least, most] = [Math.min(...all), Math.max(...all)];
    const still = most - least <= 1e-5 * Math.max(Math.abs(most), Math.abs(least)); // what comes as float32 differs by its last bits
    const pad = still ? Math.max(Math.abs(most) * 0.1, 0.5) : (most - least) * 0.08;
    this.range = [least - pad, most + pad];
  }

  #y(value) {
    const [least, most] = this.range;
    return HEIGHT - BOTTOM - ((value - least) / (most - least)) * (HEIGHT - TOP - BOTTOM);
  }

  #value(y) {
    const [least, most] = this.range;
    return least + ((HEIGHT - BOTTOM - y) / (HEIGHT - TOP - BOTTOM)) * (most - least);
  }

  #grid() {
    const right = this.svg.clientWidth - 14;
    const units = new Set(this.shown.map(([, c]) => c.unit));
    const lines = roundValues(this.range[0], this.range[1], 5).flatMap((v) => [
      draw("line", { x1: this.strip.left, x2: right, y1: this.#y(v), y2: this.#y(v), stroke: "var(--color-shade)" }),
      draw("text", { x: this.strip.left - 8, y: this.#y(v) + 3, "text-anchor": "end", class: "num", "font-size": 10, fill: "var(--color-soft)" }, String(Number(v.toPrecision(6)))),
    ]);
    return [...lines, draw("text", { x: 6, y: HEIGHT - 4, "font-size": 10, fill: "var(--color-soft)" }, [...units].join(", "))];
  }

  #curve(path, channel, colour) {
    const { shot } = this.store.state;
    const k = channel.numbers;
    const line = (n, stroke) => draw("polyline", {
      points: Array.from({ length: channel.values.length / k }, (_, i) => `${this.strip.x(shot.first + i * shot.step).toFixed(1)},${this.#y(channel.values[i * k + n]).toFixed(1)}`).join(" "),
      fill: "none", stroke, "stroke-width": 1.5,
    }, draw("title", {}, `${channel.owner}: ${channel.title}`));
    if (k > 1) return [0, 1, 2].slice(0, k).map((n) => line(n, PARTS[n]));
    return [line(0, colour), ...this.#handles(path, channel), ...channel.frames.map((frame, i) => draw("circle", {
      class: "curve-key", "data-path": path, "data-i": i, cx: this.strip.x(frame), cy: this.#y(channel.keys[i][0]), r: 4.5, fill: frame === this.clock.frame ? "var(--color-light)" : "#fff", stroke: colour, "stroke-width": 2,
      tabindex: 0, role: "button", "aria-label": `${channel.title}, key in frame ${frame}`, style: "cursor: move",
    }, draw("title", {}, `${channel.title} ${Number(channel.keys[i][0].toPrecision(6))} ${channel.unit} in frame ${frame}`)))];
  }

  /** Handles of what does not stand or go straight. */
  #handles(path, channel) {
    return channel.handles.flatMap((pair, i) => (channel.goes[i] === "hold" || channel.goes[i] === "linear" ? [] : pair.flatMap(([frame, value], end) => {
      const key = i + end;
      const [x, y] = [this.strip.x(frame), this.#y(value)];
      return [
        draw("line", { x1: this.strip.x(channel.frames[key]), y1: this.#y(channel.keys[key][0]), x2: x, y2: y, stroke: "var(--color-soft)", "stroke-width": 0.75 }),
        draw("rect", { class: "curve-handle", "data-path": path, "data-i": i, "data-end": end, x: x - 3, y: y - 3, width: 6, height: 6, fill: channel.goes[i] === "custom" ? "var(--color-ink)" : "#fff", stroke: "var(--color-soft)", style: "cursor: move" }, draw("title", {}, "Drag to bend the curve by hand")),
      ];
    })));
  }

  #take(e) {
    const target = e.target.closest(".curve-key, .curve-handle");
    if (!target) return void this.clock.go(this.strip.frameAt(e.clientX));
    const { path, i, end } = target.dataset;
    const held = { path, i: Number(i), end: end === undefined ? null : Number(end), target, frame: 0, value: 0 };
    const channel = this.store.state.shot.keyed[path];
    return {
      move: (at) => this.#move(held, at),
      drop: () => (held.end === null ? this.#moveKey(channel, held) : this.#bend(channel, held)),
      click: () => held.end === null && this.clock.go(channel.frames[held.i]),
      cancel: () => this.show(),
    };
  }

  /** Where the pointer is: frame (not whole) and value. With Shift a key keeps its frame, with Alt its value. */
  #at(e) {
    const box = this.svg.getBoundingClientRect();
    const { first, frames } = this.store.state.shot;
    const width = this.strip.x(first + 1) - this.strip.x(first);
    return [Math.min(first + frames - 1, Math.max(first, first + (e.clientX - box.left - this.strip.x(first)) / width)), this.#value(e.clientY - box.top)];
  }

  #move(held, e) {
    const channel = this.store.state.shot.keyed[held.path];
    const [frame, value] = this.#at(e);
    if (held.end === null) {
      held.frame = e.shiftKey ? channel.frames[held.i] : Math.round(frame);
      held.value = e.altKey ? channel.keys[held.i][0] : value;
      held.target.setAttribute("cx", this.strip.x(held.frame));
      held.target.setAttribute("cy", this.#y(held.value));
    } else {
      const [from, to] = channel.frames.slice(held.i, held.i + 2);
      held.frame = Math.min(to, Math.max(from, frame));
      held.value = value;
      held.target.setAttribute("x", this.strip.x(held.frame) - 3);
      held.target.setAttribute("y", this.#y(value) - 3);
    }
  }

  #moveKey(channel, { path, i, frame, value }) {
    const from = channel.frames[i];
    const shift = frame === from ? [] : [{ kind: "shift_keys", path, frames: [from], by: frame - from }];
    return this.store.change(...shift, { kind: "key", path, frame, value: this.#rounded(value) });
  }

  /** A value to about a hundredth of what a pixel stands for. */
  #rounded(value) {
    const step = 10 ** Math.floor(Math.log10((this.range[1] - this.range[0]) / HEIGHT / 10));
    return Number((Math.round(value / step) * step).toPrecision(10));
  }

  /** What lies between two keys is bent by hand from now on; the other handle stays where it is. */
  #bend(channel, { i, end, frame, value }) {
    const pair = channel.handles[i].map(([f, v], n) => (n === end ? [frame, value] : [f, v]));
    const [from, to] = channel.frames.slice(i, i + 2);
    const span = to - from;
    const at = `shots/${this.store.shot.id}/channels/${channel.id}/keys`;
    return this.store.change(
      { kind: "set", path: `${at}/${channel.ids[i]}/goes`, value: "custom" },
      { kind: "set", path: `${at}/${channel.ids[i]}/leaves`, value: [(pair[0][0] - from) / span, this.#rounded(pair[0][1] - channel.keys[i][0])] },
      { kind: "set", path: `${at}/${channel.ids[i]}/arrives`, value: [(to - pair[1][0]) / span, this.#rounded(pair[1][1] - channel.keys[i + 1][0])] },
    );
  }

  /** A double click sets a key where it is. */
  #add(e) {
    const [frame, value] = this.#at(e);
    const [path, channel] = this.shown[0];
    if (channel.numbers === 1) this.store.change({ kind: "key", path, frame: Math.round(frame), value: this.#rounded(value) });
  }

  #key(e) {
    const key = e.target.closest(".curve-key");
    if (!key) return;
    const channel = this.store.state.shot.keyed[key.dataset.path];
    const i = Number(key.dataset.i);
    const [frame, value] = [channel.frames[i], channel.keys[i][0]];
    const step = (this.range[1] - this.range[0]) / 50;
    if (e.key === "Delete" || e.key === "Backspace") this.store.change({ kind: "unkey", path: key.dataset.path, frame });
    else if (e.key === "ArrowUp" || e.key === "ArrowDown") this.store.change({ kind: "key", path: key.dataset.path, frame, value: this.#rounded(value + (e.key === "ArrowUp" ? step : -step)) });
    else return;
    e.preventDefault();
    e.stopPropagation();
  }
}
