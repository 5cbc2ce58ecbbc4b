// Where the stage flies to when something on the page is pressed.
import * as THREE from "../../lib/three/three.module.js";
import { gapLine, rayArrow } from "./props.js";
import { say } from "../viewers.js";

/** Goes to a place: a part or object by name, and where there is one a spot, which is marked. */
export async function flyTo(stage, { place, side: wanted, spot, gap, pair, ray }) {
  const shown = () => stage.panes.slice(0, stage.compare === "one" ? 1 : 2);
  // What the place is on may not be among what is shown.
  if (wanted && !shown().some((look) => look.startsWith(`${wanted}:`)) && stage.bar.panes.choices().includes(`${wanted}:plain`)) {
    const now = `${wanted}:plain`;
    // What was shown stays at hand to compare with.
    stage.panes = [now, stage.panes[1] === now ? stage.panes[0] : stage.panes[1]];
    stage.bar.showChoices();
    await stage.load();
  }
  const fits = (o) => o.part === place || o.name === place, side = stage.loadedSides.find((s) => s.objects.some(fits));
  stage.mark(null);
  stage.gap?.removeFromParent();
  stage.gap = null;
  if (ray) stage.scene.add(stage.gap = rayArrow(new THREE.Vector3(...ray.slice(0, 3)), new THREE.Vector3(...ray.slice(3))));
  if (gap) {
    // The two that come near each other, and nothing that hides where.
    const [from, to] = [new THREE.Vector3(...gap.slice(0, 3)), new THREE.Vector3(...gap.slice(3))], middle = from.clone().add(to).divideScalar(2);
    stage.scene.add(stage.gap = gapLine(from, to));
    spot = [...middle.toArray(), Math.max(0.03, 6 * from.distanceTo(to))];
    stage.hidden = new Set(stage.loadedSides.flatMap((s) => s.objects.map((o) => o.part)).filter((part) => part !== place && part !== pair));
    stage.hiddenForGap = true;
  } else if (stage.hiddenForGap) {
    stage.hidden.clear();
    stage.hiddenForGap = false;
  }
  if (side) {
    const { part } = side.objects.find(fits);
    stage.hidden.delete(part);
    stage.picked = part;
    stage.arrange();
    stage.bar.showParts();
    if (!spot) stage.framePicked();
  } else if (!spot) return;
  if (spot) {
    const [x, y, z, radius] = spot, at = new THREE.Vector3(x, y, z);
    stage.frame(new THREE.Box3().setFromCenterAndSize(at, new THREE.Vector3(1, 1, 1).multiplyScalar(1.2 * radius)));
    // A ring around nearly everything would say nothing.
    if (!gap && radius < 0.3 * stage.boxOf().getSize(new THREE.Vector3()).length()) stage.mark(at);
  }
  stage.describe();
  if (gap) say(stage.readout, `${place} and ${pair} · ${(1000 * Math.hypot(gap[3] - gap[0], gap[4] - gap[1], gap[5] - gap[2])).toFixed(1)} mm apart`);
}
