// Textures as the stage's shader takes them, from pictures and from block-compressed files.
import * as THREE from "../../lib/three/three.module.js";
import { loadDds } from "./dds.js";

const loaded = new Map();

function once(url, load) {
  if (!loaded.has(url)) loaded.set(url, load());
  return loaded.get(url);
}

export const loadPicture = (url, srgb = false) => once(url, async () => {
  const texture = await new THREE.TextureLoader().loadAsync(url);
  texture.colorSpace = srgb ? THREE.SRGBColorSpace : THREE.NoColorSpace;
  texture.anisotropy = 4;
  texture.wrapS = texture.wrapT = THREE.RepeatWrapping;
  return texture;
});

export const loadBlocks = (url) => once(url, () => loadDds(url));

/** Forgets textures of files that are no longer shown. */
export function forgetTextures() {
  for (const texture of loaded.values()) texture.then((t) => t.dispose(), () => {});
  loaded.clear();
}

/** Source materials as rows of numbers: base colour above, roughness and metalness below. */
export function materialTable(materials) {
  const width = Math.max(1, materials.length), data = new Float32Array(8 * width);
  materials.forEach((m, i) => {
    data.set(m.colour, 4 * i);
    data.set([m.roughness, m.metalness, 0, 0], 4 * (width + i));
  });
  const texture = new THREE.DataTexture(data, width, 2, THREE.RGBAFormat, THREE.FloatType);
  texture.needsUpdate = true;
  return texture;
}
