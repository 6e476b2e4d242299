// The checks of a tick in the browser, by the table of cases that the core is held to as well.
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { test } from "node:test";

import { tickFault } from "../../src/galene/web/card/static/checks.js";

const cases = JSON.parse(readFileSync(new URL("../cases/card_ticks.json", import.meta.url), "utf8"));

for (const c of cases) {
  test(c.about, () => {
    const checks = { free_of: [], cautions: [], waits_for: [], records: [], ...c.checks };
    const state = {
      left: new Map(Object.entries(c.left).map(([step, at]) => [Number(step), at])),
      read: new Set(c.read),
      running: new Set(c.running),
    };
    const given = { answers: c.answers ?? {}, early_reason: c.early_reason ?? "" };
    assert.deepEqual(tickFault(checks, state, given), c.fault);
  });
}
