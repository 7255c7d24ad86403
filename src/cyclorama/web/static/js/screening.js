/** The screening room: plays a take as a loop, steps, scrubs, checks the seam, delivers. */

import { get, make, post, remove, say } from "./api.js";
import { fromHex } from "./colour.js";

const byId = (id) => document.getElementById(id);
const takeId = JSON.parse(byId("take-id").textContent);
const picture = byId("screen");
const scrub = byId("scrub");
const cache = new Map();
let take;
let frames = [];
let at = 0;
let playing = false;
let speed = 1;

let shownPass = "beauty";
/** what is done to which light */
let balance = {};

function url(n) {
  const mix = changed().map(([name, { stops, colour }]) => [name, [stops, ...colour].join(",")]);
  if (mix.length) return `/api/takes/${takeId}/mix/${n}?${new URLSearchParams(mix)}`;
  return shownPass === "beauty" ? `/api/takes/${takeId}/frames/${n}` : `/api/takes/${takeId}/passes/${shownPass}/${n}`;
}

/** Another pass or another balance: everything loaded so far is of no use. */
function reload() {
  cache.clear();
  show(at);
}

function showPasses() {
  byId("pass-group").hidden = !take.passes.length;
  byId("pass-picker").replaceChildren(...["beauty", ...take.passes].map((name) =>
    make("button", { class: "chip", "aria-pressed": name === shownPass, onclick: () => ((shownPass = name), resetMix(), showPasses(), reload()) }, name)));
}

function resetMix() {
  balance = {};
  showMix();
}

/** What was changed of the lights, as the address of a mixed frame names it. */
function changed() {
  return Object.entries(balance).filter(([, { stops, colour }]) => stops !== 0 || colour.some((c) => c !== 1));
}

function changeLight(name, change) {
  balance[name] = { stops: 0, colour: [1, 1, 1], ...balance[name], ...change };
  shownPass = "beauty";
  byId("mix-take").disabled = !changed().length;
  showPasses();
  reload();
}

function showMix() {
  byId("mix-group").hidden = !take.lights.length;
  byId("mix-take").disabled = true;
  byId("mix").replaceChildren(...take.lights.map((name) => {
    const value = make("span", { class: "num w-[44px] text-right" }, "0");
    const slider = make("input", { type: "range", min: -4, max: 4, step: 0.25, value: 0, class: "min-w-0 flex-1 accent-ink", "aria-label": `${name}, stops`,
      oninput: (e) => (value.textContent = `${e.target.value > 0 ? "+" : ""}${e.target.value}`),
      onchange: (e) => changeLight(name, { stops: Number(e.target.value) }) });
    const filter = make("input", { type: "color", class: "swatch h-[20px] w-[28px]", value: "#ffffff", "aria-label": `${name}, filter`, title: "A filter in front of it", onchange: (e) => changeLight(name, { colour: fromHex(e.target.value) }) });
    return make("div", { class: "row" }, make("span", { class: "name w-[76px] flex-none truncate", title: name }, name.replace("light ", "")), slider, value, filter);
  }));
}

/** A take of its own with the lights as they are balanced now. */
async function takeMix() {
  try {
    const made = await post(`/api/takes/${takeId}/rebalance`, Object.fromEntries(changed()));
    byId("mix-made").replaceChildren(`‘${made.name}’ is being mixed; see the `, make("a", { href: "/shoots", class: "underline" }, "shoot log"), ".");
  } catch (error) {
    say(error.message, 10);
  }
}

/** Encode with progress, then fetch the file; pressing again stops. */
async function deliver(button) {
  const loops = button.dataset.clip;
  const at_ = `/api/takes/${takeId}/clip?loops=${loops}`;
  if (button.dataset.busy) return remove(at_);
  const label = button.textContent;
  button.dataset.busy = "1";
  try {
    let job = await post(at_);
    while (job.state === "encoding") {
      button.textContent = `Encoding, ${Math.round(job.share * 100)} % – press to stop`;
      await new Promise((resolve) => setTimeout(resolve, 250));
      job = await get(at_);
    }
    if (job.state === "failed") say(job.message, 10);
    if (job.state === "done") make("a", { href: `/api/takes/${takeId}/clip.mp4?loops=${loops}`, download: job.name }).click();
  } catch (error) {
    say(error.message, 10);
  }
  delete button.dataset.busy;
  button.textContent = label;
}

function load(i) {
  const n = frames[i];
  if (!cache.has(n)) cache.set(n, Object.assign(new Image(), { src: url(n) }));
  return cache.get(n);
}

async function show(i) {
  at = ((i % frames.length) + frames.length) % frames.length;
  const image = load(at);
  const wanted = at;
  if (!image.complete) await image.decode().catch(() => say(`Frame ${frames[wanted]} cannot be read.`));
  if (wanted !== at) return;
  picture.src = image.src;
  scrub.value = at;
  byId("frame-now").value = frames[at];
  byId("frame-time").textContent = `${((at * take.rate[1]) / take.rate[0]).toFixed(2)} s`;
  // mixed frames are made when they are asked for: only those that will be seen
  if (playing || !changed().length) for (let k = 1; k <= 6; k++) load((at + k) % frames.length);
}

function play() {
  playing = !playing;
  byId("play").textContent = playing ? "Pause" : "Play";
  const start = { time: performance.now(), at };
  const tick = (now) => {
    if (!playing) return;
    const i = start.at + Math.floor(((now - start.time) / 1000) * (take.rate[0] / take.rate[1]) * speed);
    if (i % frames.length !== at) show(i % frames.length);
    requestAnimationFrame(tick);
  };
  if (playing) requestAnimationFrame(tick);
}

function drawSteps({ steps, seam }) {
  const svg = byId("seam-graph");
  const all = [...steps, seam];
  const top = Math.max(...all, 1e-9);
  svg.replaceChildren(...all.map((v, i) => {
    const bar = document.createElementNS("http://www.w3.org/2000/svg", "rect");
    const w = 100 / all.length;
    Object.entries({ x: i * w, y: 30 - (v / top) * 28, width: Math.max(w * 0.8, 0.15), height: (v / top) * 28, fill: i === all.length - 1 ? "var(--color-light)" : "var(--color-camera)" })
      .forEach(([k, x]) => bar.setAttribute(k, x));
    return bar;
  }));
}

async function checkSeam() {
  try {
    const check = await get(`/api/takes/${takeId}/seam`);
    byId("seam").textContent = check.sentence;
    if (check.steps.length) drawSteps(check);
  } catch (error) {
    byId("seam").textContent = error.message;
  }
}

function showSlate() {
  const facts = [["State", take.state], ["Frames", `${take.done.length} of ${take.last - take.first + 1}`], ["Size", `${take.width}×${take.height}`],
    ["Rate", `${+(take.rate[0] / take.rate[1]).toFixed(3)}/s`], ["Samples", `${take.samples}/px`], ["Files", `${take.stem}.#.${take.format}`], ["Time", take.spent ?? "–"],
    ...(take.clamped === null ? [] : [["Clamped away", `${(take.clamped * 100).toFixed(2)} % of the light`]]), ["Per frame", take.mean_s ? `${take.mean_s.toFixed(1)} s` : "–"]];
  byId("slate").replaceChildren(...facts.map(([name, value]) => make("div", { class: "fact" }, make("span", {}, name), make("span", { class: "num truncate text-right" }, value))));
}

async function begin() {
  take = await get(`/api/takes/${takeId}`);
  frames = take.done;
  showSlate();
  showPasses();
  showMix();
  if (!frames.length) return (byId("seam").textContent = "No frame is finished yet.");
  if (take.format === "exr" || take.format === "tiff") return (byId("seam").textContent = `Browsers cannot show ${take.format.toUpperCase()} frames. Download them as a zip.`);
  scrub.max = frames.length - 1;
  await show(0);
  checkSeam();
}

byId("play").addEventListener("click", play);
byId("mix-reset").addEventListener("click", () => (resetMix(), reload()));
byId("mix-take").addEventListener("click", takeMix);
for (const button of document.querySelectorAll("[data-clip]")) button.addEventListener("click", () => deliver(button));
scrub.addEventListener("input", () => show(Number(scrub.value)));
for (const b of document.querySelectorAll("[data-step]")) b.addEventListener("click", () => show(at + Number(b.dataset.step)));
byId("frame-now").addEventListener("change", (e) => show(Math.max(0, frames.indexOf(Number(e.target.value)))));
byId("speed").addEventListener("click", (e) => {
  if (!e.target.dataset.speed) return;
  speed = Number(e.target.dataset.speed);
  for (const b of byId("speed").children) b.setAttribute("aria-pressed", b === e.target);
  if (playing) play(), play();
});
document.addEventListener("keydown", (e) => {
  if (e.target.closest("input:not([type=range]), button")) return;
  if (e.key === " ") e.preventDefault(), play();
  if (e.key === "ArrowLeft") e.preventDefault(), show(at - 1);
  if (e.key === "ArrowRight") e.preventDefault(), show(at + 1);
});
begin().catch((error) => say(error.message, 20));
