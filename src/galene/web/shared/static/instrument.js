// The air path at the top of a page: the lens that was last looked through, a part's panel, the thin strip while the
// page moves. Without it the drawing, its lenses and the links of its parts work all the same.
(() => {
  "use strict";
  const kept = (name, fallback) => { try { return window.localStorage.getItem(name) || fallback; } catch { return fallback; } };
  const keep = (name, value) => { try { window.localStorage.setItem(name, value); } catch { /* a private window keeps nothing */ } };
  const root = () => document.querySelector("[data-instrument]");
  const NARROW = window.matchMedia("(max-width: 63.99rem)");

  const flow = (on) => document.documentElement.classList.toggle("flowing", on);

  // ---- the thin strip: the row of the drawing once more, by reference
  let strip;
  const thin = (instrument, shown) => {
    if (strip) strip.hidden = !shown;
    if (!shown || strip) return;
    const svg = instrument.querySelector("svg.air"), all = svg && svg.querySelector("[id$='-all']");
    if (!all) return;
    const width = Number(svg.getAttribute("viewBox").split(" ")[2]), row = Number(svg.dataset.row);
    strip = document.createElement("div");
    strip.className = "thin-strip no-print";
    strip.style.top = (document.getElementById("strip")?.offsetHeight || 0) + "px";
    const copy = document.createElementNS("http://www.w3.org/2000/svg", "svg");
    copy.setAttribute("viewBox", `0 ${row - 30} ${width} 60`);
    copy.setAttribute("class", "drawing air");
    copy.setAttribute("aria-hidden", "true");
    const use = document.createElementNS("http://www.w3.org/2000/svg", "use");
    use.setAttribute("href", "#" + all.id);
    copy.append(use);
    const button = document.createElement("button");
    button.type = "button";
    button.setAttribute("aria-label", instrument.getAttribute("aria-label"));
    button.addEventListener("click", () => instrument.scrollIntoView({ block: "center" }));
    strip.append(copy, button);
    document.body.append(strip);
  };

  // ---- a part's panel
  const panelOf = (instrument) => instrument.querySelector("[data-part-panel]");
  const mark = (part) => {
    document.querySelectorAll("[data-part][aria-current]").forEach((node) => node.removeAttribute("aria-current"));
    document.querySelectorAll(".follows").forEach((node) => node.classList.remove("follows"));
    if (!part) return;
    document.querySelectorAll(`[data-part="${CSS.escape(part)}"]`).forEach((node) => node.setAttribute("aria-current", "true"));
    document.querySelectorAll(`[data-of-part~="${CSS.escape(part)}"]`).forEach((node) => node.classList.add("follows"));
  };
  const close = () => {
    const instrument = root(), panel = instrument && panelOf(instrument);
    if (!panel || panel.hidden) return false;
    panel.hidden = true;
    instrument.querySelector("a[aria-current]")?.focus();
    mark("");
    return true;
  };
  document.addEventListener("click", (event) => {
    if (event.target.closest("[data-close-panel]")) { close(); return; }
    const link = event.target.closest("[data-instrument] a[data-part]");
    if (!link || event.ctrlKey || event.metaKey || event.shiftKey) return;
    const instrument = link.closest("[data-instrument]"), part = link.dataset.part, panel = panelOf(instrument);
    mark(part);
    if (!instrument.dataset.panel || !window.htmx) return;
    event.preventDefault();
    window.htmx.ajax("GET", instrument.dataset.panel + encodeURIComponent(part), { target: panel, swap: "innerHTML" }).then(() => {
      const view = instrument.getBoundingClientRect(), spot = link.getBoundingClientRect();
      panel.classList.toggle("left", spot.left + spot.width / 2 > view.left + view.width / 2);
      panel.hidden = false;
      panel.querySelector("a, button")?.focus({ preventScroll: true });
    });
  });
  document.addEventListener("keydown", (event) => { if (event.key === "Escape" && close()) event.preventDefault(); });

  // ---- at the start, and when a page's part with the drawing is put anew
  let watch;
  const begin = () => {
    const instrument = root();
    if (!instrument || instrument.dataset.begun) return;
    instrument.dataset.begun = "1";
    const wish = instrument.querySelector(`[data-lens][value="${CSS.escape(kept("galene.lens." + window.location.pathname.split("/").pop(), ""))}"]`);
    if (wish) wish.checked = true;
    const on = kept("galene.flow", "1") === "1";
    instrument.querySelector("[data-flow]").checked = on;
    flow(on);
    const view = instrument.querySelector(".instrument-view"), first = view.querySelector(`.part[data-part="${CSS.escape(instrument.dataset.first || "")}"]`);
    if (first && view.scrollWidth > view.clientWidth) {
      const box = first.getBoundingClientRect();
      view.scrollLeft += box.left + box.width / 2 - view.getBoundingClientRect().left - view.clientWidth / 2;
    }
    if (watch) watch.disconnect();
    strip?.remove();
    strip = undefined;
    if (NARROW.matches) return;
    watch = new IntersectionObserver(([entry]) => thin(instrument, !entry.isIntersecting && entry.boundingClientRect.top < 0));
    watch.observe(view);
  };
  document.addEventListener("change", (event) => {
    if (event.target.matches("[data-lens]")) keep("galene.lens." + window.location.pathname.split("/").pop(), event.target.value);
    if (event.target.matches("[data-flow]")) { keep("galene.flow", event.target.checked ? "1" : "0"); flow(event.target.checked); }
  });
  // The card's section follows the step that is shown, also without the server.
  const follow = () => {
    const view = document.querySelector("[data-crop-view]"), step = document.querySelector("#steps [data-step]:not([hidden])");
    if (!view || !step) return;
    view.hidden = !step.dataset.crop;
    if (step.dataset.crop) view.querySelector("svg").setAttribute("viewBox", step.dataset.crop);
    document.querySelectorAll(".air .part.now").forEach((node) => node.classList.remove("now"));
    if (step.dataset.stepPart) document.querySelectorAll(`.air .part[data-part="${CSS.escape(step.dataset.stepPart)}"]`).forEach((node) => node.classList.add("now"));
  };
  const steps = new MutationObserver(follow);
  const followSteps = () => {
    const list = document.getElementById("steps");
    if (!list) return;
    steps.disconnect();
    steps.observe(list, { subtree: true, childList: true, attributes: true, attributeFilter: ["hidden"] });
    // What stands round the steps is put anew when a newer card comes.
    steps.observe(list.parentElement, { childList: true });
    follow();
  };
  // A link into something closed opens it.
  const open = () => {
    const target = window.location.hash && document.getElementById(decodeURIComponent(window.location.hash.slice(1)));
    for (let node = target; node; node = node.parentElement) if (node.tagName === "DETAILS") node.open = true;
    if (target) target.scrollIntoView();
  };
  window.addEventListener("hashchange", open);
  document.addEventListener("DOMContentLoaded", open);
  // What a person opened stays open on the next page of its kind.
  document.addEventListener("toggle", (event) => {
    const name = event.target.dataset?.remember;
    if (name) keep("galene.open." + name, event.target.open ? "1" : "0");
  }, true);
  const reopen = () => document.querySelectorAll("details[data-remember]").forEach((node) => {
    if (node.dataset.begun) return;
    node.dataset.begun = "1";
    const was = kept("galene.open." + node.dataset.remember, "");
    if (was) node.open = was === "1";
  });
  // On paper everything is opened; afterwards it is as it was.
  let closed = [];
  window.addEventListener("beforeprint", () => {
    closed = [...document.querySelectorAll("main details:not([open])")];
    closed.forEach((node) => { node.open = true; });
  });
  window.addEventListener("afterprint", () => closed.forEach((node) => { node.open = false; }));
  document.addEventListener("DOMContentLoaded", () => { begin(); reopen(); followSteps(); });
  document.addEventListener("htmx:afterSettle", () => { begin(); reopen(); followSteps(); });
})();
