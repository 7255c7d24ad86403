/** What a lens that distorts sees: a plain picture, wide enough, pulled into shape as the tracer's rays are. */

import * as THREE from "../../vendor/three.module.js";

const PLACE = `
  varying vec2 place;
  void main() {
    place = position.xy;
    gl_Position = vec4(position.xy, 0.0, 1.0);
  }`;
// the direction that a place of the picture sees, and where the plain picture shows it (core/framing/lens.py)
const BEND = `
  uniform sampler2D plain;
  uniform vec2 extent, shift;
  uniform float bend, widest;
  varying vec2 place;
  void main() {
    vec2 at = (place + 2.0 * shift) * extent;
    vec2 seen = at / (1.0 + bend * dot(at, at)) / (extent * widest);
    gl_FragColor = texture2D(plain, seen * 0.5 + 0.5);
    #include <tonemapping_fragment>
    #include <colorspace_fragment>
  }`;

export class BentLens {
  /** @param {THREE.WebGLRenderer} renderer */
  constructor(renderer) {
    this.renderer = renderer;
    this.plain = new THREE.WebGLRenderTarget(1, 1, { type: THREE.HalfFloatType, samples: 4 });
    const uniforms = { plain: { value: this.plain.texture }, extent: { value: new THREE.Vector2() }, shift: { value: new THREE.Vector2() }, bend: { value: 0 }, widest: { value: 1 } };
    this.material = new THREE.ShaderMaterial({ uniforms, vertexShader: PLACE, fragmentShader: BEND, depthTest: false, depthWrite: false });
    this.screen = new THREE.Mesh(new THREE.PlaneGeometry(2, 2), this.material);
    this.screen.frustumCulled = false;
    this.camera = new THREE.Camera();
  }

  /**
   * Draw a scene; `camera` sees `lens.widest` times as much as the frame holds.
   * @param {{half_width: number, half_height: number, bend: number, widest: number, shift: number[]}} lens
   * @param {number} zoomed how many times wider it sees now
   */
  draw(scene, camera, lens, zoomed) {
    const size = this.renderer.getDrawingBufferSize(new THREE.Vector2());
    this.plain.setSize(Math.ceil(size.x * lens.widest), Math.ceil(size.y * lens.widest));
    const { extent, shift, bend, widest } = this.material.uniforms;
    extent.value.set(lens.half_width * zoomed, lens.half_height * zoomed);
    shift.value.set(...lens.shift);
    bend.value = lens.bend / zoomed ** 2;
    widest.value = lens.widest;
    this.renderer.setRenderTarget(this.plain);
    this.renderer.render(scene, camera);
    this.renderer.setRenderTarget(null);
    this.renderer.render(this.screen, this.camera);
  }

  dispose() {
    this.plain.dispose();
    this.material.dispose();
    this.screen.geometry.dispose();
  }
}
