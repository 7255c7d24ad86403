/** Dragging: one helper for every thing that is dragged. */

const DEAD_PX = 3;

/**
 * A thing in the hand.
 * @typedef {object} Grip
 * @property {(e: PointerEvent) => void} [move] called with every move, once the pointer has left its place
 * @property {(e: PointerEvent) => void} [drop] called when it is let go after a move
 * @property {(e: PointerEvent) => void} [click] called when it is let go where it was pressed
 * @property {() => void} [cancel] called when Escape or the system ends a drag: shows again what counts
 * @property {boolean} [atOnce] whether the press itself is a move
 */

/**
 * Let something be dragged with the main button. `take` gives what is in the hand after a press, or nothing.
 * Escape gives it back.
 * @param {HTMLElement|SVGElement} thing
 * @param {(e: PointerEvent) => Grip|null|undefined|void} take
 */
export function drag(thing, take) {
  const element = /** @type {HTMLElement} */ (thing); // of which both kinds tell the same events
  /** @type {{grip: Grip, x: number, y: number, moved: boolean, pointer: number, ended: AbortController}|null} */
  let held = null;
  /** Let go of what is in the hand; nothing on the page is listened to for it any more. */
  const letGo = () => {
    const was = held;
    held = null;
    was?.ended.abort();
    return was;
  };
  const cancel = () => {
    const was = letGo();
    if (!was) return;
    if (element.hasPointerCapture(was.pointer)) element.releasePointerCapture(was.pointer);
    was.grip.cancel?.();
  };
  const escape = (e) => {
    if (e.key !== "Escape") return;
    e.preventDefault();
    e.stopImmediatePropagation(); // it gives this back, and closes nothing besides
    cancel();
  };
  const ours = (e) => (e.pointerId === held?.pointer ? held : null);
  element.addEventListener("pointerdown", (e) => {
    if (e.button !== 0 || held) return;
    const grip = take(e);
    if (!grip) return;
    element.setPointerCapture(e.pointerId);
    const ended = new AbortController();
    held = { grip, x: e.clientX, y: e.clientY, moved: Boolean(grip.atOnce), pointer: e.pointerId, ended };
    addEventListener("keydown", escape, { capture: true, signal: ended.signal });
    if (held.moved) grip.move?.(e);
  });
  element.addEventListener("pointermove", (e) => {
    const mine = ours(e);
    if (!mine) return;
    mine.moved ||= Math.hypot(e.clientX - mine.x, e.clientY - mine.y) >= DEAD_PX;
    if (mine.moved) mine.grip.move?.(e);
  });
  element.addEventListener("pointerup", (e) => {
    if (!ours(e)) return;
    const was = letGo();
    if (was?.moved) was.grip.drop?.(e);
    else was?.grip.click?.(e);
  });
  for (const end of ["pointercancel", "lostpointercapture"]) element.addEventListener(end, (e) => ours(e) && cancel());
}
