/** The ground of the drawings: rings and heights to scale, and the set. */

import { draw } from "../shared/api.js";
import { TAPE } from "./signs.js";

/** The next round length, 1, 2 or 5 of some power of ten, that is no shorter. */
function roundAbove(metres) {
  const power = 10 ** Math.floor(Math.log10(metres));
  return ([1, 2, 5].find((k) => k * power >= metres * (1 - 1e-9)) ?? 10) * power;
}

function lengthOf(metres) {
  return metres < 0.0095 ? `${Number((metres * 1000).toPrecision(3))} mm` : `${Number(metres.toPrecision(3))} m`;
}

/** @typedef {{w: number, h: number, scale: number, origin: number[]}} Sheet size px, px a metre, place of the axis */

/** Rings about the axis. @param {Sheet} sheet */
export function rings(sheet) {
  const span = Math.hypot(sheet.w, sheet.h) / 2 / sheet.scale;
  const step = roundAbove(34 / sheet.scale);
  const items = [];
  for (let r = step; r < span; r += step) {
    items.push(draw("circle", { cx: sheet.origin[0], cy: sheet.origin[1], r: r * sheet.scale, fill: "none", stroke: "var(--color-shade)" }));
    if (r * sheet.scale < sheet.h / 2 + 4)
      items.push(draw("text", { x: sheet.origin[0] + r * sheet.scale * 0.7071 + 2, y: sheet.origin[1] + r * sheet.scale * 0.7071 + 9, opacity: 0.85 }, lengthOf(r)));
  }
  return items;
}

/** The set from above. @param {Sheet} sheet */
export function setFromAbove(sheet, { sweep, disc }) {
    const items = [];
  const s = sheet.scale;
  const line = { fill: "none", stroke: TAPE.set, "stroke-width": 1.25, "stroke-opacity": 0.8 };
  if (sweep.on && sweep.form === "round") items.push(draw("circle", { cx: sheet.origin[0], cy: sheet.origin[1], r: (Math.min(sweep.width_m, sweep.depth_m) / 2) * s, ...line }));
  if (sweep.on && sweep.form === "straight") {
    const [x, z] = [(sweep.width_m / 2) * s, (sweep.depth_m / 2) * s];
    items.push(draw("path", { d: `M${sheet.origin[0] - x} ${sheet.origin[1] + z}V${sheet.origin[1] - z}H${sheet.origin[0] + x}V${sheet.origin[1] + z}`, ...line, "stroke-dasharray": "5 3" }));
    items.push(draw("line", { x1: sheet.origin[0] - x, x2: sheet.origin[0] + x, y1: sheet.origin[1] - z, y2: sheet.origin[1] - z, ...line, "stroke-width": 2.5 }));
  }
  if (disc.on) items.push(draw("circle", { cx: sheet.origin[0], cy: sheet.origin[1], r: disc.radius_m * s, fill: TAPE.set, "fill-opacity": 0.1, stroke: TAPE.set, "stroke-opacity": 0.6 }));
  return items;
}

/** Heights above the floor. @param {Sheet} sheet */
export function heights(sheet) {
  const step = roundAbove(30 / sheet.scale);
  const items = [];
  for (let y = step; sheet.origin[1] - y * sheet.scale > 26; y += step) {
    const at = sheet.origin[1] - y * sheet.scale;
    items.push(draw("line", { x1: 0, x2: sheet.w, y1: at, y2: at, stroke: "var(--color-shade)" }), draw("text", { x: 6, y: at - 3 }, lengthOf(y)));
  }
  return items;
}
