/** The strip: ruler in frames and seconds, playhead, and what is measured of every frame. */

import { drag } from "../shared/drag.js";
import { draw, make } from "../shared/api.js";

const LEFT = 92;
const RIGHT = 14;
const RULER = 22;

/** A step of 1, 2, 5, 10 … that gives at most `most` labels. */
function niceStep(span, most) {
  const raw = span / most;
  const power = 10 ** Math.floor(Math.log10(Math.max(raw, 1e-9)));
  return Math.max(1, ([1, 2, 5].find((k) => k * power >= raw) ?? 10) * power);
}

export class Strip {
  /**
   * @param {SVGSVGElement} svg
   * @param {import("../studio/project.js").ProjectStore} store
   * @param {import("../studio/clock.js").Clock} clock
   */
  constructor(svg, store, clock) {
    this.svg = svg;
    this.store = store;
    this.clock = clock;
    this.width = this.height = 0;
    this.choice = document.getElementById("lane-choice");
    this.choice.addEventListener("change", () => this.show());
    /** Called when the strip has another width. */
    this.onwidth = () => {};
    this.observer = new ResizeObserver(() => {
      if (!this.store.state) return;
      this.show();
      this.onwidth();
    });
    this.observer.observe(svg);
    const go = (e) => this.clock.go(this.frameAt(e.clientX));
    const worst = (e) => e.target.closest(".lane-worst")?.dataset.frame;
    this.worst = document.getElementById("lane-worst");
    this.worst.addEventListener("click", () => this.clock.go(Number(this.worst.dataset.frame)));
    drag(svg, (e) => {
      const { frame } = this.clock;
      return worst(e) ? { click: () => this.clock.go(Number(worst(e))) } : { atOnce: true, move: go, cancel: () => this.clock.go(frame) };
    });
  }

  dispose() {
    this.observer.disconnect();
  }

  /** Where its frames begin, px. */
  get left() {
    return LEFT;
  }

  /** Where a frame stands, px. */
  x(frame) {
    const { first, frames } = this.store.state.shot;
    return LEFT + ((frame - first + 0.5) / frames) * (this.width - LEFT - RIGHT);
  }

  /** Which frame is at a place of the page. */
  frameAt(clientX) {
    const { first, frames } = this.store.state.shot;
    const share = (clientX - this.svg.getBoundingClientRect().left - LEFT) / (this.width - LEFT - RIGHT);
    return first + Math.min(frames - 1, Math.max(0, Math.floor(share * frames)));
  }

  show() {
    this.width = this.svg.clientWidth;
    this.height = this.svg.clientHeight;
    this.svg.replaceChildren(...this.#ruler(), ...this.#measured());
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
      const x = this.x(first + i);
      items.push(draw("line", { x1: x, x2: x, y1: RULER - 5, y2: RULER, stroke: "var(--color-soft)" }), label(x, 14, String(first + i)));
    }
    for (let s = 1; s * perSecond < frames; s += niceStep(frames / perSecond, 16)) {
      const x = LEFT + (s * perSecond / frames) * (this.width - LEFT - RIGHT);
      items.push(draw("line", { x1: x, x2: x, y1: RULER, y2: this.height - 14, stroke: "var(--color-rule)", "stroke-dasharray": "1 3" }), label(x, this.height - 3, `${s} s`));
    }
    return items;
  }

  /** What is measured of every frame: one measure at a time. */
  #measured() {
    const { lanes, shot } = this.store.state;
    const lane = this.lane();
    this.choice.replaceChildren(...(lanes.length ? lanes : [{ key: "margin", title: "margin" }]).map(({ key, title }) => make("option", { value: key, selected: key === lane?.key }, title)));
    this.worst.hidden = !lane;
    if (!lane) return [];
    const { values, limit, below, worst, worst_frame: frame, unit, digits } = lane;
    const [top, bottom] = [RULER + 6, this.height - 17];
    const most = Math.max(...values, ...(limit === null ? [] : [limit]), lane.key === "margin" ? 12 : 1e-9) * (below ? 1 : 1.15);
    const least = Math.min(0, ...values);
    const y = (v) => bottom - ((v - least) / (most - least)) * (bottom - top);
    const places = Array.from(values, (v, i) => `${this.x(shot.first + i * shot.step).toFixed(1)},${y(v).toFixed(1)}`);
    const [first, last] = [this.x(shot.first), this.x(shot.first + (values.length - 1) * shot.step)];
    const bad = limit !== null && (below ? worst < limit : worst > limit);
    const colour = bad ? "var(--color-missing)" : "var(--color-camera)";
    const items = [
      draw("polygon", { points: `${first},${y(0)} ${places.join(" ")} ${last},${y(0)}`, fill: colour, "fill-opacity": 0.16 }),
      draw("polyline", { points: places.join(" "), fill: "none", stroke: colour, "stroke-width": 1.5 }),
      draw("line", { x1: LEFT, x2: this.width - RIGHT, y1: y(0), y2: y(0), stroke: bad && below ? colour : "var(--color-rule)" }),
    ];
    if (limit) items.push(draw("line", { x1: LEFT, x2: this.width - RIGHT, y1: y(limit), y2: y(limit), stroke: "var(--color-missing)", "stroke-dasharray": "4 3", "stroke-opacity": 0.7 }));
    this.worst.dataset.frame = frame;
    const at = this.x(frame);
    const right = at > this.width - 150;
    items.push(draw("g", { class: "lane-worst", style: "cursor: pointer", "data-frame": frame },
      draw("circle", { cx: at, cy: y(worst), r: 3, fill: colour }),
      draw("text", { x: at + (right ? -7 : 7), y: Math.max(y(worst) - 5, top + 4), "text-anchor": right ? "end" : "start", class: "num", "font-size": 10, fill: bad ? colour : "var(--color-ink)" }, `${worst.toFixed(digits)} ${unit} in frame ${frame}`)));
    return items;
  }

  /** What is measured, as it is chosen. */
  lane() {
    const { lanes } = this.store.state;
    return lanes.find(({ key }) => key === this.choice.value) ?? lanes[0];
  }

  /** Put the playhead at the clock's frame. */
  place() {
    const x = this.x(this.clock.frame);
    const { range } = this.clock;
    const played = range ? [draw("rect", { x: this.x(range[0] - 0.5), width: this.x(range[1] + 0.5) - this.x(range[0] - 0.5), y: RULER - 3, height: 3, fill: "var(--color-ink)" }, draw("title", {}, `Frames ${range[0]} to ${range[1]} are played`))] : [];
    this.playhead?.replaceChildren(
      ...played,
      draw("line", { x1: x, x2: x, y1: 3, y2: this.height - 14, stroke: "var(--color-ink)", "stroke-width": 1.5 }),
      draw("path", { d: `M${x - 5} 2h10v5l-5 5-5-5z`, fill: "var(--color-ink)" }),
    );
    this.svg.setAttribute("aria-valuenow", this.clock.frame);
  }
}
