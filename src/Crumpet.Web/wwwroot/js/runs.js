// Shows runs as they go: in the masthead, where pages have them, and as a slip when one ends that the artist waits for.

import { Idiomorph } from "../lib/idiomorph/idiomorph.esm.js";
import { bringTo } from "./viewers.js";

const sign = document.getElementById("run-sign");
let signTimer = 0;

function showRun(run) {
  const running = run.state === "running" || run.state === "queued";
  const percent = Math.floor(run.fraction * 100);
  const left = run.secondsLeft ? `${Math.ceil(run.secondsLeft)} s left` : "";
  const station = run.station[0].toUpperCase() + run.station.slice(1);
  sign.querySelector(".run-dot").hidden = !running;
  sign.querySelector(".run-text").textContent = running
    ? `${station} · ${run.asset} · ${percent} %${left ? ` · ${left}` : ""}`
    : `${station} · ${run.asset} · ${run.state}`;
  sign.title = running ? sign.querySelector(".run-text").textContent : run.message;
  for (const box of document.querySelectorAll(`[data-run="${run.id}"]`)) {
    const doing = box.querySelector(".run-doing"), time = box.querySelector(".run-left"), bar = box.querySelector("progress");
    if (doing && running) doing.textContent = `${station}: ${run.doing}`;
    if (time) time.textContent = left;
    if (bar) bar.value = run.fraction;
  }
  clearTimeout(signTimer);
  if (!running) signTimer = setTimeout(() => { sign.querySelector(".run-text").textContent = "no run"; }, 8000);
}

// What this tab asked for is what its artist waits for.
const awaited = () => JSON.parse(sessionStorage.getItem("awaited") ?? "[]");
document.addEventListener("submit", ({ target }) => {
  const one = target.action.match(/\/assets\/(\d+)\/\w+\?handler=(?!Cancel)/)?.[1];
  const all = /handler=BuildAll/.test(target.action) ? [...document.querySelectorAll(".stops[data-asset]")].map((s) => s.dataset.asset) : [];
  sessionStorage.setItem("awaited", JSON.stringify([...new Set([...awaited(), ...all, ...(one ? [one] : [])])]));
});

// The end of a run is heard again on every page; it is not the end of one that was asked for since.
function isNews(run) {
  const heard = JSON.parse(sessionStorage.getItem("heard") ?? "{}");
  if (run.id <= (heard[run.assetId] ?? 0)) return false;
  sessionStorage.setItem("heard", JSON.stringify({ ...heard, [run.assetId]: run.id }));
  return true;
}

function tellEnd(run) {
  if (!isNews(run)) return;
  const waits = awaited();
  if (!waits.includes(String(run.assetId))) return;
  sessionStorage.setItem("awaited", JSON.stringify(waits.filter((a) => a !== String(run.assetId))));
  // The station's own page shows it.
  if (location.pathname === `/assets/${run.assetId}/${run.station}` && !document.hidden) return;
  const slip = document.createElement("div"), link = document.createElement("a"), close = document.createElement("button");
  slip.className = `toast-slip${run.state === "done" ? "" : " bad"}`;
  link.href = `/assets/${run.assetId}/${run.station}`;
  link.textContent = run.asset;
  close.type = "button";
  close.className = "plain";
  close.textContent = "×";
  close.setAttribute("aria-label", "Dismiss");
  close.addEventListener("click", () => slip.remove());
  slip.append(link, ` ${run.message}`, close);
  document.getElementById("toasts").append(slip);
  if (run.state === "done") setTimeout(() => slip.remove(), 12_000);
}

let refreshing = false, refreshAgain = false;

// What a hand is at, or left changed, is not taken away: a form keeps what was typed together with what it was typed on.
const notTyped = new Set(["hidden", "file", "submit", "button", "reset", "image"]);
const isChanged = (control) => {
  if (control.tagName === "SELECT") return [...control.options].some((o) => o.selected !== o.defaultSelected) && [...control.options]
    .some((o) => o.defaultSelected);
  if ((control.tagName !== "INPUT" && control.tagName !== "TEXTAREA") || notTyped.has(control.type)) return false;
  return control.type === "checkbox" || control.type === "radio" ? control.checked !== control.defaultChecked : control.value !== control.defaultValue;
};
const isHeld = (node) => node.nodeType === 1
  && (node.hasAttribute("hx-preserve") || (node.tagName === "FORM" && ([...node.elements].some(isChanged) || node.contains(document.activeElement)))
  || (node.matches("details.menu[open]")));
const keeps = {
  beforeNodeMorphed: (old) => !isHeld(old),
  beforeNodeRemoved: (old) => !isHeld(old),
  // What is folded out stays so, and what is marked stays marked.
  beforeAttributeUpdated: (name, element) => !(name === "open" && element.tagName === "DETAILS") && !(name === "class" && element.classList.contains("marked")),
};

// A press ends on what it began on: nothing moves from under the pointer between down and up.
let letGo = null, lettingGo = Promise.resolve();
document.addEventListener("pointerdown", () => {
  if (!letGo) lettingGo = new Promise((done) => { letGo = done; });
}, { capture: true });
// The click comes after the pointer is up, in the same task or the next.
const pointerIsUp = () => setTimeout(() => { letGo?.(); letGo = null; });
for (const type of ["pointerup", "pointercancel"]) document.addEventListener(type, pointerIsUp, { capture: true });
addEventListener("blur", pointerIsUp);

/**
 * Fetches the page again, brings every fragment that depends on results up to date and hands the viewers the same copy; news that come
 * meanwhile lead to one more round.
 */
async function refresh() {
  refreshAgain = true;
  if (refreshing) return;
  refreshing = true;
  try {
    while (refreshAgain) {
      refreshAgain = false;
      const answer = await fetch(location.href).catch(() => null);
      if (!answer?.ok) {
        // News that are not shown are asked for again, unless the page is gone.
        if (!answer || answer.status >= 500) setTimeout(refresh, 1000);
        continue;
      }
      const page = new DOMParser().parseFromString(await answer.text(), "text/html");
      await lettingGo;
      for (const fragment of document.querySelectorAll("[data-fresh]")) {
        const fresh = page.getElementById(fragment.id);
        if (!fresh) continue;
        Idiomorph.morph(fragment, fresh, { ignoreActiveValue: true, callbacks: keeps });
        window.htmx?.process(fragment);
      }
      bringTo("page-renewed", page);
    }
  } finally {
    refreshing = false;
  }
}

let shownStation = "", feed = null;

function take(run) {
  showRun(run);
  const at = `${run.id} ${run.station}`;
  const ended = run.state !== "running" && run.state !== "queued";
  if (ended) tellEnd(run);
  // A draft is looked at like a result.
  const draft = run.draft !== null && run.draft !== undefined;
  if (ended || draft || at !== shownStation || run.fraction === 1) {
    shownStation = at;
    refresh();
  }
}

/** What happens to assets that are not on this page: the masthead says it, the page stays as it is. */
function takeElsewhere(run) {
  showRun(run);
  if (run.state !== "running" && run.state !== "queued") tellEnd(run);
}

function listen() {
  const [, what, id] = location.pathname.match(/^\/(asset|kit)s\/(\d+)/) ?? [];
  feed = new EventSource(what ? `/runs/feed?${what}=${id}` : "/runs/feed");
  feed.addEventListener("run", (event) => take(JSON.parse(event.data)));
  feed.addEventListener("elsewhere", (event) => takeElsewhere(JSON.parse(event.data)));
  feed.addEventListener("last", (event) => tellEnd(JSON.parse(event.data)));
  // A run this page was sent with may have ended before the feed was open.
  feed.addEventListener("open", () => { if (document.querySelector("[data-run]")) refresh(); });
}

// Browsers keep few connections to one host: tabs that are not looked at let theirs go, and catch up when they are.
document.addEventListener("visibilitychange", () => {
  feed?.close();
  feed = null;
  if (document.hidden) return;
  listen();
  refresh();
});
addEventListener("pagehide", () => feed?.close());
if (!document.hidden) listen();
