// Moving about on a flat canvas: drag to move, wheel or pinch to zoom to the pointer.

export class PanZoom {
  /** @param canvas the canvas; @param changed called when the view moved */
  constructor(canvas, changed) {
    this.canvas = canvas;
    this.changed = changed;
    this.width = this.height = 1;
    this.scale = 1;
    this.x = this.y = 0;
    this.pointers = new Map();
    canvas.addEventListener("pointerdown", (e) => { canvas.setPointerCapture(e.pointerId); this.pointers.set(e.pointerId, e); });
    canvas.addEventListener("pointermove", (e) => this.move(e));
    for (const end of ["pointerup", "pointercancel"]) canvas.addEventListener(end, (e) => this.pointers.delete(e.pointerId));
    canvas.addEventListener("wheel", (e) => {
      e.preventDefault();
      const unit = e.deltaMode === 1 ? 16 : 1;
      if (!e.ctrlKey && (e.shiftKey || Math.abs(e.deltaX) > Math.abs(e.deltaY))) this.pan(-(e.deltaX + (e.shiftKey ? e.deltaY : 0)) * unit, 0);
      else this.zoomAt(e.offsetX, e.offsetY, Math.exp(-e.deltaY * unit * (e.ctrlKey ? 0.01 : 0.0015)));
    }, { passive: false });
  }

  /** Sets the content's size and shows it whole, or so many of it side by side. */
  fit(width = this.width, height = this.height, times = 1) {
    const { clientWidth: w, clientHeight: h } = this.canvas, edge = 16, foot = 40;
    Object.assign(this, { width, height, wasMoved: times > 1 });
    this.scale = Math.max(1e-4, Math.min((w - 2 * edge) / (width * times), (h - edge - foot) / (height * times)));
    this.x = (w - width * this.scale) / 2;
    this.y = edge + (h - edge - foot - height * this.scale) / 2;
    this.changed();
  }

  /** One texel on one pixel of the screen, about the middle. */
  actual() {
    this.zoom(1 / (this.scale * devicePixelRatio));
  }

  /** Shows a rectangle of the content large in the middle. */
  show(x, y, w, h) {
    const { clientWidth, clientHeight } = this.canvas;
    this.wasMoved = true;
    this.scale = Math.min(24, Math.min(clientWidth / (w * 4), clientHeight / (h * 4)));
    this.x = clientWidth / 2 - (x + w / 2) * this.scale;
    this.y = clientHeight / 2 - (y + h / 2) * this.scale;
    this.changed();
  }

  zoom(factor) { this.zoomAt(this.canvas.clientWidth / 2, this.canvas.clientHeight / 2, factor); }

  zoomAt(px, py, factor) {
    const scale = Math.min(96, Math.max(0.005, this.scale * factor));
    this.x = px - (px - this.x) * scale / this.scale;
    this.y = py - (py - this.y) * scale / this.scale;
    this.scale = scale;
    this.wasMoved = true;
    this.changed();
  }

  pan(dx, dy) {
    this.x += dx;
    this.y += dy;
    this.wasMoved = true;
    this.changed();
  }

  move(event) {
    const before = this.pointers.get(event.pointerId);
    if (!before) return;
    this.pointers.set(event.pointerId, event);
    const dx = event.clientX - before.clientX, dy = event.clientY - before.clientY;
    if (this.pointers.size < 2) return this.pan(dx, dy);
    const other = [...this.pointers.values()].find((p) => p.pointerId !== event.pointerId);
    const gap = (e) => Math.hypot(e.clientX - other.clientX, e.clientY - other.clientY);
    this.pan(dx / 2, dy / 2);
    this.zoomAt((event.offsetX + other.offsetX) / 2, (event.offsetY + other.offsetY) / 2, gap(event) / Math.max(1, gap(before)));
  }

  /** Point of the content under a point of the canvas. */
  at(px, py) { return [(px - this.x) / this.scale, (py - this.y) / this.scale]; }
}
