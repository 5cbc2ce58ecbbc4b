// The 3D stage: low, high, the baked result lit, and a wipe between high and baked low.
import * as THREE from "/lib/three/three.module.js";
import { loadPreview } from "./preview.js";
import { loadDds } from "./dds.js";
import { Camera } from "./camera.js";

function geometryOf(o) {
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute("position", new THREE.InterleavedBufferAttribute(new THREE.InterleavedBuffer(o.positions, 4), 3, 0, true));
  geometry.setAttribute("normal", o.fullNormals
    ? new THREE.BufferAttribute(o.fullNormals, 3)
    : new THREE.InterleavedBufferAttribute(new THREE.InterleavedBuffer(o.normals, 4), 3, 0, true));
  if (o.uvs) geometry.setAttribute("uv", new THREE.BufferAttribute(o.uvs, 2));
  geometry.setIndex(new THREE.BufferAttribute(o.index, 1));
  // Positions are shares of a cube around the object; the mesh carries its corner and side.
  geometry.boundingSphere = new THREE.Sphere(new THREE.Vector3(0.5, 0.5, 0.5), 0.87);
  return geometry;
}

function worldGeometry(o) {
  const positions = new Float32Array(3 * o.vertices);
  for (let i = 0; i < o.vertices; i++)
    for (let c = 0; c < 3; c++) positions[3 * i + c] = o.min[c] + o.size * (o.positions[4 * i + c] / 65535);
  const geometry = geometryOf(o);
  geometry.setAttribute("position", new THREE.BufferAttribute(positions, 3));
  if (o.tangents) geometry.setAttribute("tangent", new THREE.BufferAttribute(o.tangents, 4));
  geometry.boundingSphere = null;
  geometry.computeBoundingSphere();
  return geometry;
}

function checkerTexture() {
  const size = 64, data = new Uint8Array(size * size * 4);
  for (let y = 0; y < size; y++)
    for (let x = 0; x < size; x++) {
      const light = ((x >> 3) + (y >> 3)) % 2 ? 205 : 120;
      data.set([light, light - (x >> 5 ? 0 : 18), light - (y >> 5 ? 0 : 30), 255], (y * size + x) * 4);
    }
  const texture = new THREE.DataTexture(data, size, size);
  texture.wrapS = texture.wrapT = THREE.RepeatWrapping;
  texture.repeat.set(16, 16);
  texture.colorSpace = THREE.SRGBColorSpace;
  texture.magFilter = THREE.LinearFilter;
  texture.minFilter = THREE.LinearMipmapLinearFilter;
  texture.generateMipmaps = true;
  texture.needsUpdate = true;
  return texture;
}

function loadPicture(url, colorSpace) {
  return new THREE.TextureLoader().loadAsync(url).then((texture) => {
    texture.colorSpace = colorSpace;
    texture.anisotropy = 4;
    return texture;
  });
}

class Stage {
  constructor(root) {
    this.root = root;
    this.canvas = root.querySelector("canvas");
    this.readout = root.querySelector(".readout");
    this.renderer = new THREE.WebGLRenderer({ canvas: this.canvas, antialias: true, preserveDrawingBuffer: true });
    this.renderer.setClearColor(0x777777);
    this.renderer.toneMapping = THREE.NeutralToneMapping;
    this.scene = new THREE.Scene();
    this.groups = {};
    this.seam = 0.5;
    this.light();
    this.camera = new Camera(this.canvas, () => this.draw());
    this.mode = root.dataset.show;
    for (const button of root.querySelectorAll("[data-mode]")) button.addEventListener("click", () => this.show(button.dataset.mode));
    new ResizeObserver(() => this.resize()).observe(root);
    this.canvas.addEventListener("pointerdown", (e) => this.grabSeam(e), { capture: true });
    document.body.addEventListener("fly-to", (e) => this.flyTo(e.detail));
    document.body.addEventListener("run-ended", () => this.refresh());
    this.resize();
    this.show(this.mode);
  }

  light() {
    this.scene.add(new THREE.HemisphereLight(0xf3f7fb, 0x6d6558, 1.15));
    const sun = new THREE.DirectionalLight(0xfff4e2, 2.3);
    sun.position.set(1.4, 1.7, 2.1);
    const back = new THREE.DirectionalLight(0xdfeaff, 0.7);
    back.position.set(-2, 0.6, -1);
    this.scene.add(sun, back);
  }

  async group(mode) {
    if (!this.groups[mode]) this.groups[mode] = this.make(mode);
    return this.groups[mode];
  }

  async make(mode) {
    const side = mode === "high" ? "high" : "low";
    this.say(`loading the ${side} side`);
    const objects = await loadPreview(this.root.dataset[side]);
    if (!objects) return null;
    const material = await this.material(mode);
    if (!material) return null;
    const group = new THREE.Group();
    for (const o of objects) {
      const lit = mode !== "high";
      const mesh = new THREE.Mesh(lit ? worldGeometry(o) : geometryOf(o), material);
      if (!lit) {
        mesh.position.fromArray(o.min);
        mesh.scale.setScalar(o.size);
      }
      mesh.name = o.part;
      mesh.userData.box = new THREE.Box3(new THREE.Vector3(...o.min), new THREE.Vector3(...o.max));
      group.add(mesh);
    }
    group.userData.triangles = objects.reduce((sum, o) => sum + o.indices / 3, 0);
    group.visible = false;
    this.scene.add(group);
    return group;
  }

  async material(mode) {
    const plain = { color: 0xcfc9ba, roughness: 0.65, metalness: 0 };
    if (mode === "checker") return new THREE.MeshStandardMaterial({ map: checkerTexture(), roughness: 0.8 });
    if (mode === "baked") {
      const maps = JSON.parse(this.root.dataset.maps);
      if (!maps.normal && !maps.ao) return null;
      this.say("loading the baked maps");
      const material = new THREE.MeshStandardMaterial(plain);
      if (maps.normal) material.normalMap = await loadPicture(maps.normal, THREE.NoColorSpace);
      if (maps.ao) material.aoMap = await loadPicture(maps.ao, THREE.NoColorSpace);
      material.normalScale.y = this.root.dataset.green === "down" ? -1 : 1;
      return material;
    }
    if (mode === "delivered") {
      const textures = JSON.parse(this.root.dataset.textures);
      if (!Object.keys(textures).length) return null;
      this.say("loading the delivered textures");
      const material = new THREE.MeshStandardMaterial({ color: 0xffffff, roughness: 1, metalness: 1 });
      if (textures.colour) material.map = await loadDds(textures.colour);
      if (textures.masks) material.aoMap = material.roughnessMap = material.metalnessMap = await loadDds(textures.masks);
      else Object.assign(material, { roughness: 0.65, metalness: 0 });
      if (textures.normal) {
        material.normalMap = await loadDds(textures.normal);
        if (material.normalMap.twoChannels) rebuildBlue(material);
      }
      material.normalScale.y = this.root.dataset.green === "down" ? -1 : 1;
      return material;
    }
    return new THREE.MeshStandardMaterial(plain);
  }

  async show(mode) {
    this.mode = mode;
    for (const button of this.root.querySelectorAll("[data-mode]")) button.setAttribute("aria-pressed", button.dataset.mode === mode);
    const wanted = mode === "wipe" ? ["high", "baked"] : [mode];
    const groups = await Promise.all(wanted.map((m) => this.group(m)));
    if (this.mode !== mode) return;
    const missing = wanted.filter((_, i) => !groups[i]);
    this.shown = groups.filter(Boolean);
    if (this.shown.length && !this.framed) this.frame();
    const count = (g) => g.userData.triangles.toLocaleString("en").replaceAll(",", "\u2009");
    this.say(missing.length ? `there is no ${missing.join(" and no ")} to show yet`
      : mode === "wipe" ? `high left of the seam, low baked right of it` : `${mode} · ${count(this.shown[0])} tris`);
    this.root.dataset.ready = mode;
    this.draw();
  }

  /** After a run: the page's own copy of this element knows the new files. */
  async refresh() {
    const page = new DOMParser().parseFromString(await (await fetch(location.href)).text(), "text/html");
    const fresh = page.querySelector("[data-stage]");
    if (!fresh) return;
    const same = ["low", "high", "maps", "textures", "green"].every((key) => fresh.dataset[key] === this.root.dataset[key]);
    if (same) return;
    for (const key of ["low", "high", "maps", "textures", "green"]) this.root.dataset[key] = fresh.dataset[key];
    for (const group of Object.values(this.groups)) group.then((g) => g && this.scene.remove(g));
    this.groups = {};
    this.show(this.root.querySelector(`[data-mode="${fresh.dataset.show}"]`) ? fresh.dataset.show : this.mode);
  }

  frame() {
    const box = new THREE.Box3();
    for (const group of this.shown) for (const mesh of group.children) box.union(mesh.userData.box);
    this.box = box;
    this.camera.home = box;
    this.camera.frame(box);
    this.framed = true;
  }

  flyTo(place) {
    const part = place.replace(/_(low|high)$/, "");
    const box = new THREE.Box3();
    for (const group of this.shown ?? []) for (const mesh of group.children) if (mesh.name === part || mesh.name === place) box.union(mesh.userData.box);
    if (!box.isEmpty()) {
      this.camera.frame(box);
      this.say(part);
    }
  }

  grabSeam(event) {
    const rect = this.canvas.getBoundingClientRect();
    if (this.mode !== "wipe" || Math.abs(event.clientX - rect.left - this.seam * rect.width) > 12) return;
    event.stopImmediatePropagation();
    this.canvas.setPointerCapture(event.pointerId);
    const move = (e) => { this.seam = Math.min(1, Math.max(0, (e.clientX - rect.left) / rect.width)); this.draw(); };
    const up = () => { this.canvas.removeEventListener("pointermove", move); this.canvas.removeEventListener("pointerup", up); };
    this.canvas.addEventListener("pointermove", move);
    this.canvas.addEventListener("pointerup", up);
  }

  say(text) { this.readout.textContent = text; }

  resize() {
    const { width, height } = this.root.getBoundingClientRect();
    if (width < 2 || height < 2) return;
    this.renderer.setPixelRatio(Math.min(devicePixelRatio, 2));
    this.renderer.setSize(width, height, false);
    this.camera.aspect(width / height);
    this.draw();
  }

  draw() {
    cancelAnimationFrame(this.pending);
    this.pending = requestAnimationFrame(() => this.drawNow());
  }

  drawNow() {
    const size = this.renderer.getSize(new THREE.Vector2());
    const only = (group) => this.scene.children.forEach((c) => { if (c.isGroup) c.visible = c === group; });
    this.renderer.setScissorTest(false);
    if (this.mode === "wipe" && this.shown?.length === 2) {
      const x = Math.round(this.seam * size.x);
      this.renderer.setScissorTest(true);
      for (const [group, left, width] of [[this.shown[0], 0, x], [this.shown[1], x, size.x - x]]) {
        if (width < 1) continue;
        only(group);
        this.renderer.setScissor(left, 0, width, size.y);
        this.renderer.render(this.scene, this.camera.three);
      }
      this.renderer.setScissor(Math.max(0, x - 1), 0, 2, size.y);
      this.renderer.setClearColor(0xffffff);
      this.renderer.clear();
      this.renderer.setClearColor(0x777777);
      this.renderer.setScissorTest(false);
    } else {
      only(this.shown?.[0] ?? null);
      this.renderer.render(this.scene, this.camera.three);
    }
    this.scaleBar(size.y);
  }

  scaleBar(height) {
    const metresPerPixel = this.camera.metresPerPixel(height);
    const step = [0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50].find((s) => s / metresPerPixel > 50) ?? 100;
    this.root.querySelector(".scale-bar span").textContent = step < 0.1 ? `${step * 1000} mm` : `${step} m`;
    this.root.querySelector(".scale-bar i").style.width = `${Math.round(step / metresPerPixel)}px`;
  }
}

/** Two-channel normals get their third component back from the other two. */
function rebuildBlue(material) {
  material.onBeforeCompile = (shader) => {
    shader.fragmentShader = shader.fragmentShader.replace("#include <normal_fragment_maps>",
      THREE.ShaderChunk.normal_fragment_maps.replace("mapN.xy *= normalScale;", "mapN.z = sqrt(max(0.0, 1.0 - dot(mapN.xy, mapN.xy))); mapN.xy *= normalScale;"));
  };
}

for (const root of document.querySelectorAll("[data-stage]")) root.stage = new Stage(root);
