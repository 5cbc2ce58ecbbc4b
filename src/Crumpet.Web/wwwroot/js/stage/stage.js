// The 3D stage: any two ways of seeing the asset, one at a time, side by side or with a seam to wipe between them.
import * as THREE from "../../lib/three/three.module.js";
import { Camera } from "./camera.js";
import { bindBar } from "./bar.js";
import { stroke } from "./brush.js";
import { loadLight } from "./light.js";
import { flyTo } from "./flight.js";
import { LookBook } from "./look-book.js";
import { full, Pace } from "./pace.js";
import { aim, paint } from "./painting.js";
import { partUnder, pointOf, surfaceUnder } from "./pointing.js";
import { edgeLines, figure, islandsOn, metreGrid } from "./props.js";
import { loadPreview } from "./preview.js";
import { Rays } from "./rays.js";
import { Side } from "./side.js";
import { forgetTextures } from "./textures.js";
import { activate, answerTo, bringTo, moveSeam, say, start } from "../viewers.js";

const restAfter = 200;

export class Stage {
  constructor(root) {
    this.root = root;
    this.canvas = root.querySelector("canvas");
    this.readout = root.querySelector(".readout");
    this.config = JSON.parse(root.dataset.config);
    this.renderer = new THREE.WebGLRenderer({ canvas: this.canvas, antialias: true, preserveDrawingBuffer: true });
    this.renderer.autoClear = false;
    this.scene = new THREE.Scene();
    this.sides = {};
    this.hidden = new Set();
    this.show = { wire: false, edges: false, cage: false, hairs: false, grid: false, figure: false };
    this.seam = 0.5;
    this.spread = 0;
    this.channel = 4;
    this.pace = new Pace();
    this.panes = [this.config.start.a, this.config.start.b];
    this.compare = this.config.start.compare;
    this.camera = new Camera(this.canvas, (moving) => this.moved(moving));
    this.camera.paneAt = (x) => this.paneAt(x).area;
    this.bar = bindBar(this);
    activate(root, this);
    answerTo("fly-to", (where) => flyTo(this, where));
    answerTo("point", (point) => { if (point.from !== this) this.mark(point.uv ? pointOf(this, point.uv, point.material) : null); });
    answerTo("edge-tool", (isTaken) => { this.picksEdges = isTaken; this.canvas.classList.toggle("brushing", isTaken); });
    answerTo("edges", (ends) => { this.edges = this.replaced(this.edges, ends.length ? edgeLines(ends) : null); });
    answerTo("islands-picked", (triangles) => this.markIslands(triangles));
    answerTo("brush", (kind) => this.takeBrush(kind));
    answerTo("page-renewed", (page) => this.refresh(page));
    this.canvas.addEventListener("pointerdown", (e) => this.press(e), { capture: true });
    this.canvas.addEventListener("pointermove", (e) => this.hover(e));
    this.canvas.addEventListener("pointerleave", () => bringTo("point", { from: this, uv: null }));
    this.canvas.addEventListener("keydown", (e) => { if (this.key(e)) e.preventDefault(); });
    new ResizeObserver(() => this.resize()).observe(this.canvas.parentElement);
    this.resize();
    this.ready = this.open();
  }

  async open() {
    try {
      this.light = await loadLight(this.root.dataset.light);
    } catch (error) {
      return say(this.readout, `The stage's light cannot be fetched: ${error.message}. Open the page again.`);
    }
    this.book = new LookBook(this);
    await this.load();
    for (const name of ["figure", "cage"]) if (this.config.start[name]) this.root.querySelector(`[data-toggle="${name}"]`).click();
    if (this.config.start.figure) this.frameAll();
  }

  /** Fetches what the panes show and draws it, coarse first. */
  async load() {
    const round = this.round = (this.round ?? 0) + 1;
    delete this.root.dataset.ready;
    const wanted = this.panes.slice(0, this.compare === "one" ? 1 : 2);
    try {
      await Promise.all(wanted.map((look) => this.loadSide(look.split(":")[0], round)));
      const problems = (await Promise.all(wanted.map((look) => this.book.prepare(look)))).filter(Boolean);
      if (this.round !== round) return;
      this.problem = problems.join("; ");
    } catch (error) {
      this.problem = error.message;
    }
    this.describe();
    if (!this.root.dataset.opened) this.root.dispatchEvent(new CustomEvent("viewer-ready", { bubbles: true }));
    this.root.dataset.opened = "yes";
    this.root.dataset.ready = this.compare === "one" ? wanted[0] : `${this.compare} ${wanted.join(" ")}`;
    this.draw();
  }

  async loadSide(name, round) {
    if (!this.sides[name]) {
      say(this.readout, `loading the ${name} side`);
      let side = null;
      const take = (preview) => {
        if (side) side.takeLevels();
        else {
          side = new Side(preview);
          this.box = new THREE.Box3(new THREE.Vector3(...preview.min), new THREE.Vector3(...preview.max));
          this.scene.add(side.group);
          this.sides[name].now = side;
          this.arrange();
          if (!this.framed) this.frameAll();
          this.pace.begin(side.triangles);
        }
        this.setOverlays(side);
        this.draw();
      };
      this.sides[name] = { now: null };
      const told = (share, total) => say(this.readout, `loading the ${name} side · ${Math.round(share * 100)} % of ${(total / 1048576).toFixed(1)} MiB`);
      this.sides[name].whole = loadPreview(this.config[name] ?? this.config.others[name], take, told)
        .then((preview) => { if (preview && !side) take(preview); });
    }
    await this.sides[name].whole;
    if (!this.sides[name].now && this.round === round) throw new Error(`there is no ${name} side yet; drop one at Intake`);
  }

  side(look) { return this.sides[look.split(":")[0]]?.now ?? null; }

  get loadedSides() { return Object.values(this.sides).map((s) => s.now).filter(Boolean); }

  /** Places, hides and colours objects as chosen. */
  arrange() {
    const middle = this.box.getCenter(new THREE.Vector3());
    for (const side of this.loadedSides) {
      for (const o of side.objects) {
        o.mesh.visible = !this.hidden.has(o.part);
        o.marked = o.part === this.picked ? 1 : 0;
      }
      side.explode(this.spread, middle);
      side.showLevel(side.level);
    }
    this.rays?.arrange(this);
    this.placeProps();
    this.draw();
  }

  /** The grid and the figure stand around what is shown, where it is drawn. */
  placeProps() {
    const box = this.boxOf();
    for (const [name, make] of [["grid", metreGrid], ["figure", figure]]) {
      this[name]?.removeFromParent();
      this[name]?.traverse((o) => o.geometry?.dispose());
      this[name] = this.show[name] && !box.isEmpty() ? make(box) : null;
      if (this[name]) this.scene.add(this[name]);
    }
  }

  setProps() {
    this.placeProps();
    for (const side of this.loadedSides) this.setOverlays(side);
    this.showRays();
    this.draw();
  }

  setOverlays(side) { side.overlays(this.show); }

  /** Cages and hairs, fetched when they are first asked for. */
  async showRays() {
    if (!this.show.cage && !this.show.hairs) return this.rays?.arrange(this);
    if (!this.config.rays) return say(this.readout, "Cages are shaped at Pairs; nothing is paired yet.");
    if (!this.rays || this.rays.url !== this.config.rays) {
      this.rays?.dispose();
      const rays = this.rays = new Rays(this.config.rays);
      try {
        await rays.load();
      } catch (error) {
        return say(this.readout, `The cages cannot be fetched: ${error.message}. Open the page again.`);
      }
      if (this.rays !== rays) return;
      this.scene.add(rays.group);
    }
    this.rays.arrange(this);
    this.draw();
  }

  /** The whole asset; what of it is shown where parts are hidden or drawn apart. */
  frameAll() { this.frame(this.hidden.size || this.spread ? this.boxOf() : this.box?.clone() ?? this.boxOf()); }

  framePicked() {
    if (this.picked) this.frame(this.boxOf((o) => o.part === this.picked));
    else this.frameAll();
  }

  frame(box) {
    if (!box.isEmpty()) this.framed = true;
    aim(this, this.layout()[0]);
    if (this.show.figure && this.figure && !this.picked) box.expandByObject(this.figure);
    this.camera.frame(box);
  }

  boxOf(fits) { return this.loadedSides.reduce((box, side) => box.union(side.boxOf(fits)), new THREE.Box3()); }

  pick(part, fly = false) {
    this.picked = part;
    this.arrange();
    this.bar.showParts();
    if (fly) this.framePicked();
    this.describe();
    bringTo("picked", part ?? "");
  }

  /** Puts one thing drawn on top in place of another. @returns the new one */
  replaced(before, now) {
    before?.removeFromParent();
    before?.geometry.dispose();
    if (now) this.scene.add(now);
    this.draw();
    return now;
  }

  /** Marks triangles of the low side that are known by sheet and UVs. */
  markIslands(triangles) {
    for (const o of this.markedIslands ?? []) {
      o.removeFromParent();
      o.geometry.dispose();
    }
    this.markedIslands = this.sides.low?.now ? islandsOn(this.sides.low.now.objects, triangles) : [];
    this.draw();
  }

  hide(parts) {
    this.hidden = new Set(parts);
    this.arrange();
    this.bar.showParts();
  }

  /** Results came: the page's own copy of this element knows the new files. */
  async refresh(page) {
    await this.ready;
    if (!this.book) return;
    const fresh = page.querySelector("[data-stage]");
    if (!fresh || fresh.dataset.config === this.root.dataset.config) return;
    const { start, low, high } = this.config, before = JSON.stringify(start);
    this.root.dataset.config = fresh.dataset.config;
    this.config = JSON.parse(fresh.dataset.config);
    // Other geometry may lie elsewhere.
    if (low !== this.config.low || high !== this.config.high) this.framed = false;
    this.bar.panes.take(fresh);
    for (const side of this.loadedSides) side.dispose();
    this.sides = {};
    forgetTextures();
    this.book.forget();
    this.showRays();
    const { start: opening } = this.config, offered = new Set(this.bar.panes.choices());
    // What the page came for has arrived: show it. Otherwise what was looked at stays.
    if (JSON.stringify(opening) !== before) [this.panes, this.compare] = [[opening.a, opening.b], opening.compare];
    else this.panes = this.panes.map((look, i) => (offered.has(look) ? look : [opening.a, opening.b][i]));
    this.bar.showChoices();
    await this.load();
  }

  describe() {
    const texts = this.panes.slice(0, this.compare === "one" ? 1 : 2).map((look) => this.book.describe(look, this.compare === "one"));
    const what = this.problem || (this.compare === "one" ? texts[0] : texts.join(" | "));
    say(this.readout, this.picked && !this.problem ? `${this.picked} · ${what}` : what);
    this.bar.showLegend();
  }

  key(event) {
    if (event.ctrlKey || event.metaKey || event.altKey) return false;
    return this.camera.key(event) || moveSeam(this, event.key) || this.bar.key(event);
  }

  /** Space held: the other one. */
  swap(held) {
    if (this.swapped === held) return;
    this.swapped = held;
    if (held && this.compare === "one") this.loadSide(this.panes[1].split(":")[0], this.round).then(() => this.book.prepare(this.panes[1]))
      .then(() => this.draw(), () => {});
    this.draw();
  }

  get shownPanes() { return this.swapped ? [this.panes[1], this.panes[0]] : this.panes; }

  /** Panes with their areas in CSS pixels. */
  layout() {
    const { clientWidth: w, clientHeight: h } = this.canvas, [a, b] = this.shownPanes;
    if (this.compare === "beside") return [{ look: a, area: { x: 0, width: w / 2 }, clip: [0, w / 2], h },
      { look: b, area: { x: w / 2, width: w / 2 }, clip: [w / 2, w / 2], h }];
    const cut = Math.round(this.seam * w);
    if (this.compare === "wipe") return [{ look: a, area: { x: 0, width: w }, clip: [0, cut], h },
      { look: b, area: { x: 0, width: w }, clip: [cut, w - cut], h }];
    return [{ look: a, area: { x: 0, width: w }, clip: [0, w], h }];
  }

  paneAt(x) { return this.layout().find((p) => x >= p.clip[0] && x <= p.clip[0] + p.clip[1]) ?? this.layout()[0]; }

  /** A brush draws on the low side, where parts stand when they are not drawn apart. */
  async takeBrush(kind) {
    this.brush = kind;
    this.canvas.classList.toggle("brushing", !!kind);
    if (!kind) return this.describe();
    const wanted = kind === "Cage" ? "cage" : "hairs";
    if (!this.show[wanted]) this.root.querySelector(`[data-toggle="${wanted}"]`).click();
    await this.loadSide("low", this.round).catch((error) => say(this.readout, error.message));
    this.draw();
  }

  press(event) {
    const x = event.offsetX;
    if (this.brush && event.button === 0 && stroke(this, event)) return event.stopImmediatePropagation();
    if (this.compare === "wipe" && Math.abs(x - this.seam * this.canvas.clientWidth) < 12) {
      event.stopImmediatePropagation();
      this.canvas.setPointerCapture(event.pointerId);
      const move = (e) => { this.seam = Math.min(1, Math.max(0, e.offsetX / this.canvas.clientWidth)); this.moved(true); };
      this.canvas.addEventListener("pointermove", move);
      this.canvas.addEventListener("pointerup", () => this.canvas.removeEventListener("pointermove", move), { once: true });
      return;
    }
    // A press that does not become a drag picks.
    const up = (e) => {
      if (Math.hypot(e.clientX - event.clientX, e.clientY - event.clientY) >= 4 || event.button !== 0) return;
      const hit = this.picksEdges ? surfaceUnder(this, e.offsetX, e.offsetY) : null;
      if (hit) bringTo("edge-pressed", { on: hit.object, at: hit.place.toArray() });
      else if (!this.picksEdges) this.pick(partUnder(this, e.offsetX, e.offsetY));
    };
    this.canvas.addEventListener("pointerup", up, { once: true });
  }

  hover(event) {
    if (event.buttons) return;
    const now = performance.now();
    this.canvas.classList.toggle("at-seam", this.compare === "wipe" && Math.abs(event.offsetX - this.seam * this.canvas.clientWidth) < 12);
    if (now - (this.hovered ?? 0) < 40) return;
    this.hovered = now;
    const hit = surfaceUnder(this, event.offsetX, event.offsetY);
    bringTo("point", { from: this, uv: hit?.uv ?? null, material: hit?.material ?? null });
    if (!hit) return this.describe();
    const where = hit.uv ? ` · u ${hit.uv[0].toFixed(4)} v ${hit.uv[1].toFixed(4)} · ${(hit.density * this.config.sheetSize).toFixed(0)} px/m` : "";
    say(this.readout, `${hit.part}${where} · ${this.book.describe(this.paneAt(event.offsetX).look)}`);
  }

  mark(point) {
    this.markAt = point;
    this.placeMark();
  }

  placeMark() {
    const mark = this.root.querySelector(".stage-mark");
    mark.hidden = !this.markAt;
    if (!this.markAt) return;
    const pane = this.layout().find((p) => p.look.startsWith("low")) ?? this.layout()[0];
    const p = this.markAt.clone().project(aim(this, pane));
    mark.style.transform = `translate(${pane.area.x + (p.x + 1) / 2 * pane.area.width}px, ${(1 - p.y) / 2 * pane.h}px)`;
  }

  resize() {
    const { clientWidth: width, clientHeight: height } = this.canvas.parentElement;
    if (width < 2 || height < 2) return;
    this.renderer.setPixelRatio(Math.min(devicePixelRatio, 2));
    this.renderer.setSize(width, height, false);
    this.draw();
  }

  /** While things move, levels of detail follow what the machine can draw in time; at rest everything is drawn. */
  moved(moving) {
    if (moving) {
      this.movingSince ??= performance.now();
      clearTimeout(this.rest);
      // A slow machine's next frame comes late, and is no rest.
      this.rest = setTimeout(() => this.comeToRest(), Math.max(restAfter, 2.5 * (this.tookLast ?? 0)));
    }
    this.draw();
  }

  comeToRest() {
    this.movingSince = this.lastFrame = null;
    if (this.drawnLevel < full) this.draw();
  }

  draw() {
    if (this.pending) return;
    this.pending = requestAnimationFrame((now) => { this.pending = 0; this.drawNow(now); });
  }

  get isMoving() { return !!this.movingSince; }

  drawNow(now = performance.now()) {
    if (!this.book) return;
    if (this.isMoving && this.lastFrame) this.pace.took(this.tookLast = now - this.lastFrame);
    this.lastFrame = this.isMoving ? now : null;
    this.drawnLevel = this.isMoving ? this.pace.level : full;
    for (const side of this.loadedSides) side.showLevel(this.drawnLevel);
    paint(this, this.layout());
    this.placeMark();
    this.bar.showScale();
  }
}

start("[data-stage]", (root) => (root.stage = new Stage(root)));
