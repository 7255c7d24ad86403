/** Handles of the chosen lamp on plan and elevation: what it aims at, and how large it is. */

import { draw } from "../shared/api.js";
import { lightKind } from "../shared/schema.js";
import { carriedBack } from "./geometry.js";
import { TAPE } from "./signs.js";

const LEAST_M = 0.001;

/** The field of a shape that is its size on a drawing; nothing of shapes without one. */
function sizeField(shape, side) {
  const has = (name) => lightKind(shape).fields.includes(name);
  if (side && shape === "rectangle") return "height_m";
  return has("width_m") ? "width_m" : null;
}

/**
 * @param {{light: {id: string}, at: number[], angle: number, half: number}} lamp
 * @param {{shape: string, aim: {item?: string|null}}} document of the light
 * @param {number[]} aim where it aims, on the drawing
 */
export function handles({ light, at, angle, half }, document, aim, scale, side) {
  const grab = (what, title, ...shape) => draw("g", { class: "grab", "data-grab": what, "data-light": light.id }, ...shape, draw("title", {}, title));
  const out = Math.max(5, half * scale);
  const [c, s] = [Math.cos((angle * Math.PI) / 180), Math.sin((angle * Math.PI) / 180)];
  const end = [at[0] + c * out, at[1] + s * out];
  const look = { fill: "#fff", stroke: TAPE.light, "stroke-width": 1.5 };
  return [
    document.aim.item === null && grab("aim", "Aim: drag it", draw("circle", { cx: aim[0], cy: aim[1], r: 10, fill: "transparent" }), draw("circle", { cx: aim[0], cy: aim[1], r: 3.5, ...look })),
    sizeField(document.shape, side) && grab("size", "Size: drag it", draw("rect", { x: end[0] - 3.5, y: end[1] - 3.5, width: 7, height: 7, ...look })),
  ].filter(Boolean);
}

/**
 * Changes of a light whose handle is dragged.
 * @param {"aim"|"size"} what
 * @param {{shape: string, aim: object}} document of the light
 * @param {{carriage: string, aim: number[]}} light as it stands
 * @param {{pose: object, to: number[], from: number[], side: boolean, path: string}} drag `to` where the pointer is and `from` where the
 *   lamp is drawn, m on the drawing
 */
export function dragHandle(what, document, light, { pose, to, from, side, path }) {
  const set = (name, value) => ({ kind: "set", path: `${path}/${name}`, value: Number(value.toPrecision(4)) });
  if (what === "size") return [set(sizeField(document.shape, side), Math.max(LEAST_M, 2 * Math.hypot(to[0] - from[0], to[1] - from[1])))];
  if (side) return [set("aim/y_m", -to[1])];
  const there = [to[0], light.aim[1], to[1]];
  const [x, , z] = light.carriage === "rig" ? there : carriedBack(light, pose, there); // a rig turns lamps, not what they aim at
  return [set("aim/x_m", x), set("aim/z_m", z)];
}
