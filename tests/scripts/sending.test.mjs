// What becomes of a sending, and which steps a page that comes late still shows.
import assert from "node:assert/strict";
import { test } from "node:test";

import { batchOf, halved, pause, verdict } from "../../src/galene/web/card/static/sending.js";
import { afterPage, withTaken, withoutTaken } from "../../src/galene/web/card/static/taken.js";

test("an answer is read by its number alone", () => {
  const wanted = { 200: "taken", 401: "sign-in", 409: "other", 429: "later", 503: "later", 413: "split", 422: "split", 403: "refused" };
  for (const [status, word] of Object.entries(wanted)) assert.equal(verdict(Number(status)), word);
  assert.equal(verdict(200, true), "sign-in");
});

test("a batch is halved until one stands alone", () => {
  assert.deepEqual([50, 25, 13, 7, 4, 2, 1].map(halved), [25, 13, 7, 4, 2, 1, 0]);
});

test("tries grow apart, half a minute at most, and heed what the server asks", () => {
  assert.deepEqual([0, 1, 2, 10].map((n) => pause(n)), [1000, 2000, 4000, 30000]);
  assert.equal(pause(0, "7"), 7000);
  assert.equal(pause(0, "9999"), 120000);
  assert.equal(pause(1, "soon"), 2000);
});

test("a batch is one person's, of one job, in order", () => {
  const entries = [{ me: 1, job: "a", id: 1 }, { me: 2, job: "a", id: 2 }, { me: 1, job: "b", id: 3 }, { me: 1, job: "a", id: 4 }];
  assert.deepEqual(batchOf(entries, 1, 9).map((e) => e.id), [1, 4]);
  assert.deepEqual(batchOf(entries, 1, 1).map((e) => e.id), [1]);
  assert.deepEqual(batchOf(entries, 3, 9), []);
});

test("an older page brings no taken step back, a newer one does", () => {
  const at = "2026-01-01T10:00:00Z";
  const taken = withTaken([], "7", at);
  assert.deepEqual(afterPage(taken, new Set(["7"]), "2026-01-01T09:59:59Z"), taken);
  assert.deepEqual(afterPage(taken, new Set(["7"]), "2026-01-01T10:00:01Z"), []);
  assert.deepEqual(afterPage(taken, new Set(), "2026-01-01T10:00:01Z"), taken);
  assert.deepEqual(withoutTaken(taken, "7"), []);
});
