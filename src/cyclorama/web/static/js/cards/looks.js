/** Looks: a tile for each, new ones from the present one, and two compared in the lens by a wipe. */

import { byId } from "../shared/dom.js";
import { drag } from "../shared/drag.js";
import { make, say } from "../shared/api.js";

const REST_MS = 1600;

export class Looks {
  /**
   * @param {import("../studio/project.js").ProjectStore} store
   * @param {import("../studio/studio.js").Floor} floor
   */
  constructor(store, floor) {
    this.store = store;
    this.floor = floor;
    this.tiles = new Map();
    this.against = null;
    byId("add-look").addEventListener("click", () => store.change({ kind: "add_look" }));
    const wipe = byId("wipe");
    const move = (e) => {
      const box = byId("frame").getBoundingClientRect();
      this.#wipe(Math.min(1, Math.max(0, (e.clientX - box.left) / box.width)));
    };
    drag(byId("wipe-bar"), () => {
      const from = this.at;
      return { move, cancel: () => this.#wipe(from) };
    });
    byId("wipe-bar").addEventListener("keydown", (e) => {
      const by = { ArrowLeft: -0.02, ArrowRight: 0.02 }[e.key];
      if (!by) return;
      e.preventDefault();
      e.stopPropagation();
      this.#wipe(Math.min(1, Math.max(0, this.at + by)));
    });
    wipe.addEventListener("load", () => URL.revokeObjectURL(wipe.src));
    wipe.addEventListener("load", () => (wipe.hidden = byId("wipe-bar").hidden = !this.against));
    wipe.addEventListener("error", () => this.against && (say("That look cannot be developed."), this.compare(null)));
    addEventListener("keydown", (e) => e.key === "Escape" && this.against && this.compare(null));
  }

  /** @param {boolean} open whether the card is seen */
  show(open) {
    const { looks } = this.store.state.project;
    if ((this.against !== "tried" && !looks.some(({ id }) => id === this.against)) || this.against === this.store.look.id) this.compare(null);
    this.#draw(looks);
    clearTimeout(this.timer);
    if (open && looks.length > 1) this.timer = setTimeout(() => this.#load(looks), REST_MS);
  }

  /** Lay the frame as it would be after changes beside the picture. @param {object[]} changes @param {string} what */
  async compareTried(changes, what) {
    this.compare(null);
    say(`${what} is being developed …`, 3);
    try {
      const answer = await fetch(`${this.store.url}/looks/tried.jpg`, { method: "POST", headers: { "content-type": "application/json" }, body: JSON.stringify({ changes, frame: this.floor.frame() }) });
      if (!answer.ok) throw new Error((await answer.json()).error);
      this.against = "tried";
      byId("wipe").src = URL.createObjectURL(await answer.blob());
      this.#wipe(0.5);
    } catch (error) {
      say(error.message);
    }
  }

  /** Lay the same frame in another look beside the picture, or nothing. @param {string|null} look */
  compare(look) {
    this.against = look;
    const wipe = byId("wipe");
    if (!look) {
      wipe.hidden = byId("wipe-bar").hidden = true;
      wipe.removeAttribute("src");
      return;
    }
    say("The other look is being developed …", 3);
    wipe.src = this.#url(look, "picture", Date.now());
    this.#wipe(0.5);
  }

  #wipe(share) {
    this.at = share;
    byId("wipe").style.clipPath = `inset(0 0 0 ${100 * share}%)`;
    byId("wipe-bar").style.left = `${100 * share}%`;
    byId("wipe-bar").setAttribute("aria-valuenow", Math.round(100 * share));
  }

  #url(look, size, version) {
    return `${this.store.url}/looks/${look}/${size}.jpg?frame=${this.floor.frame()}&v=${version}`;
  }

  /** Have tiles developed whose looks have changed, one after the other. */
  #load(looks) {
    for (const look of looks) {
      const shows = JSON.stringify(look);
      const known = this.tiles.get(look.id);
      if (known?.shows === shows) continue;
      this.tiles.set(look.id, { shows, url: this.#url(look.id, "tile", Date.now()) });
    }
    this.#draw(looks);
  }

  #draw(looks) {
    byId("looks").replaceChildren(...looks.map((look) => this.#tile(look, looks)));
  }

  #tile(look, looks) {
    const open = look.id === this.store.look.id;
    const known = this.tiles.get(look.id);
    const rename = () => {
      const name = prompt("What is this look called?", look.name);
      if (name) this.store.set(`looks/${look.id}/name`, name);
    };
    const away = () => {
      const beside = looks[looks.indexOf(look) ? looks.indexOf(look) - 1 : 1];
      this.store.change(...(open ? [{ kind: "set", path: this.store.full("shot/look_id"), value: beside.id }] : []), { kind: "remove", path: `looks/${look.id}` });
    };
    const keys = looks.length < 2 ? [] : [
      open ? "" : make("button", { type: "button", class: "light-key", "aria-pressed": this.against === look.id, title: `Compare with ${look.name} in the lens`, "aria-label": `Compare with ${look.name}`, onclick: () => (this.compare(this.against === look.id ? null : look.id), this.#draw(looks)) }, "⇆"),
      make("button", { type: "button", class: "light-key", title: `Remove ${look.name}`, "aria-label": `Remove ${look.name}`, onclick: away }, "×"),
    ];
    return make("div", { class: "light-tile", "data-chosen": open ? "" : null },
      make("button", { type: "button", class: "block w-full text-left", "aria-pressed": open, title: `${look.name}. Double click to rename`, onclick: () => !open && this.store.set("shot/look_id", look.id), ondblclick: rename },
        ...(looks.length < 2 ? [] : [known ? make("img", { src: known.url, alt: "", class: "block w-full rounded-[3px]" }) : make("span", { class: "light-blank" })]),
        make("span", { class: "block truncate" }, look.name)),
      make("span", { class: "flex gap-1" }, ...keys));
  }
}
