// What tests do inside the page; each function stands alone there.

/** Decodes a texture's blocks with the graphics card. @returns how far that is from what the map viewer shows, of 255 */
export const decodedByCard = async ([file, count, base]) => {
  const THREE = await clientFile("lib/three/three.module.js");
  const { loadDds } = await clientFile("js/stage/dds.js");
  const texture = await loadDds(`${base}/files/convert/${file}`);
  texture.minFilter = texture.magFilter = THREE.NearestFilter;
  const side = texture.mipmaps[0].width;
  const renderer = new THREE.WebGLRenderer();
  const target = new THREE.WebGLRenderTarget(side, side, { minFilter: THREE.NearestFilter, magFilter: THREE.NearestFilter });
  const material = new THREE.ShaderMaterial({
    uniforms: { map: { value: texture } },
    vertexShader: "varying vec2 at; void main() { at = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }",
    fragmentShader: "uniform sampler2D map; varying vec2 at; void main() { gl_FragColor = texture2D(map, at); }",
  });
  const scene = new THREE.Scene();
  scene.add(new THREE.Mesh(new THREE.PlaneGeometry(2, 2), material));
  renderer.setRenderTarget(target);
  renderer.render(scene, new THREE.Camera());
  const card = new Uint8Array(side * side * 4);
  renderer.readRenderTargetPixels(target, 0, 0, side, side, card);
  const { picture } = document.querySelector("[data-map-viewer]").map;
  for (const tile of [[0, 0], [1, 0], [0, 1], [1, 1]]) while (!picture.tile(0, ...tile)) await new Promise((r) => setTimeout(r, 30));
  let worst = 0, sum = 0;
  for (let i = 0; i < side * side; i++) {
    const ours = picture.texel(i % side, Math.floor(i / side));
    for (let c = 0; c < count; c++) {
      const d = Math.abs(card[4 * i + c] - ours[c]);
      worst = Math.max(worst, d);
      sum += d;
    }
  }
  renderer.dispose();
  return { worst, mean: sum / (side * side * count) };
};

/** Steps through 50 maps. @returns bytes of tiles held at most and at the end */
export const tilesHeld = async () => {
  const { map } = document.querySelector("[data-map-viewer]"), { tileStore } = await clientFile("js/map/tiles.js");
  let most = 0;
  for (let i = 0; i < 50; i++) {
    map.bar.key({ key: "PageDown" });
    await new Promise((r) => setTimeout(r, 60));
    most = Math.max(most, tileStore.bytes);
  }
  return { most, counted: [...tileStore.tiles.values()].reduce((sum, t) => sum + (t.data?.byteLength ?? 0), 0), bytes: tileStore.bytes };
};

/** Brings a texel to the middle of the map viewer. @returns the pixel drawn there, and the texel's values */
export const texelShown = ([x, y]) => {
  const { map } = document.querySelector("[data-map-viewer]"), { canvas } = map.painter;
  // A texel's middle, where nothing is smoothed.
  map.view.show(x, y, 1, 1);
  map.drawNow();
  const small = new OffscreenCanvas(canvas.width, canvas.height).getContext("2d");
  small.drawImage(canvas, 0, 0);
  return { pixel: [...small.getImageData(canvas.width / 2, canvas.height / 2, 1, 1).data.slice(0, 3)], values: map.picture.texel(x, y) };
};
