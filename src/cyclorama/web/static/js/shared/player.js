/** Playing frames that come as pictures at their true rate: those that are not there in time are left out, and counted. */

const MOST_KEPT = 2400;
const AHEAD = 8;

/** Pictures by address; those asked for first are forgotten first. */
export class Pictures {
  #kept = new Map();

  load(address) {
    if (!this.#kept.has(address)) {
      if (this.#kept.size > MOST_KEPT) this.#kept.delete(this.#kept.keys().next().value);
      this.#kept.set(address, Object.assign(new Image(), { src: address }));
    }
    return this.#kept.get(address);
  }
}

/** The place after so many steps from the first of `length`, round and round or to and fro. */
export function turned(step, length, toAndFro) {
  if (!toAndFro || length < 2) return step % length;
  const way = step % (2 * length - 2);
  return way < length ? way : 2 * length - 2 - way;
}

/**
 * The place of the frame that is shown in every moment from the frame at place `low` to frame `last`: what is not there
 * is stood for by the last before it, so that what is there plays in its own time.
 * @param {number[]} frames numbers of those that are there
 */
export function held(frames, low, last) {
  let at = low;
  return Array.from({ length: last - frames[low] + 1 }, (_, k) => (frames[at + 1] === frames[low] + k ? ++at : at));
}

export class Player {
  /**
   * @param {{rate: () => number, address: (i: number) => string, show: (i: number) => void, dropped: (count: number) => void}} source
   *   frames a second, where a frame's picture is, how one is shown, told how many were left out
   * @param {Pictures} pictures
   */
  constructor(source, pictures) {
    this.source = source;
    this.pictures = pictures;
    this.playing = false;
  }

  /**
   * @param {number} from place of the frame that is shown first
   * @param {[number, number]} range first and last place that is played
   * @param {{speed?: number, toAndFro?: boolean, seconds?: (() => number|null)|null}} how `seconds` tells the time since the
   *   beginning of the range, as sound has it; without it the page's clock does
   */
  play(from, [low, high], { speed = 1, toAndFro = false, seconds = null } = {}) {
    this.playing = true;
    const length = high - low + 1;
    const first = Math.min(Math.max(from, low), high) - low;
    const began = performance.now();
    let [last, dropped] = [0, 0];
    const picture = (step) => this.pictures.load(this.source.address(low + turned(first + step, length, toAndFro)));
    const run = (this.run = {});
    const tick = (now) => {
      if (this.run !== run) return;
      const heard = seconds?.();
      const passed = heard ?? ((now - began) / 1000) * speed;
      const step = Math.floor(passed * this.source.rate() + 1e-6) - (heard === null || heard === undefined ? 0 : first);
      if (step !== last) {
        if (picture(Math.max(0, step)).complete) {
          dropped += Math.max(0, step - last - 1);
          last = step;
          if (dropped) this.source.dropped(dropped);
          this.source.show(low + turned(first + Math.max(0, step), length, toAndFro));
        } else for (let k = 1; k < AHEAD; k++) picture(Math.max(0, step) + k);
      }
      requestAnimationFrame(tick);
    };
    for (let k = 0; k < AHEAD; k++) picture(k);
    requestAnimationFrame(tick);
  }

  stop() {
    this.playing = false;
    this.run = null;
  }
}
