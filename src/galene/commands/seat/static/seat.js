// The seat's dash: what the one in the car sees, twice a second; a press needs no new page.
const show = async (section) => {
  const answer = await fetch(`/${section.dataset.plate}/state`);
  if (!answer.ok) return;
  const told = await answer.json();
  for (const place of section.querySelectorAll("[data-state]")) {
    const value = told[place.dataset.state];
    place.textContent = place.dataset.state === "voltage_v" ? value.toFixed(1) : Math.round(value);
  }
  const words = told.drives ? "drives" : told.runs ? "runs" : told.key ? "ignition on" : "off";
  section.querySelector("[data-words]").textContent = words;
  for (const load of section.querySelectorAll("[data-load]")) load.setAttribute("aria-pressed", String(told.loads.includes(load.dataset.load)));
};
for (const section of document.querySelectorAll("[data-plate]")) {
  setInterval(() => show(section).catch(() => {}), 500);
  section.addEventListener("submit", (event) => {
    event.preventDefault();
    fetch(event.target.action, { method: "POST", body: new URLSearchParams(new FormData(event.target)) }).then(() => show(section));
  });
}
