/** The interactive stand-in: a reduced mesh drawn with WebGL through the current camera. */

import * as THREE from "../../vendor/three.module.js";
import { BentLens } from "./bent_lens.js";
import { schema } from "../shared/schema.js";
import { Outside } from "./outside.js";
import { AdaptiveQuality, whenDrawn } from "./adaptive_quality.js";
import { CopiedModel } from "./standin_copies.js";
import { buildGroup, disposeGroup, readMesh } from "./standin_meshes.js";
import { StandInHaze } from "./standin_haze.js";
import { StandInLight } from "./standin_light.js";

/** A renderer on a canvas; null where the browser has no WebGL 2. @param {HTMLCanvasElement} canvas */
function rendererOn(canvas) {
  const context = canvas.getContext("webgl2", { antialias: true, preserveDrawingBuffer: true });
  if (!context) return null;
  const renderer = new THREE.WebGLRenderer({ canvas, context });
  renderer.toneMapping = THREE.NeutralToneMapping;
  return renderer;
}

/** Rows of a 3×4 matrix as a THREE.Matrix4. */
function matrixFrom(rows) {
  return new THREE.Matrix4().fromArray([...rows, 0, 0, 0, 1]).transpose();
}

/** One item on the set: its mesh in a holder that carries it, and how it is bent. */
class Model {
  /** @param {string} id @param {string} url of its mesh */
  constructor(id, url) {
    this.id = id;
    this.url = url;
    this.group = null;
    this.bent = null;
    this.bending = false;
    /** Address of the liquid that is shown, and its meshes. @type {string|null} */
    this.filled = null;
    this.filling = false;
    /** @type {any[]} */
    this.liquid = [];
    this.holder = new THREE.Group();
    this.copies = new CopiedModel(this.holder);
    this.carriage = "";
    this.loading = null;
    this.holder.matrixAutoUpdate = false;
  }

  async load() {
    const buffer = await (await fetch(this.url)).arrayBuffer();
    this.group = buildGroup(readMesh(buffer), () => new THREE.MeshStandardMaterial({ vertexColors: true, side: THREE.DoubleSide }));
    this.group.matrixAutoUpdate = false;
    this.holder.add(this.group);
  }

  /** Lay it into the studio: rows of a 4×4 matrix. */
  lay(matrix) {
    this.copies.lay(matrix);
    this.group?.matrix.fromArray(matrix.flat()).transpose();
    if (this.group) this.group.matrixWorldNeedsUpdate = true;
  }

  /** Bend as the animation stands; `drawn` is called when it has. One pose is fetched at a time, the latest is next. */
  async bend(asset, acting, drawn) {
    this.acting = acting;
    const wanted = acting ? `/api/assets/${asset}/pose?acting=${acting}` : null;
    if (this.bending || wanted === this.bent || !this.group) return;
    const { group } = this;
    let [positions, normals] = group.userData.rest;
    if (wanted) {
      this.bending = true;
      try {
        const answer = await fetch(wanted);
        if (!answer.ok) return;
        const buffer = await answer.arrayBuffer();
        positions = new Float32Array(buffer, 0, positions.length);
        normals = new Int8Array(buffer, positions.byteLength);
      } finally {
        this.bending = false;
      }
    }
    this.bent = wanted;
    const shown = group.userData;
    shown.position.array.set(positions);
    shown.normals.array.set(normals);
    shown.position.needsUpdate = shown.normals.needsUpdate = true;
    drawn();
    this.bend(asset, this.acting, drawn);
  }

  /** Hold a liquid. One is fetched at a time, the latest is next. @param {string|null} wanted address of its mesh @param {() => void} drawn */
  async fill(wanted, drawn) {
    this.wanted = wanted;
    if (this.filling || wanted === this.filled || !this.group) return;
    this.filling = true;
    let held = null;
    try {
      const answer = wanted ? await fetch(wanted) : null;
      if (answer?.ok) held = buildGroup(readMesh(await answer.arrayBuffer()), () => new THREE.MeshStandardMaterial({ side: THREE.DoubleSide }));
    } finally {
      this.filling = false;
    }
    for (const mesh of this.liquid) {
      mesh.removeFromParent();
      disposeGroup(mesh);
    }
    this.liquid = [...(held?.children ?? [])];
    for (const mesh of this.liquid) {
      mesh.renderOrder = 1; // after the glass before it, which would take its colour
      this.group.add(mesh);
    }
    this.filled = wanted;
    drawn();
    this.fill(this.wanted, drawn);
  }

  /** Stand as its carriage does in a pose. */
  carry(pose) {
    if (this.carriage === "disc") this.holder.matrix.makeRotationY((pose.disc_deg * Math.PI) / 180);
    else if (pose.carried[this.carriage]) this.holder.matrix.copy(matrixFrom(pose.carried[this.carriage]));
    else this.holder.matrix.identity();
    this.holder.matrixWorldNeedsUpdate = true;
  }

  dispose() {
    disposeGroup(this.group);
    this.copies.dispose();
    this.holder.removeFromParent();
  }
}

export class StandIn {
  /** @param {HTMLCanvasElement} canvas */
  constructor(canvas) {
    /** null where the browser has no WebGL 2: then nothing is drawn, and only rendered pictures are shown. */
    this.renderer = rendererOn(canvas);
    this.scene = new THREE.Scene();
    this.outside = new Outside(this.scene);
    this.camera = new THREE.PerspectiveCamera();
    this.camera.matrixAutoUpdate = false;
    this.sparing = new AdaptiveQuality();
    this.light = this.renderer && new StandInLight(this.scene, this.renderer, this.sparing, () => this.draw());
    this.haze = new StandInHaze(this.scene);
    this.turning = new THREE.Group();
    this.scene.add(this.turning);
    /** @type {Map<string, Model>} */
    this.models = new Map();
    this.set = null;
    this.setKey = null;
    this.pose = null;
    this.state = null;
    this.store = null;
    /** Children of the set's group, wherever they stand. @type {any[]} */
    this.pieces = [];
    this.pending = 0;
    this.busy = false;
    this.stale = false;
    this.size = [1, 1];
    /** @type {BentLens|null} */
    this.bentLens = null;
  }

  /** Make the scene match the project; loads what is new. */
  async show(state, store) {
    Object.assign(this, { state, store });
    if (!this.renderer) return;
    await Promise.all(state.items.map((item) => this.#stand(item)));
    if (this.state !== state) return;
    for (const [id, model] of this.models) if (!state.items.some((item) => item.id === id)) this.#drop(id, model);
    for (const item of state.items) {
      const model = this.models.get(item.id);
      if (!model) continue;
      model.carriage = item.carriage;
      model.holder.visible = item.on;
      if (model.group) model.group.visible = !this.store.item(item.id)?.copies;
      model.lay(item.matrix);
      this.#dress(item.id);
    }
    if (this.light) this.light.shape = ""; // what casts shadows may be another
    const setKey = JSON.stringify([state.project.set.sweep, state.project.set.disc]);
    if (setKey !== this.setKey) await this.#loadSet(state.project.id, setKey);
    this.#dressSet(state.project);
    this.background = new THREE.Color().fromArray(store.look.background.colour);
    this.scene.background = this.background;
  }

  /** Have an item's mesh there: another one where it is made otherwise. */
  async #stand({ id, standin }) {
    const known = this.models.get(id);
    if (known && known.url === standin) return known.loading;
    const model = new Model(id, standin);
    this.models.set(id, model);
    model.loading = model.load();
    await model.loading;
    known?.dispose();
    if (this.models.get(id) === model) this.scene.add(model.holder);
    else model.dispose();
  }

  #drop(id, model) {
    model.dispose();
    this.models.delete(id);
  }

  async #loadSet(project, key) {
    this.setKey = key;
    const buffer = await (await fetch(`/api/projects/${project}/set`)).arrayBuffer();
    if (this.setKey !== key) return;
    disposeGroup(this.set);
    for (const piece of this.pieces) piece.removeFromParent();
    this.set = buildGroup(readMesh(buffer), () => new THREE.MeshStandardMaterial({ roughness: 0.9, side: THREE.DoubleSide }));
    this.pieces = [...this.set.children];
    for (const piece of this.pieces) (piece.userData.part === 0 ? this.scene : this.turning).add(piece);
  }

  #dress(id) {
    const item = this.store.item(id);
    if (!item) return; // taken away while something of it was on its way
    const materials = new Map(this.state.project.materials.map((m) => [m.id, m]));
    const worn = this.store.variant(item).parts;
    const { group, copies } = this.models.get(id) ?? {};
    for (const mesh of /** @type {any[]} */ ([...(item.copies ? [] : (group?.children ?? [])), ...(copies?.meshes ?? [])])) {
      const { part, variant, colours } = mesh.userData;
      const { material, visible } = (item.variants.find((v) => v.id === variant)?.parts ?? worn)[part] ?? {};
      const m = materials.get(material);
      mesh.visible = Boolean(visible); // a liquid that was poured away may still be here
      if (!m) continue;
      const cloudy = Math.max(...m.transmission_scatter) > 0;
      const clear = m.transmission_weight > 0.5 && !cloudy;
      const tinted = m.transmission_color.map((c, i) => c * [0.85, 0.93, 0.95][i]);
      mesh.material.color.setRGB(...(clear ? tinted : cloudy ? m.transmission_scatter : (colours?.[part] ?? m.base_color)));
      mesh.material.metalness = m.base_metalness;
      mesh.material.roughness = Math.max(m.specular_roughness, 0.08);
      mesh.castShadow = !clear;
      mesh.material.transparent = clear || m.opacity < 1;
      mesh.material.opacity = clear ? 0.8 - 0.5 * Math.min(...m.transmission_color) : m.opacity;
      mesh.material.depthWrite = !clear;
      mesh.material.emissive.setRGB(...m.emission_color);
      mesh.material.emissiveIntensity = Math.min(m.emission_luminance * this.state.lens.gain, 50);
    }
  }

  /** Let one part of the subject stand out, all others stand back; null: as they are. @param {number|null} part */
  point(part) {
    const id = this.state?.project.subject_id;
    const group = this.models.get(id)?.group;
    if (!group) return;
    this.#dress(id);
    for (const mesh of /** @type {any[]} */ (part === null ? [] : group.children)) {
      const meant = mesh.userData.part === part;
      mesh.visible = mesh.visible || meant;
      mesh.material.transparent = mesh.material.transparent || !meant;
      mesh.material.depthWrite = meant;
      mesh.material.opacity = meant ? Math.max(mesh.material.opacity, 0.6) : 0.12;
    }
    this.draw();
  }

  #dressSet(project) {
    for (const piece of this.pieces) piece.material.color.setRGB(...(piece.userData.part === 0 ? project.set.sweep : project.set.disc).color);
  }

  /** Show from outside what the chosen light aims at. @param {string|null} id */
  chooseLight(id) {
    if (this.outside.light === id) return;
    this.outside.light = id;
    if (this.outside.on) this.draw();
  }

  /** Size of the drawing in CSS pixels. */
  resize(width, height) {
    this.size = [Math.max(1, width), Math.max(1, height)];
    this.#fit();
    this.draw();
  }

  #fit() {
    this.renderer?.setPixelRatio(Math.min(window.devicePixelRatio, 2) / (this.sparing.without("size") ? 2 : 1));
    this.renderer?.setSize(this.size[0], this.size[1], false);
  }

  /** Stand as in a pose: camera rows, what carries items, light angles, lens. */
  place(pose, lens) {
    this.pose = { pose, lens };
    if (!this.renderer) return;
    this.camera.matrix.copy(matrixFrom(pose.camera));
    this.camera.matrixWorld.copy(this.camera.matrix);
    this.camera.matrixWorldInverse.copy(this.camera.matrix).invert();
    // as far as the set reaches round a subject of any size, and as near as depth can be told apart then
    const away = Math.max(schema.distances.nearest_m, Math.hypot(...[3, 7, 11].map((i, axis) => pose.camera[i] - lens.aim[axis])));
    const near = away / 200;
    const zoomed = lens.focal_mm / pose.focal_mm;
    const [w, h] = [lens.half_width * zoomed * near, lens.half_height * zoomed * near];
    const [across, up] = this.#bent(lens) ? [0, 0] : [2 * w * lens.shift[0], 2 * h * lens.shift[1]];
    const wide = this.#bent(lens) ? lens.widest : 1;
    this.camera.projectionMatrix.makePerspective(-w * wide + across, w * wide + across, h * wide + up, -h * wide + up, near, away * 250);
    this.camera.projectionMatrixInverse.copy(this.camera.projectionMatrix).invert();
    this.turning.rotation.y = (pose.disc_deg * Math.PI) / 180;
    for (const item of this.state?.items ?? []) this.#placeItem(item, pose, lens);
    this.light?.place(pose, lens, 0.7 * away * Math.hypot(lens.half_width, lens.half_height) * zoomed, this.#stands(pose));
    this.haze.place(pose, lens, away);
    this.draw();
  }

  /** Whether its rays are no plain projection. */
  #bent(lens) {
    return lens.bend !== 0;
  }

  #placeItem({ id, asset, matrix }, pose, { liquids, copies }) {
    const model = this.models.get(id);
    if (!model) return;
    model.lay(pose.placements?.[id] ?? matrix);
    model.carry(pose);
    model.bend(asset, pose.acting[id] ?? null, () => this.draw());
    const changed = () => {
      this.#dress(id);
      if (this.light) this.light.shape = ""; // what casts shadows is another
      document.dispatchEvent(new CustomEvent("copies-shown", { detail: { id, count: model.copies.count } }));
      this.draw();
    };
    model.fill(liquids[id] ?? null, changed);
    model.copies.show(copies[id] ?? null, model.group, changed);
  }

  /** How all that casts a shadow stands, told apart from how it stands otherwise. */
  #stands(pose) {
    return JSON.stringify([pose.disc_deg, Object.entries(pose.carried).filter(([who]) => who !== "camera"), pose.placements, pose.acting]);
  }

  /** Draw as things stand when it is its turn: one drawing at a time, what comes meanwhile is in the next. */
  draw() {
    this.stale = true;
    const { renderer } = this;
    if (!renderer || this.pending || this.busy) return;
    this.pending = requestAnimationFrame(() => {
      Object.assign(this, { pending: 0, stale: false });
      if (!this.pose) return;
      const { lens, pose } = this.pose;
      const newest = this.#newestProgram();
      this.outside.lines.visible = this.outside.on;
      for (const piece of this.pieces) piece.material.side = this.outside.on ? THREE.FrontSide : THREE.DoubleSide; // one sees through walls from behind
      if (this.outside.on) {
        const size = renderer.getSize(new THREE.Vector2());
        this.outside.place(pose, lens, this.state, size.x / size.y);
        renderer.render(this.scene, this.outside.camera);
      } else if (this.#bent(lens)) (this.bentLens ??= new BentLens(renderer)).draw(this.scene, this.camera, lens, lens.focal_mm / pose.focal_mm);
      else renderer.render(this.scene, this.camera);
      this.busy = true;
      const usual = newest === this.#newestProgram(); // making programs is slow on any machine
      whenDrawn(/** @type {WebGL2RenderingContext} */ (renderer.getContext()), (ms) => this.#drawn(usual ? ms : null));
    });
  }

  #newestProgram() {
    return this.renderer?.info.programs?.at(-1)?.id;
  }

  /** What was drawn is there, and took so long. @param {number|null} ms null: longer than it usually does */
  #drawn(ms) {
    this.busy = false;
    if (!this.pose) return;
    if (ms !== null && this.sparing.judge(ms)) {
      this.#fit();
      this.place(this.pose.pose, this.pose.lens);
    } else if (this.stale) this.draw();
  }

  dispose() {
    cancelAnimationFrame(this.pending);
    this.pose = null;
    this.state = null;
    this.store = null;
    /** Children of the set's group, wherever they stand. @type {any[]} */
    this.pieces = [];
    for (const model of this.models.values()) model.dispose();
    disposeGroup(this.set);
    this.bentLens?.dispose();
    this.light?.dispose();
    this.renderer?.dispose();
  }
}
