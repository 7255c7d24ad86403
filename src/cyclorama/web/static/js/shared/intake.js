/** Bringing in a model: drop or pick, progress, cancel. */

import { byId } from "./dom.js";
import { ended, remove, say, upload } from "./api.js";

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
 * Send files and follow their intake in the dialog.
 * @param {string} url where to begin
 * @param {File[]} files
 * @returns {Promise<object|null>} what came of it, null when it failed or was cancelled
 */
export async function bringIn(url, files) {
  if (!files.length) return null;
  return follow(`Bringing in ${files.length === 1 ? files[0].name : `${files.length} files`}`, () => upload(url, files));
}

/**
 * Begin something that takes a while and follow it in the dialog.
 * @param {string} title
 * @param {() => Promise<object>} begin gives the job
 * @returns {Promise<object|null>} what came of it, null when it failed or was cancelled
 */
export async function follow(title, begin) {
  const dialog = byId("intake");
  byId("intake-title").textContent = title;
  byId("intake-what").textContent = "Sending";
  byId("intake-bar").value = 0;
  let cancelled = false;
  let job = null;
  byId("intake-cancel").onclick = () => {
    cancelled = true;
    if (job) remove(`/api/jobs/${job.id}`).catch(() => {});
    dialog.close();
  };
  dialog.showModal();
  try {
    job = await begin();
    job = await ended(job, (now) => {
      byId("intake-what").textContent = now.what;
      byId("intake-bar").value = now.share;
    }, () => cancelled);
    if (job.state === "failed" && !cancelled) say(job.message, 12);
  } catch (error) {
    say(error.message, 12);
  }
  dialog.close();
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
    if (/^(INPUT|TEXTAREA|SELECT)$/.test(document.activeElement?.tagName ?? "") || !e.clipboardData.files.length) return;
    e.preventDefault();
    take(await droppedFiles(e.clipboardData));
  });
}
