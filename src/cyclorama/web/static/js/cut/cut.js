/** The cutting bench: plays the cut as it is delivered, puts things in, trims, holds, fades, writes over, hands over. */

import { byId } from "../shared/dom.js";
import { post, say, upload } from "../shared/api.js";
import { calculate } from "../shared/arithmetic.js";
import { CutCard } from "./card.js";
import { copyPicture } from "../shared/clipboard.js";
import { CutDelivery } from "./deliver.js";
import { TitleDrag } from "./title_drag.js";
import { CutPosts } from "./post.js";
import { CutShelf } from "./shelf.js";
import { CutStore, LISTS } from "./store.js";
import { Timeline } from "./timeline.js";
import { bindKeys } from "../shared/keys.js";
import { Pictures, Player } from "../shared/player.js";
import { poll } from "../shared/poll.js";
import { bindTabs } from "../shared/tabs.js";

/** Pictures that are played are no wider, px. */
const PLAYED_PX = 640;
const LOOK_EVERY_MS = 4000;
const CROSS = 12;
const MOST_WARM = 900;

/** An id that nothing in the cut has. */
const newId = (kind) => `${kind}-${crypto.getRandomValues(new Uint32Array(1))[0].toString(16)}`;

class CuttingBench {
  constructor() {
    this.id = JSON.parse(byId("project-id").textContent);
    this.store = new CutStore(this.id);
    this.at = 0;
    /** @type {{kind: string|null, id: string|null}} */
    this.chosen = { kind: null, id: null };
    /** first and last frame that are played; null: all */
    this.range = null;
    this.ripple = true;
    this.clear = false;
    this.withSound = true;
    this.pictures = new Pictures();
    const bench = {
      chosen: () => this.chosen, choose: (kind, id) => this.choose(kind, id), go: (frame) => this.go(frame), frame: () => this.at, range: () => this.range, showClear: (on) => this.#showClear(on),
      ripple: () => this.ripple, takes: () => this.shelf.takes, shape: () => byId("shape").value || this.store.state.shape, keepPicture: (files) => upload(`/api/projects/${this.id}/pictures`, files), keepFont: (files) => upload(`/api/projects/${this.id}/fonts`, files), useFont: (id) => post(`/api/projects/${this.id}/fonts/${id}`),
    };
    this.shelf = new CutShelf(this.id, { addClip: (what) => this.#addClip(what), putSound: (sound) => this.#putSound(sound), changed: () => this.card.show() });
    this.timeline = new Timeline(this.store, bench);
    this.card = new CutCard(this.store, bench);
    this.drag = new TitleDrag(this.store, { ...bench, placeTitle: (title, by) => this.card.moveTitle(title, by) });
    const posts = document.getElementById("panel-post") && new CutPosts(this.id);
    this.delivery = new CutDelivery(this.id, this.store, bench, (all) => posts?.offer(all));
    const source = { rate: () => this.store.rate(), address: (i) => this.#address(i, true), show: (i) => this.#arrive(i), dropped: (count) => (byId("dropped").textContent = `${count} dropped`) };
    this.player = new Player(source, this.pictures);
    this.store.subscribe((state) => this.#took(state));
    this.store.bindBar();
    this.tab = bindTabs((name) => this.delivery.open(name === "deliver"));
    this.#bind();
  }

  async begin() {
    this.there = this.store.load();
    await this.there;
    const take = new URLSearchParams(location.search).get("take");
    this.tab(location.hash.slice(1) || "shelf");
    await Promise.all([this.shelf.begin(), this.delivery.begin()]);
    if (take && !this.store.cut.clips.length) await this.shelf.beginWith(take);
    poll(() => !this.player.playing && Promise.all([this.store.look(), this.shelf.look()]), LOOK_EVERY_MS);
  }

  #took(state) {
    const { cut } = state;
    if (this.chosen.kind && !this.store.thing(this.chosen)) this.chosen = { kind: null, id: null };
    this.at = Math.min(this.at, Math.max(0, state.total - 1));
    if (this.range && this.range[1] >= state.total) this.range = null;
    byId("says").textContent = state.sentence;
    byId("undo").disabled = !state.undo && state.undo !== "";
    byId("undo").title = state.undo ? `Undo: ${state.undo} (Ctrl+Z)` : "Nothing to undo";
    byId("redo").disabled = !state.redo;
    byId("nothing").hidden = state.total > 0;
    if (!state.total) byId("screen").hidden = true;
    this.#layStage();
    this.timeline.show();
    this.card.show();
    this.delivery.showFaults();
    const heard = cut.sounds.length && state.total ? `${this.store.url}/sound.wav?v=${state.heard}` : "";
    const playing = this.player.playing;
    if ((byId("audio").getAttribute("src") ?? "") !== heard) {
      if (playing) this.#play(); // what is heard begins anew: so does what is seen
      if (heard) byId("audio").setAttribute("src", heard);
      else byId("audio").removeAttribute("src");
      if (playing) this.#play();
    }
    if (state.total && !playing) this.go(this.at);
  }

  /** How wide a picture is worth asking for: whole steps, so that the same ones are asked for again. */
  get #width() {
    return Math.max(160, Math.ceil((byId("frame").clientWidth * Math.min(2, window.devicePixelRatio || 1)) / 64) * 64);
  }

  #layStage() {
    const [stage, frame] = [byId("stage"), byId("frame")];
    const { width, height } = this.store.cut;
    const [wide, high] = byId("shape").value ? byId("shape").value.split(":").map(Number) : [width, height];
    const scale = Math.min((stage.clientWidth - 36) / wide, (stage.clientHeight - 36) / high);
    const [w, h] = [Math.round(wide * scale), Math.round(high * scale)];
    Object.assign(frame.style, { width: `${w}px`, height: `${h}px`, left: `${(stage.clientWidth - w) / 2}px`, top: `${(stage.clientHeight - h) / 2}px` });
  }

  /** @param {boolean} playing narrower then, so that they come in time */
  #address(i, playing = this.player.playing) {
    return this.#addressOf(i, { width: playing ? Math.min(PLAYED_PX, this.#width) : this.#width });
  }

  /** Over squares instead of the cut's colour, as a delivery with alpha holds it. @param {boolean} on */
  #showClear(on) {
    if (on === this.clear) return;
    this.clear = on;
    byId("frame").classList.toggle("clear", on);
    if (this.store.state?.total && !this.player.playing) this.go(this.at);
  }

  /** In the shape that is looked at. */
  #addressOf(i, how) {
    const query = new URLSearchParams({ ...how, v: this.store.state.stamp, ...(byId("shape").value ? { shape: byId("shape").value } : {}), ...(this.clear ? { clear: "1" } : {}) });
    return `${this.store.url}/frames/${i}?${query}`;
  }

  /** Show a frame of the cut; beyond its ends the nearest. */
  async go(frame) {
    await this.there; // a key may come while the cut is still on its way
    const { total } = this.store.state;
    if (!total) return;
    this.#arrive(Math.min(total - 1, Math.max(0, frame)));
  }

  async #arrive(frame) {
    this.at = frame;
    const { total } = this.store.state;
    if (document.activeElement !== byId("frame-now")) byId("frame-now").value = frame;
    byId("frame-time").textContent = `${(frame / this.store.rate()).toFixed(2)} of ${(total / this.store.rate()).toFixed(2)} s`;
    this.timeline.place();
    if (!this.player.playing) this.drag.show();
    const address = this.#address(frame);
    const image = this.pictures.load(address);
    if (!image.complete) await image.decode().catch(() => this.#unreadable(address));
    if (frame !== this.at || address !== this.#address(frame)) return;
    if (image.naturalWidth) {
      byId("screen").src = image.src;
      byId("screen").hidden = false;
      byId("wrong").hidden = true;
    } else byId("screen").hidden = true; // a broken picture says nothing; the sentence does
    if (!this.player.playing) this.#warm();
  }

  /** While nothing else is wanted, frames are made from here on, so that playing needs not wait for them. */
  async #warm() {
    const run = (this.warming = {});
    const { total, stamp } = this.store.state;
    for (let k = 1; k < Math.min(total, MOST_WARM); k++) {
      const image = this.pictures.load(this.#address((this.at + k) % total, true));
      if (!image.complete) await image.decode().catch(() => null);
      if (this.warming !== run || this.player.playing || document.hidden || stamp !== this.store.state.stamp) return;
    }
  }

  async #unreadable(address) {
    const answer = await fetch(address, { headers: { accept: "application/json" } }).catch(() => null);
    const told = answer && !answer.ok ? await answer.json().catch(() => ({})) : {};
    byId("wrong").textContent = told.error ?? "This frame cannot be made.";
    byId("wrong").hidden = false;
  }

  choose(kind, id) {
    this.chosen = { kind, id };
    this.timeline.show();
    this.card.show();
    this.drag.show();
    if (kind) this.tab("chosen");
  }

  #play() {
    const { total } = this.store.state;
    const audio = byId("audio");
    if (this.player.playing) {
      this.player.stop();
      audio.pause();
    } else if (total) {
      const [low, high] = this.range ?? [0, total - 1];
      const from = this.at >= high || this.at < low ? low : this.at;
      byId("dropped").textContent = "";
      const heard = this.withSound && audio.hasAttribute("src");
      this.player.play(from, [low, high], { seconds: heard ? this.#heard(audio, from, low, high) : null });
    }
    byId("play").textContent = this.player.playing ? "Pause" : "Play";
    if (!this.player.playing) this.go(this.at);
  }

  /** Sound is the clock where there is any: pictures follow it. It goes round with them. */
  #heard(audio, from, low, high) {
    const rate = this.store.rate();
    const [begin, length] = [low / rate, (high - low + 1) / rate];
    audio.currentTime = from / rate;
    audio.play().catch(() => say("The browser does not play sound here. Press Play once more."));
    let rounds = 0;
    audio.onended = () => {
      rounds += 1;
      audio.currentTime = begin;
      if (this.player.playing) audio.play();
    };
    return () => {
      if (audio.currentTime >= begin + length - 0.005 && !audio.ended) audio.onended();
      return audio.currentTime - begin + rounds * length;
    };
  }

  #bound(end) {
    const range = this.range ?? [0, this.store.state.total - 1];
    range[end] = this.at;
    this.range = range[0] < range[1] && (range[0] > 0 || range[1] < this.store.state.total - 1) ? range : null;
    this.timeline.show();
    if (this.player.playing) {
      this.#play();
      this.#play();
    }
  }

  /** The clip that is shown at the playhead, the later where two cross. */
  #clipHere() {
    return this.store.state.clips.findLast((c) => c.start <= this.at && this.at < c.end);
  }

  /** The frame that is shown, at the size of the cut, into the clipboard. */
  #copy() {
    return copyPicture(this.#addressOf(this.at, { width: Math.min(4096, this.store.cut.width), exact: true }), `Frame ${this.at}`);
  }

  async #split() {
    await this.store.perform({ do: "split", frame: this.at });
  }

  async #hold() {
    await this.store.perform({ do: "freeze", frame: this.at, frames: Math.round(this.store.rate()) });
  }

  /** Fade at the nearer edge of the clip here: in or out, the usual length; again takes it away. */
  async #fade() {
    const line = this.#clipHere();
    if (!line) return;
    const clip = this.store.thing({ kind: "clip", id: line.id });
    const edge = this.at - line.start < line.end - this.at ? "fade_in" : "fade_out";
    await this.store.set(`clips/${clip.id}/${edge}`, clip[edge] ? 0 : Math.min(CROSS, Math.max(1, Math.floor((line.end - line.start) / 2))));
  }

  async #cross() {
    const line = this.#clipHere();
    if (!line) return;
    const clip = this.store.thing({ kind: "clip", id: line.id });
    await this.store.set(`clips/${clip.id}/cross`, clip.cross ? 0 : CROSS);
  }

  /** The edge of the clip here is moved to the playhead. @param {"begin"|"end"} edge */
  async #trimHere(edge) {
    const line = this.#clipHere();
    if (!line) return;
    const by = edge === "begin" ? this.at - line.start : this.at + 1 - line.end;
    if (by) await this.store.perform({ do: "trim", clip: line.id, edge, by, ripple: this.ripple });
    if (edge === "begin" && this.ripple) this.go(line.start);
  }

  async #put(kind, what) {
    if (await this.store.perform({ do: "put", what })) this.choose(kind, what.id);
  }

  #writeTitle() {
    const length = Math.max(1, Math.round(2 * this.store.rate()));
    const name = document.querySelector("header a.font-medium").textContent.trim();
    return this.#put("title", { id: newId("title"), text: name, start: this.at, length, down: 82, too_wide: "wrap" });
  }

  #putSound(sound) {
    const { total } = this.store.state;
    const own = Math.max(1, Math.round(sound.seconds * this.store.rate()));
    const track = Math.min(8, 1 + Math.max(0, ...this.store.cut.sounds.map((s) => s.track)));
    const start = sound.goes_round ? 0 : this.at;
    return this.#put("sound", {
      id: newId("sound"), name: sound.name.split(",")[0], asset: sound.asset || null, made: sound.made, seconds: sound.seconds, beats_s: sound.beats_s, track, start,
      length: Math.max(1, sound.goes_round ? total : Math.min(own, Math.max(1, total - start))), loop: sound.goes_round,
    });
  }

  async #takeOut() {
    const { kind, id } = this.chosen;
    if (kind) await this.store.perform({ do: "take out", path: `${LISTS[kind]}/${id}`, ripple: this.ripple });
  }

  /** The chosen clip one place on or back in the order. */
  async #carry(by) {
    if (this.chosen.kind !== "clip") return;
    const at = this.store.cut.clips.findIndex((c) => c.id === this.chosen.id) + by;
    if (at >= 0 && at < this.store.cut.clips.length) await this.store.perform({ do: "carry", clip: this.chosen.id, to: at });
  }

  async #addClip(what) {
    const chosen = this.chosen.kind === "clip" ? this.store.cut.clips.findIndex((c) => c.id === this.chosen.id) + 1 : null;
    const before = new Set(this.store.cut.clips.map((c) => c.id));
    const state = await this.store.perform({ do: "add clip", ...what, at: chosen });
    const added = state?.cut.clips.find((c) => !before.has(c.id));
    if (!added) return;
    this.chosen = { kind: "clip", id: added.id };
    this.go(state.clips.find((c) => c.id === added.id).start);
    this.timeline.show();
    this.card.show();
  }

  #bind() {
    const click = (id, run) => byId(id).addEventListener("click", run);
    click("play", () => this.#play());
    click("undo", () => this.store.back("undo"));
    click("redo", () => this.store.back("redo"));
    click("keys-open", () => byId("keys").showModal());
    click("copy-frame", () => this.#copy());
    click("do-split", () => this.#split());
    click("do-hold", () => this.#hold());
    click("do-title", () => this.#writeTitle());
    click("do-marker", () => this.#put("marker", { id: newId("marker"), name: `Marker ${this.store.cut.markers.length + 1}`, frame: this.at }));
    click("take-out", () => this.#takeOut());
    click("add-card", () => this.#addClip({ name: "Card" }));
    click("add-picture", () => byId("file-picture").click());
    click("add-sound", () => byId("file-sound").click());
    click("ripple", () => byId("ripple").setAttribute("aria-pressed", String((this.ripple = !this.ripple))));
    click("quiet", () => {
      this.withSound = !this.withSound;
      byId("quiet").setAttribute("aria-pressed", String(this.withSound));
      if (this.player.playing) {
        this.#play();
        this.#play();
      }
    });
    byId("file-picture").addEventListener("change", (e) => this.#brought(e.target, async (files) => {
      const [picture] = await upload(`/api/projects/${this.id}/pictures`, files);
      await this.#addClip({ picture: picture.asset, name: picture.name });
    }));
    byId("file-sound").addEventListener("change", (e) => this.#brought(e.target, async (files) => this.#putSound(await upload(`/api/projects/${this.id}/sounds`, files))));
    for (const step of document.querySelectorAll("[data-step]")) step.addEventListener("click", () => this.go(this.at + Number(step.dataset.step)));
    byId("frame-now").addEventListener("change", async (e) => {
      await this.there; // it may be typed while the cut is still on its way
      const frame = calculate(e.target.value, "", this.store.rate());
      if (frame === null) say(`‘${e.target.value}’ is not a number.`);
      else this.go(Math.round(frame));
      e.target.blur();
    });
    byId("shape").addEventListener("change", () => {
      this.#layStage();
      this.card.show();
      this.go(this.at);
    });
    new ResizeObserver(() => {
      if (!this.store.state) return;
      this.#layStage();
      this.go(this.at);
    }).observe(byId("stage"));
    this.#bindKeys();
  }

  async #brought(input, use) {
    try {
      if (input.files.length) await use(input.files);
    } catch (error) {
      say(error.message, 10);
    }
    input.value = "";
  }

  #bindKeys() {
    const tab = (name) => () => this.tab(name);
    bindKeys("cut", [
      { keys: [" "], label: "Play, pause", run: () => this.#play() },
      { keys: ["ArrowLeft", "ArrowRight"], label: "Frame by frame", run: (at) => this.go(this.at + (at === 0 ? -1 : 1)) },
      { keys: ["Shift+ArrowLeft", "Shift+ArrowRight"], label: "Ten frames", run: (at) => this.go(this.at + (at === 0 ? -10 : 10)) },
      { keys: ["Home", "End"], label: "First frame, last frame", run: (at) => this.go(at === 0 ? 0 : this.store.state.total - 1) },
      { keys: ["b", "e"], label: "Play from here on, up to here", run: (at) => this.#bound(at === 0 ? 0 : 1) },
      { keys: ["/"], label: "Split the clip here", run: () => this.#split() },
      { keys: [",", "."], label: "The clip begins here, ends here", run: (at) => this.#trimHere(at === 0 ? "begin" : "end") },
      { keys: ["h"], label: "Hold this picture a second more", run: () => this.#hold() },
      { keys: ["o"], label: "Fade in or out here, or not", run: () => this.#fade() },
      { keys: ["x"], label: "Cross-fade into the next clip, or not", run: () => this.#cross() },
      { keys: ["t"], label: "Title here", run: () => this.#writeTitle() },
      { keys: ["c"], label: "Copy this frame", run: () => this.#copy() },
      { keys: ["n"], label: "Marker here", run: () => byId("do-marker").click() },
      { keys: ["Ctrl+ArrowLeft", "Ctrl+ArrowRight"], label: "The chosen clip earlier, later", run: (at) => this.#carry(at === 0 ? -1 : 1) },
      { keys: ["Delete", "Backspace"], label: "Remove selection", run: () => this.#takeOut() },
      { keys: ["+", "-", "0"], label: "Timeline larger, smaller, all of it", run: (at) => this.timeline.zoom([1.5, 1 / 1.5, 0][at]) },
      { keys: ["1"], label: "Add", run: tab("shelf") }, { keys: ["2"], label: "Selection", run: tab("chosen") }, { keys: ["3"], label: "Cut settings", run: tab("whole") }, { keys: ["4"], label: "Deliver", run: tab("deliver") }, { keys: ["5"], label: "Post", run: tab("post") },
      { keys: ["Ctrl+z"], label: "Undo", run: () => this.store.back("undo") }, { keys: ["Ctrl+y"], label: "Redo", run: () => this.store.back("redo") },
      { keys: ["Escape"], label: "Nothing chosen, all is played", run: () => ((this.range = null), this.choose(null, null)) },
      { keys: ["?"], label: "This list", run: () => byId("keys").showModal() },
    ]);
  }
}

new CuttingBench().begin().catch((error) => say(error.message, 20));
