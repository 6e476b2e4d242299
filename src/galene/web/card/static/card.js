// The job card: what is entered is kept in this browser until the server has it, sent in order and once, and what
// somebody else does to the job is seen within the second. Rules live on the server; here only what works without it.
import { tickFault } from "./checks.js";
import { mergeRound, mergeSteps } from "./merging.js";
import { Queue, alone } from "./queue.js";
import { batchOf, halved, pause, verdict } from "./sending.js";
import { afterPage, withTaken, withoutTaken } from "./taken.js";

const line = document.getElementById("line");
if (line) begin();

function begin() {
  const CLOCK = "galene:clock", TAKEN = "galene:taken", CACHE = "galene-card", BATCH = 50;
  const card = () => document.getElementById("card");
  const me = Number(line.dataset.me);
  const queue = new Queue(() => { shown(); flush(); });
  const opened = queue.open();

  const kept = (name) => { try { return JSON.parse(localStorage.getItem(name)) || []; } catch { return []; } };
  const keep = (name, list) => {
    try { localStorage.setItem(name, JSON.stringify(list)); return true; } catch { return false; }
  };

  // The server's clock: its offset is taken from a page that has just come, and kept for one that comes from the cache.
  const clock = (() => {
    const sent = card()?.dataset.now, old = kept(CLOCK);
    if (!sent) return { offset: old.offset || 0, live: true };
    if (old.sent && Date.parse(sent) <= Date.parse(old.sent)) return { ...old, live: false };
    const found = { sent, offset: Date.parse(sent) - Date.now() };
    keep(CLOCK, found);
    return { ...found, live: true };
  })();
  const now = () => Date.now() + clock.offset;

  let lost = false, busy = false, slow = false, tries = 0, chosen = null, retry = null, now_step = null;
  const started = new Map(); // waits of ticks that the server has taken and this page has not heard of yet
  const entering = new Set(); // steps whose tick is on its way into the store
  const fresh = new Map(); // entries whose form is still on this page: what is missing is said there

  // ---- what is entered

  const jobOf = (form) => (/\/jobs\/([^/]+)\//.exec(new URL(form.action).pathname) || [])[1];
  const numberHere = () => card()?.dataset.number;
  const waitingHere = () => queue.entries.filter((e) => e.job === numberHere());
  // Ticked here and not yet on the page: waiting to be sent, or taken by the server after a page from the cache was made.
  const ticked = () => new Set([...kept(TAKEN).map((one) => one.step), ...waitingHere().filter((e) => e.kind === "tick").map((e) => String(e.data.step))]);

  document.addEventListener("submit", (event) => {
    const form = event.target;
    if (form.getAttribute("action") === "/sign-out") { window.caches?.delete(CACHE); return; }
    if (!form.matches("form[data-entry]")) return;
    event.preventDefault();
    const by = event.submitter, caution = by && by.hasAttribute("data-read");
    const kind = caution ? "caution" : form.dataset.entry;
    const data = {};
    if (caution) data.caution = by.value;
    else for (const [name, value] of new FormData(form, by)) if (name !== "once" && name !== "back") data[name] = value;
    // What was counted in here can be counted out here, before the server has heard of it.
    if (kind === "count" && data.way === "in") form.parentElement.querySelectorAll("button[disabled]").forEach((b) => { b.disabled = false; });
    const row = caution && by.closest("[data-caution]");
    const words = row ? row.querySelector("b").textContent : form.dataset.text || by?.textContent.trim() || kind;
    take(jobOf(form), kind, data, words, form);
  });

  const take = async (job, kind, data, words, form) => {
    await opened;
    if (kind === "untick") {
      if (!busy && (await unsent())) { shown(); return; }
      // The last tick may be on its way: the page's own field does not name it yet.
      data.step = lastTicked()?.data.step ?? data.step;
    }
    if (kind === "tick" && (ticked().has(data.step) || entering.has(data.step) || (lost && !ready(form, data)))) return;
    if (kind === "tick") entering.add(data.step);
    try { await enter(job, kind, data, words, form); } finally { entering.delete(data.step); }
  };

  const lastTicked = () => {
    const mine = waitingHere().filter((e) => e.me === me);
    const undone = new Set(mine.filter((e) => e.kind === "untick").map((e) => String(e.data.step)));
    return mine.findLast((e) => e.kind === "tick" && !undone.has(String(e.data.step)));
  };
  // A tick that was not sent yet is undone here, without a trace of it anywhere else.
  const unsent = async () => {
    const last = waitingHere().findLast((e) => e.me === me);
    if (!last || last.kind !== "tick") return false;
    return queue.remove([last.id]);
  };

  const enter = async (job, kind, data, words, form) => {
    const entry = { id: crypto.randomUUID ? crypto.randomUUID() : `e-${Date.now()}-${Math.random().toString(16).slice(2)}`,
      job, me, who: line.dataset.name, kind, at: new Date(now()).toISOString(), data, words };
    if (!(await queue.add(entry))) { await straight(entry, form); return; }
    fault(form, "");
    fresh.set(entry.id, form);
    if (lost) shown();
    flush();
  };

  // A browser that can keep nothing sends at once; only what reached neither store nor server is told as not kept.
  const straight = async (entry, form) => {
    try {
      const answer = await send(entry.job, [entry]);
      const found = verdict(answer.status, answer.redirected);
      if (found === "sign-in") { signIn(); return; }
      if (found !== "taken") throw new Error(found);
      fault(form, "");
      fresh.set(entry.id, form);
      await settle([entry], await answer.json());
      lost = false;
      shown();
      refresh();
    } catch { fault(form, line.dataset.full); }
  };

  // What the server would refuse is said at once while it can not be asked.
  const checksOf = (form) => JSON.parse(form.dataset.checks);
  const ready = (form, data) => {
    const checks = checksOf(form), t = line.dataset;
    const unread = new Set([...form.querySelectorAll("[data-unread]")].map((row) => row.dataset.caution));
    const answers = Object.fromEntries(Object.entries(data).filter(([name]) => name.startsWith("record:")).map(([name, value]) => [name.slice(7), value]));
    const found = tickFault(checks, {
      left: new Map(left().map((f) => [Number(f.dataset.step), Number(f.dataset.position)])),
      read: new Set(checks.cautions.filter((c) => !unread.has(c))),
      running: new Set(waits().filter((w) => w.ends > now()).map((w) => w.name)),
    }, { answers, early_reason: data.early_reason || "" });
    const words = { caution: t.unread, wait: t.early, answer: t.answer, first: found && `${t.first} ${form_of(found.about[0])?.dataset.text}` };
    const why = found ? words[found.why] : "";
    fault(form, why);
    return !why;
  };

  const fault = (form, text) => {
    const place = form?.querySelector("[data-fault]");
    if (place) { place.textContent = text; place.hidden = !text; if (text) place.scrollIntoView({ block: "nearest" }); }
    else if (text) said(text);
  };

  const said = (text) => {
    const place = document.getElementById("notice"), box = document.createElement("div"), p = document.createElement("p");
    box.className = "note"; p.textContent = text; box.append(p); place.replaceChildren(box);
  };

  // ---- sending, in order and once

  const send = (job, batch) => fetch(`/jobs/${encodeURIComponent(job)}/entries`, {
    method: "POST", headers: { "content-type": "application/json" }, credentials: "same-origin", signal: AbortSignal.timeout(15000),
    body: JSON.stringify({ me, now: new Date(now()).toISOString(), entries: batch.map(({ id, kind, at, data }) => ({ id, kind, at, data })) }),
  });
  const signIn = () => window.location.assign("/sign-in?back=" + encodeURIComponent(location.pathname));

  const flush = async () => {
    await opened;
    if (busy || !batchOf(queue.entries, me, 1).length) { shown(); return; }
    busy = true;
    window.clearTimeout(retry);
    const waiting = window.setTimeout(() => { slow = true; state(); }, 400);
    let answered = false;
    try {
      answered = await alone("galene-sending", drain);
    } catch (fault_) {
      lost = true;
      retry = window.setTimeout(flush, fault_.pause ?? pause(tries));
      tries += 1;
    } finally { busy = false; slow = false; window.clearTimeout(waiting); }
    shown();
    if (answered) { tries = 0; refresh(); if (batchOf(queue.entries, me, 1).length) flush(); }
  };

  // Everything of this person, batch by batch; a batch that is refused as a whole is split until the bad one stands alone.
  const drain = async () => {
    let size = BATCH;
    for (;;) {
      await queue.read();
      const batch = batchOf(queue.entries, me, size);
      if (!batch.length) return true;
      const answer = await send(batch[0].job, batch), found = verdict(answer.status, answer.redirected);
      if (found === "sign-in") { signIn(); return false; }
      if (found === "later") throw Object.assign(new Error("later"), { pause: pause(tries, answer.headers.get("retry-after")) });
      lost = false;
      if (found === "other") { location.reload(); return false; } // somebody else has signed in: these wait for their own
      if (found === "split" && halved(batch.length)) { size = halved(batch.length); continue; }
      if (found === "taken") { await settle(batch, await answer.json()); size = BATCH; continue; }
      const text = `${answer.status}`;
      for (const entry of batch) { await queue.refuse(entry, text); fresh.delete(entry.id); }
      await queue.remove(batch.map((e) => e.id));
    }
  };

  const settle = async (batch, { results, now: at }) => {
    const by = new Map(results.map((r) => [r.id, r]));
    heard = Date.parse(at);
    for (const entry of batch) {
      const r = by.get(entry.id);
      if (!r) continue;
      const step = String(entry.data.step), taken = r.outcome === "done" || r.outcome === "before" || r.outcome === "same";
      if (taken && entry.kind === "tick") {
        const wait = waitOf(entry);
        if (wait) started.set(step, wait);
        keep(TAKEN, withTaken(kept(TAKEN), step, at));
        document.querySelectorAll("form[data-entry=untick] [name=step]").forEach((field) => { field.value = step; });
      }
      if (taken && entry.kind === "untick") {
        started.delete(step);
        keep(TAKEN, withoutTaken(kept(TAKEN), step));
      }
      if (r.outcome !== "refused" && r.outcome !== "same") continue;
      const text = [r.title, ...r.lines].filter(Boolean).join(": ");
      const form = fresh.get(entry.id);
      fresh.delete(entry.id);
      if (form && form.isConnected && !lost && r.outcome === "refused") fault(form, text);
      else if (queue.keeps) await queue.refuse(r.outcome === "same" ? { ...entry, kind: "" } : entry, text);
      else said(`${entry.words}: ${text}`);
    }
    await queue.remove([...by.keys()]);
    if (batch.some((e) => e.kind === "pick" && by.get(e.id)?.outcome === "done")) location.reload();
  };

  // ---- the card

  const forms = () => [...document.querySelectorAll("#steps > form")];
  const form_of = (id) => forms().find((f) => f.dataset.step === String(id));
  const left = () => { const gone = ticked(); return forms().filter((f) => !gone.has(f.dataset.step)); };
  // A page that comes from the server knows best which steps are left, but for ticks that are younger than it.
  const trust = (sent) => {
    const left_there = new Set([...sent.querySelectorAll("#steps > form")].map((f) => f.dataset.step));
    keep(TAKEN, afterPage(kept(TAKEN), left_there, sent.dataset.now));
  };

  const first = () => Number(card()?.dataset.first || 0);
  // A new step is told and has the focus on its heading, but where somebody types elsewhere or no step was in view yet.
  const heading = (at) => {
    const before = now_step;
    now_step = at.dataset.step;
    if (before === null || before === now_step) return;
    const has = document.activeElement, h = at.querySelector("h1");
    if (has && has !== document.body && !has.closest("#steps") && !has.closest(".card-tools,#upcoming")) return;
    h.tabIndex = -1;
    h.focus({ preventScroll: true });
  };

  const shown = () => {
    const c = card();
    state();
    if (!c) return;
    for (const entry of waitingHere()) if (entry.kind === "caution") read(entry.data.caution);
    const all = left(), at = all.find((f) => f.dataset.step === chosen) || all[0];
    for (const f of forms()) {
      f.hidden = f !== at;
      f.querySelector(".tick")?.toggleAttribute("data-key", false);
    }
    if (!at) return;
    at.querySelector(".tick")?.setAttribute("data-key", "t");
    const label = c.querySelector("[data-label]"), count = c.querySelector("[data-count]");
    if (label) label.textContent = at.dataset.label;
    if (count) count.textContent = count.textContent.replace(/\d+/, String(Number(at.dataset.position) - first() + 1));
    const gone = ticked();
    for (const mark of c.querySelectorAll("[data-mark]")) {
      const id = mark.dataset.mark, done = !form_of(id) || gone.has(id);
      mark.className = done ? "done" : id === at.dataset.step ? "now" : "";
    }
    upcoming(all, at);
    for (const f of document.querySelectorAll("[data-at-step]")) {
      const wanted = `/jobs/${c.dataset.number}/steps/${at.dataset.step}/${f.dataset.atStep}`;
      if (f.getAttribute("action") !== wanted) {
        f.setAttribute("action", wanted);
        const text = f.querySelector("#edit_text");
        if (text) text.value = at.dataset.text;
      }
    }
    hold();
    heading(at);
  };

  const read = (caution) => {
    for (const row of document.querySelectorAll(`#steps [data-caution="${CSS.escape(caution)}"][data-unread]`)) {
      row.removeAttribute("data-unread");
      row.querySelector("[data-read]")?.remove();
    }
  };

  const upcoming = (all, at) => {
    const place = document.getElementById("upcoming");
    if (!place) return;
    const row = (f, word) => {
      const div = document.createElement("button"), n = document.createElement("span"), b = document.createElement("b");
      div.type = "button"; div.className = "step-next"; div.dataset.show = f.dataset.step;
      n.className = "num"; n.textContent = String(Number(f.dataset.position) - first() + 1); b.textContent = (word ? word + ": " : "") + f.dataset.text;
      div.append(n, b);
      return div;
    };
    const i = all.indexOf(at), here = Number(at.dataset.position);
    const over = all.filter((f) => Number(f.dataset.position) < here);
    place.replaceChildren(...over.map((f) => row(f, place.dataset.skipped)), ...all.slice(i + 1, i + 3).map((f) => row(f, "")));
  };

  const go = (by) => {
    const all = left(), i = all.findIndex((f) => !f.hidden), next = all[Math.min(all.length - 1, Math.max(0, i + by))];
    if (next) { chosen = next.dataset.step; shown(); }
  };

  document.addEventListener("click", (event) => {
    const node = event.target.closest("[data-go],[data-show],[data-notify],[data-dismiss],[data-again]");
    if (!node) return;
    if (node.dataset.go) go(Number(node.dataset.go));
    if (node.dataset.show) { chosen = node.dataset.show; shown(); card().scrollIntoView({ block: "start" }); }
    if (node.hasAttribute("data-notify")) window.Notification?.requestPermission().then(() => { node.hidden = true; });
    if (node.dataset.dismiss) drop(node.dataset.dismiss);
    if (node.dataset.again) again(node.dataset.again);
  });

  let from = null;
  document.addEventListener("touchstart", (event) => {
    from = event.target.closest("#steps") ? { x: event.touches[0].clientX, y: event.touches[0].clientY } : null;
  }, { passive: true });
  document.addEventListener("touchend", (event) => {
    if (!from) return;
    const dx = event.changedTouches[0].clientX - from.x, dy = event.changedTouches[0].clientY - from.y;
    from = null;
    if (Math.abs(dx) > 70 && Math.abs(dy) < 45) go(dx < 0 ? 1 : -1);
  }, { passive: true });

  // ---- waits: the server's, and those that a step has started here meanwhile

  const waitOf = (entry) => {
    const begins = Date.parse(entry.at), f = entry.kind === "tick" && form_of(entry.data.step);
    const minutes = f ? Number(f.dataset.waitMinutes) : entry.kind === "wait" ? Number(String(entry.data.wait_minutes).replace(",", ".")) : 0;
    if (!(minutes > 0)) return null;
    const [name, reason] = f ? [f.dataset.wait, f.dataset.waitReason] : [entry.data.wait_name, entry.data.wait_reason];
    return { name, reason, begins, ends: begins + minutes * 60000 };
  };
  const waits = () => {
    const c = card();
    if (!c) return [];
    const found = JSON.parse(c.dataset.waits || "[]").map((w) => ({ ...w, begins: Date.parse(w.begins), ends: Date.parse(w.ends) }));
    const mine = [...waitingHere().map(waitOf), ...started.values()];
    for (const wait of mine) if (wait && !found.some((w) => w.name === wait.name)) found.push(wait);
    return found;
  };
  const holding = (form) => {
    const names = checksOf(form).waits_for;
    return waits().filter((w) => names.includes(w.name) && w.ends > now()).sort((a, b) => b.ends - a.ends)[0];
  };
  const pad = (n) => String(n).padStart(2, "0");
  const text_of = (ms) => {
    const s = Math.ceil(ms / 1000), h = Math.floor(s / 3600);
    return (h ? h + ":" : "") + pad(Math.floor((s % 3600) / 60)) + ":" + pad(s % 60);
  };
  const hold = () => {
    const form = left().find((f) => !f.hidden), box = form?.querySelector("[data-hold]");
    if (!box) return;
    const w = holding(form);
    box.hidden = !w;
    if (!w) return;
    box.querySelector("[data-hold-left]").textContent = text_of(w.ends - now());
    box.querySelector("[data-hold-name]").textContent = w.name;
    box.querySelector("[data-hold-reason]").textContent = w.reason;
    box.querySelector("[data-arc]").setAttribute("stroke-dashoffset", String(1 - Math.min(1, Math.max(0, (now() - w.begins) / (w.ends - w.begins)))));
  };

  let sound = null;
  const unlock = () => { if (!sound && window.AudioContext) sound = new AudioContext(); };
  document.addEventListener("pointerdown", unlock, { once: true });
  document.addEventListener("keydown", unlock, { once: true });
  const running = new Map();
  const ended = (w) => {
    if (sound) {
      for (const k of [0, 1, 2]) {
        const o = sound.createOscillator(), g = sound.createGain(), t = sound.currentTime + k * 0.35;
        o.frequency.value = 660; g.gain.setValueAtTime(0.25, t); g.gain.exponentialRampToValueAtTime(0.001, t + 0.28);
        o.connect(g).connect(sound.destination); o.start(t); o.stop(t + 0.3);
      }
    }
    if (window.Notification?.permission === "granted") new Notification(w.name, { body: card().dataset.over, tag: w.name });
    said(`${w.name}: ${card().dataset.over}`);
    refresh();
  };
  window.setInterval(() => {
    if (!card()) return;
    hold();
    const here = now();
    for (const w of waits()) if (w.ends > here) running.set(w.name, w);
    for (const [name, w] of running) if (w.ends <= here) { running.delete(name); ended(w); }
  }, 500);

  // ---- what is not on the server yet, and what it did not take

  const drop = async (id) => {
    if (queue.pictures.some((one) => one.id === id)) await queue.dropPicture(id);
    else await queue.dismiss(id);
    shown();
  };
  const again = async (id) => {
    const picture = queue.pictures.find((one) => one.id === id);
    if (picture) { await queue.keepPicture({ ...picture, refused: "" }); uploadPictures(); } else if (await queue.again(id)) flush();
    shown();
  };

  let saidBefore = "";
  const state = () => {
    const mine = queue.entries.filter((e) => e.me === me), others = queue.entries.length - mine.length, rows = [];
    const p = (words, css) => { const node = document.createElement("p"); node.textContent = words; if (css) node.className = css; return node; };
    const pictures = queue.pictures.filter((one) => one.me === me && !one.refused).length;
    if (lost) rows.push(p(line.dataset.lost, "danger"));
    else if (slow) rows.push(p(line.dataset.sending, "small"));
    if (lost && mine.length + pictures) {
      rows.push(p(`${mine.length + pictures} ${line.dataset.waiting}: ${mine.slice(-4).map((e) => e.words).join(" · ")}${mine.length > 4 ? " …" : ""}`, "small"));
    }
    if (others) rows.push(p(`${others} ${line.dataset.other}: ${[...new Set(queue.entries.filter((e) => e.me !== me).map((e) => e.who))].join(", ")}`, "small"));
    const aside = [...queue.refused, ...queue.pictures.filter((one) => one.refused).map((one) => ({ ...one, kind: "picture", words: one.name || "picture", text: one.refused }))];
    for (const r of aside.filter((one) => !one.me || one.me === me)) {
      const row = document.createElement("div");
      row.className = "conflict";
      row.append(p(`${line.dataset.conflict} (${r.job}): ${r.words}. ${r.text}`));
      const held = Object.entries(r.data || {}).filter(([name, value]) => name !== "step" && value !== "")
        .map(([name, value]) => `${name.replace(/^record:.*\//, "").replaceAll("_", " ")}: ${value}`);
      if (held.length) row.append(p(held.join(", "), "small"));
      for (const [name, words] of [...(r.kind ? [["again", line.dataset.again]] : []), ["dismiss", r.kind ? line.dataset.drop : line.dataset.seen]]) {
        const button = document.createElement("button");
        button.type = "button"; button.className = "btn btn-small"; button.dataset[name] = r.id; button.textContent = words;
        row.append(button);
      }
      rows.push(row);
    }
    // What says the same stays as it is: a button that is replaced under a finger takes no press.
    const said = rows.map((row) => row.outerHTML).join("");
    if (said !== saidBefore) line.replaceChildren(...rows);
    saidBefore = said;
    line.hidden = !rows.length;
    line.classList.toggle("lost", lost);
  };

  // ---- pictures: kept in the browser's own store until the server has them

  const post = (one) => {
    const body = new FormData();
    for (const name of ["part", "phase", "note"]) body.append(name, one[name] || "");
    body.append("once", one.id);
    body.append("me", String(one.me));
    body.append("file", one.file, one.name || "picture.jpg");
    return fetch(`/jobs/${encodeURIComponent(one.job)}/pictures`, {
      method: "POST", body, credentials: "same-origin", headers: { accept: "application/json" }, signal: AbortSignal.timeout(60000),
    });
  };
  // The answer is read before anything is let go: what the server did not take stays here until a person has decided.
  const told = async (answer) => ((await answer.json().catch(() => ({}))).lines || []).join(" ") || String(answer.status);
  let uploading = false;
  const uploadPictures = async () => {
    await opened;
    if (uploading) return;
    uploading = true;
    try {
      await alone("galene-pictures", async () => {
        for (;;) {
          await queue.read();
          const one = queue.pictures.find((each) => each.me === me && !each.refused);
          if (!one) return;
          const answer = await post(one), found = verdict(answer.status, answer.redirected);
          if (found === "sign-in" || found === "later" || found === "other") throw new Error(found);
          if (found === "taken") {
            await queue.dropPicture(one.id);
            document.querySelectorAll("[data-uploaded]").forEach((n) => { n.textContent = "✓"; });
          } else await queue.keepPicture({ ...one, refused: await told(answer) });
        }
      });
    } catch { window.setTimeout(uploadPictures, 3000); }
    uploading = false;
    state();
  };
  document.addEventListener("change", async (event) => {
    const field = event.target.closest("[data-take-picture]"), file = field?.files[0];
    if (!file) return;
    await opened;
    const id = crypto.randomUUID ? crypto.randomUUID() : `p-${Date.now()}-${Math.random().toString(16).slice(2)}`;
    const one = { id, job: numberHere(), me, who: line.dataset.name, part: field.dataset.takePicturePart, phase: field.dataset.takePicture, note: "", name: file.name, at: new Date(now()).toISOString(), file };
    const note = field.closest("form").querySelector("[data-uploaded]");
    if (note) note.textContent = "…";
    if (await queue.keepPicture(one)) { field.value = ""; uploadPictures(); return; }
    // It can not be kept here: it goes at once, or stands in the field with the word that it is not kept.
    try {
      const answer = await post(one);
      if (verdict(answer.status, answer.redirected) !== "taken") throw new Error(await told(answer));
      field.value = "";
      if (note) note.textContent = "✓";
    } catch (gone) { if (note) note.textContent = `${line.dataset.unkept} ${gone.message}`; }
  });

  // ---- news of others

  let asked = null, turns = 0, adopted = 0, heard = 0; // heard: the server's moment of its last answer to entries
  const refresh = () => {
    window.clearTimeout(asked);
    asked = window.setTimeout(async () => {
      if (!document.getElementById("strip")) return;
      const turn = ++turns;
      let text = null;
      try {
        const answer = await fetch(location.pathname + location.search, {
          credentials: "same-origin", signal: AbortSignal.timeout(8000), headers: { "x-galene-part": "card" },
        });
        if (!answer.ok || answer.redirected) return;
        text = await answer.text();
        lost = false;
      } catch { lost = true; retry = window.setTimeout(() => { flush(); refresh(); }, pause(tries)); }
      const page = text === null ? null : new DOMParser().parseFromString(text, "text/html");
      // Old is what comes behind a later page, and what was made before the last entries were taken: one follows it.
      const old = turn <= adopted || Date.parse(page?.getElementById("card")?.dataset.now) < heard;
      if (page && !old) { adopted = turn; adopt(page); }
      shown();
    }, 40);
  };

  const swap = (page, id) => {
    const old = document.getElementById(id), next = page.getElementById(id);
    if (!old || !next) return;
    const open = [...old.querySelectorAll("details")].map((d) => d.open), typing = document.activeElement;
    if (old.contains(typing) && /^(INPUT|SELECT|TEXTAREA)$/.test(typing.tagName) && typing.value) return;
    old.replaceWith(next);
    [...next.querySelectorAll("details")].forEach((d, i) => { d.open = open[i] || false; });
  };

  const adopt = (page) => {
    const next = page.getElementById("card"), c = card();
    // A page beside the card keeps what is typed in it: only strip and rail are taken over.
    if (!next || !c) { swap(page, "strip"); swap(page, "rail"); return; }
    const at = left().find((f) => !f.hidden);
    trust(next);
    started.clear();
    const steps = c.querySelector(":scope > #steps"), theirs = next.querySelector(":scope > #steps");
    if (steps && theirs) { mergeSteps(steps, theirs); mergeRound(c, next); } else c.replaceWith(next);
    // The worker keeps this state for a reload: when it comes back without the server, it is known as an old one.
    keep(CLOCK, { sent: card().dataset.now, offset: clock.offset });
    for (const id of ["strip", "rail", "may-start", "all-steps", "counts"]) swap(page, id);
    if (at && !form_of(at.dataset.step)) {
      const done = document.querySelector(`[data-done="${at.dataset.step}"]`);
      if (done && done.dataset.by && done.dataset.by !== line.dataset.name) said(`${done.dataset.by} ✓ ${at.dataset.text}`);
      chosen = null;
      document.querySelector("#steps > form:not([hidden]) h1")?.scrollIntoView({ block: "nearest" });
    }
  };

  if (card()) {
    const listen = () => {
      const source = new EventSource(`/jobs/${encodeURIComponent(numberHere())}/events`);
      let opened = false;
      source.addEventListener("changed", refresh);
      source.onopen = () => { if (opened || lost) { lost = false; flush(); refresh(); } opened = true; };
      // A stream that breaks off or never came is no news by itself: the server is asked, and its silence is said.
      source.onerror = () => {
        refresh();
        if (source.readyState === EventSource.CLOSED) { source.close(); window.setTimeout(listen, 2000); }
      };
      window.addEventListener("pagehide", () => source.close(), { once: true });
    };
    if (card().dataset.open === "1") listen();
    if ("serviceWorker" in navigator) navigator.serviceWorker.register("/sw.js").catch(() => {});
  }
  if (card() && clock.live) trust(card());
  // A page out of the browser's own store says so at once; the next answer of the server takes it back.
  if (card() && !clock.live) { lost = true; refresh(); }
  window.addEventListener("pageshow", (event) => { if (event.persisted) location.reload(); });
  window.addEventListener("online", () => flush());
  window.addEventListener("offline", () => { lost = true; shown(); });
  opened.then(() => { shown(); flush(); uploadPictures(); });
}
