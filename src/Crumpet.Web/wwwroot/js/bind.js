// The bench of Bind: textures are put into inputs by their lists, or dragged onto them.
import "./at-once.js";

const bench = document.getElementById("bindings");


let dragged = null;
const inputUnder = (node) => {
  const row = dragged && node.closest?.("[data-input]");
  return row?.dataset.material === dragged?.dataset.sheet && row?.querySelector(".put") ? row : null;
};
const mark = (row) => {
  for (const other of bench.querySelectorAll(".takes-drop")) if (other !== row) other.classList.remove("takes-drop");
  row?.classList.add("takes-drop");
};
bench.addEventListener("dragstart", (event) => {
  dragged = event.target.closest?.("[data-texture]") ?? null;
  if (dragged) event.dataTransfer.setData("text/plain", dragged.dataset.texture);
});
bench.addEventListener("dragover", (event) => {
  const row = inputUnder(event.target);
  mark(row);
  if (row) event.preventDefault();
});
bench.addEventListener("drop", (event) => {
  const row = inputUnder(event.target);
  if (!row) return;
  event.preventDefault();
  const list = row.querySelector("select[name=how]");
  list.value = `use ${dragged.dataset.texture}`;
  list.form.requestSubmit();
});
bench.addEventListener("dragend", () => { dragged = null; mark(null); });
