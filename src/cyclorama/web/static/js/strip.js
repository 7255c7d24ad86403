/** The strip: ruler in frames and seconds, playhead, and the margin to the frame edge in every frame. */

import { draw } from "./api.js";

const LEFT = 46;
const RIGHT = 14;
const RULER = 22;

/** A step of 1, 2, 5, 10 … that gives at most `most` labels. */
function niceStep(span, most) {
  const raw = span / most;
  const power = 10 ** Math.floor(Math.log10(Math.max(raw, 1e-9)));
  return Math.max(1, [1, 2, 5, 10].find((k) => k * power >= raw) * power);
}

export class Strip {
  /**
   * @param {SVGSVGElement} svg
   * @param {import("./project.js").ProjectStore} store
   * @param {import("./clock.js").Clock} clock
   */
  constructor(svg, store, clock) {
    this.svg = svg;
    this.store = store;
    this.clock = clock;
    this.observer = new ResizeObserver(() => this.store.state && this.show());
    this.observer.observe(svg);
    let dragging = false;
    const go = (e) => this.clock.go(this.#frameAt(e.clientX));
    svg.addEventListener("pointerdown", (e) => {
      dragging = true;
      svg.setPointerCapture(e.pointerId);
      go(e);
    });
    svg.addEventListener("pointermove", (e) => dragging && go(e));
    svg.addEventListener("pointerup", () => (dragging = false));
  }

  #x(frame) {
    const { first, frames } = this.store.state.shot;
    return LEFT + ((frame - first + 0.5) / frames) * (this.width - LEFT - RIGHT);
  }

  #frameAt(clientX) {
    const { first, frames } = this.store.state.shot;
    const share = (clientX - this.svg.getBoundingClientRect().left - LEFT) / (this.width - LEFT - RIGHT);
    return first + Math.min(frames - 1, Math.max(0, Math.floor(share * frames)));
  }

  show() {
    this.width = this.svg.clientWidth;
    this.height = this.svg.clientHeight;
    this.svg.replaceChildren(...this.#ruler(), ...this.#margins());
    this.playhead = draw("g");
    this.svg.append(this.playhead);
    this.place();
  }

  #ruler() {
    const { first, frames, rate } = this.store.state.shot;
    const perSecond = rate[0] / rate[1];
    const step = niceStep(frames, (this.width - LEFT - RIGHT) / 54);
    const items = [draw("line", { x1: LEFT, x2: this.width - RIGHT, y1: RULER, y2: RULER, stroke: "var(--color-rule)" })];
    const label = (x, y, text, anchor = "middle") =>
      draw("text", { x, y, "text-anchor": anchor, class: "num", "font-size": 10, fill: "var(--color-soft)" }, text);
    items.push(label(LEFT - 8, 14, "frame", "end"));
    for (let i = 0; i < frames; i += step) {
      const x = this.#x(first + i);
      items.push(draw("line", { x1: x, x2: x, y1: RULER - 5, y2: RULER, stroke: "var(--color-soft)" }), label(x, 14, String(first + i)));
    }
    for (let s = 1; s * perSecond < frames; s += niceStep(frames / perSecond, 16)) {
      const x = LEFT + (s * perSecond / frames) * (this.width - LEFT - RIGHT);
      items.push(draw("line", { x1: x, x2: x, y1: RULER, y2: this.height - 14, stroke: "var(--color-rule)", "stroke-dasharray": "1 3" }), label(x, this.height - 3, `${s} s`));
    }
    return items;
  }

  #margins() {
    const { margins, shot } = this.store.state;
    const top = RULER + 6;
    const bottom = this.height - 17;
    const name = draw("text", { x: LEFT - 8, y: (top + bottom) / 2 + 3, "text-anchor": "end", "font-size": 10.5, fill: "var(--color-soft)" }, "margin");
    if (!margins) return [name];
    const values = margins.per_frame;
    const most = Math.max(0.12, ...values);
    const least = Math.min(0, ...values);
    const y = (v) => bottom - ((v - least) / (most - least)) * (bottom - top);
    const points = values.map((v, i) => `${this.#x(shot.first + i * shot.step).toFixed(1)},${y(v).toFixed(1)}`);
    const edge = y(0);
    const first = this.#x(shot.first);
    const last = this.#x(shot.first + (values.length - 1) * shot.step);
    const worst = this.#x(margins.worst_frame);
    const bad = margins.worst < 0;
    const items = [
      name,
      draw("polygon", { points: `${first},${edge} ${points.join(" ")} ${last},${edge}`, fill: bad ? "var(--color-missing)" : "var(--color-camera)", "fill-opacity": 0.16 }),
      draw("polyline", { points: points.join(" "), fill: "none", stroke: bad ? "var(--color-missing)" : "var(--color-camera)", "stroke-width": 1.5 }),
      draw("line", { x1: LEFT, x2: this.width - RIGHT, y1: edge, y2: edge, stroke: bad ? "var(--color-missing)" : "var(--color-rule)" }),
      draw("circle", { cx: worst, cy: y(margins.worst), r: 3, fill: bad ? "var(--color-missing)" : "var(--color-camera)" }),
    ];
    const text = `${(margins.worst * 100).toFixed(1)} % in frame ${margins.worst_frame}`;
    const right = worst > this.width - 150;
    items.push(draw("text", { x: worst + (right ? -7 : 7), y: y(margins.worst) - 5, "text-anchor": right ? "end" : "start", class: "num", "font-size": 10, fill: bad ? "var(--color-missing)" : "var(--color-ink)" }, text));
    return items;
  }

  /** Put the playhead at the clock's frame. */
  place() {
    const x = this.#x(this.clock.frame);
    this.playhead.replaceChildren(
      draw("line", { x1: x, x2: x, y1: 3, y2: this.height - 14, stroke: "var(--color-ink)", "stroke-width": 1.5 }),
      draw("path", { d: `M${x - 5} 2h10v5l-5 5-5-5z`, fill: "var(--color-ink)" }),
    );
    this.svg.setAttribute("aria-valuenow", this.clock.frame);
  }
}
