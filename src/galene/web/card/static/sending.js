// What becomes of a sending, told by the server's answer alone. Pure: nothing here touches page, store or network.

const LATER = new Set([408, 425, 429]);
const SPLIT = new Set([400, 413, 422]);

/** What an answer means for what was sent: taken, sign-in, other (another person), later, split or refused. */
export const verdict = (status, redirected = false) => {
  if (status === 401 || redirected) return "sign-in";
  if (status >= 200 && status < 300) return "taken";
  if (status === 409) return "other";
  if (status >= 500 || LATER.has(status)) return "later";
  if (SPLIT.has(status)) return "split";
  return "refused";
};

/** How many to send next where a batch of that many was refused as a whole; 0 where it can not be split. */
export const halved = (count) => (count > 1 ? Math.ceil(count / 2) : 0);

/** Milliseconds until the next try: what the server asks for, else longer each time, half a minute at most. */
export const pause = (tries, asked = null) => {
  const seconds = asked === null || asked === "" ? NaN : Number(asked);
  if (Number.isFinite(seconds) && seconds >= 0) return Math.min(120, seconds) * 1000;
  return Math.min(30000, 1000 * 2 ** Math.max(0, tries));
};

/** The next batch of a person's entries: those of one job, in the order in which they were made. */
export const batchOf = (entries, me, size) => {
  const mine = entries.filter((e) => e.me === me);
  if (!mine.length) return [];
  return mine.filter((e) => e.job === mine[0].job).slice(0, size);
};
