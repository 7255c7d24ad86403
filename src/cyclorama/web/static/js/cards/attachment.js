/** Things that items and lights can be attached to. */

import { make } from "../shared/api.js";

/**
 * @param {HTMLSelectElement} pick
 * @param {{rides: string}} thing that is attached
 * @param {{id: string, name: string}[]} items it may be attached to
 * @param {string[][]} more values with their names, before all others
 */
export function showAttachment(pick, thing, items, more = []) {
  const choices = [...more, ["set", "the set"], ["disc", "the disc"], ["camera", "the camera"], ...items.map(({ id, name }) => [id, name])];
  pick.replaceChildren(...choices.map(([value, name]) => make("option", { value }, name)));
  pick.value = thing.rides;
}
