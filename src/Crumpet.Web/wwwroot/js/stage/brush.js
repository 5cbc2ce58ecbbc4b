// A brush drawn over the low side: where it goes is shown, and told when it ends.
import * as THREE from "../../lib/three/three.module.js";
import { surfaceUnder } from "./pointing.js";
import { bringTo, say } from "../viewers.js";

const most = 400;

/** Starts a stroke under the pointer. @returns whether there was something to draw on */
export function stroke(stage, event) {
  const first = surfaceUnder(stage, event.offsetX, event.offsetY);
  if (!first) return false;
  const { canvas } = stage, points = [first.place], geometry = new THREE.BufferGeometry().setFromPoints(points);
  const trail = stage.trail = new THREE.Group();
  trail.add(new THREE.Line(geometry, new THREE.LineBasicMaterial({ color: 0xffe94a, depthTest: false, transparent: true })));
  trail.add(new THREE.Points(geometry, new THREE.PointsMaterial({ color: 0xffe94a, size: 5, sizeAttenuation: false, depthTest: false, transparent: true })));
  for (const o of trail.children) {
    o.renderOrder = 9;
    o.frustumCulled = false;
  }
  stage.scene.add(trail);
  canvas.setPointerCapture(event.pointerId);
  const move = (e) => {
    const hit = surfaceUnder(stage, e.offsetX, e.offsetY);
    // A stroke stays on the part it began on.
    if (!hit || hit.part !== first.part || points.length >= most || hit.place.distanceTo(points.at(-1)) < 0.002) return;
    points.push(hit.place);
    geometry.setFromPoints(points);
    say(stage.readout, `${first.part} · stroke of ${points.length} points`);
    stage.draw();
  };
  const end = (e) => {
    canvas.removeEventListener("pointermove", move);
    trail.removeFromParent();
    geometry.dispose();
    stage.trail = null;
    stage.draw();
    if (e.type === "pointerup") bringTo("stroke", { part: first.part, points: points.flatMap((p) => p.toArray()), lower: event.shiftKey });
  };
  canvas.addEventListener("pointermove", move);
  canvas.addEventListener("pointerup", end, { once: true });
  canvas.addEventListener("pointercancel", end, { once: true });
  stage.draw();
  return true;
}
