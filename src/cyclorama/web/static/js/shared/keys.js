/** The keyboard of the studio floor. */

import { make } from "./api.js";

/**
 * @param {Array<{keys: string[], label: string, run: (e: KeyboardEvent) => void, when?: (e: KeyboardEvent) => boolean}>} bindings
 *   keys as `event.key`, with `Ctrl+` in front where it is held
 */
export function bindKeys(bindings) {
  const names = { " ": "Space", ArrowLeft: "←", ArrowRight: "→" };
  document.getElementById("keys-list").replaceChildren(...bindings.flatMap(({ keys, label }) => [
    make("span", {}, label),
    make("span", { class: "flex gap-1" }, ...keys.map((k) => make("kbd", { class: "key" }, names[k] ?? k.replace(/Arrow(Left|Right)/, (_, d) => (d === "Left" ? "←" : "→"))))),
  ]));
  document.addEventListener("keydown", (e) => {
    const typing = e.target.closest("input, select, textarea, dialog[open]");
    const combined = `${e.ctrlKey || e.metaKey ? "Ctrl+" : ""}${e.shiftKey && e.key.length > 1 ? "Shift+" : ""}${e.key.length === 1 && !e.shiftKey ? e.key.toLowerCase() : e.key}`;
    if (typing && !combined.startsWith("Ctrl+")) return;
    if (typing && typing.matches("input[type=text], input:not([type])") && combined.startsWith("Ctrl+")) return;
    if (e.key === " " && e.target.closest("button, summary, a")) return;
    const found = bindings.find((b) => b.keys.includes(combined));
    if (!found || found.when?.(e) === false) return;
    e.preventDefault();
    found.run(e);
  });
}
