// What every page does: shows runs as they go, answers keys, takes dropped files.

const sign = document.getElementById("run-sign");
let signTimer = 0;

function showRun(run) {
  const running = run.state === "running" || run.state === "queued";
  const percent = Math.floor(run.fraction * 100);
  const left = run.secondsLeft ? ` · ${Math.ceil(run.secondsLeft)} s left` : "";
  const station = run.station[0].toUpperCase() + run.station.slice(1);
  sign.querySelector(".run-dot").hidden = !running;
  sign.querySelector(".run-text").textContent = running ? `${station} · ${run.asset} · ${percent} %${left}` : run.message || "no run";
  sign.title = sign.querySelector(".run-text").textContent;
  for (const box of document.querySelectorAll(`[data-run="${run.id}"]`)) {
    const doing = box.querySelector(".run-doing");
    if (doing && running) doing.textContent = `${station}: ${run.doing}`;
    const bar = box.querySelector("progress");
    if (bar) bar.value = run.fraction;
  }
  clearTimeout(signTimer);
  if (!running) signTimer = setTimeout(() => { sign.querySelector(".run-text").textContent = "no run"; }, 8000);
}

let refreshing = false, refreshAgain = false;

/** Fetches the page again and swaps every fragment that depends on results; news that come meanwhile lead to one more round. */
async function refresh(ended) {
  refreshAgain = true;
  if (!refreshing) {
    refreshing = true;
    try {
      while (refreshAgain) {
        refreshAgain = false;
        const page = await (await fetch(location.href)).text();
        for (const fragment of document.querySelectorAll("[data-fresh]"))
          htmx.swap(fragment, page, { swapStyle: "outerHTML", swapDelay: 0, settleDelay: 0 }, { select: `#${fragment.id}` });
      }
    } finally {
      refreshing = false;
    }
  }
  if (ended) document.body.dispatchEvent(new CustomEvent("run-ended"));
}

let shownStation = "";
const feed = new EventSource("/runs/feed");
feed.addEventListener("run", (event) => {
  const run = JSON.parse(event.data);
  showRun(run);
  const at = `${run.id} ${run.station}`;
  const ended = run.state !== "running" && run.state !== "queued";
  if (ended || at !== shownStation || run.fraction === 1) {
    shownStation = at;
    refresh(ended);
  }
});
// A run this page was sent with may have ended before the feed was open.
feed.addEventListener("open", () => { if (document.querySelector("[data-run]")) refresh(true); });
addEventListener("pagehide", () => feed.close());

addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || event.target.closest("input, select, textarea")) return;
  const stop = document.querySelector(`.line [data-key="${CSS.escape(event.key)}"]`);
  if (stop) stop.click();
});

function upload(form, files) {
  const data = new FormData(form);
  data.delete("files");
  for (const file of files) data.append("files", file);
  const bar = form.querySelector("progress");
  const request = new XMLHttpRequest();
  request.open("POST", form.action);
  request.upload.addEventListener("progress", (event) => {
    bar.hidden = false;
    if (event.lengthComputable) bar.value = event.loaded / event.total;
  });
  request.addEventListener("load", () => {
    if (request.responseURL && request.status < 400) location.assign(request.responseURL);
    else form.querySelector("label").textContent = `The files were not taken (${request.status}); try again with fewer at once.`;
  });
  request.addEventListener("error", () => { form.querySelector("label").textContent = "Crumpet cannot be reached; start it and drop the files again."; });
  request.send(data);
}

document.addEventListener("dragover", (event) => {
  const form = event.target.closest?.("[data-drop]") ?? document.querySelector("[data-drop]");
  if (!form || !event.dataTransfer?.types.includes("Files")) return;
  event.preventDefault();
  form.classList.add("over");
});
document.addEventListener("dragleave", () => document.querySelectorAll(".drop.over").forEach((d) => d.classList.remove("over")));
document.addEventListener("drop", (event) => {
  const form = event.target.closest?.("[data-drop]") ?? document.querySelector("[data-drop]");
  if (!form || !event.dataTransfer?.files.length) return;
  event.preventDefault();
  form.classList.remove("over");
  upload(form, event.dataTransfer.files);
});
document.addEventListener("change", (event) => {
  const form = event.target.closest?.("[data-drop]");
  if (form && event.target.files?.length) upload(form, event.target.files);
});

// A press on a finding or a ledger row takes the viewers to its place.
function flyTo(place) {
  for (const row of document.querySelectorAll(".ledger tr[data-place]")) row.classList.toggle("marked", row.dataset.place === place);
  document.body.dispatchEvent(new CustomEvent("fly-to", { detail: place }));
}
document.addEventListener("click", (event) => {
  const target = event.target.closest("[data-place]");
  if (target) flyTo(target.dataset.place);
});
document.addEventListener("keydown", (event) => {
  if (event.key === "Enter" && event.target.matches("tr[data-place]")) flyTo(event.target.dataset.place);
});
