// Taking over a newer card without touching what a person is at: focus, caret, half-typed text and a finger on a button
// stay where they are. The step in view is never moved in the page; the others are put round it.

/** Whether somebody is at something in it: typing, with text that is not sent yet, or with it opened. */
export const busyWith = (node) => node.contains(document.activeElement) && document.activeElement !== document.body
  || [...node.querySelectorAll("input,textarea,select")].some((f) => f.type !== "hidden" && changed(f))
  || [...(node.matches("details") ? [node] : []), ...node.querySelectorAll("details")].some((d) => d.open);

const changed = (field) => {
  if (field.type === "radio" || field.type === "checkbox") return field.checked !== field.defaultChecked;
  if (field.tagName === "SELECT") return [...field.options].some((o) => o.selected !== o.defaultSelected) && field.selectedIndex > 0;
  return field.value !== field.defaultValue;
};

/** Bring the forms of the steps up to date; the one in view, or with something in it, stays the node that it is. */
export const mergeSteps = (old, next) => {
  const now = [...old.children].find((f) => !f.hidden);
  const known = new Map([...old.children].map((f) => [f.dataset.step, f]));
  const wanted = [...next.children].map((f) => {
    const mine = known.get(f.dataset.step);
    if (!mine || mine.dataset.text !== f.dataset.text || (mine !== now && !busyWith(mine))) return f;
    const here = mine.querySelector("[data-cautions]"), there = f.querySelector("[data-cautions]");
    if (here && there && here.innerHTML !== there.innerHTML) {
      const had = here.contains(document.activeElement);
      here.replaceWith(there);
      // The button that was pressed is gone: what it stood for goes on from here.
      if (had) (there.querySelector("[data-read]") || mine.querySelector(".tick"))?.focus({ preventScroll: true });
    }
    for (const { name, value } of [...f.attributes]) if (name.startsWith("data-")) mine.setAttribute(name, value);
    return mine;
  });
  const stays = wanted.includes(now) ? now : null;
  for (const form of [...old.children]) if (!wanted.includes(form)) form.remove();
  if (!stays) { old.append(...wanted); return; }
  const at = wanted.indexOf(stays);
  stays.before(...wanted.slice(0, at));
  stays.after(...wanted.slice(at + 1));
};

/** Bring everything round the steps up to date, but what somebody is at. */
export const mergeRound = (old, next) => {
  const steps = old.querySelector(":scope > #steps"), theirs = next.querySelector(":scope > #steps");
  for (const { name, value } of [...next.attributes]) old.setAttribute(name, value);
  const before = [], behind = [];
  let passed = false;
  for (const child of [...next.children]) {
    if (child === theirs) { passed = true; continue; }
    (passed ? behind : before).push(child);
  }
  const kept = [...old.children].filter((c) => c !== steps && c.id && busyWith(c));
  for (const child of [...old.children]) if (child !== steps && !kept.includes(child) && !child.contains(document.activeElement)) child.remove();
  const fresh = (list) => list.filter((c) => !(c.id && old.querySelector(`:scope > [id="${CSS.escape(c.id)}"]`)) && !same(old, steps, c));
  steps.before(...fresh(before));
  for (const child of fresh(behind).reverse()) steps.after(child);
};

// A node that the focus stayed in is there already.
const same = (old, steps, child) => [...old.children].some((c) => c !== steps && c.className === child.className && c.contains(document.activeElement));
