/** Looking at the studio from outside: the camera with what it sees, its trail, paths and lamps, in the stand-in. */

import * as THREE from "../../vendor/three.module.js";
import { aimOf, grips } from "./outside_grips.js";
import { goneAlong } from "../plan/geometry.js";

const COLOURS = { camera: 0xc77700, path: 0x2b2926, light: 0xc4402a };
const DEGREES_PER_PIXEL = 0.35;
const DOT_PX = 9;
const REACH_PX = 10;
const [LOWEST, HIGHEST] = [-10, 89];

export class Outside {
  /** @param {THREE.Scene} scene */
  constructor(scene) {
    this.on = false;
    /** Id of the light whose aim can be dragged too. @type {string|null} */
    this.light = null;
    this.camera = new THREE.PerspectiveCamera(40, 16 / 9, 0.01, 100);
    /** What can be dragged, with where it is; and what is being dragged, with where it has come. */
    this.grips = [];
    /** @type {any} */
    this.held = null;
    this.centre = new THREE.Vector3();
    this.away = 1;
    /** @type {any[]} */
    this.grips = [];
    this.lines = new THREE.Group();
    this.lines.visible = false;
    scene.add(this.lines);
    this.azimuth = 40;
    this.elevation = 30;
    this.reach = 3;
  }

  /** Walk round by a drag of so many pixels. */
  turn(dx, dy) {
    this.azimuth -= dx * DEGREES_PER_PIXEL;
    this.elevation = Math.min(HIGHEST, Math.max(LOWEST, this.elevation + dy * DEGREES_PER_PIXEL));
  }

  /** Come closer or go back by a factor. */
  come(factor) {
    this.reach = Math.min(20, Math.max(0.3, this.reach * factor));
  }

  /**
   * Stand where one has walked to, and draw what is only seen from outside.
   * @param {object} pose @param {object} lens @param {object} state of the project @param {number} aspect
   */
  place(pose, lens, state, aspect) {
    if (!this.held) {
      // one stays where one is while something is dragged
      const from = new THREE.Vector3(pose.camera[3], pose.camera[7], pose.camera[11]);
      this.centre = new THREE.Vector3(...lens.aim);
      this.away = Math.max(from.distanceTo(this.centre), 1e-5);
    }
    const { centre: aim, away } = this;
    const [a, e] = [this.azimuth, this.elevation].map(THREE.MathUtils.degToRad);
    this.camera.position.set(Math.sin(a) * Math.cos(e), Math.sin(e), Math.cos(a) * Math.cos(e)).multiplyScalar(away * this.reach).add(aim);
    this.camera.lookAt(aim);
    Object.assign(this.camera, { aspect, near: away / 100, far: away * 100 });
    this.camera.updateProjectionMatrix();
    this.camera.updateMatrixWorld();
    this.#draw(pose, lens, state, away);
  }

  #draw(pose, lens, state, away) {
    for (const { geometry, material } of /** @type {any[]} */ (this.lines.children)) [geometry, material].forEach((one) => one.dispose());
    this.lines.clear();
    this.#line(COLOURS.camera, cameraLines(pose.camera, lens.field, away));
    const { shot } = state;
    if (shot.count > 1) this.#line(COLOURS.camera, chain(Array.from({ length: shot.count }, (_, i) => [3, 7, 11].map((k) => shot.cameras[12 * i + k]))));
    for (const { line } of state.paths) this.#line(COLOURS.path, chain(Array.from({ length: line.length / 3 }, (_, i) => [line[3 * i], line[3 * i + 1], line[3 * i + 2]])));
    for (const light of lens.lights) if (light.lit) this.#line(COLOURS.light, lampLines(light, pose));
    this.grips = grips(pose, lens, state, this.light);
    for (const grip of this.grips) this.#dot(COLOURS[grip.what], this.held?.path === grip.path ? this.held.to : grip.at);
  }

  #dot(color, at) {
    const geometry = new THREE.BufferGeometry().setAttribute("position", new THREE.Float32BufferAttribute(at, 3));
    this.lines.add(new THREE.Points(geometry, new THREE.PointsMaterial({ color, size: DOT_PX, sizeAttenuation: false, depthTest: false })));
  }

  /** Where a place of the studio is in the picture, px, with its depth; null behind. */
  #seen(at, [width, height]) {
    const p = new THREE.Vector3(...at).project(this.camera);
    return p.z < 1 ? [((p.x + 1) / 2) * width, ((1 - p.y) / 2) * height, p.z] : null;
  }

  /** What can be dragged at a place of the picture, px; the nearest. @returns {object|null} */
  gripAt(x, y, size) {
    /** @type {[number, object|null]} */
    let best = [REACH_PX, null];
    for (const grip of this.grips) {
      const seen = this.#seen(grip.at, size);
      const away = seen ? Math.hypot(seen[0] - x, seen[1] - y) : Infinity;
      if (away < best[0]) best = [away, { ...grip, seen }];
    }
    return best[1];
  }

  /** Changes that move it by so many pixels, in the plane of the picture. */
  drag(grip, dx, dy, [width, height]) {
    const [x, y, z] = grip.seen;
    const to = new THREE.Vector3(((x + dx) / width) * 2 - 1, 1 - ((y + dy) / height) * 2, z).unproject(this.camera).toArray();
    this.held = { path: grip.path, to };
    return grip.changes(to);
  }

  #line(colour, points) {
    const geometry = new THREE.BufferGeometry().setAttribute("position", new THREE.Float32BufferAttribute(points.flat(), 3));
    this.lines.add(new THREE.LineSegments(geometry, new THREE.LineBasicMaterial({ color: colour })));
  }
}

/** Points of a line as pieces, two points each. */
function chain(points) {
  return points.slice(1).flatMap((p, i) => [points[i], p]);
}

/** The pyramid of what a camera sees, as far as what it looks at. */
function cameraLines(m, [left, right, low, high], away) {
  const at = [m[3], m[7], m[11]];
  const corner = (x, y) => at.map((p, i) => p + (m[4 * i] * x + m[4 * i + 1] * y - m[4 * i + 2]) * away);
  const corners = [corner(left, low), corner(right, low), corner(right, high), corner(left, high)];
  const top = [corner(left / 3, high * 1.04), corner(right / 3, high * 1.04), corner((left + right) / 2, high * 1.2)];
  return [...corners.flatMap((c) => [at, c]), ...chain([...corners, corners[0]]), ...chain([...top, top[0]])];
}

/** The outline of a lamp, and where it shines. */
function lampLines(light, pose) {
  const [centre, aim] = [goneAlong(light, pose, light.centre), aimOf(light, pose)];
  const [u, v] = [light.half_u, light.half_v].map((p) => goneAlong(light, pose, p, true));
  const corner = (a, b) => centre.map((p, i) => p + a * u[i] + b * v[i]);
  const corners = [corner(-1, -1), corner(1, -1), corner(1, 1), corner(-1, 1)];
  const towards = centre.map((p, i) => p + (aim[i] - p) * 0.25);
  return [...chain([...corners, corners[0]]), centre, towards];
}
