/** The screening room: plays a take as a loop, steps, scrubs, checks the seam, delivers. */

import { draw, ended, get, make, post, remove, say } from "./api.js";
import { fromHex } from "./colour.js";

const byId = (id) => document.getElementById(id);
const AHEAD = 6;

class ScreeningRoom {
  constructor() {
    this.url = `/api/takes/${JSON.parse(byId("take-id").textContent)}`;
    this.take = null;
    this.frames = [];
    /** pictures that were asked for, by number of the frame */
    this.cache = new Map();
    this.at = 0;
    this.playing = false;
    this.speed = 1;
    this.shownPass = "beauty";
    /** what is done to which light */
    this.balance = {};
    this.#bind();
  }

  async begin() {
    this.take = await get(this.url);
    this.frames = this.take.done;
    this.#showSlate();
    this.#showPasses();
    this.#showMix();
    if (!this.frames.length) return (byId("seam").textContent = "No frame is finished yet.");
    const { format } = this.take;
    if (format === "exr" || format === "tiff") return (byId("seam").textContent = `Browsers cannot show ${format.toUpperCase()} frames. Download them as a zip.`);
    byId("scrub").max = this.frames.length - 1;
    await this.show(0);
    return this.#checkSeam();
  }

  /** Show the i-th finished frame; a loop goes on at its other end. */
  async show(i) {
    const { frames, take } = this;
    this.at = ((i % frames.length) + frames.length) % frames.length;
    const wanted = this.at;
    const image = this.#load(wanted);
    if (!image.complete) await image.decode().catch(() => say(`Frame ${frames[wanted]} cannot be read.`));
    // meanwhile another frame, or this one in another pass or balance, may be wanted
    if (wanted !== this.at || this.cache.get(frames[wanted]) !== image) return;
    byId("screen").src = image.src;
    byId("scrub").value = wanted;
    byId("frame-now").value = frames[wanted];
    byId("frame-time").textContent = `${((wanted * take.rate[1]) / take.rate[0]).toFixed(2)} s`;
    // mixed frames are made when they are asked for: only those that will be seen
    if (this.playing || !this.#changed().length) for (let k = 1; k <= AHEAD; k++) this.#load((wanted + k) % frames.length);
  }

  #address(n) {
    const mix = this.#changed().map(([name, { stops, colour }]) => [name, [stops, ...colour].join(",")]);
    if (mix.length) return `${this.url}/mix/${n}?${new URLSearchParams(mix)}`;
    return this.shownPass === "beauty" ? `${this.url}/frames/${n}` : `${this.url}/passes/${this.shownPass}/${n}`;
  }

  #load(i) {
    const n = this.frames[i];
    if (!this.cache.has(n)) this.cache.set(n, Object.assign(new Image(), { src: this.#address(n) }));
    return this.cache.get(n);
  }

  /** Another pass or another balance: everything loaded so far is of no use. */
  #reload() {
    this.cache.clear();
    this.show(this.at);
  }

  #play() {
    this.playing = !this.playing;
    byId("play").textContent = this.playing ? "Pause" : "Play";
    const start = { time: performance.now(), at: this.at };
    const tick = (now) => {
      if (!this.playing) return;
      const { rate } = this.take;
      const i = start.at + Math.floor(((now - start.time) / 1000) * (rate[0] / rate[1]) * this.speed);
      if (i % this.frames.length !== this.at) this.show(i % this.frames.length);
      requestAnimationFrame(tick);
    };
    if (this.playing) requestAnimationFrame(tick);
  }

  #setSpeed(button) {
    if (!button.dataset.speed) return;
    this.speed = Number(button.dataset.speed);
    for (const b of byId("speed").children) b.setAttribute("aria-pressed", b === button);
    if (!this.playing) return;
    this.#play();
    this.#play();
  }

  #showPasses() {
    byId("pass-group").hidden = !this.take.passes.length;
    byId("pass-picker").replaceChildren(...["beauty", ...this.take.passes].map((name) =>
      make("button", { class: "chip", "aria-pressed": name === this.shownPass, onclick: () => this.#choosePass(name) }, name)));
  }

  #choosePass(name) {
    this.shownPass = name;
    this.#resetMix();
    this.#showPasses();
    this.#reload();
  }

  #resetMix() {
    this.balance = {};
    this.#showMix();
  }

  /** What was changed of the lights, as the address of a mixed frame names it. */
  #changed() {
    return Object.entries(this.balance).filter(([, { stops, colour }]) => stops !== 0 || colour.some((c) => c !== 1));
  }

  #changeLight(name, change) {
    this.balance[name] = { stops: 0, colour: [1, 1, 1], ...this.balance[name], ...change };
    this.shownPass = "beauty";
    byId("mix-take").disabled = !this.#changed().length;
    this.#showPasses();
    this.#reload();
  }

  #showMix() {
    byId("mix-group").hidden = !this.take.lights.length;
    byId("mix-take").disabled = true;
    byId("mix").replaceChildren(...this.take.lights.map((name) => {
      const value = make("span", { class: "num w-[44px] text-right" }, "0");
      const slider = make("input", { type: "range", min: -4, max: 4, step: 0.25, value: 0, class: "min-w-0 flex-1 accent-ink", "aria-label": `${name}, stops`,
        oninput: (e) => (value.textContent = `${e.target.value > 0 ? "+" : ""}${e.target.value}`),
        onchange: (e) => this.#changeLight(name, { stops: Number(e.target.value) }) });
      const filter = make("input", { type: "color", class: "swatch h-[20px] w-[28px]", value: "#ffffff", "aria-label": `${name}, filter`, title: "A filter in front of it", onchange: (e) => this.#changeLight(name, { colour: fromHex(e.target.value) }) });
      return make("div", { class: "row" }, make("span", { class: "name w-[76px] flex-none truncate", title: name }, name.replace("light ", "")), slider, value, filter);
    }));
  }

  /** A take of its own with the lights as they are balanced now. */
  async #takeMix() {
    try {
      const made = await post(`${this.url}/rebalance`, Object.fromEntries(this.#changed()));
      byId("mix-made").replaceChildren(`‘${made.name}’ is being mixed; see the `, make("a", { href: "/shoots", class: "underline" }, "shoot log"), ".");
    } catch (error) {
      say(error.message, 10);
    }
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
    const facts = [["State", take.state], ["Frames", `${take.done.length} of ${take.last - take.first + 1}`], ["Size", `${take.width}×${take.height}`],
      ["Rate", `${+(take.rate[0] / take.rate[1]).toFixed(3)}/s`], ["Samples", `${take.samples}/px`], ["Files", `${take.stem}.#.${take.format}`], ["Time", take.spent ?? "–"],
      ...(take.clamped === null ? [] : [["Clamped away", `${(take.clamped * 100).toFixed(2)} % of the light`]]), ["Per frame", take.mean_s ? `${take.mean_s.toFixed(1)} s` : "–"]];
    byId("slate").replaceChildren(...facts.map(([name, value]) => make("div", { class: "fact" }, make("span", {}, name), make("span", { class: "num truncate text-right" }, value))));
  }

  #bind() {
    byId("play").addEventListener("click", () => this.#play());
    byId("mix-reset").addEventListener("click", () => {
      this.#resetMix();
      this.#reload();
    });
    byId("mix-take").addEventListener("click", () => this.#takeMix());
    for (const button of document.querySelectorAll("[data-clip]")) button.addEventListener("click", () => this.#deliver(button));
    byId("scrub").addEventListener("input", (e) => this.show(Number(e.target.value)));
    for (const b of document.querySelectorAll("[data-step]")) b.addEventListener("click", () => this.show(this.at + Number(b.dataset.step)));
    byId("frame-now").addEventListener("change", (e) => this.show(Math.max(0, this.frames.indexOf(Number(e.target.value)))));
    byId("speed").addEventListener("click", (e) => this.#setSpeed(e.target));
    document.addEventListener("keydown", (e) => {
      if (e.target.closest("input:not([type=range]), button")) return;
      const run = { " ": () => this.#play(), ArrowLeft: () => this.show(this.at - 1), ArrowRight: () => this.show(this.at + 1) }[e.key];
      if (!run) return;
      e.preventDefault();
      run();
    });
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
