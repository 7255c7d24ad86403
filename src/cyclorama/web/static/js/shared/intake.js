/** Bringing in a model: drop or pick, progress, cancel. */

import { byId } from "./dom.js";
import { ended, make, remove, say, upload } from "./api.js";

/** All files of a drop, folders opened. @param {DataTransfer} transfer */
export async function droppedFiles(transfer) {
  const entries = [...transfer.items].map((item) => item.webkitGetAsEntry?.()).filter(Boolean);
  if (!entries.length) return [...transfer.files];
  const files = [];
  const walk = async (entry) => {
    if (entry.isFile) {
      const file = await new Promise((done, fail) => entry.file(done, fail));
      Object.defineProperty(file, "webkitRelativePath", { value: entry.fullPath.replace(/^\//, "") });
      files.push(file);
    } else {
      const reader = entry.createReader();
      for (;;) {
        const some = await new Promise((done, fail) => reader.readEntries(done, fail));
        if (!some.length) break;
        for (const child of some) await walk(child);
      }
    }
  };
  for (const entry of entries) await walk(entry);
  return files;
}

/**
 * Send files and follow their intake.
 * @param {string} url where to begin
 * @param {File[]} files
 * @returns {Promise<object|null>} what came of it, null when it failed or was cancelled
 */
export async function bringIn(url, files) {
  if (!files.length) return null;
  return follow(`Bringing in ${files.length === 1 ? files[0].name : `${files.length} files`}`, () => upload(url, files));
}

/**
 * Begin something that takes a while and follow it in a note in the corner; the page stays usable and keeps the focus.
 * @param {string} title
 * @param {() => Promise<object>} begin gives the job
 * @returns {Promise<object|null>} what came of it, null when it failed or was cancelled
 */
export async function follow(title, begin) {
  let cancelled = false;
  let job = null;
  const cancel = () => {
    cancelled = true;
    note.remove();
    if (job) remove(`/api/jobs/${job.id}`).catch(() => {});
  };
  const doing = make("p", { class: "text-soft" }, "Sending");
  const bar = make("progress", { class: "mt-2 h-2 w-full accent-subject", max: 1, value: 0, "aria-label": title });
  const head = make("div", { class: "row" }, make("h2", { class: "name font-semibold" }, title), make("button", { class: "btn", type: "button", onclick: cancel }, "Cancel"));
  const note = make("section", { class: "work-note", "aria-label": title }, head, doing, bar);
  byId("work").append(note);
  try {
    job = await begin();
    if (cancelled) await remove(`/api/jobs/${job.id}`);
    job = await ended(job, (now) => {
      doing.textContent = now.what;
      bar.value = now.share;
    }, () => cancelled);
    if (job.state === "failed" && !cancelled) say(job.message, 12);
  } catch (error) {
    say(error.message, 12);
  }
  note.remove();
  return cancelled ? null : (job?.result ?? null);
}

/** Let files be dropped anywhere on an element, or pasted on its page. */
export function acceptFiles(element, take) {
  element.addEventListener("dragover", (e) => e.preventDefault());
  element.addEventListener("drop", async (e) => {
    e.preventDefault();
    take(await droppedFiles(e.dataTransfer));
  });
  document.addEventListener("paste", async (e) => {
    if (/^(INPUT|TEXTAREA|SELECT)$/.test(document.activeElement?.tagName ?? "") || !e.clipboardData?.files.length) return;
    e.preventDefault();
    take(await droppedFiles(e.clipboardData));
  });
}
