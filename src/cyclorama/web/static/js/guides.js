/** Guide lines over the picture: composition, safe areas, the margin, and what other formats would keep of it. */

import { draw } from "./api.js";

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
/** Width over height of formats that are cut from the middle of the picture. */
const FORMATS = { "1:1": 1, "4:5": 0.8, "9:16": 9 / 16, "16:9": 16 / 9 };
const KEPT = "guides";

export class Guides {
  /** @param {SVGSVGElement} svg whose view box is 100 × 100 */
  constructor(svg) {
    this.svg = svg;
    this.kind = document.getElementById("guide-kind");
    this.format = document.getElementById("guide-format");
    const [kind, format] = (localStorage.getItem(KEPT) ?? "thirds ").split(" ");
    this.kind.value = kind in KINDS ? kind : "thirds";
    this.format.value = format in FORMATS ? format : "";
    for (const choice of [this.kind, this.format])
      choice.addEventListener("change", () => {
        localStorage.setItem(KEPT, `${this.kind.value} ${this.format.value}`);
        this.svg.classList.remove("hidden");
        this.show(this.shape);
      });
  }

  /** @param {{width: number, height: number, margin: number}} shape size of the picture and its margin, a share */
  show(shape) {
    this.shape = shape;
    const margin = shape.margin * 100;
    this.svg.replaceChildren(...KINDS[this.kind.value](), inset(margin, { class: "margin" }), ...this.#cut());
  }

  /** What another format leaves of the picture, the rest darkened. */
  #cut() {
    const wanted = FORMATS[this.format.value];
    if (!wanted) return [];
    const is = this.shape.width / this.shape.height;
    const [w, h] = wanted < is ? [(100 * wanted) / is, 100] : [100, (100 * is) / wanted];
    const [x, y] = [(100 - w) / 2, (100 - h) / 2];
    return [
      draw("path", { class: "cut", "fill-rule": "evenodd", d: `M0 0H100V100H0ZM${x} ${y}V${y + h}H${x + w}V${y}Z` }),
      draw("rect", { class: "margin", x, y, width: w, height: h }),
    ];
  }
}
