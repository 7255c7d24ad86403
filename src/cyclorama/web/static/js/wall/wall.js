/** The reel wall: pictures that play on hover, and new projects. */

import { make, post, removeAsking, say } from "../shared/api.js";
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

for (const button of document.querySelectorAll("[data-remove]"))
  button.addEventListener("click", async () => {
    try {
      const question = `Remove ‘${button.dataset.name}’ with its takes? This cannot be undone.`;
      if (await removeAsking(`/api/projects/${button.dataset.remove}`, question)) button.closest("[data-project]").remove();
    } catch (error) {
      say(error.message);
    }
  });

for (const button of document.querySelectorAll("[data-pack]"))
  button.addEventListener("click", async () => {
    const url = `/api/projects/${button.dataset.pack}/bundle`;
    const packed = await follow(`Packing ${button.dataset.name}`, () => post(url));
    if (!packed) return;
    make("a", { href: url, download: "" }).click();
    if (packed.missing) say(`${packed.missing} files that it refers to are not in the studio; the bundle tells which.`, 10);
  });

const READ_MS = 5000;

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
