/** Which frame is shown, and playing the move in real time. */

import { turned } from "../shared/player.js";

export class Clock {
  /** @param {import("./project.js").ProjectStore} store */
  constructor(store) {
    this.store = store;
    this.frame = null;
    this.playing = false;
    this.listeners = [];
    /** First and last frame that are played, or nothing for all. */
    this.range = null;
    this.toAndFro = false;
  }

  subscribe(listener) {
    this.listeners.push(listener);
  }

  /** Go to a frame; a loop goes on at its other end. */
  go(frame) {
    const { first, frames } = this.store.state.shot;
    this.frame = first + ((((Math.round(frame) - first) % frames) + frames) % frames);
    this.store.frame = this.frame;
    for (const listener of this.listeners) listener(this.frame);
  }

  /** Keep the frame inside the move after it changed. */
  settle() {
    const { first, frames } = this.store.state.shot;
    if (this.frame === null) this.frame = first;
    this.frame = Math.min(Math.max(this.frame, first), first + frames - 1);
    if (this.range && (this.range[0] < first || this.range[1] > first + frames - 1)) this.range = null;
    this.store.frame = this.frame;
  }

  /** The pose the server computed for the current frame, or in a long move for the nearest that it computed. */
  pose(frame = this.frame) {
    const { first, step, count, cameras, disc_deg, lights_deg, focal_mm, acting, carried } = this.store.state.shot;
    const i = Math.min(count - 1, Math.round((frame - first) / step));
    const rows = (all) => Array.from(all.subarray(12 * i, 12 * i + 12));
    const each = (all, pick) => Object.fromEntries(Object.entries(all).map(([id, values]) => [id, pick(values)]));
    return {
      camera: rows(cameras), disc_deg: disc_deg[i], lights_deg: lights_deg[i], focal_mm: focal_mm[i],
      acting: each(acting, (said) => said[i]), carried: each(carried, rows),
    };
  }

  toggle() {
    this.playing = !this.playing;
    if (this.playing) this.#play();
    for (const listener of this.listeners) listener(this.frame);
  }

  /** Begin or end the range that is played with the frame that is shown; the same once more takes it back. */
  mark(end) {
    const { first, frames } = this.store.state.shot;
    const [from, to] = this.range ?? [first, first + frames - 1];
    const range = end ? [Math.min(from, this.frame), this.frame] : [this.frame, Math.max(to, this.frame)];
    const same = this.range && range[0] === this.range[0] && range[1] === this.range[1];
    this.range = same || (range[0] === first && range[1] === first + frames - 1) ? null : range;
    for (const listener of this.listeners) listener(this.frame);
  }

  /** So many frames after a frame, within what is played: round, or to and fro. */
  #after(frame, count) {
    const { first, frames } = this.store.state.shot;
    const [from, to] = this.range ?? [first, first + frames - 1];
    const length = to - from + 1;
    const at = Math.min(Math.max(frame, from), to) - from;
    return from + turned(at + count, length, this.toAndFro);
  }

  #play() {
    const start = { time: performance.now(), frame: this.frame };
    const tick = (now) => {
      if (!this.playing) return;
      const { rate } = this.store.state.shot;
      const frame = this.#after(start.frame, Math.floor(((now - start.time) / 1000) * (rate[0] / rate[1])));
      if (frame !== this.last) this.go(frame);
      this.last = frame;
      requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
  }
}
