/** Changes of a document: one after the other, never lost, and other windows followed. */

import assert from "node:assert/strict";
import { test } from "node:test";
import { Server, said, settled, sockets } from "./page.js";

const { DocumentStore } = await import("../../src/cyclorama/web/static/js/shared/document_store.js");
const { post } = await import("../../src/cyclorama/web/static/js/shared/api.js");

async function opened(version = 1) {
  const server = new Server();
  const store = new DocumentStore("/api/thing", "things/changes");
  store.load();
  await server.answer({ version });
  const change = (name) => store.edit((base) => post("/api/thing", { base, name }));
  return { server, store, change, socket: sockets.at(-1) };
}

test("changes go one after the other, each on the version that the one before made", async () => {
  const { server, store, change } = await opened();
  const saved = [change("a"), change("b")];
  await settled();
  assert.equal(server.asked.length, 1);
  assert.equal(store.told, "Saving …");
  await server.answer({ version: 2 });
  assert.deepEqual(server.asked[0].body, { base: 2, name: "b" });
  await server.answer({ version: 3 });
  assert.deepEqual(await Promise.all(saved), [true, true]);
  assert.deepEqual([store.version, store.told], [3, "Saved"]);
});

test("what is asked for before the document is there waits for it", async () => {
  const server = new Server();
  const store = new DocumentStore("/api/thing", "things/changes");
  const saved = store.edit((base) => post("/api/thing", { base }));
  await settled();
  assert.equal(server.asked.length, 0);
  store.load();
  await server.answer({ version: 7 });
  assert.deepEqual(server.asked[0].body, { base: 7 });
  await server.answer({ version: 8 });
  assert.equal(await saved, true);
});

test("a conflict holds the change and all after it, until somebody decides", async () => {
  for (const again of [true, false]) {
    const { server, store, change } = await opened();
    const saved = [change("a"), change("b")];
    await settled();
    await server.answer({ error: "It was changed in another window." }, 409);
    assert.deepEqual(await Promise.all(saved), [false, false]);
    assert.deepEqual([store.unsaved, store.told, server.asked.length], [true, "Not saved yet", 0]);
    const settling = store.settle(again);
    await settled();
    await server.answer({ version: 5 }); // what is saved
    const sent = [];
    while (server.asked.length) {
      sent.push(server.asked[0].body);
      await server.answer({ version: 6 + sent.length - 1 });
    }
    await settling;
    assert.deepEqual(sent, again ? [{ base: 5, name: "a" }, { base: 6, name: "b" }] : []);
    assert.equal(store.unsaved, false);
  }
});

test("a change that is refused is told, and the next goes on", async () => {
  const { server, store, change } = await opened();
  const shown = [];
  store.subscribe((state) => shown.push(state.version));
  const saved = [change("a"), change("b")];
  await settled();
  await server.answer({ error: "That cannot be." }, 422);
  await server.answer({ version: 2 });
  assert.deepEqual(await Promise.all(saved), [false, true]);
  assert.equal(said.at(-1), "That cannot be.");
  assert.deepEqual(shown, [1, 2]); // what counts is shown again
});

test("other windows are followed, after what is on its way here", async () => {
  const { server, store, change, socket } = await opened();
  change("a");
  await settled();
  socket.tell({ version: 3 });
  await settled();
  assert.equal(server.asked.length, 1);
  await server.answer({ version: 4 });
  assert.equal(server.asked.length, 0); // it knows a later one by now
  socket.tell({ version: 5 });
  await settled();
  await server.answer({ version: 5 });
  assert.equal(store.version, 5);
});
