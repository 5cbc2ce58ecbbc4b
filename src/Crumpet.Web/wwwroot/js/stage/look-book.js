// The ways of seeing a side: "low:density", "high:plain", "low:map:normal". Each is the one shader with settings of its own.
import * as THREE from "../../lib/three/three.module.js";
import { fragmentShader, looks, vertexShader } from "./shader.js";
import { loadBlocks, loadPicture, materialTable } from "./textures.js";

const words = {
  plain: "shaded", material: "source material", facing: "facing", normals: "normals in world axes", parts: "colour by part", trays: "colour by tray",
  materials: "colour by material", colours: "vertex colours", checker: "checker", density: "density", baked: "baked", packed: "packed", delivered: "delivered",
};
const shaderLook = { parts: "groups", trays: "groups", materials: "groups", baked: "lit", packed: "lit", delivered: "lit" };
const count = (n) => n.toLocaleString("en").replaceAll(",", "\u2009");

export class LookBook {
  constructor(stage) {
    this.stage = stage;
    this.materials = new Map();
    this.blank = new THREE.DataTexture(new Uint8Array([255, 255, 255, 255]), 1, 1);
    this.blank.needsUpdate = true;
    this.pickMaterial = this.make("id");
  }

  make(look, more = {}) {
    const own = (value) => ({ value });
    return new THREE.RawShaderMaterial({
      glslVersion: THREE.GLSL3, vertexShader, fragmentShader, defines: { LOOK: looks.indexOf(look) }, side: THREE.DoubleSide, ...more,
      uniforms: {
        ...this.stage.light, channel: own(4), normalKind: own(0), pickId: own(0), flagMaps: own(0), onlyMaterial: own(-1), objectColour: own(new THREE.Color()),
        viewDirection: own(new THREE.Vector3()), densityRange: own(new THREE.Vector2(0, 1)), sheetSize: own(this.stage.config.sheetSize), greenSign: own(1),
          flipV: own(0), checkerTexels: own(32),
        parallel: own(0), marked: own(0), colourMap: own(this.blank), normalMap: own(this.blank), occlusionMap: own(this.blank),
          roughnessMap: own(this.blank), metalnessMap: own(this.blank), opacityMap: own(this.blank), emissionMap: own(this.blank),
          channels: own(new THREE.Vector4()), emission: own(new THREE.Vector3()), threshold: own(-1),
        dielectric: own(new THREE.Vector4(0.04, 0.04, 0.04, 1)), coat: own(new THREE.Vector2()), through: own(new THREE.Vector4(1, 1, 1, 0)), isDeep: own(0),
        uvTransform: own(new THREE.Matrix3()),
          flatMap: own(this.blank), materials: own(this.blank),
      },
    });
  }

  /** Loads what a look needs. @returns what is missing, in words, or an empty string */
  async prepare(look) {
    const [sideName, kind, name] = look.split(":"), side = this.stage.side(look);
    if (!this.materials.has(look)) {
      const shader = kind === "map" ? "map" : shaderLook[kind] ?? kind;
      // Each sheet has maps of its own; what lies on it is drawn with them. While a bake is at work there is none.
      const own = ["map", "baked", "packed", "delivered"].includes(kind) ? this.stage.config.sheets : [];
      const sheets = own.length ? own : [{ material: null, maps: {}, packed: [], textures: [], surface: {} }];
      this.materials.set(look, await Promise.all(sheets.map(async (sheet) => {
        const material = this.make(shader), u = material.uniforms;
        u.onlyMaterial.value = sheet.material ?? -1;
        u.greenSign.value = this.stage.config.green === "down" ? -1 : 1;
        if (kind === "map" && sheet.maps[name]) u.flatMap.value = await loadPicture(sheet.maps[name]);
        if (kind === "material") u.materials.value = materialTable(side.preview.materials);
        if (kind === "baked") await baked(u, sheet.maps);
        // As delivered, from the pictures before they are compressed, or as the card decodes them.
        if (kind === "packed") await bound(u, sheet.packed, loadPicture);
        if (kind === "delivered") await bound(u, sheet.textures, loadBlocks);
        if (["packed", "delivered"].includes(kind)) surface(material, sheet.surface);
        if (kind === "density") this.densityRange(side, u.densityRange.value);
        return material;
      })));
    }
    if (kind === "colours" && !side.preview.objects.some((o) => o.colours)) return `the ${sideName} side has no vertex colours`;
    if (kind === "trays" && !Object.keys(this.stage.config.trays).length) return "nothing is paired yet, so there are no trays";
    return sideName === "low" && ["checker", "density"].includes(kind) && !side.objects.some((o) => o.source.levels[0].uv) ? "the low side has no UVs" : "";
  }

  /** What a look is drawn with, one a sheet; null until it is prepared. */
  drawnWith(look) { return this.materials.get(look) ?? null; }

  /** Sets what changes from frame to frame. */
  light(look, { isFlat, away }) {
    const kind = look.split(":")[1];
    for (const m of this.materials.get(look)) {
      m.uniforms.parallel.value = isFlat ? 1 : 0;
      m.uniforms.viewDirection.value.copy(away);
      m.uniforms.channel.value = this.stage.channel;
    }
    if (shaderLook[kind] === "groups") this.colour(this.stage.side(look), kind);
  }

  colour(side, kind) {
    const key = { parts: (o) => o.part, trays: (o) => this.stage.config.trays[o.part] ?? -1, materials: (o) => o.source.levels[0].position[3] }[kind];
    const numbers = new Map();
    for (const o of side.objects) {
      const k = key(o);
      if (!numbers.has(k)) numbers.set(k, numbers.size);
      groupColour(k === -1 ? -1 : numbers.get(k), o.colour);
    }
  }

  densityRange(side, range) {
    let least = Infinity, most = 0;
    for (const o of side.objects) for (const d of o.source.levels[0].density ?? []) if (d > 0) { least = Math.min(least, d); most = Math.max(most, d); }
    const k = this.stage.config.sheetSize;
    least = least === Infinity ? 0 : least * k;
    most *= k;
    // Even densities would otherwise show rounding as colour.
    const slack = Math.max(0, 0.02 * most - (most - least)) / 2;
    range.set(least - slack, most + slack);
  }

  describe(look, withCount = false) {
    const [sideName, kind, name] = look.split(":"), side = this.stage.side(look), u = this.drawnWith(look)?.[0].uniforms;
    const text = kind === "map" ? `${name} map${this.stage.channel < 4 ? ` · ${"RGBA"[this.stage.channel]}` : ""}` : words[kind];
    const more = kind === "checker" ? ` · a square is ${u?.checkerTexels.value ?? 32} px` : "";
    return `${sideName} · ${text}${more}${side && withCount ? ` · ${count(side.triangles)} tris` : ""}`;
  }

  forget() {
    for (const m of [...this.materials.values()].flat()) m.dispose();
    this.materials.clear();
  }
}

async function baked(u, maps) {
  if (maps.normal) [u.normalMap.value, u.normalKind.value] = [await loadPicture(maps.normal), 1];
  if (maps.ao) [u.occlusionMap.value, u.flagMaps.value] = [await loadPicture(maps.ao), 4];
}

// Where a slot's texture goes: its uniform, its bit, and which of the channels it is told by.
const slots = {
  baseColour: ["colourMap", 1], normal: ["normalMap", 0], roughness: ["roughnessMap", 2, "y"], occlusion: ["occlusionMap", 4, "x"],
  metalness: ["metalnessMap", 8, "z"], opacity: ["opacityMap", 16, "w"], emission: ["emissionMap", 32],
};

/** Textures in a material's slots. */
async function bound(u, textures, load) {
  for (const { slot, url, channel, srgb } of textures) {
    if (!slots[slot]) continue;
    const [name, bit, part] = slots[slot], texture = await load(url, srgb);
    u[name].value = texture;
    u.flagMaps.value |= bit;
    if (part) u.channels.value[part] = channel;
    if (slot === "normal") u.normalKind.value = texture.twoChannels ? 2 : 1;
    if (load === loadBlocks) u.flipV.value = 1;
  }
}

/** What a material says of its surface: holes, what shines through, which sides are seen, light it gives off and mirrors, and how its UVs are moved. */
function surface(material, said) {
  const u = material.uniforms, { alpha, emission } = said;
  u.threshold.value = alpha === "cutOut" ? said.threshold : -1;
  if (alpha === "opaque") u.flagMaps.value &= ~16;
  material.transparent = alpha === "blend";
  material.side = said.twoSided ? THREE.DoubleSide : THREE.FrontSide;
  if (!emission) return;
  u.emission.value.set(emission.r, emission.g, emission.b).multiplyScalar(said.emissionStrength);
  const straight = ((said.index - 1) / (said.index + 1)) ** 2, { specular, specularTint, throughTint, through } = said;
  u.dielectric.value.set(...["r", "g", "b"].map((c) => Math.min(1, straight * specularTint[c]) * specular), specular);
  u.coat.value.set(said.clearCoat, said.clearCoatRoughness);
  u.through.value.set(throughTint.r, throughTint.g, throughTint.b, through === "none" ? 0 : said.throughShare);
  u.isDeep.value = through === "deep" ? 1 : 0;
  const turn = said.turnDegrees * Math.PI / 180, c = Math.cos(turn), s = Math.sin(turn);
  u.uvTransform.value.set(c * said.repeatU, -s * said.repeatV, said.moveU, s * said.repeatU, c * said.repeatV, said.moveV, 0, 0, 1);
}

/** Colours far apart for things that are told apart: steps of the golden angle in hue, two lightnesses. */
function groupColour(number, into) {
  if (number < 0) return into.setRGB(0.2, 0.2, 0.2);
  return into.setHSL((0.47 + number * 0.381966) % 1, 0.5, number % 2 ? 0.56 : 0.36);
}
