// Hands block-compressed textures to the graphics card as they are.
import * as THREE from "../../lib/three/three.module.js";

const formats = {
  71: [THREE.RGB_S3TC_DXT1_Format, 8, false], 72: [THREE.RGB_S3TC_DXT1_Format, 8, true],
  80: [THREE.RED_RGTC1_Format, 8, false], 83: [THREE.RED_GREEN_RGTC2_Format, 16, false],
  98: [THREE.RGBA_BPTC_Format, 16, false], 99: [THREE.RGBA_BPTC_Format, 16, true],
  28: [THREE.RGBAFormat, 0, false], 29: [THREE.RGBAFormat, 0, true],
};

/** A texture from a DDS file that Crumpet wrote. */
export async function loadDds(url) {
  const buffer = await (await fetch(url)).arrayBuffer();
  const view = new DataView(buffer);
  const height = view.getUint32(12, true), width = view.getUint32(16, true), levels = view.getUint32(28, true);
  const extended = view.getUint32(84, false) === 0x44583130;
  const [format, unit, srgb] = extended ? formats[view.getUint32(128, true)] : formats[71];
  const mipmaps = [];
  let at = extended ? 148 : 128;
  for (let level = 0; level < levels; level++) {
    const w = Math.max(1, width >> level), h = Math.max(1, height >> level);
    const size = unit ? Math.ceil(w / 4) * Math.ceil(h / 4) * unit : w * h * 4;
    mipmaps.push({ data: new Uint8Array(buffer, at, size), width: w, height: h });
    at += size;
  }
  const texture = unit ? new THREE.CompressedTexture(mipmaps, width, height, format) : new THREE.DataTexture(mipmaps[0].data, width, height, format);
  texture.mipmaps = mipmaps;
  texture.generateMipmaps = false;
  texture.minFilter = THREE.LinearMipmapLinearFilter;
  texture.magFilter = THREE.LinearFilter;
  texture.anisotropy = 4;
  texture.colorSpace = srgb ? THREE.SRGBColorSpace : THREE.NoColorSpace;
  // The file's first row is the picture's top while texture v counts from the bottom: the shader turns it over (flipV).
  texture.wrapS = texture.wrapT = THREE.RepeatWrapping;
  texture.twoChannels = format === THREE.RED_GREEN_RGTC2_Format;
  texture.needsUpdate = true;
  return texture;
}
