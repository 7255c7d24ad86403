/** Ready moves to choose from, each as it looks: a small wire model seen by its camera. */

import { byId } from "../shared/dom.js";
import { get, make, say } from "../shared/api.js";

const [WIDE, HIGH] = [168, 94];
const ROUND_MS = 3200;
const still = matchMedia("(prefers-reduced-motion: reduce)");

/** Lines of a small bottle on a ring of the floor, each two points. */
const MODEL = (() => {
  const ring = (r, y, count = 16) => Array.from({ length: count }, (_, i) => [0, 1].map((d) => [r * Math.sin(((i + d) * 2 * Math.PI) / count), y, r * Math.cos(((i + d) * 2 * Math.PI) / count)]));
  const profile = [[0.13, 0], [0.14, 0.3], [0.05, 0.38], [0.05, 0.46], [0.065, 0.47], [0.065, 0.5]];
  const sides = Array.from({ length: 8 }, (_, k) => (k * Math.PI) / 4).flatMap((a) => profile.slice(1).map(([r, y], i) => [profile[i], [r, y]].map(([q, h]) => [q * Math.sin(a), h, q * Math.cos(a)])));
  const label = [[[-0.07, 0.08], [0.07, 0.08]], [[0.07, 0.08], [0.07, 0.2]], [[0.07, 0.2], [-0.07, 0.2]], [[-0.07, 0.2], [-0.07, 0.08]], [[-0.07, 0.08], [0.07, 0.2]]].map((line) => line.map(([x, y]) => [x, y, 0.14]));
  return { floor: [...ring(0.3, 0, 24), ...ring(0.6, 0, 32)], body: [...sides, ...profile.flatMap(([r, y]) => ring(r, y))], label };
})();

export class ReadyMoves {
  /** @param {(value: string) => void} apply the name of a ready move, the id of a kept one */
  constructor(apply) {
    this.dialog = byId("ready-moves");
    this.apply = apply;
    /** @type {{move: any, canvas: HTMLCanvasElement}[]} */
    this.tiles = [];
    this.ticking = 0;
    this.dialog.addEventListener("close", () => cancelAnimationFrame(this.ticking));
  }

  /** @param {{id: string, name: string}[]} kept in the order in which the server previews them */
  async open(kept) {
    try {
      const previews = await get("/api/moves/previews");
      const ready = previews.slice(0, previews.length - kept.length).map((p) => ({ ...p, value: p.name }));
      const own = previews.slice(ready.length).map((p, i) => ({ ...p, value: kept[i].id, own: true }));
      this.tiles = [...ready, ...own].map((move) => ({ move, canvas: make("canvas", { width: WIDE * 2, height: HIGH * 2, class: "w-full rounded-[4px] bg-shade" }) }));
      byId("ready-moves-list").replaceChildren(...this.tiles.map((tile) => this.#tile(tile)));
      this.dialog.showModal();
      this.#tick(performance.now());
    } catch (error) {
      say(error.message);
    }
  }

  #tile({ move, canvas }) {
    const choose = () => {
      this.dialog.close();
      this.apply(move.value);
    };
    return make("button", { type: "button", class: "grid gap-1 rounded-[6px] p-1.5 text-left hover:bg-shade", onclick: choose }, canvas,
      make("span", { class: "px-0.5" }, move.name.replace(/^./, (c) => c.toUpperCase()), ...(move.own ? [make("span", { class: "text-soft" }, " · kept")] : [])));
  }

  #tick(now) {
    const at = still.matches ? 0.3 : (now % ROUND_MS) / ROUND_MS;
    for (const { move, canvas } of this.tiles) drawSeen(canvas, move, Math.floor(at * move.cameras.length));
    if (!still.matches) this.ticking = requestAnimationFrame((t) => this.#tick(t));
  }
}

/** The model as the camera of a move sees it at one of its times. */
function drawSeen(canvas, { cameras, focal_mm: focal }, i) {
  const m = cameras[i];
  const scale = (canvas.width * focal[i]) / 36;
  const context = canvas.getContext("2d");
  context.clearRect(0, 0, canvas.width, canvas.height);
  const seen = ([x, y, z]) => {
    const p = [x - m[3], y - m[7], z - m[11]];
    const [a, b, c] = [0, 1, 2].map((k) => m[k] * p[0] + m[4 + k] * p[1] + m[8 + k] * p[2]);
    return c < -0.02 ? [canvas.width / 2 + (scale * a) / -c, canvas.height / 2 - (scale * b) / -c] : null;
  };
  const lines = (all, colour, width) => {
    context.strokeStyle = colour;
    context.lineWidth = width;
    context.beginPath();
    for (const [from, to] of all) {
      const [a, b] = [seen(from), seen(to)];
      if (!a || !b) continue;
      context.moveTo(...a);
      context.lineTo(...b);
    }
    context.stroke();
  };
  lines(MODEL.floor, "#c9c2b4", 2);
  lines(MODEL.body, "#5b564e", 1.5);
  lines(MODEL.label, "#c4402a", 2.5);
}
