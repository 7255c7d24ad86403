/** The shoot log: takes with filmstrips that fill as frames land. */

import { make, post, remove, say } from "./api.js";

const STATES = { queued: "queued", running: "shooting", paused: "paused", stopped: "stopped", interrupted: "interrupted", failed: "failed", done: "done", damaged: "damaged" };
const COLOURS = { running: "var(--color-camera)", done: "var(--color-ready)", failed: "var(--color-missing)", damaged: "var(--color-missing)", interrupted: "var(--color-look)" };

async function act(take, action) {
  try {
    if (action === "remove") {
      if (confirm(`Remove ‘${take.name}’ with its ${take.finished ? `${take.finished} ` : ""}frames?`)) await remove(`/api/takes/${take.id}`);
    } else await post(`/api/takes/${take.id}/${action}`);
  } catch (error) {
    say(error.message);
  }
}

function buttons(take) {
  const b = (action, text, main = false) => make("button", { class: main ? "btn btn-main" : "btn", onclick: () => act(take, action) }, text);
  const list = [];
  if (take.state === "running") list.push(b("pause", "Pause"), b("stop", "Stop"));
  if (take.state === "queued") list.push(b("stop", "Stop"));
  if (["paused", "stopped", "interrupted", "failed"].includes(take.state)) list.push(b("resume", "Resume", true));
  if (take.state === "done") list.push(b("resume", "Check and mend"));
  if (!["running", "queued"].includes(take.state)) list.push(b("remove", "Remove"));
  if (take.finished) list.push(make("a", { class: "btn", href: `/takes/${take.id}` }, "Screen"));
  return list;
}

function figures(take) {
  const total = take.last - take.first + 1;
  const parts = [`${take.finished} of ${total} frames`];
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
    const { slate } = take;
    this.cells = take.strip.map(({ number }) => make("div", { class: "relative flex-1 overflow-hidden bg-shade", style: `aspect-ratio: ${slate.width} / ${slate.height}`, title: `Frame ${number}` }));
    this.element = make("article", { class: "border-b border-rule py-4", "data-take": take.id },
      make("header", { class: "mb-2 flex flex-wrap items-baseline gap-x-3 gap-y-1" },
        make("a", { class: "text-[15px] font-semibold hover:underline", href: `/projects/${take.project_id}` }, slate.project_name), make("span", {}, take.name), this.state,
        make("span", { class: "num text-soft" }, `${slate.width}×${slate.height}, ${take.source_id ? "lights re-balanced" : `${slate.samples}/px`}, ${slate.format.toUpperCase()}, ${take.first}–${take.last}`),
        make("span", { class: "flex-1" }), this.figures),
      make("div", { class: "flex gap-[2px] bg-ink p-[5px]" }, ...this.cells),
      make("div", { class: "mb-2 h-[4px] bg-shade" }, this.bar),
      make("div", { class: "flex items-center gap-3" }, this.message, make("span", { class: "flex-1" }), this.buttons));
  }

  show(take) {
    this.state.textContent = take.state === "running" && take.message ? "waiting" : STATES[take.state];
    this.element.dataset.state = take.state;
    this.state.style.color = COLOURS[take.state] ?? "var(--color-soft)";
    this.figures.textContent = figures(take);
    this.message.textContent = take.message;
    this.bar.style.width = `${(100 * take.finished) / (take.last - take.first + 1)}%`;
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
        make("span", { class: "font-medium", style: `color: ${COLOURS.damaged}` }, STATES.damaged)),
      make("div", { class: "flex items-center gap-3" }, make("p", { class: "text-look" }, take.message), make("span", { class: "flex-1" }),
        make("button", { class: "btn", onclick: () => act(take, "remove") }, "Remove")));
  }

  show() {}
}

class ShootLog {
  constructor() {
    this.log = document.getElementById("log");
    this.lines = new Map();
    this.#connect();
    window.addEventListener("pagehide", (e) => e.persisted || this.dispose());
  }

  dispose() {
    this.disposed = true;
    this.socket.close();
  }

  #connect() {
    this.socket = new WebSocket(`${location.protocol === "https:" ? "wss" : "ws"}://${location.host}/live/takes`);
    this.socket.onmessage = (event) => this.#show(JSON.parse(event.data));
    this.socket.onclose = () => this.disposed || setTimeout(() => this.#connect(), 1500);
  }

  #show(takes) {
    document.getElementById("trouble").hidden = !takes.error;
    document.getElementById("trouble").textContent = takes.error ?? "";
    if (takes.error) return; // what was shown is still the best there is
    document.getElementById("empty").hidden = takes.length > 0;
    for (const [id, line] of this.lines) {
      if (takes.some((t) => t.id === id)) continue;
      line.element.remove();
      this.lines.delete(id);
    }
    takes.forEach((take, i) => {
      if (!this.lines.has(take.id)) this.lines.set(take.id, take.state === "damaged" ? new DamagedLine(take) : new Line(take));
      const line = this.lines.get(take.id);
      line.show(take);
      if (this.log.children[i] !== line.element) this.log.insertBefore(line.element, this.log.children[i] ?? null);
    });
  }
}

new ShootLog();
