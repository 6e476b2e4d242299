// The strips of a log: one plot a channel over a common time, the stretches marked on all of them and moved by dragging.
(() => {
  "use strict";
  // A column's units are those of the channel that it is said to be; the file's own unit is kept where it is one of them.
  document.addEventListener("change", (event) => {
    const chosen = event.target.closest("[data-channel]");
    if (!chosen) return;
    const units = chosen.selectedOptions[0].dataset.units?.split("|") ?? [""], field = document.querySelector(`[name="unit.${chosen.dataset.channel}"]`);
    field.replaceChildren(...units.map((unit) => {
      const [value, shown] = unit.split("=");
      return Object.assign(document.createElement("option"), { value, textContent: shown ?? value, selected: value === field.dataset.own });
    }));
  });

  const root = document.getElementById("strips");
  if (!root || !window.uPlot) return;
  const length = Number(root.dataset.length), hint = document.getElementById("strip-hint");
  // A canvas wants the colour itself, which hangs on day or night: an element is asked for it.
  const ink = (name) => { root.style.color = `var(${name})`; const found = getComputedStyle(root).color; root.style.color = ""; return found; };
  const plots = new Map();
  let view = [0, length], picked = null, asked = 0;

  const number = (field) => Number.parseFloat(field.value.replace(",", "."));
  const stretches = () => [...document.querySelectorAll("[data-stretch]")].map((row) => {
    const k = row.dataset.stretch;
    return { k, letter: row.dataset.letter, start: number(row.querySelector(`[name="start.${k}"]`)), end: number(row.querySelector(`[name="end.${k}"]`)) };
  });

  // Stretches: a wash with firm edges and a letter, the picked one in the warning colour.
  const marks = { hooks: { drawClear: (plot) => {
    const { ctx, bbox } = plot, ratio = window.devicePixelRatio || 1;
    ctx.save();
    ctx.beginPath(); ctx.rect(bbox.left, bbox.top, bbox.width, bbox.height); ctx.clip();
    const written = [], all = stretches().filter((s) => s.end > s.start);
    for (const s of all) {
      const a = plot.valToPos(s.start, "x", true), b = plot.valToPos(s.end, "x", true), own = s.k === picked;
      ctx.fillStyle = ink(own ? "--warm" : "--shoal"); ctx.fillRect(a, bbox.top, b - a, bbox.height);
      ctx.strokeStyle = ink(own ? "--ink" : "--deep"); ctx.lineWidth = (own ? 2 : 1) * ratio;
      for (const x of [a, b]) { ctx.beginPath(); ctx.moveTo(x, bbox.top); ctx.lineTo(x, bbox.top + bbox.height); ctx.stroke(); }
    }
    for (const s of all) {
      const a = plot.valToPos(s.start, "x", true), own = s.k === picked;
      ctx.fillStyle = ink(own ? "--ink" : "--deep"); ctx.font = `700 ${11 * ratio}px "Atkinson Next"`;
      let at = Math.max(a, bbox.left) + 4 * ratio;
      while (written.some((x) => Math.abs(x - at) < 18 * ratio)) at += 19 * ratio;
      written.push(at);
      ctx.fillText(s.letter, at, bbox.top + 12 * ratio);
    }
    ctx.restore();
  } } };

  const options = (box, last) => ({
    width: box.clientWidth - title(box), height: last ? 104 : 78, padding: [2, 14, 2, 0], legend: { show: false }, plugins: [marks],
    cursor: { sync: { key: "log" }, points: { show: false }, drag: { x: true, y: false, setScale: false } },
    // Room at the top for the letters.
    scales: { x: { time: false, auto: false, range: () => view }, y: { range: (_, low, high) => { const span = high - low || Math.abs(high) || 1; return [low - span * 0.08, high + span * 0.32]; } } },
    axes: [
      { show: last, stroke: ink("--faded"), font: '12px "Atkinson Next"', grid: { stroke: ink("--hair"), width: 1 }, ticks: { stroke: ink("--rule") }, size: 26, values: (_, all) => all.map((v) => v + " s") },
      { stroke: ink("--faded"), font: '12px "Atkinson Next"', grid: { stroke: ink("--hair"), width: 1 }, ticks: { show: false }, size: 52, space: 22 },
    ],
    series: [{}, { stroke: ink("--ink"), width: 1.4, points: { show: false }, spanGaps: false }],
    hooks: { setSelect: [(plot) => {
      if (plot.select.width < 4) return;
      const from = plot.posToVal(plot.select.left, "x"), to = plot.posToVal(plot.select.left + plot.select.width, "x");
      plot.setSelect({ left: 0, width: 0, top: 0, height: 0 }, false);
      if (picked === null) look(Math.max(0, from), Math.min(length, to));
      else {
        for (const [name, value] of [["start", Math.max(0, from)], ["end", Math.min(length, to)]]) {
          const field = document.querySelector(`[name="${name}.${picked}"]`);
          field.value = value.toFixed(1);
          field.dispatchEvent(new Event("input", { bubbles: true }));
        }
      }
    }] },
  });

  // Beside the plot on a wide screen, above it on a narrow one.
  const title = (box) => (getComputedStyle(box).display === "flex" ? box.querySelector(".strip-title").offsetWidth : 0);
  const shown = () => [...root.querySelectorAll("[data-strip]:not([hidden])")];
  const fill = async (box, turn) => {
    const answer = await fetch(`${root.dataset.from}${encodeURIComponent(box.dataset.strip)}?start=${view[0]}&end=${view[1]}`);
    if (!answer.ok || turn !== asked) return;
    const { time, values } = await answer.json();
    if (turn !== asked) return;
    plots.get(box)?.destroy();
    box.replaceChildren();
    const label = document.createElement("p");
    label.className = "strip-title";
    label.append(Object.assign(document.createElement("b"), { textContent: box.dataset.label }), ` ${box.dataset.unit}`);
    box.append(label);
    plots.set(box, new window.uPlot(options(box, box === shown().at(-1)), [time, values], box));
    box.dataset.ready = "1";
  };
  const look = (from, to) => { view = [from, to]; draw(); };
  const draw = () => { asked += 1; const turn = asked; for (const box of shown()) fill(box, turn); };
  const redraw = () => plots.forEach((plot, box) => { if (!box.hidden) plot.redraw(false); });

  const pick = (k) => {
    picked = picked === k ? null : k;
    document.querySelectorAll("[data-pick]").forEach((b) => b.setAttribute("aria-pressed", String(b.dataset.pick === picked)));
    hint.textContent = picked === null ? hint.dataset.zoom : hint.dataset.move;
    if (picked !== null) root.scrollIntoView({ block: "center" });
    redraw();
  };
  document.addEventListener("click", (event) => {
    const tap = event.target.closest("[data-strip-tap]"), chosen = event.target.closest("[data-pick]");
    if (tap) {
      const box = root.querySelector(`[data-strip="${CSS.escape(tap.dataset.stripTap)}"]`), on = box.hidden;
      box.hidden = !on;
      tap.setAttribute("aria-pressed", String(on));
      tap.dataset.state = on ? "present" : "unknown";
      draw();
    }
    if (chosen) pick(chosen.dataset.pick);
    if (event.target.closest("[data-log-whole]")) look(0, length);
  });
  document.addEventListener("input", (event) => {
    if (!event.target.closest("[data-stretch]")) return;
    document.getElementById("keep-stretches")?.classList.add("btn-main");
    redraw();
  });
  let width = root.clientWidth;
  new ResizeObserver(() => { if (root.clientWidth !== width) { width = root.clientWidth; plots.forEach((plot, box) => { if (!box.hidden) plot.setSize({ width: box.clientWidth - title(box), height: plot.height }); }); } }).observe(root);
  document.fonts.ready.then(draw);
})();
