// Small behaviours of the pages. No state lives here that the server does not hold.
(() => {
  "use strict";

  // Countdown of a wait: the server's clock decides, this page only counts on from it.
  document.addEventListener("alpine:init", () => {
    const clock = (seconds, over) => {
      if (seconds <= 0) return over;
      const whole = Math.ceil(seconds), pad = (n) => String(n).padStart(2, "0");
      const hours = Math.floor(whole / 3600);
      return (hours ? hours + ":" : "") + pad(Math.floor((whole % 3600) / 60)) + ":" + pad(whole % 60);
    };
    window.Alpine.data("countdown", () => ({
      left: "",
      init() {
        const data = this.$el.dataset;
        const offset = Date.parse(data.now) - Date.now();
        const ends = Date.parse(data.ends), begins = data.begins ? Date.parse(data.begins) : null;
        const arc = this.$el.querySelector("[data-arc]");
        const show = () => {
          const seconds = (ends - Date.now() - offset) / 1000;
          this.left = clock(seconds, data.over);
          if (arc && begins) {
            const share = Math.min(1, Math.max(0, 1 - seconds / ((ends - begins) / 1000)));
            arc.setAttribute("stroke-dashoffset", String(1 - share));
          }
          if (seconds > 0) return true;
          window.clearInterval(this.timer);
          return false;
        };
        // What was over when the page was made is shown as over: only a wait that ends here asks for what comes after it.
        if (!show()) return;
        this.timer = window.setInterval(() => {
          if (!show() && data.reload && window.htmx) window.htmx.trigger(this.$el, "waitover");
        }, 250);
      },
      destroy() { window.clearInterval(this.timer); },
    }));
  });

  // Keys: each main action has one, shown on its button; off while typing.
  // A radio or a box takes no letters, so a key works from there; a letter straight after typing is still meant as text.
  const PLAIN = ["radio", "checkbox", "button", "submit", "file", "range", "color"];
  const typing = (node) => node && (node.isContentEditable || /^(TEXTAREA|SELECT)$/.test(node.tagName) || (node.tagName === "INPUT" && !PLAIN.includes(node.type)));
  let typed = -Infinity;
  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (typing(event.target)) { typed = event.timeStamp; return; }
    if (document.documentElement.dataset.keys === "off" && event.key !== "?") return;
    if (event.repeat || (event.key.length === 1 && event.timeStamp - typed < 700)) return;
    if (event.key === "?") { openKeys(); event.preventDefault(); return; }
    const target = document.querySelector(`[data-key="${CSS.escape(event.key.toLowerCase())}"]:not([disabled])`);
    if (target && !document.querySelector("dialog[open]")) { event.preventDefault(); target.click(); }
  });
  const tellKeys = () => document.querySelectorAll("[data-key]").forEach((node) => {
    if (document.documentElement.dataset.keys === "off") node.removeAttribute("aria-keyshortcuts");
    else node.setAttribute("aria-keyshortcuts", node.dataset.key);
  });
  document.addEventListener("DOMContentLoaded", tellKeys);
  document.addEventListener("htmx:afterSettle", tellKeys);
  const openKeys = () => {
    const dialog = document.getElementById("keys"), list = document.getElementById("keys-list");
    if (!dialog) return;
    list.replaceChildren(...[...document.querySelectorAll("[data-key]")].map((node) => {
      const row = document.createElement("li"), key = document.createElement("kbd");
      key.textContent = node.dataset.key.toUpperCase();
      const label = node.textContent.replace(/\s+/g, " ").trim().replace(new RegExp(`\\s${node.dataset.key}$`, "i"), "");
      row.append(key, "  " + label);
      return row;
    }));
    dialog.showModal();
  };
  document.addEventListener("click", (event) => {
    const node = event.target.closest("[data-keys-open],[data-close-notice],[data-add-row],[data-print]");
    if (!node) return;
    if (node.matches("[data-keys-open]")) openKeys();
    if (node.matches("[data-close-notice]")) document.getElementById("notice").replaceChildren();
    if (node.matches("[data-print]")) window.print();
    if (node.matches("[data-add-row]")) {
      const body = node.closest("form").querySelector("tbody"), row = body.lastElementChild.cloneNode(true);
      row.querySelectorAll("input").forEach((field) => { field.value = ""; });
      body.append(row);
      row.querySelector("input,select").focus();
    }
  });

  // Plateaus of a trace: their edges are dragged on the drawing, the fields hold the seconds, the server judges them.
  document.addEventListener("pointerdown", (event) => {
    const grip = event.target.closest("[data-grip]"), field = grip && document.getElementById(grip.dataset.grip);
    if (!field) return;
    event.preventDefault();
    const svg = grip.ownerSVGElement, from = Number(svg.dataset.from), to = Number(svg.dataset.to), line = grip.previousElementSibling;
    const move = (at) => {
      const box = svg.getBoundingClientRect(), x = Math.min(548, Math.max(56, ((at.clientX - box.left) / box.width) * 660));
      for (const end of ["x1", "x2"]) line.setAttribute(end, String(x));
      field.value = (from + ((x - 56) / (548 - 56)) * (to - from)).toFixed(1);
    };
    const drop = () => {
      document.removeEventListener("pointermove", move);
      field.dispatchEvent(new Event("input", { bubbles: true }));
    };
    document.addEventListener("pointermove", move);
    document.addEventListener("pointerup", drop, { once: true });
  });

  // One sending per form: the token makes a second one harmless, this only saves the wait.
  document.addEventListener("submit", (event) => {
    const form = event.target;
    if (form.method !== "post" || form.hasAttribute("hx-post") || form.dataset.entry) return;
    if (form.dataset.sent) { event.preventDefault(); return; }
    form.dataset.sent = "1";
    window.setTimeout(() => delete form.dataset.sent, 4000);
  });
  window.addEventListener("pageshow", () => document.querySelectorAll("[data-sent]").forEach((f) => delete f.dataset.sent));

  // What was refused is read first; what is half typed is not left without a word.
  document.addEventListener("DOMContentLoaded", () => document.getElementById("refused")?.focus());
  let half = null;
  document.addEventListener("input", (event) => {
    const form = event.target.closest('form[method="post"]');
    if (form && event.isTrusted && event.target.matches('textarea, input:not([type]), input[type="text"]')) half = event.target;
  });
  document.addEventListener("submit", (event) => { if (half && event.target.contains(half)) half = null; });
  window.addEventListener("beforeunload", (event) => {
    if (half && half.isConnected && half.value.trim() && half.value !== half.defaultValue) event.preventDefault();
  });

  // A table of many buttons is one stop of the tab key; arrows move in it.
  const rove = (table) => {
    const cells = [...table.querySelectorAll("button")];
    cells.forEach((cell, k) => { cell.tabIndex = k ? -1 : 0; });
  };
  document.addEventListener("DOMContentLoaded", () => document.querySelectorAll("[data-roving]").forEach(rove));
  document.addEventListener("keydown", (event) => {
    const cell = event.target.closest?.("[data-roving] button"), row = cell?.closest("tr");
    if (!cell) return;
    const column = [...row.querySelectorAll("button")].indexOf(cell);
    const at = (line, k) => line?.querySelectorAll("button")[k];
    const next = {
      ArrowRight: () => at(row, column + 1), ArrowLeft: () => at(row, column - 1), Home: () => at(row, 0), End: () => [...row.querySelectorAll("button")].pop(),
      ArrowDown: () => at(row.nextElementSibling, column), ArrowUp: () => at(row.previousElementSibling, column),
    }[event.key]?.();
    if (!next) return;
    event.preventDefault();
    cell.tabIndex = -1;
    next.tabIndex = 0;
    next.focus();
  });

  // Number pad for gloved hands: in the bay the tablet's keyboard stays away.
  const bay = () => document.documentElement.classList.contains("bay");
  let pad, field;
  const makePad = () => {
    pad = document.createElement("div");
    pad.className = "keypad";
    pad.setAttribute("role", "group");
    pad.setAttribute("aria-label", "Number pad");
    pad.append(document.createElement("output"));
    for (const key of ["7", "8", "9", "⌫", "4", "5", "6", "−", "1", "2", "3", "Next", ".", "0", "00", "Done"]) {
      const button = document.createElement("button");
      button.type = "button"; button.textContent = key;
      if (key === "Next" || key === "Done") button.className = "go";
      // The field keeps the focus; a click is what finger, mouse, keyboard and reader all send.
      button.addEventListener("pointerdown", (event) => event.preventDefault());
      button.addEventListener("click", () => press(key));
      pad.append(button);
    }
    pad.hidden = true;
    document.body.append(pad);
  };
  const press = (key) => {
    if (!field) return;
    if (key === "Done") { const left = field; field = null; pad.hidden = true; left.blur(); return; }
    if (key === "Next") {
      const all = [...document.querySelectorAll("[data-pad]")], next = all[all.indexOf(field) + 1];
      if (next) next.focus(); else field.blur();
      return;
    }
    if (key === "⌫") field.value = field.value.slice(0, -1);
    else if (key === "−") field.value = field.value.startsWith("-") ? field.value.slice(1) : "-" + field.value;
    else field.value += key;
    pad.querySelector("output").textContent = label(field) + ": " + field.value;
    field.dispatchEvent(new Event("input", { bubbles: true }));
  };
  const label = (node) => node.getAttribute("aria-label") || (node.labels && node.labels[0] ? node.labels[0].textContent.trim() : "");
  document.addEventListener("focusin", (event) => {
    if (!bay() || !event.target.matches("[data-pad]")) return;
    if (!pad) makePad();
    field = event.target;
    field.setAttribute("inputmode", "none");
    pad.hidden = false;
    pad.querySelector("output").textContent = label(field) + (field.value ? ": " + field.value : "");
    window.requestAnimationFrame(() => field && field.scrollIntoView({ block: "center" }));
  });
  document.addEventListener("focusout", (event) => {
    if (pad && !pad.contains(event.relatedTarget) && (event.target === field || pad.contains(event.target)) && event.relatedTarget !== field) { pad.hidden = true; field = null; }
  });

  // A lost server is said, not swallowed.
  document.addEventListener("htmx:sendError", () => {
    const notice = document.getElementById("notice"), box = document.createElement("div"), title = document.createElement("h2"), line = document.createElement("p");
    if (!notice) return;
    box.className = "note";
    title.textContent = notice.dataset.lost || "The server can not be reached";
    line.textContent = "Your last tap was not saved. Try it again when the connection is back.";
    box.append(title, line);
    notice.replaceChildren(box);
  });
  document.addEventListener("htmx:beforeSwap", (event) => {
    if (event.detail.xhr.status < 400) document.getElementById("notice")?.replaceChildren();
  });
})();
