/** The Subject card besides its bound fields: facts, where it turns, its report, its parts, how finely it is made. */

import { byId } from "../shared/dom.js";
import { withId } from "../shared/lists.js";
import { make, mark, post, say, switchRow } from "../shared/api.js";
import { follow } from "../shared/intake.js";
import { lightKind } from "../shared/schema.js";

const CENTRES = { box: "Middle of its box", area: "Middle of its surface", revolution: "Axis of revolution", file: "Origin of the file" };
const OPEN_PARTS = 24; // groups of a model with more parts come folded
const capital = (text) => text[0].toUpperCase() + text.slice(1);
const count = (n) => n.toLocaleString("en").replaceAll(",", "\u202f");

export class SubjectCard {
  /**
   * @param {import("../studio/project.js").ProjectStore} store
   * @param {import("../studio/project.js").Chosen} chosen
   * @param {() => void} refresh called when another piece was chosen
   * @param {import("../studio/studio.js").Floor} floor
   */
  constructor(store, chosen, refresh, floor) {
    this.store = store;
    this.chosen = chosen;
    this.refresh = refresh;
    this.floor = floor;
    this.folded = new Map();
    this.asset = null;
    byId("then-play").addEventListener("change", (e) => this.#thenPlay(e.target));
    byId("unit-choice").addEventListener("click", (e) => e.target.dataset.unitM && store.set("subject/placement/unit_m", Number(e.target.dataset.unitM)));
    byId("up-choice").addEventListener("click", (e) => e.target.dataset.up && store.set("subject/placement/up", e.target.dataset.up));
    byId("lay-choice").addEventListener("click", (e) => e.target.dataset.on && store.change({ kind: "lay", on: e.target.dataset.on }));
    byId("as-it-came").addEventListener("click", () => store.change({ kind: "lay", on: "as it came" }));
    byId("animation").addEventListener("change", (e) => {
      const left = e.target.value ? [] : this.#subject.play.then.map(({ id }) => ({ kind: "remove", path: store.full(`subject/play/then/${id}`) }));
      store.change(...left, { kind: "set", path: store.full("subject/play/animation"), value: e.target.value || null });
    });
    byId("colourway").addEventListener("change", (e) => store.change({ kind: "wear_colourway", item: this.#subject.id, variant: e.target.value }));
    byId("error-choice").addEventListener("click", (e) => e.target.dataset.px && this.#make({ error_px: Number(e.target.dataset.px) }));
    byId("smooth-choice").addEventListener("click", (e) => e.target.dataset.smooth && this.#make({ smooth: e.target.dataset.smooth }));
    byId("lighten").addEventListener("click", () => this.#make({ lighten: !this.#detail.lighten }));
    byId("tolerance").addEventListener("change", (e) => this.#tolerate(e.target));
    byId("make-again").addEventListener("click", () => this.#make({}));
    for (const tile of document.querySelectorAll("[data-liquid]")) tile.addEventListener("click", () => this.#fill(tile.dataset.liquid));
    byId("leave-hidden").addEventListener("click", () => this.#leaveHidden());
    byId("bring-back").addEventListener("click", () => this.#make({ left_out: [] }));
  }

  get #subject() {
    return withId(this.store.state.project.items, this.store.state.project.subject_id);
  }

  get #detail() {
    return this.#subject.detail;
  }

  show({ subject, report }) {
    const item = this.#subject;
    const { placement, source_name: name } = item;
    byId("subject-name").textContent = byId("subject-name").title = name || item.name;
    byId("subject-size").textContent = subject.size;
    byId("subject-size").title = item.play.animation === null ? "" : "All the room that it takes while it moves";
    this.#showAnimations(item, subject);
    this.#showVariants(item);
    this.#showCentres(placement, subject);
    byId("gap-label").textContent = `Gap to ${subject.stands_on}`;
    byId("gap").textContent = subject.gap;
    byId("as-it-came").hidden = placement.tip_deg === 0 && placement.roll_deg === 0;
    byId("stand").disabled = subject.gap === "0 mm";
    for (const b of byId("unit-choice").children) b.setAttribute("aria-pressed", Math.abs(Number(b.dataset.unitM) / placement.unit_m - 1) < 1e-6);
    for (const b of byId("up-choice").children) b.setAttribute("aria-pressed", b.dataset.up === placement.up);
    byId("unit-reason").textContent = report ? `${capital(report.unit_reason)}; ${report.up_reason}.` : "";
    byId("findings").replaceChildren(...(report?.findings ?? []).map((f) =>
      make("li", { class: "flex gap-2" }, mark(f.mark), make("span", {}, f.what, f.done ? make("span", { class: "text-soft" }, `: ${f.done}`) : ""), f.mend ? this.#mend(f.mend) : "")));
    this.#showParts(item);
    this.#showDetail(item, subject);
    const holds = (item.filling && item.parts.at(-1)?.name) ?? "none";
    for (const tile of document.querySelectorAll("[data-liquid]")) tile.setAttribute("aria-pressed", String(tile.dataset.liquid === holds));
  }

  /** A button that grows a part which stops short of its neighbour. */
  #mend({ part, by }) {
    const { id: item, placement } = this.#subject;
    const mm = by * placement.unit_m * placement.scale * 1000;
    const grow = () => this.store.edit((version) => post(`${this.store.url}/grow`, { base_version: version, item, part, by }));
    return make("button", { type: "button", class: "btn h-[26px]", onclick: grow }, `Grow by ${mm.toPrecision(2)} mm`);
  }

  #fill(liquid) {
    if (liquid !== "none" || this.#subject.filling) this.store.change({ kind: "fill", item: this.#subject.id, liquid });
  }

  #showAnimations({ animations, play }, { animation_sentence: sentence }) {
    byId("animation").replaceChildren(make("option", { value: "" }, "None, at rest"),
      ...animations.map(({ id, name, seconds }) => make("option", { value: id }, `${name}, ${seconds.toFixed(2)} s`)));
    byId("animation").value = play.animation ?? "";
    byId("animation-explained").textContent = sentence;
    if (!play.then.some(({ id }) => id === this.chosen.piece)) this.chosen.piece = null;
    const called = (id) => animations.find((a) => a.id === id)?.name ?? "";
    byId("pieces").replaceChildren(...[{ ...play, id: null, speed: 1 }, ...play.then].map((piece) => this.#piece(piece, called(piece.animation))));
    byId("then-play").replaceChildren(make("option", { value: "" }, "Play next …"), ...animations.map(({ id, name }) => make("option", { value: id }, name)));
    byId("first-piece").hidden = this.chosen.piece !== null;
    byId("later-piece").hidden = this.chosen.piece === null;
  }

  async #thenPlay(pick) {
    const animation = pick.value;
    pick.value = "";
    const id = animation && (await this.store.added({ kind: "then_play", animation }, () => this.#subject.play.then));
    if (id) this.#choose(id);
  }

  #choose(piece) {
    this.chosen.piece = piece;
    this.refresh();
  }

  /** A line of what is played; the first one has no id. */
  #piece({ id, reverse, times, speed }, name) {
    const how = [times === 1 ? "" : `${times} ×`, speed === 1 ? "" : `at ${speed} ×`, reverse ? "backwards" : ""].filter(Boolean).join(", ");
    const away = () => this.store.change({ kind: "remove", path: this.store.full(`subject/play/then/${id}`) });
    return make("li", { class: "segment-row", "aria-current": id === this.chosen.piece },
      make("button", { type: "button", class: "flex-1 text-left", onclick: () => this.#choose(id) }, name),
      make("span", { class: "num text-soft" }, how),
      id === null ? "" : make("button", { type: "button", class: "btn btn-bare h-[22px] px-1.5", "aria-label": `Remove ${name}`, title: "Remove", onclick: away }, "×"));
  }

  /** Which of its colourways it wears, where it has several. */
  #showVariants(item) {
    const { variants } = item;
    byId("colourway").replaceChildren(...variants.map(({ id, name }) => make("option", { value: id }, name)));
    byId("colourway").value = this.store.variant(item).id;
  }

  #showCentres(placement, subject) {
    byId("centres").replaceChildren(...Object.entries(CENTRES).map(([method, name]) => {
      const off = subject.wobble[method];
      const is = placement.centre_method === method && off === "0 mm";
      return make("button", { type: "button", class: `btn justify-between ${is ? "border-subject" : ""}`, "aria-pressed": is, onclick: () => this.store.change({ kind: "centre", method }) },
        make("span", {}, name), make("span", { class: "num text-soft" }, is ? "on the axis" : `${off} off`));
    }));
    byId("lean").textContent = subject.axis_residual < 0.35 ? `Its axis of revolution leans ${subject.axis_lean_deg.toFixed(2)}°.` : "";
  }

  /** The tree of what the file holds: parts in their groups, then cameras and lights. */
  #showParts(item) {
    const { asset, cameras, lights, detail, source } = item;
    const worn = this.store.variant(item).parts;
    const parts = item.parts.map((part, i) => ({ ...part, visible: worn[i].visible }));
    byId("subject-parts").textContent = `${parts.length}, ${count(parts.reduce((n, p) => n + p.triangles, 0))}`;
    const root = { groups: new Map(), rows: /** @type {HTMLElement[]} */ ([]), triangles: 0, path: "" };
    parts.forEach((part, index) => {
      let at = root;
      for (const name of part.group) {
        const path = `${at.path}/${name}`;
        if (!at.groups.has(name)) at.groups.set(name, { groups: new Map(), rows: [], triangles: 0, path });
        at = at.groups.get(name);
        at.triangles += part.triangles;
      }
      at.rows.push(this.#partRow(part, index));
    });
    byId("parts-count").textContent = `${parts.length === 1 ? "One part" : `${count(parts.length)} parts`}; point at one to see it`;
    if (this.asset !== asset) byId("parts-fold").open = parts.length > 1 && parts.length <= OPEN_PARTS;
    this.asset = asset;
    byId("parts").replaceChildren(...this.#branches(root, parts.length <= OPEN_PARTS));
    const act = (label, title, change) => make("button", { type: "button", class: "btn", title, onclick: () => this.store.change(change) }, label);
    byId("around").replaceChildren(
      ...cameras.map(({ id, name }) => make("li", { class: "row" }, make("span", { class: "name truncate", title: name }, name), make("span", { class: "text-soft" }, "camera"),
        act("Shoot from here", "The camera stands where the file's does, with its field of view", { kind: "take_camera", id }))),
      ...lights.map(({ id, name, shape }) => make("li", { class: "row" }, make("span", { class: "name truncate", title: name }, name), make("span", { class: "text-soft" }, lightKind(shape).title.toLowerCase()),
        act("Put up", "A light like it, where it stands in the file", { kind: "take_light", id }))));
    byId("around-title").hidden = !cameras.length && !lights.length;
    const hidden = parts.filter((p) => !p.visible).length;
    byId("leave-hidden").hidden = !hidden || hidden === parts.length || !source || parts.some((p) => !p.number);
    byId("leave-hidden").textContent = hidden === 1 ? "Leave the hidden part out" : `Leave the ${hidden} hidden parts out`;
    const out = detail.left_out.length;
    byId("bring-back").hidden = !out;
    byId("bring-back").textContent = out === 1 ? "Bring the left-out part back" : `Bring ${out} left-out parts back`;
  }

  #partRow(part, index) {
    const row = switchRow(part.name, part.visible, `Show ${part.name}`, (on) => this.store.set(`subject/variant/parts/${part.id}/visible`, on), { figure: count(part.triangles), title: part.name });
    row.dataset.part = `${this.#subject.id} ${part.id}`;
    row.addEventListener("pointerenter", () => this.floor.point(index));
    row.addEventListener("pointerleave", () => this.floor.point(null));
    return row;
  }

  /** Rows of a group; groups that hold nothing but one group are written on one line. */
  #branches(group, open) {
    const inner = [...group.groups].map(([name, child]) => {
      let title = name;
      while (!child.rows.length && child.groups.size === 1) {
        const [[next, only]] = child.groups;
        title = `${title} / ${next}`;
        child = only;
      }
      const { path } = child;
      const folder = make("details", { class: "branch", open: (this.folded.get(path) ?? open) || null },
        make("summary", {}, make("span", { class: "truncate" }, title), make("span", { class: "num text-soft" }, count(child.triangles))),
        make("ul", { class: "grid border-l border-rule pl-2" }, ...this.#branches(child, open)));
      folder.addEventListener("toggle", () => this.folded.set(path, folder.open));
      return make("li", {}, folder);
    });
    return [...inner, ...group.rows];
  }

  #showDetail({ detail, source, source_name: name }, { detail: sentence }) {
    byId("detail-sentence").textContent = source ? sentence : "Its source was not kept yet when it came in. Bring it in again to change this.";
    byId("detail-choices").hidden = !source;
    for (const b of byId("error-choice").children) b.setAttribute("aria-pressed", Number(b.dataset.px) === detail.error_px);
    for (const b of byId("smooth-choice").children) b.setAttribute("aria-pressed", b.dataset.smooth === detail.smooth);
    byId("lighten").setAttribute("aria-checked", detail.lighten);
    byId("tolerance-row").hidden = !/\.(step|stp)$/i.test(name);
    if (document.activeElement !== byId("tolerance")) byId("tolerance").value = detail.tolerance_mm ?? "";
  }

  #tolerate(box) {
    const text = box.value.trim().replace(",", ".");
    const mm = text === "" ? null : Number(text);
    box.blur();
    if (mm !== null && !(mm > 0)) {
      say("The tolerance is a number of millimetres above 0, or nothing.");
      box.value = this.#detail.tolerance_mm ?? "";
    } else if (mm !== this.#detail.tolerance_mm) this.#make({ tolerance_mm: mm });
  }

  #leaveHidden() {
    const worn = this.store.variant(this.#subject).parts;
    const hidden = this.#subject.parts.filter((_, i) => !worn[i].visible).map((p) => p.number);
    this.#make({ left_out: [...this.#detail.left_out, ...hidden] });
  }

  /** Make the subject anew from its source, with some of its detail otherwise; one step that can be undone. */
  async #make(otherwise) {
    const detail = { ...this.#detail, ...otherwise };
    const before = this.#subject.parts.reduce((n, p) => n + p.triangles, 0);
    const result = await this.store.during(() => follow(`Making ${this.#subject.source_name} again`, () => post(`${this.store.url}/subject/again`, { detail })));
    if (!result) return this.store.take(this.store.state);
    if (result.triangles !== before) say(`${count(before)} triangles became ${count(result.triangles)}.`);
  }
}
