/** Lists of a document. */

/**
 * The one with an id that the document names, and that is there therefore.
 * @template {{id: string}} T @param {T[]} list @param {string|null|undefined} id @returns {T}
 */
export function withId(list, id) {
  const found = list.find((one) => one.id === id);
  if (!found) throw new RangeError(`Nothing has the id ${id}.`);
  return found;
}
