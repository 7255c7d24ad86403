/** The bin: what was removed in the last 30 days. */

import { byId, date } from "../shared/dom.js";
import { get, make, remove, say } from "../shared/api.js";
import { bringBack } from "../shared/bin.js";

const DAY_MS = 86_400_000;
const days = (told) => Math.max(0, Math.ceil((date(told).getTime() - Date.now()) / DAY_MS));

async function act(work) {
  try {
    await work();
  } catch (error) {
    say(error.message, 8);
  }
  await show();
}

/** @param {Api["BinLine"]} line */
function row({ kind, id, name, says, bytes, size, removed, deleted }) {
  const left = days(deleted);
  const forGood = () => confirm(`Delete ‘${name}’ for good? This cannot be undone.`) && act(() => remove(`/api/bin/${kind}/${id}`));
  return make("tr", { class: "border-b border-rule", "data-binned": id },
    make("td", { class: "py-2 pr-4 pl-3 font-medium" }, name), make("td", { class: "pr-4 text-soft" }, says), make("td", { class: "num pr-10 text-right" }, bytes ? size : ""),
    make("td", { class: "num pr-4 text-soft", title: date(removed).toLocaleString() }, date(removed).toLocaleDateString()),
    make("td", { class: "pr-4 text-soft" }, left === 1 ? "one day" : `${left} days`),
    make("td", { class: "py-1.5 pr-3 text-right whitespace-nowrap" }, make("button", { type: "button", class: "btn mr-1.5", "aria-label": `Restore ${name}`, onclick: () => act(() => bringBack(kind, id)) }, "Restore"),
      make("button", { type: "button", class: "btn", "aria-label": `Delete ${name}`, onclick: forGood }, "Delete")));
}

async function show() {
  /** @type {Api["BinLine"][]} */
  const lines = await get("/api/bin");
  byId("bin").hidden = byId("bin-empty").hidden = !lines.length;
  byId("bin-nothing").hidden = lines.length > 0;
  byId("bin-lines").replaceChildren(...lines.map(row));
}

byId("bin-empty").addEventListener("click", () => confirm("Delete everything in the bin for good? This cannot be undone.") && act(() => remove("/api/bin")));
show().catch((error) => say(error.message, 10));
