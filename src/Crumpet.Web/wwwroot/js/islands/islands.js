// The UV canvas: islands on their sheet, coloured by what is asked, picked here or on the stage.
import { activate, answerTo, bringTo, moveSeam, say, start } from "../viewers.js";
import { PanZoom } from "../map/pan-zoom.js";
import { cividis } from "../stage/shader.js";
import { IslandCanvas } from "./canvas.js";
import { colouring } from "./colouring.js";
import { EdgeTool, PinTool } from "./tools.js";
import { loadView } from "./view-file.js";

const gridFrom = 7, namesUpTo = 260;

class Islands {
  constructor(root) {
    this.root = root;
    this.over = root.querySelector(".over");
    this.readout = root.querySelector(".readout");
    this.painter = new IslandCanvas(root.querySelector(".texels"));
    this.picked = new Set();
    this.sheet = 0;
    this.state = 0;
    this.seam = 0.5;
    this.compare = "one";
    this.by = "part";
    this.beneath = "none";
    this.show = { wires: false, names: true };
    this.config = JSON.parse(root.dataset.config);
    this.pan = new PanZoom(this.over, () => this.draw());
    this.tools = { edges: new EdgeTool(this), pins: new PinTool(this) };
    activate(root, this);
    this.bind();
    new ResizeObserver(() => { if (this.pan.wasMoved) this.draw(); else this.fit(); }).observe(this.over.parentElement);
    this.open();
  }

  bind() {
    const { root } = this;
    answerTo("point", (point) => {
      if (point.from === this) return;
      this.mark = point.uv;
      this.draw();
    });
    // A press on the stage picks the island under it.
    answerTo("picked", () => { if (this.mark && !this.tool) this.pick(this.islandAt(this.mark), false); });
    answerTo("fly-to", ({ place }) => this.flyTo(place));
    answerTo("page-renewed", (page) => this.refresh(page));
    this.over.addEventListener("pointerdown", (e) => this.press(e), { capture: true });
    this.over.addEventListener("pointermove", (e) => { this.pointer = [e.offsetX, e.offsetY]; this.read(); });
    this.over.addEventListener("pointerleave", () => { this.pointer = null; this.read(); bringTo("point", { from: this, uv: null }); });
    this.over.addEventListener("keydown", (e) => { if (this.key(e)) e.preventDefault(); });
    root.querySelector("[data-by]").addEventListener("change", (e) => { this.by = e.target.value; this.colour(); });
    root.querySelector("[data-beneath]").addEventListener("change", (e) => { this.beneath = e.target.value; this.lay(); });
    root.querySelector("[data-sheet]").addEventListener("change",
      (e) => { this.sheet = Number(e.target.value); this.picked.clear(); this.painter.take(this.view, this.sheet); this.colour(); this.showPicked(); });
    for (const b of root.querySelectorAll("[data-toggle]"))
      b.addEventListener("click", () => { this.show[b.dataset.toggle] = !this.show[b.dataset.toggle];
        b.setAttribute("aria-pressed", this.show[b.dataset.toggle]); this.draw(); });
    for (const b of root.querySelectorAll("[data-compare]"))
      b.addEventListener("click", () => { this.compare = b.dataset.compare; this.showBar(); this.draw(); });
    for (const b of root.querySelectorAll("[data-tool]")) b.addEventListener("click", () => this.take(b.dataset.tool));
    root.querySelector("[data-act=fit]").addEventListener("click", () => this.fit());
  }

  async open() {
    delete this.root.dataset.ready;
    if (!this.config.view) return say(this.readout, "No islands yet");
    try {
      this.view = await loadView(this.config.view);
    } catch (error) {
      return say(this.readout, `${error.message}; open the page again.`);
    }
    this.sheet = Math.min(this.sheet, this.view.sheets - 1);
    this.picked.clear();
    if (!this.view.even) this.compare = "one";
    this.painter.take(this.view, this.sheet);
    this.showBar();
    this.showPicked();
    if (!this.pan.wasMoved || this.pan.width !== this.view.size) this.pan.fit(this.view.size, this.view.size);
    this.colour();
    await this.lay();
    this.read();
    this.root.dispatchEvent(new CustomEvent("viewer-ready", { bubbles: true }));
    this.root.dataset.ready = `${this.view.islands.length} islands`;
  }

  fit() { this.pan.fit(); this.pan.wasMoved = false; }

  /** Takes a tool in hand: islands, edges or pins. */
  take(name) {
    const before = this.tool;
    this.tool = this.tools[name] ?? null;
    if (before !== this.tool) before?.stop();
    if (this.tool) this.pick(-1, false);
    this.tool?.start();
    for (const b of this.root.querySelectorAll("[data-tool]")) b.setAttribute("aria-pressed", b.dataset.tool === name);
    this.draw();
  }

  /** Fetches what lies beneath. */
  async lay() {
    const url = this.config.maps[this.beneath];
    if (url) {
      const image = new Image();
      image.src = url;
      try {
        await image.decode();
        this.painter.takePicture(image);
      } catch {
        say(this.readout, "The map beneath cannot be fetched; bake again.");
      }
    }
    this.draw();
  }

  showBar() {
    const { root } = this, select = root.querySelector("[data-sheet]");
    select.hidden = this.view.sheets < 2;
    select.replaceChildren(...Array.from({ length: this.view.sheets }, (_, i) => new Option(`sheet ${i + 1}`, i, i === this.sheet, i === this.sheet)));
    root.querySelector("[data-compares]").hidden = !this.view.even;
    for (const b of root.querySelectorAll("[data-compare]")) b.setAttribute("aria-pressed", b.dataset.compare === this.compare);
  }

  colour() {
    if (!this.view) return;
    this.colours = colouring(this.by, this.view, this.config.trays);
    this.painter.colour(this.colours.of, (t) => this.picked.has(this.view.island[t]));
    const legend = this.root.querySelector(".stage-legend"), said = this.colours.legend, [from, bar, to] = legend.children;
    legend.hidden = !said;
    if (said) {
      from.textContent = said.bar ? said.from : said.title;
      bar.hidden = !said.bar;
      bar.style.background = said.bar ? `linear-gradient(90deg, ${Array.from({ length: 9 }, (_, i) => cividis(i / 8)).join(", ")})` : "";
      to.textContent = said.bar ? `${said.to} ${said.title}` : "";
    }
    this.draw();
  }

  draw() {
    this.waiting ??= requestAnimationFrame(() => { this.waiting = null; this.drawNow(); });
  }

  drawNow() {
    if (!this.view) return;
    const ratio = Math.min(devicePixelRatio, 2), w = this.over.clientWidth, beneath = { none: 0, checker: 1 }[this.beneath] ?? 2;
    const look = { beneath, squares: this.view.size / 64, wires: this.show.wires, opacity: beneath === 0 ? 1 : 0.45 };
    this.painter.begin(ratio);
    const cut = this.compare === "wipe" && this.view.even ? this.seam * w : 0;
    if (cut) this.painter.draw(1, this.pan, [0, cut], look);
    this.painter.draw(this.state, this.pan, [cut, w], look);
    this.drawOver(ratio, cut);
  }

  drawOver(ratio, cut) {
    const { over, pan } = this, w = over.clientWidth, h = over.clientHeight, side = pan.width * pan.scale, context = over.getContext("2d");
    if (over.width !== Math.round(w * ratio) || over.height !== Math.round(h * ratio)) Object.assign(over,
      { width: Math.round(w * ratio), height: Math.round(h * ratio) });
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    context.clearRect(0, 0, w, h);
    context.strokeStyle = "#f2f2f2";
    context.lineWidth = 1;
    context.strokeRect(Math.round(pan.x) + 0.5, Math.round(pan.y) + 0.5, Math.round(side), Math.round(side));
    if (pan.scale >= gridFrom) this.grid(context, w, h);
    if (this.show.names) this.names(context, w, h);
    if (this.mark) {
      const [x, y] = [pan.x + this.mark[0] * side, pan.y + (1 - this.mark[1]) * side];
      for (const [style, width] of [["#20302f", 4], ["#ffe94a", 2]]) {
        Object.assign(context, { strokeStyle: style, lineWidth: width });
        context.beginPath();
        context.arc(x, y, 8, 0, 2 * Math.PI);
        context.stroke();
      }
    }
    const place = ([u, v]) => [pan.x + u * side, pan.y + (1 - v) * side];
    this.tool?.paint(context, place);
    this.tools.pins.paintSet(context, place);
    if (cut) {
      context.fillStyle = "#f2f2f2";
      context.fillRect(Math.round(cut) - 1, 0, 2, h);
      context.font = '12px "Atkinson Mono", monospace';
      for (const [text, x, align] of [["even", cut - 8, "right"], ["with slack", cut + 8, "left"]]) {
        context.textAlign = align;
        context.fillText(text, x, 18);
      }
    }
  }

  /** Lines between pixels of the sheet, once these are large enough. */
  grid(context, w, h) {
    const { pan } = this, x0 = Math.max(0, Math.floor(-pan.x / pan.scale)), y0 = Math.max(0, Math.floor(-pan.y / pan.scale));
    const x1 = Math.min(pan.width, Math.ceil((w - pan.x) / pan.scale)), y1 = Math.min(pan.width, Math.ceil((h - pan.y) / pan.scale));
    context.strokeStyle = "#20302f55";
    context.beginPath();
    for (let x = x0; x <= x1; x++) { context.moveTo(pan.x + x * pan.scale, pan.y + y0 * pan.scale);
      context.lineTo(pan.x + x * pan.scale, pan.y + y1 * pan.scale); }
    for (let y = y0; y <= y1; y++) { context.moveTo(pan.x + x0 * pan.scale, pan.y + y * pan.scale);
      context.lineTo(pan.x + x1 * pan.scale, pan.y + y * pan.scale); }
    context.stroke();
  }

  /** Names of parts on islands that are large enough to carry them. */
  names(context, w, h) {
    const { pan } = this, side = pan.width * pan.scale;
    context.font = '11px "Atkinson Mono", monospace';
    context.textAlign = "center";
    context.textBaseline = "middle";
    context.lineJoin = "round";
    let written = 0;
    for (const box of this.boxes()) {
      const name = this.view.objects[this.view.islands[box.island].on].part, x = pan.x + (box.u0 + box.u1) / 2 * side,
        y = pan.y + (1 - (box.v0 + box.v1) / 2) * side;
      const width = (box.u1 - box.u0) * side, height = (box.v1 - box.v0) * side, long = 6.7 * name.length + 8;
      if (x < 0 || y < 0 || x > w || y > h || written > namesUpTo) continue;
      const upright = long > width && long < height && width > 13;
      if (!upright && (long > width || height < 13)) continue;
      written++;
      context.save();
      context.translate(x, y);
      if (upright) context.rotate(-Math.PI / 2);
      Object.assign(context, { strokeStyle: "#fffdf7c0", lineWidth: 3, fillStyle: "#20302f" });
      context.strokeText(name, 0, 0);
      context.fillText(name, 0, 0);
      context.restore();
    }
  }

  /** Box of each island of the sheet, in tiles. */
  boxes() {
    if (this.boxesOf === this.painter.triangles) return this.boxList;
    const { view } = this, found = new Map();
    for (const t of this.painter.triangles) {
      const island = view.island[t];
      if (!found.has(island)) found.set(island, { island, u0: 9, v0: 9, u1: -9, v1: -9 });
      const box = found.get(island);
      for (let k = 6 * t; k < 6 * t + 6; k += 2) {
        box.u0 = Math.min(box.u0, view.uv[k]);
        box.u1 = Math.max(box.u1, view.uv[k]);
        box.v0 = Math.min(box.v0, view.uv[k + 1]);
        box.v1 = Math.max(box.v1, view.uv[k + 1]);
      }
    }
    this.boxesOf = this.painter.triangles;
    return this.boxList = [...found.values()];
  }

  /** Triangle of the sheet that holds a point of the tile; -1 for none. */
  triangleAt([u, v]) {
    const { uv } = this.view;
    for (const t of this.painter.triangles) {
      const o = 6 * t, bu = uv[o + 2] - uv[o], bv = uv[o + 3] - uv[o + 1], cu = uv[o + 4] - uv[o], cv = uv[o + 5] - uv[o + 1], pu = u - uv[o],
        pv = v - uv[o + 1];
      const area = bu * cv - bv * cu, s = (pu * cv - pv * cu) / area, r = (bu * pv - bv * pu) / area;
      if (s >= 0 && r >= 0 && s + r <= 1) return t;
    }
    return -1;
  }

  islandAt(uv) {
    const t = this.view ? this.triangleAt(uv) : -1;
    return t < 0 ? -1 : this.view.island[t];
  }

  uvUnder([x, y]) {
    const [fx, fy] = this.pan.at(x, y);
    return [fx / this.pan.width, 1 - fy / this.pan.width];
  }

  press(event) {
    if (this.compare === "wipe" && Math.abs(event.offsetX - this.seam * this.over.clientWidth) < 12) {
      event.stopImmediatePropagation();
      this.over.setPointerCapture(event.pointerId);
      const move = (e) => { this.seam = Math.min(1, Math.max(0, e.offsetX / this.over.clientWidth)); this.draw(); };
      this.over.addEventListener("pointermove", move);
      this.over.addEventListener("pointerup", () => this.over.removeEventListener("pointermove", move), { once: true });
      return;
    }
    const side = this.pan.width * this.pan.scale;
    if (this.tool === this.tools.pins && this.view && event.button === 0
      && this.tool.grasp(event, (e) => this.uvUnder([e.offsetX, e.offsetY]), side)) return event.stopImmediatePropagation();
    if (this.tool) {
      this.over.addEventListener("pointerup", (e) => {
        const isPress = Math.hypot(e.clientX - event.clientX, e.clientY - event.clientY) < 4 && event.button === 0;
        if (isPress) this.tool?.press?.(this.uvUnder([e.offsetX, e.offsetY]), side);
      }, { once: true });
      return;
    }
    const up = (e) => { if (this.view && Math.hypot(e.clientX - event.clientX, e.clientY - event.clientY) < 4 && event.button === 0) this.pick(
      this.islandAt(this.uvUnder([e.offsetX, e.offsetY])), e.shiftKey); };
    this.over.addEventListener("pointerup", up, { once: true });
  }

  pick(island, more) {
    if (!more) this.picked.clear();
    if (island >= 0) {
      if (more && this.picked.has(island)) this.picked.delete(island);
      else this.picked.add(island);
    }
    this.colour();
    this.showPicked();
  }

  /** The strip about what is picked, with what can be done to it. */
  showPicked() {
    const strip = this.root.querySelector(".picked[data-for=islands]"), list = [...this.picked]
      .map((i) => ({ ...this.view.islands[i], object: this.view.objects[this.view.islands[i].on] }));
    strip.hidden = list.length === 0;
    bringTo("islands-picked", this.trianglesOf(this.picked));
    if (!list.length) return;
    const parts = [...new Set(list.map((i) => i.object.part))], one = list[0];
    const said = list.length === 1
      ? `${one.object.part} · ${one.triangles} tris · ${one.density.toFixed(0)} px/m · stretch `
        + `${((one.stretch - 1) * 100).toFixed(1)} %${one.locked ? " · locked" : ""}${one.stackedOn >= 0 ? " · stacked" : ""}`
      : `${list.length} islands of ${parts.length === 1 ? parts[0] : `${parts.length} parts`}`;
    say(strip.querySelector(".picked-said"), said);
    const spots = JSON.stringify(list.map((i) => ({ objectName: i.object.name, x: i.spot[0], y: i.spot[1], z: i.spot[2] })));
    for (const field of strip.querySelectorAll("[name=spots]")) field.value = spots;
    for (const field of strip.querySelectorAll("[name=parts]")) field.value = parts.join("\n");
  }

  /** The triangles of some islands as the stage can find them: its number of the sheet, and six UVs. */
  trianglesOf(islands) {
    const { view } = this, triangles = [];
    for (let t = 0; islands.size && t < view.triangles; t++) if (islands.has(view.island[t])) triangles.push(
      { number: view.sheets > 1 ? view.numbers[view.islands[view.island[t]].sheet] : null, uv: view.uv.subarray(6 * t, 6 * t + 6) });
    return triangles;
  }

  flyTo(place) {
    if (!this.view) return;
    this.picked = new Set(this.boxes().map((b) => b.island).filter(
      (i) => { const o = this.view.objects[this.view.islands[i].on]; return o.part === place || o.name === place; }));
    this.colour();
    this.showPicked();
  }

  key(event) {
    if (moveSeam(this, event.key)) return true;
    const act = { "+": () => this.pan.zoom(1.25), "=": () => this.pan.zoom(1.25), "-": () => this.pan.zoom(0.8), 0: () => this.fit(),
      Escape: () => (this.tool ? this.take("islands") : this.pick(-1, false)),
      ArrowLeft: () => this.pan.pan(60, 0), ArrowRight: () => this.pan.pan(-60, 0),
      ArrowUp: () => this.pan.pan(0, 60), ArrowDown: () => this.pan.pan(0, -60) }[event.key];
    act?.();
    return Boolean(act);
  }

  /** Space shows the layout at even density while it is held. */
  swap(down) {
    this.state = down && this.view?.even ? 1 : 0;
    this.draw();
  }

  read() {
    if (!this.view) return;
    const { view } = this, title = `${view.islands.length} islands · ${view.size} × ${view.size} px`;
    if (!this.pointer) return say(this.readout, title);
    const uv = this.uvUnder(this.pointer), t = this.triangleAt(uv);
    bringTo("point", { from: this, material: null, uv: t < 0 ? null : uv });
    const at = `x ${Math.floor(uv[0] * view.size)} y ${Math.floor((1 - uv[1]) * view.size)}`;
    if (t < 0) return say(this.readout, `${at} · ${title}`);
    const object = view.objects[view.islands[view.island[t]].on];
    say(this.readout, `${at} · ${object.part} · ${view.density[t].toFixed(0)} px/m · out of square `
      + `${((view.angle[t] - 1) * 100).toFixed(1)} % · area ${(view.area[t] * 100).toFixed(0)} %`);
  }

  /** Results came: the page's own copy of this element knows the new islands. */
  async refresh(page) {
    const fresh = page.querySelector("[data-islands]");
    if (!fresh || fresh.dataset.config === this.root.dataset.config) return;
    this.root.dataset.config = fresh.dataset.config;
    this.config = JSON.parse(fresh.dataset.config);
    this.take("islands");
    await this.open();
  }
}

start("[data-islands]", (root) => (root.islands = new Islands(root)));

// The main button says what its form will do.
function nameButton() {
  const form = document.getElementById("layout-form"), button = document.querySelector("[data-lay-out]");
  if (!form || !button) return;
  const { islands, size } = form.elements;
  button.textContent = `${islands.selectedOptions[0].dataset.verb} ${button.dataset.layOut} at ${size.value}`;
}
document.addEventListener("change", nameButton);
// As dense as another asset: its density is filled in.
document.addEventListener("click", ({ target }) => {
  const match = target.closest?.("[data-match]");
  if (match) document.getElementById("density").value = match.dataset.match;
});
document.body.addEventListener("page-renewed", nameButton);
nameButton();
