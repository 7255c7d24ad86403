/** Hints: what is odd, with a button for what mends it; the lens shows what that would do. */

import { make, mark } from "../shared/api.js";
import { TryOn } from "./try_on.js";

/**
 * @param {string} text
 * @param {{title: string, changes: object[]}|undefined} fix
 * @param {import("../studio/studio.js").Floor} floor
 */
export function hint(text, fix, floor) {
  return make("p", { class: "hint" }, mark("look"), make("span", { class: "flex-1" }, text), fix && fixButton(fix, floor));
}

function fixButton({ title, changes }, floor) {
  const trying = new TryOn((tried) => floor.lens.attempt(tried), () => floor.settle());
  const [tryOn, giveUp] = [() => trying.soon(changes), () => trying.giveUp()];
  const mend = () => {
    trying.keep();
    floor.store.change(...changes);
  };
  return make("button", { type: "button", class: "btn h-[24px] flex-none", title: "One step; undo takes it back", onclick: mend, onpointerenter: tryOn, onpointerleave: giveUp, onfocus: tryOn, onblur: giveUp }, title);
}
