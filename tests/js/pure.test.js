/** Arithmetic of boxes, geometry of the plan, parts of pictures, and following what is quicker than its answers. */

import assert from "node:assert/strict";
import { test } from "node:test";
import "./page.js";

const at = (name) => import(`../../src/cyclorama/web/static/js/${name}.js`);
const { calculate } = await at("shared/arithmetic");
const { latest, Turns } = await at("shared/latest");
const { partBetween } = await at("shared/picture_part");
const { anglesAt, carriedBack, goneAlong, rows3, turned, wrap } = await at("plan/geometry");
const { ranked } = await at("studio/find");
const { keyName, pressed, rebound } = await at("shared/keys");
const { speedOf } = await at("cards/speed");
const { placeAt } = await at("shared/reorder");
const { turned: playedRound } = await at("shared/player");

const close = (a, b) => a.forEach((x, i) => assert.ok(Math.abs(x - b[i]) < 1e-9, `${a} is not ${b}`));

test("keys are named by what is held with them", () => {
  const key = (name, held = {}) => pressed({ key: name, ctrlKey: false, metaKey: false, shiftKey: false, ...held });
  assert.deepEqual([key("z", { ctrlKey: true }), key("ArrowLeft", { shiftKey: true }), key("?", { shiftKey: true }), key("B")], ["Ctrl+z", "Shift+ArrowLeft", "?", "b"]);
  assert.deepEqual([" ", "Shift+ArrowLeft", "+", "Ctrl+z", "PageUp"].map(keyName), ["Space", "Shift+←", "+", "Ctrl+z", "Page up"]);
});

test("who loses a key gets the one that was given up", () => {
  const [play, loop] = [{ label: "Play", keys: [" "] }, { label: "Loop", keys: ["[", "]"] }];
  assert.deepEqual(rebound([play, loop], loop, 1, "j"), { Play: [" "], Loop: ["[", "j"] });
  assert.deepEqual(rebound([play, loop], loop, 0, " "), { Play: ["["], Loop: [" ", "]"] });
  assert.deepEqual(rebound([play, loop], loop, 0, "]"), { Play: [" "], Loop: ["]", "["] });
});

test("what goes on evenly has a speed", () => {
  const even = { keys: [[10], [34]], frames: [1, 49], goes: ["linear", "linear"] };
  assert.equal(speedOf(even, 24), 12);
  assert.equal(speedOf(null, 24), 0);
  assert.equal(speedOf({ ...even, goes: ["smooth", "linear"] }, 24), null);
  assert.equal(speedOf({ ...even, keys: [[10], [34], [0]] }, 24), null);
});

test("a row is put where the pointer is, or at the nearest end", () => {
  const rows = [[10, 30], [30, 50], [54, 74]].map(([top, bottom]) => ({ top, bottom }));
  assert.deepEqual([0, 12, 30, 52, 73, 400].map((y) => placeAt(rows, y)), [0, 0, 1, 2, 2, 2]);
});

test("angles are within half a turn", () => {
  assert.deepEqual([190, -190, 540, 0, -180].map(wrap), [-170, 170, -180, 0, -180]);
});

test("a turn about the axis goes from the front to the right", () => {
  close(turned([0, 2, 1], 90), [1, 2, 0]);
  close(turned(turned([0.3, 1, -2], 71), -71), [0.3, 1, -2]);
});

test("what carries a light is taken back by where it is dragged to", () => {
  const rows = [0, 0, 1, 5, 0, 1, 0, 0, -1, 0, 0, 2]; // a quarter turn, then away
  const pose = { lights_deg: 30, carried: { disc: rows } };
  close(rows3(rows, [1, 2, 3]), [8, 2, 1]);
  close(rows3(rows, [1, 2, 3], true), [3, 2, -1]);
  for (const carriage of ["rig", "disc", "set"]) {
    const place = [0.4, 1.5, -0.7];
    close(carriedBack({ carriage }, pose, goneAlong({ carriage }, pose, place)), place);
  }
});

test("boxes calculate, with units", () => {
  assert.equal(calculate("30*10", "frames", 24), 300);
  assert.equal(calculate("1.5 m", "mm", null), 1500);
  assert.equal(calculate("alert(1)", "", null), null);
});

test("a part of a picture has both sides", () => {
  assert.deepEqual(partBetween([0.5, 0.75], [0.25, 0.25]), { left: 0.25, top: 0.25, right: 0.5, bottom: 0.75 });
  assert.equal(partBetween([0.5, 0.5], [0.505, 0.9]), null);
});

test("frames go round, or to and fro", () => {
  assert.deepEqual([0, 3, 4, 5].map((n) => playedRound(n, 4, false)), [0, 3, 0, 1]);
  assert.deepEqual([0, 3, 4, 5, 6, 7].map((n) => playedRound(n, 4, true)), [0, 3, 2, 1, 0, 1]);
});

test("of what comes meanwhile only the last is done", async () => {
  const done = [];
  const run = latest(async (what) => {
    await Promise.resolve();
    done.push(what);
  });
  await Promise.all([1, 2, 3, 4].map(run));
  assert.deepEqual(done, [1, 4]);
});

test("turns go on after one that fails", async () => {
  const turns = new Turns();
  const first = turns.take(async () => {
    throw new Error("no");
  });
  assert.equal(await turns.take(async () => 2), 2);
  await assert.rejects(first);
});

test("names that begin with what is looked for come first, then those that hold it, then those whose help does", () => {
  const all = [
    { name: "Casts shadows", where: "Light" },
    { name: "Width", where: "Light", more: "Larger lights give softer shadows." },
    { name: "Shadow tint", where: "Light" },
    { name: "Overshadowed", where: "Set" },
    { name: "Shadow tint", where: "Light" },
    { name: "Focal length", where: "Camera" },
  ];
  const found = (words) => ranked(all, words).map(({ name }) => name);
  assert.deepEqual(found("shadow"), ["Shadow tint", "Casts shadows", "Overshadowed", "Width"]);
  assert.deepEqual(found("SHADOW  set"), ["Overshadowed"]);
  assert.deepEqual(found("iris"), []);
  assert.equal(found("").length, 5);
});

test("a lamp that is put somewhere stands there about its aim", () => {
  const pose = { lights_deg: 90, carried: {} };
  const light = { carriage: "rig", aim: [0.1, 0.2, 0.3] };
  const [azimuth, elevation, distance] = [30, 40, 2];
  const rad = (deg) => (deg * Math.PI) / 180;
  const about = [Math.sin(rad(azimuth)) * Math.cos(rad(elevation)), Math.sin(rad(elevation)), Math.cos(rad(azimuth)) * Math.cos(rad(elevation))];
  const there = goneAlong(light, pose, about.map((p, i) => light.aim[i] + distance * p));
  const found = anglesAt(light, pose, there);
  close([found.azimuth, found.elevation, found.distance], [azimuth, elevation, distance]);
});
