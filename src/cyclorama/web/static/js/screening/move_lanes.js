/** What was measured of the move when the take was called, along its frames: margins, speed, light on the subject. */

import { byId } from "../shared/dom.js";
import { draw, get, make } from "../shared/api.js";
import { floats } from "../shared/floats.js";

const HIGH = 20;

export class MoveLanes {
  /** @param {string} url of the take @param {{take: () => object, go: (n: number) => void}} room */
  constructor(url, room) {
    this.first = 1;
    this.frames = 1;
    this.url = url;
    this.room = room;
    byId("move-lane-pick").addEventListener("change", () => this.#show());
    byId("move-lane").addEventListener("click", () => this.worst !== null && room.go(this.worst));
  }

  async load() {
    const { first, frames, lanes } = await get(`${this.url}/lanes`).catch(() => ({ lanes: [] }));
    this.first = first;
    this.frames = frames;
    this.lanes = lanes.map((lane) => ({ ...lane, values: floats(lane.values) }));
    const pick = byId("move-lane-pick");
    pick.hidden = !lanes.length;
    pick.replaceChildren(make("option", { value: "" }, "the move …"), ...lanes.map((l) => make("option", { value: l.key }, l.title)));
    // what is wrong is shown without being asked for
    pick.value = lanes.find((l) => this.#bad(l))?.key ?? "";
    this.#show();
  }

  #bad({ limit, below, worst }) {
    return limit !== null && (below ? worst < limit : worst > limit);
  }

  #show() {
    const lane = this.lanes.find((l) => l.key === byId("move-lane-pick").value);
    byId("move-lane").toggleAttribute("hidden", !lane);
    this.worst = lane?.worst_frame ?? null;
    byId("move-says").textContent = lane ? `${lane.below ? "least" : "most"} ${lane.worst.toFixed(lane.digits)} ${lane.unit} in frame ${lane.worst_frame}` : "";
    byId("move-says").classList.toggle("text-missing", Boolean(lane && this.#bad(lane)));
    if (!lane) return;
    const { values, limit } = lane;
    const { first, last } = this.room.take();
    const most = Math.max(...values, limit ?? 0, 1e-9);
    const least = Math.min(0, ...values);
    const step = (this.frames - 1) / Math.max(1, values.length - 1);
    const x = (i) => (100 * (this.first + i * step - first)) / Math.max(1, last - first);
    const y = (v) => HIGH - 1 - (HIGH - 2) * ((v - least) / (most - least));
    const colour = this.#bad(lane) ? "var(--color-missing)" : "var(--color-camera)";
    const line = (at, more) => draw("line", { x1: 0, x2: 100, y1: y(at), y2: y(at), "vector-effect": "non-scaling-stroke", ...more });
    byId("move-lane").replaceChildren(
      line(0, { stroke: "var(--color-rule)" }), ...(limit ? [line(limit, { stroke: "var(--color-missing)", "stroke-dasharray": "4 3" })] : []),
      draw("polyline", { points: Array.from(values, (v, i) => `${x(i).toFixed(2)},${y(v).toFixed(2)}`).join(" "), fill: "none", stroke: colour, "stroke-width": 1.4, "vector-effect": "non-scaling-stroke" }));
  }
}
