/**
 * A versioned document of the studio: the project, the cut, a grade. Every request that changes it goes through one queue; what
 * is asked for is shown at once; what another window changed is followed, and only where both changed it at the same time
 * somebody is asked.
 */

import { byId } from "./dom.js";
import { ServerError, WINDOW, get, say } from "./api.js";
import { Turns } from "./latest.js";

const AGAIN_MS = 2000;

/** @typedef {(version: number) => Promise<object>} Ask makes a request for a version and gives the document's state after it */

/** @template State its state, as the server answers it */
export class DocumentStore {
  #turns = new Turns();
  /** Changes that are not saved, in the order they were made. @type {Ask[]} */
  #waiting = [];
  #going = 0;
  #listeners = [];
  #sendListeners = [];
  /** Told how many changes wait, when one more does. */
  #waitListeners = [];

  /** @param {string} url of its state @param {string} live address of the socket that tells of other windows */
  constructor(url, live) {
    this.url = url;
    /** Null until it is there: what shows it is called when it is. */
    this.state = /** @type {State & {version: number}} */ (/** @type {unknown} */ (null));
    /** Fulfilled when the document is there: what is asked for before waits for it. */
    this.there = new Promise((/** @type {(value?: any) => void} */ resolve) => (this.arrived = resolve));
    /** Called when it is another matter whether all is saved. */
    this.onsaving = () => {};
    this.#follow(live);
  }

  /** The version that is shown. */
  get version() {
    return this.state.version;
  }

  /** Call `listener(state)` whenever the document changed. */
  subscribe(listener) {
    this.#listeners.push(listener);
  }

  /** Call a listener whenever a change is sent. */
  beforeSending(listener) {
    this.#sendListeners.push(listener);
  }

  /** Show a state. */
  take(state) {
    this.state = state;
    for (const listener of this.#listeners) listener(state);
    this.arrived();
    return state;
  }

  async load() {
    this.take(await get(this.url));
  }

  /**
   * Change the document after all changes before; resolves to true when that was saved.
   * @param {Ask} ask
   */
  edit(ask) {
    return this.#inTurn(() => this.#perform(ask));
  }

  /** Do something that saves, after all changes before, and let it be seen that it is going on. @template T @param {() => Promise<T>} work */
  async #inTurn(work) {
    this.#count(1);
    try {
      await this.there;
      return await this.#turns.take(work);
    } finally {
      this.#count(-1);
    }
  }

  async #perform(ask) {
    if (this.#waiting.length) return this.#hold(ask); // it would be refused as well, and must not overtake
    try {
      for (const listener of this.#sendListeners) listener();
      this.take(await ask(this.version));
      return true;
    } catch (error) {
      if (!(error instanceof ServerError)) throw error;
      if (error.status === 409) return this.#hold(ask);
      say(error.message, 8);
      this.take(this.state);
      return false;
    }
  }

  /** One step back or forth, after all changes before. @param {Ask} ask */
  step(ask) {
    return this.#inTurn(async () => {
      try {
        for (const listener of this.#sendListeners) listener();
        this.take(await ask(this.version));
      } catch (error) {
        say(error.message, 8);
        if (error.status === 409) await this.load();
        else this.take(this.state);
      }
    });
  }

  /** Read what is saved by then, after all changes before. @template T @param {(version: number) => Promise<T>} ask @returns {Promise<T>} */
  async whenSaved(ask) {
    await this.there;
    return this.#turns.take(() => ask(this.version));
  }

  /** Follow a job that changes the document; its outcome, with the document as it is then. @template T @param {() => Promise<T>} work */
  async during(work) {
    const result = await work();
    if (result) await this.#turns.take(() => this.load());
    return result;
  }

  /** After a conflict: show what is saved, and send the held changes again, one after the other, if `again`. */
  settle(again) {
    return this.#turns.take(async () => {
      const waiting = again ? this.#waiting : [];
      this.#waiting = [];
      await this.load();
      for (const ask of waiting) await this.#perform(ask);
      this.onsaving();
    });
  }

  /** In words, whether everything is saved. */
  get told() {
    return this.unsaved ? "Not saved yet" : this.#going ? "Saving …" : "Saved";
  }

  /** Changes that wait keep whoever would leave. */
  get unsaved() {
    return this.#waiting.length > 0;
  }

  /** Show held changes in the bar of the page, where they are applied on top or dropped. */
  bindBar() {
    this.#waitListeners.push((count) => {
      byId("stale").hidden = false;
      byId("stale-words").textContent = count === 1 ? "Your last change is not saved yet." : `Your last ${count} changes are not saved yet.`;
    });
    for (const [id, again] of /** @type {[string, boolean][]} */ ([["stale-apply", true], ["stale-drop", false]]))
      byId(id).addEventListener("click", () => {
        byId("stale").hidden = true;
        this.settle(again);
      });
    addEventListener("beforeunload", (e) => this.unsaved && e.preventDefault());
  }

  #count(by) {
    this.#going += by;
    this.onsaving();
  }

  #hold(ask) {
    this.#waiting.push(ask);
    for (const listener of this.#waitListeners) listener(this.#waiting.length);
    this.onsaving();
    return false;
  }

  /** Show what other windows change, once this one has nothing on its way. */
  #follow(live) {
    const scheme = location.protocol === "https:" ? "wss" : "ws";
    const socket = new WebSocket(`${scheme}://${location.host}/live/${live}?window=${WINDOW}`);
    socket.onmessage = (event) => this.#toldOf(JSON.parse(event.data).version);
    socket.onclose = (event) => event.code === POLICY || setTimeout(() => this.#follow(live), AGAIN_MS);
    addEventListener("pagehide", (e) => e.persisted || ((socket.onclose = null), socket.close()), { once: true });
  }

  #toldOf(version) {
    return this.#turns.take(async () => {
      if (!this.state || this.unsaved || version <= this.version) return;
      await this.load().catch(() => null); // it is told of again with the next change
    });
  }
}

/** Close code of what is not there (RFC 6455, 7.4.1): it is not asked for again. */
const POLICY = 1008;
