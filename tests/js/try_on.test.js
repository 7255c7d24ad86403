/** What the pointer rests on is shown after a moment, and taken back when it leaves, unless it was pressed. */

import assert from "node:assert/strict";
import { mock, test } from "node:test";
import "./page.js";

const { TryOn } = await import("../../src/cyclorama/web/static/js/cards/try_on.js");

test("only what was shown is taken back", () => {
  mock.timers.enable({ apis: ["setTimeout"] });
  const seen = [];
  const trying = new TryOn(([change]) => seen.push(change), () => seen.push("settled"));
  trying.soon(["passed over"]);
  trying.soon(["rested on"]);
  mock.timers.tick(1000);
  trying.giveUp();
  trying.giveUp();
  trying.soon(["left at once"]);
  trying.giveUp();
  mock.timers.tick(1000);
  trying.soon(["pressed"]);
  mock.timers.tick(1000);
  trying.keep();
  trying.giveUp();
  assert.deepEqual(seen, ["rested on", "settled", "pressed"]);
  mock.timers.reset();
});
