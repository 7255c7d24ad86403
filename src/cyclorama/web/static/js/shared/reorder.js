/** A grip with which a row is put elsewhere in its list: dragged, or by ↑ and ↓ while it has the focus. */

import { make } from "./api.js";
import { drag } from "./drag.js";

/**
 * @param {string} name of what the row stands for
 * @param {string} group rows of the same group change places among themselves
 * @param {(to: number) => Promise<unknown>} move called with the new place within the group
 */
export function grip(name, group, move) {
  const handle = make("button", { type: "button", class: "grip", "data-group": group, "aria-label": `Move ${name}`, title: "Drag it up or down; ↑ and ↓ move it too" }, "⠿");
  const rows = () => [...handle.closest("ul, ol").querySelectorAll(".grip")].filter((one) => one.dataset.group === group).map((one) => one.parentElement);
  const clear = () => {
    for (const row of rows()) row.classList.remove("put-above", "put-below", "carried");
  };
  const put = async (to) => {
    const all = rows();
    const list = handle.closest("ul, ol");
    if (to < 0 || to >= all.length || to === all.indexOf(handle.parentElement)) return;
    await move(to);
    // the list was drawn anew meanwhile
    /** @type {HTMLElement|undefined} */ ([...list.querySelectorAll(".grip")].find((one) => one.ariaLabel === handle.ariaLabel && one.dataset.group === group))?.focus();
  };
  handle.addEventListener("keydown", (e) => {
    if ((e.key !== "ArrowUp" && e.key !== "ArrowDown") || e.altKey || e.ctrlKey) return;
    e.preventDefault();
    e.stopPropagation();
    put(rows().indexOf(handle.parentElement) + (e.key === "ArrowUp" ? -1 : 1));
  });
  drag(handle, () => {
    let to = rows().indexOf(handle.parentElement);
    const from = to;
    return {
      move: (e) => {
        const all = rows();
        to = placeAt(all.map((row) => row.getBoundingClientRect()), e.clientY);
        clear();
        handle.parentElement.classList.add("carried");
        if (to !== from) all[to].classList.add(to < from ? "put-above" : "put-below");
      },
      drop: () => (clear(), put(to)),
      cancel: clear,
    };
  });
  return handle;
}

/** The row at a height, or the nearest one. @param {{top: number, bottom: number}[]} rows from above to below */
export function placeAt(rows, y) {
  const below = rows.findIndex(({ bottom }) => y < bottom);
  return below < 0 ? rows.length - 1 : below;
}
