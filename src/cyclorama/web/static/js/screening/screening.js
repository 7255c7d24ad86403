/** The screening room: plays a take, steps, scrubs, compares, grades, checks, notes, delivers. */

import { byId } from "../shared/dom.js";
import { draw, ended, get, make, post, query, remove, say } from "../shared/api.js";
import { copyPicture } from "../shared/clipboard.js";
import { Comparing } from "./comparing.js";
import { bindKeys } from "../shared/keys.js";
import { latest } from "../shared/latest.js";
import { MoveLanes } from "./move_lanes.js";
import { Notes } from "./notes.js";
import { Pictures, Player, held } from "../shared/player.js";
import { poll } from "../shared/poll.js";
import { Scopes } from "./scopes.js";
import { Stage } from "./stage.js";
import { bindTabs } from "../shared/tabs.js";
import { TakeChecks } from "./checks.js";
import { TakeGrade } from "./grade.js";
import { TakePasses } from "./passes.js";

const AHEAD = 8;
const THUMB_PX = 62;
const LOOK_EVERY_MS = 3000;

class ScreeningRoom {
  constructor() {
    this.id = JSON.parse(byId("take-id").textContent);
    this.url = `/api/takes/${this.id}`;
    this.take = null;
    this.frames = [];
    this.pictures = new Pictures();
    this.at = 0;
    this.speed = 1;
    this.toAndFro = false;
    /** first and last of the frames that are played, by place in `frames`; null: all */
    this.range = null;
    /** place of the frame that is shown in every moment that is played */
    this.moments = [];
    /** names what other takes look like in addresses: as they were when one last came here */
    this.since = Date.now();
    const room = {
      take: () => this.take, number: () => this.number, version: (n) => `${this.#version(n)}-${this.since}`, graded: () => this.grade.version, pick: (told) => this.stage.pick(told), go: (n, places) => this.go(n, places),
      view: (name, n) => this.#viewAddress(name, n), address: (n, take, width) => this.#shownAddress(n, take, width), shown: () => this.#shown(), moved: () => this.grade.state && this.show(this.at),
      pictures: () => `/api/projects/${this.take.project_id}/pictures`, drawn: (lines) => this.notes.drawn(lines), tried: () => this.#tried(), match: (reference) => this.#match(reference), kept: () => this.take && this.show(this.at), changed: () => this.#refresh().catch((error) => say(error.message)),
    };
    const source = { rate: () => this.take.rate[0] / this.take.rate[1], address: (k) => this.#address(this.frames[this.moments[k]]), show: (k) => this.show(this.moments[k]), dropped: (count) => (byId("dropped").textContent = `${count} dropped`) };
    this.player = new Player(source, this.pictures);
    this.stage = new Stage(room);
    this.grade = new TakeGrade(this.url, room);
    this.comparing = new Comparing(this.url, this.stage, room);
    this.checks = new TakeChecks(this.url, this.stage, room);
    this.passes = new TakePasses(this.url, { take: room.take, show: () => this.show(this.at), changed: room.changed });
    this.move = new MoveLanes(this.url, room);
    this.notes = new Notes(this.url, this.stage, room);
    this.scopes = new Scopes(() => (this.number === null ? null : { url: `${this.url}/scopes/${this.number}`, body: this.#wanted() }));
    this.try = latest(async () => this.#showTried());
    this.tab = bindTabs((name) => (name !== "notes" && this.notes.pen(false), this.checks.open(name === "checks")));
    this.#bind();
  }

  async begin() {
    this.#took(await get(this.url));
    await this.grade.begin();
    await Promise.all([this.checks.load(), this.move.load(), this.notes.load(), this.#offerTakes()]);
    if (this.frames.length) await this.show(this.at);
    this.tab(location.hash.slice(1) || "take");
    poll(() => this.#look(), LOOK_EVERY_MS);
    return this.#checkSeam();
  }

  get number() {
    return this.frames[this.at] ?? null;
  }

  #took(take) {
    this.take = take;
    this.frames = take.done;
    this.stage.size(take.width, take.height);
    byId("frame").classList.toggle("clear", take.transparent);
    byId("take-state").textContent = take.state === "done" ? "" : `${take.state}, ${take.done.length - take.waiting} of ${take.total} frames${take.waiting ? `, ${take.waiting} more to be seen` : ""}`;
    byId("scrub").max = Math.max(0, this.frames.length - 1);
    this.#showSlate();
    this.passes.show();
    this.#filmstrip();
  }

  /** A take that is being shot fills. */
  async #look() {
    if (this.take.state !== "running" && this.take.state !== "queued") return;
    await this.#refresh();
  }

  async #refresh() {
    const before = this.number;
    const take = await get(this.url);
    if (JSON.stringify(take) === JSON.stringify(this.take)) return;
    this.#took(take);
    this.at = Math.max(0, this.frames.indexOf(before));
    if (this.frames.length) await this.show(this.at);
    this.#again();
    await this.checks.load();
  }

  #version(n) {
    return `${this.grade.version}-${this.take.versions[this.frames.indexOf(n)] ?? ""}`;
  }

  #shownAddress(n, take = this.id, width = this.stage.wanted) {
    const asked = query({ v: take === this.id ? this.#version(n) : this.since, ...(width ? { width } : {}) });
    return `/api/takes/${take}/shown/${n}?${asked}`;
  }

  #viewAddress(name, n) {
    const width = this.stage.wanted;
    return `${this.url}/views/${encodeURIComponent(name)}/${n}?${query({ v: this.#version(n), amount: byId("pass-amount").value, ...(width ? { width } : {}) })}`;
  }

  #address(n) {
    const difference = this.comparing.difference(n, this.stage.wanted);
    if (difference) return difference;
    if (this.passes.shown !== "beauty") return this.#viewAddress(this.passes.shown, n);
    const overlay = byId("overlay").value;
    return this.#shownAddress(n) + (overlay === "picture" ? "" : `&overlay=${encodeURIComponent(overlay)}`) + (this.former ? "&state=0" : "");
  }

  /** Show the i-th finished frame; a loop goes on at its other end. */
  async show(i) {
    const { frames, take } = this;
    if (!frames.length) return;
    this.at = ((i % frames.length) + frames.length) % frames.length;
    const wanted = this.at;
    const address = this.#address(frames[wanted]);
    const image = this.pictures.load(address);
    byId("scrub").value = wanted;
    if (document.activeElement !== byId("frame-now")) byId("frame-now").value = frames[wanted];
    byId("frame-time").textContent = `${(((frames[wanted] - take.first) * take.rate[1]) / take.rate[0]).toFixed(2)} s`;
    if (!image.complete) await image.decode().catch(() => this.#unreadable(frames[wanted]));
    // meanwhile another frame, or this one otherwise, may be wanted
    if (wanted !== this.at || this.grade.trying || address !== this.#address(frames[wanted])) return;
    byId("screen").src = image.src;
    this.comparing.show(frames[wanted], this.stage.wanted);
    if (this.strip !== this.grade.version) this.#filmstrip();
    this.notes.show();
    if (!this.player.playing) this.scopes.show();
    for (let k = 1; k <= AHEAD; k++) this.pictures.load(this.#address(frames[(wanted + k) % frames.length]));
  }

  /** Why a frame is not there, in the server's words. */
  async #unreadable(n) {
    const answer = await fetch(this.#address(n), { headers: { accept: "application/json" } }).catch(() => null);
    const told = answer && !answer.ok ? await answer.json().catch(() => ({})) : {};
    say(told.error ?? `Frame ${n} cannot be read.`, 8);
  }

  go(n, places = []) {
    if (!this.frames.includes(n)) return say(`Frame ${n} is not there.`);
    this.show(this.frames.indexOf(n)).then(() => places.length && this.stage.mark([], places));
    return null;
  }

  /** Something about how frames are shown has changed. */
  #shown() {
    this.show(this.at);
  }

  #wanted() {
    return { finishing: this.grade.finishing, width: this.stage.wanted ?? this.take.width, overlay: byId("overlay").value };
  }

  #tried() {
    if (this.number === null) return;
    if (!this.grade.trying) return void this.show(this.at);
    this.try();
    this.scopes.show();
  }

  async #showTried() {
    const body = JSON.stringify(this.#wanted());
    const answer = await fetch(`${this.url}/shown/${this.number}`, { method: "POST", headers: { "content-type": "application/json" }, body }).catch(() => null);
    if (!answer?.ok || !this.grade.trying) return;
    const url = URL.createObjectURL(await answer.blob());
    const screen = byId("screen");
    await new Promise((shown) => {
      screen.onload = screen.onerror = shown;
      screen.src = url;
    });
    URL.revokeObjectURL(url);
  }

  #play() {
    if (!this.frames.length) return null;
    byId("play").textContent = this.player.playing ? "Play" : "Pause";
    byId("dropped").textContent = "";
    if (this.player.playing) {
      this.player.stop();
      return this.scopes.show();
    }
    const [low, high] = this.range ?? [0, this.frames.length - 1];
    this.moments = held(this.frames, low, (this.range ? this.frames[high] : this.take.last) + this.take.every - 1);
    return this.player.play(this.moments.indexOf(this.at), [0, this.moments.length - 1], { speed: this.speed, toAndFro: this.toAndFro });
  }

  #again() {
    if (!this.player.playing) return;
    this.#play();
    this.#play();
  }

  #setSpeed(button) {
    if (!button.dataset.speed) return;
    this.speed = Number(button.dataset.speed);
    for (const b of byId("speed").children) b.setAttribute("aria-pressed", b === button);
    this.#again();
  }

  /** Play only from here, or up to here; both again play all. @param {0|1} end */
  #bound(end) {
    const range = this.range ?? [0, this.frames.length - 1];
    range[end] = this.at;
    this.range = range[0] < range[1] && (range[0] > 0 || range[1] < this.frames.length - 1) ? range : null;
    this.#showRange();
    this.#again();
  }

  #showRange() {
    const [low, high] = this.range ?? [0, this.frames.length - 1];
    const n = Math.max(1, this.frames.length - 1);
    Object.assign(byId("range").firstElementChild.style, { left: `${(100 * low) / n}%`, right: `${100 - (100 * high) / n}%` });
    byId("range").hidden = !this.range;
  }

  #filmstrip() {
    const strip = byId("filmstrip");
    const count = Math.min(this.frames.length, Math.max(1, Math.floor(strip.clientWidth / THUMB_PX)));
    const numbers = Array.from({ length: count }, (_, i) => this.frames[Math.floor(((i + 0.5) * this.frames.length) / count)]);
    this.strip = this.grade.version;
    strip.replaceChildren(...numbers.map((n) => make("img", { src: `${this.url}/thumbs/${n}?v=${this.#version(n)}`, alt: "", loading: "lazy", draggable: "false", onclick: () => this.go(n) })));
    this.#showRange();
  }

  async #offerTakes() {
    const takes = await get(`/api/takes?project=${this.take.project_id}`);
    this.comparing.offer(takes);
    byId("take-pick").replaceChildren(...takes.map((t) => make("option", { value: t.id, selected: t.id === this.id }, t.name)));
    byId("grade-from").replaceChildren(make("option", { value: "" }, "Copy grade from …"), make("option", { value: "look" }, "its look is by now"),
      ...takes.filter((t) => t.id !== this.id).map((t) => make("option", { value: t.id }, t.name)));
    this.grade.offer(takes.filter((t) => t.id !== this.id && t.finished === t.total));
  }

  /** Encode with progress, then fetch the file; pressing again stops. */
  async #deliver(button) {
    const loops = button.dataset.clip;
    if (button.dataset.job) return remove(`/api/jobs/${button.dataset.job}`).catch((error) => say(error.message));
    const label = button.textContent;
    try {
      const begun = await post(`${this.url}/clip?loops=${loops}`);
      button.dataset.job = begun.id;
      const job = await ended(begun, (now) => (button.textContent = `Encoding, ${Math.round(now.share * 100)} % – press to stop`));
      if (job.state === "failed") say(job.message, 10);
      if (job.state === "done") make("a", { href: `${this.url}/clip.mp4?loops=${loops}`, download: job.result.name }).click();
    } catch (error) {
      say(error.message, 10);
    }
    delete button.dataset.job;
    button.textContent = label;
    return null;
  }

  /** This frame once more from its slate, larger, into a take of its own. */
  async #still() {
    try {
      const made = await post(`${this.url}/still/${this.number}?times=${byId("still-times").value}`);
      byId("still-says").replaceChildren(`‘${made.name}’ is being shot; see the `, make("a", { href: "/shoots", class: "underline" }, "shoot log"), ".");
    } catch (error) {
      byId("still-says").textContent = error.message;
    }
  }

  /** The frame as it is finished, every pixel of it. */
  #copy() {
    return copyPicture(`${this.url}/shown/${this.number}?v=${this.#version(this.number)}`, `Frame ${this.number}`);
  }

  async #denoise() {
    try {
      const made = await post(`${this.url}/denoise`);
      byId("denoise-says").replaceChildren(`‘${made.name}’ is being made; see the `, make("a", { href: "/shoots", class: "underline" }, "shoot log"), ".");
    } catch (error) {
      say(error.message, 10);
    }
  }

  async #checkSeam() {
    try {
      const check = await get(`${this.url}/seam`);
      byId("seam").textContent = check.sentence;
      if (check.steps.length) drawSteps(check);
    } catch (error) {
      byId("seam").textContent = error.message;
    }
  }

  #showSlate() {
    const { take } = this;
    const facts = [["State", take.state], ["Frames", `${take.done.length} of ${take.total}`], ["Size", `${take.width}×${take.height}`],
      ["Rate", `${+(take.rate[0] / take.rate[1]).toFixed(3)}/s`], ["Quality", take.finely], ["Files", `${take.stem}.#.${take.format}`], ["Time", take.spent ?? "–"],
      ...(take.clamped === null ? [] : [["Clamped away", `${(take.clamped * 100).toFixed(2)} % of the light`]]), ["Per frame", take.mean_s ? `${take.mean_s.toFixed(1)} s` : "–"], ["On disk", take.disk ?? "–"],
      ...(take.otherwise ? [["Shot otherwise", take.otherwise]] : []), ...(take.message ? [["Says", take.message]] : [])];
    byId("slate").replaceChildren(...facts.map(([name, value]) => make("div", { class: "fact" }, make("span", {}, name), make("span", { class: "num truncate text-right", title: value }, value))));
  }

  #bind() {
    byId("play").addEventListener("click", () => this.#play());
    for (const button of document.querySelectorAll("[data-clip]")) button.addEventListener("click", () => this.#deliver(button));
    byId("denoise").addEventListener("click", () => this.#denoise());
    byId("still").addEventListener("click", () => this.#still());
    byId("copy-frame").addEventListener("click", () => this.#copy());
    byId("scrub").addEventListener("input", (e) => this.show(Number(e.target.value)));
    for (const b of document.querySelectorAll("[data-step]")) b.addEventListener("click", () => this.show(this.at + Number(b.dataset.step)));
    byId("frame-now").addEventListener("change", (e) => {
      const number = Number.parseInt(e.target.value, 10);
      if (Number.isFinite(number)) this.go(number);
      else e.target.value = this.number ?? "";
    });
    byId("speed").addEventListener("click", (e) => this.#setSpeed(e.target));
    byId("way").addEventListener("click", () => this.#toAndFro());
    byId("overlay").addEventListener("change", (e) => {
      byId("false-legend").hidden = e.target.value !== "false colour";
      this.show(this.at);
    });
    byId("scopes-open").addEventListener("click", () => this.scopes.toggle());
    byId("take-pick").addEventListener("change", (e) => location.assign(`/takes/${e.target.value}${location.hash}`));
    byId("keys-open").addEventListener("click", () => byId("keys").showModal());
    const former = byId("grade-former");
    for (const [name, on] of [["pointerdown", true], ["pointerup", false], ["pointerleave", false]]) former.addEventListener(name, () => this.#former(on));
    former.addEventListener("keydown", (e) => e.key === " " && !e.repeat && this.#former(true));
    for (const target of [former, document]) target.addEventListener("keyup", (e) => (e.key === " " || e.key.toLowerCase() === "g") && this.#former(false));
    document.addEventListener("visibilitychange", () => !document.hidden && (this.since = Date.now()));
    new ResizeObserver(() => this.take && this.#filmstrip()).observe(byId("filmstrip"));
    this.#bindKeys();
  }

  #bindKeys() {
    const tab = (name) => () => this.tab(name);
    bindKeys("screening", [
      { keys: [" "], label: "Play, pause", run: () => this.#play() },
      { keys: ["ArrowLeft", "ArrowRight"], label: "Frame by frame", run: (at) => this.show(this.at + (at === 0 ? -1 : 1)) },
      { keys: ["Shift+ArrowLeft", "Shift+ArrowRight"], label: "Ten frames", run: (at) => this.show(this.at + (at === 0 ? -10 : 10)) },
      { keys: ["Home", "End"], label: "First frame, last frame", run: (at) => this.show(at === 0 ? 0 : this.frames.length - 1) },
      { keys: ["b", "e"], label: "Play from here on, up to here", run: (at) => this.#bound(at === 0 ? 0 : 1) },
      { keys: ["t"], label: "Loop, or play back and forth", run: () => this.#toAndFro() },
      { keys: ["x"], label: "Actual pixels, or fitted", run: () => this.stage.toggleExact() },
      { keys: ["c"], label: "Copy this frame", run: () => this.#copy() },
      { keys: ["m"], label: "Scopes", run: () => this.scopes.toggle() },
      { keys: ["v"], label: "Read values under the pointer", run: () => this.#read() },
      { keys: ["g"], label: "Show original (hold)", fixed: true, run: (_, e) => !e?.repeat && this.#former(true) },
      { keys: ["n"], label: "Note for this frame", run: () => (this.tab("notes"), byId("note-text").focus()) },
      { keys: ["w"], label: "Whole screen", run: () => (document.fullscreenElement ? document.exitFullscreen() : byId("stage").requestFullscreen()) },
      { keys: ["f"], label: "Fold the panel away", run: () => this.#fold() },
      { keys: ["1"], label: "Take", run: tab("take") }, { keys: ["2"], label: "Grade", run: tab("grade") }, { keys: ["3"], label: "Compare", run: tab("compare") }, { keys: ["4"], label: "Checks", run: tab("checks") }, { keys: ["5"], label: "Notes", run: tab("notes") },
      { keys: ["Ctrl+z"], label: "Undo the grade", run: () => this.grade.step("undo") }, { keys: ["Ctrl+y"], label: "Redo the grade", run: () => this.grade.step("redo") },
      { keys: ["Escape"], label: "Nothing compared, no wall", run: () => (this.comparing.wall(false), this.comparing.choose(""), this.stage.loupe(null), this.stage.pick(null)) },
      { keys: ["?"], label: "This list", run: () => byId("keys").showModal() },
    ]);
  }

  async #match(reference) {
    try {
      await this.grade.match(reference.file, this.number);
    } catch (error) {
      say(error.message, 10);
    }
  }

  #toAndFro() {
    this.toAndFro = !this.toAndFro;
    byId("way").setAttribute("aria-pressed", String(this.toAndFro));
    this.#again();
  }

  /** As it was shot, as long as something is held. */
  #former(on) {
    if (Boolean(this.former) === on) return;
    this.former = on;
    this.show(this.at);
  }

  #read() {
    this.reading = !this.reading;
    this.stage.loupe(this.reading && this.number !== null ? `${this.url}/loupe/${this.number}` : null);
  }

  #fold() {
    const folded = byId("room").classList.toggle("folded");
    document.querySelector("aside").hidden = folded;
  }
}

/** How much the picture changes from frame to frame, and over the seam. */
function drawSteps({ steps, seam }) {
  const all = [...steps, seam];
  const top = Math.max(...all, 1e-9);
  const w = 100 / all.length;
  byId("seam-graph").replaceChildren(...all.map((v, i) =>
    draw("rect", { x: i * w, y: 30 - (v / top) * 28, width: Math.max(w * 0.8, 0.15), height: (v / top) * 28, fill: i === all.length - 1 ? "var(--color-light)" : "var(--color-camera)" })));
}

new ScreeningRoom().begin().catch((error) => say(error.message, 20));
