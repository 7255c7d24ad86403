/** Guide lines over the picture: composition, safe areas, the margin, and what other formats would keep of it. */

import { draw, make } from "../shared/api.js";
import { schema } from "../shared/schema.js";

const GOLDEN = 100 / 1.618033988749895;
const line = (x1, y1, x2, y2) => draw("line", { x1, y1, x2, y2 });
const cross = (...shares) => shares.flatMap((s) => [line(s, 0, s, 100), line(0, s, 100, s)]);
const inset = (by, more = {}) => draw("rect", { x: by, y: by, width: 100 - 2 * by, height: 100 - 2 * by, ...more });

/** What can be laid over the picture. Safe areas are those of SMPTE ST 2046-1: 93 % for action, 90 % for titles. */
const KINDS = {
  thirds: () => cross(100 / 3, 200 / 3),
  golden: () => cross(100 - GOLDEN, GOLDEN),
  centre: () => cross(50),
  diagonals: () => [line(0, 0, 100, 100), line(0, 100, 100, 0)],
  safe: () => [inset(3.5), inset(5)],
};
const KEPT = "guides";

export class Guides {
  /** @param {SVGSVGElement} svg whose view box is 100 × 100 */
  constructor(svg) {
    this.svg = svg;
    this.kind = document.getElementById("guide-kind");
    this.format = document.getElementById("guide-format");
    const [kind, format] = (localStorage.getItem(KEPT) ?? "thirds ").split(" ");
    this.kind.value = kind in KINDS ? kind : "thirds";
    this.wanted = format ?? "";
    /** @type {{margin: number, crops: Object<string, number[]>, formats: any[]}} */
    this.shape = { margin: 0, crops: {}, formats: [] };
    for (const choice of [this.kind, this.format])
      choice.addEventListener("change", () => {
        this.wanted = this.format.value;
        localStorage.setItem(KEPT, `${this.kind.value} ${this.wanted}`);
        this.svg.classList.remove("hidden");
        this.show(this.shape);
      });
  }

  /**
   * @param {{margin: number, crops: Object<string, number[]>, formats: object[]}} shape margin as a share, formats with
   *   their places in the frame that is shown, and how much of the picture each format is
   */
  show(shape) {
    this.shape = shape;
    const names = [...new Set([...shape.formats.map(({ wide, high }) => `${wide}:${high}`), ...schema.formats])];
    const choices = [["", "whole"], ...(shape.formats.length ? [["all", "all"]] : []), ...names.map((name) => [name, name])];
    if (String(choices) !== this.choices) { // an open list stays open while poses come in
      this.choices = String(choices);
      this.format.replaceChildren(...choices.map(([value, text]) => make("option", { value }, text)));
      this.format.value = this.wanted;
      if (this.format.selectedIndex < 0) this.format.value = "";
    }
    const margin = shape.margin * 100;
    this.svg.replaceChildren(...KINDS[this.kind.value](), inset(margin, { class: "margin" }), ...this.#cut());
  }

  /** What another format leaves of the picture, the rest darkened. */
  #cut() {
    const { formats } = this.shape;
    if (this.format.value === "all") return formats.map((kind) => draw("rect", { class: "format", ...this.#rect(kind) }, draw("title", {}, `${kind.wide}:${kind.high}`)));
    if (!this.format.value) return [];
    const [wide, high] = this.format.value.split(":").map(Number);
    const rect = this.#rect(formats.find((kind) => kind.wide === wide && kind.high === high) ?? { wide, high, across: 0, up: 0 });
    const { x, y, width: w, height: h } = rect;
    return [
      draw("path", { class: "cut", "fill-rule": "evenodd", d: `M0 0H100V100H0ZM${x} ${y}V${y + h}H${x + w}V${y}Z` }),
      draw("rect", { class: "margin", ...rect }),
    ];
  }

  /** Where a format lies in the picture, in hundredths. */
  #rect({ wide, high, across, up }) {
    const [width, height] = this.shape.crops[`${wide}:${high}`].map((share) => 100 * share);
    return { x: ((100 - width) / 2) * (1 + across), y: ((100 - height) / 2) * (1 - up), width, height };
  }
}
