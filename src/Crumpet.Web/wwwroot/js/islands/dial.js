// The dial between few seams and little stretch: what unwrapping would come to is said, and its seams drawn on the stage, while it turns.
import { bringTo, say } from "../viewers.js";

const patience = 120;
let asked = null, waiting = 0, drawn = false;

async function ask(form, said) {
  asked?.abort();
  asked = new AbortController();
  const { signal } = asked, fields = new URLSearchParams(new FormData(form));
  fields.delete("__RequestVerificationToken");
  fields.set("handler", "Seams");
  const slow = setTimeout(() => say(said, "Cutting …"), 400);
  try {
    const answer = await fetch(`${location.pathname}?${fields}`, { signal });
    const text = answer.ok ? await answer.json() : null;
    if (signal.aborted) return;
    say(said, text?.said ?? (answer.status === 400 ? await answer.text() : "There is nothing to unwrap yet; open it again once the files are read."));
    bringTo("edges", text?.ends ?? []);
    drawn = true;
  } catch (error) {
    if (error.name !== "AbortError") say(said, "The seams cannot be asked for; turn the dial again.");
  } finally {
    clearTimeout(slow);
  }
}

document.addEventListener("input", ({ target }) => {
  const dial = target.closest?.("[data-dial]"), form = target.form ?? dial?.closest("form");
  const own = form?.querySelector("[data-dial]"), field = own && form.elements[own.dataset.dial];
  if (!own || !(dial || target === field || target.name === "hardEdges")) return;
  const range = own.querySelector("input");
  if (dial) field.value = range.value;
  else if (target === field) range.value = field.value;
  const hints = target.dataset.hints && document.getElementById(target.dataset.hints);
  if (hints) say(hints, target.selectedOptions[0].dataset.hint);
  clearTimeout(waiting);
  waiting = setTimeout(() => ask(form, own.querySelector("output")), patience);
});

// New islands have seams of their own.
document.body.addEventListener("page-renewed", () => {
  if (drawn) bringTo("edges", []);
  drawn = false;
});
