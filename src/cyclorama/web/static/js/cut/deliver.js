/** Handing over: what, in which sizes, how; what is being made, and what was found in it. */

import { byId } from "../shared/dom.js";
import { get, make, mark, post, remove, say } from "../shared/api.js";
import { putInBin } from "../shared/bin.js";
import { calculate } from "../shared/arithmetic.js";

const LOOK_EVERY_MS = 500;
const NAMES_KEPT = "delivery file names";
const AS_CUT = "0x0";

/** @param {{as_cut?: boolean, how: {width: number, height: number}}} place @returns {string} “1080x1080” */
const sizeOf = ({ as_cut: asCut = false, how }) => (asCut ? AS_CUT : `${how.width}x${how.height}`);

/** Whether work is waiting or being done. */
export const under = (job) => job?.state === "waiting" || job?.state === "running";

/** Shows a list whose items are worked on, until all have ended. @returns {() => Promise<void>} that looks at once */
export function watching(url, show) {
  let waiting = 0;
  const look = async () => {
    clearTimeout(waiting);
    const all = await get(url).catch((error) => (error.status === 404 ? [] : null));
    if (all) show(all);
    if (!all || all.some((item) => under(item.job))) waiting = setTimeout(lookIfSeen, LOOK_EVERY_MS);
  };
  const lookIfSeen = () => (document.hidden ? (waiting = setTimeout(lookIfSeen, LOOK_EVERY_MS)) : look());
  return look;
}

/** How far work has come. */
export function progressOf(job) {
  const percent = Math.round(100 * job.share);
  return make("div", {}, make("div", { class: "h-[4px] overflow-hidden rounded-full bg-shade", role: "progressbar", "aria-valuenow": percent, "aria-label": job.what || "Waits" }, make("div", { class: "h-full bg-ink", style: `width:${percent}%` })), make("p", { class: "text-soft" }, job.state === "waiting" ? "Waits for its turn" : `${job.what}, ${percent} %`));
}

export class CutDelivery {
  /**
   * @param {string} projectId
   * @param {import("./store.js").CutStore} store
   * @param {{frame: () => number, range: () => [number, number]|null, showClear: (on: boolean) => void}} bench
   * @param {(all: object[]) => void} tell all that was delivered, whenever that changes
   */
  constructor(projectId, store, bench, tell) {
    this.tell = tell;
    this.look = watching(`/api/projects/${projectId}/deliveries`, (all) => this.#show(all));
    this.url = `/api/projects/${projectId}/deliveries`;
    this.store = store;
    this.bench = bench;
    this.presets = new Set(["web"]);
    this.sizes = new Set([AS_CUT]);
    /** sizes that are on no list */
    this.own = new Set();
    this.isOpen = false;
    byId("deliver").addEventListener("click", () => this.#deliver());
    byId("foretell").addEventListener("click", () => this.#foretell());
    const rates = JSON.parse(byId("rates").textContent);
    byId("own-rate").replaceChildren(make("option", { value: "" }, "as the cut"), ...[["12", 12, 1], ["15", 15, 1], ...rates].map(([name, num, den]) => make("option", { value: `${num}/${den}` }, `${name}/s`)));
    byId("own-rate").addEventListener("change", () => this.#showOffers());
    byId("own-size").addEventListener("change", () => byId("own-size").value.trim() && this.#typeSize());
    byId("keep-destination").addEventListener("submit", (e) => this.#keep(e));
    byId("fits").addEventListener("change", () => this.#showOffers());
    byId("file-names").value = localStorage.getItem(NAMES_KEPT) ?? "";
    byId("file-names").addEventListener("change", (e) => localStorage.setItem(NAMES_KEPT, e.target.value.trim()));
    byId("quality").addEventListener("input", (e) => (byId("quality-says").textContent = `${e.target.value} %`));
    for (const id of ["with-sound", "with-poster"]) byId(id).addEventListener("click", (e) => e.currentTarget.setAttribute("aria-checked", String(e.currentTarget.getAttribute("aria-checked") !== "true")));
  }

  async begin() {
    await this.#offer();
    await this.look();
  }

  async #offer() {
    this.offered = await get("/api/presets");
    this.#showOffers();
  }

  /** @param {boolean} on whether deliveries are in view */
  open(on) {
    this.isOpen = on;
    this.#showAlpha();
  }

  /** All that suits a place is set; what is set otherwise afterwards counts. */
  #choose(place) {
    const { how } = place;
    this.presets = new Set([how.preset]);
    this.sizes = new Set([sizeOf(place)]);
    this.#addOwn(sizeOf(place));
    byId("fits").value = how.fits_mb ?? "";
    byId("quality").value = how.quality;
    byId("quality-says").textContent = `${how.quality} %`;
    byId("own-rate").value = how.rate?.join("/") ?? "";
    byId("rounds").value = how.rounds;
    byId("pictures").value = how.pictures;
    byId("plays").value = how.plays || "";
    byId("sheet-of").value = how.sheet_of;
    if (how.name_pattern) byId("file-names").value = how.name_pattern;
    byId("with-sound").setAttribute("aria-checked", String(how.sound));
    this.#showOffers();
  }

  /** Whether what is chosen is what suits a place. */
  #isChosen(place) {
    const { how } = place;
    return this.presets.size === 1 && this.presets.has(how.preset) && this.sizes.size === 1 && this.sizes.has(sizeOf(place)) && byId("fits").value === String(how.fits_mb ?? "") && byId("own-rate").value === (how.rate?.join("/") ?? "");
  }

  /** A size that is on no list becomes a choice of its own. @param {string} size */
  #addOwn(size) {
    if (!this.offered.screens.some((s) => sizeOf({ how: s }) === size)) this.own.add(size);
  }

  #typeSize() {
    const sides = byId("own-size").value.split(/[x×]/i).map((side) => calculate(side.trim()));
    if (sides.length !== 2 || sides.includes(null)) return say("Type a size as width × height, as in 1200 × 628.", 8);
    const size = sides.map((side) => 2 * Math.round(side / 2)).join("x");
    this.#addOwn(size);
    this.sizes.add(size);
    byId("own-size").value = "";
    this.#showOffers();
  }

  #pixels(size) {
    const [width, height] = size.split("x").map(Number);
    return width ? [width, height] : [this.store.cut.width, this.store.cut.height];
  }

  #destination(place) {
    const [w, h] = this.#pixels(sizeOf(place));
    const scale = 26 / Math.max(w, h);
    const clear = this.offered.presets.find((p) => p.name === place.how.preset).clear;
    const shape = make("i", { class: clear ? "clear" : "", style: `width: ${Math.max(3, Math.round(w * scale))}px; height: ${Math.max(3, Math.round(h * scale))}px` });
    const button = make("button", { type: "button", "aria-pressed": this.#isChosen(place), onclick: () => this.#choose(place) }, make("span", { class: "shape" }, shape), make("b", {}, place.name), make("span", {}, place.says));
    if (!place.own) return button;
    const thing = { kind: "destinations", id: place.id, name: place.name, url: `/api/destinations/${place.id}` };
    const gone = make("button", { type: "button", class: "drop", title: "Remove", "aria-label": `Remove ‘${place.name}’`, onclick: () => putInBin(thing, () => this.#offer()).then(() => this.#offer()) }, "×");
    return make("div", { class: "own" }, button, gone);
  }

  /** Keep what is set as a place for all projects. */
  async #keep(event) {
    event.preventDefault();
    try {
      const [how] = this.#wanted();
      await post("/api/destinations", { name: byId("destination-name").value.trim(), as_cut: this.sizes.has(AS_CUT), how });
      byId("destination-name").value = "";
      byId("keep-destination").open = false;
      await this.#offer();
    } catch (error) {
      say(error.message, 10);
    }
  }

  #showOffers() {
    byId("destinations").replaceChildren(...this.offered.destinations.map((place) => this.#destination(place)));
    const toggled = (set, item) => () => {
      if (set.has(item)) set.delete(item);
      else set.add(item);
      this.#showOffers();
    };
    byId("presets").replaceChildren(...this.offered.presets.map((p) => make("button", { type: "button", "aria-pressed": this.presets.has(p.name), title: p.use, onclick: toggled(this.presets, p.name) }, make("b", {}, p.title, make("i", { class: "num" }, p.ending)), this.presets.has(p.name) ? make("span", {}, p.use) : null)));
    const listed = [...this.offered.screens.map((s) => [sizeOf({ how: s }), s.title]), ...[...this.own].map((size) => [size, size.replace("x", " × ")])];
    byId("screens").replaceChildren(...listed.map(([size, title]) => make("button", { type: "button", class: "btn h-[24px] px-2", "data-press": "", "aria-pressed": this.sizes.has(size), title: size === AS_CUT ? "the size of the cut" : size.replace("x", "×"), onclick: toggled(this.sizes, size) }, title)));
    const count = this.presets.size * this.sizes.size;
    byId("deliver").disabled = count === 0;
    byId("deliver").textContent = count > 1 ? `Deliver ${count} files` : "Deliver";
    byId("keep-destination").hidden = count !== 1;
    this.#showAlpha();
    this.#checkSizes();
  }

  /** The picture is shown over squares where all that is chosen keeps alpha. */
  #showAlpha() {
    const chosen = this.offered?.presets.filter((p) => this.presets.has(p.name)) ?? [];
    const clear = this.store.state?.clips.some((clip) => clip.clear);
    this.bench.showClear(Boolean(this.isOpen && clear && chosen.length && chosen.every((p) => p.clear)));
  }

  /** Name what pictures of the chosen sizes would cut off or enlarge, and letters that no font has. */
  async #checkSizes() {
    const { cut, version } = this.store.state;
    const sizes = [...this.sizes].map((size) => this.#pixels(size));
    const asked = (this.sizesAsked = `${version} ${sizes}`);
    const found = cut.clips.length ? await post(`${this.url}/faults`, { sizes }).catch(() => []) : [];
    if (asked !== this.sizesAsked) return;
    const sentences = [...new Set(found.flatMap((f) => f.sentences))];
    byId("size-faults").hidden = !sentences.length;
    byId("size-faults").replaceChildren(...sentences.map((text) => make("li", { class: "flex gap-1.5" }, mark("look"), make("span", {}, text))));
  }

  showFaults() {
    const { faults } = this.store.state;
    byId("faults").hidden = !faults.length;
    byId("faults").replaceChildren(...faults.map((fault) => make("li", { class: "flex gap-1.5" }, mark("missing"), make("span", {}, fault))));
    byId("count-deliver").textContent = faults.length || "";
    if (this.offered) this.#checkSizes();
  }

  #number(id, whole = true) {
    const text = byId(id).value.trim();
    if (!text) return null;
    const value = calculate(text);
    if (value === null) throw new Error(`‘${text}’ is not a number.`);
    return whole ? Math.round(value) : value;
  }

  #wanted() {
    const range = this.bench.range();
    const on = (id) => byId(id).getAttribute("aria-checked") === "true";
    const rate = byId("own-rate").value;
    return [...this.presets].flatMap((preset) => [...this.sizes].map((size) => {
      const [width, height] = this.#pixels(size);
      const { kind } = this.offered.presets.find((p) => p.name === preset);
      const of = byId("sheet-of").value;
      const ofFrame = kind === "still" || (kind === "sheet" && of !== "frames");
      return {
        preset, width, height, rate: rate ? rate.split("/").map(Number) : null, quality: Number(byId("quality").value), fits_mb: this.#number("fits", false), rounds: this.#number("rounds") ?? 1,
        sound: on("with-sound"), first: range?.[0] ?? null, last: range?.[1] ?? null, poster: on("with-poster") || ofFrame ? this.bench.frame() : null, name_pattern: byId("file-names").value.trim(), pictures: this.#number("pictures") ?? 36, plays: this.#number("plays") ?? 0, sheet_of: of,
      };
    }));
  }

  /** Says how large each file would be, one after the other. */
  async #foretell() {
    const run = (this.foretelling = {});
    try {
      const wanted = this.#wanted();
      byId("foretold").replaceChildren(...wanted.map((d) => make("li", {}, `${this.#title(d)}: …`)));
      for (const [i, delivery] of wanted.entries()) {
        const { says } = await post(`${this.url}/forecast`, delivery);
        if (this.foretelling !== run) return;
        byId("foretold").children[i].textContent = `${this.#title(delivery)}: ${says}`;
      }
    } catch (error) {
      byId("foretold").replaceChildren();
      say(error.message, 10);
    }
  }

  #title({ preset, width, height }) {
    return `${this.offered.presets.find((p) => p.name === preset).title}, ${width}×${height}`;
  }

  async #deliver() {
    try {
      await post(this.url, { deliveries: this.#wanted() });
      await this.look();
    } catch (error) {
      say(error.message, 10);
    }
  }

  #show(all) {
    this.tell(all);
    const lines = byId("deliveries");
    const open = new Set([...lines.querySelectorAll("details[open]")].map((d) => d.dataset.id));
    lines.replaceChildren(...all.map((d) => this.#line(d, open.has(d.id))));
  }

  #line(delivery, open) {
    const { job } = delivery;
    const busy = under(job);
    const act = (text, run) => make("button", { type: "button", class: "btn h-[24px] px-2", onclick: () => run().catch((error) => say(error.message, 10)) }, text);
    const item = make("li", { class: "delivery", "data-state": delivery.done ? "done" : (job?.state ?? "failed") },
      make("div", { class: "flex items-center gap-1.5" }, delivery.done ? mark(delivery.fine ? "ready" : "look") : busy ? null : mark("missing"), make("b", { class: "min-w-0 flex-1 truncate font-medium", title: delivery.name }, delivery.name), make("span", { class: "num whitespace-nowrap text-soft" }, delivery.size)));
    if (busy) item.append(progressOf(job));
    else if (!delivery.done) item.append(make("p", { class: "text-missing" }, job?.message || "It was not finished."));
    if (delivery.done) {
      const odd = delivery.report.filter((r) => !r.fine);
      item.append(make("details", { open: open || odd.length > 0, "data-id": delivery.id }, make("summary", {}, odd.length ? `Opened again: ${odd.length} of ${delivery.report.length} odd` : `Opened again: all ${delivery.report.length === 1 ? "is" : `${delivery.report.length} things are`} right`),
        make("ul", { class: "mt-1 grid gap-0.5" }, ...delivery.report.map((r) => make("li", { class: r.fine ? "text-soft" : "text-look" }, r.sentence)))));
    }
    const file = `/api/deliveries/${delivery.id}/file`;
    item.append(make("div", { class: "mt-1 flex gap-1.5" },
      delivery.done ? make("a", { class: "btn h-[24px] px-2", href: file, download: "" }, "Fetch") : null,
      delivery.snippet ? make("a", { class: "btn h-[24px] px-2", href: `${file}?inline=true`, target: "_blank" }, "Look") : null,
      delivery.snippet ? act("Copy for a page", async () => (await navigator.clipboard.writeText(delivery.snippet), say("Copied: put it into a page beside the file."))) : null,
      busy || delivery.done ? null : act("Again", () => post(`/api/deliveries/${delivery.id}/again`).then(() => this.look())),
      make("span", { class: "flex-1" }), act(busy ? "Stop" : "Remove", () => (busy ? remove(`/api/jobs/${job.id}`) : putInBin({ kind: "delivery", id: delivery.id, name: delivery.name, url: `/api/deliveries/${delivery.id}` }, () => this.look())).then(() => this.look()))));
    return item;
  }
}
