/** What checks found in a take, and shooting frames again. */

import { byId } from "../shared/dom.js";
import { draw, ended, get, make, mark, post, remove, say } from "../shared/api.js";

const OFFERS = { "shoot again": ["Shoot again", {}], "more samples": ["With 4× the samples", { finer: 4 }], clamp: ["Hold bright samples down", { clamp: true }] };

export class TakeChecks {
  /** @param {string} url of the take @param {import("./stage.js").Stage} stage @param {{go: (n: number, places?: object[]) => void, changed: () => void, take: () => object}} room */
  constructor(url, stage, room) {
    this.url = url;
    this.stage = stage;
    this.room = room;
    this.job = null;
    /** what is shot again of frames; null: all */
    this.part = null;
    byId("check").addEventListener("click", () => this.#check());
    byId("again").addEventListener("click", () => this.#again());
    byId("again-part").addEventListener("click", () => this.#choosePart());
  }

  async load() {
    this.#show(await get(`${this.url}/checks`));
  }

  /** Look at all frames, with progress; pressing again stops. */
  async #check() {
    if (this.job) return remove(`/api/jobs/${this.job}`).catch((error) => say(error.message));
    const button = byId("check");
    try {
      const begun = await post(`${this.url}/checks`);
      this.job = begun.id;
      const job = await ended(begun, (now) => (button.textContent = `Looking, ${Math.round(now.share * 100)} % – press to stop`));
      if (job.state === "failed") say(job.message, 10);
      await this.load();
    } catch (error) {
      say(error.message, 10);
    }
    this.job = null;
    button.textContent = "Check all frames";
    return null;
  }

  #show({ checked, current, otherwise, pending }) {
    const graves = checked?.findings.length ?? 0;
    byId("count-checks").textContent = graves || "";
    byId("checks-says").textContent = !checked ? "Not checked yet: missing, damaged, doubled and black frames, flicker, specks, banding, burnt light, the seam." : current ? checked.sentence : `${checked.sentence} Frames or grade have changed since.`;
    byId("findings").replaceChildren(...(checked?.findings ?? []).map((f) => this.#finding(f)));
    byId("again-says").textContent = [pending.length && `${pending.length} wait to be shot again.`, otherwise && `Shot otherwise: ${otherwise}.`].filter(Boolean).join(" ");
    this.#lanes(checked);
  }

  #finding({ grave, sentence, frames, offers, places }) {
    const at = (n) => this.room.go(n, places.filter((p) => p.frame === n));
    return make("li", { class: "finding" },
      make("div", { class: "flex gap-1.5" }, mark(grave ? "missing" : "look"), make("p", { class: "min-w-0 flex-1" }, sentence)),
      make("div", { class: "mt-1.5 flex flex-wrap gap-1" }, ...frames.slice(0, 8).map((n) => make("button", { type: "button", class: "btn num h-[22px] px-1.5", "aria-label": `Go to frame ${n}`, onclick: () => at(n) }, String(n))), frames.length > 8 ? make("span", { class: "text-soft" }, `and ${frames.length - 8} more`) : null),
      offers.length ? make("div", { class: "mt-1.5 flex flex-wrap gap-1" }, ...offers.map((o) => make("button", { type: "button", class: "btn h-[24px]", onclick: () => this.#send(frames, OFFERS[o][1]) }, OFFERS[o][0]))) : null);
  }

  /** Change of the picture, flicker and burnt light by frame. */
  #lanes(checked) {
    const lanes = byId("lanes");
    lanes.toggleAttribute("hidden", !checked?.numbers.length);
    byId("lanes-say").hidden = !checked?.numbers.length;
    if (!checked?.numbers.length) return;
    const { first, last } = this.room.take();
    const x = (n) => (100 * (n - first)) / Math.max(1, last - first);
    const lane = (values, top, least, colour, label) => {
      const most = Math.max(least, ...values);
      const points = checked.numbers.map((n, i) => `${x(n).toFixed(2)},${(top + 7 - 6.5 * (values[i] / most)).toFixed(2)}`).join(" ");
      return draw("polyline", { points, fill: "none", stroke: colour, "stroke-width": 1.3, "vector-effect": "non-scaling-stroke" }, draw("title", {}, label));
    };
    lanes.replaceChildren(
      lane(checked.steps, 0, 1e-4, "var(--color-camera)", "How much the picture changes from the frame before"),
      lane(checked.flicker, 8, 0.03, "var(--color-light)", "Flicker: jumps of light, stops"),
      lane(checked.burnt, 16, 0.01, "var(--color-soft)", "Share of the picture that is burnt out"));
  }

  /** The part is outlined as long as the panel is open. */
  open(here) {
    if (!here) this.stage.pick(null);
    this.stage.outline(here ? this.part : null);
  }

  /** Have a part of the picture dragged out that is shot anew; once more: the whole picture. */
  #choosePart() {
    if (this.part) return this.#takePart(null);
    if (this.stage.asking) return this.stage.pick(null);
    byId("again-part").textContent = "Drag over the picture …";
    return this.stage.part((part) => this.#takePart(part));
  }

  #takePart(part) {
    this.part = part;
    byId("again-part").setAttribute("aria-pressed", part !== null);
    byId("again-part").textContent = part ? `A part: ${percent(part.right - part.left)} × ${percent(part.bottom - part.top)} %` : "The whole picture";
    this.stage.outline(part);
  }

  async #again() {
    const how = byId("again-how").value;
    const frames = framesOf(byId("again-frames").value);
    if (!frames?.length) return say("Write frames as 12, 30-34.");
    return this.#send(frames, { ...(how === "clamp" ? { clamp: true } : { finer: Number(how) }), region: this.part });
  }

  async #send(frames, how) {
    try {
      await post(`${this.url}/again`, { frames, how });
      say(`${frames.length === 1 ? `Frame ${frames[0]} is` : `${frames.length} frames are`} shot again; what is there stays until then.`);
      this.room.changed();
    } catch (error) {
      say(error.message, 10);
    }
  }
}

const percent = (share) => Math.round(100 * share);

/** Numbers written as `12, 30-34`; null where that is not what is written. */
function framesOf(text) {
  const numbers = [];
  for (const part of text.split(/[\s,;]+/).filter(Boolean)) {
    const [, from, to] = part.match(/^(\d+)(?:[-–…](\d+))?$/) ?? [];
    if (!from || Number(to ?? from) < Number(from) || Number(to ?? from) - Number(from) > 100_000) return null;
    for (let n = Number(from); n <= Number(to ?? from); n++) numbers.push(n);
  }
  return numbers;
}
