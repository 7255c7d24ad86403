/** Tokens of programs: making, showing once, revoking. */

import { byId, date } from "../shared/dom.js";
import { get, make, post, remove, say } from "../shared/api.js";

async function attempt(work) {
  try {
    await work();
  } catch (error) {
    say(error.message, 8);
  }
}

/** @param {Api["Token"]} token */
function row({ id, name, made, used }) {
  const sure = () => confirm(`Revoke the token of ‘${name}’? The program is let in no more.`);
  const revoke = () => sure() && attempt(async () => {
    await remove(`/api/tokens/${id}`);
    byId("token-made").hidden ||= byId("token-made").dataset.token === id;
    await show();
  });
  return make("tr", { class: "border-b border-rule", "data-token": id },
    make("td", { class: "py-2 pr-4 pl-3 font-medium" }, name),
    make("td", { class: "num pr-4 text-soft", title: date(made).toLocaleString() }, date(made).toLocaleDateString()),
    make("td", { class: "num pr-4 text-soft" }, used ? date(used).toLocaleString([], { dateStyle: "medium", timeStyle: "short" }) : "Never"),
    make("td", { class: "py-1.5 pr-3 text-right" }, make("button", { type: "button", class: "btn", "aria-label": `Revoke the token of ${name}`, onclick: revoke }, "Revoke")));
}

async function show() {
  /** @type {Api["Token"][]} */
  const tokens = await get("/api/tokens");
  byId("tokens").hidden = !tokens.length;
  byId("tokens-nothing").hidden = tokens.length > 0;
  byId("token-lines").replaceChildren(...tokens.map(row));
}

/** @param {Api["IssuedToken"]} issued */
function present({ token, secret }) {
  byId("token-made").dataset.token = token.id;
  byId("token-whose").textContent = token.name;
  byId("token-secret").textContent = secret;
  byId("token-example").textContent = `curl -H "Authorization: Bearer ${secret}" ${location.origin}/api/projects`;
  byId("token-made").hidden = false;
}

async function copy() {
  try {
    await navigator.clipboard.writeText(byId("token-secret").textContent);
    say("The token is in the clipboard.");
  } catch { // not at an address without encryption
    getSelection()?.selectAllChildren(byId("token-secret"));
    say("The browser does not let this page use the clipboard. The token is selected: copy it with the keyboard.", 8);
  }
}

byId("token-copy").addEventListener("click", copy);
byId("token-new").addEventListener("submit", (event) => {
  event.preventDefault();
  attempt(async () => {
    present(await post("/api/tokens", { name: byId("token-name").value }));
    byId("token-name").value = "";
    await show();
  });
});
attempt(show);
