/** The move on the Camera card: segments one after the other, ready moves, paths, and what does not close. */

import { byId } from "../shared/dom.js";
import { ReadyMoves } from "./ready_moves.js";
import { get, make, say, upload } from "../shared/api.js";
import { pickFiles } from "../shared/files.js";
import { grip } from "../shared/reorder.js";
import { schema, segmentKind } from "../shared/schema.js";
import { withId } from "../shared/lists.js";
import { forget, keep } from "../stock/client.js";

const plain = (value) => String(Number(value.toPrecision(4)));
const metres = (m) => (Math.abs(m) < 1 ? `${plain(m * 1000)} mm` : `${plain(m)} m`);
/** How large a segment is, as its kind says it: ‘{by_deg}°’. */
const figure = (s) => segmentKind(s.kind).figure.replace(/\{(\w+)(:m)?\}/g, (_, name, length) => (length ? metres(s[name]) : plain(s[name])));

export class MoveCard {
  /**
   * @param {import("../studio/project.js").ProjectStore} store
   * @param {import("../studio/project.js").Chosen} chosen
   * @param {() => void} refresh called when another segment was chosen
   * @param {import("../studio/studio.js").Floor} floor
   */
  constructor(store, chosen, refresh, floor) {
    this.store = store;
    this.chosen = chosen;
    this.refresh = refresh;
    this.floor = floor;
    const choose = (id, change) => byId(id).addEventListener("change", (e) => {
      const { value } = e.target;
      e.target.value = "";
      if (value) change(value);
    });
    choose("add-segment", (move) => this.#add(move));
    this.ready = new ReadyMoves((move) => this.#apply(move));
    byId("ready-move").addEventListener("click", () => this.ready.open(this.kept));
    this.kept = [];
    byId("bring-move").addEventListener("click", () => this.#bring());
    byId("keep-move").addEventListener("click", () => this.#keep());
    byId("forget-moves").addEventListener("click", () => this.#forget());
    this.#loadKept();
    choose("add-path", (shape) => (shape === "drawn" ? this.#draw() : store.change({ kind: "add_path", shape })));
    const held = (id) => Math.max(0, Math.round(Number(byId(id).value)) || 0);
    byId("hold-ends").addEventListener("click", () => store.change({ kind: "hold_ends", before: held("hold-before"), after: held("hold-after") }));
    byId("speed-curve").addEventListener("click", () => store.change({ kind: "speed_curve", segment: chosen.segment }));
    this.keep = "seconds";
    for (const kept of ["seconds", "frames"])
      byId(`keep-${kept}`).addEventListener("click", () => {
        this.keep = kept;
        for (const one of ["seconds", "frames"]) byId(`keep-${one}`).setAttribute("aria-pressed", one === kept);
      });
    byId("rate").addEventListener("change", (e) => {
      const [num, den] = e.target.value.split("/").map(Number);
      store.change({ kind: "rate", num, den, keep: this.keep });
    });
    byId("ride-path").addEventListener("change", (e) => store.set(store.resolve("shot/rows/{row}/segments/{segment}/path_id", chosen), e.target.value));
  }

  /** A ready move by its name, a kept one by its id. */
  #apply(value) {
    const move = this.kept.find(({ id }) => id === value);
    return this.store.change(move ? { kind: "use_move", move } : { kind: "apply_move", move: value });
  }

  async #loadKept() {
    this.kept = await get("/api/moves").catch(() => []);
    byId("forget-moves").hidden = !this.kept.length;
  }

  /** The camera of a file moves this shot's. */
  async #bring() {
    const files = await pickFiles(".glb,.gltf,.bin", true);
    if (files.length) await this.store.edit((version) => upload(`${this.store.url}/camera-move?base_version=${version}`, files));
  }

  async #keep() {
    if (await keep("move", this.store.shot.name, `${this.store.url}/moves`, "it stands among the ready moves of every project")) await this.#loadKept();
  }

  async #forget() {
    await forget("move", this.kept, "/api/moves");
    await this.#loadKept();
  }

  #draw() {
    say("Click on the plan where the path leads; Enter or a double click ends it, Escape gives it up.", 10);
    this.floor.sketchPath((points, closed) => points && this.store.change({ kind: "draw_path", points, closed }));
  }

  async #add(move) {
    const rows = () => this.store.shot.rows.flatMap((row) => row.segments.map((s) => ({ ...s, row: row.id })));
    const id = await this.store.added({ kind: "add_segment", move }, rows);
    if (id) this.#choose("camera", id);
  }

  #choose(row, segment) {
    Object.assign(this.chosen, { row, segment });
    this.refresh();
  }

  show({ shot, paths }) {
    const all = this.store.shot.rows.flatMap((row) => row.segments.map((segment) => ({ row: row.id, segment })));
    if (!all.some(({ segment }) => segment.id === this.chosen.segment)) Object.assign(this.chosen, { row: all[0]?.row ?? null, segment: all[0]?.segment.id ?? null });
    byId("segments").replaceChildren(...all.map((one) => this.#line(one)));
    byId("gaps").replaceChildren(...shot.gaps.map((gap) => this.#gap(gap)));
    byId("length-told").textContent = `${Number(shot.seconds.toFixed(3))} s, ${shot.timecode}`;
    const { rate_num, rate_den } = this.store.state.project;
    const rate = byId("rate");
    rate.value = `${rate_num}/${rate_den}`;
    if (rate.selectedIndex < 0) {
      rate.value = "other";
      rate.selectedOptions[0].textContent = `${Number((rate_num / rate_den).toFixed(3))}/s`;
    }
    byId("gaps-none").hidden = shot.gaps.length > 0;
    byId("paths").replaceChildren(...paths.map((path) => make("li", { class: "row" }, make("span", { class: "name truncate" }, path.name),
      make("span", { class: "num flex-1 text-right text-soft" }, path.length),
      make("button", { type: "button", class: "btn btn-bare h-[22px] px-1.5", "aria-label": `Remove ${path.name}`, title: "Remove", onclick: () => this.store.change({ kind: "remove", path: `paths/${path.id}` }) }, "×"))));
    byId("paths-explained").hidden = !paths.length;
    const { path_id: ridden } = all.find(({ segment }) => segment.id === this.chosen.segment)?.segment ?? {};
    byId("ride-path").replaceChildren(...paths.map((path) => make("option", { value: path.id, selected: path.id === ridden }, path.name)));
  }

  #line({ row, segment }) {
    const who = row === "camera" ? "" : `${row === "disc" ? "Disc" : (this.store.item(row)?.name ?? row)}: `;
    const at = `shots/${this.store.shot.id}/rows/${row}/segments/${segment.id}`;
    const name = who ? `${who}${segmentKind(segment.kind).title.toLowerCase()}` : segmentKind(segment.kind).title;
    const alone = withId(this.store.shot.rows, row).segments.length === 1;
    return make("li", { class: "segment-row", "aria-current": segment.id === this.chosen.segment },
      alone ? null : grip(name, row, (to) => this.store.change({ kind: "move_to", path: at, to })),
      make("button", { type: "button", class: "flex-1 text-left", onclick: () => this.#choose(row, segment.id) }, name),
      make("span", { class: "num text-soft" }, figure(segment)),
      make("button", { type: "button", class: "btn btn-bare h-[22px] px-1.5", "aria-label": `Remove ${name}`, title: "Remove", onclick: () => this.store.change({ kind: "remove", path: at }) }, "×"));
  }

  #gap({ what, where, jump, fixes }) {
    return make("li", { class: "grid gap-1 py-1" }, make("span", { class: "text-look" }, `${what}${jump === "no jump" ? "" : `, ${jump} off`}.`),
      make("span", { class: "flex flex-wrap gap-1" }, ...fixes.map((fix) => make("button", { type: "button", class: "btn h-[24px]", onclick: () => this.store.change({ kind: "close_gap", where, fix }) }, schema.fixes[fix]))));
  }
}
