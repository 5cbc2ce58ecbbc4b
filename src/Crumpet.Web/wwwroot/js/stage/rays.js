// Cages as translucent shells with dots where the high side stands outside, and the rays of each low vertex as hairs from start to end.
import * as THREE from "../../lib/three/three.module.js";

const shell = new THREE.MeshBasicMaterial({ color: 0x0f9c88, transparent: true, opacity: 0.22, depthWrite: false, side: THREE.DoubleSide });
const edge = new THREE.LineBasicMaterial({ color: 0x0c5d52, transparent: true, opacity: 0.75 });
const over = new THREE.PointsMaterial({ color: 0xd8344f, size: 5, sizeAttenuation: false });
const hair = new THREE.LineBasicMaterial({ color: 0xffe94a, transparent: true, opacity: 0.9 });

export class Rays {
  constructor(url) {
    this.url = url;
    this.group = new THREE.Group();
    this.parts = [];
  }

  async load() {
    const response = await fetch(this.url);
    if (!response.ok) throw new Error(`the server answers ${response.status}`);
    const bytes = await response.arrayBuffer(), length = new DataView(bytes).getInt32(4, true), base = 8 + length;
    const { parts } = JSON.parse(new TextDecoder().decode(new Uint8Array(bytes, 8, length)));
    for (const { name, cage, triangles, hairs, hairCount, outside, outsideCount } of parts) {
      const group = new THREE.Group(), geometry = new THREE.BufferGeometry(), lines = new THREE.BufferGeometry(), points = new THREE.BufferGeometry();
      geometry.setAttribute("position", new THREE.BufferAttribute(new Float32Array(bytes, base + cage, 9 * triangles), 3));
      lines.setAttribute("position", new THREE.BufferAttribute(new Float32Array(bytes, base + hairs, 6 * hairCount), 3));
      points.setAttribute("position", new THREE.BufferAttribute(new Float32Array(bytes, base + outside, 3 * outsideCount), 3));
      const mesh = new THREE.Mesh(geometry, shell), edges = new THREE.LineSegments(new THREE.WireframeGeometry(geometry), edge),
        strands = new THREE.LineSegments(lines, hair), dots = new THREE.Points(points, over);
      mesh.renderOrder = 5;
      edges.renderOrder = 6;
      strands.renderOrder = 7;
      dots.renderOrder = 8;
      group.add(mesh, edges, strands, dots);
      this.group.add(group);
      this.parts.push({ name, group, mesh, edges, strands, dots });
    }
  }

  /** Shows what is asked for, where parts are drawn. */
  arrange(stage) {
    for (const { name, group, mesh, edges, strands, dots } of this.parts) {
      const object = stage.loadedSides.flatMap((s) => s.objects).find((o) => o.part === name);
      if (object) group.position.copy(object.offset);
      group.visible = !stage.hidden.has(name);
      mesh.visible = edges.visible = dots.visible = stage.show.cage;
      strands.visible = stage.show.hairs;
    }
  }

  dispose() {
    this.group.traverse((o) => o.geometry?.dispose());
    this.group.removeFromParent();
  }
}
