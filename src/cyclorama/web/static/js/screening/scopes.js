/** Scopes under the picture, measured by the server on what is shown. */

import { byId } from "../shared/dom.js";
import { draw, post } from "../shared/api.js";
import { latest } from "../shared/latest.js";

const COLOURS = ["#ff6a55", "#5fd07a", "#6f93ff", "#e8e3d9"];
/** Where full colours of a display lie on a vectorscope (ITU-R BT.709): blue and red difference. */
const TARGETS = /** @type {[string, number, number][]} */ ([["R", -0.115, 0.5], ["Y", -0.5, 0.046], ["G", -0.385, -0.454], ["C", 0.115, -0.5], ["B", 0.5, -0.046], ["M", 0.385, 0.454]]);

export class Scopes {
  /** @param {() => ({url: string, body: object} | null)} what the frame and grade to be measured */
  constructor(what) {
    this.what = what;
    this.open = false;
    this.measure = latest(async () => this.#measure());
    byId("vector-targets").replaceChildren(
      draw("circle", { cx: 0, cy: 0, r: 0.375, fill: "none", stroke: "#fffdf955", "stroke-width": 0.004 }),
      draw("path", { d: "M-0.5 0H0.5M0 -0.5V0.5", stroke: "#fffdf944", "stroke-width": 0.004 }),
      ...TARGETS.flatMap(([name, x, y]) => [
        draw("rect", { x: 0.75 * x - 0.022, y: -0.75 * y - 0.022, width: 0.044, height: 0.044, fill: "none", stroke: "#fffdf9aa", "stroke-width": 0.006 }),
        draw("text", { x: 0.75 * x + 0.032, y: -0.75 * y + 0.03, fill: "#fffdf9cc", "font-size": 0.08 }, name)]));
  }

  toggle() {
    this.open = !this.open;
    byId("scopes").hidden = !this.open;
    byId("scopes-open").setAttribute("aria-pressed", String(this.open));
    this.show();
  }

  /** Another picture is shown. */
  show() {
    if (this.open) this.measure();
  }

  async #measure() {
    const wanted = this.what();
    const found = wanted && (await post(wanted.url, wanted.body).catch(() => null));
    if (!found) return;
    for (const name of ["waveform", "parade"]) byId(`scope-${name}`).src = `data:image/png;base64,${found[name]}`;
    byId("scope-vector").src = `data:image/png;base64,${found.vectorscope}`;
    // the ends are named beside it: they would press everything else flat
    const top = Math.max(1, ...found.histogram.flatMap((h) => h.slice(1, -1)));
    byId("scope-histogram").replaceChildren(...found.histogram.map((h, c) =>
      draw("polyline", { points: h.map((v, i) => `${i},${100 - 96 * Math.min(1, Math.sqrt(v / top))}`).join(" "), fill: "none", stroke: COLOURS[c], "stroke-width": c === 3 ? 1.6 : 1, "vector-effect": "non-scaling-stroke" })));
    const share = (three) => `${(100 * Math.max(...three)).toFixed(1)} %`;
    byId("scope-says").textContent = `burnt ${share(found.burnt)}  black ${share(found.crushed)}`;
    byId("scope-says").dataset.middle = found.middle;
  }
}
