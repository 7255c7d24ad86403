/** The stockroom: what is kept for all projects. */

import { get, make, remove, say } from "./api.js";

const byId = (id) => document.getElementById(id);
const WHERE = { material: "/api/stock/materials", rig: "/api/rigs", move: "/api/moves" };
let stock = [];

async function load() {
  try {
    stock = await get("/api/stock");
  } catch (error) {
    say(error.message);
  }
  draw();
}

function draw() {
  const words = byId("stock-search").value.trim().toLowerCase();
  for (const kind of Object.keys(WHERE)) {
    const shown = stock.filter((one) => one.kind === kind && one.name.toLowerCase().includes(words));
    document.querySelector(`[data-stock=${kind}]`).replaceChildren(...shown.map(card));
    document.querySelector(`[data-none=${kind}]`).hidden = shown.length > 0;
  }
}

function card({ kind, id, name, says, swatch }) {
  const away = async () => {
    if (!confirm(`Take ‘${name}’ out of the stockroom? Projects keep what they have of it.`)) return;
    await remove(`${WHERE[kind]}/${id}`).catch((error) => say(error.message));
    await load();
  };
  return make("article", { class: "rounded-[6px] border border-rule bg-white p-2", "data-kept": id },
    kind === "material" ? (swatch ? make("img", { src: `/api/swatches/${swatch}.jpg`, alt: "", class: "mb-1 block aspect-square w-full rounded-[4px]" }) : make("span", { class: "mb-1 block aspect-square w-full rounded-[4px] bg-rule/40" })) : null,
    make("div", { class: "flex items-baseline gap-1" }, make("h3", { class: "min-w-0 flex-1 truncate font-medium", title: name }, name),
      make("button", { type: "button", class: "btn btn-bare h-6 px-1.5", "aria-label": `Remove ${name}`, title: "Take it out of the stockroom", onclick: away }, "×")),
    make("p", { class: "text-[12px] text-soft" }, says));
}

byId("stock-search").addEventListener("input", draw);
load();
