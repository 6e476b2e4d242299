// The bore gauge: drag a point or move it by arrow keys; the table below holds the figures, the server judges them.
(() => {
  "use strict";
  const RADIUS = 100;
  const form = (node) => node.closest("[data-gauge]");
  const figures = (root, k) => [...root.querySelectorAll(`[data-thickness="${k}"]`)];
  const number = (text) => { const n = Number.parseFloat(String(text).replace(",", ".")); return Number.isFinite(n) ? n : 0; };
  const bore = (root, k) => number(root.querySelector(`[data-bore="${k}"]`)?.value) || 1;
  const spot = (thickness, clean, index, count) => {
    const r = Math.max(0, RADIUS * (1 - (2 * thickness) / clean)), angle = (2 * Math.PI * index) / count;
    return [r * Math.sin(angle), -r * Math.cos(angle)];
  };

  const draw = (root, k) => {
    const dial = root.querySelector(`[data-dial="${k}"]`), clean = bore(root, k);
    if (!dial) return;
    const all = figures(root, k).map((f) => Math.min(clean / 2, Math.max(0, number(f.value)))), count = all.length, fine = 6, points = [];
    for (let step = 0; step < count * fine; step += 1) {
      const low = Math.floor(step / fine), share = step / fine - low;
      points.push(spot(all[low] * (1 - share) + all[(low + 1) % count] * share, clean, step / fine, count).map((v) => v.toFixed(1)).join(","));
    }
    dial.querySelector("[data-open]").setAttribute("points", points.join(" "));
    dial.querySelectorAll("[data-handle]").forEach((handle) => {
      const i = Number(handle.dataset.handle), [x, y] = spot(all[i], clean, i, count);
      handle.setAttribute("cx", x.toFixed(1));
      handle.setAttribute("cy", y.toFixed(1));
      handle.setAttribute("aria-valuenow", all[i].toFixed(2));
      handle.setAttribute("aria-valuetext", `${all[i].toFixed(2)} at ${Math.round((12 * i) / count) || 12} o'clock`);
    });
  };

  let waiting = 0;
  const judge = (root) => {
    window.clearTimeout(waiting);
    waiting = window.setTimeout(() => {
      const values = {};
      for (const [name, value] of new FormData(root)) (values[name] ??= []).push(value);
      window.htmx.ajax("POST", root.querySelector("[data-live]").dataset.live, { target: "#verdict", swap: "outerHTML", values });
    }, 60);
  };
  const set = (root, k, i, value) => {
    const clean = bore(root, k), field = figures(root, k)[i];
    field.value = String(Math.round(Math.min(clean / 2 - clean / 200, Math.max(0, value)) * 100) / 100);
    draw(root, k);
    judge(root);
  };

  document.addEventListener("input", (event) => {
    const k = event.target.dataset.thickness ?? event.target.dataset.bore;
    if (k === undefined || !form(event.target)) return;
    draw(form(event.target), k);
    judge(form(event.target));
  });
  document.addEventListener("pointerdown", (event) => {
    const handle = event.target.closest("[data-handle]");
    if (!handle) return;
    event.preventDefault();
    handle.focus();
    handle.setPointerCapture(event.pointerId);
    const root = form(handle), dial = handle.closest("[data-dial]"), k = dial.dataset.dial, i = Number(handle.dataset.handle), svg = handle.ownerSVGElement;
    const count = figures(root, k).length, angle = (2 * Math.PI * i) / count;
    const move = (e) => {
      const at = new DOMPoint(e.clientX, e.clientY).matrixTransform(svg.getScreenCTM().inverse());
      const along = at.x * Math.sin(angle) - at.y * Math.cos(angle);
      set(root, k, i, (bore(root, k) / 2) * (1 - along / RADIUS));
    };
    const done = () => { handle.removeEventListener("pointermove", move); handle.removeEventListener("pointerup", done); handle.removeEventListener("pointercancel", done); };
    handle.addEventListener("pointermove", move);
    handle.addEventListener("pointerup", done);
    handle.addEventListener("pointercancel", done);
  });
  document.addEventListener("keydown", (event) => {
    const handle = event.target.closest?.("[data-handle]");
    if (!handle) return;
    const root = form(handle), k = handle.closest("[data-dial]").dataset.dial, i = Number(handle.dataset.handle);
    const step = bore(root, k) / (event.shiftKey ? 50 : 500), now = number(figures(root, k)[i].value);
    const to = { ArrowUp: now + step, ArrowRight: now + step, ArrowDown: now - step, ArrowLeft: now - step, Home: 0 }[event.key];
    if (to === undefined) return;
    event.preventDefault();
    set(root, k, i, to);
  });
})();
