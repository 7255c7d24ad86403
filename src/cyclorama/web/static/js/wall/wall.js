/** The reel wall: pictures that play on hover, and new projects. */

import { get, make, post, say } from "../shared/api.js";
import { poll } from "../shared/poll.js";
import { putInBin } from "../shared/bin.js";
import { hasWords } from "../shared/lists.js";
import { acceptFiles, bringIn, follow } from "../shared/intake.js";

const still = matchMedia("(prefers-reduced-motion: reduce)");

for (const card of document.querySelectorAll("[data-plays]")) {
  const image = card.querySelector("img");
  const frames = JSON.parse(card.dataset.frames);
  const url = (n) => `${card.dataset.plays}/${n}`;
  let timer, before;
  card.addEventListener("pointerenter", () => {
    if (still.matches || frames.length < 2) return;
    const loaded = frames.map((n) => Object.assign(new Image(), { src: url(n) }));
    let i = 0;
    before = image.src;
    timer = setInterval(() => {
      i = (i + 1) % frames.length;
      if (loaded[i].complete) image.src = loaded[i].src;
    }, 1000 / Number(card.dataset.rate));
  });
  card.addEventListener("pointerleave", () => {
    clearInterval(timer);
    if (before) image.src = image.dataset.rest ?? before;
  });
}

const ASK_AGAIN_MS = 700;

/** Show the drawing until the poster has developed, and say meanwhile what is being done. */
async function followPoster(image) {
  const words = image.nextElementSibling;
  const url = `/api/projects/${image.dataset.poster}/poster`;
  for (;;) {
    try {
      const response = await fetch(url);
      if (response.status === 200) {
        image.src = image.dataset.rest = URL.createObjectURL(await response.blob());
        image.alt = image.alt.replace(/, drawn$/, "");
        words.remove();
        return;
      }
      const { sentence, error } = await response.json();
      words.textContent = sentence ?? error;
      if (error) return;
    } catch {
      words.textContent = "Cyclorama does not answer. Is it still running?";
    }
    await new Promise((done) => setTimeout(done, ASK_AGAIN_MS));
  }
}
document.querySelectorAll("[data-poster]").forEach(followPoster);

for (const button of document.querySelectorAll("[data-recover]"))
  button.addEventListener("click", async () => {
    try {
      await post(`/api/projects/${button.dataset.recover}/recover`);
      location.href = `/projects/${button.dataset.recover}`;
    } catch (error) {
      say(error.message, 12);
    }
  });

/** Bind the buttons of one kind on all cards; what they do tells its trouble. @param {(card: HTMLElement) => Promise<any>} run */
function onCards(kind, run) {
  for (const button of document.querySelectorAll(`[data-${kind}]`)) button.addEventListener("click", () => run(button.closest("[data-project]")).catch((error) => say(error.message, 8)));
}
const address = (card) => `/api/projects/${card.dataset.project}`;

onCards("remove", async (card) => {
  const { project: id, name } = card.dataset;
  const gone = await putInBin({ kind: "project", id, name, url: address(card) }, () => (card.hidden = false));
  if (gone) card.hidden = true;
});
onCards("rename", async (card) => {
  const name = prompt("Project name", card.dataset.name)?.trim();
  if (!name || name === card.dataset.name) return;
  await post(`${address(card)}/name`, { name });
  card.dataset.name = name;
  card.querySelector("h2").textContent = name;
  for (const button of card.querySelectorAll("button[aria-label]")) button.setAttribute("aria-label", `${button.textContent} ${name}`);
  arrange();
});
onCards("duplicate", async (card) => {
  await post(`${address(card)}/duplicate`);
  location.reload();
});

/** How two projects follow each other, by the order that is chosen. */
const ORDERS = { edited: (a, b) => b.updated.localeCompare(a.updated), name: (a, b) => a.name.localeCompare(b.name), size: (a, b) => Number(b.bytes) - Number(a.bytes) };
const ORDER_KEPT = "wall order";
const order = /** @type {HTMLSelectElement|null} */ (document.getElementById("wall-order"));
const search = /** @type {HTMLInputElement|null} */ (document.getElementById("wall-search"));

/** Show the projects that a search finds, in the chosen order. */
function arrange() {
  if (!order || !search) return;
  const cards = /** @type {HTMLElement[]} */ ([...document.querySelectorAll("[data-project]")]);
  for (const card of cards) card.classList.toggle("hidden", !hasWords(`${card.dataset.name} ${card.dataset.words}`, search.value));
  const sorted = cards.toSorted((a, b) => ORDERS[order.value](a.dataset, b.dataset));
  if (sorted.some((card, i) => card !== cards[i])) cards[0].parentElement?.append(...sorted); // behind those that are being built
  const nothing = /** @type {HTMLElement} */ (document.getElementById("wall-nothing"));
  nothing.hidden = cards.some((card) => !card.classList.contains("hidden"));
}
if (order && search) {
  order.value = localStorage.getItem(ORDER_KEPT) ?? "edited";
  if (order.selectedIndex < 0) order.value = "edited";
  order.addEventListener("change", () => (localStorage.setItem(ORDER_KEPT, order.value), arrange()));
  search.addEventListener("input", arrange);
  arrange();
}

const WHICH = { none: "No takes", used: "Takes in the cut", all: "All takes" };

/** Ask which takes go along. @returns {Promise<{takes: string, masters_only: boolean}|null>} null: nothing is packed */
function chooseTakes(name, choices) {
  const dialog = /** @type {HTMLDialogElement} */ (document.getElementById("export"));
  const form = /** @type {HTMLFormElement} */ (dialog.querySelector("form"));
  const told = /** @type {HTMLElement} */ (document.getElementById("export-takes"));
  const masters = /** @type {HTMLInputElement} */ (document.getElementById("export-masters"));
  /** @type {HTMLElement} */ (document.getElementById("export-name")).textContent = `Export ‘${name}’`;
  const show = () => {
    const chosen = told.querySelector("input:checked")?.getAttribute("value") ?? "none";
    const radio = ({ takes, count, size, masters_size: alone }) => make("label", { class: "flex items-center gap-2" }, make("input", { type: "radio", class: "accent-ink", name: "takes", value: takes, checked: takes === chosen, disabled: takes !== "none" && !count }), make("span", { class: "flex-1" }, WHICH[takes]), make("span", { class: "num text-soft" }, count ? `${count} · ${masters.checked ? alone : size}` : ""));
    told.replaceChildren(...choices.map(radio));
  };
  masters.onchange = show;
  told.replaceChildren();
  show();
  dialog.returnValue = "";
  dialog.showModal();
  return new Promise((done) => {
    dialog.onclose = () => done(dialog.returnValue ? { takes: String(new FormData(form).get("takes")), masters_only: masters.checked } : null);
  });
}

onCards("pack", async (card) => {
  const url = `${address(card)}/bundle`;
  const choices = await get(`${url}/takes`);
  const wanted = choices.at(-1).count ? await chooseTakes(card.dataset.name, choices) : { takes: "none", masters_only: false };
  if (!wanted) return;
  const packed = await follow(`Packing ${card.dataset.name}`, () => post(url, wanted));
  if (!packed) return;
  make("a", { href: url, download: "" }).click();
  if (packed.missing) say(`${packed.missing} files that it refers to are not in the studio; the bundle tells which.`, 10);
});

const READ_MS = 5000;
const LOOK_MS = 1000;

/** Projects that are being built come onto the wall when they are there. */
if (document.querySelector("[data-building]")) {
  const shown = [...document.querySelectorAll("[data-building]")].map((/** @type {any} */ card) => card.dataset.building).join();
  poll(async () => (await get("/api/building")).join() !== shown && location.reload(), LOOK_MS);
}

async function begin(files) {
  const result = await bringIn("/api/intakes", files);
  if (!result) return;
  if (result.says) {
    say(result.says, READ_MS / 1000);
    await new Promise((done) => setTimeout(done, READ_MS));
  }
  location.href = `/projects/${result.project}`;
}
const pick = document.getElementById("model-file");
document.getElementById("new-from-model").addEventListener("click", () => pick.click());
pick.addEventListener("change", () => begin([...pick.files]));
acceptFiles(document.body, begin);
document.getElementById("new-empty").addEventListener("click", async () => {
  try {
    location.href = `/projects/${(await post("/api/projects", { name: "Untitled" })).id}`;
  } catch (error) {
    say(error.message);
  }
});
