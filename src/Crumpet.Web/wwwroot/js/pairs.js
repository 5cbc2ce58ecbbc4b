// The ledger of pairs: the picked part's card, names and stops that are dragged, and the brushes.
import { bringTo } from "./viewers.js";

const $ = (selector) => document.querySelector(selector);

/** Sends one of the page's hidden forms with values filled in. */
function send(form, values) {
  for (const [name, value] of Object.entries(values)) form.elements[name].value = value;
  form.requestSubmit();
}

// The card of the part that was pressed, in the ledger or on the stage.
async function showCard(part) {
  const card = $("#card");
  if (!card || !part || card.dataset.part === part) return;
  card.dataset.part = part;
  const address = new URL(location.href);
  address.searchParams.set("part", part);
  await window.htmx.ajax("GET", address.toString(), { target: "#card", select: "#card", swap: "outerHTML" });
  if ($("#card")) $("#card").dataset.part = part;
  // A run that ends fetches the page by its address.
  history.replaceState(null, "", address);
}
document.addEventListener("click", ({ target }) => {
  const row = target.closest(".ledger [data-part]");
  if (row) showCard(row.dataset.part);
});
document.body.addEventListener("picked", ({ detail }) => showCard(detail));
document.addEventListener("keydown", ({ key, target }) => { if (key === "Enter" && target.matches?.(".ledger [data-part]")) showCard(target.dataset.part); });

// A name dragged onto another takes its part's name.
let dragged = null;
document.addEventListener("dragstart", (event) => {
  const name = event.target.closest?.("[data-object]");
  if (!name) return;
  dragged = name.dataset.object;
  event.dataTransfer.setData("text/plain", name.textContent.trim());
  event.dataTransfer.effectAllowed = "link";
});
document.addEventListener("dragend", () => {
  dragged = null;
  document.querySelectorAll(".ledger .aimed").forEach((e) => e.classList.remove("aimed"));
});
document.addEventListener("dragover", (event) => {
  const onto = dragged && event.target.closest?.("[data-onto]");
  document.querySelectorAll(".ledger .aimed").forEach((e) => e !== onto && e.classList.remove("aimed"));
  if (!onto || onto.dataset.onto === dragged) return;
  event.preventDefault();
  onto.classList.add("aimed");
});
document.addEventListener("drop", (event) => {
  const onto = dragged && event.target.closest?.("[data-onto]");
  if (!onto || onto.dataset.onto === dragged) return;
  event.preventDefault();
  send($("#join"), { dragged, onto: onto.dataset.onto.split(" ")[0] });
});

// A stop dragged to another tray's line stays there.
document.addEventListener("pointerdown", (event) => {
  const stop = event.target.closest(".part-stop");
  if (!stop || event.button !== 0) return;
  const svg = stop.closest("svg"), matrix = svg.getScreenCTM().inverse(), home = stop.getAttribute("transform"), start = [event.clientX, event.clientY];
  let moved = false;
  const trackAt = (e) => {
    stop.classList.add("lifted");
    // Contacts and stops lie over the ground of a track.
    const track = document.elementsFromPoint(e.clientX, e.clientY).map((found) => found.closest(".track")).find(Boolean);
    svg.querySelectorAll(".track").forEach((t) => t.classList.toggle("aimed", t === track));
    return track;
  };
  const move = (e) => {
    if (!moved && Math.hypot(e.clientX - start[0], e.clientY - start[1]) < 5) return;
    moved = true;
    const at = new DOMPoint(e.clientX, e.clientY).matrixTransform(matrix);
    stop.setAttribute("transform", `translate(${at.x} ${at.y})`);
    trackAt(e);
  };
  const end = (e) => {
    removeEventListener("pointermove", move);
    const track = moved && e.type === "pointerup" ? trackAt(e) : null;
    stop.classList.remove("lifted");
    svg.querySelectorAll(".track").forEach((t) => t.classList.remove("aimed"));
    if (track && track.dataset.tray !== stop.dataset.tray) send($("#to-tray"), { part: stop.dataset.part, tray: track.dataset.tray });
    else stop.setAttribute("transform", home);
    // A drag is no press.
    if (moved) addEventListener("click", (c) => c.stopPropagation(), { capture: true, once: true });
  };
  addEventListener("pointermove", move);
  addEventListener("pointerup", end, { once: true });
  addEventListener("pointercancel", end, { once: true });
});

// The brushes tell the stage what a drag means; the stage tells where it went.
document.addEventListener("click", ({ target }) => {
  const button = target.closest("[data-brush-kind]");
  if (!button) return;
  for (const b of button.parentElement.children) b.setAttribute("aria-pressed", b === button);
  bringTo("brush", button.dataset.brushKind || null);
});
document.body.addEventListener("stroke", ({ detail: { part, points, lower } }) => {
  const brush = $("#brush"), kind = brush.querySelector('[aria-pressed="true"]').dataset.brushKind, amount = Number(brush.querySelector("[name=amount]").value);
  send($("#stroke"), { kind, part, points: points.map((p) => p.toFixed(6)).join(" "), radius: brush.querySelector("[name=radius]").value, amount: lower
    ? -amount : amount });
});
