/** The project as the server last told it, and the one way to change it. */

import { get, post, say } from "./api.js";
import { HeldChanges } from "./held_changes.js";

export class ProjectStore {
  /**
   * @param {string} id
   * @param {Record<string, string>} affected what every place affects, by its path with * for the ids of items
   * @param {string[]} keyable those of them that can change during a shot
   */
  constructor(id, affected, keyable) {
    this.id = id;
    this.affected = affected;
    this.mayBeKeyed = new Set(keyable);
    /** Whether every change of a value that can be keyed is a key in the frame that is shown. */
    this.keying = false;
    /** The frame that is shown. */
    this.frame = 1;
    this.url = `/api/projects/${id}`;
    this.state = null;
    /** Fulfilled when the project is there: what is asked for before waits for it. */
    this.there = new Promise((resolve) => (this.arrived = resolve));
    this.held = new HeldChanges(() => this.load(), () => this.take(this.state));
    this.listeners = [];
    /** Called when a change is on its way. */
    this.onsend = () => {};
    this.previewing = false;
    this.nextPreview = null;
    this.previews = 0;
  }

  /** Call `listener(state)` whenever the project changed. */
  subscribe(listener) {
    this.listeners.push(listener);
  }

  /** What a place affects: camera, light, surface … @param {string} path */
  affects(path) {
    return this.affected[this.#pattern(path)];
  }

  /** Whether a value can change during a shot. @param {string} path */
  keyable(path) {
    return this.mayBeKeyed.has(this.#pattern(path));
  }

  /** The channel of a value in the open shot, if it is keyed. @param {string} path */
  channel(path) {
    return this.state.shot.keyed[this.full(path)] ?? null;
  }

  /** A path with * for the ids of items. */
  #pattern(path) {
    let known = "";
    for (const step of this.full(path).split("/")) {
      const here = known ? `${known}/${step}` : step;
      known = here in this.affected ? here : `${known}/*`;
    }
    return known;
  }

  /** Changes as they are made in the frame that is shown: a value that is keyed, or is to be, is keyed there. */
  inFrame(changes, frame = this.frame) {
    return changes.map((change) => {
      if (change.kind !== "set" || !(this.channel(change.path) || (this.keying && this.keyable(change.path)))) return change;
      return { kind: "key", path: change.path, frame, value: change.value };
    });
  }

  /** What a keyed value is in the frame that is shown. */
  #keyedValue({ values, numbers, kind }) {
    const { first, step, count } = this.state.shot;
    const i = Math.min(count - 1, Math.max(0, Math.round((this.frame - first) / step)));
    if (kind === "switch") return values[i] >= 0.5;
    return numbers === 1 ? Number(values[i].toPrecision(7)) : Array.from(values.subarray(i * numbers, (i + 1) * numbers));
  }

  take(state) {
    unpack(state.shot);
    for (const lane of state.lanes) lane.values = typeof lane.values === "string" ? floats(lane.values) : lane.values;
    for (const path of state.paths) path.line = typeof path.line === "string" ? floats(path.line) : path.line;
    this.state = state;
    for (const listener of this.listeners) listener(state);
    this.arrived();
  }

  async load() {
    this.take(await get(this.url));
  }

  /** Perform changes as one step; resolves to true when they were saved. */
  change(...asked) {
    return this.changeIn(this.frame, ...asked);
  }

  /** The same in the frame in which it was meant, which may not be shown any more. @param {number} frame */
  async changeIn(frame, ...asked) {
    await this.there;
    const changes = this.inFrame(asked, frame);
    return this.held.send(() => this.#send("changes", { changes }));
  }

  /**
   * Send any other request that changes the project, in its turn; resolves to true when it was saved.
   * @param {(version: number) => Promise<object>} ask makes the request for a version and gives the project after it
   */
  async edit(ask) {
    await this.there;
    return this.held.send(async () => {
      this.cancelPreview();
      this.onsend();
      this.take(await ask(this.state.version));
    });
  }

  /** Follow a job of this window that changes the project; its outcome, with the project as it is then. @template T @param {() => Promise<T>} work */
  during(work) {
    return this.held.during(async () => {
      const result = await work();
      if (result) await this.held.turns.take(() => this.load());
      return result;
    });
  }

  /** What is saved by then, after all changes that were made before. @template T @param {(version: number) => Promise<T>} ask */
  async whenSaved(ask) {
    await this.there;
    return this.held.turns.take(() => ask(this.state.version));
  }

  /**
   * Perform a change that puts something in a list, and tell its id; null when it was not saved.
   * @param {object} change
   * @param {() => {id: string}[]} list gives the list as it is
   */
  async added(change, list) {
    const before = new Set(list().map(({ id }) => id));
    if (!(await this.change(change))) return null;
    return list().findLast(({ id }) => !before.has(id))?.id ?? null; // another may have been added meanwhile
  }

  /** @param {number} frame in which it was meant, where the value is keyed */
  async set(path, value, frame = this.frame) {
    await this.there;
    return this.changeIn(frame, { kind: "set", path: this.full(path), value });
  }

  /** The document of the open shot, its camera, its look, and the item that is presented. */
  get shot() {
    const { project } = this.state;
    return project.shots.find((s) => s.id === project.shot_id);
  }

  get camera() {
    return this.state.project.cameras.find((c) => c.id === this.shot.camera_id);
  }

  get look() {
    return this.state.project.looks.find((l) => l.id === this.shot.look_id);
  }

  get subject() {
    return this.item(this.state.project.subject_id);
  }

  /** An item's document. @param {string|null} id */
  item(id) {
    return this.state.project.items.find((i) => i.id === id) ?? null;
  }

  /** What an item wears in the open shot: a colourway, one entry a part. */
  variant(item) {
    const { variant } = this.state.items.find((i) => i.id === item.id);
    return item.variants.find((v) => v.id === variant);
  }

  /** A path that begins with `shot`, `shot/move`, `camera`, `look`, `subject` or `subject/variant`, written out. */
  full(path) {
    const { open } = this.state;
    const heads = Object.keys(open).filter((head) => path === head || path.startsWith(`${head}/`));
    const longest = heads.reduce((one, other) => (other.length > one.length ? other : one), "");
    return longest ? open[longest] + path.slice(longest.length) : path;
  }

  undo() {
    return this.#step("undo");
  }

  redo() {
    return this.#step("redo");
  }

  #step(way) {
    return this.held.turns.take(async () => {
      try {
        await this.#send(way);
      } catch (error) {
        if (error.status === 409) return this.load();
        say(error.message);
        this.take(this.state);
      }
    });
  }

  /** Send an edit of the version that is shown and take what comes of it. */
  async #send(way, more = {}) {
    this.cancelPreview();
    this.onsend();
    this.take(await post(`${this.url}/${way}`, { base_version: this.state.version, ...more }));
  }



  /** One frame's pose as it would be after changes; only the newest request is answered. */
  preview(changes, frame, draw) {
    this.nextPreview = { changes: this.inFrame(changes), frame, draw };
    if (!this.previewing) this.#previewNext();
  }

  /** What is under way is not drawn any more. */
  cancelPreview() {
    this.nextPreview = null;
    this.previews += 1;
  }

  async #previewNext() {
    this.previewing = true;
    while (this.nextPreview) {
      const { changes, frame, draw } = this.nextPreview;
      const { previews } = this;
      this.nextPreview = null;
      try {
        const pose = await post(`${this.url}/preview`, { changes, frame });
        if (previews === this.previews) draw(pose);
      } catch (error) {
        if (error.status !== 422) say(error.message);
      }
    }
    this.previewing = false;
  }

  /** Path of the chosen light, item or material for a short one like `look/lights/{light}/tint`. */
  resolve(path, chosen) {
    return this.full(path)
      .replace("{item}", chosen.item ?? "")
      .replace("{light}", chosen.light ?? "")
      .replace("{material}", chosen.material ?? "")
      .replace("{slot}", chosen.slot ?? "")
      .replace("{layer}", chosen.layer ?? "")
      .replace("{decal}", chosen.decal ?? "")
      .replace("{segment}", chosen.segment ?? "")
      .replace("{piece}", chosen.piece ?? "")
      .replace("{row}", chosen.row ?? "");
  }

  /** The value at a path, in the frame that is shown where it is keyed; items of lists by id. */
  value(path) {
    const channel = this.channel(path);
    if (channel) return this.#keyedValue(channel);
    let place = this.state.project;
    for (const step of this.full(path).split("/")) {
      place = Array.isArray(place) ? place.find((item) => item.id === step) : place?.[step];
      if (place === undefined) return undefined;
    }
    return place;
  }
}

/** Numbers from base64 of float32. */
export function floats(text) {
  return new Float32Array(Uint8Array.from(atob(text), (c) => c.charCodeAt(0)).buffer);
}

/** What there is for every frame, as numbers. */
function unpack(shot) {
  const numbers = floats;
  for (const name of ["cameras", "disc_deg", "lights_deg", "focal_mm"]) if (typeof shot[name] === "string") shot[name] = numbers(shot[name]);
  for (const [id, text] of Object.entries(shot.carried)) if (typeof text === "string") shot.carried[id] = numbers(text);
  for (const channel of Object.values(shot.keyed)) if (typeof channel.values === "string") channel.values = numbers(channel.values);
}
