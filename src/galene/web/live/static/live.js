// The live strip: what the car says, as it comes. Three-second means in the strip and at the parts of the drawing,
// and how the line stands in words. Other scripts hear of it through `onLive`.

const MEAN_S = 3, LOST_MS = 2500, SHOWN_MS = 33, DRAWN_MS = 250, LOOKED_MS = 3000;
/** @type {Map<string, {at: number, value: number}[]>} newest values of each column, by the server's clock */
const columns = new Map();
/** @type {Set<(told: any) => void>} */
const listeners = new Set();
let heardAt = 0;
let fresh = true, drawnAt = 0;
let state = "none";

/** Hear of every piece that comes. */
export const onLive = (listener) => { listeners.add(listener); };

/** Mean of a column over the last seconds, null where nothing was read. */
export const meanOf = (name, seconds = MEAN_S) => {
  const known = columns.get(name);
  if (!known?.length) return null;
  const since = known[known.length - 1].at - seconds;
  const used = known.filter((k) => k.at >= since);
  return used.reduce((sum, k) => sum + k.value, 0) / used.length;
};

/** How the line stands. */
export const lineState = () => state;

const keep = (told) => {
  for (const row of told.rows) {
    const at = told.at - row[0];
    told.columns.forEach((name, i) => {
      const value = row[i + 1];
      if (value === null || value === undefined) return;
      const known = columns.get(name) ?? [];
      known.push({ at, value });
      while (known.length > 2 && known[0].at < at - 2 * MEAN_S) known.shift();
      columns.set(name, known);
    });
  }
};

const say = (root, now) => {
  if (now === state && root.dataset.state === now) return;
  state = now;
  fresh = true;
  root.dataset.state = now;
  const words = root.querySelector(`[data-live-says="${CSS.escape(now)}"]`);
  if (words) root.querySelector("[data-live-words]").textContent = words.textContent;
  document.dispatchEvent(new CustomEvent("galene:line", { detail: now }));
};

const idles = () => (meanOf("rpm") ?? 0) > 300 && (meanOf("rpm") ?? 0) < 1800 && (meanOf("speed_kmh") ?? 0) < 2;

const number = (node, name) => Number(node.dataset[name]);

const show = (root) => {
  const draws = performance.now() - drawnAt > DRAWN_MS;
  if (draws) drawnAt = performance.now();
  for (const meter of root.querySelectorAll("[data-meter]")) {
    const parts = meter.dataset.columns.split(" ").map((name) => meanOf(name));
    const value = meter.querySelector("[data-value]"), mark = meter.querySelector("[data-mark]");
    const known = state === "live" && parts.every((part) => part !== null);
    if (!known) {
      value.textContent = "–";
      mark.setAttribute("x", "-5");
      delete meter.dataset.stands;
      continue;
    }
    const kept = parts.reduce((sum, part) => sum + part, 0);
    const shown = kept * number(meter, "factor") + number(meter, "offset");
    const text = shown.toFixed(number(meter, "decimals")).replace("-", "−");
    if (value.textContent !== text) value.textContent = text;
    const low = number(meter, "low"), high = number(meter, "high");
    mark.setAttribute("x", String(Math.min(98.4, Math.max(0, ((shown - low) / (high - low)) * 100 - 0.8))));
    // The bands are those of an idle: an engine that stands, or a car that drives, is neither in nor out of them.
    if (!idles()) delete meter.dataset.stands;
    else if (meter.dataset.bandLow) {
      meter.dataset.stands = shown < number(meter, "bandLow") ? "below" : shown > number(meter, "bandHigh") ? "above" : "in";
    }
    if (draws) draw(meter.dataset.parts, text, meter.querySelector("small").textContent);
  }
  if (draws) runs();
};

const SVG = "http://www.w3.org/2000/svg";

/** Where no other words are: above the part, below it, inside its body, or beside it. */
const place = (part, label) => {
  const box = part.getBBox(), middle = box.x + box.width / 2;
  part.append(label);
  const taken = [...part.ownerSVGElement.querySelectorAll("text")].filter((t) => t !== label).map((t) => t.getBoundingClientRect());
  const spots = [[middle, box.y - 3], [middle, box.y + box.height + 11], [box.x + box.width + 26, box.y + 10], [box.x - 26, box.y + 10]];
  for (const [x, y] of spots) {
    label.setAttribute("x", String(x));
    label.setAttribute("y", String(y));
    const own = label.getBoundingClientRect(), air = part.ownerSVGElement.getBoundingClientRect();
    const clear = taken.every((t) => t.right < own.left || t.left > own.right || t.bottom < own.top + 3 || t.top > own.bottom - 3);
    if (clear && own.top >= air.top && own.left >= air.left && own.right <= air.right) return;
  }
};

/** Words at a part in the drawing. */
const write = (id, kind, words) => {
  for (const part of document.querySelectorAll(`svg.air .part[data-part="${CSS.escape(id)}"]`)) {
    let label = part.querySelector(`.live-figure.${kind}`);
    if (!label) {
      label = document.createElementNS(SVG, "text");
      label.setAttribute("class", `live-figure ${kind}`);
      label.setAttribute("text-anchor", "middle");
      label.textContent = words;
      place(/** @type {SVGGraphicsElement} */ (part), /** @type {SVGTextElement} */ (label));
    }
    if (label.textContent !== words) label.textContent = words;
  }
};

const draw = (parts, text, unit) => {
  for (const id of parts ? parts.split(" ") : []) write(id, "read", `${text} ${unit}`);
};

/** What the figures say of parts: at the part too, gone when it is not said any more. */
const mark = () => {
  const said = new Map([...document.querySelectorAll("[data-stand]")].map((s) => [s.dataset.stand, s]));
  for (const label of document.querySelectorAll("svg.air .live-figure.says")) {
    if (!said.has(label.closest(".part")?.dataset.part)) label.remove();
  }
  for (const part of document.querySelectorAll("svg.air .part")) {
    part.classList.toggle("live-restricts", said.get(part.dataset.part)?.hasAttribute("data-restricts") ?? false);
  }
  said.forEach((s, id) => write(id, "says", s.dataset.mark));
};

/** Seconds that a stroke of the streams takes: as a share of what the engine draws at its idle, by the meter or,
 * where it has none, by its speed. */
const pace = () => {
  const meter = document.querySelector('[data-meter="air"]'), air = meter && meanOf(meter.dataset.columns);
  if (air !== null && meter?.dataset.bandHigh) {
    const idle = ((number(meter, "bandLow") + number(meter, "bandHigh")) / 2 - number(meter, "offset")) / number(meter, "factor");
    return { by: "air", seconds: 1.5 / Math.sqrt(Math.max(0.05, air / idle)) };
  }
  const speed = meanOf("rpm");
  return speed === null ? null : { by: "speed", seconds: 1.5 / Math.sqrt(Math.max(0.05, speed / 800)) };
};

/** The streams of the drawing run as the engine draws; where the valve is shut, nothing comes back. */
const runs = () => {
  const svg = document.querySelector("svg.air");
  if (!(svg instanceof SVGElement)) return;
  const speed = meanOf("rpm"), live = state === "live" && speed !== null;
  svg.classList.toggle("live-runs", live && speed > 100);
  svg.classList.toggle("live-stands", live && speed <= 100);
  const position = meanOf("egr_position_pct", 1) ?? meanOf("egr_command_pct", 1);
  svg.classList.toggle("live-shut", live && position !== null && position < 3);
  const found = live ? pace() : null;
  for (const words of document.querySelectorAll("[data-drawn]")) words.hidden = words.dataset.drawn !== (found?.by ?? "not");
  // A new pace makes the strokes jump: only one that is seen is taken.
  const now = Number(svg.dataset.pace ?? 1.5), next = Math.min(4, Math.max(0.3, found?.seconds ?? 1.5));
  if (Math.abs(next / now - 1) < 0.15) return;
  svg.dataset.pace = String(next);
  svg.style.setProperty("--pace", `${next.toFixed(2)}s`);
};

const begin = () => {
  const root = document.querySelector("[data-live-strip]");
  if (!(root instanceof HTMLElement) || root.dataset.begun) return;
  root.dataset.begun = "1";
  state = root.dataset.state;
  // A page that shows a code waits for the bridge that types it.
  const pairs = document.querySelector("[data-pair-code]") !== null;
  if (state === "none" && !pairs) return;
  const stream = new EventSource(root.dataset.events);
  stream.addEventListener("message", (event) => {
    const told = JSON.parse(event.data);
    if (pairs && told.state === "waiting") { window.location.replace(root.dataset.bridge); return; }
    heardAt = performance.now();
    fresh = true;
    if (told.rows?.length) keep(told);
    say(root, told.state);
    listeners.forEach((listener) => listener(told));
  });
  window.setInterval(() => {
    const silent = performance.now() - heardAt > LOST_MS;
    if (silent && (heardAt || !["waiting", "none", "ended"].includes(state))) say(root, state === "ended" ? "ended" : "lost");
    // The page works only when something came: ten times a second, and not at all while nothing does.
    if (fresh) show(root);
    fresh = false;
  }, SHOWN_MS);
  window.setInterval(() => {
    const looked = document.querySelector("[data-live-stands]");
    if (state === "live" && looked && !document.hidden) window.htmx?.trigger(looked, "galene:look");
    // What stood there was of a moment that is over.
    else if (looked) looked.replaceChildren();
    mark();
  }, LOOKED_MS);
  document.addEventListener("htmx:afterSettle", mark);
  window.addEventListener("pagehide", () => stream.close());
};

heardAt = performance.now();
begin();
document.addEventListener("htmx:afterSettle", begin);
