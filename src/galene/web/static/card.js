// The job card: what is entered is kept in this browser until the server has it, sent in order and once, and what
// somebody else does to the job is seen within the second. Rules live on the server; here only what works without it.
(() => {
  "use strict";
  const QUEUE = "galene:queue", REFUSED = "galene:refused", CLOCK = "galene:clock", GONE = "galene:gone", CACHE = "galene-card";
  const card = () => document.getElementById("card");
  const line = document.getElementById("line");
  if (!line) return;
  const me = Number(line.dataset.me);

  const kept = (name) => { try { return JSON.parse(localStorage.getItem(name)) || []; } catch { return []; } };
  const keep = (name, list) => {
    try { localStorage.setItem(name, JSON.stringify(list)); return true; } catch { return false; }
  };

  // The server's clock: its offset is taken from a page that has just come, and kept for one that comes from the cache.
  const clock = (() => {
    const sent = card()?.dataset.now, old = kept(CLOCK);
    if (!sent) return { offset: old.offset || 0, live: true };
    if (old.sent === sent) return { ...old, live: false };
    const found = { sent, offset: Date.parse(sent) - Date.now() };
    keep(CLOCK, found);
    return { ...found, live: true };
  })();
  const now = () => Date.now() + clock.offset;

  let lost = false, busy = false, chosen = null, retry = null;
  const fresh = new Map(); // entries whose form is still on this page: what is missing is said there

  // ---- what is entered

  const jobOf = (form) => (/\/jobs\/([^/]+)\//.exec(new URL(form.action).pathname) || [])[1];
  const numberHere = () => card()?.dataset.number;
  const waitingHere = () => kept(QUEUE).filter((e) => e.job === numberHere());
  // Ticked here and not yet on the page: waiting to be sent, or taken by the server after a page from the cache was made.
  const ticked = () => new Set([...kept(GONE), ...waitingHere().filter((e) => e.kind === "tick").map((e) => String(e.data.step))]);

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
    if (kind === "untick" && !busy && unsent()) { shown(); return; }
    if (kind === "tick" && (ticked().has(data.step) || (lost && !ready(form, data)))) return;
    const row = caution && by.closest("[data-caution]");
    enter(jobOf(form), kind, data, row ? row.querySelector("b").textContent : form.dataset.text || by?.textContent.trim() || kind, form);
  });

  // A tick that was not sent yet is undone here, without a trace of it anywhere else.
  const unsent = () => {
    const queue = kept(QUEUE), last = queue.findLastIndex((e) => e.job === numberHere() && e.me === me);
    if (last < 0 || queue[last].kind !== "tick") return false;
    queue.splice(last, 1);
    return keep(QUEUE, queue);
  };

  const enter = (job, kind, data, words, form) => {
    const entry = { id: crypto.randomUUID ? crypto.randomUUID() : `e-${Date.now()}-${Math.random().toString(16).slice(2)}`,
      job, me, who: line.dataset.name, kind, at: new Date(now()).toISOString(), data, words };
    const queue = kept(QUEUE);
    queue.push(entry);
    if (!keep(QUEUE, queue)) { fault(form, line.dataset.full); return; }
    fault(form, "");
    fresh.set(entry.id, form);
    if (lost) shown();
    flush();
  };

  // What the server would refuse is said at once while it can not be asked.
  const ready = (form, data) => {
    const t = line.dataset, before = left().filter((f) => Number(f.dataset.position) < Number(form.dataset.position)
      && !(f.dataset.phase === "clean" && form.dataset.phase === "clean" && f.dataset.part !== form.dataset.part));
    const names = new Set([...form.querySelectorAll("input[type=radio]")].map((r) => r.name));
    let why = "";
    if (before.length) why = `${t.first} ${before[0].dataset.text}`;
    else if (form.querySelector("[data-unread]")) why = t.unread;
    else if ([...names].some((n) => !data[n] || (n.includes("grade") && Number(data[n]) >= 2 && !data[n + "_deposit"])) || [...form.querySelectorAll("[data-pad][name^=record]")].some((f) => !f.value.trim())) why = t.answer;
    else if (holding(form) && (data.early_reason || "").trim().length < 3) why = t.early;
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

  const flush = async () => {
    const mine = kept(QUEUE).filter((e) => e.me === me);
    if (busy || !mine.length) { shown(); return; }
    busy = true;
    window.clearTimeout(retry);
    let answered = false;
    try {
      const job = mine[0].job, batch = mine.filter((e) => e.job === job).slice(0, 50);
      const answer = await fetch(`/jobs/${encodeURIComponent(job)}/entries`, {
        method: "POST", headers: { "content-type": "application/json" }, credentials: "same-origin", signal: AbortSignal.timeout(15000),
        body: JSON.stringify({ me, entries: batch.map(({ id, kind, at, data }) => ({ id, kind, at, data })) }),
      });
      if (answer.status === 401 || answer.redirected) { window.location.assign("/sign-in?back=" + encodeURIComponent(location.pathname)); return; }
      if (answer.status >= 500) throw new Error("server");
      lost = false;
      if (answer.status === 409) { location.reload(); return; } // somebody else has signed in: these wait for their own
      if (!answer.ok) { settle(batch, batch.map((e) => ({ id: e.id, outcome: "refused", title: String(answer.status), lines: [] }))); }
      else settle(batch, (await answer.json()).results);
      answered = true;
    } catch {
      lost = true;
      retry = window.setTimeout(flush, 2000);
    } finally { busy = false; }
    shown();
    if (answered) { refresh(); if (kept(QUEUE).some((e) => e.me === me)) flush(); }
  };

  const settle = (batch, results) => {
    const by = new Map(results.map((r) => [r.id, r])), refused = kept(REFUSED);
    for (const entry of batch) {
      const r = by.get(entry.id);
      if (!r) continue;
      const step = String(entry.data.step), taken = r.outcome === "done" || r.outcome === "before" || r.outcome === "same";
      if (taken && entry.kind === "tick") {
        keep(GONE, [...kept(GONE).filter((id) => id !== step), step].slice(-300));
        document.querySelectorAll("form[data-entry=untick] [name=step]").forEach((field) => { field.value = step; });
      }
      if (taken && entry.kind === "pick") location.reload();
      if (taken && entry.kind === "untick") keep(GONE, kept(GONE).filter((id) => id !== step));
      if (r.outcome !== "refused" && r.outcome !== "same") continue;
      const text = [r.title, ...r.lines].filter(Boolean).join(": ");
      const form = fresh.get(entry.id);
      fresh.delete(entry.id);
      if (form && form.isConnected && !lost && r.outcome === "refused") fault(form, text);
      else refused.push({ id: entry.id, job: entry.job, words: entry.words, at: entry.at, text });
    }
    keep(REFUSED, refused);
    keep(QUEUE, kept(QUEUE).filter((e) => !by.has(e.id)));
  };

  // ---- the card

  const forms = () => [...document.querySelectorAll("#steps > form")];
  const form_of = (id) => forms().find((f) => f.dataset.step === String(id));
  const left = () => { const gone = ticked(); return forms().filter((f) => !gone.has(f.dataset.step)); };
  // A page that comes from the server knows best which steps are left.
  const trust = (page) => {
    const there = new Set([...page.querySelectorAll("#steps > form")].map((f) => f.dataset.step));
    keep(GONE, kept(GONE).filter((id) => !there.has(id)));
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
    if (count) count.textContent = count.textContent.replace(/\d+/, String(Number(at.dataset.position) + 1));
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
      n.className = "num"; n.textContent = String(Number(f.dataset.position) + 1); b.textContent = (word ? word + ": " : "") + f.dataset.text;
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
    const node = event.target.closest("[data-go],[data-show],[data-notify],[data-dismiss]");
    if (!node) return;
    if (node.dataset.go) go(Number(node.dataset.go));
    if (node.dataset.show) { chosen = node.dataset.show; shown(); card().scrollIntoView({ block: "start" }); }
    if (node.hasAttribute("data-notify")) window.Notification?.requestPermission().then(() => { node.hidden = true; });
    if (node.dataset.dismiss) { keep(REFUSED, kept(REFUSED).filter((r) => r.id !== node.dataset.dismiss)); state(); }
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

  const waits = () => {
    const c = card();
    if (!c) return [];
    let found = [];
    try { found = JSON.parse(c.dataset.waits || "[]").map((w) => ({ ...w, begins: Date.parse(w.begins), ends: Date.parse(w.ends) })); } catch { found = []; }
    for (const entry of waitingHere()) {
      const begins = Date.parse(entry.at), f = entry.kind === "tick" && form_of(entry.data.step);
      const minutes = f ? Number(f.dataset.waitMinutes) : entry.kind === "wait" ? Number(String(entry.data.wait_minutes).replace(",", ".")) : 0;
      if (minutes > 0) found.push({ name: f ? f.dataset.wait : entry.data.wait_name, reason: f ? f.dataset.waitReason : entry.data.wait_reason, begins, ends: begins + minutes * 60000 });
    }
    return found;
  };
  const holding = (form) => {
    const names = (form.dataset.after || "").split("|").filter(Boolean);
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

  const state = () => {
    const queue = kept(QUEUE), mine = queue.filter((e) => e.me === me), others = queue.length - mine.length, refused = kept(REFUSED), rows = [];
    const p = (words, css) => { const node = document.createElement("p"); node.textContent = words; if (css) node.className = css; return node; };
    const pictures = Number(line.dataset.pictures || 0);
    if (lost) rows.push(p(line.dataset.lost, "danger"));
    if (lost && mine.length + pictures) {
      rows.push(p(`${mine.length + pictures} ${line.dataset.waiting}: ${mine.slice(-4).map((e) => e.words).join(" · ")}${mine.length > 4 ? " …" : ""}`, "small"));
    }
    if (others) rows.push(p(`${others} ${line.dataset.other}: ${[...new Set(queue.filter((e) => e.me !== me).map((e) => e.who))].join(", ")}`, "small"));
    for (const r of refused) {
      const row = document.createElement("div"), button = document.createElement("button");
      row.className = "conflict";
      button.type = "button"; button.className = "btn btn-small"; button.dataset.dismiss = r.id; button.textContent = line.dataset.seen;
      row.append(p(`${line.dataset.conflict} (${r.job}): ${r.words}. ${r.text}`), button);
      rows.push(row);
    }
    line.replaceChildren(...rows);
    line.hidden = !rows.length;
    line.classList.toggle("lost", lost);
  };

  // ---- pictures: kept in the browser's own store until the server has them

  const store = () => new Promise((done, failed) => {
    const open = indexedDB.open("galene", 1);
    open.onupgradeneeded = () => open.result.createObjectStore("pictures", { keyPath: "id" });
    open.onsuccess = () => done(open.result);
    open.onerror = () => failed(open.error);
  });
  const inStore = async (mode, use) => {
    const db = await store();
    return new Promise((done, failed) => {
      const asked = use(db.transaction("pictures", mode).objectStore("pictures"));
      asked.onsuccess = () => { done(asked.result); db.close(); };
      asked.onerror = () => { failed(asked.error); db.close(); };
    });
  };
  let shooting = false;
  const develop = async () => {
    if (shooting || !window.indexedDB) return;
    shooting = true;
    try {
      for (;;) {
        const mine = (await inStore("readonly", (s) => s.getAll())).filter((p) => p.me === me);
        line.dataset.pictures = String(mine.length);
        if (!mine.length) break;
        const [one] = mine, body = new FormData();
        for (const name of ["part", "phase", "note"]) body.append(name, one[name] || "");
        body.append("once", one.id);
        body.append("file", one.file, one.name || "picture.jpg");
        const answer = await fetch(`/jobs/${encodeURIComponent(one.job)}/pictures`, {
          method: "POST", body, credentials: "same-origin", headers: { accept: "application/json" }, signal: AbortSignal.timeout(60000),
        });
        if (answer.status === 401 || answer.redirected || answer.status >= 500) throw new Error("server");
        await inStore("readwrite", (s) => s.delete(one.id));
        if (!answer.ok) {
          const lines = (await answer.json().catch(() => ({}))).lines || [];
          keep(REFUSED, [...kept(REFUSED), { id: one.id, job: one.job, words: one.name || "picture", at: one.at, text: lines.join(" ") }]);
        } else document.querySelectorAll("[data-shot]").forEach((n) => { n.textContent = "✓"; });
      }
    } catch { window.setTimeout(develop, 3000); }
    shooting = false;
    state();
  };
  document.addEventListener("change", async (event) => {
    const field = event.target.closest("[data-shoot]"), file = field?.files[0];
    if (!file) return;
    const id = crypto.randomUUID ? crypto.randomUUID() : `p-${Date.now()}-${Math.random().toString(16).slice(2)}`;
    await inStore("readwrite", (s) => s.put({ id, job: numberHere(), me, who: line.dataset.name, part: field.dataset.shootPart, phase: field.dataset.shoot, note: "", name: file.name, at: new Date(now()).toISOString(), file }));
    field.value = "";
    const note = field.closest("form").querySelector("[data-shot]");
    if (note) note.textContent = "…";
    develop();
  });

  // ---- news of others

  let asked = null;
  const refresh = () => {
    window.clearTimeout(asked);
    asked = window.setTimeout(async () => {
      if (!document.getElementById("strip")) return;
      try {
        const answer = await fetch(location.pathname + location.search, { credentials: "same-origin", signal: AbortSignal.timeout(8000), headers: { "x-galene-part": "card" } });
        if (!answer.ok || answer.redirected) return;
        adopt(new DOMParser().parseFromString(await answer.text(), "text/html"));
        lost = false;
      } catch { lost = true; retry = window.setTimeout(flush, 2000); }
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
    for (const f of next.querySelectorAll("#steps > form")) {
      const old = form_of(f.dataset.step);
      if (!old || old.dataset.text !== f.dataset.text) continue;
      // Typed fields stay; what the server knows better is taken over.
      old.querySelector("[data-cautions]").replaceWith(f.querySelector("[data-cautions]"));
      old.dataset.position = f.dataset.position;
      f.replaceWith(old);
    }
    trust(next);
    c.replaceWith(next);
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
      source.onerror = () => {
        if (source.readyState === EventSource.CLOSED) { source.close(); window.setTimeout(listen, 2000); }
      };
      window.addEventListener("pagehide", () => source.close(), { once: true });
    };
    if (card().dataset.open === "1") listen();
    if ("serviceWorker" in navigator) navigator.serviceWorker.register("/sw.js").catch(() => {});
  }
  if (card() && clock.live) trust(document);
  window.addEventListener("pageshow", (event) => { if (event.persisted) location.reload(); });
  window.addEventListener("online", () => flush());
  window.addEventListener("offline", () => { lost = true; shown(); });
  window.addEventListener("storage", (event) => { if (event.key === QUEUE || event.key === REFUSED) shown(); });
  shown();
  flush();
  develop();
})();
