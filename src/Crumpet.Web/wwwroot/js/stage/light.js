// The light assets are looked at in, as the server makes it (SkyLight in the core).
import * as THREE from "../../lib/three/three.module.js";

/** Uniforms of the light, shared by all materials: change their values to change the light everywhere. */
export async function loadLight(url) {
  const buffer = await (await fetch(url)).arrayBuffer(), view = new DataView(buffer);
  const [width, height, levels] = [4, 8, 12].map((at) => view.getInt32(at, true));
  const three = (i) => new THREE.Vector3(...[0, 1, 2].map((c) => view.getFloat32(16 + 12 * i + 4 * c, true)));
  const environment = new THREE.DataTexture(new Uint16Array(buffer, 16 + 12 * 11), width, height * levels, THREE.RGBAFormat, THREE.HalfFloatType);
  environment.wrapS = THREE.RepeatWrapping;
  environment.magFilter = environment.minFilter = THREE.LinearFilter;
  environment.needsUpdate = true;
  return {
    irradiance: { value: Array.from({ length: 9 }, (_, i) => three(i)) }, sunDirection: { value: three(9) }, sun: { value: three(10) },
    environment: { value: environment }, environmentSize: { value: new THREE.Vector3(width, height, levels) },
    lightTurn: { value: 0 }, exposure: { value: 1 },
  };
}
