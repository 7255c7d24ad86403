/** Paths on plan and elevation: drawn by clicks, their points and handles dragged, put in and taken away. */

import { draw } from "../shared/api.js";
import { withId } from "../shared/lists.js";
import { INK, TAPE } from "./signs.js";

/** A path that ends so near its first point is closed. */
const SNAP_PX = 10;
const AXES = ["x", "y", "z"];

export class PlanPaths {
  /** @param {import("./plan.js").Plan} plan */
  constructor(plan) {
    this.plan = plan;
    this.held = null;
    this.sketch = null;
    this.next = null;
    this.done = null;
    const { svg, store } = plan;
    svg.addEventListener("dblclick", (e) => this.#double(e));
    svg.addEventListener("pointermove", (e) => {
      if (!this.sketch) return;
      this.next = plan.under(e);
      plan.show();
    });
    addEventListener("keydown", (e) => {
      if (this.sketch && ["Enter", "Escape"].includes(e.key)) this.#end(e.key === "Enter");
      else if (this.held && e.key === "Delete" && document.activeElement === document.body) store.change({ kind: "remove", path: this.held });
    });
  }

  /** Paths with their points. `flat` gives places on the drawing. */
  show(flat) {
    const { paths, project } = this.plan.store.state;
    return paths.flatMap(({ id, name, line }) => {
      const places = Array.from({ length: line.length / 3 }, (_, i) => flat([line[3 * i], line[3 * i + 1], line[3 * i + 2]]));
      const points = places.map((p) => p.join(",")).join(" ");
      return [
        draw("polyline", { points, fill: "none", stroke: INK, "stroke-opacity": 0.55, "stroke-dasharray": "4 3" }),
        draw("polyline", { class: "grab", "data-grab": "path", "data-path": id, points, fill: "none", stroke: "transparent", "stroke-width": 9 }, draw("title", {}, `${name}: double-click puts a point here`)),
        ...withId(project.paths, id).points.flatMap((point) => this.#point(id, name, this.#asDragged(id, point), flat)),
      ];
    });
  }

  /** A point with its handles, if it has some. */
  #point(path, name, point, flat) {
    const at = AXES.map((axis) => point[`${axis}_m`]);
    const [cx, cy] = flat(at);
    const grab = (what, more) => ({ class: "grab", "data-grab": what, "data-path": path, "data-point": point.id, fill: "#fff", stroke: INK, "stroke-width": 1.5, ...more });
    const dot = draw("circle", grab("point", { cx, cy, r: 3.5 }), draw("title", {}, `${name}: double-click for handles, Delete takes the point away`));
    if (point.bends === "smooth") return [dot];
    return [...["in", "out"].flatMap((side) => {
      const mirrored = side === "in" && point.bends === "even";
      const [x, y] = flat(at.map((p, i) => (mirrored ? p - point[`out_${AXES[i]}_m`] : p + point[`${side}_${AXES[i]}_m`])));
      return [
        draw("line", { x1: cx, y1: cy, x2: x, y2: y, stroke: INK, "stroke-opacity": 0.6 }),
        draw("rect", grab("handle", { "data-side": side, x: x - 3, y: y - 3, width: 6, height: 6 }), draw("title", {}, "Handle")),
      ];
    }), dot];
  }

  /** A point as it is, or as it is being dragged. */
  #asDragged(path, point) {
    const { inHand } = this.plan;
    const held = inHand && inHand.point === point.id && inHand.path === path ? inHand.changes : [];
    return { ...point, ...Object.fromEntries(held.map((c) => [c.path.split("/").at(-1), c.value])) };
  }

  #points(path) {
    return withId(this.plan.store.state.project.paths, path).points;
  }

  /** Path of a point in the document. */
  place({ path, point }) {
    return `paths/${path}/points/${point}`;
  }

  /**
   * Changes that bring a point or a handle to where the pointer is.
   * @param {{what: string, path: string, point: string, side: string}} held @param {Record<string, number>} to by axis, m
   */
  drag(held, to) {
    if (held.what === "path") return [];
    const point = withId(this.#points(held.path), held.point);
    const set = (name, value) => ({ kind: "set", path: `${this.place(held)}/${name}`, value: Number(value.toFixed(4)) });
    if (held.what === "point") return Object.entries(to).map(([axis, at]) => set(`${axis}_m`, at));
    const mirrored = held.side === "in" && point.bends === "even"; // it counts as the one after the point
    return Object.entries(to).map(([axis, at]) => set(`${mirrored ? "out" : held.side}_${axis}_m`, (at - point[`${axis}_m`]) * (mirrored ? -1 : 1)));
  }

  /** A double click: on a path one more point, on a point handles that come and go, while drawing the last point. */
  #double(e) {
    if (this.sketch) {
      this.sketch.pop(); // its second press put the same point once more
      return this.#end(true);
    }
    const { store, side } = this.plan;
    // the pointer was captured, so the event does not know what it is on
    const { grab, path, point } = document.elementFromPoint(e.clientX, e.clientY)?.closest("[data-grab]")?.dataset ?? {};
    if (grab === "path" && !side) {
      const [x, , z] = this.plan.under(e);
      store.change({ kind: "add_point", path, at: [x, this.#heightOn(path, x, z), z] });
    } else if (point) {
      const { bends } = withId(this.#points(path), point);
      store.change({ kind: "bend_point", path, point, bends: { smooth: "even", even: "free", free: "smooth" }[bends] });
    }
  }

  /** How high a path is where it is nearest, seen from above. */
  #heightOn(path, x, z) {
    const { line } = withId(this.plan.store.state.paths, path);
    let best = [Infinity, 0];
    for (let i = 0; i < line.length; i += 3) {
      const away = Math.hypot(line[i] - x, line[i + 2] - z);
      if (away < best[0]) best = [away, line[i + 1]];
    }
    return best[1];
  }

  /**
   * Let a path be drawn by clicks on the plan, at the camera's height, until Enter, a double click or Escape.
   * @param {(points: number[][]|null, closed: boolean) => void} done null where it was given up
   */
  sketchOne(done) {
    Object.assign(this, { sketch: [], next: null, done });
    this.plan.svg.classList.add("sketching");
    this.plan.show();
  }

  /** Whether a press of the pointer belongs to the path that is being drawn. */
  click(e) {
    if (!this.sketch || e.button !== 0) return false;
    this.sketch.push(this.plan.under(e));
    this.plan.show();
    return true;
  }

  /** The path that is being drawn, as far as it is. */
  showSketch(flat) {
    if (!this.sketch) return [];
    const places = [...this.sketch, ...(this.next ? [this.next] : [])].map(flat);
    return [
      draw("polyline", { points: places.map((p) => p.join(",")).join(" "), fill: "none", stroke: TAPE.camera, "stroke-width": 1.5, "stroke-dasharray": "4 3" }),
      ...this.sketch.map(flat).map(([cx, cy]) => draw("circle", { cx, cy, r: 3.5, fill: TAPE.camera })),
    ];
  }

  /** End it; one that comes back to its first point is closed. */
  #end(keep) {
    const { sketch, done } = this;
    Object.assign(this, { sketch: null, next: null });
    this.plan.svg.classList.remove("sketching");
    this.plan.show();
    const [first, last] = [sketch[0], sketch.at(-1)];
    const closed = sketch.length > 3 && Math.hypot(first[0] - last[0], first[2] - last[2]) * this.plan.scale < SNAP_PX;
    done(keep && sketch.length > 1 ? (closed ? sketch.slice(0, -1) : sketch) : null, closed);
  }
}
