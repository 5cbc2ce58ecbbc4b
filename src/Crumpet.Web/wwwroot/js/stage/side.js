// One side of the asset on the stage: its objects with their levels of detail, and what is drawn on top of them.
import * as THREE from "../../lib/three/three.module.js";
import { lineFragmentShader, lineVertexShader } from "./shader.js";

const sphere = new THREE.Sphere(new THREE.Vector3(0.5, 0.5, 0.5), 0.9);

export class Side {
  /** @param preview of loadPreview, with at least its coarsest level */
  constructor(preview) {
    this.preview = preview;
    this.group = new THREE.Group();
    this.triangles = preview.objects.reduce((sum, o) => sum + o.triangles, 0);
    this.objects = preview.objects.map((o, i) => {
      const mesh = new THREE.Mesh();
      mesh.name = o.part;
      mesh.scale.setScalar(o.size);
      mesh.position.fromArray(o.min);
      const object = { source: o, part: o.part, name: o.name, id: i + 1, mesh, geometries: [],
        box: new THREE.Box3(new THREE.Vector3(...o.min), new THREE.Vector3(...o.max)), centre: new THREE.Vector3(...o.partCentre),
        offset: new THREE.Vector3(), colour: new THREE.Color(1, 1, 1), marked: 0 };
      mesh.userData.object = object;
      mesh.onBeforeRender = (renderer, scene, camera, geometry, material) => {
        const u = material.uniforms;
        if (!u?.pickId) return;
        u.pickId.value = object.id;
        u.objectColour.value.copy(object.colour);
        u.marked.value = object.marked;
        material.uniformsNeedUpdate = true;
      };
      this.group.add(mesh);
      return object;
    });
    this.takeLevels();
  }

  /** Finest level that has arrived. */
  get level() { return this.preview.level; }

  /** Prepares levels that arrived since. */
  takeLevels() {
    for (const object of this.objects) {
      // Wires of a coarser level give way to those of the finest.
      object.wire?.removeFromParent();
      object.wire?.geometry.dispose();
      object.wire = null;
      for (let level = object.geometries.length; level <= this.preview.level; level++) {
        const data = object.source.levels[level];
        object.geometries.push(level > 0 && data === object.source.levels[level - 1] ? object.geometries[level - 1] : geometryOf(data));
      }
    }
    this.showLevel(this.level);
  }

  showLevel(level) {
    level = Math.min(level, this.level);
    for (const { mesh, geometries } of this.objects) mesh.geometry = geometries[level];
  }

  /** Draws parts away from the middle by a share of their distance from it. */
  explode(share, middle) {
    for (const o of this.objects) {
      o.offset.copy(o.centre).sub(middle).multiplyScalar(share);
      o.mesh.position.fromArray(o.source.min).add(o.offset);
      o.mesh.updateMatrixWorld();
    }
  }

  /** Box of the objects that are shown and fit, where they are drawn. */
  boxOf(fits = () => true) {
    const box = new THREE.Box3();
    for (const o of this.objects) if (o.mesh.visible && fits(o)) box.union(o.box.clone().translate(o.offset));
    return box;
  }

  /** Wires, hard edges and seams; made when they are first asked for. */
  overlays({ wire, edges }) {
    for (const o of this.objects) {
      o.wire = this.overlay(o, o.wire, wire && this.level >= 0, () => lines(o, wiresOf(o.source.levels[this.level].index), [0.05, 0.08, 0.08, 0.55], 2e-5, 3));
      o.hard = this.overlay(o, o.hard, edges && o.source.levels[0].hard, () => lines(o, o.source.levels[0].hard, [1, 1, 1, 1], 6e-5, 3));
      o.seam = this.overlay(o, o.seam, edges && o.source.levels[0].seam, () => lines(o, o.source.levels[0].seam, [1, 0.83, 0.1, 1], 9e-5, 4));
    }
  }

  overlay(object, made, wanted, make) {
    if (wanted && !made) object.mesh.add(made = make());
    if (made) made.visible = !!wanted;
    return made;
  }

  dispose() {
    for (const { geometries, wire, hard, seam } of this.objects) {
      for (const g of new Set(geometries)) g.dispose();
      for (const l of [wire, hard, seam]) l?.geometry.dispose();
    }
    this.group.removeFromParent();
  }
}

function geometryOf(data) {
  const geometry = new THREE.BufferGeometry();
  const set = (name, array, width, normalized) => array && geometry.setAttribute(name, new THREE.BufferAttribute(array, width, normalized));
  set("position", data.position, 4, true);
  set("normal", data.normal, 2, true);
  set("colour", data.colour, 4, true);
  set("uv", data.uv, 2, false);
  set("tangent", data.tangent, 4, false);
  set("density", data.density, 1, false);
  geometry.setIndex(new THREE.BufferAttribute(data.index, 1));
  // Positions are shares of a cube around the object; the mesh carries its corner and side.
  geometry.boundingSphere = sphere;
  return geometry;
}

function lines(object, pairs, ink, bias, order) {
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute("position", object.geometries[object.geometries.length - 1].getAttribute("position"));
  geometry.setIndex(new THREE.BufferAttribute(pairs, 1));
  geometry.boundingSphere = sphere;
  const material = new THREE.RawShaderMaterial({ glslVersion: THREE.GLSL3, vertexShader: lineVertexShader, fragmentShader: lineFragmentShader,
    uniforms: { ink: { value: new THREE.Vector4(...ink) }, bias: { value: bias } }, transparent: ink[3] < 1 });
  const result = new THREE.LineSegments(geometry, material);
  result.renderOrder = order;
  return result;
}

/** Every edge of the triangles once, as pairs of vertices. */
export function wiresOf(index) {
  const capacity = 1 << Math.ceil(Math.log2(index.length * 1.5 + 16)), mask = capacity - 1;
  const low = new Uint32Array(capacity).fill(0xffffffff), high = new Uint32Array(capacity), pairs = new Uint32Array(2 * index.length);
  let count = 0;
  for (let i = 0; i < index.length; i++) {
    const p = index[i], q = index[i % 3 === 2 ? i - 2 : i + 1], a = Math.min(p, q), b = Math.max(p, q);
    let slot = (Math.imul(a, 0x9e3779b1) ^ Math.imul(b, 0x85ebca6b)) >>> 0 & mask;
    while (low[slot] !== 0xffffffff && (low[slot] !== a || high[slot] !== b)) slot = slot + 1 & mask;
    if (low[slot] !== 0xffffffff) continue;
    low[slot] = pairs[count++] = a;
    high[slot] = pairs[count++] = b;
  }
  return pairs.slice(0, count);
}
