/** The proof of the open shot: asked for, followed, and shown in the lens while frames go by. */

import { byId } from "../shared/dom.js";
import { ended, get, post, remove, say } from "../shared/api.js";

/** A frame of the proof stands for others no farther away than this share of the move, while not all are there. */
const NEAR = 1 / 12;

export class Proof {
  /**
   * @param {import("./project.js").ProjectStore} store
   * @param {import("./clock.js").Clock} clock
   */
  constructor(store, clock) {
    this.store = store;
    this.clock = clock;
    this.job = null;
    this.pictures = new Map();
    this.key = null;
    this.numbers = [];
    this.whole = false;
    this.image = byId("proof-frame");
    byId("proof-all").addEventListener("click", () => this.#askAll());
    byId("proof").addEventListener("click", () => (this.job ? this.#stop() : this.#ask()));
  }

  /** The project changed: what is shown is the proof of the shot as it stands, or none. */
  show({ proof }) {
    if (proof.key !== this.key) this.pictures.clear();
    Object.assign(this, { key: proof.key, numbers: proof.numbers, whole: proof.whole });
    byId("proof-all").hidden = this.store.state.project.shots.length < 2;
    this.#preload();
    this.#tell();
    this.place(false);
  }

  /** Put the nearest frame of the proof over the stand-in, or nothing. @param {boolean} on whether frames go by */
  place(on) {
    const picture = on ? this.#nearest() : null;
    this.image.hidden = !picture;
    if (picture && this.image.src !== picture.src) this.image.src = picture.src;
  }

  #url(rest) {
    return `${this.store.url}/proof${rest}`;
  }

  #preload() {
    for (const n of this.numbers)
      if (!this.pictures.has(n)) this.pictures.set(n, Object.assign(new Image(), { src: this.#url(`/${this.key}/frames/${n}`) }));
  }

  #nearest() {
    const { frame } = this.clock;
    let best = null;
    for (const [n, picture] of this.pictures)
      if (picture.complete && picture.naturalWidth && (best === null || Math.abs(n - frame) < Math.abs(best - frame))) best = n;
    return best !== null && Math.abs(best - frame) <= Math.max(1, this.store.state.shot.frames * NEAR) ? this.pictures.get(best) : null;
  }

  async #ask() {
    try {
      this.job = await post(this.#url(""));
      const asked = this.job.id;
      this.#tell();
      let shown = 0;
      const job = await ended(this.job, (now) => {
        this.job = now;
        this.#tell();
        if (now.share - shown > 0.02) {
          shown = now.share;
          this.#refresh();
        }
      });
      if (job.state === "failed") say(job.message, 12);
      if (asked === this.job?.id) this.job = null;
      await this.store.load();
    } catch (error) {
      this.job = null;
      say(error.message);
    }
    this.#tell();
  }

  /** Have every shot proofed that is not; that of the open one is followed. */
  async #askAll() {
    try {
      const jobs = await post(this.#url("/all"));
      say(jobs.length ? `${jobs.length === 1 ? "One shot is" : `${jobs.length} shots are`} being proofed; their tabs show when they are.` : "Every shot is proofed as it stands.");
      if (jobs.length && !this.whole && !this.job) this.#ask();
      for (const job of jobs) ended(job, () => {}).then(() => this.store.load(), () => {}); // its own tab tells
    } catch (error) {
      say(error.message);
    }
  }

  async #refresh() {
    const proof = await get(this.#url(""));
    if (proof.key !== this.key) return;
    Object.assign(this, { numbers: proof.numbers, whole: proof.whole });
    this.#preload();
  }

  async #stop() {
    await remove(`/api/jobs/${this.job.id}`).catch((error) => say(error.message));
  }

  #tell() {
    const button = byId("proof");
    const { job } = this;
    button.textContent = job ? `Proofing ${Math.floor(job.share * 100)} % · stop` : this.whole ? "Proofed" : "Proof";
    button.title = job ? `${job.what}. Press to stop; what is made stays.` : this.whole ? "Play shows the proof" : "Small quick frames of the whole move: play shows them, light is metered, a contact sheet is made";
    button.setAttribute("aria-pressed", Boolean(job));
    for (const [id, file] of [["proof-sheet", "sheet.png"], ["proof-clip", "clip.mp4"]]) {
      const link = byId(id);
      link.hidden = !this.whole || Boolean(job);
      link.href = this.#url(`/${this.key}/${file}`);
    }
  }
}
