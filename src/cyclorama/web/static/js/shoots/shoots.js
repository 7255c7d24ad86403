/** The shoot log: takes with filmstrips that fill as frames land. */

import { make, post, request, say } from "../shared/api.js";
import { putInBin } from "../shared/bin.js";
import { schema } from "../shared/schema.js";
import { Groups } from "./groups.js";

const COLOURS = { running: "var(--color-camera)", done: "var(--color-ready)", failed: "var(--color-missing)", damaged: "var(--color-missing)", interrupted: "var(--color-look)" };

/** Takes that wait, in their order. */
const waiting = {
  /** @type {string[]} */
  ids: [],
  /** The order when one of them goes up or down by some places. */
  moved(id, by) {
    return this.put(id, this.ids.indexOf(id) + by);
  },
  /** The order when one of them goes to a place. */
  put(id, at) {
    const others = this.ids.filter((other) => other !== id);
    others.splice(Math.max(0, at), 0, id);
    return others;
  },
};

async function act(take, action) {
  try {
    if (action === "star" || action === "unstar") await request("PUT", `/api/takes/${take.id}/star`, { on: action === "star" });
    else if (action === "remove") await putInBin({ kind: "take", id: take.id, name: take.name, url: `/api/takes/${take.id}` }, () => {});
    else await post(`/api/takes/${take.id}/${action}`);
  } catch (error) {
    say(error.message);
  }
}

function buttons(take) {
  const b = (action, text, main = false) => make("button", { class: main ? "btn btn-main" : "btn", onclick: () => act(take, action) }, text);
  const list = [];
  if (take.state === "running") list.push(b("pause", "Pause"), b("stop", "Stop"));
  if (take.state === "queued") {
    const move = (by, text, title) => make("button", { class: "btn", title, onclick: () => takeTurns(waiting.moved(take.id, by)) }, text);
    list.push(move(-1, "Move up", "Before the one above"), move(1, "Move down", "After the one below"), b("stop", "Stop"));
  }
  if (["paused", "stopped", "interrupted", "failed"].includes(take.state)) list.push(b("resume", "Resume", true));
  if (take.state === "done") list.push(b("resume", "Check and mend"));
  if (!["running", "queued"].includes(take.state)) list.push(b("remove", "Remove"));
  if (take.finished) list.push(make("a", { class: "btn", href: `/takes/${take.id}` }, "Screen"));
  return list;
}

/** Takes that wait change places: one goes before or after its neighbour. @param {string[]} ids */
async function takeTurns(ids) {
  try {
    await post("/api/takes/turns", { ids });
  } catch (error) {
    say(error.message);
  }
}

/** When a take that waits for a time is begun, if that is still to come. */
function startsAt({ state, not_before: when }) {
  if (state !== "queued" || !when || new Date(when) < new Date()) return "";
  const today = new Date(when).toDateString() === new Date().toDateString();
  return new Date(when).toLocaleString([], { hour: "2-digit", minute: "2-digit", ...(today ? {} : { weekday: "short" }) });
}

function figures(take) {
  const { total } = take;
  const parts = [`${take.finished - take.waiting} of ${total} ${total === 1 ? "frame" : "frames"}${take.waiting ? `, ${take.waiting} more to be seen` : ""}`];
  if (take.spent) parts.push(take.state === "done" ? `took ${take.spent}` : `${take.spent} so far`);
  if (take.left && take.state === "running") parts.push(`${take.left} left`);
  if (take.clamped !== null) parts.push(`${(take.clamped * 100).toFixed(2)} % of the light clamped`);
  if (take.forecast) parts.push(`forecast ${take.forecast}`);
  if (take.disk) parts.push(`${take.disk} on disk`);
  return parts.join(" · ");
}

class Line {
  constructor(take) {
    this.bar = make("div", { class: "h-full" });
    this.state = make("span", { class: "font-medium" });
    this.figures = make("span", { class: "num text-soft" });
    this.message = make("p", { class: "text-look" });
    this.buttons = make("div", { class: "flex gap-1.5" });
    this.star = make("button", { type: "button", class: "btn btn-bare px-1", "aria-label": `Star: ${take.name}`, onclick: () => act(take, this.starred ? "unstar" : "star") });
    const { slate } = take;
    // few frames are not drawn as wide as the page
    const few = take.strip.length < 6 ? ` width: ${Math.round(Math.min(200, (112 * slate.width) / slate.height))}px;` : "";
    const shape = `aspect-ratio: ${slate.width} / ${slate.height};${few}`;
    this.cells = take.strip.map(({ number }) => make("div", { class: `relative overflow-hidden bg-shade ${few ? "flex-none" : "flex-1"}`, style: shape, title: `Frame ${number}` }));
    this.strip = make("div", { class: `mb-1 flex gap-[2px] bg-ink p-[5px] ${few ? "w-fit" : ""}` }, ...this.cells);
    this.track = make("div", { class: "mb-2 h-[4px] bg-shade" }, this.bar);
    this.element = make("article", { class: "border-b border-rule py-4", "data-take": take.id },
      make("header", { class: "mb-2 flex flex-wrap items-baseline gap-x-3 gap-y-1" }, this.star,
        make("a", { class: "text-[15px] font-semibold hover:underline", href: `/projects/${take.project_id}` }, slate.project_name), make("span", {}, take.name), this.state,
        make("span", { class: "num text-soft" }, `${slate.width}×${slate.height}, ${take.source_id ? (take.process === "denoise" ? "denoised" : "lights re-balanced") : slate.finely || `${slate.samples}/px`}, ${slate.format.toUpperCase()}, ${take.first === take.last ? `frame ${take.first}` : `${take.first}–${take.last}`}${slate.every > 1 ? ` by ${slate.every}` : ""}`),
        make("span", { class: "flex-1" }), this.figures),
      this.strip, this.track,
      this.foot = make("div", { class: "flex items-center gap-3" }, this.message, make("span", { class: "flex-1" }), this.buttons));
  }

  show(take) {
    const at = startsAt(take);
    this.state.textContent = take.state === "running" && take.message ? "waiting" : at ? `queued, from ${at}` : schema.take_states[take.state];
    this.strip.hidden = this.track.hidden = take.state !== "running" && !take.finished; // what has nothing to show takes little room
    this.element.classList.toggle("one-line", this.strip.hidden && !take.message);
    this.starred = take.starred;
    this.star.textContent = take.starred ? "★" : "☆";
    this.star.setAttribute("aria-pressed", String(take.starred));
    this.element.draggable = take.state === "queued";
    this.element.classList.toggle("cursor-grab", take.state === "queued");
    this.element.dataset.state = take.state;
    this.state.style.color = COLOURS[take.state] ?? "var(--color-soft)";
    this.figures.textContent = figures(take);
    this.message.textContent = take.message;
    this.bar.style.width = `${(100 * (take.finished - take.waiting)) / take.total}%`;
    this.bar.style.background = COLOURS[take.state] ?? "var(--color-soft)";
    take.strip.forEach(({ number, finished }, i) => {
      if (finished && !this.cells[i].firstChild) this.cells[i].append(make("img", { src: `/api/takes/${take.id}/thumbs/${number}`, alt: `Frame ${number}`, class: "h-full w-full object-cover", loading: "lazy" }));
    });
    const key = `${take.state}${take.finished > 0}`;
    if (key !== this.key) this.buttons.replaceChildren(...buttons(take));
    this.key = key;
  }
}

/** A take whose record cannot be read: what it is called, what is wrong, and a way to be rid of it. */
class DamagedLine {
  constructor(take) {
    this.element = make("article", { class: "border-b border-rule py-4", "data-take": take.id, "data-state": "damaged" },
      make("header", { class: "mb-2 flex items-baseline gap-3" }, make("span", { class: "text-[15px] font-semibold" }, take.name),
        make("span", { class: "font-medium", style: `color: ${COLOURS.damaged}` }, schema.take_states.damaged)),
      make("div", { class: "flex items-center gap-3" }, make("p", { class: "text-look" }, take.message), make("span", { class: "flex-1" }),
        make("button", { class: "btn", onclick: () => act(take, "remove") }, "Remove")));
  }

  show() {}
}

/** The machines of a cluster: what each is doing. */
class Crew {
  constructor() {
    this.element = document.getElementById("crew");
  }

  /** @param {{address: string, hands: object[]}|null} crew */
  show(crew) {
    this.element.hidden = !crew;
    if (!crew) return;
    const cell = (words, classes = "") => make("td", { class: `py-1 pr-4 ${classes}` }, words);
    const rows = crew.hands.map((hand) => make("tr", { class: "border-t border-rule" },
      cell(hand.name, "font-medium"), cell(`${hand.cores} cores`, "num text-soft"), cell(`${(hand.memory / 2 ** 30).toFixed(1)} GB`, "num text-soft"),
      cell(hand.same ? (hand.frame === null ? "waits" : `${hand.does} frame ${hand.frame}`) : "has another version of Cyclorama; update it there", hand.same ? "" : "text-look"),
      make("td", { class: "w-[160px] py-1 pr-4" }, make("div", { class: "h-[4px] bg-shade" }, make("div", { class: "h-full bg-camera", style: `width: ${hand.does === "exposes" ? 100 * hand.share : 0}%` }))),
      cell(hand.frames_a_minute ? `${hand.frames_a_minute.toFixed(1)} frames a minute` : "", "num text-right text-soft")));
    const working = crew.hands.filter(({ same }) => same).length;
    const head = `${working} ${working === 1 ? "machine shoots" : "machines shoot"} on the cluster at ${crew.address}`;
    this.element.replaceChildren(make("h2", { class: "mb-1 font-medium" }, head), make("table", { class: "w-full" }, make("tbody", {}, ...rows)));
  }
}

class ShootLog {
  constructor() {
    this.log = document.getElementById("log");
    this.crew = new Crew();
    this.#bindDragging();
    this.lines = new Map();
    this.groups = new Groups(this.log);
    this.#connect();
    window.addEventListener("pagehide", (e) => e.persisted || this.dispose());
  }

  /** A take that waits is dragged to before or after another that does. */
  #bindDragging() {
    let dragged = null;
    const line = (e) => e.target.closest("[data-state=queued]");
    const below = (e, over) => e.clientY > over.getBoundingClientRect().top + over.offsetHeight / 2;
    const unmark = () => this.log.querySelectorAll(".drop-above, .drop-below").forEach((el) => el.classList.remove("drop-above", "drop-below"));
    this.log.addEventListener("dragstart", (e) => (dragged = line(e)?.dataset.take ?? null));
    this.log.addEventListener("dragover", (e) => {
      const over = line(e);
      unmark();
      if (!dragged || !over) return;
      e.preventDefault();
      over.classList.add(below(e, over) ? "drop-below" : "drop-above");
    });
    this.log.addEventListener("drop", (e) => {
      const over = line(e);
      if (!dragged || !over || over.dataset.take === dragged) return;
      e.preventDefault();
      const others = waiting.ids.filter((id) => id !== dragged);
      takeTurns(waiting.put(dragged, others.indexOf(over.dataset.take) + (below(e, over) ? 1 : 0)));
    });
    this.log.addEventListener("dragend", () => (unmark(), (dragged = null)));
  }

  dispose() {
    this.disposed = true;
    this.socket?.close();
  }

  #connect() {
    this.socket = new WebSocket(`${location.protocol === "https:" ? "wss" : "ws"}://${location.host}/live/takes`);
    this.socket.onmessage = (event) => this.#show(JSON.parse(event.data));
    this.socket.onclose = () => this.disposed || setTimeout(() => this.#connect(), 1500);
  }

  #show({ error, takes, crew }) {
    document.getElementById("trouble").hidden = !error;
    document.getElementById("trouble").textContent = error ?? "";
    if (error) return; // what was shown is still the best there is
    this.crew.show(crew);
    waiting.ids = takes.filter(({ state }) => state === "queued").map(({ id }) => id);
    document.getElementById("empty").hidden = takes.length > 0;
    for (const [id, line] of this.lines) {
      if (takes.some((t) => t.id === id)) continue;
      line.element.remove();
      this.lines.delete(id);
    }
    for (const take of takes) {
      if (!this.lines.has(take.id)) this.lines.set(take.id, take.state === "damaged" ? new DamagedLine(take) : new Line(take));
      this.lines.get(take.id).show(take);
    }
    this.groups.show(takes, (id) => this.lines.get(id).element);
  }
}

new ShootLog();
