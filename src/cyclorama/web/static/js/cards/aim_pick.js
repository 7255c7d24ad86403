/** What a camera or a light aims at: a point, a thing, or a part of one. */

import { make } from "../shared/api.js";

const PARTS_AT_MOST = 60;

/**
 * @param {HTMLSelectElement} pick
 * @param {import("../studio/project.js").ProjectStore} store
 * @param {() => {path: string, point: number[]}} holder path of what aims, and where its aim is now
 */
export function bindAim(pick, store, holder) {
  pick.addEventListener("change", () => {
    const [item, part] = pick.value.split("/");
    const { path, point } = holder();
    const at = item ? [0, 0, 0] : point.map((x) => Number(x.toPrecision(6)));
    store.set(`${path}/aim`, { item: item || null, part: part || null, x_m: at[0], y_m: at[1], z_m: at[2] });
  });
}

/** @param {HTMLSelectElement} pick @param {{item?: string|null, part?: string|null}} aim @param {object[]} items */
export function showAim(pick, aim, items) {
  const parts = (item) => (item.parts.length > 1 ? item.parts.slice(0, PARTS_AT_MOST).map((part) => make("option", { value: `${item.id}/${part.id}` }, `${item.name}: ${part.name}`)) : []);
  pick.replaceChildren(make("option", { value: "" }, "a point"), ...items.flatMap((item) => [make("option", { value: item.id }, item.name), ...parts(item)]));
  pick.value = [aim.item, aim.part].filter(Boolean).join("/");
}
