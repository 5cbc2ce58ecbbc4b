// The map viewer: any bitmap down to single texels with their numbers, or two of them by wipe, blink or difference.
import { loadPreview } from "../stage/preview.js";
import { activate, answerTo, bringTo, moveSeam, say, start } from "../viewers.js";
import { bindMapBar } from "./bar.js";
import { Blocks } from "./blocks.js";
import { Overlay } from "./overlay.js";
import { Painter } from "./painter.js";
import { PanZoom } from "./pan-zoom.js";
import { Picture, tileStore } from "./tiles.js";

const NEARBY = 24; // texels

export class MapViewer {
  constructor(root) {
    this.root = root;
    this.canvas = root.querySelector(".over");
    this.readout = root.querySelector(".readout");
    this.painter = new Painter(root.querySelector(".texels"));
    this.overlay = new Overlay(this.canvas);
    this.seam = 0.5;
    this.mip = 0;
    this.opened = [null, null];
    this.look = { shown: [1, 1, 1, 0], from: 0, to: 1, exposure: 1, gain: 8, repeat: false };
    this.takeConfig();
    this.wires = this.config.wires;
    this.view = new PanZoom(this.canvas, () => this.draw());
    this.bar = bindMapBar(this);
    this.blocks = new Blocks(this);
    activate(root, this);
    answerTo("fly-to", ({ place, region }) => this.flyTo(place, region));
    answerTo("picked", (part) => { this.picked = part; this.draw(); });
    answerTo("point", (point) => {
      if (point.from === this) return;
      const only = this.picture?.choice.material ?? null;
      this.mark = only === null || point.material === only ? point.uv : null;
      this.draw();
    });
    answerTo("page-renewed", (page) => this.refresh(page));
    this.canvas.addEventListener("pointerdown", (e) => this.grabSeam(e), { capture: true });
    this.canvas.addEventListener("pointermove", (e) => { this.pointer = [e.offsetX, e.offsetY]; this.read(); });
    this.canvas.addEventListener("pointerleave", () => { this.pointer = null; this.read(); bringTo("point", { from: this, uv: null }); });
    this.canvas.addEventListener("keydown", (e) => { if (moveSeam(this, e.key) || this.bar.key(e)) e.preventDefault(); });
    new ResizeObserver(() => this.resized()).observe(this.canvas.parentElement);
    this.open();
  }

  takeConfig() {
    this.config = JSON.parse(this.root.dataset.config);
    this.panes = [this.config.start.a, this.config.start.b];
    const asked = new URLSearchParams(location.search).get("map");
    if (asked && this.choice(asked).key === asked) this.panes[0] = asked;
    this.compare = this.config.start.compare;
    this.regions = this.config.regions;
  }

  get shownRegions() { return this.regions.filter((r) => r.sheet === this.picture?.choice.sheet); }

  choice(key) { return this.config.choices.find((c) => c.key === key) ?? this.config.choices[0]; }

  /** Opens what the panes name. */
  async open() {
    const round = this.round = (this.round ?? 0) + 1;
    delete this.root.dataset.ready;
    const [a, b] = this.panes.map((key) => this.choice(key));
    say(this.readout, `opening ${a.label}`);
    try {
      const opened = await Promise.all([[a, b], [this.compare === "one" && b.key !== "live-before" ? null : b, a]].map(
        ([c, beside]) => (c?.address ? this.openPicture(c, beside) : null)));
      if (this.round !== round) return;
      this.opened = opened;
      this.problem = "";
    } catch (error) {
      if (this.round !== round) return;
      this.opened = [null, null];
      this.problem = error.message;
    }
    const [shown] = this.opened;
    if ((this.wires || !shown) && !this.overlay.paths) await this.loadUvs();
    const size = shown ?? { width: this.config.sheetSize, height: this.config.sheetSize };
    if (!this.fitted || this.fitted !== `${size.width} ${size.height}`) {
      this.view.fit(size.width, size.height);
      this.fitted = `${size.width} ${size.height}`;
    }
    this.bar.showPicture();
    this.blocks.show();
    this.measure();
    this.read();
    this.root.dataset.ready = a.key;
    this.root.dispatchEvent(new CustomEvent("map-opened", { bubbles: true, detail: this.opened }));
    if (!this.root.dataset.opened && !document.querySelector("[data-stage]")) this.root.dispatchEvent(new CustomEvent("viewer-ready", { bubbles: true }));
    this.root.dataset.opened = "yes";
    this.draw();
  }

  /** Shows maps that are not on the page's list: the first, with the second behind it; a channel of it alone, where one is meant. */
  async showLive(choices, channel = null) {
    this.config.choices = [...this.config.choices.filter((c) => !c.key.startsWith("live")), ...choices];
    this.panes = [choices[0].key, (choices[1] ?? this.choice(this.panes[1])).key];
    this.mip = 0;
    this.look.shown = channel === null ? [1, 1, 1, 0] : [0, 1, 2, 3].map((c) => (c === channel ? 1 : 0));
    this.bar.panes.offer(choices);
    this.bar.showChoices();
    await this.open();
  }

  /** Opens a map; a picture beside the texture that was made of it as the texture's level was filtered. */
  openPicture(choice, beside, round = this.round) {
    const look = beside.texture?.picture === choice.key && this.mip + beside.texture.halvings > 0 ? beside.texture : null;
    return Picture.open(choice, look ? this.mip + look.halvings : Math.min(this.mip, choice.mips - 1), () => { this.draw(); this.read(); }, (share) => {
      say(this.readout, `${choice.label} is looked at for the first time and cut into tiles · ${Math.round(share * 100)} %`);
      return round === this.round;
    }, look?.filtered);
  }

  /** The texture that is shown, in front or behind; undefined where none is. */
  get texture() { return this.opened.find((p) => p?.choice.texture); }

  /** The map in front; the other one while Space is held. */
  get picture() { return this.swapped && this.opened[1] ? this.opened[1] : this.opened[0]; }

  get other() { return this.compare === "one" ? null : this.opened[this.swapped ? 0 : 1]; }

  async loadUvs() {
    const preview = await loadPreview(this.config.low);
    if (preview) this.overlay.takeUvs(preview);
  }

  /** Asks the server how far the two maps are apart. */
  async measure() {
    this.difference = "";
    const [a, b] = this.opened;
    if (this.compare !== "difference" || !a || !b) return;
    const round = this.round;
    const found = await (await fetch(`${a.address}/against${b.address.slice("/pictures".length)}`)).json();
    if (round !== this.round) return;
    const all = a.width * a.height;
    this.difference = !found ? "the maps differ in size"
      : found.psnr === null ? "no texel differs"
      : `PSNR ${found.psnr.toFixed(1)} dB · greatest `
        + `${a.bits === 32 ? found.greatest.toPrecision(3) : `${Math.round(found.greatest * a.full)} of ${a.full}`} · `
        + `${(100 * found.differentTexels / all).toFixed(1)} % of texels differ`;
    this.read();
  }

  /** Space held: the other one. */
  async swap(held) {
    if (held === !!this.swapped) return;
    this.swapped = held;
    const other = this.choice(this.panes[1]);
    if (held && !this.opened[1] && other.address) this.opened[1] = await this.openPicture(other, this.choice(this.panes[0])).catch(() => null);
    this.read();
    this.draw();
  }

  resized() {
    const { clientWidth: w, clientHeight: h } = this.canvas;
    if (w < 2 || h < 2) return;
    if (this.fitted && !this.view.wasMoved) this.view.fit(); else this.draw();
  }

  draw() {
    if (this.pending) return;
    this.pending = requestAnimationFrame(() => { this.pending = 0; this.drawNow(); });
  }

  drawNow() {
    const ratio = Math.min(devicePixelRatio, 2), w = this.canvas.clientWidth, { picture, other } = this;
    tileStore.calm();
    this.painter.begin(ratio);
    if (picture) {
      const same = other && other.width === picture.width && other.height === picture.height;
      if (this.compare === "difference" && same) this.painter.draw(picture, other, this.view, [0, w], this.look);
      else if (this.compare === "wipe" && other) {
        const cut = this.seam * w;
        this.painter.draw(picture, null, this.view, [0, cut], this.look);
        this.painter.draw(other, null, this.otherView(other), [cut, w - cut], this.look);
      } else this.painter.draw(picture, null, this.view, [0, w], this.look);
    }
    this.overlay.draw(this, ratio);
  }

  /** A map of another size is drawn over the same place. */
  otherView(other) {
    const k = this.view.width / other.width;
    return { x: this.view.x, y: this.view.y, width: other.width, height: other.height, scale: this.view.scale * k };
  }

  /** Says what lies under the pointer. */
  read() {
    const { picture } = this, label = this.title();
    if (this.problem) return say(this.readout, this.problem);
    if (!this.pointer) return say(this.readout, label);
    const [fx, fy] = this.view.at(...this.pointer), { width, height } = this.view;
    let [x, y] = [Math.floor(fx), Math.floor(fy)];
    if (this.look.repeat) [x, y] = [((x % width) + width) % width, ((y % height) + height) % height];
    if (x < 0 || y < 0 || x >= width || y >= height) {
      bringTo("point", { from: this, uv: null });
      return say(this.readout, label);
    }
    bringTo("point", { from: this, material: picture?.choice.material ?? null, uv: [(fx / width % 1 + 1) % 1, 1 - (fy / height % 1 + 1) % 1] });
    const right = this.compare === "wipe" && this.other && this.pointer[0] > this.seam * this.canvas.clientWidth;
    const here = right ? this.other : picture;
    const numbers = here ? this.numbers(here, Math.floor(x * here.width / width), Math.floor(y * here.height / height))
      : `u ${(fx / width).toFixed(4)} v ${(1 - fy / height).toFixed(4)}`;
    const against = this.compare === "difference" && this.other ? ` | ${this.numbers(this.other, x, y)}` : "";
    say(this.readout, `x ${x} y ${y} · ${numbers}${against} · ${right ? this.other.choice.label : label}`);
  }

  numbers(picture, x, y) {
    const values = picture.texel(Math.min(x, picture.width - 1), Math.min(y, picture.height - 1));
    if (!values) return "…";
    const letters = picture.channels < 3 ? ["grey", "A"] : ["R", "G", "B", "A"];
    const plain = values.map((v, c) => `${letters[c]} ${picture.write(v)}`).join(" ");
    if (!picture.choice.isNormal || picture.channels < 3) return plain;
    return `${plain} n (${values.slice(0, 3).map((v) => (v / picture.full * 2 - 1).toFixed(picture.bits === 8 ? 2 : 4)).join(", ")})`;
  }

  title() {
    const { picture } = this;
    if (!picture) return `sheet · ${this.config.sheetSize} × ${this.config.sheetSize} px`;
    const describe = (p) => `${p.choice.label}${p.mip ? ` mip ${p.mip}` : ""} · ${p.width} × ${p.height} px · ${p.bits === 32 ? "float" : `${p.bits} bit`}`;
    const decoded = this.texture ? ` · decoded by ${this.texture.decodedBy}` : "";
    if (!this.other) return `${describe(picture)}${picture.choice.texture ? decoded : ""}`;
    return this.compare === "wipe" ? `${picture.choice.label} | ${this.other.choice.label}${decoded}`
      : `${picture.choice.label} − ${this.other.choice.label}${this.difference ? ` · ${this.difference}` : ""}`;
  }

  async flyTo(place, at) {
    const part = this.overlay.paths?.find((p) => p.name === place)?.part ?? place;
    this.picked = part;
    // A place on another sheet is looked at on that sheet, in the same map where it has one.
    if (at && this.picture && this.picture.choice.sheet !== at.sheet) {
      const { group, kind } = this.picture.choice, there = this.config.choices.filter((c) => c.sheet === at.sheet);
      const other = there.find((c) => c.group === group && c.kind === kind) ?? there[0];
      if (other) {
        this.panes[0] = other.key;
        this.bar.showChoices();
        await this.open();
      }
    }
    const region = at ?? this.shownRegions.find((r) => r.part === place);
    if (region) {
      // With what lies around it: a few texels alone could be anywhere.
      const width = Math.max(NEARBY, region.width), height = Math.max(NEARBY, region.height);
      this.view.show(region.x - (width - region.width) / 2, region.y - (height - region.height) / 2, width, height);
    }
    this.draw();
  }

  grabSeam(event) {
    if (this.compare !== "wipe" || Math.abs(event.offsetX - this.seam * this.canvas.clientWidth) > 12) return;
    event.stopImmediatePropagation();
    this.canvas.setPointerCapture(event.pointerId);
    const move = (e) => { this.seam = Math.min(1, Math.max(0, e.offsetX / this.canvas.clientWidth)); this.draw(); };
    this.canvas.addEventListener("pointermove", move);
    this.canvas.addEventListener("pointerup", () => this.canvas.removeEventListener("pointermove", move), { once: true });
  }

  /** Results came: the page's own copy of this element knows the new maps. */
  async refresh(page) {
    const fresh = page.querySelector("[data-map-viewer]");
    if (!fresh || fresh.dataset.config === this.root.dataset.config) return;
    const before = this.config.choices, panes = [...this.panes], first = this.config.start.a, { kind, sheet } = this.choice(panes[0]);
    this.root.dataset.config = fresh.dataset.config;
    const { compare } = this;
    this.takeConfig();
    // What was looked at stays, unless the page now has what it came for.
    if (first === this.config.start.a && before.length > 1) [this.panes,
      this.compare] = [panes.map((p, i) => (this.config.choices.some((c) => c.key === p) ? p : this.panes[i])), compare];
    // What was seen as it was typed is now made.
    const made = panes[0].startsWith("live") && this.config.choices.find((c) => c.group === "Packed" && c.kind === kind && c.sheet === sheet);
    if (made) this.panes[0] = made.key;
    this.overlay.paths = null;
    this.bar.panes.take(fresh);
    this.bar.showChoices();
    await this.open();
  }
}

start("[data-map-viewer]", (root) => {
  const map = root.map = new MapViewer(root);
  // Thumbnails beside the viewer open in it.
  document.addEventListener("click", (event) => {
    const { showMap: key, showChannel: channel } = event.target.closest("[data-show-map]")?.dataset ?? {};
    if (!key) return;
    // One channel alone, or the colours again.
    if (channel) map.look.shown = channel === "all" ? [1, 1, 1, 0] : [0, 1, 2, 3].map((c) => (c === Number(channel) ? 1 : 0));
    map.panes[0] = key;
    map.mip = 0;
    map.bar.showChoices();
    map.open();
  });
  return map;
});
