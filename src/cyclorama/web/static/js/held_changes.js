/** Changes of a document with versions: sent one after the other, and held where another window changed it meanwhile. */

import { ServerError, say } from "./api.js";
import { Turns } from "./latest.js";

const byId = (id) => document.getElementById(id);

export class HeldChanges {
  /**
   * @param {() => Promise<void>} load shows the document as it is saved
   * @param {() => void} refused shows again what counts, after a change that was refused
   */
  constructor(load, refused) {
    Object.assign(this, { load, refused });
    this.turns = new Turns();
    /** Changes that are not saved, in the order they were made. @type {(() => Promise<void>)[]} */
    this.waiting = [];
    this.listeners = [];
    /** Changes on their way. */
    this.going = 0;
    /** Shows whether all is saved. */
    this.ongoing = () => {};
    /** Jobs of this window that change the document when they end. */
    this.own = 0;
  }

  /**
   * Send a change after those before it; resolves to true when it was saved.
   * @param {() => Promise<void>} send makes a request for the version that is shown, and shows what comes of it
   */
  send(send) {
    this.#count(1);
    return this.turns.take(async () => {
      if (this.waiting.length) return this.#hold(send); // it would be refused as well, and must not overtake
      try {
        await this.#tried(send);
        return true;
      } catch (error) {
        if (!(error instanceof ServerError)) throw error;
        if (error.status === 409) return this.#hold(send);
        say(error.message, 8);
        this.refused();
        return false;
      }
    }).finally(() => this.#count(-1));
  }

  #count(by) {
    this.going += by;
    this.ongoing();
  }

  /** Work in the background that was asked for here and will change the document: no other window did. */
  async during(work) {
    this.own += 1;
    try {
      return await work();
    } finally {
      await this.turns.take(async () => (this.own -= 1));
    }
  }

  /** After a conflict: show what is saved, and send the held changes again, one after the other, if `again`. */
  settle(again) {
    return this.turns.take(async () => {
      const waiting = again ? this.waiting : [];
      this.waiting = [];
      await this.load();
      while (waiting.length) {
        try {
          await this.#tried(waiting[0]);
        } catch (error) {
          if (error.status === 409) {
            this.waiting = waiting;
            this.#tell();
            return;
          }
          say(error.message, 8);
          this.refused();
        }
        waiting.shift();
      }
    });
  }

  /** In words, whether everything is saved. */
  get told() {
    return this.unsaved ? "Not saved yet" : this.going ? "Saving …" : "Saved";
  }

  /** Changes that wait keep whoever would leave. */
  get unsaved() {
    return this.waiting.length > 0;
  }

  async #tried(send) {
    try {
      await send();
    } catch (error) {
      if (error.status !== 409 || !this.own) throw error;
      await this.load(); // what came between is what a job of this window brought
      await send();
    }
  }

  #hold(send) {
    this.waiting.push(send);
    this.#tell();
    return false;
  }

  #tell() {
    for (const listener of this.listeners) listener(this.waiting.length);
  }
}

/** Show held changes in the bar of the page, where they are applied on top or dropped. @param {HeldChanges} held */
export function bindHeldChanges(held) {
  held.listeners.push((count) => {
    byId("stale").hidden = false;
    byId("stale-words").textContent = count === 1 ? "Your last change is not saved yet." : `Your last ${count} changes are not saved yet.`;
  });
  for (const [id, again] of [["stale-apply", true], ["stale-drop", false]])
    byId(id).addEventListener("click", () => {
      byId("stale").hidden = true;
      held.settle(again);
    });
  addEventListener("beforeunload", (e) => held.unsaved && e.preventDefault());
}
