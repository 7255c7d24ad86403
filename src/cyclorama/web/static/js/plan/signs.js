/** What stands on the drawings: the camera, lamps and their names, and how good a move is along its trail. */

import { draw } from "../shared/api.js";

/** About how wide a letter of a name is. */
const LETTER_PX = 6.7;
export const INK = "var(--color-ink)";
export const TAPE = { camera: "var(--color-camera)", light: "var(--color-light)", subject: "var(--color-subject)", set: "var(--color-set)" };

/** A camera at a place of the drawing, turned by degrees, with the area that it sees up to two corners. */
export function cameraSign(from, angle, corners) {
  return [
    draw("polygon", { points: [from, ...corners].map((p) => p.join(",")).join(" "), fill: TAPE.camera, "fill-opacity": 0.1, stroke: TAPE.camera, "stroke-opacity": 0.55 }),
    draw("g", { class: "grab", "data-grab": "camera", transform: `translate(${from}) rotate(${angle})` },
      draw("rect", { x: -7, y: -2, width: 14, height: 12, rx: 2, fill: TAPE.camera, stroke: "#fff" }),
      draw("path", { d: "M-4 -2L-6 -8H6L4 -2Z", fill: TAPE.camera, stroke: "#fff" }),
      draw("circle", { r: 15, fill: "transparent" })),
  ];
}

/** A lamp, drawn as wide as it is: scale in px a metre. */
export function lamp({ light, at, angle, half }, scale) {
  const w = Math.max(5, half * scale);
  const colour = light.lit ? TAPE.light : "var(--color-rule)";
  return draw("g", { class: "grab", "data-grab": "light", "data-light": light.id, transform: `translate(${at}) rotate(${angle})` },
    draw("circle", { r: 14, fill: "transparent" }),
    draw("path", { d: `M${-w} 0L${-Math.min(w, 4)} 8H${Math.min(w, 4)}L${w} 0`, fill: light.lit ? "#fff" : "none", stroke: colour, "stroke-width": 1.25, "stroke-linejoin": "round" }),
    ...light.signs.map(([from, to]) => draw("line", { x1: from * w, x2: to * w, y1: 0, y2: 0, stroke: colour, "stroke-width": 3 })),
    draw("title", {}, light.name));
}

/**
 * Names of lamps, each where it covers neither the camera nor another name: behind the lamp, at an end, in front.
 * @param {{light: {name: string}, at: number[], out: number[], half: number}[]} lamps `out` points away from the subject
 * @param {number[]} camera
 */
export function names(lamps, camera, scale) {
  const taken = [[camera[0] - 14, camera[1] - 14, camera[0] + 14, camera[1] + 14]];
  return lamps.map(({ light, at, out, half }) => {
    const end = half * scale + 9;
    const up = out[0] > 0 ? [out[1], -out[0]] : [-out[1], out[0]];
    const ways = /** @type {[number[], number][]} */ ([[out, 17], [up, end], [up.map((v) => -v), end], [out.map((v) => -v), 17]]);
    const places = ways.map(([[dx, dy], far]) => {
      const [x, y] = [at[0] + dx * far, at[1] + dy * far + 3];
      const anchor = dx < -0.35 ? "end" : dx > 0.35 ? "start" : "middle";
      const wide = light.name.length * LETTER_PX;
      const left = x - { end: wide, start: 0, middle: wide / 2 }[anchor];
      return { x, y, anchor, box: [left, y - 8, left + wide, y + 3] };
    });
    const covers = (/** @type {number[]} */ [l, t, r, b]) => taken.some(([l2, t2, r2, b2]) => l < r2 && l2 < r && t < b2 && t2 < b);
    const { x, y, anchor, box } = places.find((place) => !covers(place.box)) ?? places[0];
    taken.push(box);
    return draw("text", { x, y, "text-anchor": anchor }, light.name);
  });
}

/**
 * How good a move is, along its trail: strong where what is measured is near its worst, red beyond its limit.
 * @param {{values: Float32Array, limit: number|null, below: boolean}|undefined} lane
 * @param {number[][]} points of the trail, one a value
 */
export function heat(lane, points) {
  if (!lane || lane.values.length !== points.length || points.length < 2) return [];
  const { values, limit, below } = lane;
  const [least, most] = [Math.min(...values), Math.max(...values)];
  const beyond = (v) => limit !== null && (below ? v < limit : v > limit);
  if (most - least <= 0.02 * Math.max(Math.abs(most), Math.abs(least)) && !values.some(beyond)) return [];
  const every = Math.ceil(points.length / 240);
  const items = [];
  for (let i = 0; i + every < points.length; i += every) {
    const bad = beyond(values[i]);
    const share = most > least ? (below ? most - values[i] : values[i] - least) / (most - least) : 0;
    items.push(draw("line", { x1: points[i][0], y1: points[i][1], x2: points[i + every][0], y2: points[i + every][1], stroke: bad ? "var(--color-missing)" : TAPE.camera, "stroke-width": 6, "stroke-opacity": bad ? 0.75 : 0.08 + 0.4 * share * share }));
  }
  return items;
}
