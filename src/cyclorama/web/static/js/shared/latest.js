/** Following what changes faster than it can be answered. */

/** What is done one after the other. */
export class Turns {
  /** when all that was given has ended */
  ended = Promise.resolve();

  /** Do something when all before it has ended. @param {() => Promise<any>} work */
  take(work) {
    const result = this.ended.then(work);
    this.ended = result.catch(() => {});
    return result;
  }
}

/**
 * A function that does one thing after the other and, of what comes meanwhile, only the last.
 * @param {(what: any) => Promise<any>} run must not throw
 */
export function latest(run) {
  let busy = false;
  let next = null;
  return async (what) => {
    next = [what];
    if (busy) return;
    busy = true;
    while (next) {
      const [here] = next;
      next = null;
      await run(here);
    }
    busy = false;
  };
}
