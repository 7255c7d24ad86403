/** Talking to the server. Errors carry the server's sentence. */

import { patched } from "./patches.js";

/** Name of this window: changes that one window makes never conflict with each other. */
export const WINDOW = crypto.getRandomValues(new Uint32Array(2)).join("-");

export class ServerError extends Error {
  /** @param {string} sentence @param {number} status @param {object} body */
  constructor(sentence, status, body) {
    super(sentence);
    this.status = status;
    this.body = body;
  }
}

/** States that are held of what is at addresses: answers may tell only what changed since. @type {Map<string, {tag: string, data: object}>} */
const held = new Map();

/** An answer as a whole, where it tells the change of the state that was held; see web/changed_answers.py. */
function whole(response, data, before) {
  const location = response.headers.get("content-location");
  if (!location) return data;
  const now = response.headers.get("x-change-of") ? patched(before, data) : data;
  held.set(location, { tag: response.headers.get("etag").replaceAll('"', ""), data: now });
  return now;
}

async function send(method, url, body, isForm = false) {
  const options = { method, headers: { accept: "application/json", "x-window": WINDOW } };
  const [, before] = [...held].find(([location]) => url === location || url.startsWith(`${location}/`)) ?? [];
  if (before) options.headers["x-held"] = before.tag;
  if (isForm) options.body = body;
  else if (body !== undefined) {
    options.headers["content-type"] = "application/json";
    options.body = JSON.stringify(body);
  }
  let response;
  try {
    response = await fetch(url, options);
  } catch {
    throw new ServerError("Cyclorama does not answer. Is it still running?", 0, {});
  }
  const data = await response.json().catch(() => ({}));
  if (!response.ok) throw new ServerError(data.error ?? `Something went wrong (${response.status}).`, response.status, data);
  return whole(response, data, before?.data);
}

/** @param {string} method @param {string} url @param {object} body */
export const request = (method, url, body) => send(method, url, body);
export const get = (url) => send("GET", url);
export const post = (url, body = {}) => send("POST", url, body);
export const remove = (url) => send("DELETE", url);

/** @param {string} url @param {FileList|File[]} files @param {string} field */
export function upload(url, files, field = "files") {
  const form = new FormData();
  for (const file of files) form.append(field, file, file.webkitRelativePath || file.name);
  return send("POST", url, form, true);
}

/**
 * A job in the background, once it has ended; while the studio is started again it is asked after again.
 * @param {object} job @param {(job: object) => void} tell called whenever it was asked after
 * @param {() => boolean} leave whether nobody wants to know any more
 */
export async function ended(job, tell, leave = () => false) {
  let unanswered = 0;
  while ((job.state === "waiting" || job.state === "running") && !leave()) {
    await new Promise((done) => setTimeout(done, 200));
    try {
      job = await get(`/api/jobs/${job.id}`);
      unanswered = 0;
    } catch (error) {
      if (error.status || ++unanswered > 100) throw error;
    }
    tell(job);
  }
  return job;
}

/** The query of an address. @param {Record<string, string|number>} values */
export const query = (values) => new URLSearchParams(Object.entries(values).map(([name, value]) => [name, String(value)]));

/**
 * Say something at the foot of the page.
 * @param {string} sentence
 * @param {number} seconds
 * @param {{title: string, run: () => void}|null} offer a button beside it
 */
export function say(sentence, seconds = 5, offer = null) {
  const toast = document.getElementById("toast");
  const take = () => ((toast.hidden = true), offer?.run());
  toast.replaceChildren(sentence, ...(offer ? [make("button", { type: "button", class: "offer", onclick: take }, offer.title)] : []));
  toast.hidden = false;
  clearTimeout(toast.timer);
  toast.timer = setTimeout(() => (toast.hidden = true), seconds * 1000);
}

/** An element with attributes and children. */
export function make(tag, attributes = {}, ...children) {
  const element = document.createElement(tag);
  for (const [name, value] of Object.entries(attributes)) {
    if (name.startsWith("on") && value) element.addEventListener(name.slice(2), value);
    else if (name.startsWith("aria-") && typeof value === "boolean") element.setAttribute(name, String(value));
    else if (value !== null && value !== undefined && value !== false) element.setAttribute(name, value);
  }
  element.append(...children.filter((c) => c !== null && c !== undefined));
  return element;
}

/** A button that is on or off. It turns what it shows, which may be ahead of the server. @param {(on: boolean) => void} change */
export function turningButton(attribute, on, attributes, change, ...children) {
  return make("button", { type: "button", ...attributes, [attribute]: on, onclick: ({ currentTarget: button }) => {
    const next = button.getAttribute(attribute) !== "true";
    button.setAttribute(attribute, String(next));
    change(next);
  } }, ...children);
}

/** @param {(on: boolean) => void} change */
export const switchButton = (on, label, change) => turningButton("aria-checked", on, { class: "switch", role: "switch", "aria-label": label }, change);

/**
 * A line of a list: a name, perhaps a figure, and a switch.
 * @param {string} name @param {boolean} on @param {string} label @param {(on: boolean) => void} change
 * @param {{title?: string|null, figure?: any}} more
 */
export function switchRow(name, on, label, change, { title = null, figure = null } = {}) {
  return make("li", { class: "row", title }, make("span", { class: "name truncate" }, name), figure && make("span", { class: "num text-soft" }, figure),
    switchButton(on, label, change));
}

/** A list with something put in or taken out. */
export const withOrWithout = (list, item, wanted) => (wanted ? [...list, item] : list.filter((x) => x !== item));

/** The same for SVG. */
export function draw(tag, attributes = {}, ...children) {
  const element = document.createElementNS("http://www.w3.org/2000/svg", tag);
  for (const [name, value] of Object.entries(attributes)) element.setAttribute(name, value);
  element.append(...children);
  return element;
}

const MARKS = {
  ready: ["var(--color-ready)", "M4 8.2 6.8 11 12 5.2"],
  look: ["var(--color-look)", "M8 4v5M8 11.4v.4"],
  missing: ["var(--color-missing)", "M5 5l6 6M11 5l-6 6"],
};
/** The mark of a station: shape and colour both tell. */
export function mark(kind) {
  const [colour, path] = MARKS[kind];
  const svg = draw("svg", { viewBox: "0 0 16 16", width: 15, height: 15, class: "mark", role: "img", "aria-label": kind });
  svg.append(
    draw("circle", { cx: 8, cy: 8, r: 7.2, fill: kind === "ready" ? "none" : colour, stroke: colour, "stroke-width": 1.4 }),
    draw("path", { d: path, fill: "none", stroke: kind === "ready" ? colour : "#fff", "stroke-width": 1.8, "stroke-linecap": "round" }),
  );
  return svg;
}
