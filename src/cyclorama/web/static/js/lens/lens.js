/** The lens: stand-in while things are handled, developing picture when they rest, and handling the camera in it. */

import { schema } from "../shared/schema.js";
import { LensChannel } from "./channel.js";
import { Guides } from "./guides.js";
import { bindGestures } from "./gestures.js";
import { StandIn } from "./standin.js";

/** A picture that stands still for so long while another is wanted is marked as that before the last change. */
const OLDER_MS = 600;
const LONG_SIDE = 640;
const NO_STANDIN = "rendered pictures only: WebGL 2 is off in this browser";
const box = (element) => element.getBoundingClientRect();

export class Lens {
  /**
   * @param {import("../studio/project.js").ProjectStore} store
   * @param {import("../studio/clock.js").Clock} clock
   */
  constructor(store, clock) {
    this.store = store;
    this.clock = clock;
    this.mat = document.getElementById("mat");
    this.frame = document.getElementById("frame");
    this.picture = document.getElementById("picture");
    this.context = this.picture.getContext("2d");
    this.guides = new Guides(document.getElementById("guides"));
    this.status = document.getElementById("lens-state");
    this.progress = document.getElementById("lens-progress");
    this.prompt = document.getElementById("lens-prompt");
    this.facts = document.getElementById("lens-facts");
    this.exposure = document.getElementById("exposure-open");
    this.burnt = document.getElementById("exposure-burnt");
    this.standin = new StandIn(document.getElementById("standin"));
    /** Number of the last request, of the last for a picture, and of the first whose pictures are still of use. */
    this.count = this.request = this.since = 0;
    /** Called with a pose that is not saved yet, when handling ended without a change, and by gestures in the picture. */
    this.onpreview = (pose) => {};
    this.onsettle = () => {};
    this.onclick = (e) => {};
    this.onrectangle = (from, to) => {};
    this.ongrip = (grip) => {};
    /** Whether a picture is wanted, and whether it is one of what a hand drags. */
    this.wanted = this.trying = false;
    /** Runs while the picture is of something older than what is wanted. @type {ReturnType<typeof setTimeout>|null} */
    this.aging = null;
    this.preparing = false;
    /** What was said while the renderer was being prepared. */
    this.prepared = null;
    this.observer = new ResizeObserver(() => this.layout());
    this.observer.observe(this.mat);
    document.addEventListener("visibilitychange", () => this.store.state && (document.hidden ? this.pause() : this.develop())); // nobody sees it
    this.channel = new LensChannel(store.id, {
      opened: () => this.wanted && this.develop(),
      closed: () => (this.status.textContent = "Cyclorama does not answer; trying again …"),
      told: (message) => this.#told(message), developed: (data) => this.#developed(data), number: (step) => this.#number(step.picture),
    });
    bindGestures(this);
  }

  dispose() {
    this.observer.disconnect();
    clearTimeout(this.timer);
    this.channel.dispose();
    this.standin.dispose();
  }

  #told(message) {
    if (message.progress) return this.#progressed(message.progress);
    if (message.preparing !== undefined) this.preparing = message.preparing;
    this.status.textContent = message.preparing
      ? (this.prepared = message.sentence)
      : (message.error ?? (this.status.textContent === this.prepared ? "" : this.status.textContent));
  }

  #progressed({ request, share, of, left }) {
    if (request !== this.request) return;
    this.status.textContent = `developing, ${Math.floor(share * of)} of ${of}, ${left} left`;
    this.#line(share);
  }

  /** The hairline under the picture: how far it has developed, nothing when it is done or not begun. */
  #line(share) {
    this.progress.style.width = `${100 * share}%`;
    this.progress.hidden = share <= 0 || share >= 1;
  }

  async #developed(buffer) {
    const size = new DataView(buffer).getUint32(0, true);
    const header = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, size)));
    if (header.request < this.since) return;
    const bitmap = await createImageBitmap(new Blob([new Uint8Array(buffer, 4 + size)], { type: "image/jpeg" }));
    if (header.request < this.since) return bitmap.close();
    this.picture.width = bitmap.width;
    this.picture.height = bitmap.height;
    this.context.drawImage(bitmap, 0, 0);
    bitmap.close();
    this.picture.style.opacity = 1;
    this.#fresh();
    if (header.request === this.request) this.picture.dataset.samples = header.samples;
    else this.#age(); // the hand went on
    this.picture.dataset.ms = header.ms;
    const { samples, of, burnt } = header;
    this.burnt.hidden = !burnt;
    this.burnt.textContent = `${Math.round(100 * burnt)} % burnt`;
    this.status.textContent = samples >= of ? "developed" : samples ? `developing, ${samples} of ${of}` : "developing";
    this.#line(samples / of);
  }

  /** Whether there is a stand-in. */
  get draws() {
    return Boolean(this.standin.renderer);
  }

  /** Look from outside, or through the camera again. @returns {boolean} whether it is from outside */
  walkOut() {
    const { outside } = this.standin;
    outside.on = !outside.on;
    this.mat.classList.toggle("outside", outside.on);
    this.handle();
    this.standin.draw();
    if (!outside.on) this.develop();
    return outside.on;
  }

  /** Ask for the developed picture of the current frame, once nothing has happened for a moment. */
  develop(wait = 0) {
    if (this.standin.outside.on) return;
    this.#forget(true);
    this.timer = setTimeout(() => this.#ask(), wait);
  }

  /**
   * Show the picture as it would be after changes that are not saved yet. Pictures of steps come as fast as they can be made.
   * @param {object[]} changes @param {((pose: any) => void)|null} draw told the pose they lead to, where it is wanted
   */
  attempt(changes, draw = null) {
    const pictured = !this.preparing && !this.clock.playing && !this.standin.outside.on;
    if (pictured && !this.trying) {
      this.#forget(true);
      this.trying = true;
    }
    if (pictured || draw) this.channel.follow({ changes: this.store.inFrame(changes), frame: this.clock.frame, picture: pictured ? this.#size() : null, draw });
  }

  /** Tell the pose of the frame that is shown as it would be after changes. @param {(pose: any) => void} draw */
  pose(changes, draw) {
    this.channel.follow({ changes: this.store.inFrame(changes), frame: this.clock.frame, picture: null, draw });
  }

  /** Poses on their way are not drawn any more. */
  forgetPoses() {
    this.channel.forgetPoses();
  }

  /** Whatever was asked for before is of no use any more; `wanted`: something else is. */
  #forget(wanted) {
    clearTimeout(this.aging ?? undefined);
    this.aging = null;
    this.since = this.#number(true);
    this.wanted = wanted;
    this.trying = false;
    clearTimeout(this.timer);
  }

  /** The number of a request that is made now. @param {any} picture whether it is for a picture */
  #number(picture) {
    this.count += 1;
    if (picture) {
      this.request = this.count;
      this.picture.dataset.samples = 0; // of what is wanted now, nothing is there yet
      this.#age();
    }
    return this.count;
  }

  /** From now on the picture is of something older than what is wanted. */
  #age() {
    this.aging ??= setTimeout(() => this.frame.classList.toggle("older", this.picture.style.opacity === "1"), OLDER_MS);
  }

  #fresh() {
    clearTimeout(this.aging ?? undefined);
    this.aging = null;
    this.frame.classList.remove("older");
  }

  /** Size of a developed picture, px. @returns {[number, number]} */
  #size() {
    const { width, height } = this.store.shot.shoot;
    const scale = LONG_SIDE / Math.max(width, height);
    return [Math.round(width * scale), Math.round(height * scale)];
  }

  #ask() {
    if (this.clock.playing) return;
    const [width, height] = this.#size();
    const asked = this.channel.send({ develop: { request: this.request, frame: this.clock.frame, width, height } });
    if (!asked || this.preparing) return;
    this.status.textContent = "developing";
    this.#line(0);
  }

  /** Show the stand-in: something is being handled. */
  handle() {
    this.pause();
    if (this.draws) {
      this.picture.style.opacity = 0;
      this.#fresh();
    }
    this.#line(0);
    this.status.textContent = this.preparing ? this.status.textContent : "";
  }

  /** Stop developing and leave the picture as it is: another will be wanted in a moment. */
  pause() {
    if (this.wanted) this.channel.send({});
    this.#forget(false);
  }

  /** The project changed. */
  async show(state) {
    this.held = null;
    this.layout();
    await this.standin.show(state, this.store);
    this.place();
    this.#showGuides();
  }

  /** Guide lines, with formats where they are in the frame that is shown. */
  #showGuides() {
    const { shoot, formats } = this.store.shot;
    const at = (id, name) => this.store.value(`shot/formats/${id}/${name}`);
    this.guides.show({ ...shoot, crops: this.store.state.crops, formats: formats.map((f) => ({ ...f, across: at(f.id, "across"), up: at(f.id, "up") })) });
  }

  /** Draw the stand-in at the clock's frame. */
  place() {
    const pose = this.clock.pose(), lens = this.held ?? this.store.state.lens;
    this.standin.place(pose, lens);
    const { width, height } = this.store.shot.shoot;
    const facts = `${Number(pose.focal_mm.toFixed(1))} mm · ${width}×${height}${this.draws ? "" : ` · ${NO_STANDIN}`}`;
    if (this.facts.textContent !== facts) this.facts.textContent = facts;
    this.exposure.textContent = `EV ${lens.ev100.toFixed(1)}`;
    if (this.store.shot.formats.length) this.#showGuides();
  }

  /** What keyed lights and so on are in the frame that is shown, once that is known. */
  hold(lens) {
    this.held = lens;
    if (lens) this.place();
  }

  /** Draw the stand-in in a pose that is not saved yet. */
  preview(pose) {
    if (this.draws) this.picture.style.opacity = 0;
    this.standin.place(pose, pose.lens);
  }

  /** Show changes that a hand makes here: in the stand-in, or rendered where there is none. @param {() => boolean} held */
  follow(changes, held) {
    const draw = (pose) => held() && this.onpreview(pose);
    if (this.draws) this.pose(changes, draw);
    else this.attempt(changes, draw);
  }

  layout() {
    if (!this.store.state) return;
    const { width, height } = this.store.shot.shoot;
    const pad = 16;
    const scale = Math.min((this.mat.clientWidth - 2 * pad) / width, (this.mat.clientHeight - 2 * pad) / height);
    const w = Math.max(1, Math.floor(width * scale));
    const h = Math.max(1, Math.floor(height * scale));
    Object.assign(this.frame.style, {
      width: `${w}px`, height: `${h}px`, left: `${(this.mat.clientWidth - w) / 2}px`, top: `${(this.mat.clientHeight - h) / 2}px`,
    });
    this.standin.resize(w, h);
  }

  /**
   * The next click in the picture answers what was asked; Escape forgets it.
   * @param {string} prompt
   * @param {(answer: any) => void} then told {frame, x, y}, shares of the picture from the top left
   * @param {((place: object) => void)|null} tryOn called while the pointer is dragged there, where dragging means something
   */
  pick(prompt, then, tryOn = null) {
    this.picking = then;
    this.tryOn = tryOn;
    this.parts = false;
    this.mat.classList.add("picking");
    this.prompt.textContent = `${prompt} Esc stops.`;
    this.prompt.hidden = false;
    this.mat.focus();
  }

  /**
   * The next thing that is dragged out in the picture is a part of it.
   * @param {string} prompt @param {(part: {left: number, top: number, right: number, bottom: number}) => void} then in shares of the picture
   */
  pickPart(prompt, then) {
    this.pick(prompt, then);
    this.parts = true;
  }

  /** Answer what was asked. @param {object} answer a place or a part of the picture */
  answer(answer) {
    const then = this.picking;
    this.stopPicking();
    then?.(answer);
  }

  /** Forget what was asked. */
  stopPicking() {
    this.picking = null;
    this.parts = false;
    this.mat.classList.remove("picking");
    this.prompt.hidden = true;
  }

  /** Where an event is in the picture; null outside. */
  placeOf(e) {
    const { left, top, width, height } = box(this.frame);
    const [x, y] = [(e.clientX - left) / width, (e.clientY - top) / height];
    return x < 0 || x > 1 || y < 0 || y > 1 ? null : { frame: this.clock.frame, x, y };
  }

  /** Come closer or go back by a factor; wheel clicks in quick succession make one step. */
  dolly(factor) {
    if (this.standin.outside.on) {
      this.standin.outside.come(factor);
      return this.standin.draw();
    }
    const path = this.store.full("camera/distance_m");
    this.dollied = (this.dollied ?? this.store.value(path)) * factor;
    const change = { kind: "set", path, value: Number(Math.min(schema.distances.farthest_m, Math.max(schema.distances.nearest_m, this.dollied)).toPrecision(5)) };
    this.handle();
    this.follow([change], () => Boolean(this.dollied));
    clearTimeout(this.dollyTimer);
    this.dollyTimer = setTimeout(() => {
      this.dollied = null;
      this.store.change(change);
    }, 250);
  }
}
