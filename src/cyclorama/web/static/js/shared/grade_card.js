/** The grade's controls: numbers, curve, ranges of hue, table. The same on the floor and in the screening room. */

import { drag } from "./drag.js";
import { draw, get, say, upload } from "./api.js";
import { latest } from "./latest.js";

const LEAST = -8;
const MOST = 6;
const NEAR = 0.35;
const STRAIGHT = [[LEAST, LEAST], [MOST, MOST]];

export class GradeCard {
  /**
   * @param {HTMLElement} root what holds the card
   * @param {{value: (path: string) => any, set: (path: string, value: any) => any}} store
   * @param {{attempt: (changes: object[]) => void, settle: () => void, reset: () => void}} room where a curve is tried while it is dragged; how all is reset
   */
  constructor(root, store, room) {
    this.root = root;
    this.store = store;
    this.room = room;
    this.curve = "luma";
    this.chosen = null;
    this.line = null;
    this.points = [];
    this.dragging = false;
    this.box = root.querySelector("[data-curve]");
    this.drawLine = latest(async (points) => {
      const answer = points.length ? await get(`/api/grade/curve?points=${points.map((p) => p.join(",")).join(" ")}`).catch(() => null) : { line: STRAIGHT };
      if (answer) this.line?.setAttribute("points", answer.line.map(([x, y]) => `${x},${-y}`).join(" "));
    });
    this.#bindCurve();
    this.#bindHues();
    this.#bindTable();
    root.querySelector("[data-reset-grade]").addEventListener("click", () => this.room.reset());
  }

  /** Show the store's values; numbers are the fields' business. */
  show() {
    if (!this.dragging) this.points = (this.store.value(this.#path()) ?? []).map((p) => [...p]);
    this.#drawCurve();
    const table = this.store.value("look/grade/table");
    this.root.querySelector("[data-table-name]").textContent = table?.asset ? table.source_name : "none";
    this.root.querySelector("[data-drop-table]").hidden = !table?.asset;
  }

  #path() {
    return `look/grade/curves/${this.curve}/points`;
  }

  #bindCurve() {
    for (const button of this.root.querySelectorAll("[data-curve-of] button"))
      button.addEventListener("click", () => {
        this.curve = button.dataset.value;
        this.chosen = null;
        for (const b of button.parentElement.children) b.setAttribute("aria-pressed", b === button);
        this.show();
      });
    drag(this.box, (e) => this.#take(e));
    this.box.addEventListener("dblclick", () => this.#drop());
    this.box.addEventListener("keydown", (e) => this.#key(e));
  }

  /** Stops at a place of the box. */
  #at(e) {
    const { left, top, width, height } = this.box.getBoundingClientRect();
    const hold = (v) => Math.min(MOST, Math.max(LEAST, v));
    return [hold(LEAST + ((e.clientX - left) / width) * (MOST - LEAST)), hold(MOST - ((e.clientY - top) / height) * (MOST - LEAST))];
  }

  #take(e) {
    this.box.focus();
    const [x, y] = this.#at(e);
    let i = this.points.findIndex((p) => Math.hypot(p[0] - x, p[1] - y) < NEAR);
    if (i < 0 && this.points.length < 16) {
      const point = [x, y];
      this.points = [...this.points, point].toSorted((a, b) => a[0] - b[0]);
      i = this.points.indexOf(point);
    }
    if (i < 0) return null;
    this.chosen = i;
    return { atOnce: true, move: (at) => this.#drag(at), drop: () => this.#keep(), cancel: () => (this.room.settle(), this.show()) };
  }

  #drag(e) {
    this.#place(this.chosen, ...this.#at(e));
    this.room.attempt([{ kind: "set", path: this.#path(), value: this.points }]);
  }

  /** Put a point somewhere, between its neighbours: a curve never turns back. */
  #place(i, x, y) {
    const [before, after] = [this.points[i - 1], this.points[i + 1]];
    const between = (v, low, high) => Math.round(Math.min(high, Math.max(low, v)) * 100) / 100;
    this.points[i] = [between(x, (before?.[0] ?? LEAST - 0.1) + 0.1, (after?.[0] ?? MOST + 0.1) - 0.1), between(y, before?.[1] ?? LEAST, after?.[1] ?? MOST)];
    this.#drawCurve();
  }

  #drop() {
    if (this.chosen === null || !this.points[this.chosen]) return;
    this.points = this.points.filter((_, i) => i !== this.chosen);
    this.chosen = null;
    this.#keep();
  }

  #keep() {
    this.store.set(this.#path(), this.points);
    this.#drawCurve();
  }

  #key(e) {
    const by = { ArrowLeft: [-0.1, 0], ArrowRight: [0.1, 0], ArrowUp: [0, 0.1], ArrowDown: [0, -0.1] }[e.key];
    if (e.key === "Delete" || e.key === "Backspace") this.#drop();
    else if (by && this.chosen !== null && this.points[this.chosen]) {
      const [x, y] = this.points[this.chosen];
      this.#place(this.chosen, x + by[0], y + by[1]);
      this.#keep();
    } else return;
    e.preventDefault();
    e.stopPropagation();
  }

  #drawCurve() {
    const grid = [-6, -4, -2, 0, 2, 4].flatMap((v) => [[v, -MOST, v, -LEAST], [LEAST, -v, MOST, -v]]);
    const colour = { luma: "var(--color-ink)", red: "#c0392b", green: "#2f7350", blue: "#3b5bbf" }[this.curve];
    this.line ??= draw("polyline", { fill: "none", "stroke-width": 2, "vector-effect": "non-scaling-stroke" });
    this.line.setAttribute("stroke", colour);
    this.box.replaceChildren(
      ...grid.map(([x1, y1, x2, y2]) => draw("line", { x1, y1, x2, y2, stroke: "var(--color-rule)", "stroke-width": x1 === 0 || y1 === 0 ? 1.4 : 0.6, "vector-effect": "non-scaling-stroke" })),
      draw("line", { x1: LEAST, y1: -LEAST, x2: MOST, y2: -MOST, stroke: "var(--color-rule)", "stroke-dasharray": "3 3", "vector-effect": "non-scaling-stroke" }),
      this.line,
      ...this.points.map(([x, y], i) => draw("circle", { cx: x, cy: -y, r: 0.2, fill: i === this.chosen ? colour : "var(--color-white)", stroke: colour, "stroke-width": 1.5, "vector-effect": "non-scaling-stroke" })));
    this.drawLine(this.points);
    const point = this.chosen === null ? null : this.points[this.chosen];
    this.root.querySelector("[data-curve-says]").textContent = point ? `${signed(point[0])} stops become ${signed(point[1])}` : this.points.length ? "Drag points; double click or Delete takes one away." : "Stops about middle grey. Click to put a point.";
  }

  #bindHues() {
    const chips = this.root.querySelectorAll("[data-hues] button");
    for (const chip of chips)
      chip.addEventListener("click", () => {
        for (const other of chips) other.setAttribute("aria-pressed", other === chip);
        for (const part of this.root.querySelectorAll("[data-hue]")) part.hidden = part.dataset.hue !== chip.dataset.value;
      });
  }

  #bindTable() {
    const file = document.getElementById("file-table");
    this.root.querySelector("[data-bring-table]").addEventListener("click", () => file.click());
    this.root.querySelector("[data-drop-table]").addEventListener("click", () => this.store.set("look/grade/table/asset", null));
    file.addEventListener("change", async () => {
      try {
        const kept = await upload("/api/tables", file.files);
        await this.store.set("look/grade/table", { ...this.store.value("look/grade/table"), asset: kept.asset, source_name: kept.name });
        say(`‘${kept.name}’: ${kept.says}.`);
      } catch (error) {
        say(error.message, 10);
      }
      file.value = "";
    });
  }
}

const signed = (v) => `${v > 0 ? "+" : ""}${v.toFixed(1)}`;
