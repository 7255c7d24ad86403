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
    const { first, frames } = this.store.state.move;
    this.frame = first + ((((Math.round(frame) - first) % frames) + frames) % frames);
    for (const listener of this.listeners) listener(this.frame);
  }

  /** Keep the frame inside the move after it changed. */
  settle() {
    const { first, frames } = this.store.state.move;
    if (this.frame === null) this.frame = first;
    this.frame = Math.min(Math.max(this.frame, first), first + frames - 1);
  }

  /** The pose the server computed for the current frame. */
  pose(frame = this.frame) {
    const { first, cameras, subject_deg, lights_deg, animation_s } = this.store.state.move;
    const i = frame - first;
    return { camera: cameras[i], subject_deg: subject_deg[i], lights_deg: lights_deg[i], animation_s: animation_s[i] };
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
      const { rate } = this.store.state.move;
      const frame = start.frame + Math.floor(((now - start.time) / 1000) * (rate[0] / rate[1]));
      if (frame !== this.last) this.go(frame);
      this.last = frame;
      requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
  }
}
