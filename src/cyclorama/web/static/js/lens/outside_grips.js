/** What can be dragged from outside: the camera's aim, points of paths, lamps, and the aim of the chosen lamp. */

import { anglesAt, carriedBack, goneAlong } from "../plan/geometry.js";
import { schema } from "../shared/schema.js";
import { withId } from "../shared/lists.js";

const AXES = ["x", "y", "z"];
const STEEPEST_DEG = 89;

/**
 * @typedef {object} OutsideGrip
 * @property {"camera"|"path"|"light"} what
 * @property {string} path of what it moves
 * @property {string} [light] id of the lamp
 * @property {number[]} at where it is, m
 * @property {(to: number[]) => object[]} changes that bring it to a place, m
 */

const set = (path, value) => ({ kind: "set", path, value });
const places = (thing) => AXES.map((axis) => thing[`${axis}_m`]);
/** Changes of three coordinates that move a place of the document as far as `at` goes to `to`. */
const moved = (path, was, at) => (to) => AXES.map((axis, i) => set(`${path}/${axis}_m`, Number((was[i] + to[i] - at[i]).toFixed(4))));

/** What a lamp aims at: a rig turns lamps, not their aim. */
export const aimOf = (light, pose) => (light.carriage === "rig" ? light.aim : goneAlong(light, pose, light.aim));

/**
 * @param {any} pose @param {any} lens as it stands in the pose @param {import("../studio/project.js").ShownProject} state
 * @param {string|null} chosen light
 * @returns {OutsideGrip[]}
 */
export function grips(pose, lens, state, chosen) {
  const { project, open } = state;
  const camera = withId(project.cameras, withId(project.shots, project.shot_id).camera_id);
  const aim = `cameras/${camera.id}/aim`;
  const { lights } = withId(project.looks, open.look.split("/")[1]);
  return [
    // an aim at a thing is told from the middle of that
    { what: "camera", path: aim, at: lens.aim, changes: moved(aim, places(camera.aim), lens.aim) },
    ...project.paths.flatMap((path) => path.points.map((p) => point(`paths/${path.id}/points/${p.id}`, places(p)))),
    ...lens.lights.filter(({ lit }) => lit).flatMap((light) => lamp(light, withId(lights, light.id), pose, open.look, light.id === chosen)),
  ];
}

/** @returns {OutsideGrip} */
function point(path, at) {
  return { what: "path", path, at, changes: moved(path, at, at) };
}

/** A lamp, and its aim where that is free. @returns {OutsideGrip[]} */
function lamp(light, document, pose, look, withAim) {
  const path = `${look}/lights/${light.id}`;
  const stand = (to) => {
    const { azimuth, elevation, distance } = anglesAt(light, pose, to);
    return [
      set(`${path}/azimuth_deg`, Number(azimuth.toFixed(1))),
      set(`${path}/elevation_deg`, Number(Math.max(-STEEPEST_DEG, Math.min(STEEPEST_DEG, elevation)).toFixed(1))),
      set(`${path}/distance_m`, Number(Math.max(schema.distances.nearest_m, distance).toPrecision(4))),
    ];
  };
  const held = { what: /** @type {const} */ ("light"), light: light.id };
  const lampGrip = { ...held, path, at: goneAlong(light, pose, light.centre), changes: stand };
  if (!withAim || document.aim.item !== null) return [lampGrip];
  const aimed = `${path}/aim`;
  const rest = (to) => (light.carriage === "rig" ? to : carriedBack(light, pose, to));
  const aim = (to) => AXES.map((axis, i) => set(`${aimed}/${axis}_m`, Number(rest(to)[i].toFixed(4))));
  return [lampGrip, { ...held, path: aimed, at: aimOf(light, pose), changes: aim }];
}
