/** Notes that are pinned to frames: words, and lines drawn on the picture. */

import { byId } from "../shared/dom.js";
import { get, make, post, remove, request, say } from "../shared/api.js";

export class Notes {
  /** @param {string} url of the take @param {import("./stage.js").Stage} stage @param {{go: (n: number) => void, number: () => number|null}} room */
  constructor(url, stage, room) {
    this.url = url;
    this.stage = stage;
    this.room = room;
    this.list = [];
    this.lines = [];
    byId("note-form").addEventListener("submit", (e) => (e.preventDefault(), this.#pin()));
    byId("note-draw").addEventListener("click", () => this.pen(byId("note-draw").getAttribute("aria-pressed") !== "true"));
    byId("note-text").addEventListener("keydown", (e) => e.key === "Enter" && (e.ctrlKey || e.metaKey) && this.#pin());
  }

  async load() {
    this.list = await get(`${this.url}/notes`);
    this.#draw();
  }

  pen(on) {
    byId("note-draw").setAttribute("aria-pressed", String(on));
    this.stage.pen(on);
    if (!on) this.lines = [];
    this.show();
  }

  /** Lines that were drawn on the picture. @param {number[][][]} lines */
  drawn(lines) {
    this.lines = lines.map((line) => line.filter((_, i) => i % Math.ceil(line.length / 300) === 0)).slice(0, 40);
  }

  /** Another frame is shown. */
  show() {
    const n = this.room.number();
    byId("note-frame").textContent = n ?? "";
    this.stage.mark([...this.list.filter((note) => note.frame === n && !note.done).flatMap((note) => note.mark), ...this.lines]);
  }

  get frames() {
    return new Set(this.list.map((note) => note.frame));
  }

  async #pin() {
    const text = byId("note-text").value.trim();
    if (!text) return byId("note-text").focus();
    try {
      await post(`${this.url}/notes`, { frame: this.room.number(), text, mark: this.lines.filter((line) => line.length > 1) });
      byId("note-text").value = "";
      this.pen(false);
      await this.load();
    } catch (error) {
      say(error.message, 10);
    }
    return null;
  }

  async #change(run) {
    try {
      await run();
      await this.load();
    } catch (error) {
      say(error.message, 10);
      if (error.status === 409) await this.load();
    }
  }

  #draw() {
    const open = this.list.filter((note) => !note.done).length;
    byId("count-notes").textContent = open || "";
    byId("notes").replaceChildren(...this.list.map((note) =>
      make("li", { class: `note ${note.done ? "done" : ""}` },
        make("div", { class: "flex items-center gap-1.5" },
          make("button", { type: "button", class: "btn num h-[22px] px-1.5", "aria-label": `Go to frame ${note.frame}`, onclick: () => this.room.go(note.frame) }, String(note.frame)), note.mark.length ? make("span", { class: "text-light", title: "Drawn on the picture" }, "✎") : null, make("span", { class: "flex-1" }),
          make("button", { type: "button", class: "btn btn-bare h-[22px] px-1.5", onclick: () => this.#change(() => request("PATCH", `${this.url}/notes/${note.id}`, { done: !note.done, revision: note.revision })) }, note.done ? "Open again" : "Done"),
          make("button", { type: "button", class: "btn btn-bare h-[22px] px-1.5", "aria-label": "Remove the note", onclick: () => this.#change(() => remove(`${this.url}/notes/${note.id}`)) }, "×")),
        make("p", { class: "mt-1 whitespace-pre-wrap" }, note.text))));
    if (!this.list.length) byId("notes").replaceChildren(make("li", { class: "text-soft" }, "Nothing is noted yet. N writes a note for the frame that is shown."));
    this.show();
  }
}
