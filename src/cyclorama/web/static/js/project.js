/** The project as the server last told it, and the one way to change it. */

import { get, post, say, ServerError } from "./api.js";
import { Turns } from "./latest.js";

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
    /** Changes that are not saved because the project was changed in another window, in the order they were made. */
    this.held = [];
    this.listeners = [];
    this.staleListeners = [];
    /** Called when a change is on its way. */
    this.onsend = () => {};
    this.turns = new Turns();
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
  inFrame(changes) {
    return changes.map((change) => {
      if (change.kind !== "set" || !(this.channel(change.path) || (this.keying && this.keyable(change.path)))) return change;
      return { kind: "key", path: change.path, frame: this.frame, value: change.value };
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
  async change(...asked) {
    await this.there;
    const changes = this.inFrame(asked);
    return this.turns.take(async () => {
      if (this.held.length) return this.#hold(changes); // it would be refused as well, and must not overtake
      try {
        await this.#send("changes", { changes });
        return true;
      } catch (error) {
        return this.#refused(error, changes);
      }
    });
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

  async set(path, value) {
    await this.there;
    return this.change({ kind: "set", path: this.full(path), value });
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
    const [head, ...rest] = path.split("/");
    const { shot, subject } = this;
    const lists = { shot: ["shots", shot.id], camera: ["cameras", shot.camera_id], look: ["looks", shot.look_id], subject: ["items", subject?.id ?? ""] };
    if (!(head in lists)) return path;
    if (head === "subject" && rest[0] === "variant" && subject) rest.splice(0, 1, "variants", this.variant(subject).id);
    const row = shot.rows.find(({ id }) => id === "camera" || id === "disc");
    if (head === "shot" && rest[0] === "move" && row) rest.splice(0, 1, "rows", row.id, "segments", row.segments[0].id);
    return [...lists[head], ...rest].join("/");
  }

  undo() {
    return this.#step("undo");
  }

  redo() {
    return this.#step("redo");
  }

  #step(way) {
    return this.turns.take(async () => {
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

  async #refused(error, changes) {
    if (!(error instanceof ServerError)) throw error;
    if (error.status === 409) return this.#hold(changes);
    say(error.message);
    this.take(this.state);
    return false;
  }

  /** Keep a change that cannot be saved now. */
  #hold(changes) {
    this.held.push(changes);
    for (const listener of this.staleListeners) listener(this.held.length);
    return false;
  }

  /** After a stale change: show what is saved, and apply the held changes again, one after the other, if `again`. */
  settle(again) {
    return this.turns.take(async () => {
      const waiting = again ? this.held : [];
      this.held = [];
      await this.load();
      while (waiting.length) {
        const changes = waiting[0];
        try {
          await this.#send("changes", { changes });
        } catch (error) {
          if (error.status === 409) {
            this.held = waiting;
            for (const listener of this.staleListeners) listener(waiting.length);
            return;
          }
          say(error.message);
          this.take(this.state);
        }
        waiting.shift();
      }
    });
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
