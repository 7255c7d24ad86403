/** Putting things into the bin, and bringing them back. */

import { get, post, remove, say } from "./api.js";

const ASKED = ["project", "take"];

/** Bring a thing back whole. @param {string} kind @param {string} id */
export const bringBack = (kind, id) => post(`/api/bin/${kind}/${id}/back`);

/**
 * Put a thing into the bin and offer to undo that; asks first where something else uses it.
 * @param {{kind: string, id: string, name: string, url: string}} thing `url` is its own address
 * @param {() => void} back called when it was brought back
 * @returns {Promise<boolean>} whether it is in the bin
 */
export async function putInBin({ kind, id, name, url }, back) {
  const told = (error) => say(error.message, 8);
  try {
    const { sentences } = ASKED.includes(kind) ? await get(`${url}/uses`) : { sentences: [] };
    if (sentences.length && !confirm([`Put ‘${name}’ into the bin?`, ...sentences].join("\n"))) return false;
    await remove(url);
  } catch (error) {
    told(error);
    return false;
  }
  say(`‘${name}’ is in the bin for 30 days.`, 10, { title: "Undo", run: () => bringBack(kind, id).then(back).catch(told) });
  return true;
}
