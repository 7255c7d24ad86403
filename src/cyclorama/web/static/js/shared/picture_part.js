/** Parts of a picture that are dragged out. */

/** In shares of the picture: less is no more than a click. */
const LEAST_SIDE = 0.01;

/**
 * The part of a picture between two places, all in shares of it; null where that is no more than a click.
 * @returns {{left: number, top: number, right: number, bottom: number}|null}
 */
export function partBetween(/** @type {number[]} */ [x, y], /** @type {number[]} */ [u, v]) {
  const part = { left: Math.min(x, u), top: Math.min(y, v), right: Math.max(x, u), bottom: Math.max(y, v) };
  return part.right - part.left > LEAST_SIDE && part.bottom - part.top > LEAST_SIDE ? part : null;
}

/** Draw the rectangle between two events over the studio's picture; none without them. */
export function showRectangle(frame, from, to) {
  const shown = document.getElementById("rectangle");
  shown.hidden = !from;
  if (!from) return;
  const { left, top } = frame.getBoundingClientRect();
  Object.assign(shown.style, {
    left: `${Math.min(from.clientX, to.clientX) - left}px`, top: `${Math.min(from.clientY, to.clientY) - top}px`,
    width: `${Math.abs(to.clientX - from.clientX)}px`, height: `${Math.abs(to.clientY - from.clientY)}px`,
  });
}
