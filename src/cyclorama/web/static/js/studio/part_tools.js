/** What is done to chosen parts beside dressing them: more like them, names and groups, taken apart. */

import { byId } from "../shared/dom.js";
import { post, say } from "../shared/api.js";

/** Points of a line nearer than this share of the picture are one. */
const NEAR = 0.004;

export class PartTools {
  /**
   * @param {import("./project.js").ProjectStore} store
   * @param {import("../lens/touch.js").Touch} touch
   * @param {import("./studio.js").Floor} floor
   * @param {{light: string|null}} taken what the cards show
   */
  constructor(store, touch, floor, taken) {
    this.store = store;
    this.touch = touch;
    this.floor = floor;
    this.taken = taken;
    byId("chosen-more").addEventListener("change", (e) => {
      const { value } = e.target;
      e.target.value = "";
      this[value]?.();
    });
  }

  #chosen() {
    return this.touch.parts().filter((part) => this.touch.has(part));
  }

  /** All parts that are like a chosen one are chosen. */
  #like(same) {
    const chosen = this.#chosen();
    this.touch.choose(this.touch.parts().filter((part) => chosen.some((one) => same(one, part))));
  }

  sameMaterial() {
    this.#like((one, part) => one.material === part.material);
  }

  sameGroup() {
    if (!this.#chosen().some(({ group }) => group.length)) return say("None of these is in a group.");
    this.#like((one, part) => one.item === part.item && one.group.length && one.group.join("/") === part.group.join("/"));
  }

  sameName() {
    const stem = (name) => name.replace(/[\s_.-]*\d+$/, "").toLowerCase();
    this.#like((one, part) => stem(one.name) === stem(part.name));
  }

  /** One name for all that are chosen, numbered where they are several. */
  rename() {
    const chosen = this.#chosen();
    const name = prompt("What are they called?", chosen[0].name)?.trim();
    if (name) this.#setEach(chosen, "name", (_, i) => (chosen.length > 1 ? `${name} ${i + 1}` : name));
  }

  group() {
    const chosen = this.#chosen();
    const name = prompt("Which group do they belong to? Empty: none.", chosen[0].group.at(-1) ?? "");
    if (name !== null) this.#setEach(chosen, "group", () => (name.trim() ? [name.trim()] : []));
  }

  #setEach(parts, field, value) {
    return this.store.change(...parts.map(({ item, part }, i) => ({ kind: "set", path: `items/${item}/parts/${part}/${field}`, value: value(part, i) })));
  }

  /** The light of the Light card leaves them out, or lights them again when it leaves all of them out already. */
  link() {
    const light = this.store.look.lights.find(({ id }) => id === this.taken.light) ?? this.store.look.lights[0];
    if (!light) return say("There is no light.");
    const parts = this.#chosen().map(({ part }) => part);
    const spared = parts.every((part) => light.excluded_parts.includes(part));
    const rest = light.excluded_parts.filter((part) => !parts.includes(part));
    this.store.set(`look/lights/${light.id}/excluded_parts`, spared ? rest : [...rest, ...parts]);
    say(spared ? `${light.name} lights ${parts.length === 1 ? "it" : "them"} again.` : `${light.name} lights ${parts.length === 1 ? "it" : "them"} no more.`);
  }

  pieces() {
    this.#split({ by: "pieces" });
  }

  /** What is seen inside a line that is drawn in the picture. */
  line() {
    const points = [];
    const shown = byId("lasso-line");
    let frame = 0;
    const draw = (place) => {
      const last = points.at(-1);
      if (last && Math.hypot(place.x - last[0], place.y - last[1]) < NEAR) return;
      frame = place.frame;
      points.push([place.x, place.y]);
      shown.setAttribute("points", points.map((p) => p.join(",")).join(" "));
    };
    this.floor.pick("Draw a line round what you want apart, let go.", () => {
      shown.setAttribute("points", "");
      this.#split({ by: "line", frame, line: points });
    }, draw);
  }

  async #split(how) {
    const chosen = this.#chosen();
    if (chosen.length !== 1) return say("Choose one part to take apart.");
    const [{ item, part }] = chosen;
    const before = new Set(this.touch.parts().map((p) => `${p.item} ${p.part}`));
    say("Taking it apart …", 60);
    if (!(await this.store.edit((version) => post(`${this.store.url}/split`, { base_version: version, item, part, ...how })))) return null;
    const fresh = this.touch.parts().filter((p) => !before.has(`${p.item} ${p.part}`));
    this.touch.choose(fresh);
    return say(fresh.length === 1 ? "It is two parts now; the new one is chosen." : `It is ${fresh.length + 1} parts now; the new ones are chosen.`);
  }
}
