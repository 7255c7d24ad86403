/** Asking again and again. */

import { ServerError } from "./api.js";

/**
 * Do something every so often while the page is seen. A server that does not answer or is busy is asked again; what is gone
 * (404) is not.
 * @param {() => any} work @param {number} everyMs @returns {() => void} ends it
 */
export function poll(work, everyMs) {
  let busy = false;
  const timer = setInterval(async () => {
    if (document.hidden || busy) return;
    busy = true;
    try {
      await work();
    } catch (error) {
      if (!(error instanceof ServerError)) throw error;
      if (error.status === 404) clearInterval(timer);
    } finally {
      busy = false;
    }
  }, everyMs);
  return () => clearInterval(timer);
}
