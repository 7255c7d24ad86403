/** Which frame is shown, and playing the move in real time. */

export class Clock {
  /** @param {import("./project.js").ProjectStore} store */
  constructor(store) {
    this.store = store;
    this.frame = null;
    this.playing = false;
    this.listeners = [];
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
    this.store.frame = this.frame;
  }

  /** The pose the server computed for the current frame, or in a long move for the nearest that it computed. */
  pose(frame = this.frame) {
    const { first, step, count, cameras, disc_deg, lights_deg, focal_mm, animation_s, carried } = this.store.state.shot;
    const i = Math.min(count - 1, Math.round((frame - first) / step));
    const rows = (all) => Array.from(all.subarray(12 * i, 12 * i + 12));
    const each = (all, pick) => Object.fromEntries(Object.entries(all).map(([id, values]) => [id, pick(values)]));
    return {
      camera: rows(cameras), disc_deg: disc_deg[i], lights_deg: lights_deg[i], focal_mm: focal_mm[i],
      animation_s: each(animation_s, (values) => values[i]), carried: each(carried, rows),
    };
  }

  toggle() {
    this.playing = !this.playing;
    if (this.playing) this.#play();
    for (const listener of this.listeners) listener(this.frame);
  }

  #play() {
    const start = { time: performance.now(), frame: this.frame };
    const tick = (now) => {
      if (!this.playing) return;
      const { rate } = this.store.state.shot;
      const frame = start.frame + Math.floor(((now - start.time) / 1000) * (rate[0] / rate[1]));
      if (frame !== this.last) this.go(frame);
      this.last = frame;
      requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
  }
}
