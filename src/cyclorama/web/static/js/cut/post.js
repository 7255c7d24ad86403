/** Posting what was delivered to a portfolio: which files, what is said about them, how far it has come. */

import { byId } from "../shared/dom.js";
import { make, mark, post, remove, say } from "../shared/api.js";
import { progressOf, under, watching } from "./deliver.js";

export class CutPosts {
  /** @param {string} projectId */
  constructor(projectId) {
    this.url = `/api/projects/${projectId}/posts`;
    this.chosen = [];
    this.look = watching(this.url, (all) => byId("posts").replaceChildren(...all.map((p) => this.#line(p))));
    byId("post-form").addEventListener("submit", (event) => {
      event.preventDefault();
      this.#send();
    });
    this.look();
  }

  /** Says what there is to be posted, of all deliveries. */
  offer(deliveries) {
    this.offered = deliveries.filter((d) => d.done && d.postable);
    this.chosen = this.chosen.filter((id) => this.offered.some((d) => d.id === id));
    this.#showFiles();
  }

  #showFiles() {
    byId("post-none").hidden = this.offered.length > 0;
    byId("post-files").replaceChildren(...this.offered.map((d) => {
      const at = this.chosen.indexOf(d.id);
      const toggle = () => {
        this.chosen = at < 0 ? [...this.chosen, d.id] : this.chosen.filter((id) => id !== d.id);
        this.#showFiles();
        byId("post-files").querySelector(`[data-id="${d.id}"]`).focus();
      };
      return make("li", {}, make("button", { type: "button", class: "btn w-full justify-start gap-2 px-2", "data-press": "", "data-id": d.id, "aria-pressed": at >= 0, onclick: toggle },
        make("span", { class: "min-w-0 flex-1 truncate text-left" }, d.name), make("span", { class: "num whitespace-nowrap" }, at === 0 ? "cover" : at > 0 ? String(at + 1) : d.size)));
    }));
    byId("post-send").disabled = this.chosen.length === 0;
  }

  async #send() {
    const key = byId("post-key").value.trim();
    const tags = byId("post-tags").value.split(",").map((t) => t.trim()).filter(Boolean);
    try {
      await post(this.url, { key, post: { title: byId("post-title").value, text: byId("post-text").value, tags, deliveries: this.chosen } });
      await this.look();
    } catch (error) {
      say(error.message, 10);
    }
  }

  #line(item) {
    const { job } = item;
    const busy = under(job);
    const act = (text, run) => make("button", { type: "button", class: "btn h-[24px] px-2", onclick: () => run().then(() => this.look()).catch((error) => say(error.message, 10)) }, text);
    return make("li", { class: "delivery", "data-state": item.shown_at ? "done" : (job?.state ?? "failed") },
      make("div", { class: "flex items-center gap-1.5" }, item.shown_at ? mark("ready") : busy ? null : mark("missing"), make("b", { class: "min-w-0 flex-1 truncate font-medium" }, item.post.title), make("span", { class: "num whitespace-nowrap text-soft" }, item.post.deliveries.length === 1 ? "1 file" : `${item.post.deliveries.length} files`)),
      busy ? progressOf(job) : item.shown_at ? null : make("p", { class: "text-missing" }, job?.message || "It was not finished."),
      make("div", { class: "mt-1 flex gap-1.5" },
        item.shown_at ? make("a", { class: "btn h-[24px] px-2", href: item.shown_at, target: "_blank" }, "See it") : null,
        busy || item.shown_at ? null : act("Go on", () => post(`/api/posts/${item.id}/again`, { key: byId("post-key").value.trim() || null })),
        make("span", { class: "flex-1" }), act(busy ? "Stop" : "Delete", () => remove(busy ? `/api/jobs/${job.id}` : `/api/posts/${item.id}`))));
  }
}
