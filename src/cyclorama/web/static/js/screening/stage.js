/** The picture in the screening room: fitted or pixel by pixel, moved, compared with another, read, drawn upon. */

import { byId } from "../shared/dom.js";
import { drag } from "../shared/drag.js";
import { draw, get } from "../shared/api.js";
import { latest } from "../shared/latest.js";
import { partBetween } from "../shared/picture_part.js";

const MARGIN = 18;
const MOST = 16;
const BLINK_MS = 600;

export class Stage {
  /** @param {{moved: () => void, drawn: (lines: number[][][]) => void}} room told when another size of picture is wanted, and what was drawn */
  constructor(room) {
    this.room = room;
    this.box = byId("stage");
    this.frame = byId("frame");
    this.picture = { width: 16, height: 9 };
    /** null: as large as fits; else pixels of the screen a pixel of the picture, and where its top left lies */
    this.view = null;
    this.mode = null;
    this.edge = 0.5;
    /** @type {any} */
    this.drawing = null;
    /** who is told the place that is clicked next, or the part that is dragged out; null: nobody */
    this.asking = null;
    /** where dragging a part began */
    this.corner = null;
    this.outlined = null;
    /** @type {[number[][][], {x: number, y: number}[]]} */
    this.marked = [[], []];
    this.reading = null;
    this.read = latest((at) => this.#showRead(at));
    new ResizeObserver(() => this.#lay()).observe(this.box);
    this.#bindMoving();
    this.#bindEdge();
  }

  /** @param {number} width of the delivered picture, px */
  size(width, height) {
    this.picture = { width, height };
    this.#lay();
  }

  /** How wide a picture is worth asking for, px; null: all there is. */
  get wanted() {
    const scale = (this.view ? this.view.scale : this.#fit().scale) * (window.devicePixelRatio || 1);
    const width = this.picture.width * scale;
    if (width > this.picture.width * 0.75) return null;
    return Math.max(64, Math.ceil(width / 64) * 64);
  }

  get exact() {
    return this.view !== null;
  }

  toggleExact() {
    this.view = this.view ? null : this.#about(1, this.box.clientWidth / 2, this.box.clientHeight / 2);
    this.#lay();
  }

  /** Another picture over this one: wipe, side, blink, difference; null for none. */
  compare(mode) {
    this.mode = mode;
    byId("other").hidden = mode === null || mode === "difference";
    byId("edge").hidden = mode !== "wipe";
    this.frame.classList.toggle("side", mode === "side");
    clearInterval(this.blinking);
    if (mode === "blink") this.blinking = setInterval(() => (byId("other").style.visibility = byId("other").style.visibility ? "" : "hidden"), BLINK_MS);
    else byId("other").style.visibility = "";
    this.#setEdge(this.edge);
    this.#lay();
  }

  /** Lines of points in shares of the picture. @param {number[][][]} lines */
  mark(lines, places = []) {
    this.marked = [lines, places];
    byId("marks").replaceChildren(
      ...(this.outlined ? [draw("rect", { x: this.outlined.left, y: this.outlined.top, width: this.outlined.right - this.outlined.left, height: this.outlined.bottom - this.outlined.top, fill: "none", stroke: "#ffd84a", "stroke-width": 1.5, "stroke-dasharray": "5 3", "vector-effect": "non-scaling-stroke" })] : []),
      ...lines.map((line) => draw("polyline", { points: line.map((p) => p.join(",")).join(" "), fill: "none", stroke: "#e8502f", "stroke-width": 3, "vector-effect": "non-scaling-stroke", "stroke-linecap": "round", "stroke-linejoin": "round" })),
      ...places.map(({ x, y }) => draw("ellipse", { cx: x, cy: y, rx: 0.012, ry: 0.012 * this.picture.width / this.picture.height, fill: "none", stroke: "#ffd84a", "stroke-width": 2, "vector-effect": "non-scaling-stroke" })));
  }

  /** A part of the picture that is outlined until told otherwise; null: none. */
  outline(part) {
    this.outlined = part;
    this.mark(this.marked[0], this.marked[1]);
  }

  /** Begin or end drawing on the picture. */
  pen(on) {
    this.drawing = on ? [] : null;
    this.box.style.cursor = on ? "crosshair" : "";
  }

  /** Read values under the pointer, of a frame's address; null: no more. @param {string|null} address */
  loupe(address) {
    this.reading = address;
    byId("loupe").hidden = true;
    this.box.style.cursor = address ? "crosshair" : "";
  }

  #fit() {
    const [w, h] = [this.picture.width * (this.mode === "side" ? 2 : 1), this.picture.height];
    const scale = Math.min((this.box.clientWidth - 2 * MARGIN) / w, (this.box.clientHeight - 2 * MARGIN) / h);
    return { scale: Math.max(scale, 0.01), x: (this.box.clientWidth - w * scale) / 2, y: (this.box.clientHeight - h * scale) / 2 };
  }

  #lay() {
    const { scale, x, y } = this.view ?? this.#fit();
    const sides = this.mode === "side" ? 2 : 1;
    Object.assign(this.frame.style, { width: `${this.picture.width * scale * sides}px`, height: `${this.picture.height * scale}px`, transform: `translate(${Math.round(x)}px, ${Math.round(y)}px)` });
    this.frame.classList.toggle("exact", this.view !== null && scale * (window.devicePixelRatio || 1) >= 2);
    const wanted = this.wanted;
    if (wanted === this.asked) return;
    this.asked = wanted;
    this.room.moved();
  }

  /** The view at another scale that keeps a place of the box where it is. */
  #about(scale, px, py) {
    const now = this.view ?? this.#fit();
    return { scale, x: px - ((px - now.x) / now.scale) * scale, y: py - ((py - now.y) / now.scale) * scale };
  }

  #bindMoving() {
    const { box } = this;
    box.addEventListener("wheel", (e) => {
      e.preventDefault();
      const { left, top } = box.getBoundingClientRect();
      const now = this.view ?? this.#fit();
      const scale = Math.min(MOST, now.scale * 2 ** (-e.deltaY / 300));
      this.view = scale <= this.#fit().scale ? null : this.#about(scale, e.clientX - left, e.clientY - top);
      this.#lay();
    }, { passive: false });
    box.addEventListener("dblclick", (e) => !e.target?.closest("#edge, #wall") && this.toggleExact());
    drag(box, (e) => {
      if (e.target?.closest("#edge, #wall")) return null;
      if (this.asking?.part) return this.#takeCorner(e);
      if (this.asking) return void this.#answer(this.share(e));
      return this.drawing ? this.#takePencil(e) : this.#takePicture(e);
    });
    box.addEventListener("pointermove", (e) => this.reading && !e.buttons && this.read(e));
    box.addEventListener("pointerleave", () => (byId("loupe").hidden = true));
  }

  #takePicture({ clientX: x, clientY: y }) {
    const from = this.view ?? this.#fit();
    const show = (dx, dy) => {
      this.view = { ...from, x: from.x + dx, y: from.y + dy };
      this.#lay();
    };
    return { move: (e) => show(e.clientX - x, e.clientY - y), cancel: () => show(0, 0) };
  }

  #takePencil(e) {
    const line = [this.share(e)];
    this.drawing.push(line);
    const move = (at) => {
      line.push(this.share(at));
      this.mark(this.drawing);
    };
    const cancel = () => {
      this.drawing.splice(this.drawing.indexOf(line), 1);
      this.mark(this.drawing);
    };
    const drop = () => this.room.drawn(this.drawing);
    return { move, drop, click: drop, cancel };
  }

  #takeCorner(e) {
    const corner = this.share(e);
    const part = (at) => partBetween(corner, this.share(at));
    const answer = (at) => this.#answer(part(at));
    return { move: (at) => this.outline(part(at)), drop: answer, click: answer, cancel: () => this.#answer(null) };
  }

  /** The next click tells a place instead of moving the picture, or null where it is not to; null: no more. @param {((place: number[]|null) => void)|null} told */
  pick(told) {
    this.#ask(told && { told, part: false });
  }

  /** The next thing that is dragged out is a part of the picture, in shares of it, or null where it is not to. @param {(part: {left: number, top: number, right: number, bottom: number}|null) => void} told */
  part(told) {
    this.#ask({ told, part: true });
  }

  #ask(asking) {
    this.#answer(null);
    this.asking = asking;
    this.box.style.cursor = asking ? "crosshair" : "";
  }

  #answer(answer) {
    const { asking } = this;
    this.asking = null;
    this.box.style.cursor = "";
    asking?.told(answer);
  }

  /** A place of the picture in shares of it. */
  share(e) {
    const { left, top, width, height } = this.frame.getBoundingClientRect();
    const w = this.mode === "side" ? width / 2 : width;
    const hold = (v) => Math.round(Math.min(1, Math.max(0, v)) * 10000) / 10000;
    return [hold(((e.clientX - left) % w) / w), hold((e.clientY - top) / height)];
  }

  async #showRead(e) {
    const [x, y] = this.share(e);
    const found = this.reading && (await get(`${this.reading}?x=${x}&y=${y}`).catch(() => null));
    const loupe = byId("loupe");
    if (!found) return (loupe.hidden = true);
    const { left, top } = this.box.getBoundingClientRect();
    const light = found.linear.map((v) => v.toFixed(4)).join("  ");
    loupe.textContent = `shown  ${found.shown.join("  ")}\nlight  ${light}\n${found.stops === null ? "black" : `${found.stops > 0 ? "+" : ""}${found.stops.toFixed(2)} stops about grey`}${found.alpha < 1 ? `\nalpha  ${found.alpha.toFixed(3)}` : ""}`;
    loupe.hidden = false;
    loupe.style.left = `${Math.min(e.clientX - left + 14, this.box.clientWidth - loupe.offsetWidth - 4)}px`;
    loupe.style.top = `${Math.min(e.clientY - top + 14, this.box.clientHeight - loupe.offsetHeight - 4)}px`;
    return null;
  }

  #bindEdge() {
    const edge = byId("edge");
    drag(edge, () => {
      const from = this.edge;
      const move = (e) => {
        const { left, width } = this.frame.getBoundingClientRect();
        this.#setEdge((e.clientX - left) / width);
      };
      return { move, cancel: () => this.#setEdge(from) };
    });
    edge.addEventListener("keydown", (e) => {
      const by = { ArrowLeft: -0.02, ArrowRight: 0.02 }[e.key];
      if (!by) return;
      e.preventDefault();
      e.stopPropagation();
      this.#setEdge(this.edge + by);
    });
  }

  #setEdge(share) {
    this.edge = Math.min(1, Math.max(0, share));
    byId("edge").style.left = `${100 * this.edge}%`;
    byId("edge").setAttribute("aria-valuenow", Math.round(100 * this.edge));
    byId("other").style.clipPath = this.mode === "wipe" ? `inset(0 0 0 ${100 * this.edge}%)` : "";
  }
}
