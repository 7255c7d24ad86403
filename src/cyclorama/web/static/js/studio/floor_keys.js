/** The keyboard of the studio floor. */

import { byId } from "../shared/dom.js";
import { schema } from "../shared/schema.js";

/** What says where a camera stands. */
const STAND = ["azimuth_deg", "elevation_deg", "distance_m", "aim/x_m", "aim/y_m", "aim/z_m"];

/** Keys with what they do. @param {import("./studio.js").Floor} floor */
export function floorKeys(floor) {
  const { store, clock, lens, cards, plan } = floor;
  const travel = (path, by) => store.set(`camera/${path}_deg`, Math.round((store.value(`camera/${path}_deg`) + by) * 10) / 10);
  return [
    { keys: [" "], label: "Play or pause the move", run: () => clock.toggle() },
    { keys: ["[", "]"], label: "Set loop start / loop end (press again to clear)", run: (at) => clock.mark(at === 1) },
    { keys: ["s"], label: "Pull the stockroom out", run: () => floor.stock.toggle() },
    { keys: ["t"], label: "Loop, or play back and forth", run: () => floor.toggleToAndFro() },
    { keys: ["ArrowLeft", "ArrowRight"], label: "One frame back, on", run: (at) => clock.go(clock.frame + (at === 0 ? -1 : 1)) },
    { keys: ["Shift+ArrowLeft", "Shift+ArrowRight"], label: "Ten frames back, on", run: (at) => clock.go(clock.frame + (at === 0 ? -10 : 10)) },
    { keys: ["Home", "End"], label: "First frame, last frame", run: (at) => clock.go(store.state.shot.first + (at === 0 ? 0 : store.state.shot.frames - 1)) },
    { keys: ["1", "2", "3", "4", "5", "6"], label: "Open a station", run: (at) => floor.open(schema.stations[at]) },
    { keys: ["k"], label: "Key where the camera stands", run: () => store.change(...STAND.map((name) => ({ kind: "key", path: store.full(`camera/${name}`), frame: clock.frame }))) },
    { keys: ["a"], label: "Key every change, on or off", run: () => floor.toggleKeying() },
    { keys: ["o"], label: "Proof the move, or stop", run: () => byId("proof").click() },
    { keys: ["v"], label: "Curves of keyed values", run: () => byId("toggle-curves").click() },
    { keys: ["b"], label: "Bring the subject inside the margin", run: () => cards.lensCard.fit() },
    { keys: ["m"], label: "Meter the subject", run: () => cards.act("meter") },
    { keys: ["p"], label: "Plan or elevation", run: () => byId(plan.side ? "plan-top" : "plan-side").click() },
    { keys: ["e"], label: "From outside, or through the camera", run: () => floor.walkOut() },
    { keys: ["f"], label: "A large picture, without the panels", run: () => floor.fold() },
    { keys: ["l"], label: "Guide lines on or off", run: () => floor.toggleGuides() },
    { keys: ["+", "-"], label: "Closer, farther", run: (at) => lens.dolly(at === 0 ? 0.95 : 1 / 0.95) },
    { keys: [",", "."], label: "Travel round", run: (at) => travel("azimuth", at === 0 ? -5 : 5) },
    { keys: ["PageUp", "PageDown"], label: "Camera up, down", run: (at) => travel("elevation", at === 0 ? 2 : -2) },
    { keys: ["Ctrl+c", "Ctrl+v"], label: "Copy chosen keys, lay them down here", when: (at) => (at === 0 ? floor.lanes.several.size : floor.lanes.copied?.length ?? 0) > 0, run: (at) => (at === 0 ? floor.lanes.copy() : floor.lanes.paste()) },
    { keys: ["Ctrl+z"], label: "Undo", run: () => store.back("undo") },
    { keys: ["Ctrl+y", "Ctrl+Z"], label: "Redo", run: () => store.back("redo") },
    { keys: ["Escape"], label: "Stop picking in the lens", run: () => lens.stopPicking() },
    { keys: ["/"], label: "Find anything", run: () => floor.find.open() },
    { keys: ["?"], label: "This list", run: () => byId("keys").showModal() },
  ];
}
