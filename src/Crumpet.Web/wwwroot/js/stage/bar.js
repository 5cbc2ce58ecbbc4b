// The strip over the stage: what is shown, compared with what, parts, camera, light and still pictures.
import { still } from "./painting.js";
import { bindPanes } from "../panes.js";
import { cividis } from "./shader.js";

const keys = {
  Home: (s) => s.frameAll(), c: (s) => s.framePicked(), o: (s) => toggle(s, "flat"), t: (s) => toggle(s, "turntable"),
  w: (s) => toggle(s, "wire"), e: (s) => toggle(s, "edges"), k: (s) => toggle(s, "cage"), h: (s) => toggle(s, "hairs"), g: (s) => toggle(s, "grid"), p: (s) =>
    toggle(s, "figure"),
  x: (s) => s.camera.look("right"), X: (s) => s.camera.look("left"), y: (s) => s.camera.look("above"), Y: (s) => s.camera.look("below"), z: (s) =>
    s.camera.look("front"), Z: (s) => s.camera.look("back"),
  b: (s) => s.picked && s.hide([...s.hidden, s.picked]), n: (s) => s.picked && s.hide(partsOf(s).filter((p) => p !== s.picked)), m: (s) => s.hide([]),
};

const toggle = (stage, name) => stage.root.querySelector(`[data-toggle="${name}"]`)?.click();
const partsOf = (stage) => [...new Set(stage.loadedSides.flatMap((s) => s.objects.map((o) => o.part)))].sort();

export function bindBar(stage) {
  const { root } = stage, $ = (selector) => root.querySelector(selector), $$ = (selector) => [...root.querySelectorAll(selector)];
  const panes = bindPanes(stage, () => {
    bar.showChoices();
    stage.load();
  });

  for (const button of $$("[data-channel]"))
    button.addEventListener("click", () => {
      stage.channel = Number(button.dataset.channel);
      bar.showChoices();
      stage.describe();
      stage.draw();
    });
  for (const button of $$("[data-look]")) button.addEventListener("click", () => stage.camera.look(button.dataset.look));
  $("[data-frame=all]").addEventListener("click", () => stage.frameAll());
  $("[data-frame=picked]").addEventListener("click", () => stage.framePicked());
  for (const button of $$("[data-toggle]"))
    button.addEventListener("click", () => {
      const on = button.getAttribute("aria-pressed") !== "true";
      button.setAttribute("aria-pressed", on);
      const name = button.dataset.toggle;
      if (name === "flat") stage.camera.setFlat(on);
      else if (name === "turntable") turn(stage, on);
      else {
        stage.show[name] = on;
        stage.setProps();
      }
    });
  slider($("[data-slider=explode]"), (value, out) => { stage.spread = value; out.textContent = `${value.toFixed(2)} ×`; stage.arrange(); stage.moved(true); });
  slider($("[data-slider=exposure]"), (value, out) => { out.textContent = `${value > 0 ? "+" : ""}${value.toFixed(1)} EV`;
    if (stage.light) stage.light.exposure.value = 2 ** value; stage.draw(); });
  slider($("[data-slider=light]"), (value, out) => { out.textContent = `${value.toFixed(0)}°`;
    if (stage.light) stage.light.lightTurn.value = value * Math.PI / 180; stage.moved(true); });
  // With L held, a drag on the stage turns the light.
  lightDrag(stage, $("[data-slider=light]"));
  $("[data-parts=all]").addEventListener("click", () => stage.hide([]));
  $("[data-parts=none]").addEventListener("click", () => stage.hide(partsOf(stage)));
  $(".part-list").addEventListener("change", (e) => {
    const { part } = e.target.dataset;
    stage.hide(e.target.checked ? [...stage.hidden].filter((p) => p !== part) : [...stage.hidden, part]);
  });
  $(".part-list").addEventListener("click", (e) => {
    const { pick, only } = e.target.dataset;
    if (pick) stage.pick(pick, true);
    if (only) stage.hide(partsOf(stage).filter((p) => p !== only));
  });
  $("details[data-drawer=parts]").addEventListener("toggle", () => bar.showParts());
  $("[data-still=copy]").addEventListener("click", () => keepPicture(stage, true));
  $("[data-still=save]").addEventListener("click", () => keepPicture(stage, false));

  const bar = {
    key(event) {
      const act = keys[event.key];
      if (act) act(stage);
      return !!act;
    },
    panes,
    showChoices() {
      panes.show();
      const shown = stage.panes.slice(0, stage.compare === "one" ? 1 : 2);
      $(".stage-channels").hidden = !shown.some((look) => look.includes(":map:"));
      for (const b of $$("[data-channel]")) b.setAttribute("aria-pressed", Number(b.dataset.channel) === stage.channel);
    },
    /** Brings the list of parts up to what is picked and hidden. */
    showParts() {
      const list = $(".part-list");
      if (!list.closest("details").open) return;
      const parts = partsOf(stage);
      if (list.childElementCount !== parts.length)
        list.replaceChildren(...parts.map((part) => {
          const row = document.getElementById("part-row").content.cloneNode(true).firstElementChild;
          row.querySelector("input").dataset.part = row.querySelector("[data-pick]").dataset.pick = row.querySelector("[data-only]").dataset.only = part;
          row.querySelector("[data-pick]").textContent = part;
          row.querySelector("input").setAttribute("aria-label", `Show ${part}`);
          row.querySelector("[data-only]").setAttribute("aria-label", `Show only ${part}`);
          return row;
        }));
      for (const row of list.children) {
        const { part } = row.querySelector("input").dataset;
        row.querySelector("input").checked = !stage.hidden.has(part);
        row.classList.toggle("marked", part === stage.picked);
      }
    },
    showScale() {
      const step = [0.0001, 0.0002, 0.0005, 0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50]
        .find((s) => s / stage.camera.metresPerPixel(stage.canvas.clientHeight) > 50) ?? 100;
      $(".scale-bar span").textContent = step < 0.1 ? `${Number((step * 1000).toPrecision(2))} mm` : `${step} m`;
      $(".scale-bar i").style.width = `${Math.round(step / stage.camera.metresPerPixel(stage.canvas.clientHeight))}px`;
    },
    /** The scale of densities while they are shown as colours. */
    showLegend() {
      const look = stage.panes.slice(0, stage.compare === "one" ? 1 : 2).find((l) => l.endsWith(":density")), legend = $(".stage-legend");
      const range = look && stage.book?.drawnWith(look)?.[0].uniforms.densityRange.value;
      legend.hidden = !range;
      if (!range) return;
      legend.querySelector("i").style.background = `linear-gradient(90deg, ${Array.from({ length: 9 }, (_, i) => cividis(i / 8)).join(", ")})`;
      const [least, , most] = legend.querySelectorAll("span, i");
      least.textContent = `${Math.round(range.x)}`;
      most.textContent = `${Math.round(range.y)} px/m`;
    },
  };
  bar.showChoices();
  return bar;
}

function slider(input, changed) {
  const out = input.parentElement.querySelector("output"), apply = () => changed(Number(input.value), out);
  input.addEventListener("input", apply);
  input.addEventListener("dblclick", () => { input.value = input.defaultValue; apply(); });
}

function lightDrag(stage, input) {
  let held = false;
  addEventListener("keydown", (e) => { if (e.key.toLowerCase() === "l" && !e.target.closest("input, select, textarea")) held = true; });
  addEventListener("keyup", (e) => { if (e.key.toLowerCase() === "l") held = false; });
  stage.canvas.addEventListener("pointerdown", (event) => {
    if (!held) return;
    event.stopImmediatePropagation();
    stage.canvas.setPointerCapture(event.pointerId);
    const start = Number(input.value), from = event.clientX;
    const move = (e) => {
      input.value = ((start + (e.clientX - from) * 0.5 + 540) % 360) - 180;
      input.dispatchEvent(new Event("input"));
    };
    stage.canvas.addEventListener("pointermove", move);
    stage.canvas.addEventListener("pointerup", () => stage.canvas.removeEventListener("pointermove", move), { once: true });
  }, { capture: true });
}

function turn(stage, on) {
  cancelAnimationFrame(stage.turning);
  if (!on) return;
  let before = performance.now();
  const step = (now) => {
    stage.camera.turn((now - before) * 0.0004, 0);
    before = now;
    stage.turning = requestAnimationFrame(step);
  };
  stage.turning = requestAnimationFrame(step);
}

async function keepPicture(stage, copy) {
  const out = stage.root.querySelector(".still-said");
  const [width, height] = stage.root.querySelector("[data-still=size]").value.split("x").map(Number);
  const blob = await still(stage, width, height);
  if (copy) {
    try {
      await navigator.clipboard.write([new ClipboardItem({ "image/png": blob })]);
      out.textContent = `Copied, ${width} × ${height} px.`;
      return;
    } catch {
      out.textContent = "The clipboard takes no pictures here, so it was saved.";
    }
  } else out.textContent = `Saved, ${width} × ${height} px.`;
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = `${stage.config.name}_${stage.panes[0].replaceAll(":", "_")}.png`;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}
