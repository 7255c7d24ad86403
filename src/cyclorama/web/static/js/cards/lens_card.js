/** The lens on the Camera card: what it sees, its sensor, what it aims at, what stays in focus. */

import { byId } from "../shared/dom.js";
import { bindAim, showAim } from "./aim_pick.js";
import { make } from "../shared/api.js";

const mm = (m) => (Math.abs(m) < 10 ? `${(m * 1000).toFixed(m < 0.01 ? 2 : m < 1 ? 1 : 0)}` : (m * 1000).toFixed(0));

export class LensCard {
  /** @param {import("../studio/project.js").ProjectStore} store */
  constructor(store) {
    this.store = store;
    bindAim(byId("camera-aim"), store, () => ({ path: store.full("camera"), point: store.state.lens.aim }));
    byId("formats").addEventListener("click", (e) => e.target.dataset.format && this.#toggleFormat(e.target.dataset.format));
    for (const button of document.querySelectorAll("[data-reframe]")) button.addEventListener("click", () => store.change({ kind: "reframe", format: button.dataset.reframe }));
    byId("fit-every").addEventListener("click", () => this.fit());
    byId("fit-here").addEventListener("click", () => this.fit(store.frame));
    byId("sensor-format").addEventListener("change", (e) => e.target.value !== "other" && store.set("camera/sensor_mm", Number(e.target.value)));
  }

  /** Fit what was chosen, in every frame or in the one that is shown. @param {number|null} frame */
  fit(frame = null) {
    const what = byId("fit-what").value;
    const more = what === "disc" || what === "everything" ? { keep: what } : what ? { part: what } : {};
    return this.store.change({ kind: "fit", frame, ...more });
  }

  #showFit(subject, disc, others) {
    const pick = byId("fit-what");
    const was = pick.value;
    const parts = subject && subject.parts.length > 1 ? subject.parts.slice(0, 60) : [];
    pick.replaceChildren(make("option", { value: "" }, "the subject"), ...(disc ? [make("option", { value: "disc" }, "subject and disc")] : []), ...(others ? [make("option", { value: "everything" }, "everything on the set")] : []), ...parts.map(({ id, name }) => make("option", { value: id }, name)));
    pick.value = [...pick.options].some((o) => o.value === was) ? was : "";
  }

  /** Formats are put in and taken out as a whole; what was keyed of one goes with it. */
  #toggleFormat(name) {
    const { formats } = this.store.shot;
    const id = name.replace(":", "x");
    if (formats.some((f) => f.id === id)) return this.store.change({ kind: "remove", path: this.store.full(`shot/formats/${id}`) });
    const [wide, high] = name.split(":").map(Number);
    return this.store.set("shot/formats", [...formats, { id, wide, high }]);
  }

  show({ project, lens }) {
    for (const button of byId("formats").children) button.setAttribute("aria-pressed", this.store.shot.formats.some((f) => f.id === button.dataset.format.replace(":", "x")));
    const { camera } = this.store;
    this.figures(lens);
    showAim(byId("camera-aim"), camera.aim, project.items);
    const format = byId("sensor-format");
    format.value = String(camera.sensor_mm);
    if (format.selectedIndex < 0) format.value = "other";
    this.#focus(camera);
    this.#showFit(this.store.subject, project.set.disc.on, project.items.filter((item) => item.on).length > 1);
  }

  /** What the lens sees and what is in focus, in the frame that is shown. */
  figures({ figures }) {
    byId("lens-figures").textContent = figures;
  }

  /** @param {Api["Camera"]} camera */
  #focus({ focus_m = null, focus_point_m, f_number }) {
    const point = focus_m === null ? focus_point_m : null;
    byId("focus-point").textContent = point ? point.map((m) => (m * 1000).toFixed(0)).join(" ") : focus_m === null ? "aim point" : "by distance";
    byId("focus-point").title = point ? `${point.map(mm).join(", ")} mm across, up and to the front; it stays in focus through the move` : "";
    byId("clear-focus").hidden = !point;
    byId("pick-focus").title = f_number === null ? "Set an aperture first: a pinhole keeps everything sharp" : "Then click in the lens on what should stay in focus";
  }
}
