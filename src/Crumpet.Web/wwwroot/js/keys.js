// Keys of every page; those of viewers are with the viewers.

const sheet = document.getElementById("keys");
document.getElementById("show-keys").addEventListener("click", () => sheet.showModal());

addEventListener("keydown", (event) => {
  const typing = event.target.closest?.("input, select, textarea");
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z" && !typing) {
    const button = document.getElementById(event.shiftKey ? "redo" : "undo");
    if (button && !button.disabled) button.click();
    event.preventDefault();
    return;
  }
  if (event.ctrlKey || event.metaKey || event.altKey || typing || sheet.open) return;
  if (event.key === "?") sheet.showModal();
  else if (event.key === "/") document.getElementById("find").focus();
  else if (/^[0-9]$/.test(event.key) && !event.defaultPrevented) document.querySelector(`.line [data-key="${event.key}"]`)?.click();
  else if (event.key === "ArrowDown" || event.key === "ArrowUp") {
    if (event.target.closest("canvas, summary, .found") || !step(event.key === "ArrowDown" ? 1 : -1)) return;
  } else return;
  event.preventDefault();
});

/** To the next or last finding, and the viewers with it. */
function step(by) {
  const findings = [...document.querySelectorAll(".finding")];
  if (!findings.length) return false;
  const at = findings.indexOf(document.activeElement),
    next = findings[at < 0 ? (by > 0 ? 0 : findings.length - 1) : (at + by + findings.length) % findings.length];
  next.focus();
  next.click();
  return true;
}
