/** Looking at the studio from outside: the camera with what it sees, its trail, paths and lamps, in the stand-in. */

import * as THREE from "../vendor/three.module.js";
import { goneAlong } from "./plan_geometry.js";

const COLOURS = { camera: 0xc77700, path: 0x2b2926, light: 0xc4402a };
const DEGREES_PER_PIXEL = 0.35;
const [LOWEST, HIGHEST] = [-10, 89];

export class Outside {
  /** @param {THREE.Scene} scene */
  constructor(scene) {
    this.on = false;
    this.camera = new THREE.PerspectiveCamera(40, 16 / 9, 0.01, 100);
    this.lines = new THREE.Group();
    this.lines.visible = false;
    scene.add(this.lines);
    Object.assign(this, { azimuth: 40, elevation: 30, reach: 3 });
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
    const aim = new THREE.Vector3(...lens.aim);
    const from = new THREE.Vector3(pose.camera[3], pose.camera[7], pose.camera[11]);
    const away = Math.max(from.distanceTo(aim), 1e-5);
    const [a, e] = [this.azimuth, this.elevation].map(THREE.MathUtils.degToRad);
    this.camera.position.set(Math.sin(a) * Math.cos(e), Math.sin(e), Math.cos(a) * Math.cos(e)).multiplyScalar(away * this.reach).add(aim);
    this.camera.lookAt(aim);
    Object.assign(this.camera, { aspect, near: away / 100, far: away * 100 });
    this.camera.updateProjectionMatrix();
    this.camera.updateMatrixWorld();
    this.#draw(pose, lens, state, away);
  }

  #draw(pose, lens, state, away) {
    for (const line of this.lines.children) line.geometry.dispose();
    this.lines.clear();
    this.#line(COLOURS.camera, cameraLines(pose.camera, lens.field, away));
    const { shot } = state;
    if (shot.count > 1) this.#line(COLOURS.camera, chain(Array.from({ length: shot.count }, (_, i) => [3, 7, 11].map((k) => shot.cameras[12 * i + k]))));
    for (const { line } of state.paths) this.#line(COLOURS.path, chain(Array.from({ length: line.length / 3 }, (_, i) => [line[3 * i], line[3 * i + 1], line[3 * i + 2]])));
    for (const light of lens.lights) if (light.lit) this.#line(COLOURS.light, lampLines(light, pose));
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
  const [centre, aim] = [light.centre, light.aim].map((p) => goneAlong(light, pose, p));
  const [u, v] = [light.half_u, light.half_v].map((p) => goneAlong(light, pose, p, true));
  const corner = (a, b) => centre.map((p, i) => p + a * u[i] + b * v[i]);
  const corners = [corner(-1, -1), corner(1, -1), corner(1, 1), corner(-1, 1)];
  const towards = centre.map((p, i) => p + (aim[i] - p) * 0.25);
  return [...chain([...corners, corners[0]]), centre, towards];
}
