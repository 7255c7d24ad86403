/** Asking again and again: not while nobody looks, and not for what is gone. */

import assert from "node:assert/strict";
import { mock, test } from "node:test";
import "./page.js";

const { poll } = await import("../../src/cyclorama/web/static/js/shared/poll.js");
const { ServerError } = await import("../../src/cyclorama/web/static/js/shared/api.js");

const passed = async (ms) => {
  mock.timers.tick(ms);
  for (let i = 0; i < 4; i += 1) await Promise.resolve();
};

test("it is asked while the page is seen, one at a time, until it is gone", async () => {
  mock.timers.enable({ apis: ["setInterval"] });
  let asked = 0;
  let answer = Promise.resolve();
  poll(() => ((asked += 1), answer), 1000);
  await passed(1000);
  assert.equal(asked, 1);
  document.hidden = true;
  await passed(5000);
  assert.equal(asked, 1);
  document.hidden = false;
  let arrive;
  answer = new Promise((done) => (arrive = done));
  await passed(1000);
  await passed(3000); // the answer is slow
  assert.equal(asked, 2);
  arrive();
  answer = Promise.reject(new ServerError("It is busy.", 503, {}));
  answer.catch(() => {});
  await passed(0);
  await passed(1000);
  assert.equal(asked, 3);
  answer = Promise.reject(new ServerError("It is gone.", 404, {}));
  answer.catch(() => {});
  await passed(1000);
  await passed(4000);
  assert.equal(asked, 4);
  mock.timers.reset();
});
