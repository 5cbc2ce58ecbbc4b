// The map viewer: a bitmap with its numbers, or two of them with a seam to wipe, and the places of faults.
import { PanZoom, sharpContext } from "./pan-zoom.js";

class MapView {
  constructor(root) {
    this.root = root;
    this.canvas = root.querySelector("canvas");
    this.readout = root.querySelector(".readout");
    this.seam = 0.5;
    this.swapped = false;
    this.view = new PanZoom(this.canvas, () => requestAnimationFrame(() => this.draw()));
    this.regions = [...root.querySelectorAll(".regions li")].map((li) => ({ part: li.dataset.part, x: +li.dataset.x, y: +li.dataset.y, w: +li.dataset.w, h: +li.dataset.h }));
    for (const tab of root.querySelectorAll("[data-map]")) tab.addEventListener("click", () => this.open(tab));
    this.canvas.addEventListener("pointerdown", (e) => this.grabSeam(e), { capture: true });
    this.canvas.addEventListener("pointermove", (e) => this.read(e));
    for (const type of ["keydown", "keyup"]) document.addEventListener(type, (e) => this.compare(e));
    document.body.addEventListener("fly-to", (e) => this.flyTo(e.detail));
    new ResizeObserver(() => this.picture && this.view.fit(this.picture.width, this.picture.height)).observe(root);
    this.open(root.querySelector('[aria-selected="true"]') ?? root.querySelector("[data-map]"));
  }

  async open(tab) {
    for (const t of this.root.querySelectorAll("[data-map]")) t.setAttribute("aria-selected", t === tab);
    this.tab = tab;
    this.readout.textContent = `loading ${tab.dataset.label}`;
    const [picture, other] = await Promise.all([load(tab.dataset.map), tab.dataset.other ? load(tab.dataset.other) : null]);
    if (this.tab !== tab) return;
    const first = !this.picture;
    Object.assign(this, { picture, other });
    this.readout.textContent = tab.dataset.label;
    this.root.dataset.ready = tab.dataset.map;
    if (first || this.view.width !== picture.width) this.view.fit(picture.width, picture.height); else this.draw();
  }

  draw() {
    if (!this.picture) return;
    const context = sharpContext(this.canvas), { x, y, scale } = this.view, { width, height } = this.picture;
    context.imageSmoothingEnabled = scale < 1.5;
    context.imageSmoothingQuality = "high";
    const put = (picture) => context.drawImage(picture.source, x, y, width * scale, height * scale);
    const [left, right] = this.swapped ? [this.other, this.picture] : [this.picture, this.other];
    if (!this.other) put(this.picture);
    else {
      const cut = this.seam * this.canvas.clientWidth;
      for (const [picture, from, to] of [[left, 0, cut], [right, cut, this.canvas.clientWidth]]) {
        context.save();
        context.beginPath();
        context.rect(from, 0, to - from, this.canvas.clientHeight);
        context.clip();
        put(picture);
        context.restore();
      }
      context.fillStyle = "#fff";
      context.fillRect(cut - 1, 0, 2, this.canvas.clientHeight);
    }
    context.strokeStyle = "#ffe94a";
    context.lineWidth = 2;
    for (const r of this.regions) {
      const pad = Math.max(0, 5 - Math.min(r.w, r.h) * scale) / 2 + 2;
      context.strokeRect(x + r.x * scale - pad, y + r.y * scale - pad, r.w * scale + 2 * pad, r.h * scale + 2 * pad);
    }
  }

  read(event) {
    if (!this.picture) return;
    const [fx, fy] = this.view.at(event.offsetX, event.offsetY), x = Math.floor(fx), y = Math.floor(fy);
    if (x < 0 || y < 0 || x >= this.picture.width || y >= this.picture.height) {
      this.readout.textContent = this.tab.dataset.label;
      return;
    }
    const onOther = this.other && (event.offsetX > this.seam * this.canvas.clientWidth) !== this.swapped;
    const [r, g, b] = (onOther ? this.other : this.picture).texel(x, y);
    const vector = this.tab.dataset.normal === "True" && !onOther ? ` n (${[r, g, b].map((c) => (c / 127.5 - 1).toFixed(2)).join(", ")})` : "";
    this.readout.textContent = `${onOther ? this.tab.dataset.otherLabel : this.tab.dataset.label} · x ${x} y ${y} R ${r} G ${g} B ${b}${vector}`;
  }

  flyTo(place) {
    const region = this.regions.find((r) => r.part === place);
    if (region) this.view.show(region.x, region.y, Math.max(8, region.w), Math.max(8, region.h));
  }

  compare(event) {
    if (event.key !== " " || !this.other || event.target.closest("input, select, button, a")) return;
    event.preventDefault();
    this.swapped = event.type === "keydown";
    this.draw();
  }

  grabSeam(event) {
    if (!this.other || Math.abs(event.offsetX - this.seam * this.canvas.clientWidth) > 12) return;
    event.stopImmediatePropagation();
    this.canvas.setPointerCapture(event.pointerId);
    const move = (e) => { this.seam = Math.min(1, Math.max(0, e.offsetX / this.canvas.clientWidth)); this.draw(); };
    const up = () => { this.canvas.removeEventListener("pointermove", move); this.canvas.removeEventListener("pointerup", up); };
    this.canvas.addEventListener("pointermove", move);
    this.canvas.addEventListener("pointerup", up);
  }
}

async function load(url) {
  const blob = await (await fetch(url)).blob();
  const source = await createImageBitmap(blob, { colorSpaceConversion: "none", premultiplyAlpha: "none" });
  const probe = new OffscreenCanvas(1, 1).getContext("2d", { willReadFrequently: true });
  return {
    source, width: source.width, height: source.height,
    texel(x, y) {
      probe.clearRect(0, 0, 1, 1);
      probe.drawImage(source, x, y, 1, 1, 0, 0, 1, 1);
      return probe.getImageData(0, 0, 1, 1).data;
    },
  };
}

function start() {
  const root = document.getElementById("map");
  if (root && !root.mapView && root.querySelector("canvas")) root.mapView = new MapView(root);
}
document.body.addEventListener("htmx:afterSettle", start);
start();
