/** Gestures of the pointer in the lens, each a step that can be undone. */

import { drag } from "../shared/drag.js";
import { partBetween, showRectangle } from "../shared/picture_part.js";

const DEGREES_PER_PIXEL = 0.35;
const AXES = ["x", "y", "z"];

/** @param {import("./lens.js").Lens} lens */
export function bindGestures(lens) {
  const { mat } = lens;
  drag(mat, (e) => {
    if (e.target?.closest("button, select, #chosen-bar, #wipe-bar, #next")) return null;
    if (lens.picking) return lens.parts ? takePart(lens, e) : takePlace(lens, e);
    if (lens.standin.outside.on) return takeOutside(lens, e);
    if (e.altKey) return takeRectangle(lens, e);
    return takeCamera(lens, e);
  });
  mat.addEventListener("wheel", (e) => {
    e.preventDefault();
    lens.dolly(Math.exp(Math.max(-60, Math.min(60, e.deltaY)) * 0.002));
  }, { passive: false });
}

/** A place of the picture answers what was asked; dragging tries it where that means something. */
function takePlace(lens, pressed) {
  const answer = (e) => {
    const place = lens.placeOf(e);
    if (place) lens.answer(place);
  };
  if (!lens.tryOn) return void answer(pressed);
  const move = (e) => {
    const place = lens.placeOf(e);
    if (place) lens.tryOn(place);
  };
  return { atOnce: true, move, drop: answer, cancel: () => lens.onsettle() };
}

/** A part of the picture answers what was asked. */
function takePart(lens, from) {
  const drop = (e) => {
    showRectangle(lens.frame, null);
    const { left, top, width, height } = lens.frame.getBoundingClientRect();
    const share = (at, low, size) => Math.min(1, Math.max(0, (at - low) / size));
    const corner = (at) => [share(at.clientX, left, width), share(at.clientY, top, height)];
    const part = partBetween(corner(from), corner(e));
    if (part) lens.answer(part);
  };
  return { move: (e) => showRectangle(lens.frame, from, e), drop, cancel: () => showRectangle(lens.frame, null) };
}

/** A rectangle chooses the parts in it. */
function takeRectangle(lens, from) {
  const drop = (e) => {
    showRectangle(lens.frame, null);
    lens.onrectangle(from, e);
  };
  return { move: (e) => showRectangle(lens.frame, from, e), drop, click: drop, cancel: () => showRectangle(lens.frame, null) };
}

/** From outside: a point of a path or an aim goes along, or one walks round. */
function takeOutside(lens, from) {
  const { outside } = lens.standin;
  const { left, top } = lens.frame.getBoundingClientRect();
  const size = [lens.frame.clientWidth, lens.frame.clientHeight];
  const grip = outside.gripAt(from.clientX - left, from.clientY - top, size);
  if (grip) lens.ongrip(grip);
  /** @type {any[]|null} */
  let changes = null;
  let [last, held] = [from, true];
  const walk = (e) => {
    outside.turn(e.clientX - last.clientX, e.clientY - last.clientY);
    last = e;
    lens.standin.draw();
  };
  const carry = (e) => {
    changes = outside.drag(grip, e.clientX - from.clientX, e.clientY - from.clientY, size);
    lens.follow(changes, () => held);
    lens.standin.draw();
  };
  const letGo = () => {
    held = false;
    outside.held = null;
  };
  const drop = () => {
    letGo();
    if (changes) lens.store.change(...changes);
  };
  return { move: grip ? carry : walk, drop, cancel: () => (letGo(), lens.onsettle()) };
}

/** The camera travels round and up; with Shift its aim goes along. */
function takeCamera(lens, from) {
  const { store } = lens;
  const value = (name) => store.value(`camera/${name}`);
  const set = (name, to) => ({ kind: "set", path: store.full(`camera/${name}`), value: to });
  const aim = AXES.map((axis) => value(`aim/${axis}_m`));
  const [azimuth, elevation] = [value("azimuth_deg"), value("elevation_deg")];
  const travelled = (dx, dy) => [
    set("azimuth_deg", Number((azimuth - dx * DEGREES_PER_PIXEL).toFixed(1))),
    set("elevation_deg", Number(Math.min(89, Math.max(-89, elevation + dy * DEGREES_PER_PIXEL)).toFixed(1))),
  ];
  const changes = (e) => (from.shiftKey ? aimed : travelled)(e.clientX - from.clientX, e.clientY - from.clientY);
  const aimed = (dx, dy) => {
    const by = inPlane(lens, dx, dy);
    return AXES.map((axis, i) => set(`aim/${axis}_m`, Number((aim[i] + by[i]).toFixed(4))));
  };
  let held = false;
  const move = (e) => {
    if (!held) lens.handle();
    held = true;
    lens.follow(changes(e), () => held);
  };
  const drop = (e) => {
    held = false;
    store.change(...changes(e));
  };
  const cancel = () => {
    held = false;
    lens.onsettle();
  };
  return { move, drop, cancel, click: (e) => lens.onclick(e) };
}

/** How far the aim goes when the picture is dragged so many pixels: what was under the pointer stays there. @returns {number[]} m */
function inPlane({ clock, store, frame }, dx, dy) {
  const { camera: m, focal_mm } = clock.pose();
  const { lens } = store.state;
  const away = Math.hypot(...[3, 7, 11].map((i, axis) => m[i] - lens.aim[axis]));
  const metres = (2 * away * lens.half_width * (lens.focal_mm / focal_mm)) / frame.clientWidth; // a pixel there
  return AXES.map((_, i) => (m[4 * i + 1] * dy - m[4 * i] * dx) * metres);
}
