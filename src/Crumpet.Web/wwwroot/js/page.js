// What every page does.
import "./runs.js";
import "./keys.js";
import "./find.js";
import "./upload.js";
import "./by-hand.js";
import { bringTo } from "./viewers.js";

// A press on a finding or a ledger row takes the viewers to its place.
function goTo(place, { side, spot, gap, pair, ray, onSheet } = {}) {
  markRows(place);
  const numbers = (text) => (text ? text.split(" ").map(Number) : null);
  const [x, y, width, height, ...sheet] = onSheet?.split(" ") ?? [];
  bringTo("fly-to", { place, side, pair, spot: numbers(spot), gap: numbers(gap), ray: numbers(ray), region: onSheet
    ? { x: +x, y: +y, width: +width, height: +height, sheet: sheet.join(" ") } : null });
}
function markRows(place) {
  for (const row of document.querySelectorAll(".ledger tr[data-place]")) row.classList.toggle("marked", row.dataset.place === place);
}
document.addEventListener("click", (event) => {
  const target = event.target.closest("[data-place]");
  // A tick in a row is for the form beside it.
  if (target && !event.target.closest("input, label, select, form")) goTo(target.dataset.place, target.dataset);
});
document.addEventListener("keydown", (event) => {
  if (event.key === "Enter" && event.target.matches("tr[data-place], g[data-place]")) goTo(event.target.dataset.place, event.target.dataset);
});
// A texture is looked at where the textures are.
document.addEventListener("click", ({ target }) => {
  if (target.closest(".finding")?.dataset.showMap && !document.querySelector("[data-map-viewer]"))
    location.assign(location.pathname.replace(/\/\w+$/, "/intake?show=textures"));
});
// A part picked on the stage is shown in the ledger.
document.body.addEventListener("picked", ({ detail: part }) => {
  markRows("");
  const row = part && document.querySelector(`.ledger tr[data-part="${CSS.escape(part)}"], .ledger tr[data-place="${CSS.escape(part)}"]`);
  row?.classList.add("marked");
  row?.scrollIntoView({ block: "nearest" });
});
// An address can name the place to go to.
document.addEventListener("viewer-ready", () => {
  const place = new URLSearchParams(location.search).get("place");
  if (place) goTo(place);
}, { once: true });

// Light, dark, or as the system has it.
document.getElementById("theme").addEventListener("click", ({ currentTarget }) => {
  const order = ["auto", "light", "dark"], { dataset } = document.documentElement;
  dataset.theme = order[(order.indexOf(dataset.theme) + 1) % order.length];
  document.cookie = `theme=${dataset.theme}; path=/; max-age=31536000; samesite=strict`;
  currentTarget.setAttribute("aria-label", `Colours: ${dataset.theme}`);
});

// One drawer at a time, closed by a press elsewhere or Escape.
const drawers = () => document.querySelectorAll("details.drawer[open]");
document.addEventListener("click", (event) => { for (const d of drawers()) if (!d.contains(event.target)) d.open = false; });
document.addEventListener("keydown", (event) => {
  if (event.key !== "Escape") return;
  for (const d of drawers()) {
    d.open = false;
    d.querySelector("summary").focus();
  }
});
