/** The project: its state, its changes, its values with those that are on their way. */

import { post, say, upload } from "../shared/api.js";
import { setsOf } from "../shared/changes.js";
import { DocumentStore } from "../shared/document_store.js";
import { withId } from "../shared/lists.js";
import { PICTURES, pickFiles } from "../shared/files.js";
import { floats } from "../shared/floats.js";

/**
 * What the cards are about: ids of a light, a material and its map, and so on.
 * @typedef {Record<"light"|"material"|"slot"|"layer"|"decal"|"item"|"row"|"segment"|"piece", string|null>} Chosen
 */

/**
 * The project's state with its numbers unpacked.
 * @typedef {Omit<Api["KeyedState"], "values"> & {values: Float32Array}} ShownChannel
 * @typedef {Omit<Api["ShotState"], "cameras"|"disc_deg"|"lights_deg"|"focal_mm"|"carried"|"keyed"> & {cameras: Float32Array,
 *   disc_deg: Float32Array, lights_deg: Float32Array, focal_mm: Float32Array, carried: Record<string, Float32Array>,
 *   keyed: Record<string, ShownChannel>}} ShownShot
 * @typedef {Omit<Api["LaneState"], "values"> & {values: Float32Array}} ShownLane
 * @typedef {Omit<Api["DrawnPath"], "line"> & {line: Float32Array}} ShownPath
 * @typedef {Omit<Api["ProjectState"], "shot"|"lanes"|"paths"> & {shot: ShownShot, lanes: ShownLane[], paths: ShownPath[]}} ShownProject
 */

/** @extends {DocumentStore<ShownProject>} */
export class ProjectStore extends DocumentStore {
  /** Changes on their way, the last first. @type {object[][]} */
  #asked = [];

  /**
   * @param {string} id
   * @param {Record<string, string>} affected what every place affects, by its path with * for the ids of items
   * @param {string[]} keyable those of them that can change during a shot
   */
  constructor(id, affected, keyable) {
    super(`/api/projects/${id}`, `projects/${id}/changes`);
    this.id = id;
    this.affected = affected;
    this.mayBeKeyed = new Set(keyable);
    /** Whether every change of a value that can be keyed is a key in the frame that is shown. */
    this.keying = false;
    /** The frame that is shown. */
    this.frame = 1;
    /** Called when values are shown that are not saved yet. */
    this.onasked = () => {};
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
    return super.take({
      ...state,
      shot: unpacked(state.shot),
      lanes: state.lanes.map((lane) => ({ ...lane, values: numbers(lane.values) })),
      paths: state.paths.map((path) => ({ ...path, line: numbers(path.line) })),
    });
  }

  /** Perform changes as one step; resolves to true when they were saved. */
  change(...asked) {
    return this.changeIn(this.frame, ...asked);
  }

  /** The same in the frame in which it was meant, which may not be shown any more. @param {number} frame */
  async changeIn(frame, ...asked) {
    await this.there;
    const changes = this.inFrame(asked, frame);
    const before = this.#keysBefore(changes, frame);
    this.#asked.unshift(changes);
    this.onasked();
    const answered = () => (this.#asked = this.#asked.filter((one) => one !== changes));
    const saved = await this.edit((version) => post(`${this.url}/changes`, { base_version: version, changes }).finally(answered));
    if (this.#asked.includes(changes)) {
      answered(); // it waits for somebody to decide
      this.onasked();
    }
    if (saved && before.length) this.#offer(before);
    return saved;
  }

  /** Keys that keep, at the beginning, the values which are changed and keyed for the first time in a later frame. */
  #keysBefore(changes, frame) {
    const { first } = this.state.shot;
    const begun = frame > first ? changes.filter(({ kind, path, value }) => kind === "key" && value !== undefined && !this.channel(path)) : [];
    return begun.map(({ path }) => ({ kind: "key", path, frame: first, value: this.#saved(this.full(path)) })).filter(({ value }) => value !== null);
  }

  /** Without them the whole shot has the new values. */
  #offer(keys) {
    const which = keys.length === 1 ? "This value is" : "These values are";
    say(`${which} keyed for the first time: the whole shot has it now.`, 20, { title: `Keep frame ${keys[0].frame} as it was`, run: () => this.changeIn(this.frame, ...keys) });
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
    return withId(project.shots, project.shot_id);
  }

  get camera() {
    return withId(this.state.project.cameras, this.shot.camera_id);
  }

  get look() {
    return withId(this.state.project.looks, this.shot.look_id);
  }

  get subject() {
    return this.item(this.state.project.subject_id);
  }

  /** An item's document. @param {string|null|undefined} id */
  item(id) {
    return this.state.project.items.find((i) => i.id === id) ?? null;
  }

  /** What an item wears in the open shot: a colourway, one entry a part. @param {Api["Item"]} item */
  variant(item) {
    return withId(item.variants, withId(this.state.items, item.id).variant);
  }

  /** A path that begins with `shot`, `shot/move`, `camera`, `look`, `subject` or `subject/variant`, written out. */
  full(path) {
    const { open } = this.state;
    const heads = Object.keys(open).filter((head) => path === head || path.startsWith(`${head}/`));
    const longest = heads.reduce((one, other) => (other.length > one.length ? other : one), "");
    return longest ? open[longest] + path.slice(longest.length) : path;
  }

  /** Several values below one place as one step, leaving its other values as they are by then. @param {string} at */
  setAll(at, values) {
    return this.change(...setsOf(this.full(at), values));
  }

  /** Pictures that are chosen now and kept with the project; none when there are none, or the server refuses them. */
  async choosePictures(several = false) {
    const files = await pickFiles(PICTURES, several);
    if (!files.length) return [];
    try {
      return await upload(`${this.url}/pictures`, files);
    } catch (error) {
      say(error.message, 10);
      return [];
    }
  }

  /** @param {"undo"|"redo"} way */
  back(way) {
    return this.step((version) => post(`${this.url}/${way}`, { base_version: version }));
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

  /** The value at a path, in the frame that is shown where it is keyed, also while it is on its way; items of lists by id. */
  value(path) {
    const asked = this.#onItsWay(this.full(path));
    return asked ? asked.value : this.#saved(path);
  }

  /** The last value that was asked for at a path, or at one that holds it, and is not saved yet. */
  #onItsWay(path) {
    for (const changes of this.#asked)
      for (const change of changes.toReversed()) {
        const here = change.kind === "set" || (change.kind === "key" && change.frame === this.frame);
        if (here && change.path === path) return change;
        if (here && path.startsWith(`${change.path}/`)) return { value: within(change.value, path.slice(change.path.length + 1)) };
      }
    return null;
  }

  #saved(path) {
    const channel = this.channel(path);
    if (channel) return this.#keyedValue(channel);
    return within(this.state.project, this.full(path));
  }
}

/** What a document holds at a path; items of lists by id. */
function within(place, path) {
  for (const step of path.split("/")) {
    place = Array.isArray(place) ? place.find((item) => item.id === step) : place?.[step];
    if (place === undefined) return undefined;
  }
  return place;
}

/** Numbers as they are told; they are numbers already where a state is shown again. */
const numbers = (told) => (typeof told === "string" ? floats(told) : told);

/** What there is for every frame, as numbers. */
function unpacked(shot) {
  const each = (things, change) => Object.fromEntries(Object.entries(things).map(([id, thing]) => [id, change(thing)]));
  return {
    ...shot,
    ...each({ cameras: shot.cameras, disc_deg: shot.disc_deg, lights_deg: shot.lights_deg, focal_mm: shot.focal_mm }, numbers),
    carried: each(shot.carried, numbers),
    keyed: each(shot.keyed, (channel) => ({ ...channel, values: numbers(channel.values) })),
  };
}
