// The board of Pack: channels are joined by drag or by their lists; what is typed is seen before it is kept.
import { drawHistogram } from "./map/histogram.js";

const shelf = document.getElementById("shelf");
const WAIT = 40; // ms of rest before what is typed is worked

// Joining by list: one choice, one change.
document.addEventListener("change", ({ target }) => {
  if (target.matches("[data-join]") && target.value) target.form.requestSubmit();
});

// Joining by drag: a strip onto a channel, onto an output for a channel more, or beside all for an output of its own.
function join(output, number, feed) {
  const form = shelf.querySelector(".join");
  if (!form) return;
  const copy = form.cloneNode(true);
  copy.querySelector("[name=was]").value = output;
  copy.querySelector("[name=channel]").value = number;
  copy.querySelector("[name=feed]").replaceChildren(new Option(feed, feed, true, true));
  copy.hidden = true;
  document.body.append(copy);
  copy.requestSubmit();
}
const targetOf = (node) => node.closest?.("[data-slot], .output, [data-new-output]");
let dragged = null;
document.addEventListener("dragstart", (event) => {
  dragged = event.target.closest?.("[data-strip]")?.dataset.strip ?? null;
  if (dragged) event.dataTransfer.setData("text/plain", dragged);
});
document.addEventListener("dragover", (event) => {
  const over = dragged && targetOf(event.target);
  mark(over);
  if (over) event.preventDefault();
});
document.addEventListener("drop", (event) => {
  const over = dragged && targetOf(event.target);
  if (!over) return;
  event.preventDefault();
  const feed = dragged;
  dragged = null;
  mark(null);
  if (over.matches("[data-slot]")) join(over.dataset.output, over.dataset.number, feed);
  else if (over.matches(".output")) join(over.getAttribute("aria-label"), over.querySelectorAll("[data-slot]").length, feed);
  else join("", 0, feed);
});
document.addEventListener("dragend", () => { dragged = null; mark(null); });
function mark(over) {
  for (const node of document.querySelectorAll(".takes-drop")) if (node !== over) node.classList.remove("takes-drop");
  over?.classList.add("takes-drop");
}

// What is joined with what is drawn where the pointer or the focus is.
const joins = shelf.querySelector(".joins");
function showJoins(node) {
  joins.replaceChildren();
  for (const lit of shelf.querySelectorAll(".lit")) lit.classList.remove("lit");
  const strip = node?.closest?.("[data-strip]"), slot = node?.closest?.("[data-slot]");
  const value = strip?.dataset.strip ?? slot?.dataset.takes;
  if (!value) return;
  const from = shelf.querySelector(`[data-strip="${CSS.escape(value)}"]`);
  const slots = strip ? [...shelf.querySelectorAll(`[data-takes="${CSS.escape(value)}"]`)] : [slot];
  const at = shelf.getBoundingClientRect();
  const place = (rect, side) => [rect[side] - at.left, (rect.top + rect.bottom) / 2 - at.top];
  joins.setAttribute("width", shelf.clientWidth);
  joins.setAttribute("height", shelf.clientHeight);
  for (const to of from ? slots : []) {
    const [x0, y0] = place(from.getBoundingClientRect(), "right"), [x1, y1] = place(to.getBoundingClientRect(), "left"), middle = (x0 + x1) / 2;
    const path = document.createElementNS("http://www.w3.org/2000/svg", "path");
    path.setAttribute("d", `M${x0} ${y0}H${middle}V${y1}H${x1}`);
    joins.append(path);
    from.classList.add("lit");
    to.classList.add("lit");
  }
}
for (const type of ["pointerover", "focusin"]) shelf.addEventListener(type, (event) => showJoins(event.target));
shelf.addEventListener("pointerleave", () => showJoins(null));
shelf.addEventListener("scroll", () => showJoins(null), { capture: true, passive: true });

// What is typed is worked small, and shown with the channel as its map holds it behind it.
const number = (v) => Number(v.toPrecision(3));
const channelOf = (target) => target.closest("[data-channel-number]")?.dataset.channelNumber ?? "";
let timer = 0, round = 0;

function typed(form, channel) {
  const body = new FormData(form);
  body.set("channel", channel);
  const query = new URLSearchParams({ handler: "Live", ...(shelf.dataset.sheet ? { sheet: shelf.dataset.sheet } : {}) });
  return fetch(`${location.pathname}?${query}`, { method: "POST", body }).catch(() => null);
}

// Once an output is opened its maps are made small, so that the first change is as quick as the next.
shelf.addEventListener("toggle", ({ target }) => {
  const form = target.open && target.matches(".output > details") && target.querySelector("[data-live]");
  if (form) typed(form, "");
}, { capture: true });

const choicesOf = (live) => (key, label, address) => ({ group: "As typed", key, label, address, isNormal: live.isNormal && key === "live", mips: 1,
  sheet: live.sheet, kind: live.label });

// What has no picture of its own, such as what a material says, is worked to be looked at.
shelf.addEventListener("click", async ({ target }) => {
  const strip = target.closest("[data-strip]"), map = document.querySelector("[data-map-viewer]")?.map;
  if (!strip || strip.dataset.showMap || !map) return;
  const value = strip.dataset.strip, query = new URLSearchParams({ handler: "Look", feed: value.slice(value.indexOf(" ") + 1), sheet: shelf.dataset.sheet });
  const answer = await fetch(`${location.pathname}?${query}`).catch(() => null), live = answer?.ok ? await answer.json() : null;
  if (live?.address) await map.showLive([choicesOf(live)("live", live.label, live.address)], Number(strip.dataset.showChannel));
});

async function showTyped(form, channel) {
  const own = ++round, asked = performance.now(), answer = await typed(form, channel);
  if (!answer?.ok || own !== round) return;
  const live = await answer.json(), said = form.querySelector(".live-said");
  said.hidden = false;
  if (live.problem) {
    said.textContent = live.problem;
    return;
  }
  said.textContent = live.channels.map((c) => `${c.letter} ${number(c.least)} to ${number(c.most)}`
    + `${c.mean === null ? "" : `, mean ${number(c.mean)}`}${c.clipped > 0 ? `, ${number(100 * c.clipped)} % cut` : ""}`).join("\n");
  const map = document.querySelector("[data-map-viewer]")?.map;
  if (!map) return;
  const choice = choicesOf(live), whole = choice("live", `${live.label}, as typed`, live.address);
  const letter = channel === "" ? "" : live.channels[channel]?.letter ?? "";
  await map.showLive(live.before ? [choice("live-alone", `${letter} of ${live.label}, as typed`, live.alone),
    choice("live-before", `${letter} of ${live.label}, as its map holds it`, live.before), whole] : [whole]);
  form.dataset.seenIn = Math.round(performance.now() - asked);
}
for (const type of ["input", "focusin"])
  shelf.addEventListener(type, ({ target }) => {
    const form = target.closest("[data-live]");
    if (!form || !target.matches("input, select") || (type === "focusin" && channelOf(target) === "")) return;
    clearTimeout(timer);
    timer = setTimeout(() => showTyped(form, channelOf(target)), WAIT);
  });

// The map that is looked at, and the one behind it, by how often each value occurs.
document.addEventListener("map-opened", ({ detail: [first, second] }) => {
  const spread = document.getElementById("spread");
  if (spread) drawHistogram(spread.querySelector("canvas"), spread.querySelector("p"), first, second);
});
