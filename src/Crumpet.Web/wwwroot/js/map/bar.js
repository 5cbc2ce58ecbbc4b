// The strip over the map viewer: which map, compared with which, channels, mip level, range, exposure and histogram.
import { bindPanes } from "../panes.js";
import { drawHistogram } from "./histogram.js";

export function bindMapBar(map) {
  const { root } = map, $ = (selector) => root.querySelector(selector), $$ = (selector) => [...root.querySelectorAll(selector)];
  const mips = $("[data-mip]");
  const panes = bindPanes(map, (control) => {
    if (control.matches("select")) map.mip = 0;
    bar.showChoices();
    map.open();
  });

  for (const button of $$("[data-channel]"))
    button.addEventListener("click", (event) => {
      const i = "RGBA".indexOf(button.dataset.channel);
      if (event.shiftKey) map.look.shown = [0, 0, 0, 0].map((_, c) => (c === i ? 1 : 0));
      else map.look.shown[i] = 1 - map.look.shown[i];
      if (!map.look.shown.includes(1)) map.look.shown = [1, 1, 1, 0];
      bar.showChoices();
      map.draw();
    });
  mips.addEventListener("change", () => {
    map.mip = Number(mips.value);
    map.open();
  });
  $("[data-gain]").addEventListener("input", (e) => {
    map.look.gain = Math.max(1, Number(e.target.value) || 1);
    map.draw();
  });
  $("[data-slider=exposure]").addEventListener("input", (e) => {
    const stops = Number(e.target.value);
    e.target.parentElement.querySelector("output").textContent = `${stops > 0 ? "+" : ""}${stops.toFixed(1)} EV`;
    map.look.exposure = 2 ** stops;
    map.draw();
  });
  for (const input of $$("[data-range]"))
    input.addEventListener("input", () => {
      const value = Number(input.value);
      if (Number.isFinite(value)) map.look[input.dataset.range] = value;
      if (map.look.to <= map.look.from) map.look.to = map.look.from + 1e-6;
      map.draw();
    });
  const acts = {
    fit: () => map.view.fit(),
    one: () => map.view.actual(),
    stretch: () => setRange(...(map.picture
      ? [Math.min(...map.picture.statistics.channels.map((c) => c.least)), Math.max(...map.picture.statistics.channels.map((c) => c.greatest))] : [0, 1])),
    unstretch: () => setRange(0, 1),
  };
  for (const button of $$("[data-act]")) button.addEventListener("click", () => acts[button.dataset.act]());
  for (const button of $$("[data-toggle]"))
    button.addEventListener("click", async () => {
      const on = button.getAttribute("aria-pressed") !== "true";
      button.setAttribute("aria-pressed", on);
      if (button.dataset.toggle === "repeat") {
        map.look.repeat = on;
        if (on) map.view.fit(map.view.width, map.view.height, 3);
      } else {
        map.wires = on;
        if (on && !map.overlay.paths) await map.loadUvs();
      }
      map.draw();
    });
  $("[data-drawer=view]").addEventListener("toggle", () => bar.showPicture());

  function setRange(from, to) {
    Object.assign(map.look, { from, to: Math.max(to, from + 1e-6) });
    $("[data-range=from]").value = Number(from.toPrecision(5));
    $("[data-range=to]").value = Number(to.toPrecision(5));
    map.draw();
  }

  const step = (by) => {
    const all = panes.choices();
    panes.first.value = all[(all.indexOf(panes.first.value) + by + all.length) % all.length];
    panes.first.dispatchEvent(new Event("change"));
  };
  const keys = {
    r: () => $("[data-toggle=repeat]").click(), u: () => $("[data-toggle=wires]").click(), PageDown: () => step(1), PageUp: () =>
      step(-1), 0: acts.fit, "=": () => map.view.zoom(1.3), "+": () => map.view.zoom(1.3), "-": () => map.view.zoom(1 / 1.3),
    ArrowLeft: () => map.view.pan(40, 0), ArrowRight: () => map.view.pan(-40, 0), ArrowUp: () => map.view.pan(0, 40), ArrowDown: () => map.view.pan(0, -40),
  };

  const bar = {
    key(event) {
      const act = event.ctrlKey || event.metaKey || event.altKey ? null : keys[event.key];
      act?.();
      return !!act;
    },
    panes,
    showChoices() {
      panes.show();
      $(".gain").hidden = map.compare !== "difference";
      for (const b of $$("[data-channel]")) b.setAttribute("aria-pressed", map.look.shown["RGBA".indexOf(b.dataset.channel)] === 1);
    },
    /** Brings mip levels, range and histogram up to the map that is shown. */
    showPicture() {
      const { picture } = map, count = Math.max(map.choice(map.panes[0]).mips, map.compare === "one" ? 1 : map.choice(map.panes[1]).mips);
      for (const group of [$("[data-channel]").parentElement, $("[data-act=stretch]").parentElement]) group.hidden = !picture;
      mips.hidden = count < 2;
      if (mips.options.length !== count) mips.replaceChildren(...Array.from({ length: count }, (_, i) => new Option(`mip ${i}`, i)));
      mips.value = map.mip;
      if (picture?.bits === 32 && picture !== this.ranged) setRange(picture.statistics.from, picture.statistics.to);
      else if (this.ranged?.bits === 32 && picture?.bits !== 32) setRange(0, 1);
      this.ranged = picture;
      if ($("[data-drawer=view]").open) drawHistogram($(".histogram"), $(".histogram-said"), picture);
    },
  };
  bar.showChoices();
  $("[data-toggle=wires]").setAttribute("aria-pressed", map.wires);
  return bar;
}
