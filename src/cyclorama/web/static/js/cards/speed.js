/** Speeds of values that go on evenly over the shot: boxes of their own, beside the values. */

import { say } from "../shared/api.js";
import { calculate } from "../shared/arithmetic.js";

/** Bind every box of a speed. @param {import("../studio/project.js").ProjectStore} store @returns {() => void} shows what they are */
export function bindSpeeds(store) {
  /** @type {HTMLInputElement[]} */
  const boxes = [...document.querySelectorAll("[data-speed]")];
  for (const box of boxes)
    box.addEventListener("change", async () => {
      const speed = calculate(box.value, "");
      if (speed === null) say(`‘${box.value}’ is not a number.`);
      else await store.change({ kind: "speed", path: store.full(box.dataset.speed), per_second: speed });
      show();
    });
  const show = () => {
    const { rate } = store.state.shot;
    for (const box of boxes) {
      if (document.activeElement === box) continue;
      const speed = speedOf(store.channel(box.dataset.speed), rate[0] / rate[1]);
      box.value = speed === null ? "" : String(Number(speed.toPrecision(4)));
      box.placeholder = "keyed";
    }
  };
  return show;
}

/**
 * The speed of what goes on evenly, 0 of what is not keyed, null of what is keyed otherwise.
 * @param {{keys: number[][], frames: number[], goes: string[]}|null} channel
 */
export function speedOf(channel, framesPerSecond) {
  if (!channel) return 0;
  const { keys, frames, goes } = channel;
  if (keys.length !== 2 || goes[0] !== "linear") return null;
  return ((keys[1][0] - keys[0][0]) / (frames[1] - frames[0])) * framesPerSecond;
}
