/** The stockroom: what is kept for all projects. */

import { byId } from "../shared/dom.js";
import { get, make, post, request, say, upload } from "../shared/api.js";
import { putInBin } from "../shared/bin.js";
import { pickFiles } from "../shared/files.js";
import { schema } from "../shared/schema.js";
import { found, pictureOf } from "./tiles.js";

let stock = [];
let projects = [];

async function load() {
  try {
    [stock, projects] = await Promise.all([get("/api/stock"), get("/api/projects")]);
  } catch (error) {
    say(error.message);
  }
  draw();
}

function draw() {
  const words = byId("stock-search").value.trim();
  const only = byId("stock-favourites").getAttribute("aria-pressed") === "true";
  const shown = stock.filter((one) => found(one, words) && (one.favourite || !only));
  for (const kind of Object.keys(schema.stock)) {
    const these = shown.filter((one) => one.kind === kind);
    const section = document.querySelector(`section[data-kind=${kind}]`);
    section.querySelector("[data-stock]").replaceChildren(...these.map(card));
    section.hidden = !these.length;
    const jump = document.querySelector(`[data-jump=${kind}]`);
    jump.hidden = !these.length;
    jump.querySelector(".num").textContent = String(these.length);
    document.querySelector(`[data-none=${kind}]`).hidden = stock.some((one) => one.kind === kind);
  }
  const narrowed = Boolean(words || only);
  byId("stock-none").hidden = narrowed || !document.querySelector("[data-none]:not([hidden])");
  byId("stock-nothing").hidden = !narrowed || shown.length > 0;
  byId("stock-export").hidden = stock.every(({ shelf }) => shelf === "ready");
}

/** Do something to a thing, then show what is there. */
async function act(what) {
  try {
    await what();
  } catch (error) {
    say(error.message, 8);
  }
  await load();
}

async function use(one, project) {
  const { version, project: document } = await get(`/api/projects/${project}`);
  const parts = document.items.flatMap((item) => item.parts.map((part) => ({ item: item.id, part: part.id })));
  if (one.kind === "material" && !parts.length) throw new Error("There is nothing on that set that could wear it.");
  const changes = [one.kind === "material" ? { ...one.change, parts } : one.change];
  await post(`/api/projects/${project}/changes`, { base_version: version, changes });
  location.href = `/projects/${project}`;
}

function card(one) {
  const { shelf, id, name, says, tags, favourite, versions } = one;
  const url = `/api/stock/${shelf}/${id}`;
  const patch = (values) => act(() => request("PATCH", url, values));
  const away = () => act(() => putInBin({ kind: shelf, id, name, url }, () => act(() => {})));
  const rename = () => {
    const called = prompt("What is it called?", name)?.trim();
    if (called && called !== name) patch({ name: called });
  };
  const tag = () => {
    const told = prompt("Tags, with commas between them", tags.join(", "));
    if (told !== null) patch({ tags: told.split(",").map((word) => word.trim()).filter(Boolean) });
  };
  const into = make("select", { class: "pick h-6 w-full", "aria-label": `Use ${name} in a project`, onchange: (e) => {
    const { value } = e.target;
    e.target.value = "";
    if (value) act(() => use(one, value));
  } }, make("option", { value: "" }, one.kind === "material" ? "Dress … in it" : "Use in …"), ...projects.map((project) => make("option", { value: project.id }, project.name)));
  const key = (label, text, onclick, more = {}) => make("button", { type: "button", class: "btn btn-bare h-6 px-1.5", "aria-label": `${label} ${name}`, title: label, onclick, ...more }, text);
  return make("article", { class: "flex flex-col gap-1 rounded-[6px] border border-rule bg-white p-2", "data-kept": id },
    pictureOf(one),
    make("div", { class: "flex items-baseline gap-1" }, make("h3", { class: "min-w-0 flex-1 truncate font-medium", title: shelf === "ready" ? name : `${name}. Double click renames`, ondblclick: shelf === "ready" ? null : rename }, name), shelf === "ready" ? null : key("Favourite:", favourite ? "★" : "☆", () => patch({ favourite: !favourite }), { "aria-pressed": favourite })),
    make("p", { class: "truncate text-[12px] text-soft", title: says }, says || " "),
    shelf === "ready" ? null : make("p", { class: "flex flex-wrap gap-1 text-[11px]" }, ...tags.map((word) => make("button", { type: "button", class: "rounded-full bg-rule/50 px-1.5", onclick: () => ((byId("stock-search").value = word), draw()) }, word))),
    into,
    shelf === "ready" ? null : make("div", { class: "flex" }, key("Rename", "✎", rename), key("Tags of", "#", tag), versions ? key(`Back to the version before (${versions}) of`, "↶", () => act(() => post(`${url}/back`))) : null,
      make("a", { class: "btn btn-bare h-6 px-1.5", href: `/api/stock.zip?only=${shelf}/${id}`, title: "Export as a zip of plain files", "aria-label": `Export ${name}` }, "⤓"), make("span", { class: "flex-1" }), key("Remove", "×", away)));
}

byId("stock-search").addEventListener("input", draw);
byId("stock-favourites").addEventListener("click", (e) => {
  e.currentTarget.setAttribute("aria-pressed", e.currentTarget.getAttribute("aria-pressed") !== "true");
  draw();
});
byId("stock-import").addEventListener("click", async () => {
  const files = await pickFiles(".zip");
  if (files.length) await act(async () => say(`Brought in: ${(await upload("/api/stock/unpack", files)).join(", ")}.`));
});
load();
