/** Meshes of the stand-in, as the server packs them. */

import * as THREE from "../../vendor/three.module.js";

/** Read the binary the server makes: header, positions, normals, colours, indices. */
export function readMesh(buffer) {
  const size = new DataView(buffer).getUint32(0, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, size)));
  let at = 4 + size;
  const n = header.vertices;
  const take = (Type, count) => {
    const array = new Type(buffer, at, count);
    at += array.byteLength;
    return array;
  };
  const positions = take(Float32Array, n * 3);
  const normals = take(Int8Array, n * 4);
  const colours = take(Uint8Array, n * 4);
  const indices = take(Uint32Array, header.triangles * 3);
  return { header, positions, normals, colours, indices };
}

/** A group of meshes, one a part, sharing their vertices, which `userData` keeps: as they are drawn and at rest. */
export function buildGroup(data, material) {
  const group = new THREE.Group();
  const position = new THREE.BufferAttribute(data.positions, 3);
  const normals = new THREE.InterleavedBuffer(data.normals, 4);
  const normal = new THREE.InterleavedBufferAttribute(normals, 3, 0, true);
  group.userData = { position, normals, rest: [data.positions.slice(), data.normals.slice()] };
  const linear = new Float32Array(data.header.vertices * 3);
  for (let i = 0; i < data.header.vertices; i++)
    for (let c = 0; c < 3; c++) linear[i * 3 + c] = (data.colours[i * 4 + c] / 255) ** 2.2;
  const colour = new THREE.BufferAttribute(linear, 3);
  for (const [part, start, count] of data.header.parts) {
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", position);
    geometry.setAttribute("normal", normal);
    geometry.setAttribute("color", colour);
    geometry.setIndex(new THREE.BufferAttribute(data.indices.subarray(start, start + count), 1));
    const mesh = new THREE.Mesh(geometry, material());
    mesh.userData.part = part;
    mesh.frustumCulled = false;
    mesh.castShadow = mesh.receiveShadow = true;
    group.add(mesh);
  }
  return group;
}

export function disposeGroup(group) {
  group?.traverse((item) => {
    item.geometry?.dispose();
    item.material?.dispose();
  });
}
