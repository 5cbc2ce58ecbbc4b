// A camera that turns about a point: drag to turn, Shift-drag or right-drag to move, wheel, pinch or + and - to zoom, F to frame.
import * as THREE from "/lib/three/three.module.js";

export class Camera {
  constructor(canvas, changed) {
    this.three = new THREE.PerspectiveCamera(32, 1, 0.01, 100);
    this.canvas = canvas;
    this.changed = changed;
    this.target = new THREE.Vector3();
    this.distance = 3;
    this.yaw = 0.62;
    this.pitch = 0.28;
    this.pointers = new Map();
    canvas.addEventListener("pointerdown", (e) => { canvas.setPointerCapture(e.pointerId); this.pointers.set(e.pointerId, e); });
    canvas.addEventListener("pointermove", (e) => this.move(e));
    for (const end of ["pointerup", "pointercancel"]) canvas.addEventListener(end, (e) => this.pointers.delete(e.pointerId));
    canvas.addEventListener("contextmenu", (e) => e.preventDefault());
    canvas.addEventListener("wheel", (e) => { e.preventDefault(); this.zoom(Math.exp(e.deltaY * 0.0012)); }, { passive: false });
    canvas.addEventListener("keydown", (e) => this.key(e));
    this.place();
  }

  aspect(value) {
    this.three.aspect = value;
    this.three.updateProjectionMatrix();
  }

  frame(box) {
    const size = box.getSize(new THREE.Vector3()).length();
    box.getCenter(this.target);
    const half = Math.tan(THREE.MathUtils.degToRad(this.three.fov / 2)) * Math.min(1, this.three.aspect);
    this.distance = Math.max(0.02, size * 0.5 / half * 1.02);
    this.place();
  }

  metresPerPixel(height) {
    return 2 * this.distance * Math.tan(THREE.MathUtils.degToRad(this.three.fov / 2)) / height;
  }

  zoom(factor) {
    this.distance = Math.min(500, Math.max(0.005, this.distance * factor));
    this.place();
  }

  move(event) {
    const before = this.pointers.get(event.pointerId);
    if (!before) return;
    const dx = event.clientX - before.clientX, dy = event.clientY - before.clientY;
    if (this.pointers.size === 2) {
      const other = [...this.pointers.entries()].find(([id]) => id !== event.pointerId)[1];
      const gap = (e) => Math.hypot(e.clientX - other.clientX, e.clientY - other.clientY);
      this.zoom(gap(before) / Math.max(1, gap(event)));
      this.pan(dx / 2, dy / 2);
    } else if (event.shiftKey || event.buttons & 6) {
      this.pan(dx, dy);
    } else {
      this.turn(dx * -0.008, dy * 0.008);
    }
    this.pointers.set(event.pointerId, event);
  }

  turn(yaw, pitch) {
    this.yaw += yaw;
    this.pitch = Math.min(1.55, Math.max(-1.55, this.pitch + pitch));
    this.place();
  }

  pan(dx, dy) {
    const step = this.metresPerPixel(this.canvas.clientHeight);
    this.target.addScaledVector(new THREE.Vector3().setFromMatrixColumn(this.three.matrix, 0), -dx * step);
    this.target.addScaledVector(new THREE.Vector3().setFromMatrixColumn(this.three.matrix, 1), dy * step);
    this.place();
  }

  key(event) {
    const turn = { ArrowLeft: [0.12, 0], ArrowRight: [-0.12, 0], ArrowUp: [0, 0.12], ArrowDown: [0, -0.12] }[event.key];
    if (turn && event.shiftKey) this.pan(turn[0] * 200, turn[1] * -200);
    else if (turn) this.turn(...turn);
    else if (event.key === "+" || event.key === "=") this.zoom(0.85);
    else if (event.key === "-") this.zoom(1.18);
    else if (event.key.toLowerCase() === "f" && this.home) this.frame(this.home);
    else return;
    event.preventDefault();
  }

  place() {
    const c = Math.cos(this.pitch);
    this.three.position.set(Math.sin(this.yaw) * c, Math.sin(this.pitch), Math.cos(this.yaw) * c).multiplyScalar(this.distance).add(this.target);
    this.three.near = this.distance / 100;
    this.three.far = this.distance * 20 + 20;
    this.three.lookAt(this.target);
    this.three.updateMatrix();
    this.three.updateProjectionMatrix();
    this.changed();
  }
}
