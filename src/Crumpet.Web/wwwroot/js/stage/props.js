// What stands around the asset, a metre grid and a figure 1.75 m tall, and what is marked on it.
import * as THREE from "../../lib/three/three.module.js";

/** Lines every metre, fainter ones every 0.1 m under and around the asset. */
export function metreGrid(box) {
  const reach = Math.max(1, Math.ceil(Math.max(box.max.x, -box.min.x, box.max.z, -box.min.z) + 0.5));
  const group = new THREE.Group();
  for (const [step, ink, skip] of [[0.1, 0.06, 10], [1, 0.28, 0]]) {
    const points = [], count = Math.round(reach / step);
    for (let i = -count; i <= count; i++) {
      if (skip && i % skip === 0) continue;
      const at = i * step;
      points.push(at, 0, -reach, at, 0, reach, -reach, 0, at, reach, 0, at);
    }
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.Float32BufferAttribute(points, 3));
    group.add(new THREE.LineSegments(geometry, new THREE.LineBasicMaterial({ color: 0xffffff, transparent: true, opacity: ink, depthWrite: false })));
  }
  group.position.y = Math.min(0, box.min.y);
  return group;
}

/** A cut-out person beside the asset who turns to the viewer. */
export function figure(box) {
  const shape = [];
  const circle = (x, y, r) => { const s = new THREE.Shape(); s.absarc(x, y, r, 0, 2 * Math.PI); shape.push(s); };
  const limb = (x0, y0, x1, y1, r) => {
    const s = new THREE.Shape(), angle = Math.atan2(y1 - y0, x1 - x0);
    s.absarc(x1, y1, r, angle - Math.PI / 2, angle + Math.PI / 2);
    s.absarc(x0, y0, r, angle + Math.PI / 2, angle + 1.5 * Math.PI);
    shape.push(s);
  };
  circle(0, 1.645, 0.105);
  limb(0, 1.0, 0, 1.36, 0.135);
  for (const way of [-1, 1]) {
    limb(way * 0.075, 0.055, way * 0.07, 0.98, 0.055);
    limb(way * 0.24, 0.86, way * 0.185, 1.43, 0.04);
  }
  const mesh = new THREE.Mesh(new THREE.ShapeGeometry(shape, 24), new THREE.MeshBasicMaterial({ color: 0xa9a699, side: THREE.DoubleSide }));
  mesh.position.set(box.min.x - 0.5, Math.min(0, box.min.y), (box.min.z + box.max.z) / 2);
  return mesh;
}

/** A bright line between two points that come near each other, drawn over everything. */
export function gapLine(from, to) {
  const group = new THREE.Group(), dots = new THREE.BufferGeometry().setFromPoints([from, to]);
  group.add(
    new THREE.Line(dots, new THREE.LineBasicMaterial({ color: 0xffe94a, depthTest: false, transparent: true })),
    new THREE.Points(dots, new THREE.PointsMaterial({ color: 0xffe94a, size: 8, sizeAttenuation: false, depthTest: false, transparent: true })),
  );
  for (const o of group.children) o.renderOrder = 9;
  return group;
}

/** A ray from where it starts to where it ends, with a head, drawn over everything. */
export function rayArrow(from, to) {
  const along = to.clone().sub(from), length = along.length();
  const arrow = new THREE.ArrowHelper(along.normalize(), from, Math.max(length, 1e-6), 0xffe94a, Math.min(0.35 * length, 0.02), Math.min(0.2 * length, 0.01));
  for (const o of [arrow.line, arrow.cone]) {
    o.material.depthTest = false;
    o.material.transparent = true;
    o.renderOrder = 9;
    o.frustumCulled = false;
  }
  return arrow;
}

/** Picked edges, six numbers each, drawn over everything. */
export function edgeLines(ends) {
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute("position", new THREE.Float32BufferAttribute(ends, 3));
  const lines = new THREE.LineSegments(geometry, new THREE.LineBasicMaterial({ color: 0xffe94a, depthTest: false, transparent: true }));
  lines.renderOrder = 9;
  lines.frustumCulled = false;
  return lines;
}

/** Lays a yellow film over triangles of objects that are known by the number of their sheet, where there are several, and six UVs. @returns the films */
export function islandsOn(objects, triangles) {
  const byNumber = triangles.some((t) => t.number !== null), key = (number, u0, v0, u1, v1, u2, v2) =>
    `${byNumber ? number : ""} ${Math.round(1e5 * (u0 + u1 + u2))} ${Math.round(1e5 * (v0 + v1 + v2))}`;
  const wanted = new Set(triangles.map((t) => key(t.number, ...t.uv)));
  const films = [];
  for (const { mesh, source } of wanted.size ? objects : []) {
    const { uv, index, position } = source.levels[source.levels.length - 1], points = [];
    for (let i = 0; uv && i < index.length; i += 3) {
      const [a, b, c] = [index[i], index[i + 1], index[i + 2]];
      if (!wanted.has(key(position[4 * a + 3] - 1, uv[2 * a], uv[2 * a + 1], uv[2 * b], uv[2 * b + 1], uv[2 * c], uv[2 * c + 1]))) continue;
      for (const v of [a, b, c]) points.push(position[4 * v] / 65535, position[4 * v + 1] / 65535, position[4 * v + 2] / 65535);
    }
    if (!points.length) continue;
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.Float32BufferAttribute(points, 3));
    const film = new THREE.Mesh(geometry, new THREE.MeshBasicMaterial(
      { color: 0xffe94a, transparent: true, opacity: 0.6, depthWrite: false, polygonOffset: true, polygonOffsetFactor: -1, polygonOffsetUnits: -2 }));
    film.renderOrder = 2;
    film.frustumCulled = false;
    mesh.add(film);
    films.push(film);
  }
  return films;
}
