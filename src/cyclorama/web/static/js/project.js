/** The project as the server last told it, and the one way to change it. */

import { get, post, say, ServerError } from "./api.js";

export class ProjectStore {
  /**
   * @param {string} id
   * @param {Record<string, string>} affected what every place affects, by its path with * for the ids of items
   */
  constructor(id, affected) {
    this.id = id;
    this.affected = affected;
    this.url = `/api/projects/${id}`;
    this.state = null;
    /** Changes that are not saved because the project was changed in another window, in the order they were made. */
    this.held = [];
    this.listeners = [];
    this.staleListeners = [];
    /** Called when a change is on its way. */
    this.onsend = () => {};
    this.queue = Promise.resolve();
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
    let known = "";
    for (const step of path.split("/")) {
      const here = known ? `${known}/${step}` : step;
      known = here in this.affected ? here : `${known}/*`;
    }
    return this.affected[known];
  }

  take(state) {
    this.state = state;
    for (const listener of this.listeners) listener(state);
  }

  async load() {
    this.take(await get(this.url));
  }

  /** Perform changes as one step; resolves to true when they were saved. */
  change(...changes) {
    return this.#serially(async () => {
      if (this.held.length) return this.#hold(changes); // it would be refused as well, and must not overtake
      try {
        await this.#send("changes", { changes });
        return true;
      } catch (error) {
        return this.#refused(error, changes);
      }
    });
  }

  set(path, value) {
    return this.change({ kind: "set", path, value });
  }

  undo() {
    return this.#step("undo");
  }

  redo() {
    return this.#step("redo");
  }

  #step(way) {
    return this.#serially(async () => {
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

  #serially(work) {
    const result = this.queue.then(work);
    this.queue = result.catch(() => {});
    return result;
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
    return this.#serially(async () => {
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
    this.nextPreview = { changes, frame, draw };
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

  /** Path of the current camera, light or material for a short one like `camera/focal_mm`. */
  resolve(path, chosen) {
    return path
      .replace(/^camera\//, `cameras/${this.state.project.camera_id}/`)
      .replace("{light}", chosen.light ?? "")
      .replace("{material}", chosen.material ?? "")
      .replace("{slot}", chosen.slot ?? "");
  }

  /** The value at a path of the document; items of lists by id. */
  value(path) {
    let place = this.state.project;
    for (const step of path.split("/")) {
      place = Array.isArray(place) ? place.find((item) => item.id === step) : place?.[step];
      if (place === undefined) return undefined;
    }
    return place;
  }
}
