/** Exposure in the corner of the lens, where it is read. */

import { byId } from "../shared/dom.js";

const OFFSET = "look/tone/offset_stops";

/** @param {import("./studio.js").Floor} floor */
export function bindExposure(floor) {
  const { store } = floor;
  const step = (by) => store.set(OFFSET, Math.round((store.value(OFFSET) + by) * 3) / 3);
  byId("exposure-down").addEventListener("click", () => step(-1 / 3));
  byId("exposure-up").addEventListener("click", () => step(1 / 3));
  byId("exposure-burnt").addEventListener("click", () => store.change({ kind: "meter" }, { kind: "set", path: store.full(OFFSET), value: 0 }));
  byId("exposure-open").addEventListener("click", () => {
    floor.open("light");
    floor.cards.sections.open("light", "Exposure");
  });
}
