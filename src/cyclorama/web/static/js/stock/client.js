/** Keeping things for other projects, and forgetting them: moves, rigs, materials. */

import { post, remove, say } from "../shared/api.js";

/**
 * Ask for a name and keep something under it; resolves to whether it is kept.
 * @param {string} what ‘move’ @param {string} name as it is suggested @param {string} url
 * @param {string} where it is found then, in a sentence @param {object} more what else is told
 */
export async function keep(what, name, url, where, more = {}) {
  const called = prompt(`What is this ${what} called?`, name);
  if (!called) return false;
  try {
    await post(url, { ...more, name: called });
  } catch (error) {
    say(error.message);
    return false;
  }
  say(`‘${called}’ is saved; ${where}.`);
  return true;
}

/**
 * Ask which of some kept things is to go; resolves when it is gone, or none was meant.
 * @param {string} what ‘move’ @param {{id: string, name: string}[]} kept @param {string} url of all of them
 */
export async function forget(what, kept, url) {
  const name = prompt(`Which ${what} shall be deleted? ${kept.map((one) => one.name).join(", ")}`, kept[0].name);
  const one = kept.find((k) => k.name === name);
  if (one) await remove(`${url}/${one.id}`).catch((error) => say(error.message));
}
