// What lies under the pointer, and where a point of the sheet lies on the asset.
import * as THREE from "../../lib/three/three.module.js";
import { aim, showOnly } from "./painting.js";

/** Part drawn under a point of the canvas, found by drawing that one pixel in part numbers; null where there is none. */
export function partUnder(stage, x, y) {
  const pane = stage.paneAt(x), side = stage.side(pane.look), { renderer } = stage;
  if (!side) return null;
  const target = stage.target ??= new THREE.WebGLRenderTarget(1, 1), camera = aim(stage, pane);
  camera.setViewOffset(pane.area.width, pane.h, x - pane.area.x, y, 1, 1);
  showOnly(stage, side, stage.book.pickMaterial, false);
  renderer.setRenderTarget(target);
  renderer.setScissorTest(false);
  renderer.setViewport(0, 0, 1, 1);
  renderer.setClearColor(0, 0);
  renderer.clear();
  renderer.render(stage.scene, camera);
  renderer.setRenderTarget(null);
  camera.clearViewOffset();
  const pixel = new Uint8Array(4);
  renderer.readRenderTargetPixels(target, 0, 0, 1, 1, pixel);
  stage.draw();
  return side.objects[pixel[0] + 256 * pixel[1] + 65536 * pixel[2] - 1]?.part ?? null;
}

/** The low side's surface under a point of the canvas: part, place, UV, material number and density for a sheet of one pixel; null where there is none. */
export function surfaceUnder(stage, x, y) {
  const low = stage.sides.low?.now, pane = stage.paneAt(x);
  if (!low) return null;
  const caster = new THREE.Raycaster();
  caster.setFromCamera(new THREE.Vector2((x - pane.area.x) / pane.area.width * 2 - 1, 1 - y / pane.h * 2), aim(stage, pane));
  const hit = caster.intersectObjects(low.objects.filter((o) => o.mesh.visible).map((o) => o.mesh), false)[0];
  if (!hit) return null;
  const { geometry } = hit.object, density = geometry.getAttribute("density"), { a, b, c } = hit.face;
  return {
    part: hit.object.name, object: hit.object.userData.object.name, place: hit.point.clone().sub(hit.object.userData.object.offset), uv: hit.uv
      ? [hit.uv.x, hit.uv.y] : null, material: geometry.getAttribute("position").array[4 * a + 3] - 1,
    density: density ? (density.getX(a) + density.getX(b) + density.getX(c)) / 3 : 0,
  };
}

/** The point of the low side that has these UVs, where it is drawn; null where there is none. */
export function pointOf(stage, [u, v], only = null) {
  for (const { mesh, source } of stage.sides.low?.now?.objects ?? []) {
    const { uv, index, position } = source.levels[0];
    if (!uv || !mesh.visible) continue;
    for (let i = 0; i < index.length; i += 3) {
      const [a, b, c] = [index[i], index[i + 1], index[i + 2]];
      if (only !== null && position[4 * a + 3] - 1 !== only) continue;
      const bu = uv[2 * b] - uv[2 * a], bv = uv[2 * b + 1] - uv[2 * a + 1], cu = uv[2 * c] - uv[2 * a], cv = uv[2 * c + 1] - uv[2 * a + 1], pu = u - uv[2 * a],
        pv = v - uv[2 * a + 1];
      const area = bu * cv - bv * cu, s = (pu * cv - pv * cu) / area, t = (bu * pv - bv * pu) / area;
      if (!(s >= 0 && t >= 0 && s + t <= 1)) continue;
      const at = (axis) => (position[4 * a + axis] * (1 - s - t) + position[4 * b + axis] * s + position[4 * c + axis] * t) / 65535;
      return new THREE.Vector3(at(0), at(1), at(2)).applyMatrix4(mesh.matrixWorld);
    }
  }
  return null;
}
