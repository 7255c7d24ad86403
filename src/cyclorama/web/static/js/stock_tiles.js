/** Tiles of what is kept for all projects, as the stockroom and the drawer in the studio show them. */

import { make } from "./api.js";
import { toHex } from "./colour.js";

/** Kinds of things in the order in which a studio is set up, with what they are called. */
export const KINDS = [
  ["set", "Sets"], ["model", "Models"], ["look", "Looks"], ["rig", "Rigs"], ["environment", "Environments"], ["gobo", "Gobos"],
  ["backdrop", "Backdrops"], ["material", "Materials"], ["palette", "Palettes"], ["move", "Moves"],
];

const AGAIN_MS = 3000;

/** Whether a thing has all words in its name, its kind or its tags. */
export function found({ name, kind, tags }, text) {
  const all = [name, kind, ...tags].join(" ").toLowerCase();
  return text.toLowerCase().split(/\s+/).every((word) => all.includes(word));
}

const blank = () => make("span", { class: "stock-picture bg-rule/40" });

/** The picture of a thing, its colours, or an empty field. */
export function pictureOf({ tile, chips, kind }) {
  if (tile) {
    // it is developed in the background when it is first wanted, and asked for again while somebody looks
    const again = ({ target }) => {
      const field = blank();
      target.replaceWith(field);
      setTimeout(() => {
        if (!field.isConnected) return;
        target.src = tile;
        field.replaceWith(target);
      }, AGAIN_MS);
    };
    return make("img", { src: tile, alt: "", loading: "lazy", class: kind === "material" ? "stock-picture aspect-square" : "stock-picture", draggable: "false", onerror: again });
  }
  if (!chips.length) return blank();
  const field = make("span", { class: "stock-picture flex overflow-hidden" });
  for (const colour of chips.slice(0, 12)) {
    const chip = make("i", { class: "block h-full flex-1" });
    chip.style.background = toHex(colour);
    field.append(chip);
  }
  return field;
}
