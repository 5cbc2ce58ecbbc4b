// The form for mends by hand shows only what the chosen mend asks for.

function show(form) {
  const { value } = form.elements.what;
  for (const row of form.querySelectorAll("[data-for]")) row.hidden = !row.dataset.for.split(" ").includes(value);
}
const forms = () => document.querySelectorAll("form[data-by-hand]");

document.addEventListener("change", ({ target }) => { if (target.form?.matches("[data-by-hand]")) show(target.form); });
document.addEventListener("htmx:afterSettle", () => forms().forEach(show));
forms().forEach(show);

// The tick in a table's head ticks all rows.
document.addEventListener("change", ({ target }) => {
  if (!target.matches("[data-tick-all]")) return;
  for (const box of target.closest("table").querySelectorAll("tbody input[type=checkbox]")) box.checked = target.checked;
});
