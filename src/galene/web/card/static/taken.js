// Steps whose tick the server has taken, each with the server's moment after it: a page that was made before that moment
// and comes later (a slow answer, a page out of the browser's own store) does not bring the step back. Pure.

/** The list with this step's tick in it, once. */
export const withTaken = (list, step, at) => [...list.filter((one) => one.step !== step), { step, at }].slice(-300);

/** The list without this step: its tick is undone. */
export const withoutTaken = (list, step) => list.filter((one) => one.step !== step);

/** What stays of the list when a page made at that moment shows these steps as left to do. */
export const afterPage = (list, left, made) =>
  list.filter((one) => !left.has(one.step) || !(Date.parse(one.at) < Date.parse(made)));
