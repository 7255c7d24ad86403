/** What is dragged onto the picture: it is tried on whatever is under the pointer, and kept when it is dropped. */

import { byId } from "../shared/dom.js";
import { make, say, upload } from "../shared/api.js";

const isPicture = (item) => item.kind === "file" && item.type.startsWith("image/") && item.type !== "image/svg+xml";

export class Dropping {
  /**
   * @param {import("../lens/lens.js").Lens} lens
   * @param {import("./studio.js").Floor} floor
   * @param {import("../lens/touch.js").Touch} touch what is under the pointer
   * @param {import("./project.js").Chosen} taken what the cards show
   * @param {import("./palette.js").Palette} palette
   * @param {import("../cards/surface_layers.js").SurfaceLayers} surfaceLayers
   */
  constructor(lens, floor, touch, taken, palette, surfaceLayers) {
    this.lens = lens;
    this.floor = floor;
    this.touch = touch;
    this.taken = taken;
    this.palette = palette;
    this.surfaceLayers = surfaceLayers;
    this.store = lens.store;
    /** @type {any} */
    this.dragged = null;
    this.tried = "";
    const { mat } = lens;
    mat.addEventListener("dragover", (e) => this.#over(e));
    mat.addEventListener("dragleave", () => this.#left());
    mat.addEventListener("drop", (e) => this.#dropped(e));
    byId("drop-menu").addEventListener("keydown", (e) => e.key === "Escape" && this.#closeMenu());
    addEventListener("pointerdown", (e) => e.target?.closest("#drop-menu") || this.#closeMenu());
  }

  /**
   * A thing is dragged out of a card, or no more.
   * @param {{material: string}|{preset: string}|{kept: object}|{colour: number[]}|{values: object[]}|null} what a material,
   *   one to start from, a kept one, a linear colour, or values that are set wherever it is dropped
   */
  carry(what) {
    const tried = this.dragged && this.tried;
    this.dragged = what;
    if (what) this.touch.ask();
    else {
      this.tried = "";
      if (tried) this.floor.settle(); // it was not dropped: everything is as it was
      this.touch.leave();
    }
  }

  #over(e) {
    const picture = !this.dragged && [...e.dataTransfer.items].some(isPicture);
    if (!this.dragged && !picture) return;
    e.preventDefault();
    e.stopPropagation();
    e.dataTransfer.dropEffect = "copy";
    const thing = this.touch.pointAt(e, (found) => Boolean(picture || this.#changes(found)));
    if (!picture) this.#tryOn(thing);
  }

  #left() {
    this.touch.leave();
    if (this.dragged) this.#tryOn(undefined);
  }

  /** The picture as it would be with what is dragged on a thing; as it is where nothing takes it. */
  #tryOn(thing) {
    const changes = thing === undefined ? null : this.#changes(thing);
    const key = changes ? JSON.stringify(changes) : "";
    if (key === this.tried) return;
    this.tried = key;
    if (changes) this.lens.attempt(changes);
    else this.floor.settle();
  }

  /** What a drop on a thing (null: on nothing) changes; null where nothing takes it. */
  #changes(thing) {
    const { values, colour, material, ...what } = this.dragged;
    if (values) return values;
    if (colour) return this.#coloured(thing, colour);
    if (thing?.kind !== "part") return null;
    const parts = this.touch.meant(thing);
    if (!material) return [{ kind: "dress", ...what, parts: parts.map(({ item, part }) => ({ item, part })) }];
    return parts.map(({ path }) => ({ kind: "set", path: `${path}/material`, value: material }));
  }

  #coloured(thing, value) {
    const paths = !thing ? [this.store.full("look/background/colour")]
      : thing.kind === "set" ? [`set/${thing.part}/color`]
      : [...new Set(this.touch.meant(thing).map(({ material }) => `materials/${material}/base_color`))];
    return paths.map((path) => ({ kind: "set", path, value }));
  }

  #dropped(e) {
    const pictures = this.dragged ? [] : [...e.dataTransfer.items].filter(isPicture).map((item) => item.getAsFile());
    if (!this.dragged && !pictures.length) return;
    e.preventDefault();
    e.stopPropagation();
    const thing = this.touch.pointAt(e, () => true);
    const changes = this.dragged ? this.#changes(thing) : null;
    this.tried = "";
    /** @type {any} */
    this.dragged = null;
    this.touch.leave();
    if (pictures.length) return this.#askWhatFor(pictures, thing, e);
    if (changes?.length) this.store.change(...changes);
    else this.floor.settle();
  }

  /** A picture may be many things: what it is meant for is asked where it was dropped. */
  #askWhatFor(pictures, thing, { clientX, clientY }) {
    const light = this.store.look.lights.find(({ id }) => id === this.taken.light);
    const kept = (use) => async () => {
      this.#closeMenu();
      try {
        const { asset, name } = (await upload(`${this.store.url}/pictures`, pictures))[0];
        await this.store.change(...use(asset, name));
      } catch (error) {
        say(error.message, 10);
      }
    };
    const set = (path, values) => Object.entries(values).map(([field, value]) => ({ kind: "set", path: path + field, value }));
    const uses = /** @type {[string, () => void][]} */ ([
      thing?.kind === "part" && [`Colour of ${thing.name}`, kept((asset, name) => set(`materials/${thing.material}/maps/`, { base_color: { asset, name } }))],
      thing?.kind === "part" && ["Put onto it here", () => (this.#closeMenu(), this.surfaceLayers.putOn(pictures, this.lens.placeOf({ clientX, clientY })))],
      ["Behind everything", kept((asset, name) => set(`${this.store.full("look/background")}/`, { kind: "picture", picture: asset, source_name: name }))],
      light && [`Gobo of ${light.name}`, kept((asset, name) => set(`${this.store.full(`look/lights/${light.id}`)}/`, { gobo: { pictures: [asset], source_name: name } }))],
      ["Reference beside it", () => (this.#closeMenu(), this.palette.keepReference(pictures[0]))],
    ].filter(Boolean));
    const menu = byId("drop-menu");
    menu.replaceChildren(...uses.map(([title, onclick]) => make("button", { type: "button", role: "menuitem", class: "btn btn-bare h-[26px] justify-start text-left", onclick }, title)));
    menu.hidden = false;
    Object.assign(menu.style, { left: `${Math.min(clientX, innerWidth - menu.offsetWidth - 8)}px`, top: `${Math.min(clientY, innerHeight - menu.offsetHeight - 8)}px` });
    menu.firstElementChild.focus();
  }

  #closeMenu() {
    byId("drop-menu").hidden = true;
  }
}
