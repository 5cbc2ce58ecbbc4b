// The field in the masthead: what it finds is walked through with the arrow keys.

const input = document.getElementById("find"), list = document.getElementById("found");

const show = (open) => {
  list.hidden = !open;
  input.setAttribute("aria-expanded", open);
};
const options = () => [...list.querySelectorAll("[role=option]")];

function choose(option) {
  for (const o of options()) o.setAttribute("aria-selected", o === option);
  if (option) {
    option.id ||= `found-${options().indexOf(option)}`;
    input.setAttribute("aria-activedescendant", option.id);
    option.scrollIntoView({ block: "nearest" });
  } else input.removeAttribute("aria-activedescendant");
}

document.body.addEventListener("htmx:afterSwap", ({ target }) => {
  if (target !== list) return;
  show(list.childElementCount > 0);
  choose(options()[0]);
});
input.addEventListener("focus", () => { if (list.childElementCount) show(true); });
input.addEventListener("keydown", (event) => {
  const all = options(), at = all.findIndex((o) => o.getAttribute("aria-selected") === "true");
  if (event.key === "ArrowDown") choose(all[(at + 1) % all.length]);
  else if (event.key === "ArrowUp") choose(all[(at - 1 + all.length) % all.length]);
  else if (event.key === "Enter" && all[at] && !list.hidden) location.assign(all[at].href);
  else if (event.key === "Escape") { show(false); input.blur(); }
  else return;
  event.preventDefault();
});
document.addEventListener("click", (event) => { if (!event.target.closest(".find")) show(false); });
