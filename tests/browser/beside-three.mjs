// Draws a delivered asset with three's own loaders, materials and light in a page, as the stage draws it: same camera, same sky, same sun.
import * as THREE from "three";
import { GLTFLoader } from "three/addons/loaders/GLTFLoader.js";
import { MTLLoader } from "three/addons/loaders/MTLLoader.js";
import { OBJLoader } from "three/addons/loaders/OBJLoader.js";
import { USDLoader } from "three/addons/loaders/USDLoader.js";

/** The sky the app is lit by: level 0 of its light, as three takes panoramas, and the sun. */
async function light(url) {
  const buffer = await (await fetch(url)).arrayBuffer(), view = new DataView(buffer);
  const width = view.getInt32(4, true), height = view.getInt32(8, true), from = new Uint16Array(buffer, 16 + 12 * 11, 4 * width * height);
  const three = (i) => new THREE.Vector3(...[0, 1, 2].map((c) => view.getFloat32(16 + 12 * i + 4 * c, true)));
  // Ours begins above and looks to -z in its first column; three's begins below and looks to -x.
  const data = new Uint16Array(from.length);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const at = 4 * ((height - 1 - y) * width + (x + 3 * width / 4) % width);
      data.set(from.subarray(at, at + 4), 4 * (y * width + x));
    }
  const sky = new THREE.DataTexture(data, width, height, THREE.RGBAFormat, THREE.HalfFloatType);
  sky.mapping = THREE.EquirectangularReflectionMapping;
  sky.magFilter = sky.minFilter = THREE.LinearFilter;
  sky.needsUpdate = true;
  return { sky, direction: three(9), sun: three(10) };
}

/** Lets UVs be repeated, then turned, then moved before a texture is looked up. */
function move(map, repeat, turn, by) {
  const c = Math.cos(turn), s = Math.sin(turn);
  map.matrixAutoUpdate = false;
  map.matrix.set(c * repeat.x, -s * repeat.y, by.x, s * repeat.x, c * repeat.y, by.y, 0, 0, 1);
  return map;
}

const loaders = {
  gltf: async (url) => (await new GLTFLoader().loadAsync(url)).scene,
  // Pictures inside come after the scene.
  async usd(url) {
    const manager = new THREE.LoadingManager(), done = new Promise((then) => { manager.onLoad = then; }), scene = await new USDLoader(manager).loadAsync(url);
    await done;
    // The specification asks for a scale of 2 and a bias of -1 on pictures of 8 bits; the loader takes the scale for a strength.
    scene.traverse((o) => o.material?.normalScale?.setScalar(1));
    // UVs are scaled, then turned counter-clockwise, then moved; the loader reads the numbers and puts them together otherwise.
    scene.traverse(({ material }) => {
      for (const name of ["map", "normalMap", "roughnessMap", "metalnessMap", "aoMap"])
        if (material?.[name]) move(material[name], material[name].repeat, material[name].rotation, material[name].offset);
    });
    return scene;
  },
  // Wavefront's materials are of another kind; the settings beside them say what each texture is.
  async obj(url, settingsUrl) {
    const folder = url.replace(/[^/]*$/, ""), settings = await (await fetch(settingsUrl)).json();
    const library = await new MTLLoader().setPath(folder).loadAsync(url.replace(/.*\//, "").replace(".obj", ".mtl"));
    const root = await new OBJLoader().setMaterials(library).loadAsync(url);
    const texture = async ({ file }, { repeatU, repeatV, turnDegrees, moveU, moveV }, colours) => {
      const map = await new THREE.TextureLoader().loadAsync(new URL(`../${file}`, folder).href);
      map.colorSpace = colours ? THREE.SRGBColorSpace : THREE.NoColorSpace;
      map.wrapS = map.wrapT = THREE.RepeatWrapping;
      return move(map, { x: repeatU, y: repeatV }, turnDegrees * Math.PI / 180, { x: moveU, y: moveV });
    };
    const slots = { baseColour: "map", normal: "normalMap", roughness: "roughnessMap", metalness: "metalnessMap", occlusion: "aoMap" };
    const made = new Map(await Promise.all(settings.materials.map(async (m) => {
      const material = new THREE.MeshPhysicalMaterial({ roughness: 1, metalness: 1, clearcoat: m.surface.clearCoat,
        clearcoatRoughness: m.surface.clearCoatRoughness, ior: m.surface.index });
      for (const fill of m.textures) if (slots[fill.slot]) material[slots[fill.slot]] = await texture(fill, m.surface, fill.slot === "baseColour");
      material.normalScale.y = settings.textures.some((t) => t.green === "down") ? -1 : 1;
      return [m.name, material];
    })));
    root.traverse((o) => { if (o.isMesh) o.material = made.get(o.material.name); });
    // Z up and centimetres, as the target has them.
    const turned = new THREE.Group().add(root);
    root.rotation.x = -Math.PI / 2;
    root.scale.setScalar(0.01);
    return turned;
  },
};

const half = (bits) => {
  const sign = bits >> 15 ? -1 : 1, exponent = (bits >> 10) & 31, fraction = bits & 1023;
  return sign * (exponent === 0 ? fraction * 2 ** -24 : exponent === 31 ? Infinity : (1 + fraction / 1024) * 2 ** (exponent - 15));
};

/** As the stage shows light: rolled off towards white above 0.76, then in sRGB. */
function shown(rgb) {
  const start = 0.76, peak = Math.max(...rgb);
  let c = rgb;
  if (peak >= start) {
    const d = 1 - start, squeezed = 1 - d * d / (peak + d - start), white = 1 - 1 / (0.15 * (peak - squeezed) + 1);
    c = rgb.map((v) => v * squeezed / peak * (1 - white) + squeezed * white);
  }
  return c.map((v) => Math.round(255 * (v <= 0.0031308 ? 12.92 * Math.max(0, v) : 1.055 * v ** (1 / 2.4) - 0.055)));
}

/**
 * Draws a file of a delivery.
 * @param kind gltf, usd or obj @param camera the stage's, as matrices @returns RGBA from the top as base64; alpha tells where the asset is
 */
export async function draw({ kind, url, settings, lightUrl, camera, width, height }) {
  const renderer = new THREE.WebGLRenderer({ antialias: false }), { sky, direction, sun } = await light(lightUrl), scene = new THREE.Scene();
  scene.environment = sky;
  const lamp = new THREE.DirectionalLight(new THREE.Color(sun.x, sun.y, sun.z), Math.PI);
  lamp.position.copy(direction);
  scene.add(lamp, await loaders[kind](url, settings));
  const eye = new THREE.PerspectiveCamera();
  eye.matrixAutoUpdate = false;
  eye.matrix.fromArray(camera.matrix);
  eye.matrixWorld.fromArray(camera.matrix);
  eye.matrixWorldInverse.copy(eye.matrix).invert();
  eye.projectionMatrix.fromArray(camera.projection);
  eye.projectionMatrixInverse.copy(eye.projectionMatrix).invert();
  const target = new THREE.WebGLRenderTarget(width, height, { type: THREE.HalfFloatType });
  renderer.setRenderTarget(target);
  renderer.setClearColor(0, 0);
  renderer.clear();
  renderer.render(scene, eye);
  const light16 = new Uint16Array(4 * width * height), out = new Uint8Array(light16.length);
  renderer.readRenderTargetPixels(target, 0, 0, width, height, light16);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const from = 4 * ((height - 1 - y) * width + x), [r, g, b, a] = [...light16.subarray(from, from + 4)].map(half);
      out.set([...shown([r, g, b]), Math.round(255 * Math.min(1, a))], 4 * (y * width + x));
    }
  renderer.dispose();
  let text = "";
  for (let i = 0; i < out.length; i += 0x8000) text += String.fromCharCode(...out.subarray(i, i + 0x8000));
  return btoa(text);
}
