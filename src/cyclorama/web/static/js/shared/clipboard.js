/** Pictures into the clipboard. */

import { say } from "./api.js";

/**
 * Copy a PNG picture, and say so.
 * @param {string} address where it is
 * @param {string} name what it is called in what is said
 */
export async function copyPicture(address, name) {
  const read = async () => {
    const answer = await fetch(address);
    if (!answer.ok) throw new Error((await answer.json().catch(() => ({}))).error ?? "This picture cannot be made.");
    return answer.blob();
  };
  try {
    // handed over as a promise: some browsers only let a click write to the clipboard while it lasts
    await navigator.clipboard.write([new ClipboardItem({ "image/png": read() })]);
    say(`${name} is in the clipboard.`);
  } catch (error) {
    say(error.name === "NotAllowedError" || !navigator.clipboard ? "The browser does not let this page use the clipboard." : error.message, 8);
  }
}
