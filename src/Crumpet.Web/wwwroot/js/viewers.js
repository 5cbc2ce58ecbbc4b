// What the viewers of a page share: which of them keys go to, places to fly to, and points marked in both.

let active = null;

/** The viewer the pointer or the focus was in last answers Space. */
export function activate(root, viewer) {
  active ??= viewer;
  for (const type of ["pointerenter", "focusin"]) root.addEventListener(type, () => { active = viewer; });
}

/** Tells the other viewers: "fly-to" a place by name, a "point" with its UV, a "picked" part, a "page-renewed" by results. */
export function bringTo(what, detail) { document.body.dispatchEvent(new CustomEvent(what, { detail })); }

export function answerTo(what, answer) { document.body.addEventListener(what, (event) => answer(event.detail)); }

// Results may come before there is a viewer to hear of them.
let newest = null;
document.body.addEventListener("page-renewed", ({ detail: page }) => { newest = page; });

/** Starts the viewers of a page once the page itself has been painted: compiling shaders must not hold it up. */
export function start(selector, make) {
  requestAnimationFrame(() => setTimeout(() => {
    for (const root of document.querySelectorAll(selector)) {
      try {
        const viewer = make(root);
        if (newest) viewer.refresh(newest);
      } catch (error) {
        root.querySelector(".readout").textContent = `The viewer cannot start: ${error.message}. Open the page in a browser with WebGL2.`;
      }
    }
  }));
}

/** Changes a readout only when its words change. */
export function say(element, text) { if (element.textContent !== text) element.textContent = text; }

/** Comma and full stop move a seam, for those who cannot drag it. @returns whether the key was one of them */
export function moveSeam(viewer, key) {
  if (viewer.compare !== "wipe" || (key !== "," && key !== ".")) return false;
  viewer.seam = Math.min(1, Math.max(0, viewer.seam + (key === "," ? -0.05 : 0.05)));
  viewer.draw();
  return true;
}

const typing = (target) => target.closest?.("input, select, textarea, button, a, summary, [role=menu]");

for (const type of ["keydown", "keyup"])
  addEventListener(type, (event) => {
    if (event.key !== " " || typing(event.target) || !active) return;
    event.preventDefault();
    active.swap(type === "keydown");
  });
addEventListener("blur", () => active?.swap(false));
