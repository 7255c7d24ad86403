/** The keyboard of a page: what its keys do, the sheet that lists them, and other keys for those who want them. */

import { make, say } from "./api.js";

/**
 * @typedef {object} Binding
 * @property {string[]} keys as `pressed` names them
 * @property {string} label
 * @property {(at: number, e: KeyboardEvent|null) => void} run `at`: which of its keys was pressed
 * @property {(at: number) => boolean} [when]
 * @property {boolean} [fixed] its keys cannot be changed
 */

const NAMES = { " ": "Space", ArrowLeft: "←", ArrowRight: "→", ArrowUp: "↑", ArrowDown: "↓", PageUp: "Page up", PageDown: "Page down" };
const TAKEN = new Set(["Escape", "Tab", "Enter", "?"]);
const ALONE = new Set(["Shift", "Control", "Alt", "Meta"]);

/** The key of an event, with what is held: `Ctrl+z`, `Shift+ArrowLeft`. */
export function pressed({ key, ctrlKey, metaKey, shiftKey }) {
  return `${ctrlKey || metaKey ? "Ctrl+" : ""}${shiftKey && key.length > 1 ? "Shift+" : ""}${key.length === 1 && !shiftKey ? key.toLowerCase() : key}`;
}

/** What a key is called on the sheet. */
export const keyName = (key) => key.replace(/(?<=^|\+)(?:[^+]+|\+)$/, (last) => NAMES[last] ?? last);

/**
 * Keys by label after one of them was changed: what had that key gets the former one.
 * @param {Binding[]} bindings @param {Binding} binding @param {number} at @param {string} key
 */
export function rebound(bindings, binding, at, key) {
  const former = binding.keys[at];
  const swapped = (here) => (here === key ? former : here);
  return Object.fromEntries(bindings.map((one) => [one.label, one.keys.map((here, i) => (one === binding && i === at ? key : swapped(here)))]));
}

/** @param {string} room whose keys they are @param {Binding[]} bindings whose keys become those that were chosen */
export function bindKeys(room, bindings) {
  const kept = `keys ${room}`;
  const usual = bindings.map(({ keys }) => keys);
  const use = (chosen) => bindings.forEach((one, i) => (one.keys = chosen[one.label]?.length === usual[i].length ? chosen[one.label] : usual[i]));
  const list = document.getElementById("keys-list");
  const show = () => list.replaceChildren(...bindings.flatMap((one) => row(one, change)), foot(bindings.some((one, i) => one.keys !== usual[i]), reset));
  const change = (binding, at, key) => {
    const other = bindings.find((one) => one !== binding && one.keys.includes(key));
    if (TAKEN.has(key) || other?.fixed) return say(`${keyName(key)} is taken.`);
    if (other) say(`‘${other.label}’ has ${keyName(binding.keys[at])} now.`);
    const chosen = rebound(bindings, binding, at, key);
    localStorage.setItem(kept, JSON.stringify(chosen));
    use(chosen);
    show();
    return /** @type {HTMLElement[]} */ ([...list.querySelectorAll("button.key")]).find((one) => one.textContent === keyName(key))?.focus();
  };
  const reset = () => {
    localStorage.removeItem(kept);
    use({});
    show();
    /** @type {HTMLElement} */ (list.querySelector("button.key")).focus();
  };
  use(JSON.parse(localStorage.getItem(kept) ?? "{}"));
  show();
  document.addEventListener("keydown", (e) => {
    const typing = e.target?.closest("input, select, textarea, dialog[open]");
    const key = pressed(e);
    if (typing && !key.startsWith("Ctrl+")) return;
    if (typing && typing.matches("input[type=text], input:not([type])") && key.startsWith("Ctrl+")) return;
    if (e.key === " " && e.target?.closest("button, summary, a")) return;
    const found = bindings.find(({ keys }) => keys.includes(key));
    if (!found) return;
    const at = found.keys.indexOf(key);
    if (found.when?.(at) === false) return;
    e.preventDefault();
    found.run(at, e);
  });
}

/** A line of the sheet: what it does, and its keys, each a button that waits for another. */
function row(binding, change) {
  const { label, keys, fixed } = binding;
  const shown = (key, at) => (fixed || TAKEN.has(key) ? make("kbd", { class: "key" }, keyName(key)) : make("button", { type: "button", class: "key", title: "Another key", "aria-label": `${keyName(key)}, ${label}: another key`, onclick: (e) => listen(e.currentTarget, (other) => change(binding, at, other)) }, keyName(key)));
  return [make("span", {}, label), make("span", { class: "flex flex-wrap justify-end gap-1" }, ...keys.map(shown))];
}

/** Wait for a key; Escape gives up. */
function listen(button, take) {
  const was = button.textContent;
  const ended = new AbortController();
  const end = () => {
    ended.abort();
    button.textContent = was;
  };
  const heard = (e) => {
    e.preventDefault();
    e.stopImmediatePropagation();
    if (ALONE.has(e.key)) return;
    end();
    if (e.key !== "Escape") take(pressed(e));
  };
  button.textContent = "press a key";
  addEventListener("keydown", heard, { capture: true, signal: ended.signal });
  button.addEventListener("blur", end, { signal: ended.signal });
}

function foot(changed, reset) {
  return make("p", { class: "col-span-2 mt-2 flex items-center gap-2 text-soft" }, make("span", { class: "flex-1" }, "Click a key to change it."),
    changed ? make("button", { type: "button", class: "btn h-[24px]", onclick: reset }, "All as they were") : null);
}
