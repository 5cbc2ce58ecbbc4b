// The choices both viewers have in their strips: what is shown, compared how, with what.

/** @param viewer has panes, compare and root; @param changed called when another thing is to be shown */
export function bindPanes(viewer, changed) {
  const { root } = viewer, selects = [...root.querySelectorAll("[data-pane]")], ways = [...root.querySelectorAll("[data-compare]")];
  for (const select of selects)
    select.addEventListener("change", () => {
      viewer.panes[Number(select.dataset.pane)] = select.value;
      changed(select);
    });
  for (const button of ways)
    button.addEventListener("click", () => {
      viewer.compare = button.dataset.compare;
      changed(button);
    });
  return {
    first: selects[0],
    choices: () => [...selects[0].options].map((o) => o.value),
    /** Adds choices that are not on the page's list, in place of the last such. */
    offer(choices) {
      for (const select of selects) {
        select.querySelector("[data-offered]")?.remove();
        const group = document.createElement("optgroup");
        Object.assign(group, { label: choices[0].group }).dataset.offered = "";
        group.append(...choices.map((c) => new Option(c.label, c.key)));
        select.prepend(group);
      }
    },
    /** Takes the lists of a newer copy of the page. */
    take(fresh) {
      const from = fresh.querySelectorAll("[data-pane]");
      selects.forEach((select, i) => select.replaceChildren(...[...from[i].children].map((c) => document.importNode(c, true))));
    },
    show() {
      selects.forEach((select, i) => { select.value = viewer.panes[i]; });
      selects[1].hidden = viewer.compare === "one";
      for (const b of ways) b.setAttribute("aria-pressed", b.dataset.compare === viewer.compare);
    },
  };
}
