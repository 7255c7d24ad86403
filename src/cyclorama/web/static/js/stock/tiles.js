/** Tiles of what is kept for all projects, as the stockroom and the drawer in the studio show them. */

import { make } from "../shared/api.js";
import { toHex } from "../shared/colour.js";
import { hasWords } from "../shared/lists.js";

const AGAIN_MS = 3000;
const SLOWEST_MS = 60_000;
const MOST_TRIES = 20;

/** Whether a thing has all words in its name, its kind or its tags. */
export const found = ({ name, kind, tags }, text) => hasWords([name, kind, ...tags].join(" "), text);

const blank = () => make("span", { class: "stock-picture bg-rule/40" });

/** The picture of a thing, its colours, or an empty field. */
export function pictureOf({ tile, chips, kind }) {
  if (tile) {
    // it is developed in the background when it is first wanted, and asked for again while somebody looks
    let tries = 0;
    const again = ({ target }) => {
      const field = blank();
      target.replaceWith(field);
      tries += 1;
      const wait = Math.min(SLOWEST_MS, AGAIN_MS * 1.5 ** tries);
      const ask = () => {
        if (!field.isConnected || tries >= MOST_TRIES) return;
        if (document.hidden || field.offsetParent === null) return void setTimeout(ask, wait); // nobody sees it
        target.src = tile;
        field.replaceWith(target);
      };
      setTimeout(ask, wait);
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
