// A camera that turns about a point. Drag turns, Shift-drag or another button moves; the wheel, a pinch or + and - zoom to the pointer.
import * as THREE from "../../lib/three/three.module.js";

const halfField = THREE.MathUtils.degToRad(16);

/** Ways to look at the asset: yaw and pitch in radians. */
export const views = {
  front: [0, 0], back: [Math.PI, 0], right: [Math.PI / 2, 0], left: [-Math.PI / 2, 0], above: [0, Math.PI / 2], below: [0, -Math.PI / 2], corner: [0.62, 0.28],
};

export class Camera {
  /** @param canvas where it listens; @param changed called with whether it is being moved */
  constructor(canvas, changed) {
    this.canvas = canvas;
    this.changed = changed;
    this.perspective = new THREE.PerspectiveCamera(THREE.MathUtils.radToDeg(2 * halfField), 1, 0.01, 100);
    this.flat = new THREE.OrthographicCamera();
    this.three = this.perspective;
    this.target = new THREE.Vector3();
    this.distance = 3;
    [this.yaw, this.pitch] = views.corner;
    this.aspect = 1;
    this.pointers = new Map();
    canvas.addEventListener("pointerdown", (e) => { canvas.setPointerCapture(e.pointerId); this.pointers.set(e.pointerId, e); });
    canvas.addEventListener("pointermove", (e) => this.move(e));
    for (const end of ["pointerup", "pointercancel"]) canvas.addEventListener(end, (e) => this.pointers.delete(e.pointerId));
    canvas.addEventListener("contextmenu", (e) => e.preventDefault());
    canvas.addEventListener("wheel", (e) => this.wheel(e), { passive: false });
    this.place(false);
  }

  get isFlat() { return this.three === this.flat; }

  /** Straight lines that stay parallel, or perspective. */
  setFlat(flat) {
    this.three = flat ? this.flat : this.perspective;
    this.place();
  }

  look(name) {
    [this.yaw, this.pitch] = views[name];
    this.place();
  }

  frame(box) {
    if (box.isEmpty()) return;
    const size = Math.max(0.002, box.getSize(new THREE.Vector3()).length());
    box.getCenter(this.target);
    this.distance = size * 0.55 / (Math.tan(halfField) * Math.min(1, this.aspect));
    this.place();
  }

  setAspect(aspect) {
    if (this.aspect === aspect) return;
    this.aspect = aspect;
    this.place(false);
  }

  metresPerPixel(height) { return 2 * this.distance * Math.tan(halfField) / height; }

  /** Closer or farther; what lies under the point of the pane, both -1 to 1, stays there. */
  zoom(factor, x = 0, y = 0) {
    const before = this.distance;
    this.distance = Math.min(500, Math.max(0.003, before * factor));
    const half = Math.tan(halfField) * (before - this.distance);
    this.shift(x * half * this.aspect, y * half);
    this.place();
  }

  turn(yaw, pitch) {
    this.yaw += yaw;
    this.pitch = Math.min(Math.PI / 2, Math.max(-Math.PI / 2, this.pitch + pitch));
    this.place();
  }

  pan(dx, dy) {
    const step = this.metresPerPixel(this.canvas.clientHeight);
    this.shift(-dx * step, dy * step);
    this.place();
  }

  shift(right, up) {
    this.target.addScaledVector(new THREE.Vector3().setFromMatrixColumn(this.three.matrix, 0), right);
    this.target.addScaledVector(new THREE.Vector3().setFromMatrixColumn(this.three.matrix, 1), up);
  }

  wheel(event) {
    event.preventDefault();
    const unit = event.deltaMode === 1 ? 16 : 1;
    // A pinch on a touch pad comes as a wheel with Ctrl; sideways strokes move.
    if (!event.ctrlKey && (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY))) this.pan(
      -event.deltaX * unit - (event.shiftKey ? event.deltaY * unit : 0), 0);
    else this.zoom(Math.exp(event.deltaY * unit * (event.ctrlKey ? 0.01 : 0.0012)), ...this.pane(event));
  }

  /** Place of a pointer within its pane, -1 to 1. The stage says where panes are. */
  pane(event) {
    const { x, width } = this.paneAt ? this.paneAt(event.offsetX) : { x: 0, width: this.canvas.clientWidth };
    return [(event.offsetX - x) / width * 2 - 1, 1 - event.offsetY / this.canvas.clientHeight * 2];
  }

  move(event) {
    const before = this.pointers.get(event.pointerId);
    if (!before) return;
    this.pointers.set(event.pointerId, event);
    const dx = event.clientX - before.clientX, dy = event.clientY - before.clientY;
    if (this.pointers.size === 2) {
      const other = [...this.pointers.values()].find((p) => p.pointerId !== event.pointerId);
      const gap = (e) => Math.hypot(e.clientX - other.clientX, e.clientY - other.clientY);
      this.pan(dx / 2, dy / 2);
      this.zoom(gap(before) / Math.max(1, gap(event)));
    } else if (event.shiftKey || event.buttons & 6) {
      this.pan(dx, dy);
    } else {
      this.turn(dx * -0.008, dy * 0.008);
    }
  }

  /** @returns whether the key was one of the camera's */
  key(event) {
    const turn = { ArrowLeft: [0.12, 0], ArrowRight: [-0.12, 0], ArrowUp: [0, 0.12], ArrowDown: [0, -0.12] }[event.key];
    if (turn && event.shiftKey) this.pan(turn[0] * 200, turn[1] * -200);
    else if (turn) this.turn(...turn);
    else if (event.key === "+" || event.key === "=") this.zoom(0.85);
    else if (event.key === "-") this.zoom(1.18);
    else return false;
    return true;
  }

  place(moving = true) {
    const c = Math.cos(this.pitch), camera = this.three;
    const away = new THREE.Vector3(Math.sin(this.yaw) * c, Math.sin(this.pitch), Math.cos(this.yaw) * c);
    camera.position.copy(away).multiplyScalar(this.distance).add(this.target);
    camera.near = this.isFlat ? -20 - this.distance * 20 : this.distance / 100;
    camera.far = this.distance * 20 + 20;
    // Straight from above, up is away from the front.
    camera.up.set(-Math.sin(this.yaw) * Math.sin(this.pitch), c, -Math.cos(this.yaw) * Math.sin(this.pitch)).normalize();
    camera.lookAt(this.target);
    if (this.isFlat) {
      const half = this.distance * Math.tan(halfField);
      Object.assign(camera, { left: -half * this.aspect, right: half * this.aspect, top: half, bottom: -half });
    } else camera.aspect = this.aspect;
    camera.updateMatrix();
    camera.updateMatrixWorld();
    camera.updateProjectionMatrix();
    this.away = away;
    this.changed(moving);
  }
}
