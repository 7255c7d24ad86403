/** What lights the stand-in: the project's lights with their shadows, and its surroundings, as strong as in the picture. */

import * as THREE from "../../vendor/three.module.js";
import { goneAlong } from "../plan/geometry.js";

/** So many lights cast shadows, the strongest first. */
const SHADOWS = 3;
const SHADOW_PIXELS = 1024;

export class StandInLight {
  /**
   * @param {THREE.Scene} scene @param {THREE.WebGLRenderer} renderer
   * @param {import("./adaptive_quality.js").AdaptiveQuality} sparing @param {() => void} drawn asks for another drawing
   */
  constructor(scene, renderer, sparing, drawn) {
    this.scene = scene;
    this.renderer = renderer;
    this.sparing = sparing;
    this.drawn = drawn;
    this.url = null;
    this.map = null;
    this.shape = "";
    renderer.shadowMap.enabled = true;
    renderer.shadowMap.type = THREE.PCFShadowMap;
    renderer.shadowMap.autoUpdate = false;
    this.group = new THREE.Group();
    this.fill = new THREE.HemisphereLight(0xffffff, 0x8a8378, 0);
    scene.add(this.group, this.fill);
    this.own = new THREE.Matrix4();
  }

  /**
   * Stand as in a pose.
   * @param {object} pose @param {object} lens
   * @param {number} reach about how far what is seen lies around the aim, m
   * @param {string} moved tells apart how everything stands: shadows are drawn anew when it changes
   */
  place(pose, lens, reach, moved) {
    const lit = lens.lights.filter((light) => light.lit && Math.max(...light.gives) > 0);
    const strongest = [...lit].filter((light) => light.shadows).toSorted((a, b) => Math.max(...b.gives) - Math.max(...a.gives)).slice(0, this.sparing.without("shadows") ? 0 : SHADOWS);
    lit.forEach((from, i) => this.#stand(this.#at(i, from.distant), from, pose, reach, strongest.includes(from)));
    for (const light of this.group.children.slice(lit.length)) this.#drop(light);
    const shape = `${moved} ${reach.toPrecision(3)} ${lit.map(({ id, centre, aim, gobo }) => [id, centre, aim, gobo])} ${pose.lights_deg} ${this.sparing.without("shadows")}`;
    if (shape !== this.shape) this.renderer.shadowMap.needsUpdate = true;
    this.shape = shape;
    this.#surround(lens.surroundings);
    // never wholly dark while there is nothing that lights it: what is handled has to be seen
    this.fill.intensity = lit.length || lens.surroundings ? (this.scene.environment || !lens.surroundings ? 0.04 : 1) : 0.3;
  }

  /** A light of three's kind that suits: parallel for a sun, else one that falls off from where it stands. */
  #light(parallel) {
    const light = parallel ? new THREE.DirectionalLight() : new THREE.SpotLight();
    light.shadow.mapSize.set(SHADOW_PIXELS, SHADOW_PIXELS);
    light.shadow.bias = parallel ? -0.0008 : -0.0002;
    this.scene.add(light.target);
    return light;
  }

  /** The light at a place of the group, of the kind that is wanted there. */
  #at(i, parallel) {
    const there = /** @type {any} */ (this.group.children[i]);
    if (there && Boolean(there.isDirectionalLight) === parallel) return there;
    const light = this.#light(parallel);
    this.group.add(light);
    if (there) {
      this.#drop(there);
      this.group.children.splice(i, 0, light); // not last, where it was put
      this.group.children.pop();
    }
    return light;
  }

  #drop(light) {
    light.target.removeFromParent();
    light.removeFromParent();
    light.dispose();
  }

  #stand(light, from, pose, reach, shadow) {
    const aim = goneAlong(from, pose, from.aim);
    const centre = goneAlong(from, pose, from.centre);
    const away = Math.max(1e-9, Math.hypot(...centre.map((x, i) => x - aim[i])));
    const strongest = Math.max(...from.gives);
    light.target.position.set(...aim);
    light.target.updateMatrixWorld();
    light.color.setRGB(...from.gives.map((x) => x / strongest));
    light.shadow.intensity = from.shadows;
    light.castShadow = shadow || Boolean(from.gobo && !this.sparing.without("shadows")); // a mask needs the shadow's view
    const wide = (Math.hypot(...from.half_u) + Math.hypot(...from.half_v)) / away;
    // the penumbra at about the subject's height: as wide as the light is seen from there
    const soft = (texels) => Math.min(10, Math.max(1, 0.1 * wide * texels));
    if (light.isDirectionalLight) {
      const back = Math.max(away, 2 * reach); // from as far as all that casts a shadow lies before it
      light.position.set(...centre.map((x, i) => aim[i] + ((x - aim[i]) * back) / away));
      light.intensity = strongest;
      Object.assign(light.shadow.camera, { left: -reach, right: reach, top: reach, bottom: -reach, near: Math.max(1e-4, back - 2 * reach), far: back + 2 * reach });
      light.shadow.camera.updateProjectionMatrix();
      light.shadow.normalBias = (3 * reach) / SHADOW_PIXELS;
      light.shadow.radius = 1;
      return;
    }
    light.position.set(...centre);
    light.intensity = strongest * away * away;
    light.angle = from.cone ? Math.atan(from.cone) : Math.PI / 2;
    light.penumbra = from.cone ? from.edge : 1; // a face shines less to its sides, about as a cosine
    const half = from.gobo ? Math.PI / 4 : Math.min(Math.atan(reach / away), 1.2);
    light.shadow.focus = half / light.angle;
    Object.assign(light.shadow.camera, { near: Math.max(1e-4, away - 2 * reach, away / 100), far: away + 40 * reach });
    light.shadow.normalBias = (4 * away * Math.tan(half)) / SHADOW_PIXELS;
    light.shadow.radius = soft((SHADOW_PIXELS * reach) / (away * Math.tan(half)) / 20);
    this.#mask(light, from.gobo);
  }

  /** Lay a gobo into a beam, or none. */
  #mask(light, url) {
    if (light.userData.mask === url) return;
    light.userData.mask = url;
    light.map?.dispose();
    light.map = url ? new THREE.TextureLoader().load(url, () => this.drawn()) : null;
  }

  /** What things mirror; it is fetched and blurred for all roughnesses once. */
  #surround(told) {
    if (!told || this.sparing.without("surroundings")) {
      this.scene.environment = null;
      return;
    }
    if (told.url !== this.url) this.#fetch(told.url);
    this.scene.environment = this.map;
    if (!this.map) return;
    this.scene.environmentIntensity = Math.max(...told.gain);
    const [a, b, c, d, e, f, g, h, i] = told.turn;
    // a picture's middle lies towards −Z here and towards +X there
    this.own.set(a, b, c, 0, d, e, f, 0, g, h, i, 0, 0, 0, 0, 1).multiply(new THREE.Matrix4().makeRotationY(Math.PI / 2));
    this.scene.environmentRotation.setFromRotationMatrix(this.own);
  }

  async #fetch(url) {
    this.url = url;
    const answer = await fetch(url);
    if (!answer.ok || this.url !== url) return;
    const pixels = new Uint16Array(await answer.arrayBuffer());
    const rows = Math.sqrt(pixels.length / 8);
    const turned = new Uint16Array(pixels.length); // from the bottom up, as textures are
    for (let y = 0; y < rows; y += 1) turned.set(pixels.subarray(y * rows * 8, (y + 1) * rows * 8), (rows - 1 - y) * rows * 8);
    const texture = new THREE.DataTexture(turned, 2 * rows, rows, THREE.RGBAFormat, THREE.HalfFloatType);
    Object.assign(texture, { mapping: THREE.EquirectangularReflectionMapping, minFilter: THREE.LinearFilter, magFilter: THREE.LinearFilter, wrapS: THREE.RepeatWrapping, needsUpdate: true });
    const maker = new THREE.PMREMGenerator(this.renderer);
    const made = maker.fromEquirectangular(texture);
    texture.dispose();
    maker.dispose();
    if (this.url !== url) return made.dispose();
    this.made?.dispose();
    this.made = made;
    this.map = made.texture;
    this.drawn();
  }

  dispose() {
    this.made?.dispose();
    for (const light of this.group.children) light.dispose();
  }
}
