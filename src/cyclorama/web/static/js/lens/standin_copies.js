/** Copies of an item in the stand-in: each prototype is drawn as often as it stands on the set. */

import * as THREE from "../../vendor/three.module.js";
import { buildGroup, disposeGroup, readMesh } from "./standin_meshes.js";

/** Prototypes and the poses of their copies, as the server packs them. @param {ArrayBuffer} buffer */
function readCopies(buffer) {
  const size = new DataView(buffer).getUint32(0, true);
  const { prototypes, all } = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, size)));
  let at = 4 + size;
  const posed = prototypes.map((prototype) => {
    const poses = new Float32Array(buffer, at, prototype.count * 12);
    at += poses.byteLength;
    return { ...prototype, poses };
  });
  return { prototypes: posed, all };
}

export class CopiedModel {
  /** @param {any} holder carries them */
  constructor(holder) {
    this.holder = holder;
    /** Drawn meshes; `userData` tells part, colourway and tints. @type {any[]} */
    this.meshes = [];
    /** @type {string|null} */
    this.shown = null;
    /** @type {string|null} */
    this.wanted = null;
    this.loading = false;
    this.matrix = new THREE.Matrix4();
    /** How many there are, drawn or not. */
    this.count = 0;
  }

  /** Where the item's own place is: rows of a 4×4 matrix. */
  lay(matrix) {
    this.matrix.fromArray(matrix.flat()).transpose();
  }

  /** Show the copies at an address. One is fetched at a time, the latest is next. @param {string|null} wanted @param {any} group the item's own meshes @param {() => void} drawn */
  async show(wanted, group, drawn) {
    this.wanted = wanted;
    if (this.loading || wanted === this.shown || !group) return;
    this.loading = true;
    /** @type {any[]} */
    let meshes = [];
    try {
      const answer = wanted ? await fetch(wanted) : null;
      if (answer?.ok) {
        const { prototypes, all } = readCopies(await answer.arrayBuffer());
        meshes = (await Promise.all(prototypes.map((prototype) => this.#build(prototype)))).flat();
        this.count = all;
      }
    } finally {
      this.loading = false;
    }
    this.dispose();
    this.meshes = meshes;
    for (const mesh of meshes) this.holder.add(mesh);
    this.shown = wanted;
    drawn();
    this.show(this.wanted, group, drawn);
  }

  /** Meshes of one prototype, one a part. @returns {Promise<any[]>} */
  async #build({ standin, variant, colours, count, poses }) {
    const group = buildGroup(readMesh(await (await fetch(standin)).arrayBuffer()), () => new THREE.MeshStandardMaterial({ vertexColors: true, side: THREE.DoubleSide }));
    const matrices = Array.from({ length: count }, (_, k) => this.#pose(poses.subarray(12 * k, 12 * k + 12)));
    return group.children.map((/** @type {any} */ mesh) => {
      const copies = new THREE.InstancedMesh(mesh.geometry, mesh.material, count);
      matrices.forEach((matrix, k) => copies.setMatrixAt(k, matrix));
      copies.userData = { part: mesh.userData.part, variant, colours };
      copies.frustumCulled = false;
      copies.castShadow = copies.receiveShadow = true;
      return copies;
    });
  }

  /** The pose of a copy, for the mesh in the space of its file. */
  #pose([ax, ay, az, bx, by, bz, cx, cy, cz, x, y, z]) {
    return new THREE.Matrix4().set(ax, bx, cx, x, ay, by, cy, y, az, bz, cz, z, 0, 0, 0, 1).multiply(this.matrix);
  }

  dispose() {
    for (const mesh of this.meshes) {
      mesh.removeFromParent();
      mesh.dispose();
      disposeGroup(mesh);
    }
    this.meshes = [];
  }
}
