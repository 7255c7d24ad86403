/** The row of shots above the strip: which one is open, new ones, names, order. */

import { byId } from "../shared/dom.js";
import { make } from "../shared/api.js";

export class ShotTabs {
  /** @param {import("./project.js").ProjectStore} store */
  constructor(store) {
    this.store = store;
    byId("add-shot").addEventListener("click", () => store.change({ kind: "add_shot" }));
    byId("shot-camera").addEventListener("change", ({ target: { value } }) => (value === "new" ? store.change({ kind: "add_camera", frame: store.frame }) : store.set("shot/camera_id", value)));
  }

  show({ project, shot_pictures: pictures }) {
    const { shots, shot_id: open, cameras } = project;
    byId("shots").replaceChildren(...shots.map((shot, i) => this.#tab(shot, i, shot.id === open, shots.length, pictures)));
    byId("shot-camera").replaceChildren(...cameras.map((c) => make("option", { value: c.id, selected: c.id === this.store.camera.id }, c.name)), make("option", { value: "new" }, "New camera here"));
  }

  #tab(shot, i, open, count, pictures) {
    const seconds = (shot.frames * this.store.state.shot.rate[1]) / this.store.state.shot.rate[0];
    const rename = (e) => {
      const name = prompt("What is this shot called?", shot.name);
      if (name) this.store.set(`shots/${shot.id}/name`, name);
      e.preventDefault();
    };
    const onkeydown = (e) => {
      if (e.key !== "ArrowLeft" && e.key !== "ArrowRight") return;
      e.preventDefault();
      e.stopPropagation();
      const to = i + (e.key === "ArrowLeft" ? -1 : 1);
      if (e.altKey && to >= 0 && to < count) this.store.change({ kind: "move_to", path: `shots/${shot.id}`, to });
    };
    const button = make("button", { class: "shot-tab", role: "tab", "aria-selected": open, title: "Double click to rename; Alt with ← and → moves it", onclick: () => !open && this.store.set("shot_id", shot.id), ondblclick: rename, onkeydown },
      ...(pictures[shot.id] ? [make("img", { class: "-ml-1 h-[16px] rounded-[2px]", src: pictures[shot.id], alt: "" })] : []),
      make("span", {}, shot.name), make("span", { class: "num text-soft" }, shot.frames === 1 ? "still" : `${Number(seconds.toFixed(2))} s`));
    if (!open || count === 1) return button;
    return make("span", { class: "flex" }, button, make("button", { class: "btn btn-bare h-6 px-1", "aria-label": `Remove ${shot.name}`, title: "Remove this shot", onclick: () => this.store.change({ kind: "remove", path: `shots/${shot.id}` }) }, "×"));
  }
}
