/** The timeline: clips to scale with their pictures, titles, sounds, markers; dragged, trimmed, held. */

import { byId } from "../shared/dom.js";
import { drag } from "../shared/drag.js";
import { draw, get, make } from "../shared/api.js";
import { toHex } from "../shared/colour.js";

const THUMB_PX = 92;
const SNAP_PX = 7;
const LANE_PX = 34;
const TICKS_PX = 70;
const LABEL_PX = 36;

export class Timeline {
  /**
   * @param {import("./store.js").CutStore} store
   * @param {{chosen: () => {kind: string|null, id: string|null}, choose: (kind: string|null, id: string|null) => void, go: (frame: number) => void, frame: () => number, range: () => [number, number]|null, ripple: () => boolean}} bench
   */
  constructor(store, bench) {
    this.store = store;
    this.bench = bench;
    this.scroll = byId("tl-scroll");
    this.inner = byId("tl-inner");
    /** px a frame; null: all in view */
    this.scale = null;
    this.peaks = new Map();
    this.waiting = 0;
    this.scroll.addEventListener("wheel", (e) => this.#wheel(e), { passive: false });
    this.scroll.addEventListener("scroll", () => this.#later());
    new ResizeObserver(() => this.#later()).observe(this.scroll);
  }

  get px() {
    const all = Math.max(24, this.store.state.total);
    return this.scale ?? Math.max(0.0005, (this.scroll.clientWidth - 90) / all);
  }

  zoom(by, around = this.bench.frame()) {
    const before = this.px;
    const left = around * before - this.scroll.scrollLeft;
    this.scale = by === 0 ? null : Math.min(60, Math.max(0.002, before * by));
    this.show();
    this.scroll.scrollLeft = around * this.px - left;
  }

  #wheel(e) {
    if (!e.ctrlKey && !e.metaKey) return;
    e.preventDefault();
    this.zoom(Math.exp(-e.deltaY / 300), this.#frameAt(e));
  }

  #later() {
    if (!this.store.state) return;
    cancelAnimationFrame(this.waiting);
    this.waiting = requestAnimationFrame(() => this.show());
  }

  #frameAt(e) {
    return (e.clientX - this.inner.getBoundingClientRect().left) / this.px;
  }

  show() {
    const { store } = this;
    const [px, { cut, total }] = [this.px, store.state];
    const tracks = Math.max(1, ...cut.sounds.map((s) => s.track));
    this.inner.style.width = `${Math.max(this.scroll.clientWidth - 4, total * px + 80)}px`;
    this.inner.style.height = `${22 + 66 + 28 + tracks * LANE_PX + 8}px`;
    const [from, to] = [this.scroll.scrollLeft / px - 20, (this.scroll.scrollLeft + this.scroll.clientWidth) / px + 20];
    const seen = (start, end) => end >= from && start <= to;
    const parts = [this.#ruler(px, from, to)];
    for (const [i, line] of store.state.clips.entries()) if (seen(line.start, line.end)) parts.push(this.#clip(line, cut.clips[i], px));
    for (const title of cut.titles) {
      const start = store.state.title_starts[title.id];
      if (seen(start, start + title.length)) parts.push(this.#title(title, start, px));
    }
    for (const sound of cut.sounds) if (seen(sound.start, sound.start + sound.length)) parts.push(this.#sound(sound, px));
    for (const marker of cut.markers) if (seen(marker.frame, marker.frame)) parts.push(this.#marker(marker, px));
    parts.push((this.head = make("div", { class: "tl-head", "aria-hidden": "true" })));
    const focused = document.activeElement?.dataset?.thing;
    this.inner.replaceChildren(...parts);
    if (focused) this.inner.querySelector(`[data-thing="${focused}"]`)?.focus({ preventScroll: true });
    this.place();
  }

  /** The playhead where it is now. */
  place() {
    if (this.head) this.head.style.transform = `translateX(${(this.bench.frame() + 0.5) * this.px}px)`;
  }

  #ruler(px, from, to) {
    const rate = Math.round(this.store.rate());
    const step = [1, 2, 5, 10, rate, 2 * rate, 5 * rate, 10 * rate, 30 * rate, 60 * rate, 300 * rate, 1800 * rate, 7200 * rate].find((s) => s * px > TICKS_PX) ?? 36000 * rate;
    const svg = draw("svg", { class: "tl-ruler", width: "100%", height: 22, "aria-hidden": "true" });
    for (let f = Math.max(0, Math.floor(from / step) * step); f <= to; f += step) {
      svg.append(draw("line", { x1: f * px, x2: f * px, y1: 14, y2: 22, stroke: "var(--color-soft)" }));
      // one that the edge would cut is left out
      if (f * px + LABEL_PX < this.inner.offsetWidth) svg.append(draw("text", { x: f * px + 3, y: 12 }, step >= rate ? `${+(f / this.store.rate()).toFixed(2)} s` : String(f)));
    }
    for (const beat of this.store.state.beats) if (beat >= from && beat <= to) svg.append(draw("circle", { cx: beat * px, cy: 19, r: 1.6, fill: "var(--color-set)" }));
    const range = this.bench.range();
    if (range) svg.append(draw("rect", { x: range[0] * px, y: 0, width: (range[1] - range[0] + 1) * px, height: 22, fill: "var(--color-ink)", opacity: 0.12 }));
    drag(svg, () => {
      const before = this.bench.frame();
      return { atOnce: true, move: (e) => this.bench.go(Math.floor(this.#frameAt(e))), cancel: () => this.bench.go(before) };
    });
    return svg;
  }

  #box(kind, thing, start, length, top, height, label, ...children) {
    const chosen = this.bench.chosen();
    const box = make("button", { type: "button", class: `tl-box tl-${kind}`, "data-thing": `${kind}:${thing.id}`, "aria-label": label, title: label,
      "aria-pressed": chosen.kind === kind && chosen.id === thing.id, style: `left:${start * this.px}px;width:${Math.max(3, length * this.px - 1)}px;top:${top}px;height:${height}px` }, ...children);
    box.addEventListener("click", () => this.bench.choose(kind, thing.id));
    return box;
  }

  #clip(line, clip, px) {
    const length = line.end - line.start;
    const box = this.#box("clip", clip, line.start, length, 22, 64, line.sentence);
    box.classList.toggle("gone", line.gone);
    const count = Math.min(line.shows.length, Math.max(1, Math.ceil((length * px) / THUMB_PX)));
    if (clip.take_id && !line.gone) {
      const strip = make("span", { class: "tl-film" });
      for (let k = 0; k < count; k++) strip.append(make("img", { src: `/api/takes/${clip.take_id}/thumbs/${line.shows[Math.floor(((k + 0.5) * line.shows.length) / count)]}`, alt: "", loading: "lazy", draggable: "false" }));
      box.append(strip);
    } else box.append(make("span", { class: "tl-film", style: `background:${clip.picture ? "var(--color-shade)" : toHex(clip.colour)}` }));
    const wide = (frames) => `${(100 * frames) / length}%`;
    if (clip.hold_before) box.append(make("span", { class: "tl-held left-0", style: `width:${wide(clip.hold_before)}` }));
    if (clip.hold_after) box.append(make("span", { class: "tl-held right-0", style: `width:${wide(clip.hold_after)}` }));
    if (clip.fade_in) box.append(slope(wide(Math.min(length, clip.fade_in)), "left-0", "0,0 0,1 1,0"));
    if (clip.fade_out) box.append(slope(wide(Math.min(length, clip.fade_out)), "right-0", "1,0 1,1 0,0"));
    if (line.cross_in) box.append(make("span", { class: "tl-cross left-0", style: `width:${wide(line.cross_in)}` }));
    box.append(make("span", { class: "tl-name" }, clip.name));
    for (const edge of ["begin", "end"]) {
      const grip = make("span", { class: `tl-grip ${edge}`, title: edge === "begin" ? "Drag: begin later or earlier" : "Drag: end earlier or later" });
      this.#drag(grip, (frames) => this.#ghost(box, edge === "begin" ? frames : 0, edge === "begin" ? -frames : frames),
        (frames) => this.store.perform({ do: "trim", clip: clip.id, edge, by: frames, ripple: this.bench.ripple() }), edge === "begin" ? line.start : line.end);
      box.append(grip);
    }
    for (const [name, way, side] of /** @type {[string, number, string][]} */ ([["fade_in", 1, "left"], ["fade_out", -1, "right"]])) {
      const dot = make("span", { class: "tl-fade", style: `${side}:max(7px, calc(${wide(Math.min(length, clip[name]))} - 5px))`, title: name === "fade_in" ? "Drag: fade in" : "Drag: fade out" });
      this.#drag(dot, (frames) => dot.style.setProperty("transform", `translateX(${frames * px}px)`), (frames) => this.store.set(`clips/${clip.id}/${name}`, Math.min(length, Math.max(0, clip[name] + way * frames))));
      box.append(dot);
    }
    const hold = make("span", { class: "tl-hold", title: "Drag: hold the last picture" });
    this.#drag(hold, (frames) => this.#ghost(box, 0, Math.max(frames, -clip.hold_after)), (frames) => this.store.set(`clips/${clip.id}/hold_after`, Math.max(0, clip.hold_after + frames)), line.end);
    box.append(hold);
    this.#drag(box, (frames) => box.style.setProperty("transform", `translateX(${frames * px}px)`), (frames) => this.#carried(clip, line, frames));
    return box;
  }

  /** A clip dropped elsewhere: at another place of the order, or with another gap before it. */
  #carried(clip, line, frames) {
    const { clips } = this.store.state;
    const middle = (line.start + line.end) / 2 + frames;
    const to = clips.filter((c) => c.id !== clip.id && (c.start + c.end) / 2 < middle).length;
    const from = this.store.cut.clips.indexOf(clip);
    if (to !== from) return this.store.perform({ do: "carry", clip: clip.id, to });
    return this.bench.ripple() ? this.show() : this.store.set(`clips/${clip.id}/gap`, Math.max(0, clip.gap + frames));
  }

  #ghost(box, left, wider) {
    box.style.marginLeft = `${left * this.px}px`;
    box.style.width = `${Math.max(3, (Number.parseFloat(box.dataset.width ??= box.style.width) || 0) + wider * this.px)}px`;
  }

  #title(title, start, px) {
    const box = this.#box("title", title, start, title.length, 90, 24, `Title: ${title.text || title.kind}`, make("span", { class: "tl-name" }, title.text || title.kind));
    this.#span(box, title, start, "titles", px);
    return box;
  }

  /** A title or a sound is moved, and made longer at its end. */
  #span(box, thing, start, list, px) {
    const grip = make("span", { class: "tl-grip end", title: "Drag: longer or shorter" });
    this.#drag(grip, (frames) => this.#ghost(box, 0, frames), (frames) => this.store.set(`${list}/${thing.id}/length`, Math.max(1, thing.length + frames)), start + thing.length);
    box.append(grip);
    this.#drag(box, (frames) => box.style.setProperty("transform", `translateX(${frames * px}px)`), (frames) => this.store.set(`${list}/${thing.id}/start`, Math.max(0, thing.start + frames)), start);
  }

  #sound(sound, px) {
    const svg = draw("svg", { class: "tl-wave", preserveAspectRatio: "none", viewBox: "0 0 1 2", "aria-hidden": "true" });
    const box = this.#box("sound", sound, sound.start, sound.length, 118 + (sound.track - 1) * LANE_PX, LANE_PX - 4, this.store.state.sounds[sound.id], svg, make("span", { class: "tl-name" }, sound.name));
    this.#wave(sound, svg);
    this.#span(box, sound, sound.start, "sounds", px);
    return box;
  }

  async #wave(sound, svg) {
    const key = sound.made || sound.asset;
    if (!this.peaks.has(key)) this.peaks.set(key, get(`/api/sounds/${key}/peaks`).catch(() => null));
    const told = await this.peaks.get(key);
    if (!told?.peaks.length) return;
    const seconds = sound.length / this.store.rate();
    const count = Math.max(2, Math.min(900, Math.round(sound.length * this.px)));
    const loud = 10 ** (sound.gain_db / 20);
    const at = (k) => {
      const i = Math.floor((sound.begin_s + (k / count) * seconds) * told.per_s);
      return Math.min(1, loud * (told.peaks[sound.loop ? i % told.peaks.length : i] ?? 0));
    };
    const heights = Array.from({ length: count }, (_, k) => at(k));
    const side = (sign) => heights.map((v, k) => `${(k / (count - 1)).toFixed(4)},${(1 + sign * v).toFixed(3)}`);
    svg.replaceChildren(draw("polygon", { points: [...side(-1), ...side(1).toReversed()].join(" ") }));
  }

  #marker(marker, px) {
    const box = this.#box("marker", marker, marker.frame, 0, 0, 22, `Marker: ${marker.name}`);
    this.#drag(box, (frames) => box.style.setProperty("transform", `translateX(${frames * px}px)`), (frames) => this.store.set(`markers/${marker.id}/frame`, Math.max(0, marker.frame + frames)), marker.frame);
    return box;
  }

  /** Frames that things snap to. */
  #places() {
    const { cut, clips, title_starts, beats, total } = this.store.state;
    return [0, total, this.bench.frame(), ...beats, ...cut.markers.map((m) => m.frame), ...clips.flatMap((c) => [c.start, c.end]),
      ...cut.sounds.flatMap((s) => [s.start, s.start + s.length]), ...cut.titles.flatMap((t) => [title_starts[t.id], title_starts[t.id] + t.length])];
  }

  /**
   * @param {HTMLElement} grip
   * @param {(frames: number) => void} move while it is dragged
   * @param {(frames: number) => void} drop
   * @param {number|null} at the frame that snaps
   */
  #drag(grip, move, drop, at = null) {
    drag(grip, (e) => {
      e.stopPropagation();
      const [x, places] = [e.clientX, this.#places()];
      let frames = 0;
      const dragged = (now) => {
        frames = Math.round((now.clientX - x) / this.px);
        if (at !== null && !now.altKey) {
          const near = places.filter((p) => p !== at).reduce((best, p) => (Math.abs(p - at - frames) < Math.abs(best - at - frames) ? p : best), Infinity);
          if (Math.abs(near - at - frames) * this.px < SNAP_PX) frames = near - at;
        }
        move(frames);
      };
      const dropped = () => {
        // what was dragged is not also clicked
        this.inner.addEventListener("click", (c) => c.stopPropagation(), { capture: true, once: true });
        setTimeout(() => this.inner.dispatchEvent(new Event("click")), 0);
        if (frames) drop(frames);
        else this.show();
      };
      return { move: dragged, drop: dropped, cancel: () => this.show() };
    });
  }
}

function slope(width, side, points) {
  return make("span", { class: `tl-slope ${side}`, style: `width:${width}` }, draw("svg", { viewBox: "0 0 1 1", preserveAspectRatio: "none" }, draw("polygon", { points })));
}
