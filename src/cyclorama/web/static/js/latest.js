/** Following what changes faster than it can be answered. */

/**
 * A function that does one thing after the other and, of what comes meanwhile, only the last.
 * @param {(what: any) => Promise<void>} run must not throw
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
