// The control that drives an output while it is held: a finger, the mouse, or the space bar. Let go, a hidden page,
// a lost line: it is let go of. The bridge lets go by itself when it hears nothing for a second.
import { lineState, meanOf, onLive } from "./live.js";

const SAY_EVERY_MS = 250;

/** A post without a page; the answer as data, null where there was none. */
const post = async (path, values = {}, more = {}) => {
  const body = new URLSearchParams(values);
  const answer = await fetch(path, { method: "POST", body, credentials: "same-origin", ...more });
  const text = await answer.text();
  return { ok: answer.ok, told: text ? JSON.parse(text) : null };
};

/** @param {HTMLElement} panel */
const control = (panel) => {
  const job = panel.dataset.job, button = panel.querySelector("[data-hold]"), words = panel.querySelector("[data-hold-says]");
  const longest = Number(panel.dataset.longest) * 1000, settle = Number(panel.dataset.after) * 1000;
  let pressed = false, id = 0, saying = 0, beganAt = 0, ended = false;
  /** What the car said while the server's own answer was still on its way. */
  let early = [];

  const say = (text) => { if (words.textContent !== text) words.textContent = text; };
  const asked = () => [...panel.querySelectorAll("[name='asked']:checked")].map((box) => ["asked", box.value]);

  const letGo = () => {
    if (!pressed) return;
    pressed = false;
    window.clearInterval(saying);
    button.classList.remove("held");
    post(`/jobs/${job}/live/let-go`, {}, { keepalive: true }).catch(() => {});
    if (!id) say(panel.dataset.tooShort);
  };

  const press = async () => {
    if (pressed || button.disabled) return;
    if (lineState() !== "live") { say(panel.dataset.noLine); return; }
    pressed = true;
    ended = false;
    id = 0;
    early = [];
    beganAt = 0;
    button.classList.add("held");
    say(panel.dataset.asks);
    let answer;
    try {
      answer = await post(`/jobs/${job}/live/press/${panel.dataset.check}`, asked());
    } catch { answer = { ok: false, told: { error: panel.dataset.noServer, detail: [] } }; }
    if (!answer.ok) {
      pressed = false;
      button.classList.remove("held");
      say([answer.told?.error, (answer.told?.detail ?? []).join("; ")].filter(Boolean).join(". "));
      return;
    }
    id = answer.told.id;
    early.splice(0).forEach(take);
    if (!pressed) { post(`/jobs/${job}/live/let-go`, {}, { keepalive: true }).catch(() => {}); return; }
    saying = window.setInterval(() => {
      if (!pressed) return;
      post(`/jobs/${job}/live/held`, { id: String(id) }).catch(() => {});
      if (beganAt) say(`${panel.dataset.runs} ${Math.floor((performance.now() - beganAt) / 1000)} s`);
      if (beganAt && performance.now() - beganAt > longest) letGo();
    }, SAY_EVERY_MS);
  };

  const take = (answer) => {
    if (answer.id !== id || ended) return;
    if (answer.phase === "began") { beganAt = performance.now(); return; }
    ended = true;
    pressed = false;
    window.clearInterval(saying);
    button.classList.remove("held");
    if (!answer.done || !beganAt) { say(answer.words); return; }
    say(`${answer.words} ${panel.dataset.cuts}`);
    button.disabled = true;
    panel.querySelector("[name='command']").value = String(id);
    window.setTimeout(() => panel.querySelector("form").requestSubmit(), settle + 500);
  };

  onLive((told) => {
    for (const answer of told.answers ?? []) {
      if (id) take(answer);
      else if (pressed) early.push(answer);
    }
  });

  button.addEventListener("pointerdown", (event) => { event.preventDefault(); button.setPointerCapture(event.pointerId); press(); });
  for (const kind of ["pointerup", "pointercancel", "lostpointercapture", "blur"]) button.addEventListener(kind, letGo);
  button.addEventListener("keydown", (event) => {
    if (event.key !== " " && event.key !== "Enter") return;
    event.preventDefault();
    if (!event.repeat) press();
  });
  button.addEventListener("keyup", (event) => { if (event.key === " " || event.key === "Enter") { event.preventDefault(); letGo(); } });
  button.addEventListener("contextmenu", (event) => event.preventDefault());
  document.addEventListener("visibilitychange", () => { if (document.hidden) letGo(); });
  window.addEventListener("pagehide", letGo);
  document.addEventListener("galene:line", letGo);

  // ---- the lamps
  window.setInterval(() => {
    for (const lamp of panel.querySelectorAll("[data-lamp]")) {
      const value = lineState() === "live" ? meanOf(lamp.dataset.column, 2.5) : null;
      const lit = value !== null && value >= Number(lamp.dataset.low) && value <= Number(lamp.dataset.high);
      lamp.classList.toggle("lamp-broken", !lit);
      const text = value === null ? lamp.dataset.unread : `${(value * Number(lamp.dataset.factor) + Number(lamp.dataset.offset)).toFixed(Number(lamp.dataset.decimals))} ${lamp.dataset.unit}`;
      const shown = lamp.querySelector("[data-lamp-value]");
      if (shown.textContent !== text) shown.textContent = text;
    }
  }, 200);
};

document.querySelectorAll("[data-hold-panel]").forEach(control);
