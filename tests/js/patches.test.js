/** Patches, and answers that tell only what changed. */

import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { test } from "node:test";
import { Server } from "./page.js";

const { patched } = await import("../../src/cyclorama/web/static/js/shared/patches.js");
const { get, post } = await import("../../src/cyclorama/web/static/js/shared/api.js");

for (const { before, change, after } of JSON.parse(readFileSync(new URL("../patches.json", import.meta.url), "utf8")))
  test(`${JSON.stringify(change)} leads to what it was made of`, () => assert.deepEqual(patched(before, change), after));

test("what has not changed stays the same thing", () => {
  const before = { kept: [1], changed: [1] };
  const after = patched(before, { "{": { changed: { "=": [2] } }, "-": [] });
  assert.equal(after.kept, before.kept);
  assert.deepEqual(after.changed, [2]);
});

test("changes are told of the state that was held when they were asked for", async () => {
  const server = new Server();
  const at = "/api/projects/one";
  const tagged = (tag, since) => ({ etag: `"${tag}"`, "content-location": at, ...(since && { "x-change-of": since }) });
  const first = get(at);
  assert.equal(server.asked[0].headers["x-held"], undefined);
  await server.answer({ name: "A", size: 1 }, 200, tagged("a"));
  assert.deepEqual(await first, { name: "A", size: 1 });
  const [slow, quick, other] = [post(`${at}/changes`), post(`${at}/undo`), get("/api/projects/one-more")];
  assert.deepEqual(server.asked.map((asked) => asked.headers["x-held"]), ["a", "a", undefined]);
  await server.answer({ "{": { name: { "=": "B" } }, "-": [] }, 200, tagged("b", "a"));
  await server.answer({ "{": { size: { "=": 2 } }, "-": [] }, 200, tagged("c", "a"));
  await server.answer({ name: "Other" });
  assert.deepEqual([await slow, await quick, await other], [{ name: "B", size: 1 }, { name: "A", size: 2 }, { name: "Other" }]);
});
