/** Changes that are shown while the pointer rests on what would make them, and taken back when it leaves. */

const PAUSE_MS = 250;

export class TryOn {
  #timer = 0;
  #shown = false;

  /** @param {(changes: object[]) => void} show @param {() => void} settle shows again what counts */
  constructor(show, settle) {
    this.show = show;
    this.settle = settle;
  }

  /** Show changes in a moment. @param {object[]} changes */
  soon(changes) {
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => {
      this.#shown = true;
      this.show(changes);
    }, PAUSE_MS);
  }

  /** The changes are made: what is shown stays. */
  keep() {
    clearTimeout(this.#timer);
    this.#shown = false;
  }

  /** The pointer has left. */
  giveUp() {
    const shown = this.#shown;
    this.keep();
    if (shown) this.settle();
  }
}
