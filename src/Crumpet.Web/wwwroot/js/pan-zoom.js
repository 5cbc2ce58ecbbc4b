// Moving about on a flat canvas: drag to move, wheel, pinch or + and - to zoom to the pointer, 0 to fit.

export class PanZoom {
  /** @param canvas the canvas; @param changed called when the view moved */
  constructor(canvas, changed) {
    this.canvas = canvas;
    this.changed = changed;
    this.width = this.height = 1;
    this.pointers = new Map();
    canvas.addEventListener("pointerdown", (e) => { canvas.setPointerCapture(e.pointerId); this.pointers.set(e.pointerId, e); });
    canvas.addEventListener("pointermove", (e) => this.move(e));
    for (const end of ["pointerup", "pointercancel"]) canvas.addEventListener(end, (e) => this.pointers.delete(e.pointerId));
    canvas.addEventListener("wheel", (e) => { e.preventDefault(); this.zoomAt(e.offsetX, e.offsetY, Math.exp(-e.deltaY * 0.0015)); }, { passive: false });
    canvas.addEventListener("keydown", (e) => {
      const step = { ArrowLeft: [40, 0], ArrowRight: [-40, 0], ArrowUp: [0, 40], ArrowDown: [0, -40] }[e.key];
      if (step) { this.x += step[0]; this.y += step[1]; this.changed(); }
      else if (e.key === "+" || e.key === "=") this.zoomAt(canvas.clientWidth / 2, canvas.clientHeight / 2, 1.3);
      else if (e.key === "-") this.zoomAt(canvas.clientWidth / 2, canvas.clientHeight / 2, 1 / 1.3);
      else if (e.key === "0" || e.key.toLowerCase() === "f") this.fit();
      else return;
      e.preventDefault();
    });
  }

  /** Sets the content's size and shows it whole. */
  fit(width = this.width, height = this.height) {
    const { clientWidth: w, clientHeight: h } = this.canvas;
    const top = 48, edge = 20;
    Object.assign(this, { width, height });
    this.scale = Math.min((w - 2 * edge) / width, (h - top - 40) / height);
    this.x = (w - width * this.scale) / 2;
    this.y = top + (h - top - 40 - height * this.scale) / 2;
    this.changed();
  }

  /** Shows a rectangle of the content large in the middle. */
  show(x, y, w, h) {
    const { clientWidth, clientHeight } = this.canvas;
    this.scale = Math.min(24, Math.min(clientWidth / (w * 4), clientHeight / (h * 4)));
    this.x = clientWidth / 2 - (x + w / 2) * this.scale;
    this.y = clientHeight / 2 - (y + h / 2) * this.scale;
    this.changed();
  }

  zoomAt(px, py, factor) {
    const scale = Math.min(64, Math.max(0.02, this.scale * factor));
    this.x = px - (px - this.x) * scale / this.scale;
    this.y = py - (py - this.y) * scale / this.scale;
    this.scale = scale;
    this.changed();
  }

  move(event) {
    const before = this.pointers.get(event.pointerId);
    if (!before) return;
    if (this.pointers.size === 2) {
      const other = [...this.pointers.entries()].find(([id]) => id !== event.pointerId)[1];
      const gap = (e) => Math.hypot(e.clientX - other.clientX, e.clientY - other.clientY);
      this.zoomAt((event.offsetX + other.offsetX) / 2, (event.offsetY + other.offsetY) / 2, gap(event) / Math.max(1, gap(before)));
    } else {
      this.x += event.clientX - before.clientX;
      this.y += event.clientY - before.clientY;
      this.changed();
    }
    this.pointers.set(event.pointerId, event);
  }

  /** Point of the content under a point of the canvas. */
  at(px, py) { return [(px - this.x) / this.scale, (py - this.y) / this.scale]; }
}

/** Gives the canvas as many pixels as the screen shows, and a context scaled to CSS pixels. */
export function sharpContext(canvas) {
  const ratio = Math.min(devicePixelRatio, 2), w = Math.round(canvas.clientWidth * ratio), h = Math.round(canvas.clientHeight * ratio);
  if (canvas.width !== w || canvas.height !== h) Object.assign(canvas, { width: w, height: h });
  const context = canvas.getContext("2d");
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  context.clearRect(0, 0, canvas.clientWidth, canvas.clientHeight);
  return context;
}
