/** The floor plan and the elevation: to scale, with the ring as the timeline. Everything on it can be dragged. */

import { dragHandle, handles } from "./lamp_handles.js";
import { drag } from "../shared/drag.js";
import { draw } from "../shared/api.js";
import { schema } from "../shared/schema.js";
import { withId } from "../shared/lists.js";
import { carriedBack, flatHull, goneAlong, inverse, rad, rows3, turned, under, wrap } from "./geometry.js";
import { heights, rings, setFromAbove } from "./ground.js";
import { PlanPaths } from "./paths.js";
import { INK, TAPE, cameraSign, heat, lamp, names } from "./signs.js";

export class Plan {
  /**
   * @param {SVGSVGElement} svg
   * @param {import("../studio/project.js").ProjectStore} store
   * @param {import("../studio/clock.js").Clock} clock
   * @param {import("../studio/studio.js").Floor} floor
   */
  constructor(svg, store, clock, floor) {
    this.svg = svg;
    this.store = store;
    this.clock = clock;
    this.floor = floor;
    this.side = false;
    /** @type {any} */
    this.inHand = null;
    /** @type {any} */
    this.pose = null;
    this.w = this.h = this.scale = 0;
    this.origin = [0, 0];
    this.paths = new PlanPaths(this);
    drag(svg, (e) => this.#take(e));
  }

  /** Draw everything. `pose` is one that is not saved yet, or nothing. */
  show(pose = null) {
    this.pose = pose ?? { ...this.clock.pose(), lens: this.store.state.lens };
    this.w = this.svg.clientWidth;
    this.h = this.svg.clientHeight;
    if (!this.w || !this.h) return; // it is folded away
    if (!this.inHand) this.scale = this.#fitScale();
    this.origin = this.side ? [this.w * 0.46, this.h - 46] : [this.w / 2, this.h / 2 + 6];
    this.svg.replaceChildren(...(this.side ? this.#elevation() : this.#top()));
  }

  /** Where a pointer is in the view from above, m, at the camera's height. */
  under(e) {
    const box = this.svg.getBoundingClientRect();
    return [(e.clientX - box.left - this.origin[0]) / this.scale, this.#camera().at[1], (e.clientY - box.top - this.origin[1]) / this.scale];
  }

  #camera() {
    const m = this.pose.camera;
    return { at: [m[3], m[7], m[11]], right: [m[0], m[4], m[8]], back: [m[2], m[6], m[10]] };
  }

  #lights() {
    return this.pose.lens.lights.map((l) => {
      const [at, aim, u, v] = [l.centre, l.aim, l.half_u, l.half_v].map((p, i) => goneAlong(l, this.pose, p, i > 1));
      return { ...l, at, u, v, aim: l.carriage === "rig" ? l.aim : aim };
    });
  }

  #fitScale() {
    const aim = this.pose.lens.aim;
    const { project } = this.store.state;
    const points = project.paths.flatMap((path) => path.points.map((p) => [p.x_m, p.y_m, p.z_m]));
    const far = [this.#camera().at, ...(this.store.state.shot.plain ? [] : this.#trail()), ...points, ...this.#lights().filter((l) => l.lit).map((l) => l.at)];
    if (this.side) {
      const reach = Math.max(...far.map((p) => Math.hypot(p[0], p[2])), schema.distances.nearest_m);
      const height = Math.max(...far.map((p) => p[1]), aim[1] * 2, schema.distances.nearest_m);
      return Math.min((this.w / 2 - 24) / reach, (this.h - 84) / height);
    }
    return (Math.min(this.w, this.h) / 2 - 22) / Math.max(...far.map((p) => Math.hypot(p[0], p[2])), schema.distances.nearest_m);
  }

  /** Screen place of a studio point in the view from above. */
  #at(/** @type {number[]} */ [x, , z]) {
    return [this.origin[0] + x * this.scale, this.origin[1] + z * this.scale];
  }

  /** Outlines of the items on the set, the subject's last. `flat` gives the place of a studio point on the drawing. */
  #outlines(flat) {
    const { items, project } = this.store.state;
    const on = items.filter((item) => item.on).toSorted((a, b) => Number(a.id === project.subject_id) - Number(b.id === project.subject_id));
    return on.map((item) => {
      const [is, colour] = item.id === project.subject_id ? [true, TAPE.subject] : [false, TAPE.set];
      const points = flatHull(item.hull.map((p) => flat(this.#carried(item, p))));
      return draw("polygon", { class: "grab", "data-grab": "item", "data-item": item.id, points: points.map((p) => p.join(",")).join(" "), fill: colour, "fill-opacity": is ? 0.28 : 0.16, stroke: colour, "stroke-width": 1.5, "stroke-linejoin": "round" },
        draw("title", {}, item.name));
    });
  }

  /** Where a point of an item at rest is in the pose that is drawn. */
  #carried(item, point) {
    const now = this.pose.placements?.[item.id];
    const p = now ? under(now, under(inverse(item.matrix), point)) : point;
    if (item.carriage === "disc") return turned(p, this.pose.disc_deg);
    const rows = this.pose.carried[item.carriage];
    return rows ? rows3(rows, p) : p;
  }

  /** The axis of the turn. */
  #axis() {
    return [draw("path", { d: `M${this.origin[0] - 4} ${this.origin[1]}h8M${this.origin[0]} ${this.origin[1] - 4}v8`, stroke: TAPE.subject })];
  }

  /** Where the camera goes, or where it would be if the subject stood and it turned: one place a frame. */
  #trail() {
    const { shot } = this.store.state;
    const here = this.#camera().at;
    const at = (i) => [shot.cameras[12 * i + 3], shot.cameras[12 * i + 7], shot.cameras[12 * i + 11]];
    if (shot.kind === "spin") return Array.from(shot.disc_deg, (deg) => turned(here, deg));
    const places = Array.from({ length: shot.count }, (_, i) => at(i));
    if (!shot.plain) return places;
    // while it is pulled round or out, the whole of it goes along
    const now = places[Math.min(shot.count - 1, Math.max(0, Math.round((this.clock.frame - shot.first) / shot.step)))];
    const [turn, by] = [Math.atan2(here[0], here[2]) - Math.atan2(now[0], now[2]), Math.hypot(here[0], here[2]) / Math.hypot(now[0], now[2])];
    return Number.isFinite(by) ? places.map((p) => turned([p[0] * by, here[1], p[2] * by], (turn * 180) / Math.PI)) : places;
  }

  /** The trail with a tick at frames and the playhead on it: for a turn it is the timeline. */
  #ring(flat) {
    const { shot } = this.store.state;
    if (shot.kind === "hold" && shot.plain) return [];
    const points = this.#trail().map(flat);
    const length = points.slice(1).reduce((sum, p, i) => sum + Math.hypot(p[0] - points[i][0], p[1] - points[i][1]), 0);
    const every = Math.max(1, Math.ceil(points.length / Math.max(24, length / 4)));
    let ticks = "";
    for (let i = 0; i < points.length; i += every) {
      const [x, y] = points[i];
      const away = Math.hypot(x - this.origin[0], y - this.origin[1]) || 1;
      const long = i % (every * 10) === 0 ? 7 : 4;
      ticks += `M${x} ${y}l${((x - this.origin[0]) / away) * long} ${((y - this.origin[1]) / away) * long}`;
    }
    const closed = shot.plain && shot.turns && shot.step === 1 ? "Z" : "";
    const d = `M${points.map((p) => p.map((v) => v.toFixed(1)).join(" ")).join("L")}${closed}`;
    const head = points[Math.min(points.length - 1, Math.max(0, Math.round((this.clock.frame - shot.first) / shot.step)))];
    const items = [
      ...heat(this.floor.lane(), points),
      draw("path", { d, fill: "none", stroke: TAPE.camera, "stroke-width": 1.25 }),
      draw("path", { d: ticks, stroke: TAPE.camera, "stroke-width": 1 }),
      draw("path", { class: "grab", "data-grab": "ring", d, fill: "none", stroke: "transparent", "stroke-width": 12 }),
    ];
    if (shot.kind === "spin") items.push(draw("circle", { class: "grab", "data-grab": "ring", cx: head[0], cy: head[1], r: 5, fill: INK, stroke: "#fff", "stroke-width": 1.5 }));
    return items;
  }

  #wedge() {
    const camera = this.#camera();
    const from = this.#at(camera.at);
    const reach = Math.hypot(camera.at[0], camera.at[2]) * 1.25;
    const [left, right] = this.pose.lens.field;
    const at = (away, side) => this.#at(camera.at.map((p, i) => p + (side * camera.right[i] - camera.back[i]) * away));
    const angle = (Math.atan2(camera.back[0], camera.back[2]) * 180) / Math.PI;
    return [...this.#inFocus((away) => [at(away, left), at(away, right)], reach), ...cameraSign(from, -angle, [at(reach, left), at(reach, right)])];
  }

  /** From where to where it is in focus, between the edges of what is seen. */
  #inFocus(edges, reach) {
    const { sharp } = this.pose.lens;
    if (!sharp) return [];
    const [near, far] = [edges(sharp[0]), edges(Math.min(sharp[1] ?? reach, Math.max(reach, sharp[0])))];
    const corners = [near[0], near[1], far[1], far[0]].map((p) => p.map((v) => v.toFixed(1)).join(","));
    return [draw("polygon", { points: corners.join(" "), fill: TAPE.camera, "fill-opacity": 0.2, "pointer-events": "none" }, draw("title", {}, "In focus"))];
  }

  /** Cameras that are not on, where they stand at rest; they are dragged too. */
  #otherCameras(flat, side) {
    return this.store.state.other_cameras.map(({ id, name, rows, aim }) => {
      const here = this.inHand?.camera === id ? this.inHand.at : null;
      const [x, y] = here ?? flat([rows[3], rows[7], rows[11]]);
      const to = flat(aim);
      const angle = (Math.atan2(y - to[1], x - to[0]) * 180) / Math.PI - 90;
      return draw("g", { class: "grab", "data-grab": "other", "data-camera": id, opacity: 0.55, transform: `translate(${x} ${y}) rotate(${angle}) scale(${side ? 0.8 : 0.85})` },
        draw("rect", { x: -7, y: -2, width: 14, height: 12, rx: 2, fill: "#fff", stroke: TAPE.camera }), draw("path", { d: "M-4 -2L-6 -8H6L4 -2Z", fill: "#fff", stroke: TAPE.camera }),
        draw("circle", { r: 13, fill: "transparent" }), draw("title", {}, `${name}, not on`));
    });
  }

  #top() {
    const lamps = this.#lights().map((light) => {
      const length = Math.hypot(light.at[0], light.at[2]) || 1;
      const angle = (-Math.atan2(light.at[0], light.at[2]) * 180) / Math.PI;
      return { light, at: this.#at(light.at), out: [light.at[0] / length, light.at[2] / length], angle, half: Math.hypot(...light.u) };
    });
    return [...rings(this), ...setFromAbove(this, this.store.state.project.set), ...this.#outlines((p) => this.#at(p)), ...this.#axis(), ...this.#ring((p) => this.#at(p)), ...this.paths.show((p) => this.#at(p)), ...this.#lamps(lamps, (light) => this.#at(light.aim), this.#at(this.#camera().at)), ...this.#otherCameras((p) => this.#at(p), false), ...this.#wedge(), ...this.paths.showSketch((p) => this.#at(p))];
  }

  /** Lamps with their beams towards what they aim at and their names. */
  #lamps(lamps, aim, camera) {
    const beam = ({ light, at }) => draw("line", { x1: at[0], y1: at[1], x2: aim(light)[0], y2: aim(light)[1], stroke: TAPE.light, "stroke-opacity": light.lit ? 0.35 : 0, "stroke-dasharray": "2 4" });
    this.lamps = lamps;
    const chosen = lamps.find(({ light }) => light.id === this.floor.chosen.light);
    const shown = chosen && this.floor.station === "light" ? handles(chosen, this.#document(chosen.light.id), aim(chosen.light), this.scale, this.side) : [];
    return [...lamps.flatMap((one) => [beam(one), lamp(one, this.scale)]), ...names(lamps, camera, this.scale), ...shown];
  }

  /** Side view in the plane of the camera: its side to the right, lights turned into the plane. */
  #elevation() {
    const camera = this.#camera();
    const along = Math.hypot(camera.back[0], camera.back[2]) || 1;
    const axis = [camera.back[0] / along, camera.back[2] / along];
    const flat = (p) => [this.origin[0] + (p[0] * axis[0] + p[2] * axis[1]) * this.scale, this.origin[1] - p[1] * this.scale];
    const ground = draw("line", { x1: 0, x2: this.w, y1: this.origin[1], y2: this.origin[1], stroke: TAPE.set, "stroke-width": 1.5 });
    const items = [...heights(this), ground];
    const { disc } = this.store.state.project.set;
    if (disc.on) items.push(draw("rect", { x: this.origin[0] - disc.radius_m * this.scale, y: this.origin[1] - disc.height_m * this.scale, width: 2 * disc.radius_m * this.scale, height: Math.max(1, disc.height_m * this.scale), fill: TAPE.set, "fill-opacity": 0.45 }));
    items.push(...this.#outlines(flat));
    const aim = flat(this.pose.lens.aim);
    const lamps = this.#lights().map((light) => {
      const radius = Math.hypot(light.at[0], light.at[2]) * Math.sign(light.at[0] * axis[0] + light.at[2] * axis[1] || 1);
      const at = [this.origin[0] + radius * this.scale, this.origin[1] - light.at[1] * this.scale];
      const away = Math.atan2(at[1] - aim[1], at[0] - aim[0]);
      return { light, at, out: [Math.cos(away), Math.sin(away)], angle: (away * 180) / Math.PI - 90, half: Math.hypot(...light.v) };
    });
    return [...items, ...this.#sideTrail(flat), ...this.paths.show(flat), ...this.#lamps(lamps, (light) => flat(light.aim), flat(camera.at)), ...this.#otherCameras(flat, true), ...this.#sideCamera(camera, flat, aim)];
  }

  /** Where the camera goes, unless it only goes round at one height. */
  #sideTrail(flat) {
    if (this.store.state.shot.plain) return [];
    return [draw("polyline", { points: this.#trail().map((p) => flat(p).map((v) => v.toFixed(1)).join(",")).join(" "), fill: "none", stroke: TAPE.camera, "stroke-width": 1.25 })];
  }

  #sideCamera(camera, flat, aim) {
    const from = flat(camera.at);
    const up = [camera.back[1] * camera.right[2] - camera.back[2] * camera.right[1], camera.back[2] * camera.right[0] - camera.back[0] * camera.right[2], camera.back[0] * camera.right[1] - camera.back[1] * camera.right[0]];
    const reach = (Math.hypot(from[0] - aim[0], from[1] - aim[1]) / this.scale) * 1.2;
    const [, , lower, upper] = this.pose.lens.field;
    const at = (away, side) => flat(camera.at.map((p, i) => p + (side * up[i] - camera.back[i]) * away));
    const angle = (Math.atan2(from[1] - aim[1], from[0] - aim[0]) * 180) / Math.PI - 90;
    return [...this.#inFocus((away) => [at(away, lower), at(away, upper)], reach), ...cameraSign(from, angle, [at(reach, lower), at(reach, upper)])];
  }

  #take(e) {
    if (this.paths.click(e)) return null;
    const target = e.target.closest("[data-grab]");
    if (!target) return null;
    const { grab: what, light, item, path, point, side, camera } = target.dataset;
    this.inHand = { what, light, item, path, point, side, camera, changes: [] };
    this.paths.held = what === "point" ? this.paths.place(this.inHand) : null;
    if (what === "item") this.inHand.from = { ...withId(this.store.state.project.items, item).placement };
    this.floor.choose({ light: "light", aim: "light", size: "light", item: "subject" }[what] ?? "camera", light ?? item);
    const { frame } = this.clock;
    const letGo = () => (this.inHand = null);
    const cancel = () => {
      letGo();
      if (frame !== this.clock.frame) this.clock.go(frame);
      this.floor.settle();
    };
    const click = () => {
      letGo();
      if (light) this.show(); // with its handles; what may be clicked twice stays as it is
    };
    return { move: (at) => this.#move(at), drop: () => this.#drop(), click, cancel };
  }

  #move(e) {
    const box = this.svg.getBoundingClientRect();
    const x = (e.clientX - box.left - this.origin[0]) / this.scale;
    const y = (e.clientY - box.top - this.origin[1]) / this.scale;
    this.inHand.at = [x * this.scale + this.origin[0], y * this.scale + this.origin[1]];
    const { what } = this.inHand;
    if (what === "aim" || what === "size") this.inHand.changes = this.#dragHandle(what, [x, y]);
    else this.inHand.changes = this.side ? this.#dragSide(x, -y) : this.#dragTop(x, y);
    if (this.inHand.what === "other") this.show();
    else if (this.inHand.changes.length) this.floor.attempt(this.inHand.changes);
  }

  #set(path, value, digits) {
    return { kind: "set", path, value: Number(value.toFixed(digits)) };
  }

  /** @param {number} metres of a distance, to four digits: subjects may be small or large */
  #away(path, metres) {
    return { kind: "set", path, value: Number(Math.max(schema.distances.nearest_m, metres).toPrecision(4)) };
  }

  #dragTop(x, z) {
    const { shot, lens } = this.store.state;
    const from = (aim) => [x - aim[0], z - aim[2]];
    const azimuthOf = (/** @type {number[]} */ [dx, dz]) => (Math.atan2(dx, dz) * 180) / Math.PI;
    const reach = (/** @type {number[]} */ [dx, dz], elevation) => Math.hypot(dx, dz) / Math.max(Math.cos(rad(elevation)), 0.05);
    if (this.inHand.what === "item") return this.#dragItem(x, z);
    if (["path", "point", "handle"].includes(this.inHand.what)) return this.paths.drag(this.inHand, { x, z });
    if (this.inHand.what === "light") {
      const { elevation_deg: elevation } = this.store.value(this.#light());
      // where it has gone along with something, it is put where that is at rest
      const light = withId(lens.lights, this.inHand.light);
      const [px, , pz] = carriedBack(light, this.pose, [x, 0, z]);
      const { aim } = light;
      const at = [px - aim[0], pz - aim[2]];
      return [this.#set(`${this.#light()}/azimuth_deg`, wrap(azimuthOf(at)), 1), this.#away(`${this.#light()}/distance_m`, reach(at, elevation))];
    }
    if (this.inHand.what === "other") {
      const at = from(this.#other().aim);
      const place = `cameras/${this.inHand.camera}`;
      return [this.#set(`${place}/azimuth_deg`, wrap(azimuthOf(at)), 1), this.#away(`${place}/distance_m`, reach(at, this.store.value(`${place}/elevation_deg`)))];
    }
    const azimuth = azimuthOf(from(lens.aim));
    const moves = !shot.plain || (shot.kind === "orbit" && shot.turns !== 0);
    const onRing = this.inHand.what === "ring" || moves;
    if (onRing) this.clock.go(this.#nearest(x, z));
    if (this.inHand.what === "ring" || !shot.plain) return [];
    const distance = this.#away(this.store.full("camera/distance_m"), reach(from(lens.aim), this.store.value("camera/elevation_deg")));
    return onRing ? [distance] : [distance, this.#set(this.store.full("camera/azimuth_deg"), wrap(azimuth), 1)];
  }

  #dragHandle(what, to) {
    const drawn = this.lamps.find(({ light }) => light.id === this.inHand.light);
    const from = drawn.at.map((v, i) => (v - this.origin[i]) / this.scale);
    return dragHandle(what, this.#document(this.inHand.light), drawn.light, { pose: this.pose, to, from, side: this.side, path: this.#light() });
  }

  /** The frame whose place on the trail is nearest in direction, and then in distance. */
  #nearest(x, z) {
    const { shot } = this.store.state;
    let best = [Infinity, 0];
    this.#trail().forEach((p, i) => {
      const size = (Math.hypot(x, z) || 1) / (Math.hypot(p[0], p[2]) || 1);
      const scaled = shot.plain ? size : 1; // who goes round is found by direction alone, however far it is pulled
      const away = Math.hypot(p[0] * scaled - x, p[2] * scaled - z);
      if (away < best[0] - 1e-9) best = [away, i];
    });
    return shot.first + best[1] * shot.step;
  }

  /** The camera that is not on and is dragged. */
  #other() {
    return withId(this.store.state.other_cameras, this.inHand.camera);
  }

  /** A light's document. */
  #document(id) {
    return withId(this.store.look.lights, id);
  }

  /** Path of the light that is dragged. */
  #light() {
    return this.store.full(`look/lights/${this.inHand.light}`);
  }

  /** An item goes along with the pointer. */
  #dragItem(x, z) {
    const { from, item } = this.inHand;
    this.inHand.held ??= [x, z];
    const place = `items/${item}/placement`;
    const step = (value) => Number(value.toPrecision(4));
    return [["x_m", from.x_m + x - this.inHand.held[0]], ["z_m", from.z_m + z - this.inHand.held[1]]]
      .map(([name, value]) => ({ kind: "set", path: `${place}/${name}`, value: step(value) }));
  }

  #dragSide(x, y) {
    if (this.inHand.what === "item") return [];
    if (["path", "point", "handle"].includes(this.inHand.what)) return this.paths.drag(this.inHand, { y });
    const { aim } = { light: () => this.store.state.lens.lights.find((l) => l.id === this.inHand.light), other: () => this.#other() }[this.inHand.what]?.() ?? this.store.state.lens;
    const rise = y - aim[1];
    const elevation = (from) => Math.min(89, Math.max(-89, (Math.atan2(rise, from) * 180) / Math.PI));
    if (this.inHand.what === "light")
      return [this.#set(`${this.#light()}/elevation_deg`, elevation(Math.abs(x)), 1), this.#away(`${this.#light()}/distance_m`, Math.hypot(x, rise))];
    const place = this.inHand.what === "other" ? `cameras/${this.inHand.camera}` : this.store.full("camera");
    return [this.#set(`${place}/elevation_deg`, elevation(Math.max(x, schema.distances.nearest_m)), 1), this.#away(`${place}/distance_m`, Math.hypot(x, rise))];
  }

  async #drop() {
    const { changes: dragged } = this.inHand;
    this.inHand = null;
    const pulled = this.store.full("camera/distance_m");
    // a drag along the ring scrubs; the distance only counts when it was really pulled in or out
    const changes = dragged.filter((c) => {
      const before = this.store.value(c.path);
      return c.path !== pulled || this.side || Math.abs(c.value / before - 1) > 0.03;
    });
    if (changes.length) await this.store.change(...changes);
    else this.floor.settle();
  }
}
