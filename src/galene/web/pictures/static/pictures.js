// Pictures: a slider between before and after, and marks over a picture that are kept as data.
(() => {
  "use strict";
  for (const box of document.querySelectorAll("[data-slider]")) {
    const range = box.querySelector("input"), over = box.querySelector(".over");
    const show = () => { over.style.clipPath = `inset(0 0 0 ${range.value}%)`; };
    range.addEventListener("input", show);
    show();
  }
  const canvas = document.getElementById("canvas"), form = document.getElementById("marks-form");
  if (!canvas || !form) return;
  const svg = canvas.querySelector("svg.marks"), words = document.getElementById("words"), NS = svg.namespaceURI;
  const height = svg.viewBox.baseVal.height;
  let marks = JSON.parse(canvas.dataset.marks), from = null;
  const node = (name, attributes) => {
    const made = document.createElementNS(NS, name);
    for (const [k, v] of Object.entries(attributes)) made.setAttribute(k, String(v));
    return made;
  };
  const draw = () => {
    [...svg.children].filter((c) => c.tagName !== "defs").forEach((c) => c.remove());
    const head = svg.querySelector("marker").id;
    for (const m of marks) {
      if (m.kind === "arrow") {
        const ends = { x1: m.x1 * 1000, y1: m.y1 * height, x2: m.x2 * 1000, y2: m.y2 * height };
        svg.append(node("line", { class: "mark-under", ...ends }), node("line", { class: "mark-line", "marker-end": `url(#${head})`, ...ends }));
      } else {
        const text = node("text", { class: "mark-words", x: m.x * 1000, y: m.y * height });
        text.textContent = m.text;
        svg.append(text);
      }
    }
    form.querySelector("[name=marks]").value = JSON.stringify(marks);
  };
  const place = (event) => {
    const box = svg.getBoundingClientRect(), share = (v) => Math.min(1, Math.max(0, v));
    return { x: share((event.clientX - box.left) / box.width), y: share((event.clientY - box.top) / box.height) };
  };
  svg.addEventListener("pointerdown", (event) => {
    event.preventDefault();
    svg.setPointerCapture(event.pointerId);
    from = place(event);
    if (words.value.trim()) return;
    marks.push({ kind: "arrow", x1: from.x, y1: from.y, x2: from.x, y2: from.y });
  });
  svg.addEventListener("pointermove", (event) => {
    if (!from || words.value.trim()) return;
    const to = place(event);
    Object.assign(marks[marks.length - 1], { x2: to.x, y2: to.y });
    draw();
  });
  svg.addEventListener("pointerup", () => {
    if (!from) return;
    if (words.value.trim()) { marks.push({ kind: "words", ...from, text: words.value.trim() }); words.value = ""; }
    else {
      const m = marks[marks.length - 1];
      if (Math.hypot(m.x2 - m.x1, m.y2 - m.y1) < 0.02) marks.pop();
    }
    from = null;
    draw();
  });
  form.querySelector("[data-mark-undo]").addEventListener("click", () => { marks = marks.slice(0, -1); draw(); });
})();
