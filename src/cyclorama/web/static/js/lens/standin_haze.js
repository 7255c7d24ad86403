/** Haze in the stand-in: like fog, with the beams of spots as cones of light. */

import * as THREE from "../../vendor/three.module.js";
import { goneAlong } from "../plan/geometry.js";

/** A beam is drawn so many times as long as its light is away from what it aims at. */
const LENGTH = 2;

const BEAM = {
  transparent: true,
  depthWrite: false,
  side: THREE.DoubleSide,
  blending: THREE.AdditiveBlending,
  // light goes down the cone's own axis, and is scattered to the viewer by Henyey and Greenstein's phase function
  vertexShader: `uniform float forward; varying float along; varying float rim; varying float phase;
    void main() {
      along = uv.y;
      vec4 seen = modelViewMatrix * vec4(position, 1.0);
      vec3 viewer = normalize(-seen.xyz);
      rim = abs(dot(normalize(normalMatrix * normal), viewer));
      float cosine = dot(normalize(normalMatrix * vec3(0.0, -1.0, 0.0)), viewer);
      phase = (1.0 - forward * forward) / (12.566 * pow(1.0 + forward * forward - 2.0 * forward * cosine, 1.5));
      gl_Position = projectionMatrix * seen;
    }`,
  // brightest near the lamp, and soft at the rim, where less air is lit
  fragmentShader: `uniform vec3 colour; varying float along; varying float rim; varying float phase;
    void main() { gl_FragColor = vec4(colour * phase * along * rim, 1.0); }`,
};

export class StandInHaze {
  /** @param {THREE.Scene} scene */
  constructor(scene) {
    this.scene = scene;
    this.beams = new THREE.Group();
    scene.add(this.beams);
    /** @type {any} */
    this.lens = null;
    /** @type {any} */
    this.haze = null;
  }

  /** Have the haze of a lens, and a beam for every spot that shines. @param {any} lens */
  #show(lens) {
    const { haze } = lens;
    Object.assign(this, { lens, haze });
    this.scene.fog = haze ? new THREE.FogExp2(new THREE.Color(...haze.colour.map((x) => Math.min(x, 1)))) : null;
    while (this.beams.children.length) {
      const beam = /** @type {any} */ (this.beams.children[0]);
      beam.geometry.dispose();
      beam.material.dispose();
      beam.removeFromParent();
    }
    for (const light of haze ? lens.lights.filter((x) => x.lit && x.cone) : []) this.beams.add(this.#beam(light));
  }

  /** Let the beams stand as in a pose. @param {any} pose @param {any} lens @param {number} away of the aim from the camera, m */
  place(pose, lens, away) {
    if (lens !== this.lens) this.#show(lens);
    // this fog goes with the square of the distance: it hides as much as haze does where the camera aims
    if (this.scene.fog) /** @type {any} */ (this.scene.fog).density = Math.sqrt(this.haze.per_m / away);
    for (const beam of this.beams.children) {
      const { light } = beam.userData;
      beam.position.fromArray(goneAlong(light, pose, light.centre));
      const way = new THREE.Vector3(...goneAlong(light, pose, light.aim)).sub(beam.position);
      beam.quaternion.setFromUnitVectors(new THREE.Vector3(0, -1, 0), way.normalize());
    }
  }

  #beam(light) {
    const { per_m, forward } = this.haze;
    const away = Math.hypot(...light.centre.map((x, i) => x - light.aim[i]));
    const [long, wide] = [away * LENGTH, Math.hypot(...light.half_u)];
    const cone = new THREE.CylinderGeometry(wide, wide + light.cone * long, long, 48, 1, true);
    cone.translate(0, -long / 2, 0);
    // drawn twice, where it is entered and left: each stands for half of what its width of haze scatters
    const share = 1 - Math.exp(-per_m * light.cone * away);
    const uniforms = { colour: { value: new THREE.Color(...light.gives.map((x) => x * share)) }, forward: { value: forward } };
    const beam = new THREE.Mesh(cone, new THREE.ShaderMaterial({ ...BEAM, uniforms }));
    beam.userData.light = light;
    return beam;
  }
}
