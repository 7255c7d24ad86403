/** Hints: what is odd, with a button for what mends it; the lens shows what that would do. */

import { make, mark } from "../shared/api.js";

const PAUSE_MS = 200;

/**
 * @param {string} text
 * @param {{title: string, changes: object[]}|undefined} fix
 * @param {import("../studio/studio.js").Floor} floor
 */
export function hint(text, fix, floor) {
  return make("p", { class: "hint" }, mark("look"), make("span", { class: "flex-1" }, text), fix && fixButton(fix, floor));
}

function fixButton({ title, changes }, floor) {
  let timer = 0;
  let tried = false;
  const tryOn = () => {
    clearTimeout(timer);
    timer = setTimeout(() => {
      tried = true;
      floor.lens.attempt(changes);
    }, PAUSE_MS);
  };
  const leave = () => {
    clearTimeout(timer);
    if (tried) floor.settle();
    tried = false;
  };
  const mend = () => {
    clearTimeout(timer);
    tried = false;
    floor.store.change(...changes);
  };
  return make("button", { type: "button", class: "btn h-[24px] flex-none", title: "One step; undo takes it back", onclick: mend, onpointerenter: tryOn, onpointerleave: leave, onfocus: tryOn, onblur: leave }, title);
}
