// A form that was older than what stands: what was entered beside what the newer version says, one choice a field.
// Without this script the page keeps what was entered and leads back; nothing is sent on its own.
(() => {
  "use strict";
  const box = document.querySelector("[data-beside]");
  if (!(box instanceof HTMLElement)) return;
  const CARRIED = new Set(["once", "seen"]);
  const words = box.dataset;

  const grouped = (pairs) => {
    const found = new Map();
    for (const [name, value] of pairs) {
      if (typeof value !== "string" || CARRIED.has(name)) continue;
      found.set(name, [...(found.get(name) ?? []), value]);
    }
    return found;
  };
  const mine = grouped(JSON.parse(words.beside));
  const path = words.path;

  // Of several forms that lead to one address, the one that shares most of what was sent.
  const likeness = (form) => {
    const theirs = grouped(new FormData(form));
    const fixed = [...form.querySelectorAll("input[type=hidden]")].filter((i) => !CARRIED.has(i.name));
    if (fixed.some((i) => mine.has(i.name) && !mine.get(i.name).includes(i.value))) return -1;
    return [...mine.keys()].filter((name) => theirs.has(name) || form.elements.namedItem(name)).length;
  };
  const newerForm = (page) => {
    const all = [...page.querySelectorAll("form[method=post]")].filter((f) => f.getAttribute("action") === path
      || (!f.hasAttribute("action") && words.page === path));
    const ranked = all.map((form) => ({ form, like: likeness(form) })).filter((r) => r.like > 0);
    ranked.sort((a, b) => b.like - a.like);
    return ranked[0]?.form;
  };

  const shown = (form, name, values) => {
    const texts = values.filter((v) => v !== "").map((value) => {
      const option = form.querySelector(`select[name="${CSS.escape(name)}"] option[value="${CSS.escape(value)}"]`);
      return option?.textContent.trim() || value;
    });
    return texts.join(", ") || words.nothing;
  };
  const labelOf = (form, name) => {
    const control = form.querySelector(`[name="${CSS.escape(name)}"]`);
    const group = control?.closest("fieldset")?.querySelector("legend");
    const label = control?.labels?.[0] ?? (control?.id ? form.querySelector(`label[for="${control.id}"]`) : null);
    const several = form.querySelectorAll(`[name="${CSS.escape(name)}"]`).length > 1;
    const said = (several ? group ?? label : label ?? group)?.textContent.replace(/\s+/g, " ").trim();
    return said || name.replace(/[_.:]+/g, " ");
  };

  const node = (tag, text = "") => Object.assign(document.createElement(tag), { textContent: text });
  const choice = (row, value, text, values) => {
    const box = node("div"), label = node("label"), radio = document.createElement("input");
    box.className = "choice";
    Object.assign(radio, { type: "radio", name: row, value, required: true });
    radio.dataset.values = JSON.stringify(values);
    label.append(radio, node("span", text));
    box.append(label);
    const cell = node("td");
    cell.append(box);
    return cell;
  };

  const show = (newer) => {
    const theirs = grouped(new FormData(newer));
    const body = box.querySelector("tbody"), form = box.querySelector("form");
    // A button's own value says where the page goes on to, not what was entered.
    const isEntry = (name) => newer.querySelector(`button[name="${CSS.escape(name)}"]`) === null;
    const names = [...new Set([...theirs.keys(), ...mine.keys()])].filter(isEntry);
    const same = (a, b) => JSON.stringify(a.filter(Boolean).sort()) === JSON.stringify(b.filter(Boolean).sort());
    const differ = names.filter((name) => !same(mine.get(name) ?? [], theirs.get(name) ?? []));
    for (const name of differ) {
      const row = document.createElement("tr"), head = node("th", labelOf(newer, name));
      head.scope = "row";
      const own = mine.get(name) ?? [], other = theirs.get(name) ?? [];
      row.dataset.name = name;
      row.append(head, choice(`choose ${name}`, "mine", shown(newer, name, own), own),
        choice(`choose ${name}`, "theirs", shown(newer, name, other), other));
      body.append(row);
    }
    const secret = newer.querySelector("input[type=password]");
    box.querySelector("[data-differ]").hidden = !differ.length || Boolean(secret);
    box.querySelector("[data-same]").hidden = differ.length > 0;
    if (!differ.length || secret) return;
    form.addEventListener("submit", () => {
      form.querySelectorAll("input[type=hidden]").forEach((i) => i.remove());
      const put = (name, value) => form.append(Object.assign(document.createElement("input"), { type: "hidden", name, value }));
      for (const name of CARRIED) {
        const carried = newer.querySelector(`input[name=${name}]`);
        if (carried) put(name, carried.value);
      }
      for (const name of names.filter((n) => !differ.includes(n))) mine.get(name)?.forEach((v) => put(name, v));
      form.querySelectorAll("tr[data-name]").forEach((row) => {
        const chosen = row.querySelector("input:checked");
        if (chosen) JSON.parse(chosen.dataset.values).forEach((v) => put(row.dataset.name, v));
        row.querySelectorAll("input").forEach((i) => { i.disabled = true; });
      });
    });
    document.querySelector("[data-kept]")?.setAttribute("hidden", "");
  };

  fetch(words.page, { credentials: "same-origin" })
    .then((answer) => (answer.ok ? answer.text() : ""))
    .then((text) => {
      const newer = newerForm(new DOMParser().parseFromString(text, "text/html"));
      if (newer) show(newer);
    })
    .catch(() => {});
})();
