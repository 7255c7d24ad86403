/** How the take is finished: its grade, its lights, what lies behind it; tried while dragging, kept with undo. */

import { byId } from "../shared/dom.js";
import { get, make, post, say, upload } from "../shared/api.js";
import { fromHex, toHex } from "../shared/colour.js";
import { Fields } from "../shared/fields.js";
import { GradeCard } from "../shared/grade_card.js";
import { DocumentStore } from "../shared/document_store.js";
import { schema } from "../shared/schema.js";

/** The grade of a take as a document. @extends {DocumentStore<Api["FinishAnswer"]>} */
class GradeStore extends DocumentStore {
  get version() {
    return this.state.revision;
  }
}

export class TakeGrade {
  /**
   * @param {string} url of the take
   * @param {{tried: () => void, kept: () => void, pictures: () => string, number: () => number, pick: (told: ((place: number[]|null) => any)|null) => void}} room told when another finish is tried, or kept; where pictures are sent
   */
  constructor(url, room) {
    this.url = url;
    this.room = room;
    this.store = new GradeStore(`${url}/finish`, `${url.replace("/api/", "")}/finish/changes`);
    this.store.subscribe(() => this.#took());
    this.store.bindBar();
    /** what is shown while something is dragged */
    this.trying = null;
    /** what was asked for last and is not saved yet */
    this.asked = null;
    /** the part or material whose grade the card shows; null: the whole picture */
    /** @type {{layer: string, name: string}|null} */
    this.part = null;
    const floor = { attempt: (changes) => this.#attempt(changes), settle: () => this.#settle(), reset: () => this.#reset(), chooseColour: () => {} };
    this.fields = new Fields(byId("grade-panel"), this, {}, floor);
    this.card = new GradeCard(byId("grade-panel"), this, floor);
    document.querySelector("[data-decisions]").hidden = false;
    document.querySelector("[data-write-decisions]").href = `${url}/grade.cdl`;
    this.#bind();
  }

  begin() {
    return this.store.load();
  }

  get state() {
    return this.store.state;
  }

  /** What frames are to be finished with now. */
  get finishing() {
    return this.trying ?? this.kept;
  }

  /** The same without what is only tried. */
  get kept() {
    return this.asked ?? this.state.finishing;
  }

  /** Names the state of the grade in addresses. */
  get version() {
    return this.state?.version ?? "";
  }

  // what the fields ask of a project, of the take
  resolve(path) {
    return path;
  }

  value(path) {
    if (path === "look/tone/view") return this.finishing.view;
    if (path.startsWith("defocus/")) return this.finishing.defocus?.[path.slice(8)];
    return path.replace("look/grade", "grade").split("/").reduce((at, step) => at?.[step], { grade: this.#grade(this.finishing) });
  }

  set(path, value) {
    return this.#keep(this.#with(this.kept, path, value), this.part ? `${this.part.name}: ${named(path)}` : named(path));
  }

  /** The grade that the card shows. */
  #grade(finishing) {
    if (!this.part) return finishing.grade;
    return finishing.parts.find((p) => this.#isPart(p))?.grade ?? this.state.neutral;
  }

  #isPart({ layer, name }) {
    return layer === this.part?.layer && name === this.part?.name;
  }

  #withGrade(finishing, grade) {
    if (!this.part) return { ...finishing, grade };
    const here = { ...this.part, grade };
    const known = finishing.parts.some((p) => this.#isPart(p));
    return { ...finishing, parts: known ? finishing.parts.map((p) => (this.#isPart(p) ? here : p)) : [...finishing.parts, here] };
  }

  #with(finishing, path, value) {
    if (path === "look/tone/view") return { ...finishing, view: value };
    if (path.startsWith("defocus/")) return { ...finishing, defocus: { ...finishing.defocus, [path.slice(8)]: value } };
    const put = (node, /** @type {string[]} */ [step, ...rest]) => ({ ...node, [step]: rest.length ? put(node[step], rest) : value });
    return this.#withGrade(finishing, put(this.#grade(finishing), path.replace("look/grade/", "").split("/")));
  }

  #reset() {
    const { as_shot } = this.state;
    const finishing = this.kept;
    if (this.part) return this.#keep({ ...finishing, parts: finishing.parts.filter((p) => !this.#isPart(p)) }, `${this.part.name}: reset`);
    return this.#keep({ ...finishing, grade: as_shot.grade, view: as_shot.view }, "Reset");
  }

  #attempt(changes) {
    this.trying = changes.reduce((f, { path, value }) => this.#with(f, path, value), this.kept);
    this.room.tried();
  }

  #settle() {
    this.trying = null;
    this.room.tried();
  }

  /** Keep another finish. What it changes of the one before is changed in whatever counts when it is sent. */
  async #keep(finishing, label) {
    const before = this.kept;
    this.trying = null;
    this.asked = finishing;
    this.#show();
    this.room.tried();
    const answered = () => this.asked === finishing && (this.asked = null);
    await this.store.edit((revision) =>
      post(`${this.url}/finish`, { finishing: withChanges(this.state.finishing, before, finishing), label, revision }).finally(answered));
    if (this.asked !== finishing) return;
    this.asked = null; // it waits for somebody to decide
    this.#took();
  }

  /** Ask for a finish that is made at the server, in its turn. @param {(revision: number) => Promise<object>} ask gives the state after it */
  #ask(ask) {
    return this.store.edit(ask);
  }

  /** Keys are pressed faster than they are answered: each step begins where the one before it ended. */
  step(way) {
    return this.store.step(async (revision) => (this.state[way] ? post(`${this.url}/finish/${way}?revision=${revision}`) : this.state));
  }

  #took() {
    this.trying = null;
    this.#show();
    this.room.kept();
  }

  #show() {
    const { state } = this;
    byId("why-not").hidden = !state.why_not;
    byId("why-not").textContent = state.why_not ?? "";
    byId("grade-panel").inert = Boolean(state.why_not);
    byId("grade-panel").classList.toggle("opacity-60", Boolean(state.why_not));
    byId("grade-undo").disabled = !state.undo;
    byId("grade-redo").disabled = !state.redo;
    this.fields.show();
    this.card.show();
    this.#showParts();
    this.#showLights();
    this.#showDefocus();
    this.#showBehind();
  }

  #showParts() {
    const { mattes } = this.state;
    const finishing = this.kept;
    const pick = byId("grade-of");
    byId("grade-of-row").hidden = !Object.keys(mattes).length;
    const graded = (layer, name) => finishing.parts.some((p) => p.layer === layer && p.name === name);
    const names = { objects: "Parts", materials: "Materials" };
    pick.replaceChildren(make("option", { value: "" }, "the whole picture"), ...Object.entries(mattes).map(([layer, list]) =>
      make("optgroup", { label: names[layer] }, ...list.map((name) => make("option", { value: `${layer} ${name}` }, graded(layer, name) ? `${name} ·` : name)))));
    pick.value = this.part ? `${this.part.layer} ${this.part.name}` : "";
    byId("grade-panel").classList.toggle("of-part", this.part !== null);
  }

  #ofPart(value) {
    const [layer, ...name] = value.split(" ");
    this.part = value ? { layer, name: name.join(" ") } : null;
    this.#show();
  }

  /** Bring exposure and white to those of a reference picture. */
  async match(file, number) {
    await this.#ask(async (revision) => {
      const found = await upload(`${this.url}/match/${number}?revision=${revision}`, [file]);
      say(found.sentence, 10);
      return found.finish;
    });
  }

  #showLights() {
    const { lights } = this.state;
    const finishing = this.kept;
    byId("mix-group").hidden = !lights.length;
    byId("mix-take").disabled = !Object.values(finishing.lights).some(changed);
    byId("mix").replaceChildren(...lights.map((name) => {
      const here = { stops: 0, colour: [1, 1, 1], ...finishing.lights[name] };
      const value = make("span", { class: "num w-[44px] text-right" }, signed(here.stops));
      const change = (more) => ({ ...this.kept, lights: { ...this.kept.lights, [name]: { ...here, ...more } } });
      const slider = make("input", { type: "range", min: -4, max: 4, step: 0.25, value: here.stops, class: "min-w-0 flex-1 accent-ink", "aria-label": `${name}, stops`,
        oninput: (e) => {
          value.textContent = signed(Number(e.target.value));
          this.trying = change({ stops: Number(e.target.value) });
          this.room.tried();
        },
        onchange: (e) => this.#keep(change({ stops: Number(e.target.value) }), name) });
      const filter = make("input", { type: "color", class: "swatch h-[20px] w-[28px]", value: toHex(here.colour), "aria-label": `${name}, filter`, title: "A filter in front of it", onchange: (e) => this.#keep(change({ colour: fromHex(e.target.value) }), name) });
      return make("div", { class: "row" }, make("span", { class: "name w-[76px] flex-none truncate", title: name }, name.replace("light ", "")), slider, value, filter);
    }));
  }

  #showDefocus() {
    const { defocus } = this.kept;
    byId("defocus-group").hidden = !this.state.deep || Boolean(this.state.why_not);
    byId("defocus-on").setAttribute("aria-checked", String(Boolean(defocus)));
    byId("defocus-values").hidden = !defocus;
  }

  /** How far away what is at a place of the frame is. */
  #depth(/** @type {number[]} */ [x, y]) {
    return get(`${this.url}/depth/${this.room.number()}?x=${x}&y=${y}`).catch((error) => (say(error.message, 10), null));
  }

  #bindDefocus() {
    const pick = byId("defocus-pick");
    const change = (defocus) => this.#keep({ ...this.kept, defocus }, "Defocus");
    byId("defocus-on").addEventListener("click", async () => {
      if (this.kept.defocus) return change(null);
      // it begins sharp where the picture has its middle
      const found = await this.#depth([0.5, 0.5]);
      return found && change({ f_number: 4, focus_m: found.depth_m ?? 1 });
    });
    pick.addEventListener("click", () => {
      pick.setAttribute("aria-pressed", "true");
      this.room.pick(async (place) => {
        pick.setAttribute("aria-pressed", "false");
        const found = place && (await this.#depth(place));
        if (!found) return null;
        return found.depth_m ? change({ ...this.kept.defocus, focus_m: found.depth_m }) : say("Nothing is there that could be in focus.");
      });
    });
  }

  #showBehind() {
    const { behind } = this.kept;
    byId("behind-group").hidden = !this.state.transparent;
    const kind = behind?.take ? "take" : (behind?.kind ?? "");
    byId("behind-kind").value = kind;
    byId("behind-other").hidden = kind !== "take";
    byId("behind-colours").hidden = !["colour", "vertical", "radial"].includes(kind);
    byId("behind-second").hidden = kind === "colour";
    byId("behind-blurred").hidden = byId("behind-passing").hidden = kind !== "picture";
    if (!behind) return;
    byId("behind-take").value = behind.take;
    byId("behind-spread").value = behind.spread_deg;
    byId("behind-spread-says").textContent = behind.spread_deg ? `${behind.spread_deg}°` : "stays";
    byId("behind-colour").value = toHex(behind.colour);
    byId("behind-second").value = toHex(behind.second);
    byId("behind-blur").value = behind.blur;
  }

  #bindBehind() {
    const change = (more) => this.#keep({ ...this.kept, behind: { ...(this.kept.behind ?? schema.backdrop), ...more } }, "Backdrop");
    byId("behind-kind").addEventListener("change", (e) => {
      const kind = e.target.value;
      if (kind === "") return this.#keep({ ...this.kept, behind: null }, "Transparent");
      if (kind === "picture") return byId("file-behind").click();
      return kind === "take" ? this.#layTake(change) : change({ kind, take: "" });
    });
    byId("behind-take").addEventListener("change", (e) => change({ take: e.target.value }));
    byId("behind-spread").addEventListener("input", (e) => {
      byId("behind-spread-says").textContent = Number(e.target.value) ? `${e.target.value}°` : "stays";
      this.trying = { ...this.kept, behind: { ...this.kept.behind, spread_deg: Number(e.target.value) } };
      this.room.tried();
    });
    byId("behind-spread").addEventListener("change", (e) => change({ spread_deg: Number(e.target.value) }));
    byId("behind-colour").addEventListener("change", (e) => change({ colour: fromHex(e.target.value) }));
    byId("behind-second").addEventListener("change", (e) => change({ second: fromHex(e.target.value) }));
    byId("behind-blur").addEventListener("change", (e) => change({ blur: Number(e.target.value) }));
    byId("file-behind").addEventListener("change", (e) => this.#sent(e.target, this.room.pictures(), ([kept]) => change({ kind: "picture", take: "", picture: kept.asset, source_name: kept.name })));
    byId("file-behind").addEventListener("cancel", () => this.#showBehind());
  }

  /** @param {object[]} takes that may lie behind this one */
  offer(takes) {
    byId("behind-take").replaceChildren(...takes.map((t) => make("option", { value: t.id }, t.name)));
    byId("behind-take").value = this.state?.finishing.behind?.take ?? "";
  }

  /** The first of the other takes that are complete, to begin with. */
  #layTake(change) {
    const [first] = byId("behind-take").options;
    if (first) return change({ take: first.value });
    say("There is no other complete take that could lie behind this one.", 8);
    return this.#showBehind();
  }

  async #sent(file, where, then) {
    try {
      await then(await upload(where, file.files));
    } catch (error) {
      say(error.message, 10);
      this.#showBehind();
    }
    file.value = "";
  }

  #bind() {
    this.#bindDefocus();
    this.#bindBehind();
    byId("grade-undo").addEventListener("click", () => this.step("undo"));
    byId("grade-redo").addEventListener("click", () => this.step("redo"));
    byId("grade-of").addEventListener("change", (e) => this.#ofPart(e.target.value));
    byId("mix-reset").addEventListener("click", () => this.#keep({ ...this.kept, lights: {} }, "Lights as shot"));
    byId("mix-take").addEventListener("click", () => this.#takeMix());
    document.querySelector("[data-read-decisions]").addEventListener("click", () => byId("file-decisions").click());
    byId("file-decisions").addEventListener("change", async (e) => {
      const files = [...e.target.files];
      e.target.value = "";
      if (files.length) await this.#ask((revision) => upload(`${this.url}/decisions?revision=${revision}`, files));
    });
    byId("grade-from").addEventListener("change", async (e) => {
      const source = e.target.value;
      e.target.value = "";
      if (source) await this.#ask((revision) => post(`${this.url}/finish-of/${source}?revision=${revision}`));
    });
    byId("grade-to-look").addEventListener("click", async () => {
      try {
        await post(`${this.url}/finish-to-look`);
        say("The look has this grade now; undo on the floor takes it back.");
      } catch (error) {
        say(error.message, 10);
      }
    });
  }

  /** A take of its own with the lights as they are balanced now. */
  async #takeMix() {
    const lights = Object.entries(this.kept.lights).filter(([, change]) => changed(change));
    try {
      const made = await post(`${this.url}/rebalance`, Object.fromEntries(lights));
      byId("mix-made").replaceChildren(`‘${made.name}’ is being mixed; see the `, make("a", { href: "/shoots", class: "underline" }, "shoot log"), ".");
    } catch (error) {
      say(error.message, 10);
    }
  }
}

/**
 * A document in which is changed what differs between two others: what another window changed elsewhere stays.
 * @param {any} now @param {any} before @param {any} after
 */
function withChanges(now, before, after) {
  if (JSON.stringify(before) === JSON.stringify(after)) return now;
  const plain = (x) => x !== null && typeof x === "object" && !Array.isArray(x);
  if (!plain(now) || !plain(before) || !plain(after)) return after;
  const merged = { ...now };
  for (const key of new Set([...Object.keys(before), ...Object.keys(after)])) {
    if (key in after) merged[key] = key in before && key in now ? withChanges(now[key], before[key], after[key]) : after[key];
    else delete merged[key];
  }
  return merged;
}

const changed = ({ stops, colour }) => stops !== 0 || colour.some((c) => c !== 1);
const signed = (v) => `${v > 0 ? "+" : ""}${v}`;
const named = (path) => path.split("/").at(-1).replaceAll("_", " ").replace(/^./, (c) => c.toUpperCase());
