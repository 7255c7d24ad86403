/** Elements of the page. */

/** The element with an id; its page has it. @param {string} id @returns {any} of whatever kind it is */
export function byId(id) {
  return document.getElementById(id);
}

/** A time that the server told, which tells UTC. @param {string} told */
export const date = (told) => new Date(`${told}Z`);
