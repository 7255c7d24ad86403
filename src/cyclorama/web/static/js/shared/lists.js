/** Lists: things by their ids, and by words. */

/**
 * The one with an id that the document names, and that is there therefore.
 * @template {{id: string}} T @param {T[]} list @param {string|null|undefined} id @returns {T}
 */
export function withId(list, id) {
  const found = list.find((one) => one.id === id);
  if (!found) throw new RangeError(`Nothing has the id ${id}.`);
  return found;
}

/** Whether a text has all words of a search, in any case. @param {string} text @param {string} search */
export function hasWords(text, search) {
  const all = text.toLowerCase();
  return search.toLowerCase().split(/\s+/).every((word) => all.includes(word));
}
