/** Patches of documents, as the server makes them; see core/patches.py. */

/**
 * The document after a change; what has not changed is the same as before, not a copy.
 * @param {any} document @param {any} change
 */
export function patched(document, change) {
  if (change === null) return document;
  if ("=" in change) return change["="];
  if ("{" in change) return { ...without(document, change["-"]), ...mapped(change["{"], (name, more) => patched(document[name], more)) };
  if ("[" in change) return document.map((value, i) => (i in change["["] ? patched(value, change["["][i]) : value));
  const [first, last, between] = change["~"];
  return [...document.slice(0, first), ...between, ...document.slice(document.length - last)];
}

const without = (document, names) => Object.fromEntries(Object.entries(document).filter(([name]) => !names.includes(name)));
const mapped = (values, change) => Object.fromEntries(Object.entries(values).map(([name, value]) => [name, change(name, value)]));
