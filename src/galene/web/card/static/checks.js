// The checks of a tick that hold without the server too. The page carries them as data; `galene.core.jobcard.checks`
// reads the same data by the same rules, and one table of cases is run in both. Pure.

const EARLY_REASON_LEAST = 3, DEPOSIT_FROM_GRADE = 2;

/**
 * @typedef {{id: string, kind: string}} AskedRecord
 * @typedef {{step: number, position: number, free_of: number[], cautions: string[], waits_for: string[],
 *   records: AskedRecord[]}} StepChecks
 * @typedef {{left: Map<number, number>, read: Set<string>, running: Set<string>}} TickState
 * @typedef {{answers: Record<string, string>, early_reason: string}} TickGiven
 * @typedef {{why: "first" | "caution" | "wait" | "answer", about: (number | string)[]}} TickFault
 */

/** @param {"first" | "caution" | "wait" | "answer"} why @param {(number | string)[]} about */
const fault = (why, about) => (about.length ? { why, about } : null);

/** @param {AskedRecord} record @param {Record<string, string>} answers */
const answered = (record, answers) => {
  const said = (answers[record.id] ?? "").trim();
  if (record.kind === "grade" && /^\d+$/.test(said) && Number(said) >= DEPOSIT_FROM_GRADE) {
    return Boolean((answers[`${record.id}_deposit`] ?? "").trim());
  }
  return Boolean(said);
};

/** @type {((checks: StepChecks, state: TickState, given: TickGiven) => TickFault | null)[]} */
const CHECKS = [
  (checks, state) =>
    fault("first", [...state.left].filter(([step, at]) => at < checks.position && !checks.free_of.includes(step)).map(([step]) => step)),
  (checks, state) => fault("caution", checks.cautions.filter((c) => !state.read.has(c))),
  (checks, state, given) =>
    given.early_reason.trim().length >= EARLY_REASON_LEAST ? null : fault("wait", checks.waits_for.filter((w) => state.running.has(w))),
  (checks, _, given) => fault("answer", checks.records.filter((r) => !answered(r, given.answers)).map((r) => r.id)),
];

/**
 * The first reason not to take a tick, null where nothing here speaks against it.
 * @param {StepChecks} checks @param {TickState} state @param {TickGiven} given @returns {TickFault | null}
 */
export const tickFault = (checks, state, given) => {
  for (const check of CHECKS) {
    const found = check(checks, state, given);
    if (found) return found;
  }
  return null;
};
