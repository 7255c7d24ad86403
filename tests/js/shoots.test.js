/** The shoot log: groups of takes, and what a search shows. */

import assert from "node:assert/strict";
import { test } from "node:test";
import "./page.js";

const { groupOf, isShown } = await import("../../src/cyclorama/web/static/js/shoots/groups.js");
const take = (more = {}) => ({ id: "t", name: "Spin 3", state: "done", project_id: "p", total: 24, source_id: null, starred: false, slate: { project_name: "Storm Glass", shot: "Spin" }, ...more });

test("what is shot or waits stands apart, all else by its shot", () => {
  assert.deepEqual(["running", "queued", "done", "paused"].map((state) => groupOf(take({ state })).title), ["Now", "Now", "Storm Glass · Spin", "Storm Glass · Spin"]);
  assert.equal(groupOf(take({ slate: null, state: "damaged" })).title, "Damaged");
  assert.notEqual(groupOf(take()).key, groupOf(take({ project_id: "q" })).key); // projects of one name are two
});

test("takes are shown by kind and by all words of a search", () => {
  const kinds = ["all", "takes", "stills", "derived", "starred"];
  const of = (one) => kinds.filter((kind) => isShown(one, kind, ""));
  assert.deepEqual(of(take()), ["all", "takes"]);
  assert.deepEqual(of(take({ total: 1 })), ["all", "stills"]);
  assert.deepEqual(of(take({ source_id: "s", starred: true })), ["all", "derived", "starred"]);
  assert.deepEqual(["storm 3", "STORM done", "lantern", " "].map((words) => isShown(take(), "all", words)), [true, true, false, true]);
});
